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
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "axes", Title: "Axes", Question: "Does every joint turn about the axis one expects?", Order: 3,
		Touched: func(s *studio.State) bool { return s.Skeleton != nil },
		Reads:   []string{"mesh", "parts", "skeleton", "settings"}, // the mesh: for what a limb bends into
		Find:    find})
	needs := []studio.Need{studio.NeedSkeleton}
	studio.Register(
		studio.Entry{Name: "match_axes", Label: "Roll joints as the one chosen last", Stage: "axes", Words: "match copy orientation whole chain active equal", From: studio.FromForm, Needs: needs, New: func() studio.Operation { return &MatchAxes{} }},
		studio.Entry{Name: "copy_axes", Label: "Copy axes to the other side", Stage: "axes", Words: "mirror orientation partner opposite symmetry", From: studio.FromJoints, Needs: needs, New: func() studio.Operation { return &CopyAxes{} }},
		studio.Entry{Name: "align_ends", Label: "Give end joints their parents' axes", Stage: "axes", Words: "end leaf tip zero orientation inherit", Needs: needs, New: func() studio.Operation { return &AlignEnds{} }},
		studio.Entry{Name: "align_twists", Label: "Put twist joints on their bones, evenly", Stage: "axes", Words: "forearm wring share distribute even twist", Needs: needs, New: func() studio.Operation { return &AlignTwists{} }},
		studio.Entry{Name: "set_order", Label: "Choose orders of turns", Stage: "axes", Words: "rotation order gimbal euler xyz", From: studio.FromForm, Needs: needs, New: func() studio.Operation { return &SetOrder{} }},
		studio.Entry{Name: "align_safe", Label: "Align what is safe", Stage: "axes", Words: "fix all orientation clean up automatic", Needs: needs, New: func() studio.Operation { return &AlignSafe{} }},
		studio.Entry{Name: "roll_axes", Label: "Turn the roll", Stage: "axes", Words: "flip twist roll invert reverse axis orientation", From: studio.FromForm, Needs: []studio.Need{studio.NeedSkeleton}, New: func() studio.Operation { return &RollAxes{} }},
		studio.Entry{Name: "set_axes", Label: "Set the axes of all joints", Stage: "axes", Words: "orient joint orientation roll align aim", Needs: []studio.Need{studio.NeedSkeleton}, New: func() studio.Operation { return &SetAxes{Convention: skeleton.DefaultConvention} }},
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
	remedy := func(label string, joints []string) finding.Remedy {
		params := map[string]any{"aim": c.Aim, "bend": c.Bend, "from": c.From, "world": c.World, "sides": c.Sides, "ends": c.Ends, "by": c.By}
		if joints != nil {
			params["joints"], params["from"] = joints, "bend" // the world's way is what led here
		}
		return finding.Remedy{Label: label, Op: "set_axes", Params: params}
	}
	if off := sk.CheckAxes(c, x, remedy("Set the axes of all joints", nil)); off != nil {
		return off
	}
	of := func(joints []string) finding.Remedy { return remedy("Set the axes of these", joints) }
	return append(sk.CheckSwing(solid, c, x, of), sk.CheckRolls(solid, c, x, of)...)
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
		out = append(out, Hinge{Joint: s.Skeleton.Joints[w.Joint].Name, Motion: w.Motion.String(), Closes: w.Closes, Far: w.Off > skeleton.SwingLimit, Uneven: w.Uneven > skeleton.SwingLimit,
			Off: w.Off * 180 / math.Pi, Unlike: w.Uneven * 180 / math.Pi})
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

// SetAxes turns joints by a convention, which the character keeps. Joints names
// those to turn, Branch takes what hangs from them too; no joint means all.
type SetAxes struct {
	skeleton.Convention
	Joints []string `json:"joints"`
	Branch bool     `json:"branch,omitempty"`
}

// Apply implements Operation.
func (o *SetAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	was := s
	which, err := some(&s, o.Joints, o.Branch)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	var solid *geom.Tree
	if o.Convention.AsksTheSurface() {
		solid = solidOf(s)
	}
	turned, err := s.Skeleton.OrientOn(solid, which, o.Convention, s.Settings.Marks)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	off := func(sk *skeleton.Skeleton) (n int) {
		for _, angle := range sk.AxesOff(o.Convention, s.Settings.Marks) {
			if angle > skeleton.AxisLimit {
				n++
			}
		}
		return n
	}
	before, after := off(s.Skeleton), off(turned)
	n := len(which)
	if which == nil {
		n = len(turned.Joints)
	}
	s = s.WithAxes(turned)
	s.Settings.Convention, s.Settings.Oriented = o.Convention, true
	out := studio.Outcome{Sentence: fmt.Sprintf("Set the axes of %s: %d off their bone became %d", joints(n), before, after), Before: fmt.Sprint(before), After: fmt.Sprint(after)}
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
	Branch  bool     `json:"branch,omitempty"`
	Degrees float64  `json:"degrees"`
}

// Apply implements Operation.
func (o *RollAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := some(&s, o.Joints, o.Branch)
	switch {
	case err != nil:
		return s, studio.Outcome{}, err
	case which == nil:
		return s, studio.Outcome{}, studio.Wrong("choose the joints whose roll is to turn")
	case !(math.Abs(o.Degrees) <= 360):
		return s, studio.Outcome{}, studio.Wrong("the roll turns by at most 360°, not by %g", o.Degrees)
	}
	c, was := s.Settings.Convention, s
	s = s.WithAxes(s.Skeleton.Turned(which, int(c.Aim[0]-'x'), o.Degrees))
	s.Settings.Oriented = true
	return s, studio.Outcome{Sentence: fmt.Sprintf("Turned the roll of %s by %.4g°", joints(len(which)), o.Degrees) + still(was, s)}, nil
}

func joints(n int) string {
	if n == 1 {
		return "1 joint"
	}
	return fmt.Sprintf("%d joints", n)
}
