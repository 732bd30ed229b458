package run

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
)

func init() {
	register(Kind{Name: "lookup", Action: identity.OriginAsk,
		Doing: "Asking", Leads: ToOrigin, Long: true, work: (*Runner).askService})
}

// Lookup queues asking a service for barcodes, as they were entered: one with
// a wrong check digit is noted as such and never sent. ErrChanged means that
// the service is being asked already, ErrNotFound that there is nothing to ask.
func (r *Runner) Lookup(ctx context.Context, who identity.Actor, originID int64, codes []string) (id int64, err error) {
	entered := make([]store.LookupCode, 0, len(codes))
	for _, code := range codes {
		normal, err := gtin.Normalise(code)
		if err != nil {
			entered = append(entered, store.LookupCode{Code: code, State: "wrong", Message: err.Error()})
			continue
		}
		entered = append(entered, store.LookupCode{Code: normal, State: "open"})
	}
	err = r.Store.Do(ctx, door.By(who, identity.OriginAsk, audit.Of(identity.Origin, originID)), func(tx *door.Tx) error {
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
		id, err = r.Queue(ctx, tx, who, "lookup", store.About{Origin: originID})
		return err
	})
	return id, err
}

// askService asks for the barcodes that wait, one after the other, and measures the
// pictures of each answer.
func (r *Runner) askService(ctx context.Context, run store.Run, p *progress) (string, error) {
	o, err := r.Store.Origin(ctx, run.Origin)
	if err != nil {
		return "", err
	}
	message, err := r.lookup(ctx, o, p)
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	wrong := ""
	var fault *origin.Fault
	if errors.As(err, &fault) {
		wrong = fault.Reason
		err = failure{wrong + ". What was answered so far is kept, and the run can go on."}
	}
	if fault != nil || err == nil {
		err = errors.Join(err, r.Store.Step(ctx, func(tx *door.Tx) error {
			return store.OriginFetched(ctx, tx, o.ID, "", wrong)
		}))
	}
	return message, err
}

func (r *Runner) lookup(ctx context.Context, o store.Origin, p *progress) (string, error) {
	settings, err := r.Drives.Settings(o)
	if err != nil {
		return "", err
	}
	service, err := lookup.Open(settings, r.Drives.Guard)
	if err != nil {
		return "", err
	}
	defer service.Close()
	pictures := page.New(r.Drives.Guard, 0)
	defer pictures.Close()
	waiting, err := r.Store.OpenCodes(ctx, o.ID)
	if err != nil {
		return "", err
	}
	p.set(0, waiting)
	found, nothing, failed := 0, 0, 0
	for ctx.Err() == nil {
		next, err := r.Store.NextCodes(ctx, o.ID, 1)
		if err != nil {
			return "", err
		}
		if len(next) == 0 {
			return fmt.Sprintf("%d barcodes have pictures to choose from, for %d there is nothing, %d failed", found, nothing, failed), nil
		}
		code := next[0]
		within, err := door.Get(ctx, r.Store.Door, door.Step(ctx), func(tx *door.Tx) (bool, error) {
			return store.CountAsk(ctx, tx, o.ID, service.Quota)
		})
		if err != nil {
			return "", err
		}
		if !within {
			return "", failure{
				fmt.Sprintf(
					"The quota of %d requests a day is used up. %d barcodes were answered; the run can go on tomorrow.",
					service.Quota,
					found+nothing,
				),
			}
		}
		if err := r.ask(ctx, service, pictures, &code); err != nil {
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
		if err := r.Store.Step(ctx, func(tx *door.Tx) error { return store.Answered(ctx, tx, o.ID, code) }); err != nil {
			return "", err
		}
		p.add(1, 0)
		select {
		case <-ctx.Done():
		case <-time.After(service.Pause):
		}
	}
	return "", ctx.Err()
}

// ask asks for one barcode. A fault that may pass and stays ends the run; any
// other is the barcode's own, but for a key that is refused.
func (r *Runner) ask(ctx context.Context, service *lookup.Service, pictures *page.Client, code *store.LookupCode) error {
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
func (r *Runner) TakeCandidates(ctx context.Context, who identity.Actor, originID int64, ids []int64) (lot int64, err error) {
	err = r.Store.Do(ctx, door.By(who, identity.OriginTake, audit.Of(identity.Origin, originID)), func(tx *door.Tx) error {
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
		lot, err = r.fetchChosen(ctx, tx, who, o, o.Name+" "+time.Now().Format("2006-01-02 15:04"), items)
		return err
	})
	return lot, err
}
