package shapes

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	needs := []studio.Need{studio.NeedMesh, studio.NeedSkeleton}
	studio.Register(
		studio.Entry{
			Name:  "follow_shape",
			Label: "Let the skeleton follow shape targets",
			Stage: "shapes",
			Words: "build proportions child caricature joints rebind body type",
			From:  studio.FromForm,
			Needs: needs,
			Long:  studio.Always,
			New:   func() studio.Operation { return &FollowShape{Takes: takesBoth, Fit: true} },
		},
		studio.Entry{
			Name:  "shift_joint",
			Label: "Place a joint in a build",
			Stage: "shapes",
			Words: "offset move correct proportions",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &ShiftJoint{} },
		},
		studio.Entry{
			Name:  "drop_shifts",
			Label: "Leave joints where they are in a build",
			Stage: "shapes",
			Words: "remove forget differences reset joints",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropShifts{Takes: takesBoth} },
		},
		studio.Entry{
			Name:  "bake_build",
			Label: "Bake the build",
			Stage: "shapes",
			Words: "apply freeze collapse body type character of its own",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &BakeBuild{} },
		},
	)
}

// What of joints follows a shape.
const (
	takesBoth   = "both"
	takesPlaces = "places"
	takesAxes   = "axes"
)

const (
	// sureOff is how far from an affine map the rings about a joint may be moved, of the height of the build, for its place to be
	// sure: the error was at most two and a half times that over the 60 builds of the bench (go run ./bench builds), and is to be
	// within 1.5 %.
	sureOff = 0.006
	// fitApart is from what distance on, of the height, a joint that followed and one that was fitted disagree. No source.
	fitApart = 0.03
	// shiftLeast is how far a joint moves at least, of the height, turnLeast how far it turns, in radians, to count.
	shiftLeast, turnLeast = 1e-5, 1e-4
)

// FollowShape places the joints where they belong in the body that each target makes at 1, and binds them to its slider.
type FollowShape struct {
	Targets []string `json:"targets" as:"Shape targets"`
	Joints  []string `json:"joints,omitempty" as:"Joints" help:"those that follow; none is all"`
	Takes   string   `json:"takes" as:"Takes" one:"both=places and axes,places=places,axes=axes"`
	Fit     bool     `json:"fit" as:"Compare with a fit" help:"fits the starter to both bodies and names joints on which the two disagree"`
}

// Apply implements studio.Operation.
func (o *FollowShape) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, o.Targets)
	if err != nil {
		return fail(err)
	}
	chosen, err := chosenJoints(&s, o.Joints)
	if err != nil {
		return fail(err)
	}
	rig, out := s.Rig(), studio.Outcome{}
	moved := 0
	for n, k := range at {
		if err := ctx.Err(); err != nil {
			return fail(err)
		}
		t := &rig.Targets[k]
		if t.Lock {
			return fail(studio.Wrong("%s is locked: unlock it first", t.Name))
		}
		part := func(what string, share float64) { progress(what+" "+t.Name, (float64(n)+share)/float64(len(at))) }
		part("Following", 0)
		b := followed(&s, k)
		shifts, far, turned, joint := b.shifts(&s, t.Joints, chosen, o.Takes)
		t.Joints = shifts
		moved += len(shifts)
		said := wording.Count(len(shifts), "joint moves", "joints move")
		if joint != "" {
			said += fmt.Sprintf(", by %s at most (%s)", wording.Length(far), joint)
		}
		out.Steps = append(out.Steps, fmt.Sprintf("%s: %s, and turn by up to %.1f°", t.Name, said, turned))
		out.Left = append(out.Left, b.unsure(&s, t.Name, chosen)...)
		if o.Fit && s.Fit != nil {
			left, err := b.apart(ctx, &s, t.Name, chosen, func(share float64) { part("Fitting", share) })
			if err != nil {
				return fail(err)
			}
			out.Left = append(out.Left, left...)
		}
		if o.Fit && s.Fit == nil {
			out.Steps = append(out.Steps, t.Name+": not compared with a fit, for no starter was fitted to this skeleton")
		}
	}
	if moved == 0 {
		return fail(studio.Nothing("no joint moves with %s: its rings of vertices stay where they are", said(o.Targets)))
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	out.After = wording.Count(moved, "joint", "joints")
	out.Sentence = fmt.Sprintf("The skeleton follows %s: %s", said(o.Targets), wording.Count(moved, "joint moves", "joints move"))
	return s, out, err
}

