//go:build js && wasm

// Command wasm is core for the browser: it runs in a worker, which talks to it through
// the functions that it hangs on the worker's global object as "marrowCore".
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
	at := func() (*browser.Desk, error) {
		if desk == nil {
			return nil, fmt.Errorf("no character is loaded")
		}
		return desk, nil
	}
	js.Global().Set("marrowCore", js.ValueOf(map[string]any{
		// load takes points, triangles, start, vertex and value as typed arrays, the names of the
		// columns, the joints and the binding (or null) as JSON, the edges and the vertices that
		// may not be changed as typed arrays, the rules as JSON, and of which vertices it was said how
		// they blend, and how, as typed arrays.
		"load": answering(func(a []js.Value) (any, error) {
			x := browser.Arrays{Points: numbers[float32](a[0]), Triangles: numbers[uint32](a[1]), Start: numbers[uint32](a[2]), Vertex: numbers[uint32](a[3]), Value: numbers[float32](a[4])}
			var rules browser.Rules
			for i, to := range []any{&x.Columns, &x.Joints, &x.Binding} {
				if err := json.Unmarshal([]byte(a[5+i].String()), to); err != nil {
					return nil, err
				}
			}
			if err := json.Unmarshal([]byte(a[10].String()), &rules); err != nil {
				return nil, err
			}
			rules.Closed = numbers[uint32](a[9])
			x.Said, x.Shares = numbers[uint32](a[11]), numbers[float32](a[12])
			var err error
			desk, err = x.Desk(numbers[uint32](a[8]), rules)
			return "", err
		}),
		// measure takes a pose as JSON and answers with the measures as JSON.
		"measure": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return d.Measure(a[0].String())
		}),
		// begin takes a brush as JSON, the vertices that are chosen or null, and whether it paints how they blend.
		"begin": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			var chosen []uint32
			if !a[1].IsNull() {
				chosen = append([]uint32{}, numbers[uint32](a[1])...)
			}
			return "", d.Begin(a[0].String(), chosen, a[2].Truthy())
		}),
		// touch takes touches as JSON and answers with what they changed.
		"touch": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			p, err := d.Touch(a[0].String())
			return painted(p), err
		}),
		// end ends the stroke, or with true takes it back and answers with what that changed.
		"end": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return painted(d.End(a[0].Bool())), nil
		}),
		// choose takes how, the chosen vertices, a joint and two shares; it answers with vertices.
		"choose": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			list, err := d.Choose(a[0].String(), numbers[uint32](a[1]), a[2].String(), a[3].Float(), a[4].Float())
			return array("Uint32Array", list), err
		}),
		// motion takes a joint and answers how far each vertex moves, metres.
		"motion": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			list, err := d.Motion(a[0].String())
			return array("Float32Array", list), err
		}),
		// apart takes other weights as start, vertex and value, and the names of their columns; it
		// answers how much each vertex differs.
		"apart": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			other := browser.Arrays{Start: numbers[uint32](a[0]), Vertex: numbers[uint32](a[1]), Value: numbers[float32](a[2])}
			if err := json.Unmarshal([]byte(a[3].String()), &other.Columns); err != nil {
				return nil, err
			}
			list, err := d.Apart(other)
			return array("Float32Array", list), err
		}),
		// problems answers with the kind and size of what is wrong at each vertex.
		"problems": answering(func([]js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			kind, size, err := d.Problems()
			return map[string]any{"kind": array("Float32Array", kind), "size": array("Float32Array", size)}, err
		}),
		// hand takes the joints and the marks of sides as JSON, and what is done to a pose; it answers
		// with the pose that comes of it, all as JSON.
		"hand": answering(func(a []js.Value) (any, error) {
			if key := a[0].String() + a[1].String(); key != handOf {
				var joints []browser.Joint
				var marks skeleton.Marks
				if err := json.Unmarshal([]byte(a[0].String()), &joints); err != nil {
					return nil, err
				}
				if err := json.Unmarshal([]byte(a[1].String()), &marks); err != nil {
					return nil, err
				}
				h, err := browser.HandOf(joints, marks)
				if err != nil {
					return nil, err
				}
				hand, handOf = h, key
			}
			return hand.DoJSON(a[2].String())
		}),
		// ledger takes vertices and answers as JSON who moves them.
		"ledger": answering(func(a []js.Value) (any, error) {
			d, err := at()
			if err != nil {
				return nil, err
			}
			return d.Ledger(numbers[uint32](a[0]))
		}),
	}))
	select {}
}

func painted(p browser.Painted) map[string]any {
	return map[string]any{"vertex": array("Uint32Array", p.Vertex), "width": p.Width, "joint": array("Float32Array", p.Joint), "value": array("Float32Array", p.Value)}
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

// answering makes a function for JavaScript: it returns {value} or {error}, and a panic
// is an error.
func answering(f func(args []js.Value) (any, error)) js.Func {
	return js.FuncOf(func(_ js.Value, args []js.Value) (out any) {
		defer func() {
			if r := recover(); r != nil {
				out = map[string]any{"error": fmt.Sprint(r)}
			}
		}()
		value, err := f(args)
		if err != nil {
			return map[string]any{"error": err.Error()}
		}
		return map[string]any{"value": value}
	})
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
