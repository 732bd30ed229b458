// Package workshop lets a person look at pages before anything is fetched from
// them: it reads a page, tries a recipe on it, measures pictures, and proves
// rewritings. It keeps what it read for a while, so that typing does not ask a
// supplier's site again. The rules are core/harvest's.
package workshop

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/harvest"
	"ambrosa/core/rendition"
	"ambrosa/internal/contained"
	"ambrosa/internal/origin"
	"ambrosa/internal/origin/page"
	"ambrosa/internal/outgoing"
)

const (
	keepFor  = 10 * time.Minute
	keepMost = 24    // pages
	sizes    = 5_000 // measured pictures that are remembered
	abreast  = 6     // pictures measured side by side
)

// Workshop reads and remembers pages. It may be used side by side.
type Workshop struct {
	client *page.Client

	mu       sync.Mutex
	pages    map[string]remembered
	measured map[string]Measure
}

type remembered struct {
	page *harvest.Page
	at   time.Time
}

// Measure is a picture that was measured.
type Measure struct {
	Address string `json:"address"`
	page.Measured
	at time.Time
}

// New returns a workshop that reads where guard lets it.
func New(guard outgoing.Guard) *Workshop {
	return &Workshop{client: page.New(guard, 100*time.Millisecond), pages: map[string]remembered{}, measured: map[string]Measure{}}
}

// Close lets its connections go.
func (w *Workshop) Close() error { return w.client.Close() }

// Page returns the page at an address. What is wrong is an origin.Fault.
func (w *Workshop) Page(ctx context.Context, address string) (*harvest.Page, error) {
	address = strings.TrimSpace(address)
	w.mu.Lock()
	known, ok := w.pages[address]
	w.mu.Unlock()
	if ok && time.Since(known.at) < keepFor {
		return known.page, nil
	}
	got, err := w.client.Page(ctx, address, "")
	if err != nil {
		return nil, err
	}
	read, err := harvest.ReadPage(got.Address, got.Content)
	if err != nil {
		return nil, origin.Faulty(err.Error(), false, err)
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	for len(w.pages) >= keepMost {
		oldest := ""
		for each, r := range w.pages {
			if oldest == "" || r.at.Before(w.pages[oldest].at) {
				oldest = each
			}
		}
		delete(w.pages, oldest)
	}
	w.pages[address] = remembered{read, time.Now()}
	return read, nil
}

// Measure measures pictures, in the order given.
func (w *Workshop) Measure(ctx context.Context, addresses []string) ([]Measure, error) {
	list := make([]Measure, len(addresses))
	group, measuring := errgroup.WithContext(ctx)
	group.SetLimit(abreast)
	for i, address := range addresses {
		group.Go(contained.Safely(func() error {
			list[i] = w.measure(measuring, address)
			return nil
		}))
	}
	return list, errors.Join(group.Wait(), ctx.Err())
}

func (w *Workshop) measure(ctx context.Context, address string) Measure {
	w.mu.Lock()
	known, ok := w.measured[address]
	w.mu.Unlock()
	if ok && time.Since(known.at) < keepFor {
		return known
	}
	m, err := w.client.Measure(ctx, address)
	if err != nil { // a fault that may pass is not remembered
		return Measure{Address: address, Measured: page.Measured{Problem: err.Error()}}
	}
	made := Measure{address, m, time.Now()}
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.measured) >= sizes {
		clear(w.measured)
	}
	w.measured[address] = made
	return made
}

// Read returns the bytes of a picture.
func (w *Workshop) Read(ctx context.Context, address string) (io.ReadCloser, error) {
	return w.client.Read(ctx, address)
}

// Rendition is one address of a picture, measured.
type Rendition struct {
	Measure
	Where string `json:"where" doc:"On the page"`
}

// Picture is a picture of a page: its renditions, the largest first.
type Picture struct {
	Text       string      `json:"text"`
	Renditions []Rendition `json:"renditions" nullable:"false"`
}

