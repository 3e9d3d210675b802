package stages_test

import (
	"context"
	"fmt"

	"wisemarrow/core/mesh"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// A stage finds what is wrong and offers an operation that mends it.
func Example() {
	m := &mesh.Mesh{Points: []r3.Vec{{}, {X: 1}, {Y: 1}, {Z: 1}, {X: 5}}, Parts: []mesh.Part{mesh.NewPart("tip")}}
	for _, f := range [][]int32{{0, 2, 1}, {0, 1, 3}, {0, 3, 2}, {1, 2, 3}} {
		m.AddFace(0, f...)
	}
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	for _, f := range studio.CheckOnly(&s, "intake") {
		if f.Code != "loose_vertices" {
			continue
		}
		remedy := f.Remedies[0]
		fmt.Printf("%s: %s\n", f.Title, remedy.Label)
		entry, op, err := studio.ParseOperation(remedy.Op, remedy.Params)
		if err != nil {
			fmt.Println(err)
			return
		}
		_, told, err := studio.Apply(context.Background(), entry, op, s, nil)
		fmt.Println(told.Sentence, err)
	}
	// Output:
	// 1 loose vertex: Remove them
	// Removed loose vertices: vertices 5 → 4 <nil>
}
