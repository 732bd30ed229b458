package run

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"slices"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/gathering"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// Kind is a kind of background work. A new one is a file that registers it.
type Kind struct {
	Name  string `json:"name"`
	Doing string `json:"doing" doc:"What it does, in a word or two, for people"`
	Leads Leads  `json:"leads" enum:"lot,plan,origin,lot or origin,sheet,catalog,upkeep,dispatch" doc:"Where a person goes from it"`

	// Action is what a run of the kind does, in the words of who may do what.
	Action identity.Action `json:"-"`

	// Tells says that the work itself records what it came to, where it is done whole.
	Tells bool `json:"-"`
	// Long runs go through many files, and have a queue of their own.
	Long bool `json:"-"`
	// Deaths is how often the process may end while a run of the kind does not get on, before it waits for a person; 0
	// for the usual. A run that gives a foreign file up that ended the process twice may die more often.
	Deaths int `json:"-"`
	// Joins says that a run that waits does what another about the same would: who asks again is given that one.
	Joins bool `json:"-"`

	work func(r *Runner, ctx context.Context, run store.Run, p *task.Progress) (message string, err error)
	// report says to people how a run ended, in the transaction that records it;
	// nil where they wait for it on the spot.
	report func(r *Runner, ctx context.Context, tx *door.Tx, run store.Run, state, why string) error
}

// Leads is what a kind of run is about.
type Leads string

// What runs are about.
const (
	ToLot         Leads = "lot"
	ToPlan        Leads = "plan"
	ToOrigin      Leads = "origin"
	ToSheet       Leads = "sheet"
	ToCatalog     Leads = "catalog"
	ToUpkeep      Leads = "upkeep"
	ToDispatch    Leads = "dispatch"
	ToLotOrOrigin Leads = "lot or origin" // the lot as soon as there is one
)

var kinds = map[string]Kind{}

// register makes a kind of run known; each is registered by the file that it
// stands in.
func register(k Kind) {
	if _, known := kinds[k.Name]; known {
		panic("two kinds of run are called " + k.Name)
	}
	if k.Action == "" {
		panic("nothing says who may begin a run called " + k.Name)
	}
	kinds[k.Name] = k
}

// Kinds returns every kind of run, in order of their names.
func Kinds() []Kind {
	list := make([]Kind, 0, len(kinds))
	for _, name := range slices.Sorted(maps.Keys(kinds)) {
		list = append(list, kinds[name])
	}
	return list
}

func kindOf(name string) (Kind, error) {
	k, known := kinds[name]
	if !known {
		return k, fmt.Errorf("there is no run of kind %q", name)
	}
	return k, nil
}

// longQueue is for runs that go through many files. Those that a person waits for
// have the other one for themselves; of the long ones many run side by side, and
// take turns at the decoders, so that no lot waits for all of another's.
const longQueue = "long"

func (k Kind) queue() string {
	if k.Long {
		return longQueue
	}
	return river.QueueDefault
}

// usualDeaths is how often the process may end while a run does not get on, before it waits for a person.
const usualDeaths = gathering.Deadly + 1

// eachFile is that of runs which give up a file that ended the process.
const eachFile = gathering.Deadly + 3

// workArgs is a job of the queue: the run to do.
type workArgs struct {
	Run int64 `json:"run"`
}

func (workArgs) Kind() string { return "run" }

type worker struct {
	river.WorkerDefaults[workArgs]
	runner *Runner
}

// Work does a run by its kind.
func (w *worker) Work(ctx context.Context, job *river.Job[workArgs]) error {
	return w.runner.do(ctx, job.Args.Run)
}

// faults logs what went wrong with jobs of the queue themselves: how a run fails is recorded with it, and is no fault.
type faults struct{ log *slog.Logger }

// HandleError logs an error that a job ended with; it is tried again.
func (f *faults) HandleError(_ context.Context, job *rivertype.JobRow, err error) *river.ErrorHandlerResult {
	f.log.Error("a job of the queue failed, and is tried again", "kind", job.Kind, "job", job.ID, "attempt", job.Attempt, "error", err)
	return nil
}

// HandlePanic logs a panic of a job; it is tried again.
func (f *faults) HandlePanic(_ context.Context, job *rivertype.JobRow, value any, trace string) *river.ErrorHandlerResult {
	f.log.Error("a job of the queue panicked, and is tried again", "kind", job.Kind, "job", job.ID, "attempt", job.Attempt, "panic", value,
		"trace", trace)
	return nil
}
