package bind

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	needs := []studio.Need{studio.NeedMesh, studio.NeedSkeleton}
	studio.Register(
		studio.Entry{
			Name:  "bind_capsules",
			Label: "Bind by capsules",
			Stage: "bind",
			Words: "radius falloff inner outer volume",
			Needs: needs,
			Long:  studio.LargeMesh,
			Loses: loses,
			New: func() studio.Operation {
				d := bind.DefaultCapsules
				return &BindCapsules{Influences: d.Cap, Trace: d.Trace, Falloff: d.Falloff, Smooth: d.Smooth}
			},
		},
		studio.Entry{
			Name:  "size_capsules",
			Label: "Fit capsules to the mesh",
			Stage: "bind",
			Words: "radius fit automatic",
			Needs: needs,
			Loses: losesCapsules,
			New:   func() studio.Operation { return &SizeCapsules{} },
		},
		studio.Entry{
			Name:  "set_capsule",
			Label: "Set capsule radii",
			Stage: "bind",
			Words: "radius inner outer edit",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SetCapsule{} },
		},
		studio.Entry{
			Name:  "mirror_capsules",
			Label: "Mirror capsules",
			Stage: "bind",
			Words: "symmetry copy left right",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &MirrorCapsules{From: "left"} },
		},
	)
}

// capsules returns those of the character, sized from the mesh where it has none.
func capsules(s studio.State) (*bind.Capsules, error) {
	if s.Capsules != nil {
		return s.Capsules, nil
	}
	in, _ := s.Mesh.Leading()
	c, err := bind.SizeCapsules(in, s.Skeleton, nil)
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	return c, nil
}

// ShownCapsule is a capsule, and how much of the way from its joint to the child its bone goes.
type ShownCapsule struct {
	bind.Capsule
	To float64 `json:"to"`
}

// CapsulesOf lists the capsules of a character, for a page.
func CapsulesOf(s *studio.State) []ShownCapsule {
	out := []ShownCapsule{}
	if s.Capsules == nil || s.Skeleton == nil {
		return out
	}
	to := map[[2]string]float64{}
	for _, b := range s.Skeleton.Leading(s.Skeleton.Deforming()) {
		if b.Child < 0 {
			continue
		}
		if whole := r3.Norm(r3.Sub(s.Skeleton.Joints[b.Child].Pos, b.A)); whole > 0 {
			to[[2]string{s.Skeleton.Joints[b.Joint].Name, s.Skeleton.Joints[b.Child].Name}] = r3.Norm(r3.Sub(b.B, b.A)) / whole
		}
	}
	for _, c := range s.Capsules.Of {
		share, leads := to[[2]string{c.Joint, c.Child}]
		if !leads {
			share = 1
		}
		out = append(out, ShownCapsule{c, share})
	}
	return out
}

func losesCapsules(s *studio.State, op studio.Operation) string {
	if o, ok := op.(*SizeCapsules); ok && len(o.Joints) == 0 && s.Capsules != nil {
		return "All capsules are fitted again; hand-set radii are replaced. You can undo."
	}
	return ""
}

// BindCapsules binds by the capsules around the bones; where there are none yet they are sized
// from the mesh first, and kept.
type BindCapsules struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Falloff    float64  `json:"falloff" as:"Falloff" in:"0.1..20"` // the exponent from the inner radius to the outer
	Smooth     int      `json:"smooth" as:"Smoothing" in:"0..100" help:"passes"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindCapsules) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if s.Capsules, err = capsules(s); err != nil {
		return s, studio.Outcome{}, err
	}
	return bound(ctx, s, "bind_capsules", "Bound by capsules", o, limits, func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
		return bind.ByCapsules(
			ctx,
			in,
			s.Skeleton,
			s.Capsules,
			bind.CapsuleOptions{Limits: limits, Falloff: o.Falloff, Smooth: o.Smooth, Deform: deform},
			progress,
		)
	})
}

// SizeCapsules sizes capsules from the mesh: all, or those of the bones of some joints.
type SizeCapsules struct {
	Joints []string `json:"joints,omitempty"`
}

// Apply implements studio.Operation.
func (o *SizeCapsules) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fresh := s
	fresh.Capsules = nil
	sized, err := capsules(fresh)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	n := len(sized.Of)
	if len(o.Joints) > 0 {
		if _, err := s.JointsNamed(o.Joints); err != nil {
			return s, studio.Outcome{}, err
		}
		all := s.Capsules
		if all == nil {
			all = &bind.Capsules{}
		}
		n = 0
		for _, name := range o.Joints {
			for _, c := range sized.Of {
				if c.Joint == name {
					all = all.With(c)
					n++
				}
			}
		}
		if n == 0 {
			return s, studio.Outcome{}, studio.Wrong("no selected joint has a deforming bone")
		}
		sized = all
	}
	s.Capsules = sized
	return s, studio.Outcome{Sentence: fmt.Sprintf("Sized %s from the mesh", wording.Count(n, "capsule", "capsules")), After: fmt.Sprint(n)}, nil
}

// SetCapsule gives the capsule of a bone other stops. Both does the same on the other side.
type SetCapsule struct {
	bind.Capsule
	Both bool `json:"both,omitempty"`
}

// Apply implements studio.Operation.
func (o *SetCapsule) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := o.Check(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	i, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if o.Child != "" {
		k, err := s.Skeleton.Find(o.Child)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		if s.Skeleton.Joints[k].Parent != i {
			return s, studio.Outcome{}, studio.Wrong("%s is not a child of %s: a capsule surrounds the bone between them", o.Child, o.Joint)
		}
	}
	all, err := capsules(s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	all = all.With(o.Capsule)
	side := s.Settings.Marks.Of(o.Joint)
	other := 0
	if o.Both && side != skeleton.Centre {
		only := &bind.Capsules{Of: []bind.Capsule{o.Capsule}}
		mirrored, n := only.Mirrored(s.Skeleton, side, s.Settings.Marks)
		for _, c := range mirrored.Of {
			all = all.With(c)
		}
		other = n
	}
	s.Capsules = all
	also := ""
	if other > 0 {
		also = ", and of its partner"
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Set the radii of the capsule of %s%s", o.Joint, also)}, nil
}

// MirrorCapsules gives the capsules of one side, "left" or "right", to the other.
type MirrorCapsules struct {
	From string `json:"from" as:"From side" one:"left,right"`
}

// Apply implements studio.Operation.
func (o *MirrorCapsules) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	from := skeleton.Left
	if o.From == "right" {
		from = skeleton.Right
	}
	all, err := capsules(s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	next, n := all.Mirrored(s.Skeleton, from, s.Settings.Marks)
	if n == 0 {
		return s, studio.Outcome{}, studio.Wrong("no joint of the %s side with a capsule has a partner", o.From)
	}
	s.Capsules = next
	return s, studio.Outcome{Sentence: fmt.Sprintf("Mirrored %s from the %s", wording.Count(n, "capsule", "capsules"), o.From), After: fmt.Sprint(n)}, nil
}
