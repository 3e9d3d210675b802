package shapes

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/corrective"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/num/quat"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "propose_correctives",
			Label: "Compute correctives",
			Stage: "shapes",
			Words: "corrective pose space deformation automatic volume elbow shoulder fix worst spots",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			Long:  studio.Always,
			Keeps: true,
			New:   func() studio.Operation { return &ProposeCorrectives{From: 0.7} },
		},
	)
}

// ProposeCorrectives computes correctives for the worst spots of the motion check: shape targets that bring the skin to where
// an elastic solid would be, brought on by the joint that turns. One that does not measure better is not added.
type ProposeCorrectives struct {
	Joints []string `json:"joints,omitempty" help:"only for these; default all with a spot"`
	From   float64  `json:"from" as:"Spots from" in:"0.1..5" help:"of their limit: 1 is what is over it"`
}

const (
	// leastTurn is from what angle on, in degrees, a joint that turns with others may be to blame for a spot.
	leastTurn = 20
	// leastBetter is by what part a spot must measure better for a corrective of it to be used.
	leastBetter = 0.05
	// mostEnds bounds for how many ends of ranges correctives are computed.
	mostEnds = 80
)

// end is one end of a range, and the spots that a corrective for it is to mend.
type end struct {
	trial   skeleton.Trial
	degrees float64
	spots   []deform.Fault
}

