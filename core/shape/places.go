package shape

import (
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Places are points, at rest, with targets as far on as values say; the points themselves where none is on. Offsets are in
// the frame of the points.
func Places(points []r3.Vec, targets []mesh.Shape, values []float64) []r3.Vec {
	out := points
	for k, value := range values {
		if value == 0 || k >= len(targets) {
			continue
		}
		if &out[0] == &points[0] {
			out = append([]r3.Vec(nil), points...)
		}
		t := targets[k]
		for i, v := range t.Vertex {
			out[v] = r3.Add(out[v], r3.Scale(value, t.Offset[i]))
		}
	}
	return out
}
