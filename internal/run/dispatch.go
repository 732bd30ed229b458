package run

import (
	"context"
	"fmt"

	"ambrosa/core/identity"
	"ambrosa/internal/dispatching"
	outlets "ambrosa/internal/outlet/kinds"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

func init() {
	register(Kind{Name: dispatching.Run, Action: identity.OutletSend, Tells: true,
		Doing: "Handing on", Leads: ToDispatch, Long: true, work: (*Runner).dispatch})
}

// dispatch hands pictures on to an outlet.
func (r *Runner) dispatch(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	done, err := r.Dispatcher.Do(ctx, run.Who(), run.DispatchID, p.Set)
	if words, is := dispatching.Wrong(err); is {
		return "", task.Failure{Reason: words + " What went so far is in the receipt, and the run can go on."}
	}
	if err != nil {
		return "", err
	}
	return handed(done), nil
}

// handed says what a dispatch came to.
func handed(done dispatching.Done) string {
	said := fmt.Sprintf("%d pictures of %d products went", done.Pictures, done.Products)
	switch {
	case done.Pictures == 0 && done.Removed == 0:
		said = "Nothing went: nothing that is wanted there may be handed on, or it is all there just so"
	case done.MailedAt != nil:
		said = fmt.Sprintf("%d pictures of %d products are in the package, and the link to it was sent", done.Pictures, done.Products)
	case outlets.Packed(done.Kind):
		said = fmt.Sprintf("%d pictures of %d products are in the package", done.Pictures, done.Products)
	}
	if done.Renamed > 0 {
		said += fmt.Sprintf("; %d of them were renamed there", done.Renamed)
	}
	if others := done.Removed - done.Renamed; others > 0 && !outlets.Packed(done.Kind) {
		said += fmt.Sprintf("; %d were deleted there", others)
	}
	if done.Held > 0 {
		said += fmt.Sprintf("; %d were held back", done.Held)
	}
	if done.Left > 0 {
		said += fmt.Sprintf("; %d that are not wanted any more were left there: that is much of what stands, so say by hand that it is meant",
			done.Left)
	}
	if done.Kept > 0 {
		said += fmt.Sprintf("; %d pictures kept their names: new names for so many are sent only when a person confirms it on the outlet's page",
			done.Kept)
	}
	if done.Refused != "" {
		said += ", some as they were refused there: " + done.Refused
	}
	return said
}
