package shapes

import (
	"context"
	"fmt"
	"maps"
	"math"
	"reflect"
	"slices"

	"wisemarrow/core/corrective"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/solve"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/num/quat"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "drive_by_pose",
			Label: "Drive a shape target by the pose",
			Stage: "shapes",
			Words: "pose space several joints radial basis interpolation reader",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			New:   func() studio.Operation { return &DriveByPose{} },
		},
		studio.Entry{
			Name:  "correct_pose",
			Label: "Compute a corrective for the pose",
			Stage: "shapes",
			Words: "corrective several joints here sculpt pose space deformation",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			Long:  studio.Always,
			New:   func() studio.Operation { return &CorrectPose{} },
		},
	)
}

// leastPosed is from what angle on, in degrees, a joint of a pose counts.
const leastPosed = 1

// nearOf is the pose of the joints that turn by so much that it counts; a joint that is not there, or no turn, is refused.
func nearOf(s *studio.State, t studio.Turns) (pose.Pose, *shape.Near, error) {
	all, err := t.Pose(s)
	if err != nil {
		return nil, nil, err
	}
	p, near := pose.Pose{}, &shape.Near{}
	away := 0.0
	for name, q := range all {
		if s.Skeleton.Joints[s.Skeleton.Index(name)].Helper != nil {
			continue // it turns by its rule
		}
		q = geom.Normalise(q) // how long a joint is has no part in it
		if angle := geom.Angle(q, geom.Identity) * 180 / math.Pi; angle >= leastPosed {
			p[name] = q
			away += angle * angle
		}
	}
	if len(p) == 0 {
		return nil, nil, studio.Wrong("no joint is turned: pose the character first")
	}
	near.Turns = studio.TurnsOf(p)
	near.Reach = math.Round(math.Sqrt(away)) // as far as rest, half way it is about half on
	return p, near, nil
}

// DriveByPose brings a target on in a pose of one joint or several: off at rest and in the poses of other targets of the same
// joints.
type DriveByPose struct {
	Target string       `json:"target" as:"Shape target"`
	Turns  studio.Turns `json:"turns" as:"Pose" help:"turns of joints about their own axes, x y z w"`
	Reach  float64      `json:"reach,omitempty" as:"Reach" in:"0..1000" unit:"°" help:"how far from the pose it is still on in part; 0 is as far as rest"`
}

// Apply implements studio.Operation.
func (o *DriveByPose) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	_, near, err := nearOf(&s, o.Turns)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if o.Reach > 0 {
		near.Reach = o.Reach
	}
	next, out, err := sourced(s, o.Target, func(t *shape.Target) { t.Near = near })
	if err == nil && slices.Contains(next.Shapes.For(next.Skeleton, next.Settings.Marks).Lost, o.Target) {
		err = studio.Wrong("another shape target is on in the same pose, or one all but the same: change the pose, or free that target")
	}
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return next, out, nil
}

// CorrectPose computes what the skin lacks in a pose, as an elastic body would stand there, beside what other targets bring on
// there, as a target that comes on near that pose. One that does not measure better is not added.
type CorrectPose struct {
	Turns studio.Turns `json:"turns" as:"Pose" help:"turns of joints about their own axes, x y z w"`
	Name  string       `json:"name,omitempty" as:"Name" help:"none is one of the joints"`
}

