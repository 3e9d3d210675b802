package bind

import (
	"context"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "bind_decimated",
			Label: "Bind on a decimated copy",
			Stage: "bind",
			Words: "proxy low resolution heavy dense reduce simplify copy carry",
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				d := bind.DefaultOptions
				return &BindDecimated{Influences: d.Cap, Trace: d.Trace, Vertices: 20_000}
			},
		},
	)
}

// BindDecimated binds a copy of fewer vertices automatically and carries the weights over to the mesh, which is not
// changed. A mesh that has no more than the copy would is bound itself.
type BindDecimated struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Vertices   int      `json:"copy" as:"Vertices of the copy" in:"500..200000" help:"how many the copy keeps; more where borders and pieces need them"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindDecimated) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	how := "Bound on a decimated copy"
	if len(s.Mesh.Points) <= o.Vertices {
		how = "Bound itself, as it has no more vertices than the copy would"
	}
	return bound(
		ctx,
		s,
		"bind_decimated",
		how,
		o,
		limits,
		func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
			options := bind.Options{Limits: limits, Heat: bind.DefaultOptions.Heat, Deform: deform}
			w, report, _, err := bind.OnDecimated(ctx, in, s.Skeleton, options, o.Vertices, progress)
			return w, report, err
		},
	)
}
