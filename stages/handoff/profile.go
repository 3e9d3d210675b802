package handoff

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/profile"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "choose_profile",
			Label: "Choose what the receiver needs",
			Stage: "handoff",
			Words: "profile target engine requirements limits export preset",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &ChooseProfile{} },
		},
		studio.Entry{
			Name:  "meet_profile",
			Label: "Make the character fit the profile",
			Stage: "handoff",
			Words: "make it so conform requirements fix all receiver",
			From:  studio.FromForm,
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &MeetProfile{} },
		},
		studio.Entry{
			Name:  "fit_names",
			Label: "Rename joints as the receiver needs",
			Stage: "handoff",
			Words: "naming letters prefix suffix standard humanoid case",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &FitNames{} },
		},
	)
}

// ChooseProfile holds the character against a profile from now on; nil holds it against none.
type ChooseProfile struct {
	Profile *profile.Profile `json:"profile,omitempty" of:"object" as:"Profile" help:"as JSON; none is no profile"`
}

// Apply implements studio.Operation.
func (o *ChooseProfile) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	was := "none"
	if p := s.Settings.Profile; p != nil {
		was = p.Name
	}
	if o.Profile == nil {
		if s.Settings.Profile == nil {
			return s, studio.Outcome{}, studio.Nothing("no profile is chosen")
		}
		s.Settings.Profile = nil
		return s, studio.Outcome{Sentence: "Handed off to no particular profile, before " + was, Before: was, After: "none"}, nil
	}
	if err := o.Profile.Validate(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	s.Settings.Profile = o.Profile
	broken := len(o.Profile.Check(given(&s, 0)))
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Chose the profile %s: %s", o.Profile.Name, notMet(broken)),
		Before:   was, After: o.Profile.Name,
	}, nil
}

func notMet(n int) string {
	if n == 0 {
		return "all its rules are met"
	}
	return wording.Count(n, "rule is", "rules are") + " not met"
}

// given is what a profile is held against of a state.
func given(s *studio.State, blocking int) profile.Given {
	g := profile.Given{Mesh: s.Mesh, Skeleton: s.Skeleton, Weights: s.Weights, Marks: s.Settings.Marks, Blocking: blocking}
	for _, c := range s.Clips {
		g.Motions = append(g.Motions, c.Name)
	}
	if s.Sheet != nil && !s.Sheet.Stale {
		g.Measured, g.Score, g.Over = true, s.Sheet.Score, s.Sheet.Over
	}
	return g
}

// held holds a state against its profile; each broken rule has its remedies.
func held(c *studio.Checked) []finding.Finding {
	p := c.State.Settings.Profile
	if p == nil {
		return nil
	}
	blocking := 0
	for _, stage := range studio.Stages() {
		if stage.Name == "handoff" {
			break
		}
		for _, f := range c.Found(stage.Name) {
			if f.Severity == finding.Blocks {
				blocking++
			}
		}
	}
	list := studio.Remedied(p.Check(given(c.State, blocking)), func(f finding.Finding) []finding.Remedy { return mends(c.State, p, f) })
	return append(list, rounded(c.State, p)...)
}

// rounded is the finding that cap and whole numbers, as the file has them, move the skin farther than the profile allows.
func rounded(s *studio.State, p *profile.Profile) []finding.Finding {
	if p.Rounding == 0 || s.Weights == nil || s.Skeleton == nil || s.Mesh == nil {
		return nil
	}
	w := stored(s, p, 0)
	if w == s.Weights {
		return nil
	}
	far, apart, in := deform.ApartQuickly(s.Mesh.World(), s.Weights, w, s.Skeleton, s.Settings.Marks)
	if 1000*apart <= p.Rounding {
		return nil
	}
	out := finding.Finding{
		Code: profile.Rounding, Severity: finding.Harms, Count: 1,
		Title:    fmt.Sprintf("Weights as the file has them move the skin by up to %s", wording.Length(apart)),
		Why:      fmt.Sprintf("The profile allows %s. The place that moves farthest does so in %q. Store weights in more bits, or allow more influences.", wording.Length(p.Rounding/1000), in),
		Evidence: []finding.Evidence{{What: "farthest from the skin with all weights", Value: apart, Limit: p.Rounding / 1000, Unit: "m"}},
	}
	if v := slices.Index(far, apart); v >= 0 {
		out.Where.Vertices = []int32{int32(v)}
	}
	if slices.ContainsFunc(s.Weights.Of, func(l []weights.Influence) bool { return p.Influences > 0 && len(l) > p.Influences }) {
		out.Remedies = []finding.Remedy{studio.OfferOf("Solve under the cap", "solve_weights", map[string]any{"influences": p.Influences, "take": "always"})}
	}
	return []finding.Finding{out}
}

