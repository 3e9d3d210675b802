package handoff

import (
	"fmt"
	"strings"

	"wisemarrow/core/compare"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// Said are the lines that say what differs, the gravest first; one alone where nothing does.
func Said(r *compare.Report) []string {
	var out []string
	named := map[string][]string{}
	var renamed, moved, turned, hung []string
	far, most := 0.0, 0.0
	for _, j := range r.Joints {
		if j.Kind != "changed" {
			named[j.Kind] = append(named[j.Kind], j.Name)
			continue
		}
		if j.Was != "" {
			renamed = append(renamed, j.Was+" → "+j.Name)
		}
		if j.Moved > 0 {
			moved = append(moved, j.Name)
			far = max(far, j.Moved)
		}
		if j.Turned > 0 {
			turned = append(turned, j.Name)
			most = max(most, j.Turned)
		}
		if j.Parent != "" {
			hung = append(hung, j.Name)
		}
	}
	add := func(list []string, one, many, more string) {
		if len(list) > 0 {
			out = append(out, wording.Count(len(list), one, many)+more+": "+few(list))
		}
	}
	if by := r3.Norm(r3.Vec{X: r.Shift[0], Y: r.Shift[1], Z: r.Shift[2]}); by > 0 {
		out = append(out, fmt.Sprintf("everything stands elsewhere, by %s", wording.Length(by)))
	}
	add(named["gone"], "joint is gone", "joints are gone", "")
	add(named["added"], "joint was added", "joints were added", "")
	add(renamed, "joint was renamed", "joints were renamed", "")
	add(hung, "joint has another parent", "joints have another parent", "")
	add(moved, "joint moved", "joints moved", ", by up to "+wording.Length(far))
	add(turned, "joint has other axes", "joints have other axes", fmt.Sprintf(", by up to %.1f°", most))
	if m := r.Mesh; m != nil {
		switch {
		case m.Vertices != [2]int{m.Matched, m.Matched}:
			out = append(out, fmt.Sprintf("the mesh has other vertices: %s → %s, %s of them where they were",
				wording.Thousands(m.Vertices[0]), wording.Thousands(m.Vertices[1]), wording.Thousands(m.Matched-m.Moved)))
		case !m.Same && !m.Cut:
			out = append(out, fmt.Sprintf("the mesh has other faces: %s → %s", wording.Thousands(m.Faces[0]), wording.Thousands(m.Faces[1])))
		}
		if m.Moved > 0 {
			out = append(out, fmt.Sprintf("%s, by up to %s", wording.Count(m.Moved, "vertex moved", "vertices moved"), wording.Length(m.Farthest)))
		}
	}
	if w := r.Weights; w != nil && w.Vertices > 0 {
		line := wording.Count(w.Vertices, "vertex has other weights", "vertices have other weights")
		if w.Apart > 0 {
			line += fmt.Sprintf(", and the skin differs by up to %s in %s", wording.Length(w.Apart), w.Pose)
		}
		out = append(out, line)
	}
	add(r.Targets, "shape target differs", "shape targets differ", "")
	add(r.Motions, "motion differs", "motions differ", "")
	if len(out) == 0 {
		return []string{"Nothing differs"}
	}
	for i, line := range out {
		out[i] = strings.ToUpper(line[:1]) + line[1:]
	}
	return out
}
