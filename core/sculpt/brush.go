// Package sculpt changes shape targets by hand, in any pose: a brush goes over the skin as it stands, and what it does there is
// stored as offsets at rest that the joints carry to the same places.
//
// # Frames
//
// The skin stands in the world frame, meters, in the pose in which it is sculpted. Offsets are those of the target at rest, in
// the world frame, rounded to float32 after every touch, so that a page and the server get the same.
package sculpt

import (
	"fmt"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// What a brush does to the skin.
const (
	Grab    = "grab"    // takes it along with the pointer
	Inflate = "inflate" // moves it out along its normals
	Deflate = "deflate" // moves it in
	Smooth  = "smooth"  // draws it to the middle of its neighbors
	Relax   = "relax"   // the same along the surface only, which keeps the volume
	Flatten = "flatten" // draws it to the plane through what is touched
	Pinch   = "pinch"   // draws it together, along the surface
	Even    = "even"    // draws its offsets to the mean of the neighbors' offsets
	Match   = "match"   // draws its offsets to those of another target
	Rest    = "rest"    // draws it to where no target moves it
	Erase   = "erase"   // takes the target's own offsets away
)

// Modes are all of them.
var Modes = []string{Grab, Inflate, Deflate, Smooth, Relax, Flatten, Pinch, Even, Match, Rest, Erase}

// Brush is how a stroke changes a target.
type Brush struct {
	Mode     string  `json:"mode"`
	Strength float64 `json:"strength"` // 0 to 1
	weights.Tip
	Normal bool   `json:"normal,omitempty"` // grab: only along the normal of the place that was taken hold of
	Other  string `json:"other,omitempty"`  // match: the target
}

// Touch is a place of a stroke; of grab it is where hold was taken, and how far the hand has gone since.
type Touch struct {
	weights.Touch
	Move [3]float64 `json:"m"` // meters, world frame, in the pose
}

const (
	// rise is how far inflate goes at full strength, of the radius, and together how much of the way to its middle pinch.
	rise, together = 0.25, 0.5
	// farthest bounds how far a hand goes, meters: beyond it there is no character.
	farthest = 1e4
)

// Check reports what is wrong with a brush.
func (b *Brush) Check() error {
	switch {
	case !slices.Contains(Modes, b.Mode):
		return fmt.Errorf("a sculpting brush does %q, not %q", Modes, b.Mode)
	case !(b.Strength >= 0 && b.Strength <= 1):
		return fmt.Errorf("the strength must be 0 to 1, not %g", b.Strength)
	case b.Mode == Match && b.Other == "":
		return fmt.Errorf("name the shape target whose offsets are to be matched")
	}
	return b.Tip.Check()
}

// Stroke is a brush on its way over the skin.
type Stroke struct {
	brush  Brush
	s      *Surface
	net    *weights.Net // as the skin stood when the stroke began
	hands  []hand
	before map[int32]r3.Vec // offsets as they were before the stroke, of what it has reached
}

// hand is the stroke of one side.
type hand struct {
	mirrored bool
	marks    map[int32]mark // by vertex: of the strongest touch so far, or where touches add up of the last
	fresh    []int32        // those of the touch at hand
}

// mark is how strongly a vertex is reached, and what its offset changes by at full strength.
type mark struct {
	strength float64
	step     r3.Vec
}

// Begin begins a stroke.
func (s *Surface) Begin(b Brush) (*Stroke, error) {
	if err := b.Check(); err != nil {
		return nil, err
	}
	if b.Mode == Match {
		if err := s.match(b.Other); err != nil {
			return nil, err
		}
	}
	if b.Mode == Grab {
		b.Builds = false // only how far the hand has gone counts
	}
	net, err := s.rest.Moved(s.Places())
	if err != nil {
		return nil, err
	}
	k := &Stroke{brush: b, s: s, net: net, hands: []hand{{}}, before: map[int32]r3.Vec{}}
	if b.Both {
		k.hands = append(k.hands, hand{mirrored: true})
	}
	for i := range k.hands {
		k.hands[i].marks = map[int32]mark{}
	}
	return k, nil
}

// Touch sculpts a place and returns the vertices that changed, ascending.
func (k *Stroke) Touch(t Touch) ([]int32, error) {
	if err := k.net.CheckTouch(t.Touch); err != nil {
		return nil, err
	}
	move := r3.Vec{X: t.Move[0], Y: t.Move[1], Z: t.Move[2]}
	if !(r3.Norm(move) <= farthest) {
		return nil, fmt.Errorf("a stroke cannot move the skin by %v m: at most by %g m", t.Move, farthest)
	}
	tri, b, c := t.Tri, t.B, t.C
	for i := range k.hands {
		h := &k.hands[i]
		if h.mirrored {
			from := tri
			tri, b, c = k.s.mirrored(tri, b, c)
			move = k.s.mirroredMove(from, tri, move)
		}
		k.reach(h, tri, b, c, move, t)
	}
	return k.apply(), nil
}

// reach notes what a touch is to do to each vertex.
func (k *Stroke) reach(h *hand, tri int32, b, c float64, move r3.Vec, t Touch) {
	at := k.net.In(tri, b, c)
	vertices, strength := k.net.Reached(&k.brush.Tip, tri, at, t.Wide)
	h.fresh = h.fresh[:0]
	if k.brush.Builds || k.brush.Mode == Grab {
		clear(h.marks)
	}
	on := place{at: at, move: move, radius: k.brush.Radius}
	if t.Wide > 0 {
		on.radius *= t.Wide
	}
	on.normal = k.facing(tri)
	if k.brush.Normal {
		on.move = r3.Scale(r3.Dot(on.move, on.normal), on.normal)
	}
	if k.brush.Mode == Flatten {
		k.plane(&on, vertices, strength)
	}
	for i, v := range vertices {
		if !k.s.open(v) {
			continue
		}
		x := strength[i] * k.brush.Strength * t.Pressure
		if k.brush.Mode == Grab {
			x = strength[i] * t.Pressure // its full strength is the whole drag
		}
		if x > h.marks[v].strength {
			h.marks[v] = mark{x, k.step(v, &on)}
			h.fresh = append(h.fresh, v)
		}
	}
}

// place is what a touch is about: where, which way the surface faces there, and how far the hand has gone.
type place struct {
	at, normal, move r3.Vec
	radius           float64
}

// plane makes the place and the normal those of all that is touched, by how strongly it is.
func (k *Stroke) plane(on *place, vertices []int32, strength []float64) {
	var sum, normal r3.Vec
	all := 0.0
	for i, v := range vertices {
		sum = r3.Add(sum, r3.Scale(strength[i], k.place(v)))
		normal = r3.Add(normal, r3.Scale(strength[i], k.normal(v)))
		all += strength[i]
	}
	if l := r3.Norm(normal); all > 0 && l > 0 {
		on.at, on.normal = r3.Scale(1/all, sum), r3.Scale(1/l, normal)
	}
}

// offset is that of a vertex as a touch finds it: where touches add up as the last has left it, else as it was before the stroke.
func (k *Stroke) offset(v int32) r3.Vec {
	if !k.brush.Builds {
		if d, ok := k.before[v]; ok {
			return d
		}
	}
	return k.s.offset[v]
}

// place is where a vertex stands as a touch finds it.
func (k *Stroke) place(v int32) r3.Vec { return k.s.placed(v, k.offset(v)) }

// facing is the normal of a triangle, of unit length.
func (k *Stroke) facing(tri int32) r3.Vec {
	t := k.net.Tris[tri]
	return unit(geom.TriangleNormal(k.place(t[0]), k.place(t[1]), k.place(t[2])))
}

// normal is that of a vertex, by the area of its triangles.
func (k *Stroke) normal(v int32) r3.Vec {
	var sum r3.Vec
	for _, i := range k.net.Fan(v) {
		t := k.net.Tris[i]
		sum = r3.Add(sum, geom.TriangleNormal(k.place(t[0]), k.place(t[1]), k.place(t[2])))
	}
	return unit(sum)
}

func unit(v r3.Vec) r3.Vec {
	if l := r3.Norm(v); l > 0 {
		return r3.Scale(1/l, v)
	}
	return r3.Vec{}
}

// step is what the offset of a vertex changes by at full strength.
func (k *Stroke) step(v int32, on *place) r3.Vec {
	switch k.brush.Mode {
	case Even:
		return r3.Sub(k.mean(v, k.offset), k.offset(v))
	case Match:
		return r3.Sub(k.s.other[v], k.offset(v))
	case Rest:
		return r3.Sub(r3.Scale(-1/k.s.value, k.s.others[v]), k.offset(v))
	case Erase:
		return r3.Scale(-1, k.offset(v))
	}
	var d r3.Vec
	switch k.brush.Mode {
	case Grab:
		d = on.move
	case Inflate:
		d = r3.Scale(rise*on.radius, k.normal(v))
	case Deflate:
		d = r3.Scale(-rise*on.radius, k.normal(v))
	case Smooth, Relax:
		d = r3.Sub(k.mean(v, k.place), k.place(v))
		if k.brush.Mode == Relax {
			d = along(d, k.normal(v))
		}
	case Flatten:
		d = r3.Scale(r3.Dot(r3.Sub(on.at, k.place(v)), on.normal), on.normal)
	case Pinch:
		d = r3.Scale(together, along(r3.Sub(on.at, k.place(v)), on.normal))
	}
	return k.s.back(v, d)
}

// along is what of a step lies along a surface.
func along(d, normal r3.Vec) r3.Vec { return r3.Sub(d, r3.Scale(r3.Dot(d, normal), normal)) }

// mean is that of something over the neighbors of a vertex, or its own where it has none.
func (k *Stroke) mean(v int32, of func(v int32) r3.Vec) r3.Vec {
	near := k.net.Near(v)
	if len(near) == 0 {
		return of(v)
	}
	var sum r3.Vec
	for _, u := range near {
		sum = r3.Add(sum, of(u))
	}
	return r3.Scale(1/float64(len(near)), sum)
}

// apply changes what a touch reaches. All steps were worked out of what was there before the touch, so that the order of the
// vertices is no matter.
func (k *Stroke) apply() []int32 {
	var vertices []int32
	for i := range k.hands {
		vertices = append(vertices, k.hands[i].fresh...)
	}
	slices.Sort(vertices)
	vertices = slices.Compact(vertices)
	next := make([]r3.Vec, len(vertices))
	for i, v := range vertices {
		// Where both sides reach, the stronger says how far, and both which way.
		most, all := 0.0, 0.0
		var way r3.Vec
		for j := range k.hands {
			m := k.hands[j].marks[v]
			most, all = max(most, m.strength), all+m.strength
			way = r3.Add(way, r3.Scale(m.strength, m.step))
		}
		next[i] = geom.Single(r3.Add(k.offset(v), r3.Scale(most/all, way)))
	}
	for i, v := range vertices {
		if _, ok := k.before[v]; !ok {
			k.before[v] = k.s.offset[v]
		}
		k.s.offset[v] = next[i]
	}
	return vertices
}

// Undo takes the stroke back and returns the vertices that it had reached, ascending.
func (k *Stroke) Undo() []int32 {
	var out []int32
	for v, d := range k.before {
		k.s.offset[v] = d
		out = append(out, v)
	}
	slices.Sort(out)
	return out
}