// chosenJoints are the joints of those names by number; all of them for none.
func chosenJoints(s *studio.State, names []string) ([]int, error) {
	if len(names) > 0 {
		return s.JointsNamed(names)
	}
	out := make([]int, len(s.Skeleton.Joints))
	for i := range out {
		out[i] = i
	}
	return out, nil
}

// body is what a target makes of a character at 1.
type body struct {
	points   []r3.Vec // world
	height   float64
	skeleton *skeleton.Skeleton
	off      []float64 // by joint: how far the rings about it are from an affine map, meters
}

// followed is the body that target k makes alone, with the joints where its rings of vertices have them.
func followed(s *studio.State, k int) body {
	rest := s.Mesh.World()
	values := make([]float64, k+1)
	values[k] = 1
	b := body{points: shape.Places(rest, s.Mesh.WorldShapes()[:k+1], values)}
	b.height = geom.BoxOf(b.points).Size().Y
	free := s.Skeleton.Clone() // joints that a person has pinned are pinned in this body, not in another
	for i := range free.Joints {
		free.Joints[i].Pinned = false
	}
	b.skeleton, b.off = fit.Follow(free, rest, b.points, s.Weights)
	b.skeleton = fit.Realigned(s.Skeleton, b.skeleton)
	return b
}

// shifts are those of the chosen joints in the body, and those that others had, with how far the one goes that goes farthest.
func (b body) shifts(s *studio.State, had map[string]shape.Shift, chosen []int, takes string) (
	out map[string]shape.Shift, far, turned float64, joint string,
) {
	out = map[string]shape.Shift{}
	for name, x := range had {
		out[name] = x
	}
	for _, i := range chosen {
		j := s.Skeleton.Joints[i]
		x := shape.ShiftOf(j, b.skeleton.Joints[i])
		if x.Distance() < shiftLeast*b.height {
			x.Move = [3]float64{}
		}
		if x.Degrees()*math.Pi/180 < turnLeast {
			x.Turn = [3]float64{}
		}
		was := out[j.Name]
		switch takes {
		case takesPlaces:
			x.Turn = was.Turn
		case takesAxes:
			x.Move = was.Move
		}
		if x == (shape.Shift{}) {
			delete(out, j.Name)
			continue
		}
		out[j.Name] = x
		if d := x.Distance(); d > far {
			far, joint = d, j.Name
		}
		turned = max(turned, x.Degrees())
	}
	if len(out) == 0 {
		out = nil
	}
	return out, far, turned, joint
}

// unsure names the joints whose rings are moved too unevenly for their places to be sure.
func (b body) unsure(s *studio.State, target string, chosen []int) []string {
	var names []string
	for _, i := range chosen {
		if b.off[i] > sureOff*b.height {
			names = append(names, s.Skeleton.Joints[i].Name)
		}
	}
	if len(names) == 0 {
		return nil
	}
	return []string{fmt.Sprintf("%s: the skin around %s is moved too unevenly to be sure of %s: look there",
		target, wording.Some(names, "joint", "joints"), map[bool]string{true: "it", false: "them"}[len(names) == 1])}
}

