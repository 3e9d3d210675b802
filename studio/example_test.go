package studio_test

import (
	"context"
	"encoding/json"
	"fmt"

	"wisemarrow/core/mesh"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// scale is an operation: parameters whose tags say what they may be, and Apply.
type scale struct {
	By float64 `json:"by" as:"Factor" in:"0<..100"`
}

func (o *scale) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m := s.Mesh.Bake(mesh.Placement{Scale: o.By, Up: "y"})
	return s.WithMesh(m, nil), studio.Outcome{Sentence: fmt.Sprintf("Scaled by %g", o.By)}, nil
}

func Example() {
	studio.Register(studio.Entry{Name: "example_scale", Label: "Scale", Stage: "intake", Needs: []studio.Need{studio.NeedMesh},
		New: func() studio.Operation { return &scale{By: 1} }})

	m := &mesh.Mesh{Points: []r3.Vec{{}, {X: 1}, {Y: 1}}, Parts: []mesh.Part{mesh.NewPart("kite")}}
	m.AddFace(0, 0, 1, 2)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}

	entry, op, err := studio.ParseOperation("example_scale", json.RawMessage(`{"by":2}`))
	if err != nil {
		fmt.Println(err)
		return
	}
	after, told, err := studio.Apply(context.Background(), entry, op, s, nil)
	fmt.Println(told.Sentence, after.Mesh.Points[1], err)
	fmt.Println(s.Mesh.Points[1], "is as it was")

	_, _, err = studio.ParseOperation("example_scale", json.RawMessage(`{"by":1000}`))
	fmt.Println(err)
	// Output:
	// Scaled by 2 {2 0 0} <nil>
	// {1 0 0} is as it was
	// Factor must be above 0 and at most 100, not 1000
}
