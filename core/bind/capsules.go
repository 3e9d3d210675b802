package bind

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Stop is a place along a bone, 0 at the joint and 1 at its child, and the radii there, metres:
// within Inner a vertex follows the bone whole, from there to Outer less and less.
type Stop struct {
	At    float64 `json:"at"`
	Inner float64 `json:"inner"`
	Outer float64 `json:"outer"`
}

// Capsule is the space around the bone from a joint to one of its children. Between stops its
// radii go straight; before the first and after the last they stay.
type Capsule struct {
	Joint string `json:"joint"`
	Child string `json:"child,omitempty"` // "" of a joint that ends a chain and deforms
	Stops []Stop `json:"stops"`
}

// Capsules are those of a skeleton, in the order of its bones. They are not changed in place.
type Capsules struct {
	Of []Capsule `json:"of"`
}

// MaxStops is how many stops a capsule has at most.
const MaxStops = 12

// Check reports what is wrong with a capsule: its stops go up from 0 to 1, and its radii are
// lengths of which the outer is not the smaller.
func (c *Capsule) Check() error {
	if len(c.Stops) == 0 || len(c.Stops) > MaxStops {
		return fmt.Errorf("the capsule of %s has 1 to %d stops, not %d", c.Joint, MaxStops, len(c.Stops))
	}
	for i, x := range c.Stops {
		if !(x.At >= 0 && x.At <= 1) || i > 0 && x.At <= c.Stops[i-1].At {
			return fmt.Errorf("the stops of the capsule of %s go up from 0 to 1, and stop %d is at %g", c.Joint, i+1, x.At)
		}
		if !(x.Inner >= 0 && x.Outer > 0 && x.Outer >= x.Inner) || x.Outer > 1e6 {
			return fmt.Errorf(
				"stop %d of the capsule of %s is %g m within and %g m without: the outer radius is above zero and not the smaller",
				i+1,
				c.Joint,
				x.Inner,
				x.Outer,
			)
		}
	}
	return nil
}

// At returns the radii at a place along the bone, metres.
func (c *Capsule) At(t float64) (inner, outer float64) {
	i := 0
	for i < len(c.Stops) && c.Stops[i].At < t {
		i++
	}
	switch {
	case i == 0:
		return c.Stops[0].Inner, c.Stops[0].Outer
	case i == len(c.Stops):
		return c.Stops[i-1].Inner, c.Stops[i-1].Outer
	}
	a, b := c.Stops[i-1], c.Stops[i]
	u := (t - a.At) / (b.At - a.At)
	return a.Inner + u*(b.Inner-a.Inner), a.Outer + u*(b.Outer-a.Outer)
}

// Find returns the number of the capsule of a bone, -1 for none.
func (c *Capsules) Find(joint, child string) int {
	return slices.IndexFunc(c.Of, func(x Capsule) bool { return x.Joint == joint && x.Child == child })
}

// With returns the capsules with one replaced, or added.
func (c *Capsules) With(x Capsule) *Capsules {
	out := &Capsules{Of: slices.Clone(c.Of)}
	if i := c.Find(x.Joint, x.Child); i >= 0 {
		out.Of[i] = x
	} else {
		out.Of = append(out.Of, x)
	}
	return out
}

// Renamed returns them with joints under new names.
func (c *Capsules) Renamed(to map[string]string) *Capsules {
	out := &Capsules{Of: slices.Clone(c.Of)}
	for i := range out.Of {
		for _, name := range []*string{&out.Of[i].Joint, &out.Of[i].Child} {
			if n, ok := to[*name]; ok {
				*name = n
			}
		}
	}
	return out
}

// Without returns them without those of joints that were removed.
func (c *Capsules) Without(removed map[string]string) *Capsules {
	if len(removed) == 0 {
		return c
	}
	gone := func(x Capsule) bool {
		_, a := removed[x.Joint]
		_, b := removed[x.Child]
		return a || b
	}
	return &Capsules{Of: slices.DeleteFunc(slices.Clone(c.Of), gone)}
}

// Scaled returns them with all radii times a factor.
func (c *Capsules) Scaled(by float64) *Capsules {
	out := &Capsules{Of: slices.Clone(c.Of)}
	for i := range out.Of {
		out.Of[i].Stops = slices.Clone(out.Of[i].Stops)
		for k := range out.Of[i].Stops {
			out.Of[i].Stops[k].Inner *= by
			out.Of[i].Stops[k].Outer *= by
		}
	}
	return out
}

