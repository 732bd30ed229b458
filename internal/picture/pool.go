// Package picture has pictures measured and made smaller.
//
// Decoding foreign bytes is done by a few long-lived processes of another
// program (package decoder), each with a limit of memory; Pool hands them work
// and ends one that takes too long. A decoder that crashes, hangs or swells
// costs one file, never the server. What an image must be is for
// core/picturespec.
package picture

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"syscall"
	"time"

	"ambrosa/core/dispatch"
	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
	"ambrosa/internal/contained"
)

// Task asks a decoder for one picture's measurements and a rendition.
type Task struct {
	Path   string             `json:"path"`
	Size   int                `json:"size"` // the longer side of the rendition, pixels
	Limits picturespec.Limits `json:"limits"`
	Codes  bool               `json:"codes,omitempty"` // read the barcodes in it, and nothing else
	Look   bool               `json:"look,omitempty"`  // it is a thumbnail: tell what it is compared by, and nothing else
	Make   *Making            `json:"make,omitempty"`  // make a rendition to hand on, and nothing else
}

// Making is a rendition that is asked for.
type Making struct {
	To     string                   `json:"to"` // path of the file that it is written to
	Recipe dispatch.RenditionRecipe `json:"recipe"`
	Write  rights.Written           `json:"write"`
}

// Made is a rendition that was made.
type Made struct {
	Width         int   `json:"width"` // of the whole, pixels
	Height        int   `json:"height"`
	PictureWidth  int   `json:"pictureWidth"` // of the picture on its canvas
	PictureHeight int   `json:"pictureHeight"`
	Quality       int   `json:"quality"` // 0 where the format has none
	Bytes         int64 `json:"bytes"`
}

// Code is a barcode in a picture.
type Code struct {
	Text   string       `json:"text"`
	Format string       `json:"format"` // ean-13, ean-8, upc-a, itf, code-128, qr-code, data-matrix
	Points [][2]float64 `json:"points"` // that tell where it stands, in parts of the picture's width and height
}

// Result is what a decoder answers: measurements, or a problem in the user's
// words.
type Result struct {
	Type        picturespec.Type `json:"type"`
	Width       int              `json:"width"`  // as shown, Exif orientation applied
	Height      int              `json:"height"` // of one frame
	Frames      int              `json:"frames"`
	Colour      string           `json:"colour"` // sRGB, grey, CMYK, Lab
	Bits        int              `json:"bits"`   // a channel
	Alpha       bool             `json:"alpha"`
	Profile     bool             `json:"profile"` // an ICC profile is embedded
	Orientation int              `json:"orientation"`
	Fingerprint uint64           `json:"fingerprint"`

	Transparent   bool          `json:"transparent,omitempty"`  // some of it can be looked through
	ContentWidth  int           `json:"contentWidth,omitempty"` // of the box around what is not border; 0 for no border
	ContentHeight int           `json:"contentHeight,omitempty"`
	Detail        float64       `json:"detail,omitempty"` // see Detail; 0 where it was not looked at
	Stated        rights.Stated `json:"stated"`
	Tint          []byte        `json:"tint,omitempty"`      // mean red, green and blue of its quarters, as the fingerprint knows no colours
	Rendition     []byte        `json:"rendition,omitempty"` // WebP
	Codes         []Code        `json:"codes,omitempty"`
	Made          *Made         `json:"made,omitempty"`
	Problem       string        `json:"problem,omitempty"`
	Cause         string        `json:"cause,omitempty"`  // of the problem, in the words of the decoding library
	Failed        syscall.Errno `json:"failed,omitempty"` // why the file cannot be read or written on this machine
}

// Pool runs decoders. Its methods may be called by many goroutines; as many
// tasks run at once as there are decoders.
type Pool struct {
	program contained.Program
	timeout time.Duration
	limits  picturespec.Limits
	free    chan *decoder // nil where none is started yet
	closing sync.Once
	size    int
}

type decoder struct {
	process *exec.Cmd
	tasks   io.WriteCloser
	answers *bufio.Reader
}

// PoolOptions configure a pool.
type PoolOptions struct {
	Program  contained.Program // that decodes
	Decoders int
	Timeout  time.Duration // a file
	Limits   picturespec.Limits
}

// NewPool returns a pool whose decoders start when they are first needed.
func NewPool(o PoolOptions) *Pool {
	if o.Timeout == 0 {
		o.Timeout = 60 * time.Second
	}
	if o.Limits == (picturespec.Limits{}) {
		o.Limits = picturespec.DefaultLimits
	}
	o.Decoders = max(1, o.Decoders)
	p := &Pool{program: o.Program, timeout: o.Timeout, limits: o.Limits, free: make(chan *decoder, o.Decoders), size: o.Decoders}
	for range o.Decoders {
		p.free <- nil
	}
	return p
}

