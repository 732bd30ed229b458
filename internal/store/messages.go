package store

import (
	"context"
	"time"

	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// Message is what is said to people when a run has ended.
type Message struct {
	ID          int64      `json:"id"`
	At          time.Time  `json:"at"`
	Run         int64      `json:"run"`
	Plan        int64      `json:"plan"`
	Sheet       int64      `json:"sheet"`
	Sweep       int64      `json:"sweep"`
	Title       string     `json:"title"`
	Body        string     `json:"body" doc:"Lines of plain text"`
	ReadAt      *time.Time `json:"readAt"`
	MailTo      string     `json:"mailTo" doc:"Where it goes by mail; empty when it does not"`
	MailState   string     `json:"mailState" enum:",waiting,sent,failed"`
	MailProblem string     `json:"mailProblem"`
}

const messageQuery = `select id, at, coalesce(run_id, 0) as run, coalesce(plan_id, 0) as plan, coalesce(sheet_id, 0) as sheet,
	coalesce(sweep_id, 0) as sweep, title, body, read_at, mail_to, mail_state,
	mail_problem from message`

// Messages returns the newest messages first.
func (s *Store) Messages(ctx context.Context, limit int) ([]Message, error) {
	return list[Message](ctx, s.pool, messageQuery+` order by at desc, id desc limit $1`, limit)
}

// Message returns one message.
func (s *Store) Message(ctx context.Context, id int64) (Message, error) {
	return one[Message](ctx, s.pool, messageQuery+` where id = $1`, id)
}

// ReadMessages marks all messages up to one as read.
func ReadMessages(ctx context.Context, tx *door.Tx, last int64) error {
	if _, err := tx.Exec(ctx, `update message set read_at = now() where id <= $1 and read_at is null`, last); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "message", ID: last})
}

// Mailing is where messages go by mail.
type Mailing struct {
	Address string `json:"address" maxLength:"254" doc:"Empty for nowhere"`
	Version int    `json:"version" minimum:"1" doc:"Counts its changes; it is changed as it was seen"`
}

// Mailing returns it.
func (s *Store) Mailing(ctx context.Context) (Mailing, error) {
	return one[Mailing](ctx, s.pool, `select address, version from mailing`)
}

// SetMailing says where messages go by mail from now on, as its version was; ErrChanged means that it has another by now.
func SetMailing(ctx context.Context, tx *door.Tx, m Mailing) error {
	tag, err := tx.Exec(ctx, `update mailing set address = $1, version = version + 1 where version = $2`, m.Address, m.Version)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return tx.Announce(ctx, door.Event{Topic: "message"})
}

// Told is what is told of a run that has ended.
type Told interface {
	Title() string
	Text() string
}

// AddMessage writes a message about the run of a plan, of a sheet or of a sweep. With mails it also
// goes by mail, when somebody wants it to; then waits is true.
func AddMessage(ctx context.Context, tx *door.Tx, of Run, r Told, mails bool) (id int64, waits bool, err error) {
	err = tx.QueryRow(ctx, `insert into message (run_id, plan_id, sheet_id, sweep_id, title, body, mail_to, mail_state)
		select $1, nullif($2::bigint, 0), nullif($6::bigint, 0), nullif($7::bigint, 0), $3, $4, case when $5 then address else '' end,
		case when $5 and address <> '' then 'waiting'
		else '' end from mailing
		returning id, mail_state = 'waiting'`, of.ID, of.PlanID, r.Title(), r.Text(), mails, of.SheetID, of.SweepID).Scan(&id, &waits)
	if err != nil {
		return 0, false, err
	}
	return id, waits, tx.Announce(ctx, door.Event{Topic: "message", ID: id})
}

// Mailed records what became of a message's mail.
func Mailed(ctx context.Context, tx *door.Tx, id int64, state, problem string) error {
	if _, err := tx.Exec(ctx, `update message set mail_state = $2, mail_problem = $3 where id = $1`, id, state, problem); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "message", ID: id})
}

// listedNotDone is how many products that were not done a report lists.
const listedNotDone = 20

// Report returns what became of a plan, when the run that applied or reverted
// it ended in a state.
func Report(ctx context.Context, tx *door.Tx, id int64, reverted bool, ended, why string) (plan.Report, error) {
	found, err := one[Plan](ctx, tx, planQuery+` where p.id = $1`, id)
	if err != nil {
		return plan.Report{}, err
	}
	r := plan.Report{Of: found.Describe(), Reverted: reverted, Ended: ended, Why: why}
	is, waits := "applied", "planned"
	if reverted {
		is, waits = "reverted", "applied"
	}
	err = tx.QueryRow(ctx, `select count(*) filter (where state = $2), coalesce(sum(added) filter (where state = $2), 0),
		coalesce(sum(removed) filter (where state = $2), 0),
			coalesce(sum(moved) filter (where state = $2), 0), count(*) filter (where state = $3)
		from plan_change where plan_id = $1`, id, is, waits).
		Scan(&r.Products, &r.Added, &r.Removed, &r.Moved, &r.Left)
	if err != nil {
		return r, err
	}
	if reverted { // what was never changed is not missing when the rest is taken back
		err = tx.QueryRow(ctx, `select count(*) from plan_change where plan_id = $1 and state = 'reverted' and problem <> ''`, id).
			Scan(&r.Lacking)
		return r, err
	}
	r.LeftOut = found.LeftOut
	r.NotDone, err = list[plan.NotDone](
		ctx,
		tx,
		`select coalesce(p.code, g.path) as code, c.problem as why
		from plan_change c left join product p on p.id = c.product_id left join category g on g.id = c.category_id
		where c.plan_id = $1 and c.state in ('stale', 'failed') order by 1 limit $2`,
		id,
		listedNotDone,
	)
	r.More = found.Stale + found.Failed - len(r.NotDone)
	return r, err
}
