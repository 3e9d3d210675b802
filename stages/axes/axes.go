// Package axes is the stage at which joints get their axes: along the bone, about
// the bend, the same way on both sides.
package axes

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "axes", Title: "Axes", Question: "Does every joint rotate about the axis you expect?", Order: 3,
		Touched: func(s *studio.State) bool { return s.Skeleton != nil },
		Reads:   []string{"mesh", "parts", "skeleton", "settings"}, // the mesh: for what a limb bends into
		Find:    find,
		Steps: []studio.FirstStep{
			{What: "Set the convention and orient all joints", Done: studio.Has(func(s *studio.State) bool { return s.Settings.Oriented })},
			{
				What: "See that hinges bend the right way",
				Done: studio.Without(
					studio.HasSkeleton,
					"bends_backward",
					"bends_sideways",
					"bends_into_body",
					"bends_unlike_partner",
					"wrong_bend",
					"no_bend",
				),
			},
			{
				What: "Make left and right agree",
				Done: studio.Without(studio.HasSkeleton, "axes_unlike_partner", "sides_differ", "no_partner"),
			},
			{What: "Fix what else is found", Done: studio.Settled(func(s *studio.State) bool { return s.Settings.Oriented })},
			{What: "Go on to Bind", Done: studio.Has(studio.HasWeights)},
		}})
	needs := []studio.Need{studio.NeedSkeleton}
	studio.Register(
		studio.Entry{
			Name:  "match_axes",
			Label: "Match roll to the last selected",
			Stage: "axes",
			Words: "match copy orientation whole chain active equal",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &MatchAxes{} },
		},
		studio.Entry{
			Name:  "copy_axes",
			Label: "Mirror axes to the other side",
			Stage: "axes",
			Words: "mirror orientation partner opposite symmetry",
			From:  studio.FromJoints,
			Needs: needs,
			New:   func() studio.Operation { return &CopyAxes{} },
		},
		studio.Entry{
			Name:  "align_ends",
			Label: "Match end joints to their parents",
			Stage: "axes",
			Words: "end leaf tip zero orientation inherit",
			Needs: needs,
			New:   func() studio.Operation { return &AlignEnds{} },
		},
		studio.Entry{
			Name:  "zero_axes",
			Label: "Zero the rest rotations",
			Stage: "axes",
			Words: "freeze identity world orientation reset rotation bind",
			Needs: needs,
			New:   func() studio.Operation { return &ZeroAxes{} },
		},
		studio.Entry{
			Name:  "align_twists",
			Label: "Space twist joints evenly",
			Stage: "axes",
			Words: "forearm wring share distribute even twist",
			Needs: needs,
			New:   func() studio.Operation { return &AlignTwists{} },
		},
		studio.Entry{
			Name:  "set_order",
			Label: "Set rotation orders",
			Stage: "axes",
			Words: "rotation order gimbal euler xyz",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SetOrder{} },
		},
		studio.Entry{
			Name:  "align_safe",
			Label: "Apply safe alignments",
			Stage: "axes",
			Words: "fix all orientation clean up automatic",
			Needs: needs,
			New:   func() studio.Operation { return &AlignSafe{} },
		},
		studio.Entry{
			Name:  "roll_axes",
			Label: "Roll joints",
			Stage: "axes",
			Words: "flip twist roll invert reverse axis orientation",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &RollAxes{} },
		},
		studio.Entry{
			Name:  "set_axes",
			Label: "Orient all joints",
			Stage: "axes",
			Words: "orient joint orientation roll align aim",
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &SetAxes{Convention: skeleton.DefaultConvention} },
		},
	)
}

// find measures a state; the mesh only where there is one.
func find(c *studio.Checked) []finding.Finding {
	s := c.State
	if s.Skeleton == nil {
		return nil
	}
	var solid *geom.Tree
	if m := c.Mesh(); m != nil {
		solid = m.Surface.Tree
	}
	return Check(s.Skeleton, solid, s.Settings.Convention, s.Settings.Marks)
}