// apart names joints that a fit moves elsewhere between the two bodies than they followed.
func (b body) apart(ctx context.Context, s *studio.State, target string, chosen []int, progress func(share float64)) ([]string, error) {
	o := fit.Options{Params: s.Fit.Params, Own: s.Fit.Own}
	var fitted [2]*skeleton.Skeleton
	for k, points := range [][]r3.Vec{s.Mesh.World(), b.points} {
		m := s.Mesh.Placed(points)
		in, _ := m.Bindable()
		f, _, err := fit.Fit(ctx, in, o, func(_ string, share float64) { progress((float64(k) + share) / 2) })
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			return []string{fmt.Sprintf("%s: the fit to compare with failed (%v)", target, err)}, nil
		}
		fitted[k] = f
	}
	var names []string
	for _, i := range chosen {
		j := s.Skeleton.Joints[i]
		name := j.Name
		if o.Own == nil {
			name = s.Settings.Marks.Translate(name, skeleton.DefaultMarks)
		}
		x, y := fitted[0].Index(name), fitted[1].Index(name)
		if x < 0 || y < 0 || fitted[0].Joints[x].Confidence < skeleton.Sure || fitted[1].Joints[y].Confidence < skeleton.Sure {
			continue
		}
		by := r3.Sub(fitted[1].Joints[y].Pos, fitted[0].Joints[x].Pos)
		if d := r3.Norm(r3.Sub(r3.Sub(b.skeleton.Joints[i].Pos, j.Pos), by)); d > fitApart*b.height {
			names = append(names, fmt.Sprintf("%s (%s)", j.Name, wording.Length(d)))
		}
	}
	if len(names) == 0 {
		return nil, nil
	}
	return []string{fmt.Sprintf("%s: a fit to that body has %s elsewhere: look there", target, wording.Some(names, "joint", "joints"))}, nil
}

// ShiftJoint says where a joint stands in the body that a target makes at 1, beside where it is without.
type ShiftJoint struct {
	Target string     `json:"target" as:"Shape target"`
	Joint  string     `json:"joint" as:"Joint"`
	Move   [3]float64 `json:"move" as:"Moved by" unit:"m" help:"in the world, x y z"`
	Turn   [3]float64 `json:"turn,omitempty" as:"Turned by" unit:"°" help:"about the world’s axes together: an axis as long as the angle"`
	Mirror bool       `json:"mirror,omitempty" as:"Both sides"`
}

// Apply implements studio.Operation.
func (o *ShiftJoint) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, []string{o.Target})
	if err != nil {
		return fail(err)
	}
	i, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return fail(studio.Wrong("%v", err))
	}
	rig := s.Rig()
	t := &rig.Targets[at[0]]
	if t.Lock {
		return fail(studio.Wrong("%s is locked: unlock it first", t.Name))
	}
	next := shape.Shift{Move: o.Move}
	for c := range 3 {
		next.Turn[c] = o.Turn[c] * math.Pi / 180
	}
	names := map[string]shape.Shift{o.Joint: next}
	if o.Mirror {
		p := s.Skeleton.PartnerOf(i, s.Settings.Marks)
		if p < 0 {
			return fail(studio.Wrong("%s has no partner on the other side", o.Joint))
		}
		names[s.Skeleton.Joints[p].Name] = next.Mirrored()
	}
	was := t.Joints[o.Joint]
	all := map[string]shape.Shift{}
	for name, x := range t.Joints {
		all[name] = x
	}
	for name, x := range names {
		if all[name] = x; x == (shape.Shift{}) {
			delete(all, name)
		}
	}
	t.Joints = all
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{
		Before: wording.Length(was.Distance()), After: wording.Length(next.Distance()),
		Sentence: fmt.Sprintf(
			"%s is moved by %s in %s, was %s",
			o.Joint,
			wording.Length(next.Distance()),
			o.Target,
			wording.Length(was.Distance()),
		),
	}, err
}

// DropShifts leaves joints where they are when targets come on.
type DropShifts struct {
	Targets []string `json:"targets" as:"Shape targets"`
	Joints  []string `json:"joints,omitempty" as:"Joints" help:"none is all"`
	Takes   string   `json:"takes" as:"Drops" one:"both=places and axes,places=places,axes=axes"`
}

// Apply implements studio.Operation.
func (o *DropShifts) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, o.Targets)
	if err != nil {
		return fail(err)
	}
	if len(o.Joints) > 0 {
		if _, err := s.JointsNamed(o.Joints); err != nil {
			return fail(err)
		}
	}
	rig, dropped := s.Rig(), 0
	for _, k := range at {
		t := &rig.Targets[k]
		if t.Lock {
			return fail(studio.Wrong("%s is locked: unlock it first", t.Name))
		}
		next := map[string]shape.Shift{}
		for name, x := range t.Joints {
			left := x
			if len(o.Joints) == 0 || slices.Contains(o.Joints, name) {
				switch o.Takes {
				case takesPlaces:
					left.Move = [3]float64{}
				case takesAxes:
					left.Turn = [3]float64{}
				default:
					left = shape.Shift{}
				}
			}
			if left != x {
				dropped++
			}
			if left != (shape.Shift{}) {
				next[name] = left
			}
		}
		t.Joints = next
	}
	if dropped == 0 {
		return fail(studio.Nothing("no such joint moves with %s", said(o.Targets)))
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("%s no longer with %s", wording.Count(dropped, "joint moves", "joints move"), said(o.Targets)),
	}, err
}