// Decoders is how many files can be decoded at once.
func (p *Pool) Decoders() int { return p.size }

// Examine measures the picture at path and makes its rendition of at most size
// pixels. What is wrong with the file is in the result's Problem; the error is
// for what is wrong with the machine, or a context that ended.
func (p *Pool) Examine(ctx context.Context, path string, size int) (Result, error) {
	return p.do(ctx, Task{Path: path, Size: size, Limits: p.limits})
}

// Codes reads the barcodes in the picture at path.
func (p *Pool) Codes(ctx context.Context, path string) (Result, error) {
	return p.do(ctx, Task{Path: path, Limits: p.limits, Codes: true})
}

// Look tells what a picture is compared by, from its thumbnail at path.
func (p *Pool) Look(ctx context.Context, path string) (Result, error) {
	return p.do(ctx, Task{Path: path, Limits: p.limits, Look: true})
}

// Make makes a rendition of the picture at path by a recipe, and writes it to the file at to.
// problem says in the user's words why it cannot be made; err is for what is wrong with the
// machine, or a context that ended.
func (p *Pool) Make(ctx context.Context, path string, making Making) (made Made, problem string, err error) {
	result, err := p.do(ctx, Task{Path: path, Limits: p.limits, Make: &making})
	if err != nil || result.Problem != "" {
		return Made{}, result.Problem, err
	}
	if result.Made == nil {
		return Made{}, "nothing came of it", nil
	}
	return *result.Made, "", nil
}

func (p *Pool) do(ctx context.Context, task Task) (Result, error) {
	path := task.Path
	var d *decoder
	select {
	case d = <-p.free:
	case <-ctx.Done():
		return Result{}, ctx.Err()
	}
	if d == nil {
		var err error
		if d, err = p.start(); err != nil {
			p.free <- nil
			return Result{}, err
		}
	}
	result, err := p.ask(ctx, d, task)
	if err == nil {
		p.free <- d
		if result.Failed != 0 {
			return Result{}, fmt.Errorf("read or write a picture's file: %w", result.Failed)
		}
		return result, nil
	}
	d.end()
	p.free <- nil
	switch {
	case ctx.Err() != nil:
		return Result{}, ctx.Err()
	case errors.Is(err, errTooLong):
		return Result{Type: typeOf(path), Problem: fmt.Sprintf("the picture could not be decoded within %v", p.timeout)}, nil
	default:
		return Result{Type: typeOf(path), Problem: "the picture makes its decoder fail, so it is not used"}, nil
	}
}

func typeOf(path string) picturespec.Type {
	file, err := os.Open(path)
	if err != nil {
		return picturespec.Unknown
	}
	defer file.Close()
	head := make([]byte, picturespec.HeadBytes)
	n, _ := io.ReadFull(file, head)
	return picturespec.TypeOf(head[:n])
}

var errTooLong = errors.New("decoder takes too long")

func (p *Pool) ask(ctx context.Context, d *decoder, task Task) (Result, error) {
	line, err := json.Marshal(task)
	if err != nil {
		return Result{}, err
	}
	if _, err := d.tasks.Write(append(line, '\n')); err != nil {
		return Result{}, err
	}
	type answer struct {
		line []byte
		err  error
	}
	answers := make(chan answer, 1)
	go func() {
		line, err := d.answers.ReadBytes('\n')
		answers <- answer{line, err}
	}()
	timeout := time.NewTimer(p.timeout)
	defer timeout.Stop()
	select {
	case a := <-answers:
		if a.err != nil {
			return Result{}, a.err
		}
		var result Result
		return result, json.Unmarshal(bytes.TrimSpace(a.line), &result)
	case <-timeout.C:
		return Result{}, errTooLong
	case <-ctx.Done():
		return Result{}, ctx.Err()
	}
}

func (p *Pool) start() (*decoder, error) {
	// Loaders that libvips itself calls unfit for foreign bytes stay off.
	process := p.program.Command(nil, []string{"VIPS_BLOCK_UNTRUSTED=1", "MALLOC_ARENA_MAX=2", "GOMEMLIMIT=256MiB"})
	tasks, err := process.StdinPipe()
	if err != nil {
		return nil, err
	}
	answers, err := process.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := process.Start(); err != nil {
		return nil, fmt.Errorf("start a decoder: %w", err)
	}
	return &decoder{process, tasks, bufio.NewReaderSize(answers, 64<<10)}, nil
}

func (d *decoder) end() {
	// It is ended whatever it does, so how it ends tells nothing.
	_ = d.tasks.Close()
	_ = d.process.Process.Kill()
	_ = d.process.Wait()
}

// Close ends all decoders; it waits for those that work.
func (p *Pool) Close() {
	p.closing.Do(func() {
		for range p.size {
			if d := <-p.free; d != nil {
				d.end()
			}
		}
	})
}
