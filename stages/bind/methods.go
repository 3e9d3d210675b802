package bind

import (
	"context"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	needs := []studio.Need{studio.NeedMesh, studio.NeedSkeleton}
	d := bind.DefaultDistance
	studio.Register(
		studio.Entry{
			Name:  "bind_auto",
			Label: "Bind",
			Stage: "bind",
			Words: "automatic skin weights best method any mesh",
			Needs: needs,
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				return &BindAuto{Influences: d.Cap, Trace: d.Trace}
			},
		},
		studio.Entry{
			Name:  "bind_volume",
			Label: "Bind through the volume",
			Stage: "bind",
			Words: "voxel geodesic solid distance weights broken mesh",
			Needs: needs,
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				return &BindVolume{Influences: d.Cap, Trace: d.Trace, Falloff: d.Falloff, Smooth: d.Smooth}
			},
		},
		studio.Entry{
			Name:  "bind_near",
			Label: "Bind by distance",
			Stage: "bind",
			Words: "closest nearest bone falloff simple weights",
			Needs: needs,
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				return &BindNear{Influences: d.Cap, Trace: d.Trace, Falloff: d.Falloff, Smooth: d.Smooth}
			},
		},
		studio.Entry{
			Name:  "bind_rigid",
			Label: "Bind pieces rigidly",
			Stage: "bind",
			Words: "rigid robot armour parts machine one joint",
			Needs: needs,
			Long:  studio.Always,
			Loses: loses,
			New:   func() studio.Operation { return &BindRigid{} },
		},
	)
}

// BindAuto binds by whatever the mesh calls for, until every vertex has weights. Skip names
// joints that shall not deform, besides the end joints.
type BindAuto struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindAuto) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	in, _ := s.Mesh.Bindable()
	w, report, err := bind.Automatic(
		ctx,
		in,
		s.Skeleton,
		bind.Options{Limits: limits, Heat: bind.DefaultOptions.Heat, Deform: deform},
		progress,
	)
	return made(ctx, s, "bind_auto", "Bound", o, limits, w, report, err)
}

// BindVolume binds by distances through the solid. Falloff is the exponent with which weights
// fall, Cubes how many the longest side has (0: 128), Smooth how often weights are smoothed.
type BindVolume struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Falloff    float64  `json:"falloff" as:"Falloff" in:"1..20"`
	Cubes      int      `json:"cubes,omitempty" as:"Resolution" in:"24..320" help:"cubes along the longest side"`
	Smooth     int      `json:"smooth" as:"Smoothing" in:"0..100" help:"passes"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindVolume) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return bound(ctx, s, "bind_volume", "Bound through the volume", o, limits, func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
		return bind.Volume(
			ctx,
			in,
			s.Skeleton,
			bind.DistanceOptions{Limits: limits, Falloff: o.Falloff, Cubes: o.Cubes, Smooth: o.Smooth, Deform: deform},
			progress,
		)
	})
}

// BindNear binds by the straight distance from each bone, whatever lies between.
type BindNear struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Falloff    float64  `json:"falloff" as:"Falloff" in:"1..20"`
	Smooth     int      `json:"smooth" as:"Smoothing" in:"0..100" help:"passes"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindNear) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return bound(ctx, s, "bind_near", "Bound by distance", o, limits, func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
		return bind.Near(
			ctx,
			in,
			s.Skeleton,
			bind.DistanceOptions{Limits: limits, Falloff: o.Falloff, Smooth: o.Smooth, Deform: deform},
			progress,
		)
	})
}

// BindRigid gives every piece wholly to the joint whose bone it holds.
type BindRigid struct {
	Skip []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindRigid) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, 1, 0, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return bound(
		ctx,
		s,
		"bind_rigid",
		"Gave each piece to one joint",
		o,
		limits,
		func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
			return bind.ByPiece(ctx, in, s.Skeleton, deform, progress)
		},
	)
}
