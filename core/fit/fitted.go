package fit

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Fitted is what is remembered of a joint that was fitted: how thick its limb is there, and where it was moved since.
type Fitted struct {
	// Kind is the name of the starter's joint, with default marks; joints may be renamed afterwards.
	Kind string `json:"kind"`
	// Thickness is how far the surface is from the middle of the limb around the joint, in metres.
	Thickness float64 `json:"thickness"`
	// Moved is how far the joint was moved since, in thicknesses, in the frame of its limb (package housestyle).
	Moved r3.Vec `json:"moved,omitzero"`
	// ByHand: a person has placed it; false for what was carried along, or placed by the production's habit.
	ByHand bool `json:"byHand,omitempty"`
}

// leastThickness is the least that a limb is taken to be thick, as a share of the height: tips have no thickness.
const leastThickness = 0.005

// fittedOf measures the limbs of a skeleton that was fitted: the mean distance to the surface at each joint and halfway
// to its parent and its first child. kinds are the starter's names by those here, where they are others.
func fittedOf(s *skeleton.Skeleton, kinds map[string]string, solid *geom.Tree, height float64) map[string]Fitted {
	out := make(map[string]Fitted, len(s.Joints))
	children := s.Children()
	near := func(p r3.Vec) float64 {
		_, _, d := solid.Nearest(p)
		return d
	}
	for i, j := range s.Joints {
		sum, n := near(j.Pos), 1.0
		if j.Parent >= 0 {
			sum += near(r3.Scale(0.5, r3.Add(j.Pos, s.Joints[j.Parent].Pos)))
			n++
		}
		if len(children[i]) > 0 {
			sum += near(r3.Scale(0.5, r3.Add(j.Pos, s.Joints[children[i][0]].Pos)))
			n++
		}
		kind, ok := kinds[j.Name]
		if !ok {
			kind = j.Name
		}
		out[j.Name] = Fitted{Kind: kind, Thickness: math.Max(sum/n, leastThickness*height)}
	}
	return out
}

// Renamed returns the report with its limbs by other names of joints, and without those that were removed.
func (r *Report) Renamed(renamed, removed map[string]string) *Report {
	if r.Fitted == nil {
		return r
	}
	out := *r
	out.Fitted = make(map[string]Fitted, len(r.Fitted))
	for name, l := range r.Fitted {
		if _, gone := removed[name]; gone {
			continue
		}
		if to, ok := renamed[name]; ok {
			name = to
		}
		out.Fitted[name] = l
	}
	return &out
}
