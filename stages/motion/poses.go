package motion

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	needs := []studio.Need{studio.NeedSkeleton}
	studio.Register(
		studio.Entry{
			Name:  "save_pose",
			Label: "Keep the pose",
			Stage: "motion",
			Words: "store snapshot library",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SavePose{} },
		},
		studio.Entry{
			Name:  "drop_pose",
			Label: "Remove a kept pose",
			Stage: "motion",
			Words: "delete remove",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropPose{} },
		},
	)
}

// MaxPoses is how many poses a character keeps.
const MaxPoses = 100

// SavePose keeps a pose under a name; one of that name is replaced.
type SavePose struct {
	Name  string       `json:"name"`
	Turns studio.Turns `json:"turns"`
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
		return s, studio.Outcome{}, studio.Wrong("no joint is rotated: pose the character first")
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
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Kept the pose %s: %d joints rotated", o.Name, len(p)),
		Before:   fmt.Sprint(n),
		After:    fmt.Sprint(len(s.Poses)),
	}, nil
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
	return s, studio.Outcome{Sentence: "Removed the pose " + o.Name, Before: fmt.Sprint(n), After: fmt.Sprint(n - 1)}, nil
}
