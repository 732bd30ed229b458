package door

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
)

// Event says that something changed; it goes to every process that listens.
type Event struct {
	Topic string `json:"topic" doc:"Of Topics"`
	ID    int64  `json:"id" doc:"Of what changed; 0 where that is not one thing"`
	Run   int64  `json:"run,omitempty" doc:"The run that changed it on its way; left out for what a person did"`
	Note  string `json:"note,omitempty" doc:"progress: only how far a run is; ended: that it has ended"`
}

// Topics are all kinds of what changes: things, the settings, the record, and everything.
var Topics = []string{"run", "lot", "files", "plan", "product", "category", "origin", "lookup", "message", "sheet", "upkeep", "dispatch",
	"shelf", settings, recorded, Everything}

// Everything is the topic of an event that says that others may have been missed.
const Everything = "everything"

// Topics that concern no single thing: a setting changed, and the record has a new entry.
const (
	settings = "settings"
	recorded = "record"
)

// topics are the topics of changes that announce nothing themselves, by the kind of their first subject. All other kinds are settings.
var topics = map[identity.Thing]string{
	identity.Lot: "lot", identity.Plan: "plan", identity.Product: "product", identity.Category: "category", identity.Sheet: "sheet",
	identity.Origin: "origin", identity.Outlet: "dispatch", identity.Dispatch: "dispatch", identity.Holding: "upkeep",
	identity.Receipt: "upkeep", identity.Sweep: "upkeep", identity.Run: "run", identity.Message: "message", identity.ShelfAct: "shelf",
	identity.File: "files", identity.Variant: "product", identity.Import: "sheet", identity.Texts: "product", identity.Catalog: "product",
	identity.Decision: "files", identity.Upload: "lot",
}

// numbered are the kinds of subjects whose events carry the subject's own ID.
var numbered = []identity.Thing{identity.Lot, identity.Plan, identity.Product, identity.Category, identity.Sheet, identity.Origin,
	identity.Run}

// eventOf returns the event for a change that announced nothing.
func eventOf(e audit.Entry) Event {
	if len(e.About) == 0 {
		return Event{Topic: settings}
	}
	first := e.About[0]
	told := Event{Topic: settings}
	if topic, known := topics[first.Kind]; known {
		told.Topic = topic
	}
	if slices.Contains(numbered, first.Kind) {
		told.ID = first.ID
	}
	return told
}

// Notes of events about runs: only how far one is, and that one has ended.
const (
	Progress = "progress"
	Ended    = "ended"
)

// Channel is what PostgreSQL tells events on.
const Channel = "ambrosa"

// Announce sends an event when the transaction commits. For a recorded change that announces nothing, the door sends an event about
// its first subject. It also sends one for every new entry of the record.
func (t *Tx) Announce(ctx context.Context, event Event) error {
	t.announced = true
	batch := &pgx.Batch{}
	if err := t.announce(batch, event); err != nil {
		return err
	}
	return t.inner.SendBatch(ctx, batch).Close()
}

func (t *Tx) announce(batch *pgx.Batch, event Event) error {
	if event.Note != Ended {
		event.Run = t.entry.Run
	}
	payload, err := json.Marshal(event)
	if err != nil {
		return err
	}
	batch.Queue(`select pg_notify($1, $2)`, Channel, string(payload))
	return nil
}
