//go:build js && wasm

// Command wasm is core for the browser: it runs in a worker, and on the page's own thread where no
// graphics card bends the skin. Both talk to it through the functions that it hangs on the global
// object as "marrowCore": each takes one object with named fields, and answers with {value} or {error}.
package main

import (
	"encoding/json"
	"fmt"
	"syscall/js"
	"unsafe"

	"wisemarrow/browser"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
)

func main() {
	var desk *browser.Desk
	var hand *pose.Hand
	handOf := "" // the joints that it is for
	var drawn []*browser.Drawn
	at := func() (*browser.Desk, error) {
		if desk == nil {
			return nil, fmt.Errorf("no character is loaded")
		}
		return desk, nil
	}
	skin := func(f *fields) (*browser.Drawn, error) {
		i := int(f.number("skin"))
		if i < 0 || i >= len(drawn) || drawn[i] == nil {
			return nil, fmt.Errorf("there is no skin %d", i)
		}
		return drawn[i], nil
	}
	js.Global().Set("marrowCore", js.ValueOf(map[string]any{
		// load takes a character: points, triangles, edges, closed, the columns of weights (joints, start,
		// vertex, value), of which vertices it was said how they blend (said, shares), skeleton, binding and rules; and
		// its shape targets: how they are used (rig), and the vertices and offsets of each (moves from shaped to shaped).
		"load": answering(func(f *fields) (any, error) {
			x := browser.Arrays{
				Points:    f.floats("points"),
				Triangles: f.ints("triangles"),
				Start:     f.ints("start"),
				Vertex:    f.ints("vertex"),
				Value:     f.floats("value"),
				Said:      f.ints("said"),
				Shares:    f.floats("shares"),
				Shaped:    f.ints("shaped"),
				Moves:     f.ints("moves"),
				Offsets:   f.floats("offsets"),
			}
			var rules browser.Rules
			f.decode("joints", &x.Columns)
			f.decode("skeleton", &x.Joints)
			f.decode("binding", &x.Binding)
			f.decode("rules", &rules)
			f.decode("rig", &x.Rig)
			x.Marks = rules.Marks
			rules.Closed = f.ints("closed")
			if f.err != nil {
				return nil, f.err
			}
			var err error
			desk, err = x.Desk(f.ints("edges"), rules)
			return nil, err
		}),
		// measure takes a pose and answers with its measures.
		"measure": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return parsed(d.Measure(f.encoded("pose")))
		}),
		// begin takes a brush, the vertices that are chosen or null, and mix: whether it paints how they blend.
		"begin": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return nil, d.Begin(f.encoded("brush"), f.chosen(), f.yes("mix"))
		}),
		// sculpt takes a brush, where it sculpts (target, turns, held), and the vertices that are chosen or null.
		"sculpt": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return nil, d.BeginSculpting(f.encoded("brush"), f.encoded("there"), f.chosen())
		}),
		// sculpted takes where (target, turns, held) and answers with what the target does there.
		"sculpted": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return parsed(d.Sculpted(f.encoded("there")))
		}),
		// touch takes touches and answers with what they changed.
		"touch": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			p, err := d.Touch(f.encoded("touches"))
			return painted(p), err
		}),
		// end ends the stroke, or with back takes it back and answers with what that changed.
		"end": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return painted(d.End(f.yes("back"))), nil
		}),
		// choose takes how, the chosen vertices, a joint and the shares from and to; it answers with vertices.
		"choose": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			list, err := d.Choose(f.text("how"), f.ints("chosen"), f.text("joint"), f.number("from"), f.number("to"))
			return array("Uint32Array", list), err
		}),
		// motion takes a joint and answers how far each vertex moves, metres.
		"motion": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			list, err := d.Motion(f.text("joint"))
			return array("Float32Array", list), err
		}),
		// apart takes other weights (joints, start, vertex, value) and answers how much each vertex differs.
		"apart": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			other := browser.Arrays{Start: f.ints("start"), Vertex: f.ints("vertex"), Value: f.floats("value")}
			if f.decode("joints", &other.Columns); f.err != nil {
				return nil, f.err
			}
			list, err := d.Apart(other)
			return array("Float32Array", list), err
		}),
		// problems answers with the kind and size of what is wrong at each vertex.
		"problems": answering(func(*fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			kind, size, err := d.Problems()
			return map[string]any{"kind": array("Float32Array", kind), "size": array("Float32Array", size)}, err
		}),
		// hand takes the skeleton, the marks of sides and what is done to a pose, and answers with the pose
		// that comes of it.
		"hand": answering(func(f *fields) (any, error) {
			if key := f.encoded("skeleton") + f.encoded("marks"); key != handOf {
				var joints []browser.Joint
				var marks skeleton.Marks
				f.decode("skeleton", &joints)
				f.decode("marks", &marks)
				if f.err != nil {
					return nil, f.err
				}
				h, err := browser.HandOf(joints, marks)
				if err != nil {
					return nil, err
				}
				hand, handOf = h, key
			}
			return parsed(hand.DoJSON(f.encoded("does")))
		}),
		// ledger takes vertices and answers who moves them.
		"ledger": answering(func(f *fields) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return parsed(d.Ledger(f.ints("vertices")))
		}),
		// draw takes what a page draws: places and normals, the vertex of each point (base), and how many
		// vertices there are. It answers with the number of the skin.
		"draw": answering(func(f *fields) (any, error) {
			d, err := browser.NewDrawn(f.floats("places"), f.floats("normals"), f.ints("base"), int(f.number("vertices")))
			if err != nil {
				return nil, err
			}
			drawn = append(drawn, d)
			return len(drawn) - 1, nil
		}),
		// weigh takes the influences of vertices of a skin: width of them each, matrix and value.
		"weigh": answering(func(f *fields) (any, error) {
			d, err := skin(f)
			if err != nil {
				return nil, err
			}
			return nil, d.Weigh(f.ints("vertex"), int(f.number("width")), f.floats("matrix"), f.floats("value"))
		}),
		// bend takes the matrices of a pose, less the identity, and the shares of dual quaternions by vertex, and
		// writes where a skin is drawn into places and normals.
		"bend": answering(func(f *fields) (any, error) {
			d, err := skin(f)
			if err != nil {
				return nil, err
			}
			places, normals, err := d.Bend(f.floats("matrices"), f.floats("shares"))
			if err != nil {
				return nil, err
			}
			write(f.of.Get("places"), places)
			write(f.of.Get("normals"), normals)
			return nil, nil
		}),
		// retouch takes other places and normals at rest of some points of a skin, with matrices and shares as for bend, and
		// writes where these are drawn over them.
		"retouch": answering(func(f *fields) (any, error) {
			d, err := skin(f)
			if err != nil {
				return nil, err
			}
			places, normals, err := d.Retouch(f.ints("points"), f.floats("places"), f.floats("normals"), f.floats("matrices"), f.floats("shares"))
			if err != nil {
				return nil, err
			}
			write(f.of.Get("places"), places)
			write(f.of.Get("normals"), normals)
			return nil, nil
		}),
		// reshape takes other places and normals of a skin at rest.
		"reshape": answering(func(f *fields) (any, error) {
			d, err := skin(f)
			if err != nil {
				return nil, err
			}
			return nil, d.Reshape(f.floats("places"), f.floats("normals"))
		}),
		// leave forgets a skin.
		"leave": answering(func(f *fields) (any, error) {
			if _, err := skin(f); err != nil {
				return nil, err
			}
			drawn[int(f.number("skin"))] = nil
			return nil, nil
		}),
	}))
	select {}
}

