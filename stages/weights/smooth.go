package weights

import (
	"context"
	"errors"
	"fmt"
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "smooth_weights",
			Label: "Smooth weights",
			Stage: "weights",
			Words: "relax average blur",
			From:  studio.FromForm,
			Needs: needs,
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &Smooth{Passes: 1} },
		},
		studio.Entry{
			Name:  "blend_border",
			Label: "Blend the boundary of two joints",
			Stage: "weights",
			Words: "soften transition gradient width",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &BlendBorder{Width: 0.06} },
		},
		studio.Entry{
			Name:  "settle_weights",
			Label: "Settle outliers",
			Stage: "weights",
			Words: "pull stray vertices fix spike",
			Needs: needs,
			New:   func() studio.Operation { return &Settle{} },
		},
		studio.Entry{
			Name:  "harden_weights",
			Label: "Harden to the leading joint",
			Stage: "weights",
			Words: "rigid whole binary quantize steps",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Harden{Steps: 1} },
		},
		studio.Entry{
			Name:  "drop_traces",
			Label: "Drop traces",
			Stage: "weights",
			Words: "prune tiny small weights threshold",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropTraces{Below: 0.01} },
		},
		studio.Entry{
			Name:  "drop_islands",
			Label: "Remove disconnected weights",
			Stage: "weights",
			Words: "island stray leak elsewhere",
			Needs: needs,
			New:   func() studio.Operation { return &DropIslands{} },
		},
		studio.Entry{
			Name:  "drop_far",
			Label: "Remove weights far from their bone",
			Stage: "weights",
			Words: "bleed spill traces clean other side outlier",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropFar{} },
		},
		studio.Entry{
			Name:  "cap_weights",
			Label: "Cap influences per vertex",
			Stage: "weights",
			Words: "limit max influences reduce",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &CapWeights{Influences: 4} },
		},
		studio.Entry{
			Name:  "copy_weights",
			Label: "Copy the weights of a vertex",
			Stage: "weights",
			Words: "paste transfer same one vertex onto others eyedropper",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Copy{} },
		},
		studio.Entry{
			Name:  "even_vertices",
			Label: "Average selected vertices",
			Stage: "weights",
			Words: "rigid average mean piece same",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Even{} },
		},
	)
}

// Smooth draws vertices half way to the mean of their neighbours, so many times: the shares of
// some joints, or of all.
type Smooth struct {
	Joints   []string `json:"joints,omitempty" help:"smooth only the shares of these; default all"`
	Vertices string   `json:"vertices,omitempty"`
	Passes   int      `json:"passes" as:"Passes" in:"1..100" help:"how often"`
}

// Apply implements studio.Operation.
func (o *Smooth) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	var list []int32
	what := "Smoothed all joints"
	if len(o.Joints) > 0 {
		if list, err = a.joints(o.Joints); err != nil {
			return s, studio.Outcome{}, err
		}
		if err := a.e.CheckLocks(list...); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		what = "Smoothed " + studio.Said(o.Joints)
	}
	a.e.Smooth(a.vertices, list, o.Passes, a.net)
	return a.done(ctx, what+", "+wording.Count(o.Passes, "time", "times"), "the weights are as smooth as that already")
}

// BlendBorder evens the border between two joints over a width, metres along the surface.
type BlendBorder struct {
	Joints   []string `json:"joints" count:"2" help:"the two that meet"` // two
	Width    float64  `json:"width" as:"Width" in:"0<..1e6" unit:"m" help:"along the surface"`
	Vertices string   `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *BlendBorder) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if len(o.Joints) != 2 {
		return s, studio.Outcome{}, studio.Wrong("a boundary needs two joints, not %d", len(o.Joints))
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	list, err := a.joints(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if len(list) != 2 {
		return s, studio.Outcome{}, studio.Wrong("a boundary needs two joints")
	}
	if err := a.e.CheckLocks(list...); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	a.e.Blend(list[0], list[1], o.Width, a.vertices, a.net)
	return a.done(
		ctx,
		fmt.Sprintf("Blended the boundary of %s and %s over %s", o.Joints[0], o.Joints[1], wording.Length(o.Width)),
		fmt.Sprintf("%s and %s do not meet there", o.Joints[0], o.Joints[1]),
	)
}

// Settle gives vertices whose shares are quite others than all their neighbours' the mean of
// these.
type Settle struct {
	Vertices string `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *Settle) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	n := a.e.Settle(a.vertices, a.net)
	return a.done(ctx, fmt.Sprintf("Settled %d outliers", n), "no vertex differs that much from all its neighbors")
}

// Harden gives vertices wholly to their leading joint, or rounds their shares to whole parts of
// one in Steps.
type Harden struct {
	Vertices string `json:"vertices,omitempty"`
	Steps    int    `json:"steps" as:"Steps" in:"1..1000" help:"1 gives vertices wholly to their leading joint, n rounds to 1/n"`
}

// Apply implements studio.Operation.
func (o *Harden) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.e.Harden(a.vertices, o.Steps)
	what := "Hardened to the leading joints"
	if o.Steps > 1 {
		what = fmt.Sprintf("Rounded to parts of one in %d", o.Steps)
	}
	return a.done(ctx, what, "already the same: nothing changed")
}

// DropTraces drops shares below a limit.
type DropTraces struct {
	Vertices string  `json:"vertices,omitempty"`
	Below    float64 `json:"below" as:"Limit" in:"0<..<0.5" help:"weights below it are dropped"`
}

