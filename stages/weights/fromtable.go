package weights

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/formats/weightfile"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "import_weights",
			Label: "Load weights from a table",
			Stage: "weights",
			Words: "load csv json file import read",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &FromTable{} },
		},
	)
}

// FromTable takes the weights of a CSV or JSON table for the vertices that it names; the others
// keep theirs. By is "vertex", their number, or "place", the vertex nearest to theirs within a
// distance, metres (0: a two thousandth of the height); "" is by number where the file has them.
type FromTable struct {
	File   *studio.File `json:"file" help:"the table, .csv or .json"`
	By     string       `json:"by,omitempty" as:"Match by" one:"vertex,place" help:"by vertex number or by position; by number where the table has them"`
	Within float64      `json:"within,omitempty" as:"Distance" in:"0..1e6" unit:"m" help:"at most so far away"`
}

// Files implements studio.FileReader.
func (o *FromTable) Files() []*studio.File {
	if o.File == nil {
		return nil
	}
	return []*studio.File{o.File}
}

// Apply implements studio.Operation.
func (o *FromTable) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	if o.File == nil {
		return s, studio.Outcome{}, studio.Wrong("name the file that the weights are in: CSV or JSON")
	}
	r, _, limit, err := o.File.Open(ctx)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	progress("Reading "+o.File.Name, 0.1)
	table, err := weightfile.Decode(r, limit)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%s: %v", o.File.Name, err)
	}
	to, lost, err := o.targets(s, table)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if s.Weights == nil {
		names := make([]string, len(s.Skeleton.Joints))
		for i, j := range s.Skeleton.Joints {
			names[i] = j.Name
		}
		s.Weights = weights.New(names, len(s.Mesh.Points))
	}
	a, err := begin(s, "")
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.e.Cap = 0 // the table is taken as it is
	column := make([]int32, len(table.Joints))
	var unknown []string
	for k, name := range table.Joints {
		column[k] = -1
		if s.Skeleton.Index(name) < 0 {
			unknown = append(unknown, name)
			continue
		}
		if column[k], err = a.joint(name); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	if len(unknown) == len(table.Joints) {
		return s, studio.Outcome{}, studio.Wrong(
			"no joint of %s is one of this character: it has %s",
			o.File.Name,
			studio.Said(unknown[:min(4, len(unknown))]),
		)
	}
	empty, off, most := 0, 0, 0
	for i, v := range to {
		if v < 0 {
			continue
		}
		var list []weights.Influence
		sum := 0.0
		for _, x := range table.Of[i] {
			sum += x.Value
			if k := column[x.Joint]; k >= 0 {
				list = append(list, weights.Influence{Joint: k, Value: x.Value})
			}
		}
		if math.Abs(sum-1) > 1e-4 {
			off++
		}
		if len(list) == 0 {
			empty++
			continue
		}
		most = max(most, len(list))
		a.e.Replace(v, list)
	}
	next, out, err := a.done(ctx, "Took weights from "+o.File.Name, "the weights are those of the table already")
	if err != nil {
		return s, out, err
	}
	if next.Bind != nil && most > next.Bind.Limits.Cap {
		record := *next.Bind
		record.Limits.Cap = most
		next.Bind = &record
	}
	for _, x := range []struct {
		n    int
		what string
	}{{lost, "rows with no vertex in range"}, {empty, "rows skipped: joints not in this skeleton"}, {off, "rows did not sum to 1 and were scaled"}} {
		if x.n > 0 {
			out.Left = append(out.Left, fmt.Sprintf("%d %s", x.n, x.what))
		}
	}
	if len(unknown) > 0 {
		out.Left = append(out.Left, fmt.Sprintf("%s not in this skeleton: their weight went to the other influences", studio.Said(unknown)))
	}
	return next, out, nil
}

// targets are, by row, the vertices that a table means, -1 for none, and how many rows have none.
func (o *FromTable) targets(s studio.State, t *weightfile.Table) ([]int32, int, error) {
	by := o.By
	if by == "" {
		by = "place"
		if t.Vertex != nil {
			by = "vertex"
		}
	}
	switch {
	case by == "vertex" && t.Vertex == nil, by == "place" && t.Place == nil:
		return nil, 0, studio.Wrong(
			"%s does not have the vertices' %s",
			o.File.Name,
			map[string]string{"vertex": "numbers", "place": "places"}[by],
		)
	case by == "vertex":
		for i, v := range t.Vertex {
			if int(v) >= len(s.Mesh.Points) {
				return nil, 0, studio.Wrong(
					"row %d of %s names vertex %d, but the mesh has %d; match by position if the table has positions",
					i+1,
					o.File.Name,
					v,
					len(s.Mesh.Points),
				)
			}
		}
		return slices.Clone(t.Vertex), 0, nil
	}
	points := s.Mesh.World()
	within := o.Within
	if within == 0 {
		within = geom.BoxOf(points).Size().Y / 2000
	}
	tree := geom.NewPointTree(points)
	out, lost := make([]int32, len(t.Place)), 0
	for i, p := range t.Place {
		v, _, d := tree.NearestOf(p, math.Max(within, 1e-9), nil)
		out[i] = -1
		if v >= 0 && d <= within {
			out[i] = v
		} else {
			lost++
		}
	}
	if lost == len(out) {
		mine, theirs := geom.BoxOf(points), geom.BoxOf(t.Place)
		return nil, 0, studio.Wrong(
			"no row of %s is within %s of a vertex: its positions span %s, the mesh %s, and their centers are %s apart",
			o.File.Name,
			wording.Length(within),
			wording.Length(theirs.Diagonal()),
			wording.Length(mine.Diagonal()),
			wording.Length(r3.Norm(r3.Sub(mine.Centre(), theirs.Centre()))),
		)
	}
	return out, lost, nil
}
