// Package reading holds what all file readers share: limits and the error that
// says where a file is broken.
package reading

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"unicode/utf16"
)

// Limits bound what a reader accepts. A zero is the default.
type Limits struct {
	Bytes    int64 // of a file, and of each beside it
	Vertices int
	Joints   int
	Parts    int // parts, primitives, groups
	Shapes   int // shape targets
	// Numbers is how many numbers a whole file may unfold to, before anything is made
	// of them: a short file can name one array thousands of times.
	Numbers int64
}

// Default limits.
var Default = Limits{Bytes: 500 << 20, Vertices: 2_000_000, Joints: 4000, Parts: 4000, Shapes: 1000, Numbers: 200_000_000}

// Full returns the limits with the defaults for what is zero.
func (l Limits) Full() Limits {
	fill(&l.Bytes, Default.Bytes)
	fill(&l.Vertices, Default.Vertices)
	fill(&l.Joints, Default.Joints)
	fill(&l.Parts, Default.Parts)
	fill(&l.Shapes, Default.Shapes)
	fill(&l.Numbers, Default.Numbers)
	return l
}

// For narrows the limits to what a file of so many bytes can hold in earnest: a short one that claims or repeats
// millions of vertices would cost minutes.
func (l Limits) For(bytes int64) Limits {
	l = l.Full()
	l.Vertices = min(l.Vertices, int(20_000+bytes/8))
	l.Numbers = min(l.Numbers, 200_000+16*bytes)
	return l
}

func fill[T int | int64](v *T, by T) {
	if *v <= 0 {
		*v = by
	}
}

// Most fails when a file has more of something than allowed.
func Most(what string, n, most int) error {
	if n > most {
		return fmt.Errorf("%w: it has %d %s, and %d are allowed", ErrTooLarge, n, what, most)
	}
	return nil
}

// Error is a file that cannot be read: where in it, what is wrong, and what to
// do about it if that is known.
type Error struct {
	Where string // "line 12", "accessor 3"
	What  string
	Do    string
}

func (e *Error) Error() string {
	s := e.What
	if e.Where != "" {
		s = e.Where + ": " + s
	}
	if e.Do != "" {
		s += ": " + e.Do
	}
	return s
}

// At returns an Error at a place.
func At(where, format string, args ...any) error {
	return &Error{Where: where, What: fmt.Sprintf(format, args...)}
}

// Line returns an Error at a line.
func Line(n int, format string, args ...any) error {
	return At(fmt.Sprintf("line %d", n), format, args...)
}

// ErrTooLarge means that a file is over a limit.
var ErrTooLarge = errors.New("the file is over the size limit")

// Until returns a reader that fails with the error of ctx once that has ended.
func Until(ctx context.Context, r io.Reader) io.Reader { return untilReader{ctx, r} }

type untilReader struct {
	ctx context.Context
	r   io.Reader
}

// Read implements io.Reader.
func (u untilReader) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.r.Read(p[:min(len(p), 1<<20)])
}

// All reads r to its end, or fails with ErrTooLarge after l.Bytes.
func All(r io.Reader, l Limits) ([]byte, error) {
	data, err := io.ReadAll(io.LimitReader(r, l.Bytes+1))
	if err != nil {
		return nil, fmt.Errorf("reading the file: %w", err)
	}
	if int64(len(data)) > l.Bytes {
		return nil, fmt.Errorf("%w of %d MB", ErrTooLarge, l.Bytes>>20)
	}
	return data, nil
}

// CheckVertices fails when a file announces more vertices than allowed.
func CheckVertices(n int, l Limits) error {
	if n > l.Vertices {
		return fmt.Errorf("%w of %d vertices: it has %d; decimate the mesh or raise the limit", ErrTooLarge, l.Vertices, n)
	}
	return nil
}

// Text returns a text file in UTF-8 without its byte order mark; UTF-16 is told
// by its mark.
func Text(data []byte) ([]byte, error) {
	var order binary.ByteOrder
	switch {
	case bytes.HasPrefix(data, []byte{0xef, 0xbb, 0xbf}):
		return data[3:], nil
	case bytes.HasPrefix(data, []byte{0xff, 0xfe}):
		order = binary.LittleEndian
	case bytes.HasPrefix(data, []byte{0xfe, 0xff}):
		order = binary.BigEndian
	default:
		return data, nil
	}
	if len(data)%2 != 0 {
		return nil, At("end", "the file is UTF-16 and ends in half a character")
	}
	units := make([]uint16, len(data)/2-1)
	for i := range units {
		units[i] = order.Uint16(data[2+2*i:])
	}
	return []byte(string(utf16.Decode(units))), nil
}

// Names are those given in a file so far.
type Names map[string]bool

// Own returns the name, with a number where it is taken, and takes it.
func (n Names) Own(name string) string {
	for stem, i := name, 2; n[name]; i++ {
		name = fmt.Sprintf("%s_%d", stem, i)
	}
	n[name] = true
	return name
}