// Apply implements studio.Operation.
func (o *CorrectPose) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if s.Binding != nil && !s.Binding.Still(s.Skeleton) {
		return fail(
			studio.Wrong("the joints are not all in the pose that the skin was bound in: at Bind pose, return to it or record it again"),
		)
	}
	p, near, err := nearOf(&s, o.Turns)
	if err != nil {
		return fail(err)
	}
	name := o.Name
	if name == "" {
		name = poseName(s, near)
	}
	if err := studio.CheckName("a shape target", name); err != nil {
		return fail(err)
	}
	name = uniqueIn(s.Mesh.Shapes, name)
	skin, check, err := s.Tried(studio.Usual)
	if err != nil {
		return fail(err)
	}
	progress("Preparing the guide", 0.1)
	in, g, err := guideOf(ctx, &s, skin)
	if err != nil {
		return fail(err)
	}
	progress("Bending the guide", 0.3)
	var joints []int
	for _, n := range slices.Sorted(maps.Keys(near.Turns)) {
		joints = append(joints, s.Skeleton.Index(n))
	}
	made, err := corrective.InPose(ctx, skin, in, g, p, joints)
	if err != nil {
		return fail(err)
	}
	if made == nil {
		return fail(studio.Nothing("the skin lacks nothing there"))
	}
	made.Target.Name = name
	rig := s.Rig()
	rig.Targets = append(rig.Targets, shape.Target{Name: name, Near: near, Made: "computed for " + near.By()})
	next, err := withTargets(s, append(slices.Clone(s.Mesh.Shapes), shape.Mapped(made.Target, s.Mesh.FromWorld())), rig)
	if err != nil {
		return fail(err)
	}
	if slices.Contains(next.Rig().For(next.Skeleton, next.Settings.Marks).Lost, name) {
		return fail(
			studio.Wrong("another shape target is on in the same pose, or one all but the same: change the pose, or remove that target"),
		)
	}
	progress("Measuring the pose", 0.7)
	with, _, err := next.Tried(studio.Usual)
	if err != nil {
		return fail(err)
	}
	was, wasOver, err := inPose(ctx, skin, p, check)
	if err != nil {
		return fail(err)
	}
	is, over, err := inPose(ctx, with, p, check)
	if err != nil {
		return fail(err)
	}
	if !(is < (1-leastBetter)*was) || over > wasOver {
		return fail(studio.Nothing("a corrective for %s does not measure better: %.2f of the limits, with it %.2f", near.By(), was, is))
	}
	progress("Measuring the test reel with it", 0.8)
	sheet, err := studio.Measure(ctx, &next, studio.Usual, nil)
	if err != nil {
		return fail(err)
	}
	reel := s.Reel(sheet.Asked, true)
	spoiled, err := solve.SpoiledBy(sheet.Faults, func(kind string, frame int) (float64, error) {
		return skin.SpotTimes(ctx, reel, kind, frame, check)
	})
	if err != nil {
		return fail(err)
	}
	next.Sheet = sheet
	if s.Sheet != nil && !s.Sheet.Stale && reflect.DeepEqual(s.Sheet.Asked, studio.Usual) {
		sheet.Before = &s.Sheet.Brief
	}
	out := studio.Outcome{
		Before: fmt.Sprintf("%.2f", was), After: fmt.Sprintf("%.2f", is),
		Sentence: fmt.Sprintf("Added %s: in that pose %.2f → %.2f of the limits, spots over %d → %d", name, was, is, wasOver, over),
		Steps: []string{fmt.Sprintf("%s: %s, by %s at most; off the guide by %s, before %s", name,
			wording.Count(len(made.Target.Vertex), "vertex", "vertices"), wording.Length(made.Largest),
			wording.Length(made.After), wording.Length(made.Before))},
	}
	if len(spoiled) > 0 {
		x := spoiled[0]
		out.Left = append(out.Left, fmt.Sprintf(
			"on the way there it makes %s worse: %s in %s goes from %.2f to %.2f of its limit; lessen its reach, or scale it",
			wording.Count(len(spoiled), "spot of the test reel", "spots of the test reel"), x.Kind, x.Pose, x.Was, x.Times))
	}
	if made.Flattened > 0 {
		out.Left = append(out.Left, fmt.Sprintf("blending flattens %s there, which come nearer only",
			wording.Count(made.Flattened, "vertex", "vertices")))
	}
	return next, out, nil
}

// poseName is what a target of a pose is called by its first joint: "upper_arm_pose_l".
func poseName(s studio.State, near *shape.Near) string {
	first := slices.Sorted(maps.Keys(near.Turns))[0]
	stem, side := s.Settings.Marks.Split(first)
	return s.Settings.Marks.Join(stem+"_pose", side)
}

// inPose measures a skin in one pose: the root of the sum of squares of its faults over their limits, and how many are over.
func inPose(ctx context.Context, skin *deform.Skin, p pose.Pose, o deform.CheckOptions) (size float64, over int, err error) {
	o.Cross, o.Cover = 1, min(o.Cover, 1)
	reel := &pose.Reel{
		Segments: []pose.Segment{{Name: "pose", Kind: pose.SegmentOwn, From: 0, To: 1}},
		Frames:   []pose.Frame{{Tried: pose.Tried{Name: "pose", Joint: -1, Pose: p}, Same: -1}},
	}
	c, err := skin.Check(ctx, reel, o, nil)
	if err != nil {
		return 0, 0, err
	}
	for _, kind := range deform.FaultKinds {
		size += float64(c.Worst[kind] * c.Worst[kind])
	}
	return math.Sqrt(size), c.Over, nil
}

// mirroredNear is a pose in the mirror.
func mirroredNear(s *studio.State, n *shape.Near) *shape.Near {
	p := pose.Pose{}
	for name, q := range n.Turns {
		p[name] = quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]}
	}
	return &shape.Near{Turns: studio.TurnsOf(p.Mirrored(s.Skeleton, s.Settings.Marks)), Reach: n.Reach}
}
