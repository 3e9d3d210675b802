package placement

import (
	"context"
	"fmt"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "adopt_skeleton",
			Label: "Bring in a skeleton",
			Stage: "placement",
			Words: "import copy transfer rig from file character bvh match",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &AdoptSkeleton{Obsolete: "keep", Parenting: "keep"} },
		},
		studio.Entry{
			Name:  "snap_starter",
			Label: "Snap a starter to the joints",
			Stage: "placement",
			Words: "snap map names conform template",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &SnapStarter{Params: skeleton.Kinds[0].Default} },
		},
	)
}

// Theirs is a joint of another skeleton, in world metres.
type Theirs struct {
	Name   string       `json:"name"`
	Parent int          `json:"parent"`
	Pos    studio.Place `json:"pos"`
	Rot    [4]float64   `json:"rot"` // x y z w
}

// TheirsOf lists a skeleton for AdoptSkeleton.
func TheirsOf(s *skeleton.Skeleton) []Theirs {
	out := make([]Theirs, len(s.Joints))
	for i, j := range s.Joints {
		out[i] = Theirs{
			j.Name,
			j.Parent,
			studio.Place{j.Pos.X, j.Pos.Y, j.Pos.Z},
			[4]float64{j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real},
		}
	}
	return out
}

// AdoptSkeleton brings the skeleton to another one, from a file or another
// character: see skeleton.Adopt. A character without skeleton takes it as it is.
type AdoptSkeleton struct {
	Theirs    []Theirs          `json:"theirs,omitempty"`
	Source    string            `json:"source"`          // what it comes from, for the history
	Match     map[string]string `json:"match"`           // theirs → ours
	Leave     []string          `json:"leave,omitempty"` // theirs that are not taken; what hangs from them goes to their parent
	Obsolete  string            `json:"obsolete" as:"Joints that it lacks" one:"keep,drop"`
	Parenting string            `json:"parenting" as:"Parents" one:"keep,take" help:"of matched joints: keep ours or take theirs"`
	Scale     float64           `json:"scale,omitempty" as:"Scale" in:"0<..1e6"` // of theirs, about the origin; 0 is 1
	Here      bool              `json:"here,omitempty"`                          // then theirs is brought to where the character stands
	// File is read instead of Theirs, with Motion the motion that it brings too.
	File   *studio.File `json:"file,omitempty"`
	Motion bool         `json:"motion,omitempty"`
}

// Files implements studio.FileReader.
func (o *AdoptSkeleton) Files() []*studio.File {
	if o.File == nil {
		return nil
	}
	return []*studio.File{o.File}
}

// read returns the other skeleton as it comes, and its motion if it is wanted.
func (o *AdoptSkeleton) read(ctx context.Context) (*skeleton.Skeleton, *pose.Clip, error) {
	if o.File == nil {
		if len(o.Theirs) == 0 || len(o.Theirs) > studio.MaxJoints {
			return nil, nil, studio.Wrong("a skeleton can have 1 to %d joints, not %d", studio.MaxJoints, len(o.Theirs))
		}
		out := &skeleton.Skeleton{}
		for _, t := range o.Theirs {
			at, err := t.Pos.Vec()
			if err != nil {
				return nil, nil, err
			}
			out.Joints = append(out.Joints, skeleton.Joint{Name: t.Name, Parent: t.Parent, Pos: at,
				Rot: geom.Normalise(quat.Number{Imag: t.Rot[0], Jmag: t.Rot[1], Kmag: t.Rot[2], Real: t.Rot[3]})})
		}
		return out, nil, nil
	}
	sk, clip, err := o.File.Skeleton(ctx)
	if err != nil {
		return nil, nil, err
	}
	if !o.Motion {
		return sk, nil, nil
	}
	if clip == nil {
		return nil, nil, studio.Wrong("%s has no motion", o.File.Name)
	}
	clip.Name = o.File.Name
	return sk, clip.AboutWorld(sk), nil
}

// taken returns theirs without the joints that are to be left.
func (o *AdoptSkeleton) taken(theirs *skeleton.Skeleton) (*skeleton.Skeleton, error) {
	var leave []int
	for _, name := range o.Leave {
		i, err := theirs.Find(name)
		if err != nil {
			return nil, studio.Wrong("%v", err)
		}
		leave = append(leave, i)
	}
	if leave == nil {
		return theirs.Clone(), nil
	}
	if len(leave) >= len(theirs.Joints) {
		return nil, studio.Wrong("no joint left to bring in: select at least one")
	}
	out, _, err := theirs.Remove(leave)
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	return out, nil
}

