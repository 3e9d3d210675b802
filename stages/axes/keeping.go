package axes

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	needs := []studio.Need{studio.NeedSkeleton}
	studio.Register(
		studio.Entry{
			Name:  "limit_joints",
			Label: "Limit joint rotation",
			Stage: "axes",
			Words: "limits range constraint degrees of freedom usual",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &LimitJoints{Both: true} },
		},
		studio.Entry{
			Name:  "set_goal",
			Label: "Add an IK goal",
			Stage: "axes",
			Words: "inverse kinematics handle pole target effector constraint",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SetGoal{Bones: 2, Both: true} },
		},
		studio.Entry{
			Name:  "look_at",
			Label: "Add a look-at",
			Stage: "axes",
			Words: "aim constraint eyes head target",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &LookAt{Both: true} },
		},
		studio.Entry{
			Name:  "free_joints",
			Label: "Clear constraints",
			Stage: "axes",
			Words: "remove constraints clear limits goal",
			From:  studio.FromJoints,
			Needs: needs,
			New:   func() studio.Operation { return &FreeJoints{Both: true} },
		},
	)
}

// Keeping is what a joint keeps to and how far it usually turns, as a page shows it.
type Keeping struct {
	// Bend, Aside and Twist are its limits, or how far such a joint usually turns, in degrees
	// from rest; both 0 where nothing is known.
	Bend  [2]float64 `json:"bend"`
	Aside [2]float64 `json:"aside"`
	Twist [2]float64 `json:"twist"`
	Keeps string     `json:"keeps,omitempty"` // in words
	// Long is how short and how long it may become; nil is as is usual. Thick: its skin keeps its thickness then.
	Long  *[2]float64 `json:"long,omitempty"`
	Thick bool        `json:"thick,omitempty"`
	// Goal, Pole and Look are places as JSON lists; "" without.
	Goal string `json:"goal,omitempty"`
	Pole string `json:"pole,omitempty"`
	Look string `json:"look,omitempty"`
}

// KeepingOf lists what the joints of a state keep to.
func KeepingOf(s *studio.State) []Keeping {
	out := make([]Keeping, len(s.Skeleton.Joints))
	place := func(p r3.Vec) string { return fmt.Sprintf("[%g,%g,%g]", p.X, p.Y, p.Z) }
	round := func(l [2]float64) [2]float64 { return [2]float64{math.Round(l[0]), math.Round(l[1])} }
	for i, u := range s.Skeleton.UsualOf(s.Settings.Marks) {
		k := &out[i]
		if u != nil {
			k.Bend, k.Aside, k.Twist = round(u.Bend), round(u.Side), round(u.Twist)
		}
		c := s.Skeleton.Joints[i].Keeps
		if c == nil {
			continue
		}
		k.Keeps, k.Long, k.Thick = c.Says(), c.Length, c.Thick
		for _, x := range []struct {
			to *[2]float64
			l  *[2]float64
		}{{&k.Bend, c.Bend}, {&k.Aside, c.Side}, {&k.Twist, c.Twist}} {
			if x.l != nil {
				*x.to = *x.l
			}
		}
		if c.Goal != nil {
			k.Goal, k.Pole = place(c.Goal.At), place(c.Goal.Pole)
		}
		if c.Look != nil {
			k.Look = place(*c.Look)
		}
	}
	return out
}

// keep changes what joints keep to.
func keep(s studio.State, names []string, both bool, change func(i int, c *skeleton.Constraints) error) (studio.State, int, error) {
	which, err := s.JointsNamed(names)
	if err != nil {
		return s, 0, err
	}
	for _, i := range which {
		c := skeleton.Constraints{}
		if s.Skeleton.Joints[i].Keeps != nil {
			c = *s.Skeleton.Joints[i].Keeps
		}
		if err := change(i, &c); err != nil {
			return s, 0, err
		}
		if s.Skeleton, err = s.Skeleton.Constrained(i, &c, both, s.Settings.Convention, s.Settings.Marks); err != nil {
			return s, 0, studio.Wrong("%v", err)
		}
	}
	return s, len(which), nil
}

// LimitJoints limits how far joints turn about their bend, side and aim axes, in degrees
// from rest, and how long they may become. Usual takes the usual ranges where they are known; a range that is left out
// stays as it is. The partner gets the mirrored limits with both.
type LimitJoints struct {
	Joints []string    `json:"joints"`
	Bend   *[2]float64 `json:"bend,omitempty"`
	Side   *[2]float64 `json:"side,omitempty"`
	Twist  *[2]float64 `json:"twist,omitempty"`
	Usual  bool        `json:"usual,omitempty"`
	// Length is how short and how long they may become, as parts of their length; Thick: then their skin
	// keeps its thickness, else its volume.
	Length *[2]float64 `json:"length,omitempty"`
	Thick  *bool       `json:"thick,omitempty"`
	Both   bool        `json:"both"`
}