// fields are what a call states, by name. The first one that is missing or cannot be read is its error.
type fields struct {
	of  js.Value
	err error
}

func (f *fields) get(name string, kind js.Type) (js.Value, bool) {
	v := f.of.Get(name)
	if v.Type() != kind && f.err == nil {
		f.err = fmt.Errorf("%s is missing or no %s", name, kind)
	}
	return v, v.Type() == kind
}

func (f *fields) text(name string) string {
	if v, ok := f.get(name, js.TypeString); ok {
		return v.String()
	}
	return ""
}

func (f *fields) number(name string) float64 {
	if v, ok := f.get(name, js.TypeNumber); ok {
		return v.Float()
	}
	return 0
}

func (f *fields) yes(name string) bool { return f.of.Get(name).Truthy() }

func (f *fields) floats(name string) []float32 {
	if v, ok := f.get(name, js.TypeObject); ok {
		return numbers[float32](v)
	}
	return nil
}

func (f *fields) ints(name string) []uint32 {
	if v, ok := f.get(name, js.TypeObject); ok {
		return numbers[uint32](v)
	}
	return nil
}

// chosen are the vertices that are chosen, nil where all are.
func (f *fields) chosen() []uint32 {
	if f.of.Get("chosen").IsNull() {
		return nil
	}
	return append([]uint32{}, f.ints("chosen")...)
}

