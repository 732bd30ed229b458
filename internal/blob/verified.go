package blob

import (
	"crypto/sha256"
	"errors"
	"hash"
	"io"
)

// ErrDamaged means that bytes are not those that their sum tells.
var ErrDamaged = errors.New("the stored bytes are damaged")

// Verified reads a blob's bytes, and gives out the last of them only when all are those of the sum: what is
// damaged is never had as a whole. damaged is called when it is.
func Verified(content io.ReadCloser, sum Sum, damaged func()) io.ReadCloser {
	return &verified{content: content, sum: sum, hash: sha256.New(), damaged: damaged}
}

type verified struct {
	content io.ReadCloser
	sum     Sum
	hash    hash.Hash
	damaged func()
	held    []byte // read, and not given out before more is
	buffer  [64 << 10]byte
	end     error
}

// Read gives out what was read before, as soon as more was read behind it.
func (v *verified) Read(p []byte) (int, error) {
	for len(v.held) == 0 || v.end == nil && len(v.held) <= len(v.buffer)/2 {
		if v.end != nil {
			return 0, v.end
		}
		n, err := v.content.Read(v.buffer[:])
		_, _ = v.hash.Write(v.buffer[:n])
		v.held = append(v.held, v.buffer[:n]...)
		if err == nil {
			continue
		}
		if v.end = err; errors.Is(err, io.EOF) && Sum(v.hash.Sum(nil)) != v.sum {
			v.damaged()
			v.held, v.end = nil, ErrDamaged
		}
	}
	give := len(v.held)
	if v.end == nil {
		give = len(v.held) / 2 // some is held back as long as the end is not known
	}
	n := copy(p, v.held[:give])
	v.held = v.held[n:]
	return n, nil
}

// Close lets the content go.
func (v *verified) Close() error { return v.content.Close() }
