package shape

import (
	"slices"

	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Places are points, at rest, with targets as far on as values say; the points themselves where none is on. Offsets are in
// the frame of the points.
func Places(points []r3.Vec, targets []mesh.Shape, values []float64) []r3.Vec {
	out, own := points, false
	for k, value := range values {
		if value == 0 || k >= len(targets) {
			continue
		}
		if !own {
			out, own = slices.Clone(points), true
		}
		t := targets[k]
		for i, v := range t.Vertex {
			out[v] = r3.Add(out[v], r3.Scale(value, t.Offset[i]))
		}
	}
	return out
}