// Check measures the axes of a skeleton against a convention: first whether they lie along
// the bones, then, when they do, which way each hinge bends. solid is the mesh's tree, or
// nil.
func Check(sk *skeleton.Skeleton, solid *geom.Tree, c skeleton.Convention, x skeleton.Marks) []finding.Finding {
	list := sk.CheckAxes(c, x)
	if list == nil {
		list = append(sk.CheckSwing(solid, c, x), sk.CheckRolls(solid, c, x)...)
	}
	return studio.Remedied(list, remedies(sk, c))
}

// Hinge is a joint whose way to bend is known, as the panel lists it.
type Hinge struct {
	Joint, Motion       string
	Closes, Far, Uneven bool // Far: off its plane by more than skeleton.SwingLimit
	Off, Unlike         float64
}

// Hinges lists the hinges of a state and how they bend, in the order of the joints.
func Hinges(s *studio.State) []Hinge {
	var out []Hinge
	for _, w := range s.Skeleton.TrySwings(nil, s.Settings.Convention, s.Settings.Marks) {
		out = append(
			out,
			Hinge{
				Joint:  s.Skeleton.Joints[w.Joint].Name,
				Motion: w.Motion.String(),
				Closes: w.Closes,
				Far:    w.Off > skeleton.SwingLimit,
				Uneven: w.Uneven > skeleton.SwingLimit,
				Off:    w.Off * 180 / math.Pi,
				Unlike: w.Uneven * 180 / math.Pi,
			},
		)
	}
	return out
}

// some returns the numbers of joints by name, each once, with what hangs from them if
// branch; nil for no names.
func some(s *studio.State, names []string, branch bool) ([]int, error) {
	if len(names) == 0 {
		return nil, nil
	}
	which, err := s.JointsNamed(names)
	if err != nil || !branch {
		return which, err
	}
	var out []int
	for _, i := range which {
		out = append(out, s.Skeleton.Branch(i)...)
	}
	slices.Sort(out)
	return slices.Compact(out), nil
}

// SetAxes orients joints by a convention. Joints names them, Branch adds their descendants; the
// convention becomes that of their chain. No joint means all, and the convention becomes the
// character's. With Own each joint is oriented by the convention that it has; From, if given,
// replaces where its bend axis comes from.
type SetAxes struct {
	skeleton.Convention
	Joints []string `json:"joints"`
	Branch bool     `json:"branch,omitempty"`
	Own    bool     `json:"own,omitempty"`
}

// convened returns the skeleton and the settings with the conventions that o asks for; no joint
// is turned yet.
func (o *SetAxes) convened(s *studio.State, which []int) (*skeleton.Skeleton, skeleton.Convention, error) {
	c := s.Settings.Convention
	if o.Own {
		out := s.Skeleton.Clone()
		for _, i := range which {
			own := out.AxesOf(i, c)
			if o.From != "" {
				own.From, own.By = o.From, skeleton.Chains{}
			}
			if err := own.Validate(); err != nil {
				return nil, c, studio.Wrong("%v", err)
			}
			if own == c {
				own = skeleton.Convention{}
			}
			out.Joints[i].Axes = own
		}
		return out, c, nil
	}
	if err := o.Convention.Validate(); err != nil {
		return nil, c, studio.Wrong("%v", err)
	}
	if which == nil {
		c = o.Convention
	}
	return s.Skeleton.WithAxesOf(which, o.Convention, c), c, nil
}

