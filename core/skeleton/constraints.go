package skeleton

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Constraints are what a joint keeps to when it is posed. They are placed and kept here;
// the motion check solves them. A Constraints that is shared is never written to.
type Constraints struct {
	// Limits in degrees from rest, about the bend axis, the third axis and the aim axis of
	// the convention; nil is none.
	Bend  *[2]float64 `json:"bend,omitempty"`
	Side  *[2]float64 `json:"side,omitempty"`
	Twist *[2]float64 `json:"twist,omitempty"`
	// Goal is what the joint, the end of a limb, follows; Look is the place that its bone
	// points to. World, metres.
	Goal *Goal   `json:"goal,omitempty"`
	Look *r3.Vec `json:"look,omitempty"`
	// Share is how much of the twist of the next joint that is none a twist joint takes, 0
	// to 1; 0 is none.
	Share float64 `json:"share,omitempty"`
	// Length is how short and how long the joint may become when it is posed, as parts of its length; nil is
	// as is usual. Thick: then its skin keeps its thickness, and not its volume.
	Length *[2]float64 `json:"length,omitempty"`
	Thick  bool        `json:"thick,omitempty"`
}

// Goal is a place that a joint follows, with the place that the bend of its limb points to.
type Goal struct {
	At    r3.Vec `json:"at"`
	Pole  r3.Vec `json:"pole"`
	Bones int    `json:"bones"` // of the limb, from the joint up
}

// MostLong is how many times its length a joint may become.
const MostLong = 10

// MaxGoalBones is how many bones may follow a goal.
const MaxGoalBones = 64

// Validate reports a limit the wrong way round or a number that is none.
func (c *Constraints) Validate() error {
	for name, l := range map[string]*[2]float64{"bend": c.Bend, "side": c.Side, "twist": c.Twist} {
		if l != nil && !(l[0] <= l[1] && l[0] >= -360 && l[1] <= 360) {
			return fmt.Errorf("its %s limits are %g to %g: enter the lower first, within 360°", name, l[0], l[1])
		}
	}
	if g := c.Goal; g != nil && (!geom.Finite(g.At) || !geom.Finite(g.Pole) || g.Bones < 1 || g.Bones > MaxGoalBones) {
		return fmt.Errorf("its goal is at %v with the pole %v for %d bones", g.At, g.Pole, g.Bones)
	}
	if c.Look != nil && !geom.Finite(*c.Look) {
		return fmt.Errorf("its look-at position %v is not valid", *c.Look)
	}
	if l := c.Length; l != nil && !(l[0] > 0 && l[0] <= 1 && l[1] >= 1 && l[1] <= MostLong) {
		return fmt.Errorf("length limits are %g to %g: the lower above 0 and at most 1, the higher 1 to %d", l[0], l[1], MostLong)
	}
	if !(c.Share >= 0 && c.Share <= 1) {
		return fmt.Errorf("its part of the twist must be 0 to 1, not %g", c.Share)
	}
	return nil
}

// empty reports whether nothing is kept to.
func (c *Constraints) empty() bool { return c == nil || *c == Constraints{} }

// orNil returns nil for constraints that say nothing.
func (c *Constraints) orNil() *Constraints {
	if c.empty() {
		return nil
	}
	return c
}

// at returns constraints with their places put through f.
func (c *Constraints) at(f func(r3.Vec) r3.Vec) *Constraints {
	if c == nil || c.Goal == nil && c.Look == nil {
		return c
	}
	out := *c
	if c.Goal != nil {
		g := *c.Goal
		g.At, g.Pole = f(g.At), f(g.Pole)
		out.Goal = &g
	}
	if c.Look != nil {
		p := f(*c.Look)
		out.Look = &p
	}
	return &out
}

// mirrored returns constraints for the joint of the other side. Where the same positive turn
// bends both sides, side and twist run the other way there.
func (c *Constraints) mirrored(plane float64, conv Convention) *Constraints {
	if c == nil {
		return nil
	}
	out := *c.at(func(p r3.Vec) r3.Vec { return Mirrored(p, plane) })
	if conv.Sides != "mirror" {
		out.Side, out.Twist = negated(out.Side), negated(out.Twist)
	}
	return &out
}

func negated(l *[2]float64) *[2]float64 {
	if l == nil {
		return nil
	}
	return &[2]float64{-l[1], -l[0]}
}

// Constrained returns the skeleton with the constraints of joint i; with both, its partner
// gets the mirrored ones.
func (s *Skeleton) Constrained(i int, c *Constraints, both bool, conv Convention, x Marks) (*Skeleton, error) {
	if c != nil {
		if err := c.Validate(); err != nil {
			return nil, fmt.Errorf("%s: %w", s.Joints[i].Name, err)
		}
	}
	out := s.Clone()
	out.Joints[i].Keeps = c.orNil()
	conv = s.AxesOf(i, conv)
	if pairs := s.Pairs(x); both && pairs.Partner[i] >= 0 {
		out.Joints[pairs.Partner[i]].Keeps = c.mirrored(pairs.Plane, conv).orNil()
	}
	return out, nil
}