// mends are the remedies of a broken rule, the one that Make it so makes first.
func mends(s *studio.State, p *profile.Profile, f finding.Finding) []finding.Remedy {
	switch f.Code {
	case profile.Leftovers:
		if len(f.Where.Vertices) > 0 {
			return []finding.Remedy{studio.OfferOf("Remove loose vertices", "drop_loose", nil)}
		}
		return []finding.Remedy{{Label: "Go to the parts", Opens: "stage/intake"}}
	case profile.Triangles:
		return []finding.Remedy{studio.OfferOf("Triangulate", "triangulate", map[string]any{"which": "polygons"})}
	case profile.OnePart:
		var names []string
		for _, x := range s.Mesh.Parts {
			names = append(names, x.Name)
		}
		return []finding.Remedy{studio.OfferOf("Join the parts", "join_parts", map[string]any{"parts": names, "name": names[0]})}
	case profile.OneRoot:
		return []finding.Remedy{studio.OfferOf("Join under one root", "one_root", map[string]any{"joint": mainRoot(s.Skeleton)})}
	case profile.NoIdle:
		return []finding.Remedy{studio.OfferOf("Remove idle joints", "remove_joints", map[string]any{"joints": f.Data})}
	case profile.Influences:
		return []finding.Remedy{
			studio.OfferOf("Cap the weights", "cap_weights", map[string]any{"influences": p.Influences}),
			studio.OfferOf("Solve under the cap", "solve_weights", map[string]any{"influences": p.Influences, "take": "always"}),
		}
	case profile.Zero:
		return []finding.Remedy{studio.OfferOf("Zero the rest rotations", "zero_axes", nil)}
	case profile.Rest:
		return []finding.Remedy{studio.OfferOf(map[string]string{"t": "Pose the arms as T", "a": "Pose the arms as A"}[p.Rest], "level_arms", map[string]any{"degrees": f.Data})}
	case profile.Floor:
		return []finding.Remedy{studio.OfferOf("Stand it at height 0", "bake_transform", map[string]any{"stand": true})}
	case profile.JointNames:
		return []finding.Remedy{studio.Offer("Rename joints", &FitNames{Names: *p.Names})}
	case profile.Checked:
		return []finding.Remedy{studio.OfferOf("Run the motion check", "check_motion", nil)}
	case profile.Score:
		return []finding.Remedy{{Label: "Go to Motion", Opens: "stage/motion"}}
	case profile.Targets:
		return []finding.Remedy{{Label: "Go to Shapes", Opens: "stage/shapes"}}
	case profile.Motions:
		return []finding.Remedy{{Label: "Go to Motion", Opens: "stage/motion"}}
	case profile.Joints, profile.PartJoints:
		return []finding.Remedy{{Label: "Go to Placement", Opens: "stage/placement"}}
	}
	return nil
}

// mainRoot is the joint without a parent that has most joints below it.
func mainRoot(s *skeleton.Skeleton) (name string) {
	most := 0
	for i, j := range s.Joints {
		if n := len(s.Branch(i)); j.Parent < 0 && n > most {
			name, most = j.Name, n
		}
	}
	return name
}

// FitNames gives joints the names that a receiver needs. What motions, shape targets and weights say of them goes along.
type FitNames struct {
	Names profile.Names `json:"names" of:"object" as:"Names" help:"letters, longest, anyCase, prefix, left, right, standard; as JSON"`
}

