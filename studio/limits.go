package studio

import (
	"fmt"
	"math"
	"strings"
	"unicode/utf8"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// What a character may be at most. Beyond it, numbers of the views overflow or a
// page takes minutes; nobody's character gets there by design.
const (
	MaxJoints = 4000
	MaxName   = 255 // bytes of a name
	// MaxPlace is how far from the origin anything may be, in metres.
	MaxPlace = 1e6
)

// Place is a place in world metres, as parameters hold it.
type Place [3]float64

// Vec returns the place, or what is wrong with it.
func (p Place) Vec() (r3.Vec, error) {
	v := r3.Vec{X: p[0], Y: p[1], Z: p[2]}
	if !geom.Finite(v) || math.Abs(v.X) > MaxPlace || math.Abs(v.Y) > MaxPlace || math.Abs(v.Z) > MaxPlace {
		return v, Wrong("%g, %g, %g is not a valid position: each coordinate is in meters, at most %g", p[0], p[1], p[2], float64(MaxPlace))
	}
	return v, nil
}

// Vecs returns several places, or what is wrong with the first that is none.
func Vecs(list []Place) ([]r3.Vec, error) {
	out := make([]r3.Vec, len(list))
	for i, p := range list {
		var err error
		if out[i], err = p.Vec(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// CheckName reports what keeps a text from being a name.
func CheckName(what, name string) error {
	switch {
	case strings.TrimSpace(name) == "":
		return Wrong("%s needs a name", what)
	case len(name) > MaxName:
		return Wrong("the name of %s is %d bytes long; the limit is %d", what, len(name), MaxName)
	case !utf8.ValidString(name) || strings.ContainsFunc(name, func(r rune) bool { return r < ' ' || r == 0x7f }):
		return Wrong("the name of %s contains an invisible character: type it again", what)
	}
	return nil
}

func checkMesh(m *mesh.Mesh) error {
	if err := m.Validate(); err != nil {
		return err
	}
	if b := geom.BoxOf(m.World()); !b.Empty() && !(r3.Norm(b.Min) <= 4*MaxPlace && r3.Norm(b.Max) <= 4*MaxPlace) {
		return fmt.Errorf(
			"the mesh reaches %g m from the origin; %g are allowed: rescale it",
			math.Max(r3.Norm(b.Min), r3.Norm(b.Max)),
			4*MaxPlace,
		)
	}
	for _, p := range m.Parts {
		if err := CheckName("a part", p.Name); err != nil && p.Name != "" {
			return err
		}
	}
	return nil
}

func checkSkeleton(s *skeleton.Skeleton) error {
	if len(s.Joints) > MaxJoints {
		return fmt.Errorf("it has %d joints; %d are allowed", len(s.Joints), MaxJoints)
	}
	if err := s.Validate(); err != nil {
		return err
	}
	for _, j := range s.Joints {
		if err := CheckName("a joint", j.Name); err != nil {
			return err
		}
		if r3.Norm(j.Pos) > 4*MaxPlace {
			return fmt.Errorf("joint %q is %g m from the origin; %g are allowed", j.Name, r3.Norm(j.Pos), 4*MaxPlace)
		}
	}
	return nil
}