// Apply implements studio.Operation.
func (o *ProposeCorrectives) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if s.Binding != nil && !s.Binding.Still(s.Skeleton) {
		return fail(
			studio.Wrong("the joints are not all in the pose that the skin was bound in: at Bind pose, return to it or record it again"),
		)
	}
	if len(o.Joints) > 0 {
		if _, err := s.JointsNamed(o.Joints); err != nil {
			return fail(err)
		}
	}
	progress("Measuring the skin as it is", 0)
	before, err := studio.Measure(ctx, &s, studio.Usual, func(share float64) { progress("Measuring the skin as it is", 0.2*share) })
	if err != nil {
		return fail(err)
	}
	skin, check, err := s.Tried(before.Asked)
	if err != nil {
		return fail(err)
	}
	reel := s.Reel(before.Asked, true)
	ends, cut := o.ends(&s, before, reel)
	if len(ends) == 0 {
		return fail(studio.Nothing("no spot of a joint that bends is at %g of its limit or more", o.From))
	}
	progress("Preparing the guide", 0.2)
	in, g, err := guideOf(ctx, &s, skin)
	if err != nil {
		return fail(err)
	}
	out := studio.Outcome{Before: fmt.Sprintf("%.2f", before.Score)}
	if cut {
		out.Left = append(
			out.Left,
			fmt.Sprintf("only the %d worst ends of ranges were looked at: compute correctives once more for the others", mostEnds),
		)
	}
	var made []*tried
	for k, both := range ends {
		if studio.StopsEarly(ctx) && len(made) > 0 {
			out.Left = append(out.Left, fmt.Sprintf("stopped: %d of %d places were looked at", k, len(ends)))
			break
		}
		x := &tried{}
		for _, e := range both {
			progress("Correcting "+s.Skeleton.Joints[e.trial.Joint].Name, 0.25+0.45*float64(k)/float64(len(ends)))
			p, err := corrective.Propose(ctx, skin, in, g, e.trial, e.degrees, s.Settings.Marks)
			if err != nil {
				return fail(err)
			}
			if p != nil {
				x.sides = append(x.sides, side{end: e, Proposal: p})
			}
		}
		if len(x.sides) == 0 {
			continue
		}
		if err := x.measure(ctx, &s, skin, reel, check); err != nil {
			return fail(err)
		}
		if x.better() {
			made = append(made, x)
			continue
		}
		out.Left = append(out.Left, fmt.Sprintf("%s: not better (%.2f → %.2f of the limit in %s)", x.names(), x.was, x.is, x.pose))
	}
	// All together may do what none does alone: those that are to blame for what gets worse are left out.
	var after *studio.Sheet
	state := s
	for share := 0.75; len(made) > 0; share += (1 - share) / 2 {
		progress("Measuring the correctives together", share)
		if state, err = withAll(s, made); err != nil {
			return fail(err)
		}
		if after, err = studio.Measure(ctx, &state, before.Asked, nil); err != nil {
			return fail(err)
		}
		spoiled, err := solve.SpoiledBy(after.Faults, func(kind string, frame int) (float64, error) {
			return skin.SpotTimes(ctx, reel, kind, frame, check)
		})
		if err != nil {
			return fail(err)
		}
		if len(spoiled) == 0 && after.Score < before.Score {
			break
		}
		k := harmful(made, spoiled, reel, s.Skeleton)
		out.Left = append(out.Left, fmt.Sprintf("%s: with it %s", made[k].names(), worse(spoiled, before, after)))
		made = slices.Delete(made, k, k+1)
	}
	if len(made) == 0 {
		s.Sheet = before
		out.After = out.Before
		out.Sentence = fmt.Sprintf(
			"Tried %s: none measures better, so none was added",
			wording.Count(len(ends), "corrective", "correctives"),
		)
		return s, out, nil
	}
	targets, offsets := 0, 0
	for _, x := range made {
		step := fmt.Sprintf("%s: %.2f → %.2f of the limit in %s", x.names(), x.was, x.is, x.pose)
		flattened, largest, far, near := 0, 0.0, 0.0, 0.0
		for _, p := range x.sides {
			flattened += p.Flattened
			largest, near, far = max(largest, p.Largest), max(near, p.After), max(far, p.Before)
			for _, t := range p.Targets {
				targets++
				offsets += len(t.Vertex)
			}
		}
		if flattened > 0 {
			step += fmt.Sprintf("; %s flattened there, which come nearer only", wording.Count(flattened, "vertex is", "vertices are"))
		}
		out.Steps = append(out.Steps, step+fmt.Sprintf("; by %s at most, off the guide by %s on the way, before %s",
			wording.Length(largest), wording.Length(near), wording.Length(far)))
	}
	out.Steps = append(
		out.Steps,
		fmt.Sprintf("%s in all, %s in a file", wording.Count(offsets, "offset", "offsets"), wording.Bytes(12*offsets)),
	)
	out.After = fmt.Sprintf("%.2f", after.Score)
	out.Sentence = fmt.Sprintf("Added %s: average ratio to limit %.2f → %.2f, spots over %d → %d",
		wording.Count(targets, "corrective", "correctives"), before.Score, after.Score, before.Over, after.Over)
	state.Sheet = after
	state.Sheet.Before = &before.Brief
	if state.Bind != nil {
		b := *state.Bind
		b.Score = &after.Brief
		state.Bind = &b
	}
	return state, out, nil
}

// guideOf is the elastic body of a skin, and what of the mesh it is of.
func guideOf(ctx context.Context, s *studio.State, skin *deform.Skin) (*mesh.Mesh, *guide.Solid, error) {
	in, _ := s.Mesh.Bindable()
	if points, _, _, _ := skin.Parts(); !slices.Equal(points, s.Mesh.World()) { // what is on at rest is the body that bends
		in = in.Placed(points)
	}
	g, err := guide.NewSolid(ctx, in, s.Weights.WithoutHelpers(s.Skeleton, nil), s.Skeleton.WithoutHelpers(), guide.Options{})
	if err != nil {
		return nil, nil, studio.Wrong("%v", err)
	}
	return in, g, nil
}