// Apply implements studio.Operation.
func (o *DropTraces) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.e.Traces(a.vertices, o.Below, true)
	return a.done(ctx, fmt.Sprintf("Dropped traces below %.3g", o.Below), "no weights are below that")
}

// Traced tells what dropping traces would do: how many vertices have any, and how far the skin
// would move by it at most, metres, in the extremes of the joints that move most.
type Traced struct {
	Vertices int     `json:"vertices"`
	Farthest float64 `json:"farthest"`
	In       string  `json:"in"`
}

// Traces looks at dropping traces without doing it.
func Traces(s *studio.State, below float64, vertices string) (Traced, error) {
	if s.Weights == nil || s.Skeleton == nil {
		return Traced{}, studio.Wrong("no weights yet: bind first")
	}
	if !(below > 0) || below >= 0.5 {
		return Traced{}, studio.Wrong("traces lie above 0 and below 0.5, not at %g", below)
	}
	a, err := begin(*s, vertices)
	if err != nil {
		return Traced{}, err
	}
	list := a.e.Traces(a.vertices, below, true)
	out := Traced{Vertices: len(list)}
	if len(list) == 0 {
		return out, nil
	}
	before := &weights.Weights{Joints: a.e.Joints, Of: make([][]weights.Influence, len(list))}
	after := &weights.Weights{Joints: a.e.Joints, Of: make([][]weights.Influence, len(list))}
	points, world := make([]r3.Vec, len(list)), s.Mesh.World()
	for i, v := range list {
		points[i], before.Of[i], after.Of[i] = world[v], s.Weights.Of[v], a.e.Of[v]
	}
	out.Farthest, out.In = deform.Apart(points, before, after, s.Skeleton, s.Settings.Marks)
	if math.IsNaN(out.Farthest) {
		out.Farthest = 0
	}
	return out, nil
}

// DropIslands takes away shares that are cut off along the surface from the joint's main region.
type DropIslands struct {
	Vertices string `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *DropIslands) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.e.DropIslands(a.vertices, a.net, a.s.Skeleton)
	return a.done(ctx, "Removed disconnected weights", "no joint has weights that are cut off from the rest")
}

// DropFar takes weights away that are much farther from their bone than weights reach, and gives them to the others
// of their vertices.
type DropFar struct {
	Vertices string `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *DropFar) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.e.DropFar(a.vertices, a.net, s.Skeleton, partners(&s, a.e.Joints))
	return a.done(ctx, "Removed weights far from their bone", "no joint has weights far from its bone")
}

// CapWeights keeps the heaviest shares of each vertex, and holds later changes to it.
type CapWeights struct {
	Vertices   string `json:"vertices,omitempty"`
	Influences int    `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most; what goes is faded out first"`
}

// Apply implements studio.Operation.
func (o *CapWeights) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.e.CapAt(a.vertices, o.Influences, a.net)
	next, out, err := a.done(
		ctx,
		fmt.Sprintf("Capped at %s", wording.Count(o.Influences, "influence", "influences")),
		"no vertex has more than "+wording.Count(o.Influences, "influence", "influences"),
	)
	if a.vertices != nil || s.Bind == nil {
		return next, out, err
	}
	// Later changes keep to the cap, a higher one too.
	if errors.Is(err, studio.ErrNothing) && s.Bind.Limits.Cap != o.Influences {
		next, out, err = s, studio.Outcome{
			Sentence: fmt.Sprintf(
				"Set the cap to %s per vertex: no weight changed",
				wording.Count(o.Influences, "influence", "influences"),
			),
		}, nil
	}
	if err == nil {
		record := *next.Bind
		record.Limits.Cap = o.Influences
		next.Bind = &record
	}
	return next, out, err
}

// Even gives chosen vertices the mean of what they have, so that they move as one.
type Even struct {
	Vertices string `json:"vertices"`
}

// Apply implements studio.Operation.
func (o *Even) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if len(a.vertices) < 2 {
		return s, studio.Outcome{}, studio.Wrong("select the vertices that should move as one")
	}
	a.e.Mean(a.vertices)
	return a.done(ctx, "Averaged the selected vertices", "already the same")
}

// Copy gives chosen vertices the weights of one; those of locked joints stay.
type Copy struct {
	From     int    `json:"from" as:"Vertex" in:"0.." help:"the vertex whose weights are copied"`
	Vertices string `json:"vertices"`
}

// Apply implements studio.Operation.
func (o *Copy) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	switch {
	case err != nil:
		return s, studio.Outcome{}, err
	case o.Vertices == "":
		return s, studio.Outcome{}, studio.Wrong("select the vertices to get the weights of vertex %d", o.From)
	case o.From < 0 || o.From >= len(s.Weights.Of):
		return s, studio.Outcome{}, studio.Wrong(
			"there is no vertex %d: the mesh has %s",
			o.From,
			wording.Count(len(s.Weights.Of), "vertex", "vertices"),
		)
	case len(s.Weights.Of[o.From]) == 0:
		return s, studio.Outcome{}, studio.Wrong("vertex %d has no weights to copy", o.From)
	}
	list := a.e.At(int32(o.From))
	for _, v := range a.e.All(a.vertices) {
		a.e.Replace(v, list)
	}
	return a.done(ctx, fmt.Sprintf("Copied the weights of vertex %d", o.From), "they have these weights already")
}