// encoded is a field as JSON.
func (f *fields) encoded(name string) string {
	v := js.Global().Get("JSON").Call("stringify", f.of.Get(name))
	if v.Type() != js.TypeString {
		if f.err == nil {
			f.err = fmt.Errorf("%s is missing", name)
		}
		return "null"
	}
	return v.String()
}

// decode reads a field into what a JSON decoder takes.
func (f *fields) decode(name string, to any) {
	if err := json.Unmarshal([]byte(f.encoded(name)), to); err != nil && f.err == nil {
		f.err = fmt.Errorf("%s cannot be read: %w", name, err)
	}
}

// parsed is JSON as a value of the page.
func parsed(text string, err error) (any, error) {
	if err != nil {
		return nil, err
	}
	return js.Global().Get("JSON").Call("parse", text), nil
}

func painted(p browser.Painted) map[string]any {
	return map[string]any{
		"vertex": array("Uint32Array", p.Vertex),
		"width":  p.Width,
		"joint":  array("Float32Array", p.Joint),
		"value":  array("Float32Array", p.Value),
	}
}

// array copies numbers to a typed array of a kind.
func array[T float32 | uint32](kind string, list []T) js.Value {
	out := js.Global().Get(kind).New(len(list))
	if len(list) > 0 {
		bytes := js.Global().Get("Uint8Array").New(out.Get("buffer"))
		js.CopyBytesToJS(bytes, unsafe.Slice((*byte)(unsafe.Pointer(&list[0])), 4*len(list)))
	}
	return out
}

// answering makes a function for JavaScript: it takes named fields and returns {value} or {error}. A
// panic is an error, and so is a field that is missing.
func answering(do func(f *fields) (any, error)) js.Func {
	return js.FuncOf(func(_ js.Value, args []js.Value) (out any) {
		defer func() {
			if r := recover(); r != nil {
				out = map[string]any{"error": fmt.Sprint(r)}
			}
		}()
		given := js.ValueOf(map[string]any{})
		if len(args) > 0 && args[0].Type() == js.TypeObject {
			given = args[0]
		}
		f := &fields{of: given}
		value, err := do(f)
		if f.err != nil {
			err = f.err
		}
		if err != nil {
			return map[string]any{"error": err.Error()}
		}
		return map[string]any{"value": value}
	})
}

// write copies numbers into a typed array of the page.
func write(to js.Value, list []float32) {
	if len(list) > 0 {
		bytes := js.Global().Get("Uint8Array").New(to.Get("buffer"), to.Get("byteOffset"), to.Get("byteLength"))
		js.CopyBytesToJS(bytes, unsafe.Slice((*byte)(unsafe.Pointer(&list[0])), 4*len(list)))
	}
}

// numbers copies a typed array of four-byte numbers, which both sides hold in the
// machine's order, little-endian.
func numbers[T float32 | uint32](v js.Value) []T {
	n := v.Get("length").Int()
	out := make([]T, n)
	if n == 0 {
		return out
	}
	bytes := js.Global().Get("Uint8Array").New(v.Get("buffer"), v.Get("byteOffset"), v.Get("byteLength"))
	js.CopyBytesToGo(unsafe.Slice((*byte)(unsafe.Pointer(&out[0])), 4*n), bytes)
	return out
}