// Apply implements Operation.
func (o *SetAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	was := s
	which, err := some(&s, o.Joints, o.Branch)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if o.Own && which == nil {
		return s, studio.Outcome{}, studio.Wrong("select the joints to orient by the convention of their chain")
	}
	convened, c, err := o.convened(&s, which)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	var solid *geom.Tree
	for i := range convened.Joints {
		if convened.AxesOf(i, c).AsksTheSurface() {
			solid = solidOf(s)
			break
		}
	}
	turned, err := convened.OrientOn(solid, which, c, s.Settings.Marks)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	off := func(sk *skeleton.Skeleton) (n int) {
		for _, angle := range sk.AxesOff(c, s.Settings.Marks) {
			if angle > skeleton.AxisLimit {
				n++
			}
		}
		return n
	}
	before, after := off(convened), off(turned)
	n := len(which)
	if which == nil {
		n = len(turned.Joints)
	}
	s = s.WithAxes(turned)
	s.Settings.Convention, s.Settings.Oriented = c, true
	out := studio.Outcome{
		Sentence: fmt.Sprintf("Oriented %s: off their bone %d → %d", wording.Count(n, "joint", "joints"), before, after),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(after),
	}
	right, all := 0, 0
	for _, h := range Hinges(&s) {
		all++
		if h.Closes && !h.Far && !h.Uneven {
			right++
		}
	}
	if all > 0 {
		out.Sentence += fmt.Sprintf("; %d of %d hinges fold the way they should", right, all)
	}
	out.Sentence += still(was, s)
	return s, out, nil
}

// RollAxes turns the axes of joints about their bones by degrees; 180 flips which way they
// bend. No joint moves.
type RollAxes struct {
	Joints  []string `json:"joints"`
	Branch  bool     `json:"branch,omitempty" help:"and all their descendants"`
	Degrees float64  `json:"degrees" as:"Roll" in:"-360..360" unit:"°"`
}

// Apply implements Operation.
func (o *RollAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := some(&s, o.Joints, o.Branch)
	switch {
	case err != nil:
		return s, studio.Outcome{}, err
	case which == nil:
		return s, studio.Outcome{}, studio.Wrong("select the joints to roll")
	}
	was := s
	s = s.WithAxes(s.Skeleton.Rolled(which, s.Settings.Convention, o.Degrees))
	s.Settings.Oriented = true
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Rolled %s by %.4g°", wording.Count(len(which), "joint", "joints"), o.Degrees) + still(was, s),
	}, nil
}

// ZeroAxes gives all joints the axes of the world, so that none is rotated at rest. No joint moves, and poses and motions
// look as they did.
type ZeroAxes struct{}

// Apply implements studio.Operation.
func (o *ZeroAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	was := s
	out := s.Skeleton.Clone()
	n := 0
	for i := range out.Joints {
		if geom.Angle(geom.Normalise(out.Joints[i].Rot), geom.Identity) > 1e-9 {
			n++
		}
		out.Joints[i].Rot = geom.Identity
	}
	if n == 0 {
		return s, studio.Outcome{}, studio.Nothing("no joint is rotated at rest")
	}
	s = s.WithAxes(out)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Joints with the axes of the world: %d → %d of %d", len(out.Joints)-n, len(out.Joints), len(out.Joints)) + still(was, s),
		Before:   fmt.Sprint(n), After: "0",
	}, nil
}

// OwnRow is a chain whose axes have a convention of their own, for a table.
type OwnRow struct{ Joint, Says string }

// OwnAxes lists the joints at which conventions begin that are not the character's.
func OwnAxes(s *studio.State) []OwnRow {
	var out []OwnRow
	hang := map[skeleton.Convention]map[int]bool{}
	for i, j := range s.Skeleton.Joints {
		if j.Axes == (skeleton.Convention{}) {
			continue
		}
		if hang[j.Axes] == nil {
			hang[j.Axes] = map[int]bool{}
		}
		hang[j.Axes][i] = true
		if hang[j.Axes][j.Parent] {
			continue // goes on
		}
		says := fmt.Sprintf("%s along the bone, bends about %s", j.Axes.Aim, j.Axes.Bend)
		if c := s.Settings.Convention; j.Axes.Aim == c.Aim && j.Axes.Bend == c.Bend {
			says = "bend axis from " + map[string]string{"bend": "the bend direction", "world": "the world", "surface": "the limb's broad side"}[j.Axes.From]
			if j.Axes.Sides != c.Sides {
				says = map[string]string{"bend": "same bend on both sides", "mirror": "right mirrors left"}[j.Axes.Sides]
			}
		}
		out = append(out, OwnRow{j.Name, says})
	}
	return out
}
