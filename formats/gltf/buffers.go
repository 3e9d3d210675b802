package gltf

import (
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"net/url"
	"strings"

	"wisemarrow/formats/reading"
)

// Resolver returns the content of a file beside the .gltf, by its relative URI.
type Resolver func(uri string) ([]byte, error)

// ErrBeside means that a file beside the .gltf is needed and was not given.
var ErrBeside = errors.New("this file is needed beside the .gltf: add it, or export as .glb")

type file struct {
	doc     document
	buffers [][]byte
	// left is how many numbers the file may still unfold to; each accessor is unfolded
	// once and kept.
	left     int64
	unfolded map[int][]float64
}

// load fills the buffers: the .glb chunk, data URIs, and files beside it.
func (f *file) load(chunk []byte, resolve Resolver, l reading.Limits) error {
	var total int64
	for i, b := range f.doc.Buffers {
		where := fmt.Sprintf("buffer %d", i)
		if b.Length < 0 {
			return reading.At(where, "its length is %d", b.Length)
		}
		if total += int64(b.Length); total > l.Bytes {
			return fmt.Errorf("%s: %w of %d MB", where, reading.ErrTooLarge, l.Bytes>>20)
		}
		var data []byte
		switch {
		case b.URI == "" && i == 0 && chunk != nil:
			data = chunk
		case b.URI == "":
			return reading.At(where, "it has no data")
		case strings.HasPrefix(b.URI, "data:"):
			comma := strings.IndexByte(b.URI, ',')
			if comma < 0 || !strings.HasSuffix(b.URI[:comma], ";base64") {
				return reading.At(where, "its data URI is not base64")
			}
			d, err := base64.StdEncoding.DecodeString(b.URI[comma+1:])
			if err != nil {
				return reading.At(where, "its data URI is broken: %v", err)
			}
			data = d
		default:
			name, err := url.PathUnescape(b.URI)
			if err != nil || !beside(name) {
				return reading.At(where, "%q is not among the files beside the .gltf", b.URI)
			}
			if resolve == nil {
				return &reading.Error{Where: where, What: fmt.Sprintf("%q", name), Do: ErrBeside.Error()}
			}
			if data, err = resolve(name); err != nil {
				return &reading.Error{Where: where, What: fmt.Sprintf("%q: %v", name, err), Do: ErrBeside.Error()}
			}
		}
		if len(data) < b.Length {
			return reading.At(where, "it holds %d bytes, but %d are announced", len(data), b.Length)
		}
		f.buffers = append(f.buffers, data[:b.Length])
	}
	return nil
}

func (f *file) view(i int, where string) ([]byte, bufferView, error) {
	if i < 0 || i >= len(f.doc.BufferViews) {
		return nil, bufferView{}, reading.At(where, "there is no buffer view %d", i)
	}
	v := f.doc.BufferViews[i]
	if v.Buffer < 0 || v.Buffer >= len(f.buffers) {
		return nil, v, reading.At(where, "buffer view %d is in buffer %d, which does not exist", i, v.Buffer)
	}
	b := f.buffers[v.Buffer]
	if v.Offset < 0 || v.Length < 0 || v.Stride < 0 || v.Stride > 252 || v.Offset > len(b)-v.Length {
		return nil, v, reading.At(where, "buffer view %d reaches beyond its buffer", i)
	}
	return b[v.Offset : v.Offset+v.Length], v, nil
}

