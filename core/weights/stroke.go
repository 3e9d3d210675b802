package weights

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// What a brush does to the share of its joint.
const (
	BrushSet    = "set"    // draws it to the value
	BrushAdd    = "add"    // adds the value
	BrushTake   = "take"   // takes the value away
	BrushScale  = "scale"  // multiplies it by the value
	BrushSmooth = "smooth" // draws it to the mean of its neighbours
	BrushEven   = "even"   // draws the shares of all joints to the mean of the neighbours
)

// Brush is how a stroke changes weights.
type Brush struct {
	Joint   string  `json:"joint"`
	Mode    string  `json:"mode"`
	Value   float64 `json:"value"`   // 0 to 1; of scale 0 to 4
	Opacity float64 `json:"opacity"` // 0 to 1
	Tip
}

// Tip is where a touch of a brush reaches.
type Tip struct {
	Radius float64 `json:"radius"` // metres
	Hard   float64 `json:"hard"`   // share of the radius within which it is full, 0 to 1
	// Through reaches through the air, not along the surface; Facing only what looks the same
	// way as the place that is touched; Both paints the mirror image too; Builds lets every touch
	// add to the last, else a stroke does at each vertex what its strongest touch does.
	Through bool `json:"through,omitempty"`
	Facing  bool `json:"facing,omitempty"`
	Both    bool `json:"both,omitempty"`
	Builds  bool `json:"builds,omitempty"`
}

// Touch is a place of a stroke: in a triangle, by the barycentric coordinates of its second and
// third corner, and how hard the pen was pressed.
type Touch struct {
	Tri      int32   `json:"t"`
	B        float64 `json:"b"`
	C        float64 `json:"c"`
	Pressure float64 `json:"p"` // 0 to 1, times the opacity
	Wide     float64 `json:"w"` // times the radius; 0 is 1
}

// MaxStrokes and MaxTouches are how many strokes one operation has at most, and how many touches these have in all.
const MaxStrokes, MaxTouches = 64, 4096

// CheckStrokes reports strokes without a touch, or too many.
func CheckStrokes[T any](strokes [][]T) error {
	n := 0
	for _, list := range strokes {
		n += len(list)
	}
	if n == 0 || n > MaxTouches || len(strokes) > MaxStrokes {
		return fmt.Errorf("a brush takes 1 to %d strokes with 1 to %d touches in all, not %d and %d",
			MaxStrokes, MaxTouches, len(strokes), n)
	}
	return nil
}

// Check reports what is wrong with a brush.
func (b *Brush) Check() error {
	in := func(x, hi float64) bool { return x >= 0 && x <= hi }
	switch {
	case !slices.Contains([]string{BrushSet, BrushAdd, BrushTake, BrushScale, BrushSmooth, BrushEven}, b.Mode):
		return fmt.Errorf("a brush does \"set\", \"add\", \"take\", \"scale\", \"smooth\" or \"even\", not %q", b.Mode)
	case !in(b.Value, 1) && b.Mode != BrushScale, !in(b.Value, 4):
		return fmt.Errorf("the value of a brush is from 0 to 1, of scale to 4, not %g", b.Value)
	case !in(b.Opacity, 1):
		return fmt.Errorf("the opacity must be 0 to 1, not %g", b.Opacity)
	}
	return b.Tip.Check()
}

// Check reports what is wrong with a tip.
func (b *Tip) Check() error {
	switch {
	case !(b.Radius > 0) || b.Radius > 1e4:
		return fmt.Errorf("the radius must be above 0 m, not %g", b.Radius)
	case !(b.Hard >= 0 && b.Hard <= 1):
		return fmt.Errorf("the hard part of the radius must be 0 to 1, not %g", b.Hard)
	}
	return nil
}

// Falloff is the strength of a brush at a share of its radius: full within the hard part, then
// falling as a smooth step.
func (b *Tip) Falloff(share float64) float64 {
	switch {
	case share >= 1:
		return 0
	case share <= b.Hard:
		return 1
	}
	u := (1 - share) / (1 - b.Hard)
	return u * u * (3 - 2*u)
}

// Sides says what the mirror image of a stroke is: the plane x = Plane, and by joint of the
// weights its partner, itself for one without.
type Sides struct {
	Plane   float64
	Partner []int32
}

