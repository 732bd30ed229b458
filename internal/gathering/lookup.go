package gathering

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/gtin"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/origin"
	"ambrosa/internal/origin/lookup"
	"ambrosa/internal/origin/page"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// Lookup queues asking a service for barcodes, as they were entered: one with
// a wrong check digit is noted as such and never sent. ErrChanged means that
// the service is being asked already, ErrNotFound that there is nothing to ask.
func (g *Gatherer) Lookup(ctx context.Context, who identity.Actor, originID int64, codes []string) (id int64, err error) {
	entered := make([]store.LookupCode, 0, len(codes))
	for _, code := range codes {
		normal, err := gtin.Normalise(code)
		if err != nil {
			entered = append(entered, store.LookupCode{Code: code, State: "wrong", Message: err.Error()})
			continue
		}
		entered = append(entered, store.LookupCode{Code: normal, State: "open"})
	}
	err = g.Store.Do(ctx, door.By(who, identity.OriginAsk, audit.Of(identity.Origin, originID)), func(tx *door.Tx) error {
		busy, err := store.FetchBusy(ctx, tx, originID)
		if err != nil {
			return err
		}
		if busy {
			return fmt.Errorf("the service is being asked: %w", store.ErrChanged)
		}
		waiting, err := store.AskFor(ctx, tx, originID, entered)
		if err != nil || waiting == 0 {
			return err
		}
		id, err = g.Runs.Queue(ctx, tx, who, LookupRun, store.About{Origin: originID})
		return err
	})
	return id, err
}

// DoAsk asks for the barcodes that wait, one after the other, and measures the
// pictures of each answer.
func (g *Gatherer) DoAsk(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	o, err := g.Store.Origin(ctx, run.Origin)
	if err != nil {
		return "", err
	}
	message, err := g.lookup(ctx, o, p)
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	wrong := ""
	var fault *origin.Fault
	if errors.As(err, &fault) {
		wrong = fault.Reason
		err = task.Failure{Reason: wrong + ". What was answered so far is kept, and the run can go on."}
	}
	if fault != nil || err == nil {
		err = errors.Join(err, g.Store.Step(ctx, func(tx *door.Tx) error {
			return store.OriginFetched(ctx, tx, o.ID, "", wrong)
		}))
	}
	return message, err
}

func (g *Gatherer) lookup(ctx context.Context, o store.Origin, p *task.Progress) (string, error) {
	settings, err := g.Drives.Settings(o)
	if err != nil {
		return "", err
	}
	service, err := lookup.Open(settings, g.Drives.Guard)
	if err != nil {
		return "", err
	}
	defer service.Close()
	pictures := page.New(g.Drives.Guard, 0)
	defer pictures.Close()
	waiting, err := g.Store.OpenCodes(ctx, o.ID)
	if err != nil {
		return "", err
	}
	p.Set(0, waiting)
	found, nothing, failed := 0, 0, 0
	for ctx.Err() == nil {
		next, err := g.Store.NextCodes(ctx, o.ID, 1)
		if err != nil {
			return "", err
		}
		if len(next) == 0 {
			return fmt.Sprintf("%d barcodes have pictures to choose from, for %d there is nothing, %d failed", found, nothing, failed), nil
		}
		code := next[0]
		within, err := door.Get(ctx, g.Store.Door, door.Step(ctx), func(tx *door.Tx) (bool, error) {
			return store.CountAsk(ctx, tx, o.ID, service.Quota)
		})
		if err != nil {
			return "", err
		}
		if !within {
			return "", task.Failure{Reason: fmt.Sprintf(
				"The quota of %d requests a day is used up. %d barcodes were answered; the run can go on tomorrow.",
				service.Quota, found+nothing)}
		}
		if err := g.ask(ctx, service, pictures, &code); err != nil {
			return "", err
		}
		switch code.State {
		case "found":
			found++
		case "nothing":
			nothing++
		default:
			failed++
		}
		if err := g.Store.Step(ctx, func(tx *door.Tx) error { return store.Answered(ctx, tx, o.ID, code) }); err != nil {
			return "", err
		}
		p.Add(1, 0)
		select {
		case <-ctx.Done():
		case <-time.After(service.Pause):
		}
	}
	return "", ctx.Err()
}

// ask asks for one barcode. A fault that may pass and stays ends the run; any
// other is the barcode's own, but for a key that is refused.
func (g *Gatherer) ask(ctx context.Context, service *lookup.Service, pictures *page.Client, code *store.LookupCode) error {
	answer, err := again(ctx, func() (lookup.Answer, error) { return service.Ask(ctx, code.Code) })
	var fault *origin.Fault
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &fault) && (fault.Again || fault.After > 0 || lookup.Refused(err)):
		return err
	case errors.As(err, &fault):
		code.State, code.Message = "failed", fault.Reason
		return nil
	case err != nil:
		return err
	}
	code.State = "nothing"
	for _, address := range answer.Pictures[:min(len(answer.Pictures), 40)] {
		m, err := again(ctx, func() (page.Measured, error) { return pictures.Measure(ctx, address) })
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			m.Problem = err.Error()
		}
		if m.Problem == "" {
			code.State = "found"
		}
		code.Candidates = append(
			code.Candidates,
			store.LookupCandidate{
				Address: address,
				Title:   answer.Title,
				Type:    m.Type,
				Width:   m.Width,
				Height:  m.Height,
				Bytes:   m.Bytes,
				Tag:     m.Tag,
				Problem: m.Problem,
			},
		)
	}
	if code.State == "nothing" {
		code.Message = "the service has no picture for it"
		if len(code.Candidates) > 0 {
			code.Message = "what the service names is no picture: " + code.Candidates[0].Problem
		}
	}
	return nil
}

// TakeCandidates queues fetching pictures that a service answered with, and
// returns the lot they come to. ErrNotFound means that none of them is open.
func (g *Gatherer) TakeCandidates(ctx context.Context, who identity.Actor, originID int64, ids []int64) (lot int64, err error) {
	err = g.Store.Do(ctx, door.By(who, identity.OriginTake, audit.Of(identity.Origin, originID)), func(tx *door.Tx) error {
		o, err := store.OriginIn(ctx, tx, originID)
		if err != nil {
			return err
		}
		chosen, codes, err := store.TakeCandidates(ctx, tx, originID, ids)
		if err != nil {
			return err
		}
		if len(chosen) == 0 {
			return store.ErrNotFound
		}
		items := make([]store.FetchItem, 0, len(chosen))
		place := map[int64]int{}
		for _, c := range chosen {
			place[c.CodeID]++
			name := fmt.Sprintf("%s-%d.%s", codes[c.CodeID], place[c.CodeID], extensionOf(measured{page.Measured{Type: c.Type}, c.Address}))
			items = append(items, store.FetchItem{Path: name, Address: c.Address, Page: "", Bytes: c.Bytes, Tag: c.Tag,
				Said: map[string]string{"barcode": codes[c.CodeID], "name": c.Title, "address": c.Address}})
		}
		lot, err = g.fetchChosen(ctx, tx, who, o, o.Name+" "+time.Now().Format("2006-01-02 15:04"), items)
		return err
	})
	return lot, err
}
