package bind

import (
	"context"
	"fmt"

	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "set_deform",
			Label: "Set which joints deform",
			Stage: "bind",
			Words: "deforming helper influence include exclude joint bind",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &SetDeform{} },
		},
	)
}

// SetDeform says whether joints carry weights at the next bind: "on", "off", or "" as is
// usual, all but end joints.
type SetDeform struct {
	Joints []string `json:"joints"`
	Deform string   `json:"deform" as:"Deform" one:",on,off" help:"on, off, or empty for as usual"`
}

// Apply implements studio.Operation.
func (o *SetDeform) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	before := Deforming(s.Skeleton)
	next := s.Skeleton.Clone()
	for _, i := range which {
		next.Joints[i].Deforms = o.Deform
	}
	if err := next.Validate(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	s.Skeleton = next
	after := Deforming(next)
	if after == 0 {
		return s, studio.Outcome{}, studio.Wrong("no joint would be left to deform the mesh")
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Of %d joints, %d deform at the next bind, not %d", len(next.Joints), after, before),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(after),
	}, nil
}

// Deforming returns how many joints deform, for a panel.
func Deforming(sk *skeleton.Skeleton) (n int) {
	for _, yes := range sk.Deforming() {
		if yes {
			n++
		}
	}
	return n
}
