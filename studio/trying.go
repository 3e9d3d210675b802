package studio

import (
	"context"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
)

// Limits of what is asked.
const (
	mostSteps  = 60
	mostAmount = 1.5
	// mostPosed bounds how many vertices are posed in all; beyond, only the ends are tried.
	mostPosed = 200_000_000
	// crossEvery is how many frames lie between those that are looked through for crossings.
	crossEvery = 10
)

// MostBuilds is how many builds of a character are measured at once.
const MostBuilds = 20

// CheckReel reports what a reel cannot be made of.
func CheckReel(s *State, a ReelRequest) error {
	if !(a.Amount > 0 && a.Amount <= mostAmount) {
		return Wrong("the part of the range must be above 0 and at most %g (1 is all of it), not %g", mostAmount, a.Amount)
	}
	if a.Steps < 1 || a.Steps > mostSteps {
		return Wrong("frames per swing: 1 to %d, not %d", mostSteps, a.Steps)
	}
	for _, k := range a.Kinds {
		if !slices.Contains(pose.SegmentKinds, k) {
			return Wrong("a reel has no %q; it has %v", k, pose.SegmentKinds)
		}
	}
	if len(a.Builds) > MostBuilds {
		return Wrong("%d builds, and at most %d are measured at once", len(a.Builds), MostBuilds)
	}
	for _, name := range a.Builds {
		if _, err := s.InBuild(name); err != nil {
			return err
		}
	}
	if len(a.Joints) > 0 {
		if _, err := s.JointsNamed(a.Joints); err != nil {
			return err
		}
	}
	return nil
}

// Measure tries the skin of a state in a reel.
func Measure(ctx context.Context, s *State, a ReelRequest, progress func(share float64)) (*Sheet, error) {
	if err := CheckReel(s, a); err != nil {
		return nil, err
	}
	reel := s.Reel(a, true)
	if len(reel.Frames) == 0 {
		return nil, Wrong("no joint moves the skin in its typical range")
	}
	if len(s.Mesh.Points)*len(reel.Frames) > mostPosed && a.Steps > 1 {
		a.Steps = 1
		reel = s.Reel(a, true)
	}
	each := func(k int) func(float64) {
		if progress == nil {
			return nil
		}
		return func(share float64) { progress((float64(k) + share) / float64(1+len(a.Builds))) }
	}
	checked, layers, err := s.checked(ctx, a, reel, each(0))
	if err != nil {
		return nil, err
	}
	out := &Sheet{
		Brief:    briefOf(checked),
		Asked:    a,
		Vertices: len(s.Mesh.Points),
		Rest:     checked.Rest,
		Segments: reel.Segments,
		Faults:   checked.Faults,
		Crossed:  checked.Crossed,
		Cut:      checked.Cut,
		Layers:   layers,
		Left:     reel.Left,
	}
	for k, name := range a.Builds {
		build, err := s.InBuild(name)
		if err != nil {
			return nil, err
		}
		checked, _, err := build.checked(ctx, a, reel, each(k+1))
		if err != nil {
			return nil, err
		}
		out.Builds = append(out.Builds, BuildBrief{name, briefOf(checked)})
	}
	for _, f := range checked.Frames {
		out.Frames, out.Kinds = append(out.Frames, Rounded(f.Worst)), append(out.Kinds, slices.Index(deform.FaultKinds, f.Kind))
	}
	return out, nil
}

// checked measures the skin of a state in a reel, and tells how many layers it has.
func (s *State) checked(
	ctx context.Context,
	a ReelRequest,
	reel *pose.Reel,
	progress func(share float64),
) (out *deform.Checked, layers int, err error) {
	skin, o, err := s.Tried(a)
	if err != nil {
		return nil, 0, err
	}
	out, err = skin.Check(ctx, reel, o, progress)
	return out, len(o.Layers), err
}

func briefOf(c *deform.Checked) Brief {
	out := Brief{Score: Rounded(c.Score), Over: c.Over, Worst: map[string]float64{}}
	for kind, x := range c.Worst {
		out.Worst[kind] = Rounded(x)
	}
	return out
}

// Unshaped is the skin of a state that has weights, with no shape target on.
func (s *State) Unshaped() (*deform.Skin, error) {
	tris, _ := s.Mesh.Triangles()
	skin, err := deform.NewSkin(s.Mesh.World(), tris, s.Weights, s.Skeleton, s.Binding)
	if err != nil {
		return nil, Wrong("%v", err)
	}
	return skin, nil
}

// Skin is the skin of a state that has weights, with its shape targets as they are used.
func (s *State) Skin() (*deform.Skin, error) {
	skin, err := s.Unshaped()
	if err != nil || len(s.Mesh.Shapes) == 0 {
		return skin, err
	}
	return skin.Shaped(s.Mesh.WorldShapes(), s.Rig().For(s.Skeleton, s.Settings.Marks)), nil
}

// Rig is how the shape targets of the mesh are used, one by one in their order.
func (s *State) Rig() *shape.Rig {
	var names []string
	if s.Mesh != nil {
		for _, x := range s.Mesh.Shapes {
			names = append(names, x.Name)
		}
	}
	return s.Shapes.Of(names)
}

// Tried is the skin of a state, and with what it is measured in a reel.
func (s *State) Tried(a ReelRequest) (*deform.Skin, deform.CheckOptions, error) {
	o := deform.CheckOptions{Cross: crossEvery}
	skin, err := s.Skin()
	if err != nil {
		return nil, o, err
	}
	if s.Bind != nil && len(s.Bind.Report.Layers) > 0 {
		o.Cover = max(1, a.Steps) // the ends
		o.Body, o.Layers = s.Bind.Report.Worn(s.Mesh)
		o.Rigid = s.Bind.Report.Stiff(s.Mesh)
	}
	return skin, o, nil
}

// Rounded to a thousandth, as it is stored and compared.
func Rounded(x float64) float64 { return math.Round(1000*x) / 1000 }
