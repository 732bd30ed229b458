package api

import (
	"context"
	"net"
	"syscall"
	"time"
)

// untilGone returns a context that ends when the client at the other end of a
// connection has left, or with the function returned. What a client sends
// meanwhile stays unread.
func untilGone(ctx context.Context, conn net.Conn) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	raw, ok := conn.(syscall.Conn)
	if !ok {
		return ctx, cancel
	}
	go func() {
		ticker := time.NewTicker(250 * time.Millisecond)
		defer ticker.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-ticker.C:
				if left(raw) {
					cancel()
					return
				}
			}
		}
	}()
	return ctx, cancel
}

// left tells whether the other side has closed a connection: then there is
// nothing to read, and no error.
func left(conn syscall.Conn) (closed bool) {
	raw, err := conn.SyscallConn()
	if err != nil {
		return true
	}
	err = raw.Control(func(fd uintptr) {
		var one [1]byte
		n, _, err := syscall.Recvfrom(int(fd), one[:], syscall.MSG_PEEK|syscall.MSG_DONTWAIT)
		closed = n == 0 && err == nil || err == syscall.ECONNRESET
	})
	return closed || err != nil
}
