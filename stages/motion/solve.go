package motion

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "solve_weights",
			Label: "Solve weights for motion",
			Stage: "motion",
			Words: "optimize elastic guide deformation shoulder hip improve bind automatic",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			Long:  studio.Always,
			Keeps: true,
			New:   func() studio.Operation { return &SolveWeights{Dial: 1, Counts: 10, Take: takeBetter} },
		},
	)
}

// What becomes of solved weights.
const (
	takeBetter = "better"
	takeKept   = "kept"
	takeAlways = "always"
)

// SolveWeights finds the weights with which the skin moves as nearly as it can as an elastic solid about its bones
// would. They are kept beside the present ones, and take their place if they measure better both over the test reel
// and in poses that they were not solved for, or always, or never. Vertices that were set by hand, hidden or given to
// a joint stay as they are, and so do the weights of locked joints.
type SolveWeights struct {
	Dial     float64  `json:"dial" as:"How close to the guide" in:"0.01..1" help:"0.01 stays close to the present weights, 1 comes as close to the guide as weights can"`
	Joints   []string `json:"joints,omitempty" help:"change only the weights of these; default all"`
	Vertices string   `json:"vertices,omitempty"`
	Spots    bool     `json:"spots,omitempty" as:"Only at the worst spots" help:"change only vertices at spots of the last motion check that are over their limits, and their surroundings"`
	// Guides are poses for which somebody made the skin: a mesh with the same vertices, others beside it, or shape targets.
	Guides     *studio.File `json:"guides,omitempty" as:"Guides" help:"meshes with the same vertices in poses, sculpted, scanned or simulated: OBJ files, or glTF shape targets"`
	Counts     float64      `json:"counts" as:"Each counts" in:"0.1..1000" help:"how much each guide from a file counts beside a computed pose"`
	Influences int          `json:"influences,omitempty" as:"Influences per vertex" in:"0..16" help:"at most so many; 0 keeps the cap of the last bind"`
	Take       string       `json:"take" as:"Use" one:"better=if it measures better,always=whatever it measures,kept=never: just keep it beside"`
}

// What results are kept as.
const (
	solvedName = "solved for motion"
	beforeName = "before solving"
)

// unseenPoses are drawn by seed for measuring what was solved for other poses.
const unseenPoses, unseenSeed = 12, 26

// Files implements studio.FileReader.
func (o *SolveWeights) Files() []*studio.File {
	if o.Guides == nil {
		return nil
	}
	return []*studio.File{o.Guides}
}

