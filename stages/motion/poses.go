package motion

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	needs := []studio.Need{studio.NeedSkeleton}
	studio.Register(
		studio.Entry{Name: "save_pose", Label: "Keep the pose under a name", Stage: "motion", Words: "store snapshot library", From: studio.FromForm, Needs: needs, New: func() studio.Operation { return &SavePose{} }},
		studio.Entry{Name: "drop_pose", Label: "Drop a kept pose", Stage: "motion", Words: "delete remove", From: studio.FromForm, Needs: needs, New: func() studio.Operation { return &DropPose{} }},
		studio.Entry{Name: "lay_motion", Label: "Lay a motion onto the skeleton", Stage: "motion", Words: "retarget import bvh gltf clip animation capture", From: studio.FromForm, Needs: needs, New: func() studio.Operation { return &LayMotion{Feet: true} }},
	)
}

// MaxPoses is how many poses a character keeps, and MaxClips how many motions.
const (
	MaxPoses = 100
	MaxClips = 40
)

// Turns are turns of joints about their own axes by name: x, y, z, w.
type Turns map[string][4]float64

// Pose returns them as a pose of a skeleton; a joint that it lacks, or what is no turn, is refused.
func (t Turns) Pose(s *studio.State) (pose.Pose, error) {
	p := pose.Pose{}
	for name, q := range t {
		if s.Skeleton.Index(name) < 0 {
			return nil, studio.Wrong("there is no joint %q", name)
		}
		x := quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]}
		if n := quat.Abs(x); !(n > 1e-6) || math.IsInf(n, 0) {
			return nil, studio.Wrong("the turn of %s is none: %v", name, q)
		}
		if x = geom.Normalise(x); math.Abs(x.Real) < 1 {
			p[name] = x
		}
	}
	return p, nil
}