// maxMeasured bounds how many addresses of one page are measured.
const maxMeasured = 400

// Pictures returns every picture that a page knows, its renditions measured and
// the largest first; addresses that are no pictures are left out.
func (w *Workshop) Pictures(ctx context.Context, address string) (read *harvest.Page, pictures []Picture, err error) {
	if read, err = w.Page(ctx, address); err != nil {
		return nil, nil, err
	}
	groups := harvest.Group(read.Pictures())
	var addresses []string
	for _, g := range groups {
		for _, r := range g.Renditions {
			if len(addresses) < maxMeasured {
				addresses = append(addresses, r.Address)
			}
		}
	}
	measures, err := w.Measure(ctx, addresses)
	if err != nil {
		return nil, nil, err
	}
	n := 0
	for _, g := range groups {
		p := Picture{Text: g.Text}
		for _, r := range g.Renditions {
			if n == len(measures) {
				break
			}
			if m := measures[n]; m.Problem == "" {
				p.Renditions = append(p.Renditions, Rendition{m, r.Where})
			}
			n++
		}
		if len(p.Renditions) > 0 {
			slices.SortStableFunc(p.Renditions, func(a, b Rendition) int {
				return cmp.Or(cmp.Compare(b.Width*b.Height, a.Width*a.Height), cmp.Compare(b.Bytes, a.Bytes))
			})
			pictures = append(pictures, p)
		}
	}
	if err := w.enlarge(ctx, pictures); err != nil {
		return nil, nil, err
	}
	return read, listed(pictures), nil
}

// maxEnlarged bounds how many addresses are measured that the page does not name.
const maxEnlarged = 120

// enlarge looks for larger renditions where the page shows by one of its pictures
// how it names them, and puts those that are there in front.
func (w *Workshop) enlarge(ctx context.Context, pictures []Picture) error {
	known := make([][]rendition.Sized, len(pictures))
	for i, p := range pictures {
		for _, r := range p.Renditions {
			known[i] = append(known[i], sized(r.Measure))
		}
	}
	tries := rendition.Larger(known)
	var addresses []string
	for i := range tries {
		tries[i] = tries[i][:min(len(tries[i]), maxEnlarged-len(addresses))]
		addresses = append(addresses, tries[i]...)
	}
	measures, err := w.Measure(ctx, addresses)
	if err != nil {
		return err
	}
	for i := range pictures {
		mine := measures[:len(tries[i])]
		measures = measures[len(tries[i]):]
		for _, m := range mine {
			if m.Problem != "" || !rendition.LargerOf(known[i], sized(m)) {
				continue
			}
			known[i] = append(known[i], sized(m))
			pictures[i].Renditions = slices.Insert(pictures[i].Renditions, 0, Rendition{m, foundByRewriting})
		}
	}
	return nil
}

// foundByRewriting is where a rendition stands that the page does not name.
const foundByRewriting = "as the page names another"

func sized(m Measure) rendition.Sized {
	return rendition.Sized{Address: m.Address, Width: m.Width, Height: m.Height}
}

// Trial is what a recipe finds on a page.
type Trial struct {
	Address string           `json:"address"`
	Steps   []harvest.Report `json:"steps" nullable:"false"`
	Product harvest.Finding  `json:"product"`
	Links   []string         `json:"links" nullable:"false" doc:"To products' pages, to go on with"`
}

// Try reads a page with a recipe. The error is an origin.Fault of the page, or
// a harvest.Problem of the recipe.
func (w *Workshop) Try(ctx context.Context, address string, recipe harvest.Recipe) (trial Trial, err error) {
	reader, err := harvest.NewReader(recipe)
	if err != nil {
		return trial, err
	}
	read, err := w.Page(ctx, address)
	if err != nil {
		return trial, err
	}
	trial = Trial{
		Address: read.Address.String(),
		Steps:   reader.Reports(read),
		Product: reader.Product(read),
		Links:   reader.Links(read).Products,
	}
	trial.Steps, trial.Links, trial.Product.Shots = listed(trial.Steps), listed(trial.Links), listed(trial.Product.Shots)
	return trial, nil
}

