package run

import (
	"context"
	"fmt"

	"ambrosa/internal/dispatching"
	"ambrosa/internal/store"
)

func init() {
	register(Kind{Name: dispatching.Run, Doing: "Handing on", Leads: ToDispatch, Long: true, work: (*Runner).dispatch})
}

// dispatch hands pictures on to an outlet.
func (r *Runner) dispatch(ctx context.Context, run store.Run, p *progress) (string, error) {
	totals, err := r.Dispatcher.Do(ctx, run.DispatchID, p.set)
	if words, is := dispatching.Wrong(err); is {
		err = failure{words}
	}
	said := fmt.Sprintf("%d pictures of %d products are in the package", totals.Pictures, totals.Products)
	if totals.Pictures == 0 {
		said = "Nothing went: nothing that is wanted there may be handed on, or it is all there just so"
	}
	if totals.Held > 0 {
		said += fmt.Sprintf("; %d were held back", totals.Held)
	}
	return said, err
}