// TurnsOf is a pose as operations name it.
func TurnsOf(p pose.Pose) Turns {
	t := Turns{}
	for name, q := range p {
		t[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
	}
	return t
}

// SavePose keeps a pose under a name; one of that name is replaced.
type SavePose struct {
	Name  string       `json:"name"`
	Turns Turns        `json:"turns"`
	Move  studio.Place `json:"move,omitempty"` // of what has no parent, metres
}

// Apply implements studio.Operation.
func (o *SavePose) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := studio.CheckName("a pose", o.Name); err != nil {
		return s, studio.Outcome{}, err
	}
	p, err := o.Turns.Pose(&s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	move, err := o.Move.Vec()
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if len(p) == 0 && r3.Norm2(move) == 0 {
		return s, studio.Outcome{}, studio.Wrong("nothing is turned: pose the character first")
	}
	n := len(s.Poses)
	x := pose.Saved(o.Name, s.Skeleton, p, move)
	s.Poses = slices.Clone(s.Poses)
	if i := named(s.Poses, o.Name); i >= 0 {
		s.Poses[i] = x
	} else if n == MaxPoses {
		return s, studio.Outcome{}, studio.Wrong("%d poses are kept already: drop one first", MaxPoses)
	} else {
		s.Poses = append(s.Poses, x)
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Kept the pose %s: %d joints are turned", o.Name, len(p)), Before: fmt.Sprint(n), After: fmt.Sprint(len(s.Poses))}, nil
}

func named(list []*pose.Clip, name string) int {
	return slices.IndexFunc(list, func(c *pose.Clip) bool { return c.Name == name })
}

// DropPose drops a kept pose.
type DropPose struct {
	Name string `json:"name"`
}

// Apply implements studio.Operation.
func (o *DropPose) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i := named(s.Poses, o.Name)
	if i < 0 {
		return s, studio.Outcome{}, studio.Wrong("no pose is kept as %q", o.Name)
	}
	n := len(s.Poses)
	s.Poses = slices.Delete(slices.Clone(s.Poses), i, i+1)
	if len(s.Poses) == 0 {
		s.Poses = nil
	}
	return s, studio.Outcome{Sentence: "Dropped the pose " + o.Name, Before: fmt.Sprint(n), After: fmt.Sprint(n - 1)}, nil
}

// LayMotion lays the motion of a file, made for whatever skeleton, onto ours: pose.Retarget. Joints are paired
// by name, limb and place (skeleton.MatchJoints), after Pairs, theirs → ours; "" is none.
type LayMotion struct {
	File  *studio.File      `json:"file"`
	Name  string            `json:"name,omitempty"` // "" is the file's
	Pairs map[string]string `json:"pairs,omitempty"`
	Feet  bool              `json:"feet"` // are kept from sliding
}

// Files implements studio.FileReader.
func (o *LayMotion) Files() []*studio.File {
	if o.File == nil {
		return nil
	}
	return []*studio.File{o.File}
}

// fewestPairs is how many joints a motion must find here.
const fewestPairs = 3

// Apply implements studio.Operation.
func (o *LayMotion) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if !o.File.Given() {
		return s, studio.Outcome{}, studio.Wrong("choose a file with a motion: .bvh, .gltf or .glb")
	}
	if len(s.Clips) >= MaxClips {
		return s, studio.Outcome{}, studio.Wrong("%d motions are kept already: drop one first", MaxClips)
	}
	theirs, clip, err := o.File.Skeleton()
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if clip == nil {
		return s, studio.Outcome{}, studio.Wrong("%s brings no motion", o.File.Name)
	}
	pairs, err := Paired(&s, theirs, o.Pairs)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	laid := pose.Retarget(theirs, clip, s.Skeleton, pairs, pose.RetargetOptions{Feet: o.Feet, Marks: s.Settings.Marks})
	if laid.Pairs < fewestPairs {
		return s, studio.Outcome{}, studio.Wrong("only %d joints of %s have a partner here: say the pairs by hand", laid.Pairs, o.File.Name)
	}
	laid.Clip.Name = o.Name
	if o.Name == "" {
		laid.Clip.Name = o.File.Name
	}
	base := laid.Clip.Name
	for k := 2; named(s.Clips, laid.Clip.Name) >= 0; k++ {
		laid.Clip.Name = fmt.Sprintf("%s %d", base, k)
	}
	if err := laid.Clip.Validate(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	n := len(s.Clips)
	s.Clips = append(slices.Clip(s.Clips), laid.Clip.AboutWorld(s.Skeleton))
	out := studio.Outcome{Sentence: fmt.Sprintf("Laid %s on: %d frames lead %d joints, ways scaled by %.3g", laid.Clip.Name, laid.Clip.Frames(), laid.Pairs, laid.Scale), Before: fmt.Sprint(n), After: fmt.Sprint(n + 1)}
	if laid.Planted > 0 {
		out.Sentence += fmt.Sprintf("; feet stand in %d spells and move %.2f mm at most", laid.Planted, 1000*laid.Slid)
	}
	for _, name := range laid.Alone[:min(len(laid.Alone), 12)] {
		out.Left = append(out.Left, name+" leads nothing here")
	}
	return s, out, nil
}

// Paired pairs the joints of another skeleton with ours: theirs → ours. What is said goes first; "" is none.
func Paired(s *studio.State, theirs *skeleton.Skeleton, said map[string]string) (map[string]string, error) {
	known := map[string]string{}
	for t, o := range said {
		if theirs.Index(t) < 0 {
			return nil, studio.Wrong("the motion has no joint %q", t)
		}
		if o != "" && s.Skeleton.Index(o) < 0 {
			return nil, studio.Wrong("there is no joint %q", o)
		}
		if o != "" {
			known[t] = o
		}
	}
	out := map[string]string{}
	for _, m := range skeleton.MatchJoints(s.Skeleton, theirs, known) {
		if o, is := said[m.Theirs]; is && o == "" {
			continue
		}
		out[m.Theirs] = m.Ours
	}
	return out, nil
}
