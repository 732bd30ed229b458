// Package browser drives Debian's Chromium for the journeys and screenshots.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os/exec"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Options say how pages are shown.
type Options struct {
	Width, Height int // of the window, pixels; 1280 × 800 when not given
	Dark          bool
}

// Page is a page in a browser of its own.
type Page struct {
	ctx context.Context
	end func()
}

// Open starts a browser with an empty profile.
func Open(ctx context.Context, o Options) (*Page, error) {
	binary := ""
	for _, name := range []string{"chromium", "chromium-browser"} {
		if found, err := exec.LookPath(name); err == nil {
			binary = found
			break
		}
	}
	if binary == "" {
		return nil, errors.New("no Chromium found: install the Debian package chromium")
	}
	if o.Width == 0 {
		o.Width, o.Height = 1280, 800
	}
	scheme := "preferredColorScheme=1"
	if o.Dark {
		scheme = "preferredColorScheme=0"
	}
	flags := append(
		chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(binary),
		chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true),
		chromedp.Flag("no-first-run", true),
		chromedp.Flag("blink-settings", scheme),
		chromedp.Flag("force-prefers-reduced-motion", true), // dialogs stand where they open: nothing is clicked on its way
		chromedp.WindowSize(o.Width, o.Height),
	)
	allocator, endAllocator := chromedp.NewExecAllocator(ctx, flags...)
	target, endTarget := chromedp.NewContext(allocator)
	p := &Page{target, func() { endTarget(); endAllocator() }}
	if err := chromedp.Do(target, chromedp.EmulateViewport(int64(o.Width), int64(o.Height))); err != nil {
		p.Close()
		return nil, fmt.Errorf("start Chromium: %w", err)
	}
	return p, nil
}

// Close ends the browser.
func (p *Page) Close() { p.end() }

// Go opens an address.
func (p *Page) Go(address string) error { return chromedp.Do(p.ctx, chromedp.Navigate(address)) }

// First has every page that is opened from now on run a script before its own.
func (p *Page) First(script string) error {
	return chromedp.Do(p.ctx, chromedp.Func(func(ctx context.Context, target *chromedp.Target) error {
		_, err := cdp.Call(
			ctx, target, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script},
		)
		return err
	}))
}

// Press presses keys, one after the other; special ones as chromedp's kb names
// them.
func (p *Page) Press(keys ...string) error {
	for _, key := range keys {
		if err := chromedp.Do(p.ctx, chromedp.KeyEvent(key)); err != nil {
			return fmt.Errorf("press %q: %w", key, err)
		}
	}
	return nil
}

// Chord presses a key with modifiers held.
func (p *Page) Chord(key string, modifiers ...chromedp.Modifier) error {
	return chromedp.Do(p.ctx, chromedp.KeyEvent(key, chromedp.KeyModifiers(modifiers...)))
}

// Click clicks what a CSS selector finds, when it is there. What moves between
// the look and the click makes the click fall beside it: the element tells
// whether it was met, and is clicked again if not.
func (p *Page) Click(selector string) error {
	limit, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	for {
		err := chromedp.Do(limit, chromedp.WaitVisible(selector))
		if err == nil {
			_, err = chromedp.Run(limit, chromedp.Evaluate[bool](fmt.Sprintf(stands, selector), chromedp.EvalAwaitPromise))
		}
		if err == nil {
			err = chromedp.Do(limit, chromedp.Click(selector, chromedp.NodeVisible))
		}
		if err != nil {
			return fmt.Errorf("click %s: %w; the page says: %s", selector, err, p.text())
		}
		if met, err := Eval[bool](p, met); err != nil || met {
			return nil // a page that was left by the click has nothing to tell
		}
	}
}

// stands waits until an element is where it was four frames ago: what comes late
// may still push it away, and a click would fall where it stood. Then it has
// the element note the click.
const stands = `new Promise((done) => {
	const find = () => document.querySelector(%q)
	let last = '', still = 0
	const look = () => {
		const element = find()
		const box = element?.getBoundingClientRect()
		const now = box ? [box.x, box.y, box.width, box.height].join() : ''
		still = now && now === last ? still + 1 : 0
		last = now
		if (still < 4) return requestAnimationFrame(look)
		window.clicked = { element, met: false }
		element.addEventListener('click', () => { if (window.clicked) window.clicked.met = true }, { capture: true, once: true })
		done(true)
	}
	look()
})`

// met tells whether the click arrived, or its element went with it.
const met = `new Promise((done) => {
	const end = Date.now() + 1000
	const look = () => {
		const arrived = !window.clicked || window.clicked.met || !window.clicked.element.isConnected
		arrived || Date.now() > end ? done(arrived) : setTimeout(look, 20)
	}
	look()
})`

// Drag takes hold of what one JavaScript expression finds and lets go of it
// on what another finds. A step is taken when the page shows the one before:
// both stand still and can be met, the first follows the pointer
// (data-dragging), the second is where it would fall (data-over). What lost
// the pointer on its way, because the page put another element there, is let
// go with Escape and taken again.
func (p *Page) Drag(from, to string) error {
	end := time.Now().Add(patience)
	for {
		taken, err := p.drag(from, to)
		if taken || err != nil {
			return err
		}
		if time.Now().After(end) {
			return fmt.Errorf("drag %s to %s in vain; the page says: %s", from, to, p.text())
		}
	}
}