// Stroke is a brush on its way over a surface.
type Stroke struct {
	brush  Brush
	e      *Editor
	net    *Net
	sides  Sides
	hands  []hand
	before map[int32][]Influence // as it was before the stroke, of what it has reached
}

// hand is the stroke of one side.
type hand struct {
	joint    int32
	mirrored bool
	strength map[int32]float64 // the most so far, by vertex
	fresh    map[int32]float64 // what the touch at hand adds
}

// NewStroke begins a stroke.
func NewStroke(b Brush, e *Editor, net *Net, sides Sides) (*Stroke, error) {
	if err := b.Check(); err != nil {
		return nil, err
	}
	j := int32(slices.Index(e.Joints, b.Joint))
	if j < 0 && b.Mode != BrushEven {
		return nil, fmt.Errorf("%q has no weights that could be painted: it does not deform", b.Joint)
	}
	if j >= 0 && b.Mode != BrushEven {
		if err := e.CheckLocks(j); err != nil {
			return nil, err
		}
	}
	s := &Stroke{brush: b, e: e, net: net, sides: sides, hands: []hand{{joint: j}}, before: map[int32][]Influence{}}
	if b.Both {
		k := j
		if j >= 0 && int(j) < len(sides.Partner) {
			k = sides.Partner[j]
		}
		s.hands = append(s.hands, hand{joint: k, mirrored: true})
	}
	for i := range s.hands {
		s.hands[i].strength = map[int32]float64{}
	}
	return s, nil
}

// Touch paints a place and returns the vertices that changed, ascending.
func (s *Stroke) Touch(t Touch) ([]int32, error) {
	if err := s.net.CheckTouch(t); err != nil {
		return nil, err
	}
	at, tri := s.net.In(t.Tri, t.B, t.C), t.Tri
	for i := range s.hands {
		h := &s.hands[i]
		if h.mirrored {
			mirrored := r3.Vec{X: 2*s.sides.Plane - at.X, Y: at.Y, Z: at.Z}
			tri, at, _ = s.net.Tree().Nearest(mirrored)
		}
		s.reach(h, tri, at, t)
	}
	return s.apply(), nil
}

// CheckTouch reports what is wrong with a touch of a surface.
func (n *Net) CheckTouch(t Touch) error {
	if t.Tri < 0 || int(t.Tri) >= len(n.Tris) || !(t.B >= -1e-6 && t.C >= -1e-6 && t.B+t.C <= 1+1e-6) {
		return fmt.Errorf("a touch is in triangle %d at %g, %g; there are %d", t.Tri, t.B, t.C, len(n.Tris))
	}
	if !(t.Pressure >= 0 && t.Pressure <= 1) || !(t.Wide >= 0 && t.Wide <= 4) {
		return fmt.Errorf("the pressure of a touch is from 0 to 1 and its width from 0 to 4, not %g and %g", t.Pressure, t.Wide)
	}
	return nil
}

// Reached are the vertices that a tip reaches from a place in a triangle, and how strongly, above 0 to 1; wide is times the
// radius, 0 is 1.
func (n *Net) Reached(b *Tip, tri int32, at r3.Vec, wide float64) (vertices []int32, strength []float64) {
	radius := b.Radius
	if wide > 0 {
		radius *= wide
	}
	var all []int32
	var distances []float64
	if b.Through {
		all, distances = n.Within(at, radius)
	} else {
		all, distances = n.Along(tri, at, radius)
	}
	c := n.Tris[tri]
	facing := geom.TriangleNormal(n.At[c[0]], n.At[c[1]], n.At[c[2]])
	for i, v := range all {
		if b.Facing && r3.Dot(n.normal[v], facing) <= 0 {
			continue
		}
		if x := b.Falloff(distances[i] / radius); x > 0 {
			vertices, strength = append(vertices, v), append(strength, x)
		}
	}
	return vertices, strength
}

// reach notes how strongly a touch reaches each vertex.
func (s *Stroke) reach(h *hand, tri int32, at r3.Vec, t Touch) {
	vertices, strength := s.net.Reached(&s.brush.Tip, tri, at, t.Wide)
	h.fresh = map[int32]float64{}
	for i, v := range vertices {
		if !s.e.open(v) {
			continue
		}
		x := strength[i] * s.brush.Opacity * t.Pressure
		if x > 0 && (s.brush.Builds || x > h.strength[v]) {
			h.fresh[v] = x
		}
	}
}

