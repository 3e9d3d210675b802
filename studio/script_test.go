package studio_test

import (
	"bytes"
	"testing"

	"wisemarrow/formats/reading"
	"wisemarrow/studio"
)

// FuzzScript reads scripts of whatever content; what is read has operations with names.
func FuzzScript(f *testing.F) {
	for _, seed := range []string{
		"", `{"op":"weld","params":{"distance":1e-5}}`, `{"blob":"x","data":"aGVsbG8="}`, "{\"op\":\"weld\"}\n\n{\"op\":\"orient\"}\n", `{"op":1}`, "\x00", `{"op":"weld"`,
	} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := studio.ReadScript(bytes.NewReader(data), reading.Limits{Bytes: 1 << 20, Vertices: 1000})
		if err != nil {
			if !studio.IsInput(err) {
				t.Fatalf("%v is not said to be the caller's mistake", err)
			}
			return
		}
		for _, step := range s.Steps {
			if step.Op == "" {
				t.Fatal("an operation without a name was read")
			}
		}
	})
}
