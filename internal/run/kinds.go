package run

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/riverqueue/river"

	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
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
	// Items tells that a foreign file that ends the process is given up by the
	// run itself, which may therefore die more often.
	Items bool `json:"-"`

	work func(r *Runner, ctx context.Context, run store.Run, p *progress) (message string, err error)
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

// deaths is how often the process may end while a run of the kind does not get
// on.
func (k Kind) deaths() int {
	if k.Items {
		return deadly + 3
	}
	return deadly + 1
}

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