// Mirrored returns them with those of one side given to the bones of the other, and how many
// were.
func (c *Capsules) Mirrored(s *skeleton.Skeleton, from skeleton.Side, x skeleton.Marks) (*Capsules, int) {
	out, n := c, 0
	pairs := s.Pairs(x)
	other := func(name string) string {
		if i := s.Index(name); i >= 0 && pairs.Partner[i] >= 0 {
			return s.Joints[pairs.Partner[i]].Name
		}
		return name
	}
	for _, k := range c.Of {
		if x.Of(k.Joint) != from && x.Of(k.Child) != from {
			continue
		}
		m := Capsule{other(k.Joint), other(k.Child), k.Stops}
		if m.Joint == k.Joint && m.Child == k.Child || s.Index(m.Joint) < 0 || m.Child != "" && s.Index(m.Child) < 0 {
			continue
		}
		out = out.With(m)
		n++
	}
	return out, n
}

// Sections at which a bone is looked at when its capsule is sized, and from what share off the
// straight line between its ends a stop between is kept.
var sections = [...]float64{0, 0.25, 0.5, 0.75, 1}

const (
	bulge = 0.12
	// coreShare is the inner radius over the usual distance of the bone's own vertices, and
	// rimShare the outer one over it at least.
	coreShare, rimShare = 0.9, 1.7
	// strayShare is how many times the usual distance a vertex of the bone's own may be off and
	// still be covered; a lantern in a hand is not the hand.
	strayShare = 4
)

// SizeCapsules makes a capsule for every deforming bone from the mesh: each vertex belongs to
// the bone nearest to it, and the radii are sized at five places along the bone so that all of
// its own are covered, unless far beyond the others. Places between the ends are kept where the
// body bulges or narrows there. Metres, world frame, at rest.
func SizeCapsules(m *mesh.Mesh, s *skeleton.Skeleton, deform []bool) (*Capsules, error) {
	if err := s.Validate(); err != nil {
		return nil, err
	}
	if deform == nil {
		deform = s.Deforming()
	}
	bones := s.Leading(deform)
	if len(bones) == 0 {
		return nil, ErrNoBones
	}
	points := m.World()
	type own struct{ t, d float64 }
	nearest := make([]int32, len(points))
	at := make([]own, len(points))
	geom.Chunks(len(points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			best := math.Inf(1)
			for b, bone := range bones {
				on, t := geom.ClosestOnSegment(points[v], bone.A, bone.B)
				if d := r3.Norm(r3.Sub(points[v], on)); d < best*(1-tie) {
					best, nearest[v], at[v] = d, int32(b), own{t, d}
				}
			}
		}
	})
	of := make([][]own, len(bones))
	for v, b := range nearest {
		of[b] = append(of[b], at[v])
	}
	height := geom.BoxOf(points).Diagonal()
	out := &Capsules{}
	for b, bone := range bones {
		usual := 0.02 * height // of a bone that is nearest to nothing
		if len(of[b]) > 0 {
			usual = median(of[b], func(x own) float64 { return x.d })
		}
		var stops []Stop
		for _, t := range sections {
			var near []own
			for _, x := range of[b] {
				if math.Abs(x.t-t) <= 0.15 && x.d <= strayShare*usual {
					near = append(near, x)
				}
			}
			r := usual
			if len(near) > 0 {
				r = median(near, func(x own) float64 { return x.d })
			}
			stops = append(stops, Stop{At: t, Inner: coreShare * r, Outer: rimShare * r})
		}
		stops = plain(stops)
		c := Capsule{s.Joints[bone.Joint].Name, childName(s, bone), stops}
		for _, x := range of[b] {
			if _, outer := c.At(x.t); x.d <= strayShare*usual && outer < 1.02*x.d {
				for k := range stops { // the stops before and after
					if (k+1 == len(stops) || stops[k+1].At >= x.t) && (k == 0 || stops[k-1].At <= x.t) {
						stops[k].Outer = math.Max(stops[k].Outer, 1.02*x.d)
					}
				}
			}
		}
		for k := range stops {
			stops[k].Outer = math.Max(stops[k].Outer, 1e-9)
		}
		out.Of = append(out.Of, c)
	}
	return out, nil
}

func childName(s *skeleton.Skeleton, bone skeleton.Bone) string {
	if bone.Child < 0 {
		return ""
	}
	return s.Joints[bone.Child].Name
}

