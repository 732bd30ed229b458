package run

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"ambrosa/core/acting"
	"ambrosa/internal/importing"
	"ambrosa/internal/mail"
	"ambrosa/internal/store"
)

type mailArgs struct {
	Message int64 `json:"message"`
}

func (mailArgs) Kind() string { return "mail" }

type mailWorker struct {
	river.WorkerDefaults[mailArgs]
	runner *Runner
}

// mailTries is how often a mail is tried, over some hours.
const mailTries = 8

// reportPlan writes a message about the run of a whole plan that has ended, in the
// transaction that records its end, and queues its mail.
func (r *Runner) reportPlan(ctx context.Context, tx pgx.Tx, run store.Run, state, why string) error {
	if run.PlanID == 0 || run.Owner != nil {
		return nil
	}
	if state != "failed" {
		why = ""
	}
	report, err := store.Report(ctx, tx, run.PlanID, run.Kind == "revert", state, why)
	if err != nil {
		return err
	}
	return r.tell(ctx, tx, run, report)
}

// reportImport writes a message about an import of a sheet that has ended, or was taken
// back whole, in the transaction that records its end, and queues its mail.
func (r *Runner) reportImport(ctx context.Context, tx pgx.Tx, run store.Run, state, why string) error {
	if run.ImportID == 0 || run.SheetID == 0 || run.Owner != nil {
		return nil
	}
	if state != "failed" {
		why = ""
	}
	report, err := store.ImportReport(ctx, tx, run.ImportID, run.Kind == importing.RevertRun, state, why)
	if err != nil {
		return err
	}
	return r.tell(ctx, tx, run, report)
}

// reportSweep writes a message about a sweep of the timetable, where it found something new or
// failed; who has one done looks at it.
func (r *Runner) reportSweep(ctx context.Context, tx pgx.Tx, run store.Run, state, why string) error {
	if run.SweepID == 0 || run.Actor != acting.Ambrosa.Name || state == "stopped" {
		return nil
	}
	if state != "failed" {
		why = ""
	}
	report, err := store.SweepReport(ctx, tx, run.SweepID, why)
	if err != nil || !report.Tells() {
		return err
	}
	return r.tell(ctx, tx, run, report)
}

func (r *Runner) tell(ctx context.Context, tx pgx.Tx, run store.Run, report store.Told) error {
	id, waits, err := store.AddMessage(ctx, tx, run, report, r.Mail != nil)
	if err != nil || !waits {
		return err
	}
	_, err = r.client.InsertTx(ctx, tx, mailArgs{Message: id}, &river.InsertOpts{MaxAttempts: mailTries})
	return err
}

// NextRetry waits longer with every try: five seconds, then minutes.
func (w *mailWorker) NextRetry(job *river.Job[mailArgs]) time.Time {
	return time.Now().Add(5 * time.Second << min(2*(job.Attempt-1), 10))
}

// Work sends a message by mail. What the mail server refuses for good is not
// tried again; the message tells of it.
func (w *mailWorker) Work(ctx context.Context, job *river.Job[mailArgs]) error {
	s := w.runner.Store
	message, err := s.Message(ctx, job.Args.Message)
	if err != nil || message.MailState != "waiting" {
		return err
	}
	err = w.runner.Mail.Send(
		ctx,
		mail.Message{ID: message.ID, At: message.At, To: message.MailTo, Subject: message.Title, Text: message.Body, Plan: message.Plan,
			Sheet: message.Sheet, Sweep: message.Sweep},
	)
	switch {
	case err == nil:
		return s.Mailed(ctx, message.ID, "sent", "")
	case ctx.Err() != nil:
		return river.JobSnooze(0) // this process ends; another sends it
	case mail.Refused(err) || job.Attempt >= job.MaxAttempts:
		w.runner.Log.Warn("mail not sent", "message", message.ID, "error", err)
		return s.Mailed(ctx, message.ID, "failed", err.Error())
	}
	return err
}
