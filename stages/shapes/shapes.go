// Package shapes is the stage of what weights cannot do: shape targets, what brings them on, and correctives for poses.
package shapes

import (
	"fmt"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(
		studio.Stage{Name: "shapes", Title: "Shapes", Question: "Which poses need a corrective, and what does each shape move?", Order: 8,
			Touched: func(s *studio.State) bool { return s.Mesh != nil && len(s.Mesh.Shapes) > 0 },
			Reads:   []string{"mesh", "parts", "targets", "shapes", "skeleton", "weights", "settings", "sheet"},
			Find:    func(c *studio.Checked) []finding.Finding { return find(c.State) },
			Steps: []studio.FirstStep{
				{
					What: "Run the motion check: it tells which poses need a corrective",
					Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil }),
				},
				{
					What: "Propose correctives, or bring in shapes",
					Done: studio.Has(func(s *studio.State) bool { return s.Mesh != nil && len(s.Mesh.Shapes) > 0 }),
				},
				{What: "Fix what is found", Done: studio.Settled(studio.HasWeights)},
			}},
	)
}

// longOffset is from what offset on, of the height, a target is unlikely to be one of this character. No source.
const longOffset = 0.5

// find measures the targets and what brings them on.
func find(s *studio.State) (out []finding.Finding) {
	if s.Mesh == nil || len(s.Mesh.Shapes) == 0 {
		return nil
	}
	if lost := s.Rig().For(s.Skeleton, s.Settings.Marks).Lost; len(lost) > 0 {
		out = append(out, finding.Finding{
			Code: "lost_driver", Severity: finding.Harms, Count: len(lost),
			Title: wording.Count(len(lost), "shape target is", "shape targets are") + " never on",
			Why:   fmt.Sprintf("The joint, axis or target that brings %s on is gone. Choose another below, or set it by hand.", said(lost)),
		})
	}
	height := heightOf(s)
	var empty, long []string
	for _, x := range s.Mesh.WorldShapes() {
		switch size, _ := shape.Largest(x); {
		case size == 0:
			empty = append(empty, x.Name)
		case size > longOffset*height:
			long = append(long, x.Name)
		}
	}
	if len(empty) > 0 {
		out = append(out, finding.Finding{
			Code: "empty_target", Severity: finding.Note, Count: len(empty),
			Title:    wording.Count(len(empty), "shape target moves", "shape targets move") + " nothing",
			Why:      said(empty) + ": the file has no offsets for it, or they were cleaned away.",
			Remedies: []finding.Remedy{studio.Offer("Remove", &RemoveTargets{Targets: empty})},
		})
	}
	if len(long) > 0 {
		out = append(out, finding.Finding{
			Code: "long_target", Severity: finding.Harms, Count: len(long),
			Title: wording.Count(len(long), "shape target moves", "shape targets move") + " vertices by more than half the height",
			Why:   said(long) + ": its vertices may be in another order or unit.",
		})
		return out // of a broken target nothing can be read
	}
	return append(out, findBuilds(s)...)
}

// said names a few targets, and counts many.
func said(names []string) string {
	return wording.Some(names, "shape target", "shape targets")
}

func heightOf(s *studio.State) float64 { return geom.BoxOf(s.Mesh.World()).Size().Y }

// targetsNamed finds targets by name; none, or one that is not there, is a mistake of the caller.
func targetsNamed(s *studio.State, names []string) ([]int, error) {
	if len(names) == 0 {
		return nil, studio.Wrong("select at least one shape target")
	}
	var out []int
	for _, n := range names {
		k := slices.IndexFunc(s.Mesh.Shapes, func(x mesh.Shape) bool { return x.Name == n })
		if k < 0 {
			return nil, studio.Wrong("there is no shape target %q", n)
		}
		if !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out, nil
}

// withTargets is a state with other targets and another rig, which has an entry for each.
func withTargets(s studio.State, list []mesh.Shape, rig *shape.Rig) (studio.State, error) {
	if len(list) > shape.Most {
		return s, studio.Wrong("%d shape targets, and at most %d are possible: remove some first", len(list), shape.Most)
	}
	var names []string
	for _, x := range list {
		names = append(names, x.Name)
	}
	m := *s.Mesh
	m.Shapes = list
	s.Shapes = rig.Of(names)
	if err := s.Shapes.Validate(); err != nil {
		return s, studio.Wrong("%v", err)
	}
	s.Mesh = &m // its vertices are the same, and so is what belongs to them
	if s.Bind != nil && s.Bind.Score != nil {
		b := *s.Bind
		b.Score = nil // of other shapes
		s.Bind = &b
	}
	return s, nil
}

// uniqueIn is a name that no target of a list has.
func uniqueIn(list []mesh.Shape, name string) string {
	return shape.Unique(name, func(n string) bool {
		return slices.ContainsFunc(list, func(x mesh.Shape) bool { return x.Name == n })
	})
}

// Row is a target as it is listed.
type Row struct {
	shape.Target
	Vertices int
	Largest  float64 // offset, meters
	Bytes    int     // in a file, as three floats a vertex
	By       string  // what brings it on, in words; "" by hand
}

// Rows lists the targets of a state.
func Rows(s *studio.State) (out []Row) {
	if s.Mesh == nil {
		return nil
	}
	rig := s.Rig()
	for k, x := range s.Mesh.WorldShapes() {
		t := rig.Targets[k]
		size, _ := shape.Largest(x)
		out = append(out, Row{Target: t, Vertices: len(x.Vertex), Largest: size, Bytes: 12 * len(x.Vertex), By: t.By()})
	}
	return out
}

// GroupRow is a group of targets as it is listed: those of none come first, under no group.
type GroupRow struct {
	*shape.Group     // nil for those of none
	Depth        int // how many groups it is within
	Rows         []Row
}

// Grouped lists the targets of a state by their groups, each group after the one that it is in.
func Grouped(s *studio.State) []GroupRow {
	rows := Rows(s)
	if len(rows) == 0 {
		return nil
	}
	rig := s.Rig()
	within := func(group string) (out []Row) {
		for _, r := range rows {
			if r.Group == group || group == "" && rig.FindGroup(r.Group) < 0 {
				out = append(out, r)
			}
		}
		return out
	}
	out := []GroupRow{{Rows: within("")}}
	var visit func(in string, depth int)
	visit = func(in string, depth int) {
		for i := range rig.Groups {
			if g := &rig.Groups[i]; g.In == in || in == "" && rig.FindGroup(g.In) < 0 {
				out = append(out, GroupRow{g, depth, within(g.Name)})
				visit(g.Name, depth+1)
			}
		}
	}
	visit("", 0)
	return out
}

// Shown is how the shape targets of a character are used, with the axes of drivers, and the blobs with their offsets, one by one.
type Shown struct {
	*shape.Rig
	Blobs []string `json:"blobs"`
}

// ShownOf is what a page shows targets by; nil where there are none.
func ShownOf(s *studio.State, parts studio.Parts) *Shown {
	if s.Mesh == nil || len(s.Mesh.Shapes) == 0 {
		return nil
	}
	out := &Shown{Rig: s.Rig().For(s.Skeleton, s.Settings.Marks).Described()}
	for k := range s.Mesh.Shapes {
		out.Blobs = append(out.Blobs, parts[studio.TargetKey(k)])
	}
	return out
}
