package api

import (
	"net/http"
	"slices"
	"strings"

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
		Errors:        wrong(method, path),
	}
}

// wrong are the statuses with which an operation answers what cannot be done, each with a Problem: input that cannot be used (422), the
// database or object store is away (503); what an address names is not there (404); and of those that change something: who asks may not
// (403), others changed it, or its state does not allow it (409), the disk is full (507).
func wrong(method, path string) []int {
	list := []int{http.StatusUnprocessableEntity, http.StatusServiceUnavailable}
	if strings.Contains(path, "{") {
		list = append(list, http.StatusNotFound)
	}
	if method != http.MethodGet {
		list = append(list, http.StatusForbidden, http.StatusConflict, http.StatusInsufficientStorage)
	}
	slices.Sort(list)
	return list
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
