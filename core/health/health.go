// Package health measures a mesh and names, as findings, what would harm a
// bind. The measuring itself is in package mesh; here stand the limits and the
// words.
package health

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
)

// Check measures a surface and returns its facts and what would harm a bind,
// gravest first. It changes nothing. kind is the name of one of Kinds, "" for
// any. What could not be measured to the end, because the mesh is made so that it
// would take too long, is a finding of its own (geom.Effort). It returns the error of
// ctx when that ends before.
func Check(ctx context.Context, s *mesh.Surface, kind string) (mesh.Facts, []finding.Finding, error) {
	facts := s.Measure()
	if s.Faces() == 0 {
		return facts, []finding.Finding{{Code: "no_faces", Severity: finding.Blocks, Count: 1, Title: "The file has no faces",
			Why:      "There is no surface for a skeleton to move.",
			Evidence: []finding.Evidence{{What: "faces", Value: 0, Limit: 1}}}}, nil
	}
	c := check{Surface: s, kind: kind}
	c.plane = sync.OnceValue(func() mesh.Symmetry { return mesh.FindSymmetry(s.At, s.Tree, geom.SymmetryShare*s.Diagonal) })
	c.cards = sync.OnceValue(c.sheets)
	// Independent measures, side by side; their findings keep this order.
	measures := []func() []finding.Finding{
		c.frames, c.duplicates, c.nonManifold, c.bowTies, c.inside, c.winding, c.doubled, c.slivers, c.polygons,
		c.loose, c.borders, c.cardsFound, c.size, c.symmetry, c.crossings,
	}
	found := make([][]finding.Finding, len(measures))
	geom.Chunks(len(measures), 1, func(i, _ int) {
		if ctx.Err() == nil {
			found[i] = measures[i]()
		}
	})
	if err := ctx.Err(); err != nil {
		return mesh.Facts{}, nil, err
	}
	var out []finding.Finding
	for _, list := range found {
		out = append(out, list...)
	}
	slices.SortStableFunc(out, func(a, b finding.Finding) int { return cmp.Compare(a.Severity.Rank(), b.Severity.Rank()) })
	return facts, out, nil
}

// unfinished says that one of the measures was given up. name ends its code; what is
// what it would have found.
func unfinished(name, what string, e finding.Evidence) finding.Finding {
	return finding.Finding{Code: "unfinished_" + name, Severity: finding.Harms, Count: 1,
		Title: "Only partly checked: " + what,
		Why: "Too many faces or vertices coincide or intersect to compare them all. " +
			"Only part of the mesh was checked; these results cover that part. " +
			"Remove duplicate faces and overlapping pieces, or reduce the mesh there, then check again.",
		Evidence: []finding.Evidence{e}}
}

// check is one check of one mesh.
type check struct {
	*mesh.Surface
	kind  string
	plane func() mesh.Symmetry // found once, wanted twice
	cards func() []bool        // the pieces that are open sheets, nil for none
}

// What some findings carry as their Data, by code.
type (
	// Within is a distance in metres: duplicate_vertices are at most so far apart,
	// half_mesh ends within it of the mirror plane, crumbs are smaller.
	Within float64
	// Holes is what can be filled of open_borders; nil where nothing can be.
	Holes struct{ Edges, Filled, Small int }
	// Placements are what size_or_axis, transform_not_identity, off_ground, off_centre and
	// not_facing_front would be placed by: the likeliest first.
	Placements []mesh.Placement
	// Doubled tells that non_manifold_edges come with duplicate faces.
	Doubled bool
)

func evidence(what string, value, limit float64) finding.Evidence {
	return finding.Evidence{What: what, Value: value, Limit: limit}
}

func share(what string, value, limit float64) finding.Evidence {
	return finding.Evidence{What: what, Value: value, Limit: limit, Unit: "%"}
}

func metres(what string, value, limit float64) finding.Evidence {
	return finding.Evidence{What: what, Value: value, Limit: limit, Unit: "m"}
}