// Apply implements studio.Operation.
func (o *SolveWeights) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	x, err := o.begin(ctx, &s, progress)
	if err != nil {
		return fail(err)
	}
	fixed, before, in, g := x.fixed, x.before, x.in, x.g
	limits := limitsOf(&s)
	if o.Influences > 0 {
		limits.Cap = o.Influences
	}
	var guides []solve.Given
	if o.Guides.Given() {
		progress("Reading the guides", 0.18)
		if guides, err = given(ctx, &s, o.Guides, o.Counts); err != nil {
			return fail(err)
		}
	}
	out := studio.Outcome{}
	found, err := solve.ForMotion(ctx, in, s.Weights, s.Skeleton, g, solve.Options{
		Limits: limits, Dial: o.Dial, Fixed: fixed, Locked: s.LockedWeights(), Marks: s.Settings.Marks, Given: guides,
	}, func() bool { return studio.StopsEarly(ctx) }, func(what string, share float64) { progress(what, 0.2+0.45*share) })
	if err != nil {
		return fail(refused(ctx, err))
	}
	if found.Frames < found.All {
		out.Left = append(out.Left, fmt.Sprintf("stopped: solved for %d of %d frames", found.Frames, found.All))
	}
	if len(found.Still) > 0 {
		out.Left = append(
			out.Left,
			fmt.Sprintf("no usual range for %s: nothing tells how the skin should follow there", studio.Said(found.Still)),
		)
	}
	if s.Weights.Mix != nil || slices.ContainsFunc(s.Skeleton.Joints, func(j skeleton.Joint) bool { return j.Mix > 0 }) {
		out.Left = append(out.Left, "some of the skin blends by dual quaternions, and was solved as if it blended linearly")
	}
	if found.LeftOut > 0 {
		out.Left = append(
			out.Left,
			fmt.Sprintf("%s left out: there are too many joints to solve for all", wording.Count(found.LeftOut, "pose was", "poses were")),
		)
	}
	next := found.Weights
	if len(o.Joints) > 0 {
		next = weights.Merged(s.Mesh, s.Weights, next, o.Joints, limits)
	}
	changed := differing(s.Weights, next)
	if changed == 0 {
		return fail(studio.Nothing("the weights are as close to the guide as they come"))
	}
	progress("Measuring the solved weights", 0.65)
	height := geom.BoxOf(in.World()).Size().Y
	with := func(w *weights.Weights) (studio.State, error) {
		state := s
		state.Weights = w
		var err error
		if state.Bind, err = solvedResult(ctx, &s, in, w, limits); err != nil {
			return state, err
		}
		state = state.Recounted()
		state.Bind.Report.Remains = bind.RemainsOf(found.Left(w), height, found.Frames+len(guides))
		return state, nil
	}
	kept := guarded{Guarded: &solve.Guarded{Weights: next}}
	if len(guides) == 0 {
		kept, err = guard(ctx, &s, before, next, limits.Cap, with)
	} else if kept.state, err = with(next); err == nil { // what somebody made is the aim
		kept.sheet, err = studio.Measure(ctx, &kept.state, before.Asked, nil)
	}
	if err != nil {
		return fail(err)
	}
	state, after, next := kept.state, kept.sheet, kept.Weights
	progress("Measuring poses that were not solved for", 0.9)
	unseen := pose.Anyhow(s.Skeleton, s.Settings.Marks, unseenSeed, unseenPoses)
	far, err := solve.Distances(ctx, in, s.Skeleton, g, unseen, s.Weights, next)
	if err != nil {
		return fail(refused(ctx, err))
	}
	better := len(kept.Left) == 0 && helps(&before.Brief, &after.Brief, far[0], far[1])
	points := s.Mesh.World()
	if len(guides) > 0 {
		better = after.Over <= before.Over && after.Score <= (1+worseBy)*before.Score &&
			solve.FarFromGiven(points, s.Skeleton, next, guides) < solve.FarFromGiven(points, s.Skeleton, s.Weights, guides)
	}
	changed = differing(s.Weights, next)
	out.Steps = []string{
		fmt.Sprintf("%s changed, solved for %d frames", wording.Count(changed, "vertex", "vertices"), found.Frames),
		fmt.Sprintf(
			"in %d poses that were not solved for, the skin is %s from the guide on average, before %s (99 of 100 vertices within %s, before %s)",
			unseenPoses,
			wording.Length(far[1].Mean),
			wording.Length(far[0].Mean),
			wording.Length(far[1].Most),
			wording.Length(far[0].Most),
		),
		fmt.Sprintf(
			"farthest there: %s, at vertex %d in %s; before %s",
			wording.Length(far[1].Farthest),
			far[1].Vertex,
			far[1].Pose,
			wording.Length(far[0].Farthest),
		),
		fmt.Sprintf(
			"test reel: average ratio to limit %.2f → %.2f, spots over %d → %d",
			before.Score,
			after.Score,
			before.Over,
			after.Over,
		),
		fmt.Sprintf(
			"the guide was solved on a copy that is %s from the mesh at most, %s of the height",
			wording.Length(g.Far),
			wording.Percent(g.Far/height),
		),
	}
	out.Steps = append(out.Steps, kept.says()...)
	if len(guides) > 0 {
		out.Steps = append(out.Steps, fmt.Sprintf(
			"%s from %s: the skin is %s from them (root mean square), before %s",
			wording.Count(len(guides), "guide", "guides"), o.Guides.Name,
			wording.Length(solve.FarFromGiven(points, s.Skeleton, next, guides)),
			wording.Length(solve.FarFromGiven(points, s.Skeleton, s.Weights, guides)),
		))
	}
	s.Kept = slices.Clone(s.Kept)
	keep := func(name string, result *studio.Result, w *weights.Weights, brief studio.Brief) {
		k := studio.Kept{Name: name, Result: new(studio.Result), Weights: w}
		*k.Result = *result
		k.Result.Score = &brief
		switch i := s.FindKept(name); {
		case i >= 0:
			s.Kept[i] = k
		case len(s.Kept) < studio.MaxKept:
			s.Kept = append(s.Kept, k)
		default:
			out.Left = append(out.Left, fmt.Sprintf("%q was not kept: %d results are kept already", name, studio.MaxKept))
		}
	}
	keep(solvedName, state.Bind, next, after.Brief)
	out.Before, out.After = fmt.Sprintf("%.2f", before.Score), fmt.Sprintf("%.2f", after.Score)
	if o.Take == takeKept || o.Take == takeBetter && !better {
		s.Sheet = before
		out.Sentence = fmt.Sprintf(
			"Solved %s for motion and kept the result beside: average ratio to limit %.2f → %.2f",
			wording.Count(changed, "vertex", "vertices"),
			before.Score,
			after.Score,
		)
		if o.Take == takeBetter {
			why := fmt.Sprintf(
				"it does not measure better (average ratio to limit %.2f → %.2f, spots over %d → %d)",
				before.Score,
				after.Score,
				before.Over,
				after.Over,
			)
			if len(kept.Left) > 0 && len(guides) == 0 {
				why = strings.Join(spoiledSays(kept.Left), "; ")
			}
			was := solve.FarFromGiven(points, s.Skeleton, s.Weights, guides)
			if now := solve.FarFromGiven(points, s.Skeleton, next, guides); len(guides) > 0 && now >= was {
				why = fmt.Sprintf("the skin does not come nearer to the guides (%s, before %s)", wording.Length(now), wording.Length(was))
			}
			out.Sentence = fmt.Sprintf("Solved for motion, but %s: the weights stay as they are", why)
		}
		return s, out, nil
	}
	was := s.Bind
	if was == nil {
		was = state.Bind
	}
	keep(beforeName, was, s.Weights, before.Brief)
	state.Kept = s.Kept
	result := *state.Bind
	result.Score = &after.Brief
	state.Bind, state.Sheet = &result, after
	state.Sheet.Before = &before.Brief
	out.Sentence = fmt.Sprintf(
		"Solved %s for motion: average ratio to limit %.2f → %.2f, spots over %d → %d",
		wording.Count(changed, "vertex", "vertices"), before.Score, after.Score, before.Over, after.Over,
	)
	return state, out, nil
}

