package placement

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/bundle"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "drop_clip",
			Label: "Remove a motion",
			Stage: "placement",
			Words: "delete remove animation clip",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedClips},
			New:   func() studio.Operation { return &DropClip{} },
		},
	)
}

// DropClip removes a motion from a character.
type DropClip struct {
	Clip string `json:"clip"`
}

// Apply implements Operation.
func (o *DropClip) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i := slices.IndexFunc(s.Clips, func(c *pose.Clip) bool { return c.Name == o.Clip })
	if i < 0 {
		return s, studio.Outcome{}, studio.Wrong("there is no motion %q", o.Clip)
	}
	n := len(s.Clips)
	s.Clips = slices.Delete(slices.Clone(s.Clips), i, i+1)
	return s, studio.Outcome{Sentence: "Removed the motion " + o.Clip, Before: fmt.Sprint(n), After: fmt.Sprint(n - 1)}, nil
}

// withMotion adds the motion that is taken over to the clips. theirs is the
// skeleton that it was made for, whole; oursOf the names here by those there, of
// the joints that were taken.
//
// A skeleton that was brought here by move begins its motion where it stands now,
// at the height over the ground that the motion has.
func (o *AdoptSkeleton) withMotion(
	s studio.State,
	motion *pose.Clip,
	theirs *skeleton.Skeleton,
	oursOf map[string]string,
	scale float64,
	move r3.Vec,
) studio.State {
	if motion == nil {
		return s
	}
	left := map[string]string{}
	for _, name := range o.Leave {
		left[name] = ""
	}
	clip := motion
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

func motionSaid(motion *pose.Clip) string {
	if motion == nil {
		return ""
	}
	return fmt.Sprintf("; its motion of %d frames is kept", motion.Frames())
}

// Motion packs a motion for a page: turns of the joints about their own axes.
func Motion(s *studio.State, clip int) ([]byte, error) {
	return bundle.Clips([]*pose.Clip{s.Clips[clip].AboutOwn(s.Skeleton)})
}
