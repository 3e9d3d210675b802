package shape

import (
	"errors"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// samePlace is within what distance a vertex is the same, onSurface within what it is carried over from the surface, and
	// tiny what offset is none, of the height.
	samePlace, onSurface, tiny = 1e-4, 0.01, 1e-6
	// sameTexture is within what distance texture coordinates are the same.
	sameTexture = 1e-4
	// mostAlike is how many vertices may have the same texture coordinates: both sides and a few layers do, all of them where
	// there is no layout.
	mostAlike = 32
)

// Partners tell of vertices which ones of another mesh stand for them.
type Partners struct {
	Lost []int32 // those that have none, ascending

	vertex [][3]int32   // by vertex: a mixture of these, the first -1 for none
	share  [][3]float64 // by as much
}

// lost notes which vertices have no partner.
func (p *Partners) lost() *Partners {
	for v := range p.vertex {
		if p.vertex[v][0] < 0 {
			p.Lost = append(p.Lost, int32(v))
		}
	}
	return p
}

func partnersOf(n int) *Partners {
	p := &Partners{vertex: make([][3]int32, n), share: make([][3]float64, n)}
	for v := range p.vertex {
		p.vertex[v][0] = -1
	}
	return p
}

// ByPlace finds partners of points in a mesh, both in world frame: the vertex in the same place at rest, else the nearest place
// of its surface within 1% of the height.
func ByPlace(m *mesh.Mesh, points []r3.Vec) *Partners {
	theirs := m.World()
	same := samePlace * geom.BoxOf(points).Size().Y
	tree := geom.NewPointTree(theirs)
	p := onto(m, points, onSurface, func(p *Partners, v int) bool {
		k, _, d := tree.NearestOf(points[v], same, nil)
		if k < 0 || d > same {
			return false
		}
		p.vertex[v], p.share[v] = [3]int32{k, k, k}, [3]float64{1}
		return true
	})
	return p.lost()
}

// BySurface finds partners of points on the surface of a mesh, both in world frame: the nearest place within a part of the height.
func BySurface(m *mesh.Mesh, points []r3.Vec, within float64) *Partners {
	return onto(m, points, within, func(*Partners, int) bool { return false }).lost()
}

// onto finds places on the surface of a mesh, of the vertices that have no partner otherwise.
func onto(m *mesh.Mesh, points []r3.Vec, within float64, otherwise func(p *Partners, v int) bool) *Partners {
	theirs := m.World()
	height := geom.BoxOf(points).Size().Y
	tris, _ := m.Triangles()
	surface := geom.NewTree(theirs, tris)
	p := partnersOf(len(points))
	geom.Chunks(len(points), 256, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if otherwise(p, v) {
				continue
			}
			if t, at, d := surface.NearestOf(points[v], within*height, nil); t >= 0 && d <= within*height {
				x := tris[t]
				p.vertex[v], p.share[v] = x, geom.Barycentric(at, theirs[x[0]], theirs[x[1]], theirs[x[2]])
			}
		}
	})
	return p
}

// ByTexture finds partners of the vertices of one mesh in another by their texture coordinates; of several that have the same, as
// where one side has the layout of the other, the nearest is taken. It fails where either mesh has none, or where they do
// not tell vertices apart.
func ByTexture(m, to *mesh.Mesh) (*Partners, error) {
	if m.UV == nil || to.UV == nil {
		return nil, errors.New("both meshes need texture coordinates")
	}
	type cell [2]int64
	at := func(uv [2]float32) (cell, bool) {
		u, v := float64(uv[0]), float64(uv[1])
		if !(math.Abs(u) < 1e6 && math.Abs(v) < 1e6) {
			return cell{}, false
		}
		return cell{int64(math.Floor(u / sameTexture)), int64(math.Floor(v / sameTexture))}, true
	}
	cells := map[cell][]int32{} // corners, one of each vertex
	for c, uv := range m.UV {
		x, ok := at(uv)
		if !ok {
			continue
		}
		list, known := cells[x], false
		for _, d := range list {
			known = known || m.Corner[d] == m.Corner[c]
		}
		if known {
			continue
		}
		if len(list) == mostAlike {
			return nil, errors.New("too many vertices have the same texture coordinates: they do not tell them apart")
		}
		cells[x] = append(list, int32(c))
	}
	points, theirs := to.World(), m.World()
	p := partnersOf(len(points))
	best := make([]float64, len(points))
	for c, uv := range to.UV {
		x, ok := at(uv)
		if !ok {
			continue
		}
		v := to.Corner[c]
		for i := range int64(3) {
			for j := range int64(3) {
				for _, d := range cells[cell{x[0] + i - 1, x[1] + j - 1}] {
					apart := math.Hypot(float64(m.UV[d][0]-uv[0]), float64(m.UV[d][1]-uv[1]))
					k := m.Corner[d]
					far := r3.Norm2(r3.Sub(theirs[k], points[v]))
					if apart <= sameTexture && (p.vertex[v][0] < 0 || far < best[v]) {
						p.vertex[v], p.share[v], best[v] = [3]int32{k, k, k}, [3]float64{1}, far
					}
				}
			}
		}
	}
	return p.lost(), nil
}

// mixed is what a vertex has of what its partners have.
func (p *Partners) mixed(v int, of []r3.Vec) (out r3.Vec) {
	for k, u := range p.vertex[v] {
		if x := p.share[v][k]; x != 0 {
			out = r3.Add(out, r3.Scale(x, of[u]))
		}
	}
	return out
}

// Targets are the targets of the other mesh at the vertices that have partners, world frame. Offsets of less than a millionth of
// a height are none.
func (p *Partners) Targets(m *mesh.Mesh, height float64) (out []mesh.Shape) {
	offsets := make([]r3.Vec, len(m.Points))
	for _, t := range m.WorldShapes() {
		clear(offsets)
		for k, v := range t.Vertex {
			offsets[v] = t.Offset[k]
		}
		next := mesh.Shape{Name: t.Name}
		for v := range p.vertex {
			if p.vertex[v][0] < 0 {
				continue
			}
			if d := p.mixed(v, offsets); r3.Norm(d) > tiny*height {
				next.Vertex, next.Offset = append(next.Vertex, int32(v)), append(next.Offset, d)
			}
		}
		out = append(out, next)
	}
	return out
}

// Places is where the partners of points stand in the other mesh, world frame; those that have none stay.
func (p *Partners) Places(m *mesh.Mesh, points []r3.Vec) []r3.Vec {
	theirs, out := m.World(), make([]r3.Vec, len(points))
	for v, at := range points {
		if out[v] = at; p.vertex[v][0] >= 0 {
			out[v] = p.mixed(v, theirs)
		}
	}
	return out
}

// CarriedOver are the targets of a mesh at other vertices, all in world frame, by place (ByPlace). Lost is how many vertices are
// near none, and stay.
func CarriedOver(m *mesh.Mesh, points []r3.Vec) (out []mesh.Shape, lost int) {
	p := ByPlace(m, points)
	return p.Targets(m, geom.BoxOf(points).Size().Y), len(p.Lost)
}
