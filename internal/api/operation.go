package api

import (
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// resource is the name under which operations stand together in the
// description.
type resource string

func (r resource) operation(method string, status int, id, path, summary string) huma.Operation {
	return huma.Operation{
		OperationID:   id,
		Method:        method,
		Path:          "/api/v1" + path,
		Summary:       summary,
		Tags:          []string{string(r)},
		DefaultStatus: status,
	}
}

// get reads, and changes nothing. As with all that name no status, it is 200, or
// 204 where there is nothing to answer.
func (r resource) get(id, path, summary string) huma.Operation {
	return r.operation(http.MethodGet, 0, id, path, summary)
}

// post does something and answers with what became of it.
func (r resource) post(id, path, summary string) huma.Operation {
	return r.operation(http.MethodPost, 0, id, path, summary)
}

// create makes something and answers with its number.
func (r resource) create(id, path, summary string) huma.Operation {
	return r.operation(http.MethodPost, http.StatusCreated, id, path, summary)
}

// start queues a run and answers with its number.
func (r resource) start(id, path, summary string) huma.Operation {
	return r.operation(http.MethodPost, http.StatusAccepted, id, path, summary)
}

// do does something that there is nothing to answer to.
func (r resource) do(id, path, summary string) huma.Operation {
	return r.operation(http.MethodPost, http.StatusNoContent, id, path, summary)
}

// put changes what is there and answers with it.
func (r resource) put(id, path, summary string) huma.Operation {
	return r.operation(http.MethodPut, 0, id, path, summary)
}

// set changes what is there, and there is nothing to answer.
func (r resource) set(id, path, summary string) huma.Operation {
	return r.operation(http.MethodPut, http.StatusNoContent, id, path, summary)
}

// remove takes something away.
func (r resource) remove(id, path, summary string) huma.Operation {
	return r.operation(http.MethodDelete, http.StatusNoContent, id, path, summary)
}
