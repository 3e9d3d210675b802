// Package stl reads STL triangles, ascii and binary.
package stl

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

// Decode reads an STL file. The format lists every corner anew; corners at the
// same place become one vertex, as without it there would be no surface.
func Decode(r io.Reader, l reading.Limits) (*mesh.Mesh, error) {
	l = l.Full()
	data, err := reading.All(r, l)
	if err != nil {
		return nil, err
	}
	b := builder{m: &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("mesh")}}, at: map[r3.Vec]int32{}, limits: l}
	if len(data) >= 84 {
		n := int(binary.LittleEndian.Uint32(data[80:84]))
		if len(data) == 84+50*n || !bytes.HasPrefix(bytes.TrimSpace(data), []byte("solid")) {
			if len(data) < 84+50*n {
				return nil, reading.At("header", "it announces %d triangles, but the file has room for %d", n, (len(data)-84)/50)
			}
			return b.binary(data[84:], n)
		}
	}
	return b.ascii(string(data))
}

type builder struct {
	m      *mesh.Mesh
	at     map[r3.Vec]int32
	limits reading.Limits
}

func (b *builder) vertex(p r3.Vec) int32 {
	v, ok := b.at[p]
	if !ok {
		v = int32(len(b.m.Points))
		b.at[p] = v
		b.m.Points = append(b.m.Points, p)
	}
	return v
}

// triangle adds one. A corner in the place of an earlier corner of its own
// becomes a vertex apart, so that the face stays, without area, to be found.
func (b *builder) triangle(p [3]r3.Vec) {
	var c [3]int32
	for i := range p {
		c[i] = b.vertex(p[i])
		if i > 0 && c[i] == c[0] || i == 2 && c[2] == c[1] {
			c[i] = int32(len(b.m.Points))
			b.m.Points = append(b.m.Points, p[i])
		}
	}
	b.m.AddFace(0, c[0], c[1], c[2])
}

func (b *builder) binary(data []byte, n int) (*mesh.Mesh, error) {
	for i := range n {
		var p [3]r3.Vec
		for k := range p {
			at := data[50*i+12+12*k:]
			f := func(o int) float64 {
				return float64(math.Float32frombits(binary.LittleEndian.Uint32(at[o:])))
			}
			p[k] = r3.Vec{X: f(0), Y: f(4), Z: f(8)}
			if !geom.Finite(p[k]) {
				return nil, reading.At("triangle "+strconv.Itoa(i), "corner %d is at %v, which is not a valid position", k, p[k])
			}
		}
		b.triangle(p)
	}
	return b.m, reading.CheckVertices(len(b.m.Points), b.limits)
}

func (b *builder) ascii(text string) (*mesh.Mesh, error) {
	var p [3]r3.Vec
	k, seen := 0, false
	for n, line := range strings.Split(text, "\n") {
		f := strings.Fields(line)
		if len(f) == 0 {
			continue
		}
		if n == 0 && f[0] != "solid" {
			return nil, reading.Line(1, "an STL text file starts with the word solid")
		}
		seen = true
		switch f[0] {
		case "vertex":
			if len(f) < 4 || k > 2 {
				return nil, reading.Line(n+1, "a facet has three corners with three coordinates each")
			}
			var c [3]float64
			for i := range c {
				v, err := strconv.ParseFloat(f[i+1], 64)
				if err != nil || !geom.Finite(r3.Vec{X: v}) {
					return nil, reading.Line(n+1, "%q is not a finite number", f[i+1])
				}
				c[i] = v
			}
			p[k] = r3.Vec{X: c[0], Y: c[1], Z: c[2]}
			k++
		case "endfacet":
			if k != 3 {
				return nil, reading.Line(n+1, "the facet has %d corners", k)
			}
			b.triangle(p)
			k = 0
		}
	}
	if !seen || k != 0 {
		return nil, reading.At("end", "the file ends in the middle of a facet")
	}
	return b.m, reading.CheckVertices(len(b.m.Points), b.limits)
}