var orders = [2]int{0, 1}

// apply changes what a touch reaches. What is drawn to its neighbours is drawn to what they
// were before the touch, so that the order of the vertices is no matter.
func (s *Stroke) apply() []int32 {
	var vertices []int32
	for _, h := range s.hands {
		for v := range h.fresh {
			vertices = append(vertices, v)
		}
	}
	slices.Sort(vertices)
	vertices = slices.Compact(vertices)
	var means [][]Influence
	if s.brush.Mode == BrushSmooth || s.brush.Mode == BrushEven {
		means = make([][]Influence, len(vertices))
		for i, v := range vertices {
			means[i] = s.meanBefore(v)
		}
	}
	for _, v := range vertices {
		if _, ok := s.before[v]; !ok {
			s.before[v] = s.e.At(v)
		}
		if !s.brush.Builds {
			s.e.Of[v] = s.before[v]
		}
	}
	for i, v := range vertices {
		var mean []Influence
		if means != nil {
			mean = means[i]
		}
		strongest := 0.0
		for k := range s.hands {
			h := &s.hands[k]
			x := h.fresh[v]
			if !s.brush.Builds {
				x = math.Max(h.strength[v], x)
				h.strength[v] = x
			}
			strongest = math.Max(strongest, x)
		}
		if len(s.hands) == 2 && s.hands[0].joint == s.hands[1].joint {
			s.one(s.hands[0].joint, v, strongest, mean)
			continue
		}
		strength := func(k int) float64 {
			if s.brush.Builds {
				return s.hands[k].fresh[v]
			}
			return s.hands[k].strength[v]
		}
		paint := func(order ...int) {
			for _, k := range order {
				if x := strength(k); x > 0 {
					s.one(s.hands[k].joint, v, x, mean)
				}
			}
		}
		if len(s.hands) == 1 || strength(0) == 0 || strength(1) == 0 {
			paint(orders[:len(s.hands)]...)
			continue
		}
		// Where both sides reach, the second would take from the first: the mean of both orders.
		from := s.e.Of[v]
		paint(0, 1)
		one := s.e.Of[v]
		s.e.Of[v] = from
		paint(1, 0)
		s.e.Toward(v, one, 0.5)
	}
	return vertices
}

// meanBefore is the mean of the neighbours' influences: as they are now where a stroke builds
// up, else as they were before it.
func (s *Stroke) meanBefore(v int32) []Influence {
	if s.brush.Builds {
		return s.e.mean(v, s.net, nil)
	}
	now := map[int32][]Influence{}
	for _, k := range s.net.Near(v) {
		if list, ok := s.before[k]; ok {
			now[k] = s.e.Of[k]
			s.e.Of[k] = list
		}
	}
	out := s.e.mean(v, s.net, nil)
	for k, list := range now {
		s.e.Of[k] = list
	}
	return out
}

// one paints a vertex with a strength.
func (s *Stroke) one(joint, v int32, x float64, mean []Influence) {
	if s.brush.Mode == BrushEven {
		s.e.Toward(v, mean, x)
		return
	}
	now, to := s.e.Value(v, joint), 0.0
	switch s.brush.Mode {
	case BrushSet:
		to = now + float64(x*(s.brush.Value-now))
	case BrushAdd:
		to = now + float64(x*s.brush.Value)
	case BrushTake:
		to = now - float64(x*s.brush.Value)
	case BrushScale:
		to = float64(now * (1 + float64(x*(s.brush.Value-1))))
	case BrushSmooth:
		m := 0.0
		for _, y := range mean {
			if y.Joint == joint {
				m = y.Value
			}
		}
		if mean == nil {
			return
		}
		to = now + float64(x*(m-now))
	}
	s.e.brushed = true
	s.e.Set(v, joint, to)
	s.e.brushed = false
}

// Undo takes the stroke back and returns the vertices that it had reached, ascending.
func (s *Stroke) Undo() []int32 {
	var out []int32
	for v, list := range s.before {
		s.e.Of[v] = list
		out = append(out, v)
	}
	slices.Sort(out)
	return out
}

// Reached returns how many vertices the stroke has reached.
func (s *Stroke) Reached() int { return len(s.before) }
