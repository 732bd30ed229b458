package archive

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// What the process that reads an archive says to the one that started it is a
// row of frames: a kind, the length of what follows in four bytes, most
// significant first, and that. An entry is followed, when the other side asks for
// it, by its content in pieces and their end.
const (
	frameEntry   = 'E' // a frameHead
	frameContent = 'D' // bytes of the entry
	frameRest    = 'F' // the entry ends; why its bytes are not whole, "" where they are
	frameEnd     = 'X' // the archive ends; why it could not be read to its end, "" where it could
)

// What the other side answers to an entry.
const (
	answerRead = 'r'
	answerSkip = 's'
)

// maxFrame bounds a frame, bytes.
const maxFrame = 256 << 10

type frameHead struct {
	Path    string `json:"path"`
	Bytes   int64  `json:"bytes"`
	Packed  int64  `json:"packed"` // 0 where it is not known
	Problem string `json:"problem"`
}

// errFrame means that what a child says cannot be understood.
var errFrame = errors.New("what the reader says cannot be understood")

func writeFrame(out io.Writer, kind byte, content []byte) error {
	head := [5]byte{kind}
	binary.BigEndian.PutUint32(head[1:], uint32(len(content)))
	if _, err := out.Write(head[:]); err != nil {
		return err
	}
	_, err := out.Write(content)
	return err
}

func readFrame(in io.Reader, buffer []byte) (kind byte, content []byte, err error) {
	var head [5]byte
	if _, err := io.ReadFull(in, head[:]); err != nil {
		return 0, nil, err
	}
	n := binary.BigEndian.Uint32(head[1:])
	if n > maxFrame {
		return 0, nil, fmt.Errorf("a frame of %d bytes: %w", n, errFrame)
	}
	if uint32(cap(buffer)) < n {
		buffer = make([]byte, n)
	}
	buffer = buffer[:n]
	_, err = io.ReadFull(in, buffer)
	return head[0], buffer, err
}

func readHead(content []byte) (head frameHead, err error) {
	if err := json.Unmarshal(content, &head); err != nil {
		return head, errors.Join(errFrame, err)
	}
	return head, nil
}
