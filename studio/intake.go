package studio

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/mesh"
)

func init() {
	register(
		Entry{"weld", "Weld vertices", "intake", false, func() Operation { return &Weld{} }},
		Entry{"drop_loose", "Drop loose vertices", "intake", false, func() Operation { return &DropLoose{} }},
		Entry{"drop_faces", "Drop doubled and empty faces", "intake", false, func() Operation { return &DropFaces{} }},
		Entry{"make_outward", "Turn faces outward", "intake", false, func() Operation { return &MakeOutward{} }},
		Entry{"bake_transform", "Bake the transform", "intake", false, func() Operation {
			return &BakeTransform{Placement: mesh.Placement{Scale: 1, Up: "y"}}
		}},
	)
}

// Weld joins vertices within Distance metres on open borders.
type Weld struct {
	Distance float64 `json:"distance"`
}

// Apply implements Operation.
func (o *Weld) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	if !(o.Distance > 0) || math.IsInf(o.Distance, 0) {
		return s, Outcome{}, wrong("the weld distance must be a length above zero, not %g", o.Distance)
	}
	m, mapping, err := s.Mesh.Weld(o.Distance)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	return s.renumbered(m, mapping), counted("Welded", len(s.Mesh.Points), len(m.Points), "vertices"), nil
}

// counted is the outcome of an operation that leaves fewer of something.
func counted(did string, before, after int, what string) Outcome {
	return Outcome{Sentence: fmt.Sprintf("%s: %d %s became %d", did, before, what, after), Before: fmt.Sprint(before), After: fmt.Sprint(after)}
}

// DropLoose drops vertices that no face uses.
type DropLoose struct{}

// Apply implements Operation.
func (o *DropLoose) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	m, mapping := s.Mesh.DropLoose()
	return s.renumbered(m, mapping), counted("Dropped loose vertices", len(s.Mesh.Points), len(m.Points), "vertices"), nil
}

// DropFaces drops doubled faces and faces without area.
type DropFaces struct{}

// Apply implements Operation.
func (o *DropFaces) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	m := s.Mesh.DropFaces()
	return s.renumbered(m, nil), counted("Dropped doubled and empty faces", s.Mesh.Faces(), m.Faces(), "faces"), nil
}

// MakeOutward turns faces so that neighbours agree and look outward.
type MakeOutward struct{}

// Apply implements Operation.
func (o *MakeOutward) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	m, n := s.Mesh.MakeOutward()
	return s.renumbered(m, nil), Outcome{Sentence: fmt.Sprintf("Turned %d faces outward", n), Before: fmt.Sprint(n), After: "0"}, nil
}

// BakeTransform applies the parts' transforms and a change of unit and up axis
// to the vertices.
type BakeTransform struct{ mesh.Placement }

// Apply implements Operation.
func (o *BakeTransform) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	if !(o.Scale > 0) || o.Scale > 1e6 {
		return s, Outcome{}, wrong("the scale must be above zero, not %g", o.Scale)
	}
	if o.Up != "y" && o.Up != "z" && o.Up != "-z" {
		return s, Outcome{}, wrong("the up axis is \"y\", \"z\" or \"-z\", not %q", o.Up)
	}
	if s.Skeleton != nil && (o.Scale != 1 || o.Up != "y" || o.Stand) {
		return s, Outcome{}, wrong("there is a skeleton already, which would stay behind: undo the fit first, or bake without scale, axis and standing")
	}
	before := s.Mesh.Measure().Height
	m := s.Mesh.Bake(o.Placement)
	after := m.Measure().Height
	return s.renumbered(m, nil), Outcome{Sentence: fmt.Sprintf("Baked the transform: height %.3g became %.3g m", before, after),
		Before: fmt.Sprintf("%.3g m", before), After: fmt.Sprintf("%.3g m", after)}, nil
}