// Apply implements Operation.
func (o *AdoptSkeleton) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	theirs, motion, err := o.read(ctx)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if err := theirs.Validate(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if o.Source == "" && o.File != nil {
		o.Source = o.File.Name
	}
	scale := o.Scale
	if scale == 0 {
		scale = 1
	}
	for i := range theirs.Joints {
		theirs.Joints[i].Pos = r3.Scale(scale, theirs.Joints[i].Pos)
	}
	var move r3.Vec
	if o.Here {
		move = wayHere(s, theirs, o.Match)
	}
	for i := range theirs.Joints {
		j := &theirs.Joints[i]
		j.Pos = r3.Add(j.Pos, move)
		if !geom.Finite(j.Pos) || r3.Norm(j.Pos) > studio.MaxPlace {
			return s, studio.Outcome{}, studio.Wrong("the scale moves %s out of range", j.Name)
		}
	}
	whole := theirs
	if theirs, err = o.taken(theirs); err != nil {
		return s, studio.Outcome{}, err
	}
	if s.Skeleton == nil {
		oursOf, table := map[string]string{}, []skeleton.Adopted{}
		for _, j := range theirs.Joints {
			oursOf[j.Name] = j.Name
			table = append(table, skeleton.Adopted{Joint: j.Name, Theirs: j.Name, What: "added"})
		}
		s.Skeleton = theirs
		return o.withMotion(s, motion, whole, oursOf, scale, move), studio.Outcome{
			Sentence: fmt.Sprintf("Took the skeleton of %s: %d joints", o.Source, len(theirs.Joints)) + motionSaid(motion),
			Before:   "0",
			After:    fmt.Sprint(len(theirs.Joints)),
			Joints:   table,
		}, nil
	}
	out, table, err := s.Skeleton.Adopt(theirs, skeleton.Adoption{Match: o.Match, Obsolete: o.Obsolete, Parenting: o.Parenting})
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	count := map[string]int{}
	if err := s.Skeleton.Held(out); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	removed, oursOf := map[string]string{}, map[string]string{}
	for _, r := range table {
		count[r.What]++
		if r.Theirs != "" {
			oursOf[r.Theirs] = r.Joint
		}
		if r.What == "dropped" {
			removed[r.Joint] = r.To
		}
	}
	told := studio.Outcome{
		Sentence: fmt.Sprintf(
			"Brought in %s: %d moved, %d added, %d removed, %d reparented, %d unchanged",
			o.Source,
			count["moved"],
			count["added"],
			count["dropped"],
			count["reparented"],
			count["untouched"],
		) + motionSaid(
			motion,
		),
		Before: fmt.Sprint(len(s.Skeleton.Joints)),
		After:  fmt.Sprint(len(out.Joints)),
		Joints: table,
	}
	s = s.WithSkeleton(out, nil, removed)
	return o.withMotion(s, motion, whole, oursOf, scale, move), told, nil
}

// wayHere is the way that brings another skeleton to where a character stands:
// its first paired joint onto ours, or the foot of its middle to the mesh's.
func wayHere(s studio.State, theirs *skeleton.Skeleton, match map[string]string) r3.Vec {
	box := geom.EmptyBox()
	for _, j := range theirs.Joints { // parents come first
		box = box.Add(j.Pos)
		if ours, ok := match[j.Name]; ok && s.Skeleton != nil {
			if i := s.Skeleton.Index(ours); i >= 0 {
				return r3.Sub(s.Skeleton.Joints[i].Pos, j.Pos)
			}
		}
	}
	if s.Mesh == nil {
		return r3.Vec{}
	}
	f := s.Mesh.Measure()
	return r3.Sub(
		r3.Vec{X: (f.Min[0] + f.Max[0]) / 2, Y: f.Min[1], Z: (f.Min[2] + f.Max[2]) / 2},
		r3.Vec{X: box.Centre().X, Y: box.Min.Y, Z: box.Centre().Z},
	)
}

// SnapStarter lays a starter over the joints that are there. Names says which
// joint of the starter stands on which joint; Map names a shipped map ("hanim",
// "vrm") for those that Names leaves out.
type SnapStarter struct {
	skeleton.Params
	Names map[string]string `json:"names,omitempty"`
	Map   string            `json:"map,omitempty"`
}

// Apply implements Operation.
func (o *SnapStarter) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	names := map[string]string{}
	if o.Map != "" {
		m, err := skeleton.FindNameMap(o.Map)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		for k, v := range m.Joints {
			names[k] = v
		}
	}
	for k, v := range o.Names {
		names[k] = v
	}
	out, missing, err := fit.Snap(o.Params, s.Skeleton, names)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	n := len(out.Joints) - len(missing)
	// Starters mark sides their way; the character may mark them otherwise.
	house := func(name string) string { return skeleton.DefaultMarks.Translate(name, s.Settings.Marks) }
	if out, err = out.RenameMany(translated(out, skeleton.DefaultMarks, s.Settings.Marks)); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	for i := range missing {
		missing[i] = house(missing[i])
	}
	removed := map[string]string{}
	renamed := map[string]string{}
	for ours, theirs := range names {
		if ours = house(ours); out.Index(ours) >= 0 && s.Skeleton.Index(theirs) >= 0 {
			renamed[theirs] = ours
		}
	}
	for _, j := range s.Skeleton.Joints {
		if _, ok := renamed[j.Name]; !ok && out.Index(j.Name) < 0 {
			removed[j.Name] = ""
		}
	}
	for name := range removed { // to the nearest ancestor that stays
		for i := s.Skeleton.Index(name); i >= 0 && removed[name] == ""; i = s.Skeleton.Joints[i].Parent {
			if n := s.Skeleton.Joints[i].Name; !gone(removed, n) {
				removed[name] = n
			}
		}
	}
	return s.WithSkeleton(out, renamed, removed), studio.Outcome{
		Sentence: fmt.Sprintf("Laid the %s over the joints: %d of %d snapped", o.Starter, n, len(out.Joints)),
		Before:   fmt.Sprint(len(s.Skeleton.Joints)),
		After:    fmt.Sprint(len(out.Joints)),
		Left:     missing,
	}, nil
}

func gone(removed map[string]string, name string) bool {
	_, ok := removed[name]
	return ok
}
