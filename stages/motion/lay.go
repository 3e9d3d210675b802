package motion

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "lay_motion",
			Label: "Retarget a motion",
			Stage: "motion",
			Words: "retarget import bvh gltf clip animation capture",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &LayMotion{Feet: true} },
		},
	)
}

// MaxClips is how many motions a character keeps.
const MaxClips = 40

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
func (o *LayMotion) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if !o.File.Given() {
		return s, studio.Outcome{}, studio.Wrong("choose a file with a motion: .bvh, .gltf or .glb")
	}
	if len(s.Clips) >= MaxClips {
		return s, studio.Outcome{}, studio.Wrong("%d motions are kept already: drop one first", MaxClips)
	}
	theirs, clip, err := o.File.Skeleton(ctx)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if clip == nil {
		return s, studio.Outcome{}, studio.Wrong("%s has no motion", o.File.Name)
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
	out := studio.Outcome{
		Sentence: fmt.Sprintf(
			"Retargeted %s: %d frames drive %d joints, distances × %.3g",
			laid.Clip.Name,
			laid.Clip.Frames(),
			laid.Pairs,
			laid.Scale,
		),
		Before: fmt.Sprint(n),
		After:  fmt.Sprint(n + 1),
	}
	if laid.Planted > 0 {
		out.Sentence += fmt.Sprintf("; feet planted %d times, sliding %.2f mm at most", laid.Planted, 1000*laid.Slid)
	}
	for _, name := range laid.Alone[:min(len(laid.Alone), 12)] {
		out.Left = append(out.Left, name+" drives nothing here")
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

// Laying is how a motion would be laid on: the joints of its skeleton with ours.
type Laying struct {
	File   studio.File       `json:"file"`
	Frames int               `json:"frames"`
	Theirs []string          `json:"theirs"`
	Pairs  map[string]string `json:"pairs"`
}

// LayingOf reads a file for a look at the pairs.
func LayingOf(ctx context.Context, x *studio.Studio, s *studio.State, file studio.File) (*Laying, error) {
	if s.Skeleton == nil {
		return nil, studio.Wrong("no skeleton to retarget to yet")
	}
	op := &LayMotion{File: &file}
	x.Attach(ctx, op)
	theirs, clip, err := op.File.Skeleton(ctx)
	if err != nil {
		return nil, err
	}
	if clip == nil {
		return nil, studio.Wrong("%s has no motion", file.Name)
	}
	out := &Laying{File: file, Frames: clip.Frames()}
	for _, j := range theirs.Joints {
		out.Theirs = append(out.Theirs, j.Name)
	}
	out.Pairs, err = Paired(s, theirs, nil)
	return out, err
}
