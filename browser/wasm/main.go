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
	"wisemarrow/core/deform"
)

func main() {
	var skin *deform.Skin
	js.Global().Set("marrowCore", js.ValueOf(map[string]any{
		// load takes points, triangles, start, vertex and value as typed arrays, the
		// names of the columns, the joints and the binding (or null) as JSON; it answers "" or what is wrong.
		"load": answering(func(a []js.Value) (string, error) {
			x := browser.Arrays{Points: numbers[float32](a[0]), Triangles: numbers[uint32](a[1]), Start: numbers[uint32](a[2]), Vertex: numbers[uint32](a[3]), Value: numbers[float32](a[4])}
			if err := json.Unmarshal([]byte(a[5].String()), &x.Columns); err != nil {
				return "", err
			}
			if err := json.Unmarshal([]byte(a[6].String()), &x.Joints); err != nil {
				return "", err
			}
			if err := json.Unmarshal([]byte(a[7].String()), &x.Binding); err != nil {
				return "", err
			}
			var err error
			skin, err = x.Skin()
			return "", err
		}),
		// measure takes a pose as JSON and answers with the measures as JSON.
		"measure": answering(func(a []js.Value) (string, error) {
			if skin == nil {
				return "", fmt.Errorf("no character is loaded")
			}
			return browser.Measure(skin, a[0].String())
		}),
	}))
	select {}
}

// answering makes a function for JavaScript: it returns {value} or {error}, and a panic
// is an error.
func answering(f func(args []js.Value) (string, error)) js.Func {
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
