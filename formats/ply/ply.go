// Package ply reads the Polygon File Format, ascii and binary of both byte
// orders.
package ply

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

type property struct {
	name        string
	kind, count string // count is the type of a list's length, "" for a scalar
}

type element struct {
	name  string
	count int
	props []property
}

// maxList is the longest list accepted: a polygon of that many corners.
const maxList = 1 << 16

// Decode reads vertices and faces (vertex_indices or vertex_index); other
// elements and properties are passed over. Errors are *reading.Error with the
// line of the header, or the element and its number.
func Decode(r io.Reader, l reading.Limits) (*mesh.Mesh, error) {
	l = l.Full()
	b := bufio.NewReaderSize(io.LimitReader(r, l.Bytes), 1<<16)
	format, elements, err := header(b)
	if err != nil {
		return nil, err
	}
	var src source
	switch format {
	case "ascii":
		src = &text{b: b}
	case "binary_little_endian":
		src = &binarySource{b, binary.LittleEndian}
	case "binary_big_endian":
		src = &binarySource{b, binary.BigEndian}
	default:
		return nil, reading.At("header", "the format %q is none of ascii, binary_little_endian, binary_big_endian", format)
	}
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("mesh")}}
	vertices := -1
	for _, e := range elements {
		if e.name == "vertex" {
			for _, axis := range [3]string{"x", "y", "z"} {
				if !slices.ContainsFunc(e.props, func(p property) bool { return p.name == axis && p.count == "" }) {
					return nil, reading.At("header", "the vertices have no property %s", axis)
				}
			}
			if err := reading.CheckVertices(e.count, l); err != nil {
				return nil, err
			}
			vertices = e.count
		}
		if len(e.props) == 0 {
			continue // it takes no bytes, however many it claims
		}
		for i := range e.count {
			if err := row(src, e, i, m); err != nil {
				return nil, err
			}
		}
	}
	if vertices < 0 {
		return nil, reading.At("header", "there is no element vertex")
	}
	for f := range m.Faces() {
		for _, v := range m.Face(f) {
			if v < 0 || int(v) >= vertices {
				return nil, reading.At(fmt.Sprintf("face %d", f), "it names vertex %d of %d", v, vertices)
			}
		}
	}
	return m, nil
}

func header(b *bufio.Reader) (format string, elements []element, err error) {
	for n := 1; ; n++ {
		line, err := b.ReadString('\n')
		if err != nil || n > 1000 || len(line) > 4096 {
			return "", nil, reading.Line(n, "the header does not end with end_header")
		}
		f := strings.Fields(line)
		if n == 1 {
			if len(f) != 1 || f[0] != "ply" {
				return "", nil, reading.Line(1, "a PLY file starts with the word ply")
			}
			continue
		}
		switch {
		case len(f) == 0 || f[0] == "comment" || f[0] == "obj_info":
		case f[0] == "format" && len(f) >= 2:
			format = f[1]
		case f[0] == "element" && len(f) == 3:
			c, err := strconv.Atoi(f[2])
			if err != nil || c < 0 || c > 1<<30 {
				return "", nil, reading.Line(n, "%q is not a number of elements", f[2])
			}
			elements = append(elements, element{name: f[1], count: c})
		case f[0] == "property" && len(elements) > 0:
			e := &elements[len(elements)-1]
			p := property{}
			if len(f) == 5 && f[1] == "list" {
				p = property{f[4], f[3], f[2]}
			} else if len(f) == 3 {
				p = property{f[2], f[1], ""}
			} else {
				return "", nil, reading.Line(n, "%q is not a property", strings.TrimSpace(line))
			}
			if size(p.kind) == 0 || p.count != "" && size(p.count) == 0 {
				return "", nil, reading.Line(n, "the type of property %q is unknown", p.name)
			}
			e.props = append(e.props, p)
		case f[0] == "end_header":
			return format, elements, nil
		default:
			return "", nil, reading.Line(n, "%q is not a header line", strings.TrimSpace(line))
		}
	}
}

func row(src source, e element, i int, m *mesh.Mesh) error {
	place := func() string { return fmt.Sprintf("%s %d", e.name, i) }
	var p r3.Vec
	for _, q := range e.props {
		n := 1
		if q.count != "" {
			c, err := src.number(q.count)
			if err != nil {
				return reading.At(place(), "%v", err)
			}
			if c < 0 || c > maxList || c != math.Trunc(c) {
				return reading.At(place(), "a list of %g entries", c)
			}
			n = int(c)
		}
		polygon := e.name == "face" && q.count != "" && (q.name == "vertex_indices" || q.name == "vertex_index")
		var corners []int32
		for range n {
			v, err := src.number(q.kind)
			if err != nil {
				return reading.At(place(), "%v", err)
			}
			switch {
			case polygon:
				if v < 0 || v > math.MaxInt32 || v != math.Trunc(v) {
					return reading.At(place(), "%g is not a vertex number", v)
				}
				corners = append(corners, int32(v))
			case e.name == "vertex" && q.name == "x":
				p.X = v
			case e.name == "vertex" && q.name == "y":
				p.Y = v
			case e.name == "vertex" && q.name == "z":
				p.Z = v
			}
		}
		if polygon && n >= 3 {
			m.AddFace(0, corners...)
		}
	}
	if e.name == "vertex" {
		if !geom.Finite(p) {
			return reading.At(place(), "it is at %v, which is not a valid position", p)
		}
		m.Points = append(m.Points, p)
	}
	return nil
}

// source yields the numbers of the body one by one.
type source interface {
	number(kind string) (float64, error)
}

func size(kind string) int {
	switch kind {
	case "char", "int8", "uchar", "uint8":
		return 1
	case "short", "int16", "ushort", "uint16":
		return 2
	case "int", "int32", "uint", "uint32", "float", "float32":
		return 4
	case "double", "float64":
		return 8
	}
	return 0
}

type binarySource struct {
	b     *bufio.Reader
	order binary.ByteOrder
}

func (s *binarySource) number(kind string) (float64, error) {
	var buf [8]byte
	b := buf[:size(kind)]
	if _, err := io.ReadFull(s.b, b); err != nil {
		return 0, fmt.Errorf("the file ends too early")
	}
	switch kind {
	case "char", "int8":
		return float64(int8(b[0])), nil
	case "uchar", "uint8":
		return float64(b[0]), nil
	case "short", "int16":
		return float64(int16(s.order.Uint16(b))), nil
	case "ushort", "uint16":
		return float64(s.order.Uint16(b)), nil
	case "int", "int32":
		return float64(int32(s.order.Uint32(b))), nil
	case "uint", "uint32":
		return float64(s.order.Uint32(b)), nil
	case "float", "float32":
		return float64(math.Float32frombits(s.order.Uint32(b))), nil
	}
	return math.Float64frombits(s.order.Uint64(b)), nil
}

type text struct{ b *bufio.Reader }

func (s *text) number(string) (float64, error) {
	var word []byte
	for {
		c, err := s.b.ReadByte()
		if err != nil && len(word) == 0 {
			return 0, fmt.Errorf("the file ends too early")
		}
		space := err != nil || c == ' ' || c == '\t' || c == '\n' || c == '\r'
		if !space {
			if word = append(word, c); len(word) > 64 {
				return 0, fmt.Errorf("%q… is not a number", word)
			}
			continue
		}
		if len(word) == 0 {
			continue
		}
		v, err := strconv.ParseFloat(string(word), 64)
		if err != nil {
			return 0, fmt.Errorf("%q is not a number", word)
		}
		return v, nil
	}
}