// BakeBuild makes the body that is dialed in the character itself: its vertices and joints stand where the targets have them that
// a hand has set, which are used up; weights, and what joints bring on, stay.
type BakeBuild struct {
	Set map[string]float64 `json:"set,omitempty" as:"Values" help:"of shape targets, in place of those that are set now"`
}

// Apply implements studio.Operation.
func (o *BakeBuild) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	rig := s.Rig()
	if o.Set != nil {
		for name, v := range o.Set {
			k := rig.Find(name)
			switch {
			case k < 0:
				return fail(studio.Wrong("there is no shape target %q", name))
			case !rig.Targets[k].ByHand():
				return fail(studio.Wrong("%s is brought on by %s: only what a hand sets can be baked", name, rig.Targets[k].By()))
			case math.IsNaN(v) || math.Abs(v) > 10:
				return fail(studio.Wrong("%s: a value from -10 to 10, not %g", name, v))
			}
		}
		rig = rig.Set(o.Set)
	}
	hand := rig.Hand()
	if len(hand) == 0 {
		return fail(studio.Nothing("no shape target is set by hand: there is no build to bake"))
	}
	// What follows only baked targets has a fixed value, and is baked too; what follows others besides has no place any more.
	values := rig.For(s.Skeleton, s.Settings.Marks).Values(nil)
	baked := make([]bool, len(rig.Targets))
	var names []string
	for k := range rig.Targets {
		t := &rig.Targets[k]
		baked[k] = hand[t.Name] != 0
	}
	for changed := true; changed; {
		changed = false
		for k := range rig.Targets {
			t := &rig.Targets[k]
			sources := t.Sources()
			n := 0
			for _, name := range sources {
				if i := rig.Find(name); i >= 0 && baked[i] {
					n++
				}
			}
			switch {
			case n == 0 || baked[k]:
			case n < len(sources):
				return fail(
					studio.Wrong("%s comes on with %s, of which some would be baked: free or remove it first", t.Name, said(sources)),
				)
			default:
				baked[k], changed = true, true
			}
		}
	}
	world := s.Mesh.WorldShapes()
	var list []mesh.Shape
	for k, x := range world { // the parts of the baked mesh have no frames of their own
		if baked[k] {
			names = append(names, x.Name)
			continue
		}
		values[k] = 0
		list = append(list, x)
	}
	points := shape.Places(s.Mesh.World(), world, values)
	far := 0.0
	for v, p := range s.Mesh.World() {
		far = max(far, r3.Norm(r3.Sub(p, points[v])))
	}
	next := s
	next.Mesh = s.Mesh.Placed(points)
	if s.Skeleton != nil {
		built := rig.For(s.Skeleton, s.Settings.Marks).Built(values)
		next = next.WithBuild(built)
	}
	next, err := withTargets(next, list, rig)
	return next, studio.Outcome{
		Before: "as before", After: "baked",
		Sentence: fmt.Sprintf("Baked %s: vertices moved by up to %s", said(names), wording.Length(far)),
	}, err
}

// mirroredShifts are the shifts of the partners, on the other side, of joints; those in the middle are turned over in place.
func mirroredShifts(s *studio.State, of map[string]shape.Shift) map[string]shape.Shift {
	if len(of) == 0 || s.Skeleton == nil {
		return nil
	}
	out := make(map[string]shape.Shift, len(of))
	for name, x := range of {
		if partner, ok := s.Settings.Marks.Partner(name); ok && s.Skeleton.Index(partner) >= 0 {
			name = partner
		}
		out[name] = x.Mirrored()
	}
	return out
}

