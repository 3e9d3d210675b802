package placement

import (
	"context"
	"fmt"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

func init() {
	studio.Register(studio.Entry{
		Name:  "dial_joints",
		Label: "Set the joint count of the shape",
		Stage: "placement",
		Words: "dial more fewer resolution limbs creature",
		From:  studio.FromForm,
		Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
		Loses: func(s *studio.State, _ studio.Operation) string { return losesByRefit(s) },
		New:   func() studio.Operation { return &DialJoints{} },
	})
}

// DialJoints places another number of joints on the limbs that were read from the shape of the mesh. Pinned and locked
// joints stay where they are; weights of another skeleton are dropped.
type DialJoints struct {
	Joints int `json:"joints" as:"Joints in all" in:"0..400" help:"0 for as many as the limbs bend"`
}

// Apply implements Operation.
func (o *DialJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := len(s.Skeleton.Joints)
	dialed, report, err := fit.Dial(s.Mesh, s.Fit, o.Joints)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if house := s.Settings.Marks; house != skeleton.DefaultMarks {
		if dialed, err = dialed.RenameMany(translated(dialed, skeleton.DefaultMarks, house)); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	for i := range dialed.Joints {
		j := &dialed.Joints[i]
		k := s.Skeleton.Index(j.Name)
		if k < 0 {
			continue
		}
		was := s.Skeleton.Joints[k]
		if j.Locked, j.Hidden, j.Pinned = was.Locked, was.Hidden, was.Pinned; was.Locked || was.Pinned {
			j.Pos, j.Confidence, j.Reason = was.Pos, was.Confidence, was.Reason
		}
	}
	s.Skeleton, s.Fit = dialed, report
	s.Weights, s.Bind = nil, nil
	s.Settings.Oriented = false
	return s, studio.Outcome{Sentence: fmt.Sprintf("Placed %d joints on the limbs of the shape", len(dialed.Joints)),
		Before: fmt.Sprint(before), After: fmt.Sprint(len(dialed.Joints))}, nil
}

// previewShape returns where the dial would place joints, and none before the shape was read.
func previewShape(s *studio.State, p skeleton.Params) ([]Theirs, error) {
	if s.Fit == nil || s.Fit.Shape == nil {
		return []Theirs{}, nil
	}
	if err := p.Check(); err != nil {
		return nil, studio.Wrong("%v", err)
	}
	joints, err := s.Fit.Shape.Joints(p.Joints, nil)
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	sk := &skeleton.Skeleton{}
	for _, j := range joints {
		sk.Joints = append(sk.Joints, skeleton.Joint{Name: j.Name, Parent: j.Parent, Pos: j.At, Rot: geom.Identity})
	}
	return TheirsOf(sk), nil
}