// numbers returns an accessor's elements as floats, count × width; integers
// keep their value unless the accessor is normalised.
func (f *file) numbers(i int, want string, l reading.Limits) ([]float64, error) {
	where := fmt.Sprintf("accessor %d", i)
	if i < 0 || i >= len(f.doc.Accessors) {
		return nil, reading.At(where, "it does not exist")
	}
	a := f.doc.Accessors[i]
	width, size := typeWidth(a.Type), componentSize(a.Component)
	if width == 0 || size == 0 {
		return nil, reading.At(where, "type %q of component %d is unknown", a.Type, a.Component)
	}
	if want != "" && a.Type != want {
		return nil, reading.At(where, "it should be %s and is %s", want, a.Type)
	}
	if a.Count < 0 || a.Count > 6*l.Vertices {
		return nil, fmt.Errorf("%s: %w: it has %d elements", where, reading.ErrTooLarge, a.Count)
	}
	if known, ok := f.unfolded[i]; ok {
		return known, nil
	}
	if f.left -= int64(a.Count) * int64(width); f.left < 0 {
		return nil, fmt.Errorf("%s: %w: the arrays of the file unfold to more than %d numbers", where, reading.ErrTooLarge, l.Numbers)
	}
	out := make([]float64, a.Count*width)
	if a.View != nil {
		data, view, err := f.view(*a.View, where)
		if err != nil {
			return nil, err
		}
		stride := view.Stride
		if stride == 0 {
			stride = width * size
		}
		if err := fill(out, data, a.Offset, stride, width, a.Count, a, where); err != nil {
			return nil, err
		}
	}
	if a.Sparse != nil {
		if err := f.sparse(out, a, width, where); err != nil {
			return nil, err
		}
	}
	if f.unfolded == nil {
		f.unfolded = map[int][]float64{}
	}
	f.unfolded[i] = out
	return out, nil
}

func (f *file) sparse(out []float64, a accessor, width int, where string) error {
	s := a.Sparse
	if s.Count < 0 || s.Count > a.Count {
		return reading.At(where, "%d sparse elements of %d", s.Count, a.Count)
	}
	data, _, err := f.view(s.Indices.View, where)
	if err != nil {
		return err
	}
	index := make([]float64, s.Count)
	ia := accessor{Component: s.Indices.Component}
	if err := fill(index, data, s.Indices.Offset, componentSize(ia.Component), 1, s.Count, ia, where); err != nil {
		return err
	}
	if data, _, err = f.view(s.Values.View, where); err != nil {
		return err
	}
	values := make([]float64, s.Count*width)
	if err := fill(values, data, s.Values.Offset, width*componentSize(a.Component), width, s.Count, a, where); err != nil {
		return err
	}
	for k, at := range index {
		if at < 0 || int(at) >= a.Count {
			return reading.At(where, "sparse element %d is number %g of %d", k, at, a.Count)
		}
		copy(out[int(at)*width:], values[k*width:(k+1)*width])
	}
	return nil
}

func fill(out []float64, data []byte, offset, stride, width, count int, a accessor, where string) error {
	size := componentSize(a.Component)
	if size == 0 {
		return reading.At(where, "component type %d is unknown", a.Component)
	}
	if count == 0 {
		return nil
	}
	if offset < 0 || stride <= 0 || offset+(count-1)*stride+width*size > len(data) {
		return reading.At(where, "its %d elements reach beyond its buffer view", count)
	}
	for i := range count {
		for k := range width {
			b := data[offset+i*stride+k*size:]
			var v, top float64
			switch a.Component {
			case typeByte:
				v, top = float64(int8(b[0])), 127
			case typeUbyte:
				v, top = float64(b[0]), 255
			case typeShort:
				v, top = float64(int16(binary.LittleEndian.Uint16(b))), 32767
			case typeUshort:
				v, top = float64(binary.LittleEndian.Uint16(b)), 65535
			case typeUint:
				v, top = float64(binary.LittleEndian.Uint32(b)), math.MaxUint32
			case typeFloat:
				v, top = float64(math.Float32frombits(binary.LittleEndian.Uint32(b))), 1
			}
			if math.IsNaN(v) || math.IsInf(v, 0) {
				return reading.At(where, "element %d is not a finite number", i)
			}
			if a.Normalised {
				v = math.Max(v/top, -1)
			}
			out[i*width+k] = v
		}
	}
	return nil
}
