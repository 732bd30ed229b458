// Package contained starts the processes that read foreign formats, and keeps
// them in bounds: of memory, of processor time, and of how long they may say
// nothing. What they inherit is the little that they need, no secret of the
// server's. One that crashes, hangs or swells costs the file that it reads, never
// the server.
package contained

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

// Name is the program that reads foreign formats, beside the server's.
const Name = "ambrosa-decode"

// Program is the command that reads foreign formats; what it reads and how is
// added behind it.
type Program struct {
	command []string
	scratch string // folder for what it writes in passing
}

// In returns the program with a folder for what it writes in passing.
func (p Program) In(scratch string) Program {
	p.scratch = scratch
	return p
}

// Find returns the command given, or the program Name beside this one where none
// is; the error says that it is not there.
func Find(command []string) (Program, error) {
	if len(command) == 0 {
		self, err := os.Executable()
		if err != nil {
			return Program{}, fmt.Errorf("find the folder of %s: %w", Name, err)
		}
		command = []string{filepath.Join(filepath.Dir(self), Name)}
	}
	if _, err := exec.LookPath(command[0]); err != nil {
		return Program{}, fmt.Errorf("find the program that reads foreign formats: %w", err)
	}
	return Program{command: command}, nil
}

// Command returns the program with arguments and, beyond what every child gets,
// settings of its environment ("NAME=value"). It ends with this process.
func (p Program) Command(arguments, environment []string) *exec.Cmd {
	command := exec.Command(p.command[0], slices.Concat(p.command[1:], arguments)...)
	command.Env = append(inherited(), environment...)
	if p.scratch != "" {
		command.Env = append(command.Env, "TMPDIR="+p.scratch)
	}
	command.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL, Setpgid: true}
	return command
}

// inherited is all that a child learns of this process's environment.
func inherited() (kept []string) {
	for _, name := range []string{"PATH", "TMPDIR", "TZ", "LD_LIBRARY_PATH"} {
		if value, ok := os.LookupEnv(name); ok {
			kept = append(kept, name+"="+value)
		}
	}
	return kept
}

// Limit bounds this process: the memory that it may write to, in bytes, and its
// processor time. A child calls it before it reads anything foreign.
func Limit(memory uint64, processor time.Duration) error {
	limits := map[int]uint64{syscall.RLIMIT_DATA: memory, syscall.RLIMIT_CORE: 0}
	if processor > 0 {
		limits[syscall.RLIMIT_CPU] = uint64(processor / time.Second)
	}
	for which, most := range limits {
		if err := syscall.Setrlimit(which, &syscall.Rlimit{Cur: most, Max: most}); err != nil {
			return fmt.Errorf("limit the process: %w", err)
		}
	}
	return nil
}

// ErrSilent means that a child said nothing for too long.
var ErrSilent = errors.New("takes too long")

// ErrMemory means that a child needed more memory than it may have.
var ErrMemory = errors.New("needs too much memory")

// ErrFailed means that a child crashed, or was ended by its limit of processor
// time.
var ErrFailed = errors.New("makes its reader fail")

// Child is a process that reads one foreign file.
type Child struct {
	In  io.WriteCloser
	out io.Reader

	command *exec.Cmd
	said    tail
	silence time.Duration
	heard   atomic.Int64 // when it was last waited for or heard, in nanoseconds
	waits   atomic.Bool  // it is waited for
	silent  atomic.Bool
	done    chan struct{}
	end     func() error
}

// Start starts the program with arguments, and ends it when ctx does, or when it
// is waited for longer than silence.
func (p Program) Start(ctx context.Context, silence time.Duration, arguments ...string) (*Child, error) {
	command := p.Command(arguments, []string{"GOMEMLIMIT=256MiB"})
	c := &Child{command: command, silence: silence, done: make(chan struct{})}
	command.Stderr = &c.said
	in, err := command.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := command.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := command.Start(); err != nil {
		return nil, fmt.Errorf("start a reader of foreign formats: %w", err)
	}
	c.In, c.out = in, out
	go c.watch(ctx)
	c.end = sync.OnceValue(func() error {
		err := command.Wait()
		close(c.done)
		return err
	})
	return c, nil
}

// Read reads what the child says.
func (c *Child) Read(p []byte) (int, error) {
	c.heard.Store(time.Now().UnixNano())
	c.waits.Store(true)
	n, err := c.out.Read(p)
	c.waits.Store(false)
	return n, err
}

func (c *Child) watch(ctx context.Context) {
	ticker := time.NewTicker(min(time.Second, c.silence/4+time.Millisecond))
	defer ticker.Stop()
	for {
		select {
		case <-c.done:
			return
		case <-ctx.Done():
			c.kill()
			return
		case <-ticker.C:
			if c.waits.Load() && time.Since(time.Unix(0, c.heard.Load())) > c.silence {
				c.silent.Store(true)
				c.kill()
				return
			}
		}
	}
}

// kill ends the child and whatever it started; one that has ended is no error.
func (c *Child) kill() { _ = syscall.Kill(-c.command.Process.Pid, syscall.SIGKILL) }

// farewell is how long a child that has said all may take to end.
const farewell = 5 * time.Second

// Close ends the child, if it has not ended, and says how it did: nil when it
// ended by itself and well, else ErrSilent, ErrMemory or ErrFailed with what it
// last said.
func (c *Child) Close(finished bool) error {
	inErr := c.In.Close()
	if !finished {
		// What it would still say is not heard any more, so it must not wait to say it.
		c.kill()
	}
	late := time.AfterFunc(farewell, c.kill)
	err := c.end()
	late.Stop()
	switch {
	case c.silent.Load():
		return ErrSilent
	case strings.Contains(c.said.String(), "out of memory"), strings.Contains(c.said.String(), "cannot allocate memory"):
		return ErrMemory
	case err != nil:
		return fmt.Errorf("%w: %w: %s", ErrFailed, err, c.said.String())
	case inErr != nil && !errors.Is(inErr, os.ErrClosed) && !errors.Is(inErr, syscall.EPIPE):
		return inErr
	}
	return nil
}

// tail keeps the first and the last of what a child says of itself.
type tail struct {
	mu   sync.Mutex
	text bytes.Buffer
}

// maxSaid bounds what is kept of it, bytes.
const maxSaid = 8 << 10

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.text.Write(p[:min(len(p), max(0, maxSaid-t.text.Len()))])
	return len(p), nil
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return strings.TrimSpace(t.text.String())
}