// ends are the ends of ranges that the spots of a sheet are at, worst first, each with that of its partner on the other side; cut
// tells that there were too many.
func (o *ProposeCorrectives) ends(s *studio.State, sheet *studio.Sheet, reel *pose.Reel) (out [][]end, cut bool) {
	var list []end
	trials := s.Skeleton.Trials(s.Settings.Marks)
	add := func(joint, axis string, degrees float64, f *deform.Fault) bool {
		for _, t := range trials {
			if s.Skeleton.Joints[t.Joint].Name != joint || t.Name != axis {
				continue
			}
			to := t.Degrees[1]
			if degrees < 0 {
				to = t.Degrees[0]
			}
			if to == 0 {
				return false
			}
			k := slices.IndexFunc(list, func(e end) bool { return e.trial.Joint == t.Joint && e.trial.Name == axis && e.degrees == to })
			if k < 0 {
				if len(list) == mostEnds {
					cut = true
					return false
				}
				k = len(list)
				list = append(list, end{trial: t, degrees: to})
			}
			if f != nil {
				list[k].spots = append(list[k].spots, *f)
			}
			return true
		}
		return false
	}
	for i := range sheet.Faults {
		f := &sheet.Faults[i]
		if f.Times < o.From || f.Kind == deform.FaultRigid || f.Kind == deform.FaultSpill {
			continue // which are of weights
		}
		for _, joint := range turnedIn(reel, f) {
			if len(o.Joints) > 0 && !slices.Contains(o.Joints, joint) {
				continue
			}
			for _, t := range trials {
				a := angleAbout(s.Skeleton, t, reel.Frames[f.Frame].Pose)
				if s.Skeleton.Joints[t.Joint].Name != joint || math.Abs(a) < leastTurn || !add(joint, t.Name, a, f) {
					continue
				}
				if partner, ok := s.Settings.Marks.Partner(joint); ok {
					if flips(s, joint, partner, t.Name) {
						a = -a
					}
					add(partner, t.Name, a, nil)
				}
			}
		}
	}
	slices.SortStableFunc(list, func(a, b end) int { return cmp.Compare(b.worst(), a.worst()) })
	used := make([]bool, len(list))
	for i, e := range list {
		if used[i] || len(e.spots) == 0 {
			continue
		}
		both := []end{e}
		partner, _ := s.Settings.Marks.Partner(s.Skeleton.Joints[e.trial.Joint].Name)
		to := e.degrees
		if partner != "" && s.Skeleton.Index(partner) >= 0 && flips(s, s.Skeleton.Joints[e.trial.Joint].Name, partner, e.trial.Name) {
			to = -to
		}
		for k, other := range list {
			if !used[k] && s.Skeleton.Joints[other.trial.Joint].Name == partner && other.trial.Name == e.trial.Name &&
				other.degrees*to > 0 {
				both, used[k] = append(both, other), true
			}
		}
		used[i] = true
		out = append(out, both)
	}
	return out, cut
}

// worst is how far its worst spot is over its limit.
func (e *end) worst() (out float64) {
	for _, f := range e.spots {
		out = max(out, f.Times)
	}
	return out
}

