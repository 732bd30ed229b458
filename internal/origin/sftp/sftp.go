// Package sftp reads drives over SFTP. The host's key is pinned when it is
// first seen; another key is a fault, not a question.
package sftp

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"

	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// Kind is the kind of origin.
var Kind = origin.Kind{
	Name: "sftp", Label: "SFTP",
	Host: origin.HostIn("host"),
	Fields: []origin.Field{
		{Name: "host", Label: "Host", Hint: "files.example.com or files.example.com:2222", Type: "text", Required: true},
		{Name: "user", Label: "User name", Type: "text", Required: true},
		{Name: "password", Label: "Password", Type: "secret"},
		{Name: "key", Label: "Private key", Hint: "in PEM, where no password is used", Type: "secret lines"},
		{Name: "folder", Label: "Folder", Hint: "where to begin; the user's own when empty", Type: "text"},
	},
	Open: open,
}

type drive struct {
	host, top string
	pinned    string
	wire      *wire
	ssh       *ssh.Client
	client    *sftp.Client
	once      sync.Once
}

func open(ctx context.Context, settings map[string]string, guard outgoing.Guard) (origin.Drive, error) {
	host := settings["host"]
	if _, _, err := net.SplitHostPort(host); err != nil {
		host = net.JoinHostPort(strings.Trim(host, "[]"), "22")
	}
	d := &drive{host: host, top: settings["folder"], pinned: settings[origin.PinnedSetting]}
	config := &ssh.ClientConfig{User: settings["user"], HostKeyCallback: d.checkHost, Timeout: 20 * time.Second}
	if pem := settings["key"]; pem != "" {
		signer, err := ssh.ParsePrivateKey([]byte(pem))
		if err != nil {
			return nil, origin.Faulty("the private key cannot be read: it has to be in PEM, without a passphrase", false, err)
		}
		config.Auth = append(config.Auth, ssh.PublicKeys(signer))
	}
	if password := settings["password"]; password != "" {
		config.Auth = append(config.Auth, ssh.Password(password))
	}
	connection, err := guard.Dial(ctx, "tcp", host)
	if err != nil {
		return nil, origin.Explained("connect", host, err)
	}
	_ = connection.SetDeadline(time.Now().Add(30 * time.Second))
	d.wire = &wire{Conn: connection}
	secured, channels, requests, err := ssh.NewClientConn(d.wire, host, config)
	if err != nil {
		_ = connection.Close()
		return nil, d.explainLogin(err)
	}
	_ = connection.SetDeadline(time.Time{})
	d.ssh = ssh.NewClient(secured, channels, requests)
	if d.client, err = sftp.NewClient(d.ssh, sftp.UseConcurrentReads(true), sftp.UseConcurrentWrites(true)); err != nil {
		_ = d.ssh.Close()
		return nil, origin.Faulty(host+" lets this user in, but offers no SFTP", false, err)
	}
	if d.top == "" {
		if d.top, err = d.client.Getwd(); err != nil {
			return nil, errors.Join(origin.Explained("find the user's folder", host, err), d.Close())
		}
	}
	return d, nil
}

// checkHost pins the key of a host that is new, and refuses another one.
func (d *drive) checkHost(_ string, _ net.Addr, key ssh.PublicKey) error {
	shown := key.Type() + " " + ssh.FingerprintSHA256(key)
	if d.pinned == "" {
		d.pinned = shown
	}
	if d.pinned != shown {
		return origin.Faulty(
			"the host "+d.host+" shows another key ("+shown+") than before ("+d.pinned+"). Ask who runs it; when the change is right, make the "+
				"origin anew",
			false,
			nil,
		)
	}
	return nil
}

func (d *drive) explainLogin(err error) error {
	var known *origin.Fault
	if errors.As(err, &known) {
		return known
	}
	if strings.Contains(err.Error(), "unable to authenticate") {
		return origin.Faulty("the user name, the password or the key is wrong", false, err)
	}
	if strings.Contains(err.Error(), "handshake failed") && errors.Is(err, io.EOF) {
		return origin.Faulty(d.host+" does not speak SSH at that port", false, err)
	}
	return origin.Explained("log in", d.host, err)
}

func (d *drive) Pinned() string { return d.pinned }

func (d *drive) Close() (err error) {
	d.once.Do(func() { err = errors.Join(d.client.Close(), d.ssh.Close()) })
	if errors.Is(err, io.EOF) || errors.Is(err, net.ErrClosed) {
		err = nil
	}
	return err
}

func (d *drive) List(ctx context.Context, folder string) ([]origin.Entry, error) {
	end := d.wire.bound(origin.MostListed)
	infos, err := d.client.ReadDirContext(ctx, path.Join(d.top, folder))
	if within := end(); err != nil && !within {
		return nil, origin.TooLong(folder, d.host, err)
	}
	if err != nil {
		return nil, d.explain("list /"+folder, folder, err)
	}
	return origin.Listed(folder, infos), nil
}

// wire is a connection on which what is received can be bounded.
type wire struct {
	net.Conn
	mu       sync.Mutex
	bounded  int // how many wait for bounded answers
	left     int64
	exceeded bool
}

// bound ends the connection when it receives more bytes than most, until end is called; end tells whether it stayed
// within.
func (w *wire) bound(most int64) (end func() (within bool)) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.bounded++
	w.left += most
	return func() bool {
		w.mu.Lock()
		defer w.mu.Unlock()
		if w.bounded--; w.bounded == 0 {
			w.left = 0
		}
		return !w.exceeded
	}
}

func (w *wire) Read(p []byte) (int, error) {
	n, err := w.Conn.Read(p)
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.bounded > 0 {
		if w.left -= int64(n); w.left < 0 {
			w.exceeded = true
			return 0, errors.Join(errors.New("the list is too long"), w.Conn.Close())
		}
	}
	return n, err
}

func (d *drive) Read(ctx context.Context, name string) (io.ReadCloser, error) {
	file, err := d.client.Open(path.Join(d.top, name))
	if err != nil {
		return nil, d.explain("read /"+name, name, err)
	}
	opened := &cancelled{file, context.AfterFunc(ctx, func() { _ = file.Close() })}
	return origin.Content(opened, func() { _ = d.ssh.Close() }, func(err error) error { return d.explain("read /"+name, name, err) }), nil
}

// cancelled is a file that is closed when its context ends.
type cancelled struct {
	io.ReadCloser
	forget func() bool
}

func (c *cancelled) Close() error {
	c.forget()
	return c.ReadCloser.Close()
}

func (d *drive) explain(doing, name string, err error) error {
	switch {
	case errors.Is(err, os.ErrNotExist):
		return origin.Faulty(fmt.Sprintf("there is no %s at %s", path.Join(d.top, name), d.host), false, err)
	case errors.Is(err, os.ErrPermission):
		return origin.Faulty("this user may not "+doing+" below "+d.top, false, err)
	case errors.Is(err, sftp.ErrSSHFxConnectionLost), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, net.ErrClosed):
		return origin.Faulty("the connection to "+d.host+" broke off", true, err)
	}
	return origin.Explained(doing, d.host, err)
}
