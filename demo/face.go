package demo

import (
	"math"

	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// BramWithFace is the lamplighter with the shape targets of his face: brows, lids, mouth and mustache, one each side, with what
// a brow adds on its way up and what the mustache does when he smiles with an open mouth.
func BramWithFace(cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	m, s := Bram(cell)
	f := BramFigure
	y := func(t float64) float64 { return f.Skull + t*(1-f.Skull) }
	at := func(x, t, z float64) r3.Vec { return r3.Scale(f.Height, r3.Vec{X: x, Y: y(t), Z: z}) }
	face := m.FrameOfVertices()
	points := m.World()
	part := m.PartOfVertices()
	// lump moves the face about a place softly, as far as it reaches.
	lump := func(name string, parts []string, lumps ...[3]r3.Vec) {
		out := mesh.Shape{Name: name}
		for v, p := range points {
			in := false
			for _, x := range parts {
				in = in || m.Parts[part[v]].Name == x
			}
			var by r3.Vec
			for _, l := range lumps {
				d := r3.Sub(p, l[0])
				r := math.Sqrt(d.X*d.X/(l[1].X*l[1].X) + d.Y*d.Y/(l[1].Y*l[1].Y) + d.Z*d.Z/(l[1].Z*l[1].Z))
				if r < 1 {
					by = r3.Add(by, r3.Scale((1-r*r)*(1-r*r), l[2]))
				}
			}
			if in && r3.Norm(by) > 1e-5 {
				if inverse, ok := face(int32(v)).Inverse(); ok {
					by = inverse.Direction(by)
				}
				out.Vertex, out.Offset = append(out.Vertex, int32(v)), append(out.Offset, by)
			}
		}
		m.Shapes = append(m.Shapes, out)
	}
	size := func(x, y, z float64) r3.Vec { return r3.Scale(f.Height, r3.Vec{X: x, Y: y, Z: z}) }
	skin, all, hair := []string{"skin"}, []string{"skin", "whiskers"}, []string{"whiskers"}
	for _, side := range []string{"_l", "_r"} {
		x := 1.0
		if side == "_r" {
			x = -1
		}
		brow, lid, corner := at(x*0.028, 0.62, 0.07), at(x*0.029, 0.56, 0.072), at(x*0.026, 0.205, 0.075)
		lump("brow_up"+side, skin, [3]r3.Vec{brow, size(0.036, 0.022, 0.04), size(0, 0.011, 0.002)})
		lump("brow_arch"+side, skin, [3]r3.Vec{r3.Add(brow, size(x*0.014, 0, 0)), size(0.018, 0.016, 0.03), size(0, 0.005, 0.001)})
		lump("brow_down"+side, skin, [3]r3.Vec{brow, size(0.036, 0.022, 0.04), size(-x*0.003, -0.009, 0.003)})
		lump("lid_down"+side, skin, [3]r3.Vec{lid, size(0.024, 0.012, 0.03), size(0, -0.010, 0.004)})
		lump("smile"+side, all, [3]r3.Vec{corner, size(0.03, 0.03, 0.04), size(x*0.009, 0.009, -0.003)})
		lump("mustache_lift"+side, hair, [3]r3.Vec{at(x*0.04, 0.23, 0.075), size(0.03, 0.03, 0.04), size(x*0.002, 0.010, 0.003)})
	}
	lump("mouth_open", all, [3]r3.Vec{at(0, 0.13, 0.07), size(0.04, 0.035, 0.06), size(0, -0.014, -0.004)})
	lump("smile_open", all, [3]r3.Vec{at(0, 0.20, 0.08), size(0.045, 0.02, 0.04), size(0, 0.004, -0.003)})
	return m, s
}

// bramsFace is how the targets of his face are used.
func bramsFace() []Step {
	both := func(name string) []string { return []string{name + "_l", name + "_r"} }
	list := func(names ...[]string) (out []string) {
		for _, n := range names {
			out = append(out, n...)
		}
		return out
	}
	steps := []Step{
		{"group_targets", map[string]any{"targets": list(both("brow_up"), both("brow_arch"), both("brow_down")), "group": "brows"}},
		{"group_targets", map[string]any{"targets": both("lid_down"), "group": "lids"}},
		{
			"group_targets",
			map[string]any{"targets": list(both("smile"), both("mustache_lift"), []string{"mouth_open", "smile_open"}), "group": "mouth"},
		},
		{"combine_targets", map[string]any{"target": "smile_open", "of": []string{"smile_l", "smile_r", "mouth_open"}}},
	}
	for _, side := range []string{"_l", "_r"} {
		steps = append(
			steps,
			Step{"place_between", map[string]any{"target": "brow_arch" + side, "of": "brow_up" + side, "at": 0.5}},
			Step{
				"combine_targets",
				map[string]any{"target": "mustache_lift" + side, "of": []string{"smile" + side, "mouth_open"}, "least": true},
			},
		)
	}
	return append(steps,
		Step{"set_target", map[string]any{"target": "smile_l", "value": 0.8}},
		Step{"set_target", map[string]any{"target": "smile_r", "value": 0.6}},
		Step{"set_target", map[string]any{"target": "brow_up_l", "value": 0.5}},
		Step{"keep_values", map[string]any{"name": "amused"}},
		Step{"reset_targets", nil},
	)
}

// OdileWithYouth is Odile with the body of her youth as a shape target.
func OdileWithYouth(cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	m, s := Odile(cell)
	_, points := Young.Of(m.World(), s)
	out := mesh.Shape{Name: "young"}
	for v, p := range m.World() {
		out.Vertex, out.Offset = append(out.Vertex, int32(v)), append(out.Offset, r3.Sub(points[v], p))
	}
	m.Shapes = []mesh.Shape{out}
	return m, s
}
