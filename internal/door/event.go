package door

import (
	"context"
	"encoding/json"
)

// Event says that something changed; it goes to every process that listens.
type Event struct {
	Topic string `json:"topic" enum:"run,lot,files,plan,product,category,upload,origin,lookup,message,sheet,upkeep,dispatch,shelf,everything"`
	ID    int64  `json:"id" doc:"Of what changed; 0 where that is not one thing"`
	Run   int64  `json:"run,omitempty" doc:"The run that changed it on its way; left out for what a person did"`
	Note  string `json:"note,omitempty" doc:"progress: only how far a run is; ended: that it has ended"`
}

// Everything is the topic of an event that says that others may have been missed.
const Everything = "everything"

// Notes of events about runs: only how far one is, and that one has ended.
const (
	Progress = "progress"
	Ended    = "ended"
)

// Channel is what PostgreSQL tells events on.
const Channel = "ambrosa"

// Announce tells an event when the transaction commits.
func (t *Tx) Announce(ctx context.Context, event Event) error {
	if event.Note != Ended {
		event.Run = t.entry.Run
	}
	payload, err := json.Marshal(event)
	if err != nil {
		return err
	}
	_, err = t.inner.Exec(ctx, `select pg_notify($1, $2)`, Channel, string(payload))
	return err
}