// beginning is what a solution begins from.
type beginning struct {
	fixed  []bool // vertices whose weights stay
	before *studio.Sheet
	in     *mesh.Mesh // what of the mesh is bound
	g      *guide.Solid
}

// begin measures the present weights and prepares the guide, or says what keeps it from being solved.
func (o *SolveWeights) begin(ctx context.Context, s *studio.State, progress studio.Progress) (x beginning, err error) {
	if err := still(s); err != nil {
		return x, err
	}
	if len(o.Joints) > 0 {
		if _, err := s.JointsNamed(o.Joints); err != nil {
			return x, err
		}
	}
	open := 0
	if x.fixed, open, err = o.fixed(s); err != nil {
		return x, err
	}
	if open == 0 {
		return x, studio.Wrong("no vertex is left to solve: all were set by hand, are hidden, follow one joint or have no weights")
	}
	progress("Measuring the present weights", 0)
	x.before, err = studio.Measure(ctx, s, studio.Usual, func(share float64) { progress("Measuring the present weights", 0.15*share) })
	if err != nil {
		return x, err
	}
	x.in, _ = s.Mesh.Bindable()
	progress("Preparing the guide", 0.15)
	x.g, err = guideOf(ctx, s, x.in)
	return x, err
}

// still refuses joints that are not as the skin was bound.
func still(s *studio.State) error {
	if s.Binding == nil || s.Binding.Still(s.Skeleton) {
		return nil
	}
	return studio.Wrong(
		"the joints are not all in the one pose that the skin was bound in: at Bind pose, return to it or record it again, then solve",
	)
}

// guideOf is how the skin of a state should bend: about its own joints, whatever helper joints there are.
func guideOf(ctx context.Context, s *studio.State, in *mesh.Mesh) (*guide.Solid, error) {
	g, err := guide.NewSolid(ctx, in, s.Weights.WithoutHelpers(s.Skeleton, nil), s.Skeleton.WithoutHelpers(), guide.Options{})
	if err != nil {
		return nil, refused(ctx, err)
	}
	return g, nil
}

// limitsOf are those of the last bind, else what the weights keep to.
func limitsOf(s *studio.State) weights.Limits {
	if s.Bind != nil && s.Bind.Limits.Cap > 0 {
		return s.Bind.Limits
	}
	limits := weights.Limits{Trace: bind.DefaultOptions.Trace}
	for _, list := range s.Weights.Of {
		limits.Cap = max(limits.Cap, len(list))
	}
	return limits
}