// drag is one try; false when the page did not go along.
func (p *Page) drag(from, to string) (taken bool, err error) {
	start, err := p.middle(from)
	if err != nil {
		return false, err
	}
	goal, err := p.middle(to)
	if err != nil {
		return false, err
	}
	if err := chromedp.Do(p.ctx, mouse("mousePressed", start)); err != nil {
		return false, err
	}
	const moves = 12
	for i := 1; i <= moves; i++ {
		part := float64(i) / moves
		at := point{start.X + (goal.X-start.X)*part, start.Y + (goal.Y-start.Y)*part}
		if err := chromedp.Do(p.ctx, mouse("mouseMoved", at)); err != nil {
			return false, err
		}
		if i == moves/2 && !p.shows(fmt.Sprintf(`%s?.matches('[data-dragging]')`, from)) {
			break
		}
	}
	taken = p.shows(fmt.Sprintf(`%s?.matches('[data-dragging]') && %s?.matches('[data-over]')`, from, to))
	if !taken {
		err = p.Press(kb.Escape)
	}
	return taken, errors.Join(err, chromedp.Do(p.ctx, mouse("mouseReleased", goal)), p.Until(afterDrop))
}

// afterDrop waits out the moment in which a click still belongs to the drag.
const afterDrop = `new Promise((done) => setTimeout(() => done(true), 200))`

type point struct{ X, Y float64 }

func mouse(kind input.DispatchMouseEventType, at point) chromedp.Action[chromedp.Void] {
	return chromedp.MouseEvent(kind, at.X, at.Y, chromedp.ButtonLeft, chromedp.ClickCount(1))
}

// middle waits until what an expression finds stands still in sight, and
// returns its middle.
func (p *Page) middle(find string) (point, error) {
	const settled = `new Promise((done) => {
		let last = '', still = 0
		const look = () => {
			const found = %s
			found?.scrollIntoView({ block: 'nearest' })
			const box = found?.getBoundingClientRect()
			const at = box && { X: box.x + box.width / 2, Y: box.y + box.height / 2 }
			const met = at && found.contains(document.elementFromPoint(at.X, at.Y))
			const now = met ? [box.x, box.y, box.width, box.height].join() : ''
			still = now && now === last ? still + 1 : 0
			last = now
			still < 5 ? requestAnimationFrame(look) : done(at)
		}
		look()
	})`
	limit, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	at, err := chromedp.Run(limit, chromedp.Evaluate[point](fmt.Sprintf(settled, find), chromedp.EvalAwaitPromise))
	if err != nil {
		return at, fmt.Errorf("find where %s stands: %w; the page says: %s", find, err, p.text())
	}
	return at, nil
}

// shows waits a while for an expression to be true.
func (p *Page) shows(expression string) bool {
	for end := time.Now().Add(patience / 12); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if reached, err := Eval[bool](p, "Boolean("+expression+")"); err == nil && reached {
			return true
		}
	}
	return false
}

// Choose hands files to a file field.
func (p *Page) Choose(selector string, files ...string) error {
	return chromedp.Do(p.ctx, chromedp.SetUploadFiles(selector, files, chromedp.NodeReady))
}

// Eval returns the value of a JavaScript expression; a promise is waited for.
func Eval[T any](p *Page, expression string) (T, error) {
	return chromedp.Run(p.ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

func (p *Page) text() string {
	text, _ := Eval[string](p, `location.pathname + ': ' + [...document.querySelectorAll('[role=dialog]'), document.body]
		.map(e => e.innerText.replace(/\s+/g, ' ').slice(0, 2000)).join('\n— behind it: ')`)
	return text
}

// patience is how long is waited for what a page shall show: machines that run
// tests may be slow for a while.
const patience = time.Minute

// Until waits until a JavaScript expression is true.
func (p *Page) Until(expression string) error {
	end := time.Now().Add(patience)
	for {
		reached, err := Eval[bool](p, "(async () => Boolean(await ("+expression+")))()")
		if err == nil && reached {
			return nil
		}
		if p.ctx.Err() != nil || time.Now().After(end) {
			return fmt.Errorf("waited in vain for %s (%v); the page says: %s", expression, err, p.text())
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// Shown waits until fonts and every picture in sight are loaded and painted.
func (p *Page) Shown() error {
	return errors.Join(
		p.Until(
			`document.fonts.status === 'loaded' && [...document.images].every(i => i.complete || i.getBoundingClientRect().top > innerHeight)`,
		),
		p.Until(`new Promise(r => requestAnimationFrame(() => requestAnimationFrame(() => r(true))))`),
	)
}

// Screenshot returns the window as PNG.
func (p *Page) Screenshot() ([]byte, error) {
	return chromedp.Run(p.ctx, chromedp.CaptureScreenshot())
}

// Tab opens another page of the same browser.
func (p *Page) Tab() (*Page, error) {
	target, end := chromedp.NewContext(p.ctx)
	if err := chromedp.Do(target, chromedp.EmulateViewport(1280, 800)); err != nil {
		end()
		return nil, fmt.Errorf("open a tab: %w", err)
	}
	return &Page{target, end}, nil
}
