package weights

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// at is what an operation on weights works on.
type at struct {
	s        studio.State
	e        *weights.Editor
	net      *weights.Net
	vertices []int32 // that are asked for; nil is all
}

// needs are those of every operation on weights.
var needs = []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}

// begin prepares weights to be changed: locked joints stay, hidden vertices and those of hidden
// parts are closed.
func begin(s studio.State, vertices string) (*at, error) {
	list, err := s.VerticesOf(vertices)
	if err != nil {
		return nil, err
	}
	net, err := weights.NetOf(s.Mesh)
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	most := 0
	if s.Bind != nil {
		most = s.Bind.Limits.Cap
	}
	out := &at{s: s, e: weights.Edit(s.Weights, s.LockedWeights(), s.OpenVertices(), most), net: net, vertices: list}
	out.e.Heir = weights.Heirs(out.e.Joints, s.Skeleton, s.Skeleton.Deforming())
	return out, nil
}

// joint finds the column of a joint; one that has none yet gets it, if it deforms.
func (a *at) joint(name string) (int32, error) {
	if k := slices.Index(a.e.Joints, name); k >= 0 {
		return int32(k), nil
	}
	if _, err := a.s.Skeleton.Find(name); err != nil {
		return 0, studio.Wrong("%v", err)
	}
	a.e.Joints = append(slices.Clip(a.e.Joints), name)
	a.e.Locked = append(slices.Clip(a.e.Locked), false)
	a.e.Heir = weights.Heirs(a.e.Joints, a.s.Skeleton, a.s.Skeleton.Deforming())
	return int32(len(a.e.Joints) - 1), nil
}

// joints finds the columns of joints.
func (a *at) joints(names []string) ([]int32, error) {
	if _, err := a.s.JointsNamed(names); err != nil {
		return nil, err
	}
	var out []int32
	for _, n := range names {
		k, err := a.joint(n)
		if err != nil {
			return nil, err
		}
		if !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out, nil
}

// done returns the state with the weights as they were changed; nothing changed is refused, so
// that history holds no steps that did nothing.
func (a *at) done(ctx context.Context, what string, nothing string) (studio.State, studio.Outcome, error) {
	if err := ctx.Err(); err != nil {
		return a.s, studio.Outcome{}, err
	}
	changed := a.e.Changed()
	if len(changed) == 0 {
		return a.s, studio.Outcome{}, studio.Nothing("%s", nothing)
	}
	s := a.s
	var fresh []int32
	for _, v := range changed {
		if len(s.Weights.Of[v]) == 0 {
			fresh = append(fresh, v)
		}
	}
	var err error
	if s.Binding, err = s.FurtherBound(fresh); err != nil {
		return a.s, studio.Outcome{}, err
	}
	s.Weights = a.e.Weights()
	s = s.WithChosen(func(c *studio.Chosen) { c.ByHand = studio.Unite(c.ByHand, changed) })
	s = s.Recounted()
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("%s: %s changed", what, wording.Count(len(changed), "vertex", "vertices")),
		After:    fmt.Sprint(len(changed)),
	}, nil
}

// partners are, by joint of weights, that of the other side, itself for one without.
func partners(s *studio.State, joints []string) []int32 {
	pairs := s.Skeleton.Pairs(s.Settings.Marks)
	out := make([]int32, len(joints))
	for k, name := range joints {
		out[k] = int32(k)
		i := s.Skeleton.Index(name)
		if i < 0 || pairs.Partner[i] < 0 {
			continue
		}
		if p := slices.Index(joints, s.Skeleton.Joints[pairs.Partner[i]].Name); p >= 0 {
			out[k] = int32(p)
		}
	}
	return out
}

// planeOf is the plane that halves the skeleton.
func planeOf(s *studio.State) weights.Plane {
	return weights.Plane{Normal: r3.Vec{X: 1}, Offset: s.Skeleton.MirrorPlane(s.Settings.Marks)}
}
