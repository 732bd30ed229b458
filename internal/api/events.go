package api

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"ambrosa/internal/door"
)

// hub passes events to everyone who watches. One who does not keep up misses
// events and is told to look at everything again. Its zero value is ready: events
// come before anyone serves, and in processes that never do.
type hub struct {
	mu       sync.Mutex
	watchers map[chan door.Event]bool
}

func (h *hub) watch() (events chan door.Event, leave func()) {
	events = make(chan door.Event, 256)
	h.mu.Lock()
	if h.watchers == nil {
		h.watchers = map[chan door.Event]bool{}
	}
	h.watchers[events] = true
	h.mu.Unlock()
	return events, func() {
		h.mu.Lock()
		delete(h.watchers, events)
		h.mu.Unlock()
	}
}

func (h *hub) send(event door.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for events := range h.watchers {
		select {
		case events <- event:
		default:
			delete(h.watchers, events)
			close(events)
		}
	}
}

type beat struct {
	At time.Time `json:"at"`
}

// heartbeat is how often a quiet stream says that it is alive, so that a
// client that is gone is noticed.
const heartbeat = 15 * time.Second

func (s *Server) eventOperations(api huma.API) {
	sse.Register(
		api,
		huma.Operation{
			OperationID: "events",
			Method:      http.MethodGet,
			Path:        "/api/v1/events",
			Summary:     "What changes, as it changes",
			Tags:        []string{"Runs"},
		},
		map[string]any{"change": door.Event{}, "beat": beat{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) {
			events, leave := s.hub.watch()
			defer leave()
			if send.Data(beat{time.Now()}) != nil {
				return
			}
			for {
				var err error
				select {
				case <-ctx.Done():
					return
				case event, open := <-events:
					if !open {
						return
					}
					err = send.Data(event)
				case <-time.After(heartbeat):
					err = send.Data(beat{time.Now()})
				}
				if err != nil {
					return
				}
			}
		})
}

// describeEvents says in the description which topics there are.
func describeEvents(api huma.API) {
	topic := api.OpenAPI().Components.Schemas.Map()["Event"].Properties["topic"]
	for _, one := range door.Topics {
		topic.Enum = append(topic.Enum, one)
	}
}
