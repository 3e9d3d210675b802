// Package bundle packs arrays of numbers the way they are stored and sent: meshes,
// weights, motions and what the browser draws of them.
package bundle

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
)

// Bundle is how numbers are stored and sent: the word WMB1, the length of a
// JSON header as uint32, the header padded with spaces to four bytes, then the
// arrays one after the other, little-endian float32 or uint32. docs/binary.md
// says which bundles there are; web/static/js/bundle.js reads them.
type Bundle struct {
	Meta   any     `json:"meta,omitempty"`
	Arrays []Array `json:"arrays"`
	body   []byte
}

// Array says where in the body an array lies.
type Array struct {
	Name  string `json:"name"`
	Type  string `json:"type"` // "f32" or "u32"
	Width int    `json:"width"`
	Count int    `json:"count"`
	At    int    `json:"at"` // byte offset behind the header
}

// Floats adds an array of float32, width numbers an item.
func (b *Bundle) Floats(name string, width int, list []float32) {
	b.Arrays = append(b.Arrays, Array{name, "f32", width, len(list) / max(1, width), len(b.body)})
	for _, v := range list {
		b.body = binary.LittleEndian.AppendUint32(b.body, math.Float32bits(v))
	}
}

// Ints adds an array of whole numbers, width numbers an item.
func Ints[T int32 | uint32](b *Bundle, name string, width int, list []T) {
	b.Arrays = append(b.Arrays, Array{name, "u32", width, len(list) / max(1, width), len(b.body)})
	for _, v := range list {
		b.body = binary.LittleEndian.AppendUint32(b.body, uint32(v))
	}
}

// Bytes returns the whole bundle.
func (b *Bundle) Bytes() ([]byte, error) {
	head, err := json.Marshal(b)
	if err != nil {
		return nil, fmt.Errorf("writing a bundle: %w", err)
	}
	for len(head)%4 != 0 {
		head = append(head, ' ')
	}
	out := make([]byte, 0, 8+len(head)+len(b.body))
	out = append(out, "WMB1"...)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(head)))
	out = append(out, head...)
	return append(out, b.body...), nil
}

// Open reads a bundle back; meta is filled from the header.
func Open(data []byte, meta any) (*Bundle, error) {
	if len(data) < 8 || string(data[:4]) != "WMB1" {
		return nil, fmt.Errorf("stored data is not a bundle")
	}
	n := int(binary.LittleEndian.Uint32(data[4:]))
	if n > len(data)-8 {
		return nil, fmt.Errorf("a stored bundle is cut short")
	}
	b := &Bundle{Meta: meta, body: data[8+n:]}
	if err := json.Unmarshal(data[8:8+n], b); err != nil {
		return nil, fmt.Errorf("a stored bundle's header is broken: %w", err)
	}
	for _, a := range b.Arrays {
		if a.At < 0 || a.Count < 0 || a.Width < 0 || a.Width > 1<<16 || a.Count > len(b.body) || a.At+4*a.Count*a.Width > len(b.body) {
			return nil, fmt.Errorf("array %q of a stored bundle is cut short", a.Name)
		}
	}
	return b, nil
}

func (b *Bundle) head(name string) (Array, bool) {
	for _, a := range b.Arrays {
		if a.Name == name {
			return a, true
		}
	}
	return Array{}, false
}

// ReadFloats returns an array, nil if there is none of that name.
func (b *Bundle) ReadFloats(name string) []float32 {
	a, ok := b.head(name)
	if !ok {
		return nil
	}
	out := make([]float32, a.Count*a.Width)
	for i := range out {
		out[i] = math.Float32frombits(binary.LittleEndian.Uint32(b.body[a.At+4*i:]))
	}
	return out
}

// ReadInts returns an array, nil if there is none of that name.
func (b *Bundle) ReadInts(name string) []int32 {
	a, ok := b.head(name)
	if !ok {
		return nil
	}
	out := make([]int32, a.Count*a.Width)
	for i := range out {
		out[i] = int32(binary.LittleEndian.Uint32(b.body[a.At+4*i:]))
	}
	return out
}