// Apply implements studio.Operation.
func (o *LimitJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if !o.Usual && o.Bend == nil && o.Side == nil && o.Twist == nil && o.Length == nil && o.Thick == nil {
		return s, studio.Outcome{}, studio.Wrong("enter a range for bend, side, twist or length, or use the typical limits")
	}
	usual := s.Skeleton.UsualOf(s.Settings.Marks)
	var unknown []string
	s, n, err := keep(s, o.Joints, o.Both, func(i int, c *skeleton.Constraints) error {
		if u := usual[i]; o.Usual && u != nil {
			bend, side, twist := u.Bend, u.Side, u.Twist
			c.Bend, c.Side, c.Twist = &bend, &side, &twist
		} else if o.Usual {
			unknown = append(unknown, s.Skeleton.Joints[i].Name)
		}
		if o.Bend != nil {
			c.Bend = o.Bend
		}
		if o.Side != nil {
			c.Side = o.Side
		}
		if o.Twist != nil {
			c.Twist = o.Twist
		}
		if o.Length != nil {
			c.Length = o.Length
		}
		if o.Thick != nil {
			c.Thick = *o.Thick
		}
		return nil
	})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if o.Usual && len(unknown) == n {
		return s, studio.Outcome{}, studio.Wrong("no typical range for %s: enter degrees", studio.Said(unknown))
	}
	said := fmt.Sprintf("Set limits on %s", studio.Said(o.Joints))
	if unknown != nil {
		said += "; nothing is known of " + studio.Said(unknown)
	}
	return s, studio.Outcome{Sentence: said}, nil
}

// SetGoal gives the end of a limb a goal to follow, with a pole to which the limb bends. They
// stand where the joint stands and to where it bends, unless places are given.
type SetGoal struct {
	Joint string      `json:"joint"`
	Bones int         `json:"bones" as:"Bones" in:"1..64" help:"that follow the goal"`
	At    *[3]float64 `json:"at,omitempty"`
	Pole  *[3]float64 `json:"pole,omitempty"`
	Both  bool        `json:"both"`
}

// Apply implements studio.Operation.
func (o *SetGoal) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	bones := 0
	s, _, err := keep(s, []string{o.Joint}, o.Both, func(i int, c *skeleton.Constraints) error {
		if s.Skeleton.Joints[i].Parent < 0 {
			return studio.Wrong("%s is a root: no limb ends there", o.Joint)
		}
		g := s.Skeleton.GoalOf(i, o.Bones, s.Settings.Convention, s.Settings.Marks)
		if o.At != nil {
			g.At = r3.Vec{X: o.At[0], Y: o.At[1], Z: o.At[2]}
		}
		if o.Pole != nil {
			g.Pole = r3.Vec{X: o.Pole[0], Y: o.Pole[1], Z: o.Pole[2]}
		}
		c.Goal, bones = &g, g.Bones
		return nil
	})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Added an IK goal over %s to %s", wording.Count(bones, "bone", "bones"), o.Joint)}, nil
}

// LookAt lets a joint's bone point to a place: as far ahead as the character is tall, unless
// one is given.
type LookAt struct {
	Joint string      `json:"joint"`
	At    *[3]float64 `json:"at,omitempty"`
	Both  bool        `json:"both"`
}

// Apply implements studio.Operation.
func (o *LookAt) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	s, _, err := keep(s, []string{o.Joint}, o.Both, func(i int, c *skeleton.Constraints) error {
		p := r3.Add(s.Skeleton.Joints[i].Pos, r3.Vec{Z: s.Skeleton.Height()})
		if o.At != nil {
			p = r3.Vec{X: o.At[0], Y: o.At[1], Z: o.At[2]}
		}
		c.Look = &p
		return nil
	})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return s, studio.Outcome{Sentence: "Added a look-at to " + o.Joint}, nil
}

// FreeJoints takes limits, goals and places to look at away.
type FreeJoints struct {
	Joints []string `json:"joints"`
	Both   bool     `json:"both"`
}

// Apply implements studio.Operation.
func (o *FreeJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	had := 0
	s, _, err := keep(s, o.Joints, o.Both, func(_ int, c *skeleton.Constraints) error {
		if *c != (skeleton.Constraints{}) {
			had++
		}
		*c = skeleton.Constraints{}
		return nil
	})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if had == 0 {
		return s, studio.Outcome{}, studio.Wrong("%s have no constraints", studio.Said(o.Joints))
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Cleared the constraints of %s", studio.Said(o.Joints)),
		Before:   fmt.Sprint(had),
		After:    "0",
	}, nil
}
