// Package planted plants faults in good weights, as they are made by slips of the hand and by tools that went wrong,
// for a table of which are found and of what is found where nothing is.
package planted

import (
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Body is what faults are planted in.
type Body struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights
	points   []r3.Vec
	height   float64
}

// NewBody prepares a bound body.
func NewBody(m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights) *Body {
	return &Body{m, s, w, m.World(), geom.BoxOf(m.World()).Size().Y}
}

// Fault is one that is planted. Do returns the weights with it and the vertices that it touches; none where the
// body lacks what it is planted at.
type Fault struct {
	Name string
	Do   func(b *Body) (*weights.Weights, []int32)
}

// joint is the number of a joint of the weights, -1 for none.
func (b *Body) joint(name string) int32 { return int32(slices.Index(b.Weights.Joints, name)) }

// led are the vertices that a joint leads.
func (b *Body) led(name string) (out []int32) {
	j := b.joint(name)
	for v := range b.Weights.Of {
		if j >= 0 && b.Weights.Leader(v) == j {
			out = append(out, int32(v))
		}
	}
	return out
}

// near are the vertices within a part of the height from a joint, of those that a list of joints leads (all: nil).
func (b *Body) near(name string, part float64, of ...string) (out []int32) {
	i := b.Skeleton.Index(name)
	if i < 0 {
		return nil
	}
	for v, p := range b.points {
		k := b.Weights.Leader(v)
		if r3.Norm(r3.Sub(p, b.Skeleton.Joints[i].Pos)) < part*b.height &&
			(of == nil || k >= 0 && slices.Contains(of, b.Weights.Joints[k])) {
			out = append(out, int32(v))
		}
	}
	return out
}

// give gives a joint a weight of vertices, as much as share says of each.
func (b *Body) give(name string, vertices []int32, share func(v int32) float64) (*weights.Weights, []int32) {
	j := b.joint(name)
	if j < 0 || len(vertices) == 0 {
		return nil, nil
	}
	e := weights.Edit(b.Weights, nil, nil, 0)
	for _, v := range vertices {
		e.Set(v, j, share(v))
	}
	return e.Weights(), e.Changed()
}

func all(x float64) func(int32) float64 { return func(int32) float64 { return x } }

// swapped exchanges two joints.
func (b *Body) swapped(a, c string) (*weights.Weights, []int32) {
	i, k := b.joint(a), b.joint(c)
	if i < 0 || k < 0 {
		return nil, nil
	}
	e := weights.Edit(b.Weights, nil, nil, 0)
	for v, list := range b.Weights.Of {
		out := slices.Clone(list)
		yes := false
		for n, x := range out {
			switch x.Joint {
			case i:
				out[n].Joint, yes = k, true
			case k:
				out[n].Joint, yes = i, true
			}
		}
		if yes {
			e.Give(int32(v), out)
		}
	}
	return e.Weights(), e.Changed()
}