// differing is how many vertices have other weights.
func differing(a, b *weights.Weights) (n int) {
	for v := range a.Of {
		if !slices.Equal(a.Of[v], b.Of[v]) {
			n++
		}
	}
	return n
}

// helps reports whether weights come through the reel better, with no more places over their limits, and are nearer to
// the guide in poses that they were not solved for.
func helps(before, after *studio.Brief, was, now solve.Distance) bool {
	return after.Score < before.Score && after.Over <= before.Over && now.Mean < was.Mean
}

// fixed are the vertices whose weights stay, and how many do not.
func (o *SolveWeights) fixed(s *studio.State) (fixed []bool, open int, err error) {
	only, err := s.VerticesOf(o.Vertices)
	if err != nil {
		return nil, 0, err
	}
	if o.Spots {
		if only, err = spots(s, only); err != nil {
			return nil, 0, err
		}
	}
	fixed = make([]bool, len(s.Mesh.Points))
	if only != nil {
		for v := range fixed {
			fixed[v] = true
		}
		for _, v := range only {
			fixed[v] = false
		}
	}
	shown := s.OpenVertices()
	for v := range fixed {
		fixed[v] = fixed[v] || shown != nil && !shown[v] || len(s.Weights.Of[v]) == 0
	}
	for _, v := range s.ByHand() {
		fixed[v] = true
	}
	for f := range s.Mesh.Faces() {
		if s.Mesh.Parts[s.Mesh.PartOf(f)].Follows == mesh.FollowJoint {
			for _, v := range s.Mesh.Face(f) {
				fixed[v] = true
			}
		}
	}
	for _, yes := range fixed {
		if !yes {
			open++
		}
	}
	return fixed, open, nil
}

// spotRings is how far about a spot weights may change, in rings of vertices.
const spotRings = 6

// spots are the vertices at and about the spots of the last motion check that are over their limits; only, unless nil,
// is what they are among.
func spots(s *studio.State, only []int32) ([]int32, error) {
	if s.Sheet == nil {
		return nil, studio.Wrong("no motion check yet: run the test reel, then its worst spots can be solved alone")
	}
	net, err := weights.NetOf(s.Mesh)
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	at := make([]bool, len(s.Mesh.Points))
	for _, f := range s.Sheet.Faults {
		if f.Times <= 1 {
			continue
		}
		at[f.Vertex] = true
		for _, v := range f.Where {
			at[v] = true
		}
	}
	if !slices.Contains(at, true) {
		return nil, studio.Nothing("no spot of the last motion check is over its limit")
	}
	for range spotRings {
		at = net.Grow(at)
	}
	if only != nil {
		among := make([]bool, len(at))
		for _, v := range only {
			among[v] = at[v]
		}
		at = among
	}
	out := []int32{}
	for v, yes := range at {
		if yes {
			out = append(out, int32(v))
		}
	}
	return out, nil
}

// solvedResult is the account of weights that were solved, after the one of those that they began from.
func solvedResult(ctx context.Context, s *studio.State, in *mesh.Mesh, w *weights.Weights, limits weights.Limits) (*studio.Result, error) {
	result := studio.Result{Operation: "import", Limits: limits, Skeleton: s.Skeleton}
	if s.Bind != nil {
		result = *s.Bind
	}
	method := result.Report.Method
	if method == "" {
		method = "as the file bound it"
	}
	report := bind.Account(in, s.Skeleton, w, bind.Evidence{Method: solvedAfter(method)})
	report.Layers = result.Report.Layers
	if err := report.Relayered(ctx, in, s.Skeleton, w, s.Binding, nil); err != nil {
		return nil, err
	}
	// They were found for the joints as they are now.
	result.Report, result.Limits, result.Skeleton, result.Score = *report, limits, s.Skeleton, nil
	return &result, nil
}

// solvedAfter is a method with what was done after it, said once.
func solvedAfter(method string) string {
	const said = ", solved for motion"
	if len(method) >= len(said) && method[len(method)-len(said):] == said {
		return method
	}
	return method + said
}

// refused says what of a mesh or its weights kept it from being solved.
func refused(ctx context.Context, err error) error {
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.Is(err, guide.ErrNoSkin):
		return studio.Wrong("no surface with weights can bend: every piece keeps its shape. Bind with a method that blends, then solve")
	case errors.Is(err, solve.ErrNoMotion):
		return studio.Wrong("no joint bends the skin in its usual range, so there is nothing to solve for")
	}
	return studio.Wrong("%v", err)
}
