package run

import (
	"context"
	"time"

	"github.com/riverqueue/river"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
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
func (r *Runner) reportPlan(ctx context.Context, tx *door.Tx, run store.Run, state, why string) error {
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
func (r *Runner) reportImport(ctx context.Context, tx *door.Tx, run store.Run, state, why string) error {
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
func (r *Runner) reportSweep(ctx context.Context, tx *door.Tx, run store.Run, state, why string) error {
	if run.SweepID == 0 || run.Who().Kind == identity.Person || state == "stopped" {
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

func (r *Runner) tell(ctx context.Context, tx *door.Tx, run store.Run, report store.Told) error {
	id, waits, err := store.AddMessage(ctx, tx, run, report, r.Mail != nil)
	if err != nil || !waits {
		return err
	}
	return tx.FollowUp(ctx, mailArgs{Message: id}, &river.InsertOpts{MaxAttempts: mailTries})
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
		return mailed(ctx, s, message.ID, "sent", "")
	case ctx.Err() != nil:
		return river.JobSnooze(0) // this process ends; another sends it
	case mail.Refused(err) || job.Attempt >= job.MaxAttempts:
		w.runner.Log.Warn("mail not sent", "message", message.ID, "error", err)
		return mailed(ctx, s, message.ID, "failed", err.Error())
	}
	return err
}

// mailed records what became of a message's mail.
func mailed(ctx context.Context, s *store.Store, id int64, state, problem string) error {
	return s.Do(ctx, door.By(identity.Ambrosa, identity.MessageMail, audit.Of(identity.Message, id)), func(tx *door.Tx) error {
		return store.Mailed(ctx, tx, id, state, problem)
	})
}

// ReadMessages marks messages as read, up to one.
func (r *Runner) ReadMessages(ctx context.Context, who identity.Actor, last int64) error {
	return r.Store.Do(ctx, door.By(who, identity.MessageRead, audit.Of(identity.Message, last)), func(tx *door.Tx) error {
		return store.ReadMessages(ctx, tx, last)
	})
}

// SetMailing says where messages go by mail; empty for nowhere.
func (r *Runner) SetMailing(ctx context.Context, who identity.Actor, to store.Mailing) error {
	was, err := r.Store.Mailing(ctx)
	if err != nil {
		return err
	}
	return r.Store.Do(ctx, door.By(who, identity.MailingSet), func(tx *door.Tx) error {
		tx.Changed(map[string]string{"address": was.Address}, map[string]string{"address": to.Address})
		return store.SetMailing(ctx, tx, to)
	})
}