// Limb returns the joint from which bones bones lead to joint i, and how many there are: fewer
// where the root comes before.
func (s *Skeleton) Limb(i, bones int) (from, n int) {
	from = i
	for n < bones && s.Joints[from].Parent >= 0 {
		from = s.Joints[from].Parent
		n++
	}
	return from, n
}

// GoalOf proposes the goal of the end of a limb: where it stands, with the pole as far as
// the limb is long from its middle joint, to the side to which it bends; to where the
// joint folds by its name where it is straight.
func (s *Skeleton) GoalOf(i, bones int, c Convention, x Marks) Goal {
	from, n := s.Limb(i, bones)
	at, top := s.Joints[i].Pos, s.Joints[from].Pos
	mid := i
	for k := 0; k < n/2 || k < 1 && n > 0; k++ {
		mid = s.Joints[mid].Parent
	}
	m := s.Joints[mid].Pos
	length := 0.0
	for k := i; k != from; k = s.Joints[k].Parent {
		length += r3.Norm(r3.Sub(s.Joints[k].Pos, s.Joints[s.Joints[k].Parent].Pos))
	}
	on, _ := geom.ClosestOnSegment(m, top, at)
	out := r3.Sub(m, on)
	if r3.Norm(out) < straight*length { // the bend says nothing: against where the joint's end goes as it folds
		out = r3.Cross(axisOf(s.Joints[mid], s.AxesOf(mid, c).Bend), r3.Sub(at, top))
		if f, known := s.body(x).flexion(mid); known {
			out = r3.Scale(-1, f)
		}
	}
	pole := m
	if r3.Norm(out) > 0 {
		pole = r3.Add(m, r3.Scale(length, r3.Unit(out)))
	}
	return Goal{At: at, Pole: pole, Bones: max(1, n)}
}

// Carried returns after with the places of constraints moved as far as their joints were
// since before, a pole as far as the middle joint of its limb, where nothing else has
// changed them.
func Carried(before, after *Skeleton) *Skeleton {
	at := before.Numbers()
	var out *Skeleton
	for i, j := range after.Joints {
		k, ok := at[j.Name]
		if !ok || j.Keeps == nil || j.Keeps != before.Joints[k].Keeps || j.Keeps.Goal == nil && j.Keeps.Look == nil {
			continue
		}
		by := r3.Sub(j.Pos, before.Joints[k].Pos)
		poleBy := by
		if g := j.Keeps.Goal; g != nil {
			mid, n := i, 0
			for n < (g.Bones+1)/2 && after.Joints[mid].Parent >= 0 {
				mid = after.Joints[mid].Parent
				n++
			}
			if m, ok := at[after.Joints[mid].Name]; ok {
				poleBy = r3.Sub(after.Joints[mid].Pos, before.Joints[m].Pos)
			}
		}
		if by == (r3.Vec{}) && poleBy == (r3.Vec{}) {
			continue
		}
		if out == nil {
			out = after.Clone()
		}
		c := *j.Keeps
		if c.Goal != nil {
			g := *c.Goal
			g.At, g.Pole = r3.Add(g.At, by), r3.Add(g.Pole, poleBy)
			c.Goal = &g
		}
		if c.Look != nil {
			p := r3.Add(*c.Look, by)
			c.Look = &p
		}
		out.Joints[i].Keeps = &c
	}
	if out == nil {
		return after
	}
	return out
}

// Says tells of constraints in a few words, "" for none: for a table.
func (c *Constraints) Says() string {
	if c.empty() {
		return ""
	}
	out := ""
	add := func(s string) {
		if out != "" {
			out += ", "
		}
		out += s
	}
	limit := func(name string, l *[2]float64) {
		if l != nil {
			add(fmt.Sprintf("%s %g to %g°", name, math.Round(l[0]), math.Round(l[1])))
		}
	}
	limit("bend", c.Bend)
	limit("side", c.Side)
	limit("twist", c.Twist)
	if c.Goal != nil {
		add(fmt.Sprintf("goal of %d bones", c.Goal.Bones))
	}
	if c.Look != nil {
		add("look-at")
	}
	if c.Share > 0 {
		add(fmt.Sprintf("%.0f%% of the twist", 100*c.Share))
	}
	if c.Length != nil {
		add(fmt.Sprintf("length %.3g to %.3g", c.Length[0], c.Length[1]))
	}
	if c.Thick {
		add("keep thickness")
	}
	return out
}