// plain drops stops between the ends where the radii go straight anyway.
func plain(stops []Stop) []Stop {
	a, b := stops[0], stops[len(stops)-1]
	out := []Stop{a}
	for _, x := range stops[1 : len(stops)-1] {
		straight := a.Inner + x.At*(b.Inner-a.Inner)
		if math.Abs(x.Inner-straight) > bulge*math.Max(x.Inner, straight) {
			out = append(out, x)
		}
	}
	return append(out, b)
}

func median[T any](list []T, of func(T) float64) float64 {
	x := make([]float64, len(list))
	for i := range list {
		x[i] = of(list[i])
	}
	slices.Sort(x)
	return x[len(x)/2]
}

// CapsuleOptions are those of a bind by capsules.
type CapsuleOptions struct {
	weights.Limits
	Falloff float64 // the exponent with which a weight falls from the inner radius to the outer
	Smooth  int     // how often each vertex is drawn to the mean of its neighbours
	Deform  []bool  // which joints take part; nil is all but end joints
}

// DefaultCapsules are the options of a bind by capsules.
var DefaultCapsules = CapsuleOptions{Limits: DefaultOptions.Limits, Falloff: 2, Smooth: 2}

// ByCapsules binds by capsules: whole within the inner radius of a bone's capsule, falling to
// nothing at its outer one; where several reach a vertex they share it. Vertices outside of all
// have no weights. For blocking out, and where a person wants to say what each joint holds
// (common practice, no source).
func ByCapsules(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	c *Capsules,
	o CapsuleOptions,
	progress progress.Func,
) (*weights.Weights, *Report, error) {
	if err := s.Validate(); err != nil {
		return nil, nil, err
	}
	if o.Cap < 0 || o.Trace < 0 || o.Trace >= 1 || !(o.Falloff >= 0.1 && o.Falloff <= 20) || o.Smooth < 0 || o.Smooth > 100 {
		return nil, nil, fmt.Errorf(
			"the influence cap %d must be 1 or more, or 0 for any number, the trace limit %g between 0 and 1, the falloff %g from 0.1 to 20, and weights are smoothed 0 to 100 times, not %d",
			o.Cap,
			o.Trace,
			o.Falloff,
			o.Smooth,
		)
	}
	if m.Faces() == 0 {
		return nil, nil, errors.New("the mesh has no faces to bind")
	}
	if progress == nil {
		progress = func(string, float64) {}
	}
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	type bounded struct {
		skeleton.Bone
		c *Capsule
	}
	var bones []bounded
	for _, bone := range s.Leading(o.Deform) {
		if i := c.Find(s.Joints[bone.Joint].Name, childName(s, bone)); i >= 0 {
			if err := c.Of[i].Check(); err != nil {
				return nil, nil, err
			}
			bones = append(bones, bounded{bone, &c.Of[i]})
		}
	}
	if len(bones) == 0 {
		return nil, nil, errors.New("no deforming joint has a capsule: fit them to the mesh first")
	}
	progress("Computing capsule weights", 0.1)
	points := m.World()
	names := make([]string, len(s.Joints))
	for i, j := range s.Joints {
		names[i] = j.Name
	}
	w := weights.New(names, len(points))
	geom.Chunks(len(points), 1024, func(lo, hi int) {
		if ctx.Err() != nil {
			return
		}
		var list []weights.Influence
		for v := lo; v < hi; v++ {
			list = list[:0]
			for _, b := range bones {
				on, t := geom.ClosestOnSegment(points[v], b.A, b.B)
				d := r3.Norm(r3.Sub(points[v], on))
				inner, outer := b.c.At(t)
				x := 1.0
				switch {
				case d >= outer:
					continue
				case d > inner:
					x = math.Pow((outer-d)/(outer-inner), o.Falloff)
				}
				if n := len(list); n > 0 && list[n-1].Joint == int32(b.Joint) {
					list[n-1].Value = math.Max(list[n-1].Value, x)
				} else {
					list = append(list, weights.Influence{Joint: int32(b.Joint), Value: x})
				}
			}
			w.Of[v] = weights.Clean(list, weights.Limits{Trace: o.Trace / 10})
		}
	})
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	progress("Smoothing", 0.6)
	w = Smoothed(m, w, o.Smooth)
	whole := w
	w = weights.Capped(m, w, o.Limits)
	report := Account(
		m,
		s,
		w,
		Evidence{Method: "by capsules", Deform: o.Deform, Otherwise: "no vertex is inside its capsule, or other joints outweigh it"},
	)
	report.Capped = costOf(m.World(), whole, w, s, o.Cap)
	progress("Done", 1)
	return w, report, nil
}
