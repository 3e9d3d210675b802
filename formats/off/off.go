// Package off reads the Object File Format: counts, positions and polygons in
// plain text.
package off

import (
	"bufio"
	"fmt"
	"io"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

// Decode reads an OFF file; colours and normals after the positions are passed
// over. Errors are *reading.Error with the line.
func Decode(r io.Reader, l reading.Limits) (*mesh.Mesh, error) {
	l = l.Full()
	s := &scanner{b: bufio.NewReaderSize(io.LimitReader(r, l.Bytes), 1<<16)}
	head, err := s.fields()
	if err != nil {
		return nil, err
	}
	if !strings.HasSuffix(head[0], "OFF") {
		return nil, reading.Line(s.line, "an OFF file starts with the word OFF, not %q", head[0])
	}
	counts := head[1:]
	if len(counts) == 0 {
		if counts, err = s.fields(); err != nil {
			return nil, err
		}
	}
	if len(counts) < 2 {
		return nil, reading.Line(s.line, "the numbers of vertices and faces are missing")
	}
	nv, err1 := strconv.Atoi(counts[0])
	nf, err2 := strconv.Atoi(counts[1])
	if err1 != nil || err2 != nil || nv < 0 || nf < 0 {
		return nil, reading.Line(s.line, "%q and %q are not counts of vertices and faces", counts[0], counts[1])
	}
	if err := reading.CheckVertices(max(nv, nf/4), l); err != nil {
		return nil, err
	}
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("mesh")}}
	for i := range nv {
		f, err := s.fields()
		if err != nil {
			return nil, fmt.Errorf("vertex %d: %w", i, err)
		}
		var p [3]float64
		for k := range p {
			if k >= len(f) {
				return nil, reading.Line(s.line, "vertex %d has fewer than three coordinates", i)
			}
			if p[k], err = strconv.ParseFloat(f[k], 64); err != nil || !geom.Finite(r3.Vec{X: p[k]}) {
				return nil, reading.Line(s.line, "%q is not a finite number", f[k])
			}
		}
		m.Points = append(m.Points, r3.Vec{X: p[0], Y: p[1], Z: p[2]})
	}
	for i := range nf {
		f, err := s.fields()
		if err != nil {
			return nil, fmt.Errorf("face %d: %w", i, err)
		}
		n, err := strconv.Atoi(f[0])
		if err != nil || n < 1 || n > len(f)-1 {
			return nil, reading.Line(s.line, "face %d should list %s corners and lists %d", i, f[0], len(f)-1)
		}
		if n < 3 {
			continue // a point or a line
		}
		corners := make([]int32, n)
		for k := range corners {
			v, err := strconv.Atoi(f[1+k])
			if err != nil || v < 0 || v >= nv {
				return nil, reading.Line(s.line, "face %d names vertex %q of %d", i, f[1+k], nv)
			}
			corners[k] = int32(v)
		}
		m.AddFace(0, corners...)
	}
	return m, nil
}

type scanner struct {
	b    *bufio.Reader
	line int
}

// fields returns the words of the next line that has any, without comments.
func (s *scanner) fields() ([]string, error) {
	for {
		text, err := s.b.ReadString('\n')
		s.line++
		if i := strings.IndexByte(text, '#'); i >= 0 {
			text = text[:i]
		}
		if f := strings.Fields(text); len(f) > 0 {
			return f, nil
		}
		if err == io.EOF {
			return nil, reading.Line(s.line, "the file ends too early")
		}
		if err != nil {
			return nil, fmt.Errorf("reading line %d: %w", s.line, err)
		}
	}
}
