package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	register(Entry{"drop_clip", "Drop a motion", "placement", false, func() Operation { return &DropClip{} }})
}

// DropClip removes a motion from a character.
type DropClip struct {
	Clip string `json:"clip"`
}

// Apply implements Operation.
func (o *DropClip) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	i := slices.IndexFunc(s.Clips, func(c *pose.Clip) bool { return c.Name == o.Clip })
	if i < 0 {
		return s, Outcome{}, wrong("there is no motion %q", o.Clip)
	}
	n := len(s.Clips)
	s.Clips = slices.Delete(slices.Clone(s.Clips), i, i+1)
	return s, Outcome{Sentence: "Dropped the motion " + o.Clip, Before: fmt.Sprint(n), After: fmt.Sprint(n - 1)}, nil
}

// AdoptFile is adopt_skeleton with a file at hand: with take, the motion that the
// file brings is kept as a clip of the character.
func (x *Studio) AdoptFile(ctx context.Context, character string, base int64, file string, r io.Reader, resolve gltf.Resolver, params json.RawMessage, author string) (Revision, error) {
	_, parsed, err := ParseOperation("adopt_skeleton", params)
	if err != nil {
		return Revision{}, err
	}
	op := parsed.(*AdoptSkeleton)
	sk, clip, err := formats.DecodeSkeleton(file, r, resolve, x.limits)
	if err != nil {
		return Revision{}, ErrInput{err.Error()}
	}
	if clip == nil {
		return Revision{}, wrong("%s brings no motion", file)
	}
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return Revision{}, err
	}
	if c.Head != base {
		return Revision{}, ErrStale{c.Head}
	}
	clip.Name = file
	op.motion, op.Frames = clip.AboutWorld(sk), clip.Frames()
	if params, err = json.Marshal(op); err != nil {
		return Revision{}, err
	}
	return x.apply(ctx, character, base, "adopt_skeleton", params, op, author, nil, nil)
}

// withMotion adds the motion that is taken over to the clips. theirs is the
// skeleton that it was made for, whole; oursOf the names here by those there, of
// the joints that were taken.
//
// A skeleton that was brought here by move begins its motion where it stands now,
// at the height over the ground that the motion has.
func (o *AdoptSkeleton) withMotion(s State, theirs *skeleton.Skeleton, oursOf map[string]string, scale float64, move r3.Vec) State {
	if o.motion == nil {
		return s
	}
	left := map[string]string{}
	for _, name := range o.Leave {
		left[name] = ""
	}
	clip := o.motion
	if len(left) > 0 {
		clip = clip.Without(theirs, left)
	}
	clip = clip.Only(oursOf).Transform(quat.Number{Real: 1}, scale)
	if o.Here {
		first := clip.Root[0]
		for f := range clip.Root {
			clip.Root[f] = r3.Sub(clip.Root[f], r3.Vec{X: first.X, Y: move.Y, Z: first.Z})
		}
	}
	taken := func(name string) bool {
		return slices.ContainsFunc(s.Clips, func(c *pose.Clip) bool { return c.Name == name })
	}
	name := clip.Name
	for k := 2; taken(clip.Name); k++ {
		clip.Name = fmt.Sprintf("%s %d", name, k)
	}
	s.Clips = append(slices.Clip(s.Clips), clip)
	return s
}

func (o *AdoptSkeleton) motionSaid() string {
	if o.motion == nil {
		return ""
	}
	return fmt.Sprintf("; its motion of %d frames is kept", o.motion.Frames())
}

func eachClip(list []*pose.Clip, f func(*pose.Clip) *pose.Clip) []*pose.Clip {
	var out []*pose.Clip
	for _, c := range list {
		out = append(out, f(c))
	}
	return out
}

// MotionOf is a motion as a page lists it.
type MotionOf struct {
	Name    string  `json:"name"`
	Frames  int     `json:"frames"`
	Seconds float64 `json:"seconds"`
}

// Motions lists the clips of a state.
func (s State) Motions() []MotionOf {
	out := []MotionOf{}
	for _, c := range s.Clips {
		out = append(out, MotionOf{c.Name, c.Frames(), c.Step * float64(c.Frames())})
	}
	return out
}

// MotionView packs a clip for the page: turns of the joints about their own axes.
func MotionView(s *State, clip int) ([]byte, error) {
	return encodeClips([]*pose.Clip{s.Clips[clip].AboutOwn(s.Skeleton)})
}

type clipsMeta struct {
	Clips []clipMeta `json:"clips"`
}

type clipMeta struct {
	Name   string   `json:"name"`
	Step   float64  `json:"step"`
	Joints []string `json:"joints"`
}

// encodeClips packs motions: their turns as four numbers each, x y z w.
func encodeClips(list []*pose.Clip) ([]byte, error) {
	var meta clipsMeta
	var b bundle
	for i, c := range list {
		meta.Clips = append(meta.Clips, clipMeta{c.Name, c.Step, c.Joints})
		turns := make([]float32, 0, 4*len(c.Joints)*c.Frames())
		for _, row := range c.Turns {
			for _, q := range row {
				turns = append(turns, float32(q.Imag), float32(q.Jmag), float32(q.Kmag), float32(q.Real))
			}
		}
		b.floats(fmt.Sprintf("root_%d", i), 3, flat(c.Root))
		b.floats(fmt.Sprintf("turns_%d", i), 4, turns)
	}
	b.Meta = meta
	return b.bytes()
}

func decodeClips(data []byte) ([]*pose.Clip, error) {
	var meta clipsMeta
	b, err := openBundle(data, &meta)
	if err != nil {
		return nil, err
	}
	var out []*pose.Clip
	for i, m := range meta.Clips {
		c := &pose.Clip{Name: m.Name, Step: m.Step, Joints: m.Joints, Root: vectors(b.readFloats(fmt.Sprintf("root_%d", i)))}
		turns := b.readFloats(fmt.Sprintf("turns_%d", i))
		n := len(m.Joints)
		if len(turns) != 4*n*len(c.Root) {
			return nil, fmt.Errorf("motion %q has %d numbers for %d joints and %d frames", m.Name, len(turns), n, len(c.Root))
		}
		for f := range c.Root {
			row := make([]quat.Number, n)
			for k := range row {
				q := turns[4*(f*n+k):]
				row[k] = quat.Number{Imag: float64(q[0]), Jmag: float64(q[1]), Kmag: float64(q[2]), Real: float64(q[3])}
			}
			c.Turns = append(c.Turns, row)
		}
		out = append(out, c)
	}
	return out, nil
}