// Faults are the faults of bodies on two legs, by the usual names.
func Faults() []Fault {
	give := func(name, joint string, share float64, at func(b *Body) []int32) Fault {
		return Fault{name, func(b *Body) (*weights.Weights, []int32) { return b.give(joint, at(b), all(share)) }}
	}
	led := func(joint string) func(b *Body) []int32 { return func(b *Body) []int32 { return b.led(joint) } }
	near := func(joint string, part float64, of ...string) func(b *Body) []int32 {
		return func(b *Body) []int32 { return b.near(joint, part, of...) }
	}
	half := func(at func(b *Body) []int32, axis int) func(b *Body) []int32 { // of a part, what lies beyond its middle
		return func(b *Body) []int32 {
			list := at(b)
			var values []float64
			get := func(v int32) float64 {
				p := b.points[v]
				return [3]float64{p.X, p.Y, p.Z}[axis]
			}
			for _, v := range list {
				values = append(values, get(v))
			}
			if len(values) == 0 {
				return nil
			}
			slices.Sort(values)
			return slices.DeleteFunc(list, func(v int32) bool { return get(v) < values[len(values)/2] })
		}
	}
	few := func(at func(b *Body) []int32, n int) func(b *Body) []int32 {
		return func(b *Body) []int32 {
			list := at(b)
			var out []int32
			for i := range min(n, len(list)) {
				out = append(out, list[i*len(list)/min(n, len(list))])
			}
			return out
		}
	}
	return []Fault{
		give("head bleeds 12% over the shoulders", "head", 0.12, near("upper_arm_l", 0.09)),
		give("head bleeds 12% over the other shoulder", "head", 0.12, near("upper_arm_r", 0.09)),
		{"feet swapped", func(b *Body) (*weights.Weights, []int32) { return b.swapped("foot_l", "foot_r") }},
		{"hands swapped", func(b *Body) (*weights.Weights, []int32) { return b.swapped("hand_l", "hand_r") }},
		{"thighs swapped", func(b *Body) (*weights.Weights, []int32) { return b.swapped("thigh_l", "thigh_r") }},
		{"forearm and shank swapped", func(b *Body) (*weights.Weights, []int32) { return b.swapped("forearm_l", "shank_l") }},
		{"clavicles swapped", func(b *Body) (*weights.Weights, []int32) { return b.swapped("clavicle_l", "clavicle_r") }},
		give("a hand tied to a shank", "shank_r", 0.5, led("hand_l")),
		give("a hand follows the thigh beside it a fifth", "thigh_l", 0.2, led("hand_l")),
		give("a thigh follows the hand beside it", "hand_l", 0.15, near("thigh_l", 0.1, "thigh_l")),
		give("a forearm follows the hips", "hips", 0.3, led("forearm_r")),
		give("a foot follows the other shank", "shank_l", 0.25, led("foot_r")),
		give("a toe's traces on the head", "foot_l", 0.01, led("head")),
		give("a hand's traces on the chest", "hand_r", 0.01, near("spine_3", 0.1)),
		give("a shank's traces on an arm", "shank_r", 0.012, led("upper_arm_l")),
		give("one vertex of the head to a foot", "foot_l", 0.8, few(led("head"), 1)),
		give("five vertices of a thigh to the head", "head", 0.6, few(led("thigh_l"), 5)),
		give("half a thigh stays with the hips", "hips", 1, half(led("thigh_l"), 2)),
		give("half a shank stays with the thigh", "thigh_r", 1, half(led("shank_r"), 2)),
		give("half an upper arm goes with the chest", "spine_3", 1, half(led("upper_arm_l"), 1)),
		give("half a forearm hardened", "forearm_l", 1, half(led("forearm_l"), 1)),
		give("a head half on the neck, cut straight", "neck", 0.6, half(led("head"), 2)),
		give("a stiff armpit", "spine_3", 1, near("upper_arm_r", 0.055)),
		give("a stiff knee", "thigh_l", 1, near("shank_l", 0.05)),
		give("the whole forearm on the upper arm", "upper_arm_l", 1, led("forearm_l")),
		give("the whole shank on the foot", "foot_r", 1, led("shank_r")),
		give("the chest follows an arm a tenth", "forearm_l", 0.1, led("spine_2")),
		give("the belly follows the head", "head", 0.15, led("spine_1")),
		give("the other side's arm a fifth", "upper_arm_r", 0.2, led("upper_arm_l")),
		give("a patch of the back to a thigh", "thigh_l", 0.4, near("spine_2", 0.07)),
		give("the neck a third on a hand", "hand_l", 0.3, led("neck")),
		{"traces of everything", func(b *Body) (*weights.Weights, []int32) {
			e := weights.Edit(b.Weights, nil, nil, 0)
			for v := range b.Weights.Of {
				for _, name := range []string{"head", "foot_l", "hand_r"} {
					if j := b.joint(name); j >= 0 && b.Weights.Value(v, j) == 0 {
						e.Set(int32(v), j, 0.008)
					}
				}
			}
			return e.Weights(), e.Changed()
		}},
		{"a side that was weighted anew by hand", func(b *Body) (*weights.Weights, []int32) {
			return b.give("spine_2", b.near("upper_arm_l", 0.1, "upper_arm_l", "clavicle_l"), all(0.35))
		}},
		{"every hundredth vertex of the legs noisy", func(b *Body) (*weights.Weights, []int32) {
			var list []int32
			for v := range b.Weights.Of {
				if k := b.Weights.Leader(v); k >= 0 && v%100 == 0 && strings.HasPrefix(b.Weights.Joints[k], "thigh") {
					list = append(list, int32(v))
				}
			}
			return b.give("hips", list, func(v int32) float64 { return math.Mod(float64(v)*0.618, 0.5) + 0.5 })
		}},
		{"a foot without weights", func(b *Body) (*weights.Weights, []int32) {
			e := weights.Edit(b.Weights, nil, nil, 0)
			for _, v := range b.led("foot_l") {
				e.Give(v, nil)
			}
			return e.Weights(), e.Changed()
		}},
		{"a shoulder cut at four of eight without fading", func(b *Body) (*weights.Weights, []int32) {
			e := weights.Edit(b.Weights, nil, nil, 0)
			for _, v := range b.near("upper_arm_l", 0.12) {
				e.Give(v, weights.Clean(b.Weights.Of[v], weights.Limits{Cap: 1}))
			}
			return e.Weights(), e.Changed()
		}},
	}
}

// fewFound is how many of the touched vertices must be named for a fault to be found; all of fewer ones.
const fewFound = 3

// Hit reports whether problems name what was touched, besides what they named in the clean weights.
func Hit(problems, clean []weights.Problem, touched []int32) bool {
	in := make(map[int32]bool, len(touched))
	for _, v := range touched {
		in[v] = true
	}
	for _, p := range clean {
		delete(in, p.Vertex)
	}
	n := 0
	for _, p := range problems {
		if in[p.Vertex] {
			n++
		}
	}
	return n >= min(fewFound, len(touched))
}