// turnedIn are the joints whose turns a spot may come from: the one that turns alone, else those in the pose that are to blame,
// lead the limb, or are above it.
func turnedIn(reel *pose.Reel, f *deform.Fault) (out []string) {
	if f.Turned != "" {
		return []string{f.Turned}
	}
	if f.Frame < 0 || f.Frame >= len(reel.Frames) {
		return nil
	}
	add := func(name string) {
		if _, ok := reel.Frames[f.Frame].Pose[name]; ok && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	if f.Limb != "" {
		add(f.Limb)
	}
	for _, b := range f.Blame {
		add(b.Joint)
	}
	return out
}

// angleAbout is how far a pose turns a joint about the axis of a trial, degrees.
func angleAbout(sk *skeleton.Skeleton, t skeleton.Trial, p pose.Pose) float64 {
	q, ok := p[sk.Joints[t.Joint].Name]
	if !ok {
		return 0
	}
	q = geom.Normalise(q)
	axis := geom.Rotate(quat.Conj(geom.Normalise(sk.Joints[t.Joint].Rot)), t.Axis)
	x := geom.TwistAbout(q, axis)
	if x.Real < 0 { // the same turn, the short way
		x = quat.Scale(-1, x)
	}
	return 2 * math.Atan2(x.Imag*axis.X+x.Jmag*axis.Y+x.Kmag*axis.Z, x.Real) * 180 / math.Pi
}

// tried are the proposals for a joint and its partner, and how their spots measure without them and with them: the root of
// the mean of squares over the limits.
type tried struct {
	sides   []side
	was, is float64
	pose    string // of the worst spot
}

type side struct {
	end
	*corrective.Proposal
}

func (x *tried) better() bool { return x.is < (1-leastBetter)*x.was }

func (x *tried) names() string {
	var list []string
	for _, p := range x.sides {
		for _, t := range p.Targets {
			list = append(list, t.Name)
		}
	}
	return strings.Join(list, ", ")
}

// add adds the targets of proposals to those of a rig.
func (x *tried) add(list []mesh.Shape, rig *shape.Rig, into func(mesh.Shape) mesh.Shape) []mesh.Shape {
	for _, p := range x.sides {
		for _, t := range p.Targets {
			named := into(t.Shape)
			named.Name = uniqueIn(list, named.Name)
			rig.Targets = append(rig.Targets, shape.Target{Name: named.Name, Driver: &t.Driver, Made: "computed for " + x.pose})
			list = append(list, named)
		}
	}
	return list
}

// measure measures the spots without the proposals and with them alone.
func (x *tried) measure(ctx context.Context, s *studio.State, skin *deform.Skin, reel *pose.Reel, check deform.CheckOptions) error {
	plain, err := s.Unshaped()
	if err != nil {
		return err
	}
	rig := s.Rig()
	list := x.add(slices.Clone(s.Mesh.WorldShapes()), rig, func(t mesh.Shape) mesh.Shape { return t })
	with := plain.Shaped(list, rig.For(s.Skeleton, s.Settings.Marks))
	worst, n := 0.0, 0.0
	for _, p := range x.sides {
		for _, f := range p.spots {
			was, err := skin.CheckSpot(ctx, reel, f.Kind, f.Frame, check)
			if err != nil {
				return err
			}
			is, err := with.CheckSpot(ctx, reel, f.Kind, f.Frame, check)
			if err != nil {
				return err
			}
			if was != nil {
				x.was += was.Times * was.Times
				if was.Times > worst {
					worst, x.pose = was.Times, was.Pose
				}
			}
			if is != nil {
				x.is += is.Times * is.Times
			}
			n++
		}
	}
	x.was, x.is = math.Sqrt(x.was/n), math.Sqrt(x.is/n)
	return nil
}

// withAll is a state with the targets of proposals.
func withAll(s studio.State, made []*tried) (studio.State, error) {
	list, rig, into := slices.Clone(s.Mesh.Shapes), s.Rig(), s.Mesh.FromWorld()
	for _, x := range made {
		list = x.add(list, rig, func(t mesh.Shape) mesh.Shape { return shape.Mapped(t, into) })
	}
	return withTargets(s, list, rig)
}

// harmful is the number of the proposal that is most to blame for what is spoiled: of the joint that turns there, or of one that
// turns in that pose; else the one that gains least.
func harmful(made []*tried, spoiled []solve.Spoiled, reel *pose.Reel, sk *skeleton.Skeleton) int {
	blame := make([]float64, len(made))
	for _, f := range spoiled {
		for k, x := range made {
			for _, p := range x.sides {
				if a := angleAbout(sk, p.trial, reel.Frames[f.Frame].Pose); a*p.degrees > 0 {
					blame[k] += math.Abs(a / p.degrees)
				}
			}
		}
	}
	at := 0
	for k, x := range made {
		if blame[k] > blame[at] || blame[k] == blame[at] && x.was-x.is < made[at].was-made[at].is {
			at = k
		}
	}
	return at
}

// worse says what correctives together make worse.
func worse(spoiled []solve.Spoiled, before, after *studio.Sheet) string {
	if len(spoiled) > 0 {
		return fmt.Sprintf(
			"%s in %s goes from %.2f to %.2f of the limit",
			spoiled[0].Kind,
			spoiled[0].Pose,
			spoiled[0].Was,
			spoiled[0].Times,
		)
	}
	return fmt.Sprintf("the reel measures %.2f, before %.2f", after.Score, before.Score)
}