// Apply implements studio.Operation.
func (o *FitNames) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := (&profile.Profile{Name: "names", Names: &o.Names}).Validate(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	names := o.Names.Changes(s.Skeleton, s.Settings.Marks)
	if len(names) == 0 {
		return s, studio.Outcome{}, studio.Nothing("all joint names are as they should be")
	}
	sk, err := s.Skeleton.RenameMany(names)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	var told []string
	for _, j := range s.Skeleton.Joints {
		if n, ok := names[j.Name]; ok {
			told = append(told, j.Name+" → "+n)
		}
	}
	before := s
	s = s.WithSkeleton(sk, names, nil)
	s.Settings.Marks = o.Names.Marks(s.Settings.Marks)
	if lost := lostBy(&before, &s); len(lost) > 0 {
		return before, studio.Outcome{}, studio.Wrong(
			"under these names what %s stand for would not be known, and the drivers of %s would be lost: rename at Placement, or leave targets out of the file",
			few(told), strings.Join(lost, ", "))
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Renamed %s: %s", wording.Count(len(told), "joint", "joints"), few(told)),
		Before:   fmt.Sprint(len(told)), After: "0", Steps: told,
	}, nil
}

// namesTold is how many names a sentence has.
const namesTold = 4

func few(list []string) string {
	if len(list) <= namesTold {
		return strings.Join(list, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(list[:namesTold], ", "), len(list)-namesTold)
}

// Step is what Make it so does about a rule that is not met.
type Step struct {
	Code  string  `json:"code"`
	Title string  `json:"title"`          // of the finding
	Does  string  `json:"does"`           // what the remedy is called; "" without one
	Made  bool    `json:"made"`           // it was done
	Said  string  `json:"said"`           // what it did, or why it was not done
	Loss  string  `json:"loss"`           // "none", "allowed", "asks" or "unknown"
	Apart float64 `json:"apart_m"`        // how far the skin is from where it was, at rest or posed, at most
	Pose  string  `json:"pose,omitempty"` // in which pose
	// Lost are shape targets that would lose what brings them on.
	Lost []string `json:"lost,omitempty"`
}

// order is that in which remedies are made: who changes the mesh first, names last.
var order = []string{
	profile.Leftovers, profile.Triangles, profile.OnePart, profile.Vertices, profile.OneRoot, profile.NoIdle, profile.Joints,
	profile.Influences, profile.PartJoints, profile.Rest, profile.Zero, profile.Floor, profile.JointNames, profile.Targets,
	profile.Motions, profile.Checked, profile.Score,
}

// noLoss is how far a remedy may move the skin and still lose nothing, of the height: 0.02 mm on a person. Rounding to single
// precision moves less.
const noLoss = 1e-5

// Meet makes the remedies of rules that are not met and that measurably lose nothing, those whose loss the profile allows, and
// those of the codes that are asked for too. It returns what became of each broken rule.
func Meet(ctx context.Context, s studio.State, p *profile.Profile, also []string, progress studio.Progress) (studio.State, []Step, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	steps := []Step{}
	for k, code := range order {
		at, f := broken(&s, p, code)
		if at < 0 {
			continue
		}
		step := Step{Code: code, Title: f.Title, Loss: "unknown", Said: "left for you"}
		progress(f.Title, float64(k)/float64(len(order)))
		list := mends(&s, p, f)
		if len(list) == 0 || list[0].Op == "" || code == profile.Checked {
			if len(list) > 0 {
				step.Does = list[0].Label
			}
			steps = append(steps, step)
			continue
		}
		step.Does = list[0].Label
		entry, op, err := studio.ParseOperation(list[0].Op, list[0].Params)
		if err != nil {
			return s, nil, err
		}
		next, told, err := studio.Apply(ctx, entry, op, s, nil)
		if ctx.Err() != nil {
			return s, nil, ctx.Err()
		}
		if err != nil {
			step.Said = "not done: " + err.Error()
			steps = append(steps, step)
			continue
		}
		height, known := 0.0, false
		step.Lost = lostBy(&s, &next)
		if step.Apart, step.Pose, height, known = apart(&s, &next); known {
			switch {
			case len(step.Lost) > 0:
				step.Loss = "asks"
			case step.Apart <= noLoss*height:
				step.Loss = "none"
			case code == profile.Influences && 1000*step.Apart <= p.Rounding:
				step.Loss = "allowed"
			default:
				step.Loss = "asks"
			}
		}
		helps := true
		if still, g := broken(&next, p, code); still >= 0 {
			helps = g.Count < f.Count
		}
		switch {
		case !helps:
			step.Said = "not done: it would not help"
		case step.Loss == "none" || step.Loss == "allowed" || slices.Contains(also, code):
			s, step.Made, step.Said = next, true, told.Sentence
		default:
			step.Said = "not done: " + lossOf(step)
		}
		steps = append(steps, step)
	}
	return s, steps, nil
}

// lostBy are the shape targets that what brings them on is gone of in a state, and was not in the one before it.
func lostBy(before, after *studio.State) (out []string) {
	if before.Mesh == nil || len(before.Mesh.Shapes) == 0 || after.Mesh == nil {
		return nil
	}
	had := before.Rig().For(before.Skeleton, before.Settings.Marks).Lost
	for _, name := range after.Rig().For(after.Skeleton, after.Settings.Marks).Lost {
		if !slices.Contains(had, name) {
			out = append(out, name)
		}
	}
	return out
}

// lossOf says what a step would lose.
func lossOf(x Step) string {
	if x.Loss == "unknown" {
		return "what it would lose cannot be measured"
	}
	if len(x.Lost) > 0 {
		return "what brings on these shape targets would be gone: " + few(x.Lost)
	}
	out := "it would move the skin by up to " + wording.Length(x.Apart)
	if x.Pose != "" {
		out += " in " + x.Pose
	}
	return out
}

// broken finds the finding of a rule, -1 where it is met.
func broken(s *studio.State, p *profile.Profile, code string) (int, finding.Finding) {
	list := p.Check(given(s, 0))
	at := slices.IndexFunc(list, func(f finding.Finding) bool { return f.Code == code })
	if at < 0 {
		return at, finding.Finding{}
	}
	return at, list[at]
}

// apart measures how far the skin of a state is from that of another, whose joints may have other names and whose mesh may have
// lost vertices: at rest, apart from where the whole stands, and with joints turned to the ends of their usual ranges as the
// first has them. It is not known where vertices or weights have no partner.
func apart(before, after *studio.State) (far float64, in string, height float64, known bool) {
	if before.Mesh == nil || after.Mesh == nil {
		return 0, "", 0, before.Mesh == nil && after.Mesh == nil
	}
	a, b := before.Mesh.World(), after.Mesh.World()
	height = geom.BoxOf(a).Size().Y
	of, ok := partners(before.Mesh, after.Mesh)
	if !ok {
		return 0, "", height, false
	}
	var shift r3.Vec
	for v, p := range b {
		shift = r3.Add(shift, r3.Scale(1/float64(len(b)), r3.Sub(p, a[of[v]])))
	}
	for v, p := range b {
		far = max(far, r3.Norm(r3.Sub(r3.Sub(p, a[of[v]]), shift)))
	}
	if before.Weights == nil || before.Skeleton == nil {
		return far, "", height, true
	}
	if after.Weights == nil || after.Skeleton == nil || len(before.Skeleton.Joints) < len(after.Skeleton.Joints)-1 {
		return far, "", height, false
	}
	w, ok := inTermsOf(before, after, of)
	if !ok {
		return far, "", height, false
	}
	_, posed, in := deform.ApartQuickly(a, before.Weights, w, before.Skeleton, before.Settings.Marks)
	if posed <= far {
		in = "" // at rest already
	}
	return max(far, posed), in, height, true
}

// partners are the vertices of a mesh that those of another were, which keeps their order and may have lost some.
func partners(a, b *mesh.Mesh) (of []int32, ok bool) {
	of = make([]int32, len(b.Points))
	if len(a.Points) == len(b.Points) {
		for v := range of {
			of[v] = int32(v)
		}
		return of, true
	}
	from, to := a.World(), b.World()
	at := 0
	for v, p := range to {
		for at < len(from) && from[at] != p {
			at++
		}
		if at == len(from) {
			return nil, false
		}
		of[v] = int32(at)
		at++
	}
	return of, true
}

// inTermsOf are the weights of a state by the joints, and for the vertices, of the one before it. Vertices that are gone keep what
// they had; a joint that has come since must carry nothing.
func inTermsOf(before, after *studio.State, of []int32) (*weights.Weights, bool) {
	names := map[string]int32{} // of joints afterwards → joints of the weights before
	number := map[string]int32{}
	for k, name := range before.Weights.Joints {
		number[name] = int32(k)
	}
	for _, j := range after.Skeleton.Joints {
		if k, ok := number[j.Name]; ok {
			names[j.Name] = k
		}
	}
	if len(before.Skeleton.Joints) == len(after.Skeleton.Joints) { // those whose name is new were renamed, in their order
		for i, j := range after.Skeleton.Joints {
			if k, ok := number[before.Skeleton.Joints[i].Name]; ok && before.Skeleton.Index(j.Name) < 0 {
				names[j.Name] = k
			}
		}
	}
	out := &weights.Weights{Joints: before.Weights.Joints, Of: slices.Clone(before.Weights.Of), Mix: before.Weights.Mix}
	for v, list := range after.Weights.Of {
		if v >= len(of) {
			return nil, false
		}
		next := make([]weights.Influence, 0, len(list))
		for _, x := range list {
			k, ok := names[after.Weights.Joints[x.Joint]]
			if !ok {
				return nil, false
			}
			next = append(next, weights.Influence{Joint: k, Value: x.Value})
		}
		out.Of[of[v]] = next
	}
	return out, true
}

// MeetProfile makes a character fit its profile: every remedy that measurably loses nothing, those whose loss the profile
// allows, and those of the codes in Also. What is left is told.
type MeetProfile struct {
	Profile *profile.Profile `json:"profile,omitempty" of:"object" as:"Profile" help:"as JSON; default the one that was chosen"`
	Also    []string         `json:"also,omitempty" of:"texts" as:"Also" help:"codes of rules whose remedies are made though they change the skin"`
}

// Apply implements studio.Operation.
func (o *MeetProfile) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	p := o.Profile
	if p == nil {
		p = s.Settings.Profile
	}
	if p == nil {
		return s, studio.Outcome{}, studio.Wrong("choose a profile first: it says what the receiver needs")
	}
	if err := p.Validate(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	before := len(p.Check(given(&s, 0)))
	if before == 0 {
		return s, studio.Outcome{}, studio.Nothing("all rules of %s are met", p.Name)
	}
	next, steps, err := Meet(ctx, s, p, o.Also, progress)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out := studio.Outcome{Before: fmt.Sprint(before)}
	for _, x := range steps {
		if x.Made {
			out.Steps = append(out.Steps, x.Said)
		} else {
			out.Left = append(out.Left, x.Title+": "+x.Said)
		}
	}
	after := len(p.Check(given(&next, 0)))
	out.After = fmt.Sprint(after)
	if len(out.Steps) == 0 {
		return s, studio.Outcome{}, studio.Nothing("nothing of what %s needs can be done without changing the skin: %s", p.Name, strings.Join(out.Left, "; "))
	}
	out.Sentence = fmt.Sprintf("Made it fit %s: rules not met %d → %d", p.Name, before, after)
	return next, out, nil
}

// ReadProfile reads a profile: one of those that ship, by its name, or JSON.
func ReadProfile(name string, file func() ([]byte, error)) (*profile.Profile, error) {
	if p, ok := profile.Find(name); ok {
		return &p, nil
	}
	data, err := file()
	if err != nil {
		return nil, err
	}
	p, err := profile.Decode(data)
	if err != nil {
		return nil, studio.Wrong("%s: %v", name, err)
	}
	return &p, nil
}