// listed returns a list that is written as empty, not as null, when it is.
func listed[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// Proof is one address put through a rewriting, measured before and after.
type Proof struct {
	Before Measure `json:"before"`
	After  Measure `json:"after"`
	Larger bool    `json:"larger"`
}

// Lesson is a rewriting learned from one pair of addresses, and what it does to
// the page's others.
type Lesson struct {
	Rewriting rendition.Rewriting `json:"rewriting" nullable:"false"`
	Proofs    []Proof             `json:"proofs" nullable:"false"`
	Larger    int                 `json:"larger" doc:"Proofs that lead to a larger picture"`
}

// maxProofs bounds how many addresses a rewriting is proved on.
const maxProofs = 12

// Learn returns the rewritings that lead from a small rendition to a large one,
// each proved on others, the one with most larger pictures first; of equals, the
// narrower. It fails with an origin.Fault where there is nothing to learn.
func (w *Workshop) Learn(ctx context.Context, small, large string, others []string) ([]Lesson, error) {
	learned := rendition.Learn(strings.TrimSpace(small), strings.TrimSpace(large))
	if len(learned) == 0 {
		return nil, origin.Faulty("these two addresses are the same, or too unlike to learn from", false, nil)
	}
	if len(others) > maxProofs {
		others = others[:maxProofs]
	}
	lessons := make([]Lesson, 0, len(learned))
	for _, rewriting := range learned {
		apply, err := rewriting.Compile()
		if err != nil {
			return nil, err
		}
		l := Lesson{Rewriting: rewriting, Proofs: []Proof{}}
		for _, before := range others {
			if after := apply(before); after != before && before != large {
				pair, err := w.Measure(ctx, []string{before, after})
				if err != nil {
					return nil, err
				}
				p := Proof{pair[0], pair[1], pair[1].Problem == "" && pair[1].Width*pair[1].Height > pair[0].Width*pair[0].Height}
				if p.Larger {
					l.Larger++
				}
				l.Proofs = append(l.Proofs, p)
			}
		}
		lessons = append(lessons, l)
	}
	slices.SortStableFunc(lessons, func(a, b Lesson) int { return b.Larger - a.Larger })
	return lessons, nil
}

// Check tests a recipe before it is kept: its first start page has to be
// readable, and to lead on or show pictures. The error says which step fails
// and why.
func (w *Workshop) Check(ctx context.Context, recipe harvest.Recipe) error {
	if len(recipe.Start) == 0 || strings.TrimSpace(recipe.Start[0]) == "" {
		return origin.Faulty("the recipe has no page to begin with", false, nil)
	}
	if strings.TrimSpace(recipe.Pictures.Selector) == "" {
		return origin.Faulty("the recipe has no selector for the pictures", false, nil)
	}
	address := strings.TrimSpace(recipe.Start[0])
	trial, err := w.Try(ctx, address, recipe)
	if err != nil {
		return err
	}
	if recipe.Product.Selector != "" {
		if len(trial.Links) == 0 {
			return stepFault(trial, harvest.StepProduct)
		}
		if trial, err = w.Try(ctx, trial.Links[0], recipe); err != nil {
			return err
		}
	}
	if len(trial.Product.Shots) == 0 {
		return stepFault(trial, harvest.StepPictures)
	}
	return nil
}

func stepFault(trial Trial, step string) error {
	for _, report := range trial.Steps {
		if report.Step == step {
			why := report.Problem
			if why == "" {
				why = "its links lead to other hosts"
			}
			return origin.Faulty(fmt.Sprintf("%s: %s (%s)", step, why, trial.Address), false, nil)
		}
	}
	return origin.Faulty(step+": nothing is found", false, nil)
}