// splitShifts parts shifts into those of the left and of the right; joints in the middle move half with each.
func splitShifts(s *studio.State, of map[string]shape.Shift) (left, right map[string]shape.Shift) {
	if len(of) == 0 {
		return nil, nil
	}
	left, right = map[string]shape.Shift{}, map[string]shape.Shift{}
	for name, x := range of {
		switch _, side := s.Settings.Marks.Split(name); side {
		case skeleton.Left:
			left[name] = x
		case skeleton.Right:
			right[name] = x
		default:
			half := shape.Shift{}.Plus(x, 0.5)
			left[name], right[name] = half, half
		}
	}
	return left, right
}

const (
	// broad is from what share of the vertices on a target is looked at as a build, and mostBroad how many vertices times joints
	// times targets are, so that findings are quick. No source.
	broad, mostBroad = 0.2, 60_000_000
	// staysBehind is from what distance on, of the height, a joint is found to be elsewhere than its skin has it, and apart from
	// where a hand or an earlier fit has put it. No source.
	staysBehind, standsOff = 0.01, 0.02
)

// findBuilds looks whether joints are where the bodies have them that targets make.
func findBuilds(s *studio.State) (out []finding.Finding) {
	if s.Skeleton == nil {
		return nil
	}
	var stay, off []string
	var joints []string
	farthest, apart := 0.0, 0.0
	left := mostBroad / max(1, len(s.Mesh.Points)*len(s.Skeleton.Joints))
	deforming := s.Skeleton.Deforming()
	for k, t := range s.Rig().Targets {
		if !t.ByHand() || t.Muted || float64(len(s.Mesh.Shapes[k].Vertex)) < broad*float64(len(s.Mesh.Points)) || left <= 0 {
			continue
		}
		left--
		b := followed(s, k)
		far, joint := 0.0, ""
		for i, j := range s.Skeleton.Joints {
			if !deforming[i] {
				continue
			}
			x := shape.ShiftOf(j, b.skeleton.Joints[i]).Plus(t.Joints[j.Name], -1)
			if d := x.Distance() / b.height; d > far && b.off[i] <= sureOff*b.height {
				far, joint = d, j.Name
			}
		}
		switch {
		case len(t.Joints) == 0 && far > staysBehind:
			stay, farthest = append(stay, t.Name), max(farthest, far*b.height)
		case len(t.Joints) > 0 && far > standsOff:
			off, apart, joints = append(off, t.Name), max(apart, far*b.height), append(joints, joint)
		}
	}
	if len(stay) > 0 {
		out = append(out, finding.Finding{
			Code: "joints_stay", Severity: finding.Harms, Count: len(stay),
			Title: "The skeleton stays behind in " + wording.Count(len(stay), "shape target", "shape targets"),
			Why: fmt.Sprintf(
				"%s moves the skin about joints by up to %s, and the joints stay: posed in that build, the body bends in the wrong places.",
				said(stay),
				wording.Length(farthest),
			),
			Evidence: []finding.Evidence{{What: "a joint is off by", Value: farthest, Limit: staysBehind * heightOf(s), Unit: "m"}},
			Remedies: []finding.Remedy{studio.Offer("Let the skeleton follow", &FollowShape{Targets: stay, Takes: takesBoth, Fit: true})},
		})
	}
	if len(off) > 0 {
		out = append(out, finding.Finding{
			Code: "joints_off", Severity: finding.Note, Count: len(off),
			Title: "Joints stand off their skin in " + wording.Count(len(off), "build", "builds"),
			Why: fmt.Sprintf(
				"In %s, %s is up to %s from where the rings of skin around it have it. If it was placed so by hand, accept this.",
				said(off),
				wording.Some(slices.Compact(joints), "joint", "joints"),
				wording.Length(apart),
			),
			Evidence: []finding.Evidence{{What: "a joint is off by", Value: apart, Limit: standsOff * heightOf(s), Unit: "m"}},
			Where:    finding.Where{Joints: slices.Compact(joints)},
			Remedies: []finding.Remedy{studio.Offer("Let the skeleton follow", &FollowShape{Targets: off, Takes: takesBoth, Fit: true})},
		})
	}
	return out
}
