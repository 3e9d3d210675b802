package demo

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// surface meshes the solid with cells of the given size into quads (surface
// nets, Gibson 1998): one vertex in every cell that the surface crosses, drawn
// onto the surface. Faces are in the part of the primitive nearest to them.
func (s *solid) surface(cell float64, parts []mesh.Part) *mesh.Mesh {
	box := s.box.Pad(2 * cell)
	// The middle plane runs through the middle of cells, so that both sides are
	// meshed alike and a loop of vertices lies between them.
	half := math.Ceil(max(box.Max.X, -box.Min.X) / cell)
	box.Min.X, box.Max.X = -(half+0.5)*cell, (half+0.5)*cell
	size := box.Size()
	nx, ny, nz := int(size.X/cell)+2, int(size.Y/cell)+2, int(size.Z/cell)+2
	place := func(x, y, z int) r3.Vec {
		return r3.Add(box.Min, r3.Vec{X: float64(x) * cell, Y: float64(y) * cell, Z: float64(z) * cell})
	}
	value := make([]float64, nx*ny*nz)
	index := func(x, y, z int) int { return (y*nz+z)*nx + x }
	const block = 4
	geom.Chunks((ny+block-1)/block, 1, func(lo, hi int) {
		var few solid
		for by := lo * block; by < hi*block; by += block {
			for bz := 0; bz < nz; bz += block {
				for bx := 0; bx < nx; bx += block {
					// Far from the surface the sign of the block's middle is enough.
					mid := r3.Add(place(bx, by, bz), r3.Vec{X: 1.5 * cell, Y: 1.5 * cell, Z: 1.5 * cell})
					d, _ := s.at(mid)
					near := d < 5*cell && d > -5*cell
					if near {
						s.around(mid, 2.6*cell, &few) // half the block's diagonal
					}
					for y := by; y < min(by+block, ny); y++ {
						for z := bz; z < min(bz+block, nz); z++ {
							for x := bx; x < min(bx+block, nx); x++ {
								if near {
									value[index(x, y, z)], _ = few.at(place(x, y, z))
								} else {
									value[index(x, y, z)] = d
								}
							}
						}
					}
				}
			}
		}
	})
	unambiguous(value, nx, ny, nz)
	out := &mesh.Mesh{Parts: parts}
	vertex := map[int]int32{}
	corner := [8][3]int{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 1, 0}, {0, 0, 1}, {1, 0, 1}, {0, 1, 1}, {1, 1, 1}}
	edge := [12][2]int{{0, 1}, {2, 3}, {4, 5}, {6, 7}, {0, 2}, {1, 3}, {4, 6}, {5, 7}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}
	for y := 0; y+1 < ny; y++ {
		for z := 0; z+1 < nz; z++ {
			for x := 0; x+1 < nx; x++ {
				var v [8]float64
				inside := 0
				for i, c := range corner {
					v[i] = value[index(x+c[0], y+c[1], z+c[2])]
					if v[i] < 0 {
						inside++
					}
				}
				if inside == 0 || inside == 8 {
					continue
				}
				var sum r3.Vec
				n := 0.0
				for _, e := range edge {
					a, b := v[e[0]], v[e[1]]
					if (a < 0) == (b < 0) {
						continue
					}
					t := a / (a - b)
					pa, pb := corner[e[0]], corner[e[1]]
					p, q := place(x+pa[0], y+pa[1], z+pa[2]), place(x+pb[0], y+pb[1], z+pb[2])
					sum = r3.Add(sum, r3.Add(p, r3.Scale(t, r3.Sub(q, p))))
					n++
				}
				vertex[index(x, y, z)] = int32(len(out.Points))
				out.Points = append(out.Points, r3.Scale(1/n, sum))
			}
		}
	}
	var faces [][4]int32
	quad := func(flip bool, a, b, c, d int) {
		f := [4]int32{vertex[a], vertex[b], vertex[c], vertex[d]}
		if flip {
			f[1], f[3] = f[3], f[1]
		}
		faces = append(faces, f)
	}
	for y := 1; y+1 < ny; y++ {
		for z := 1; z+1 < nz; z++ {
			for x := 1; x+1 < nx; x++ {
				in := value[index(x, y, z)] < 0
				if in != (value[index(x+1, y, z)] < 0) {
					quad(!in, index(x, y-1, z-1), index(x, y, z-1), index(x, y, z), index(x, y-1, z))
				}
				if in != (value[index(x, y+1, z)] < 0) {
					quad(!in, index(x-1, y, z-1), index(x-1, y, z), index(x, y, z), index(x, y, z-1))
				}
				if in != (value[index(x, y, z+1)] < 0) {
					quad(!in, index(x-1, y-1, z), index(x, y-1, z), index(x, y, z), index(x-1, y, z))
				}
			}
		}
	}
	s.relax(out.Points, faces, cell)
	part := make([]int32, len(faces))
	for i, f := range faces {
		mid := r3.Scale(0.25, r3.Add(r3.Add(out.Points[f[0]], out.Points[f[1]]), r3.Add(out.Points[f[2]], out.Points[f[3]])))
		_, part[i] = s.at(mid)
	}
	s.evenSeams(out.Points, faces, part, cell)
	s.unfold(out.Points, faces, cell)
	for i, f := range faces {
		out.AddFace(part[i], f[0], f[1], f[2], f[3])
	}
	// What could not be unfolded is cut.
	p := out.Polygons()
	cut := make([]bool, len(faces))
	for _, f := range append(p.Concave, p.Folded...) {
		cut[f] = true
	}
	return out.Triangulate(cut)
}

// evenSeams straightens the staircases where parts meet: faces with three
// neighbours of another part join it, and vertices between parts move towards
// those beside them along the seam.
func (s *solid) evenSeams(points []r3.Vec, faces [][4]int32, part []int32, cell float64) {
	type edge [2]int32
	key := func(a, b int32) edge { return edge{min(a, b), max(a, b)} }
	beside := map[edge][2]int32{}
	for i, f := range faces {
		for k := range 4 {
			e := key(f[k], f[(k+1)%4])
			pair, ok := beside[e]
			if !ok {
				pair = [2]int32{int32(i), -1}
			} else {
				pair[1] = int32(i)
			}
			beside[e] = pair
		}
	}
	across := func(i int, k int) int32 {
		pair := beside[key(faces[i][k], faces[i][(k+1)%4])]
		if pair[0] == int32(i) {
			return pair[1]
		}
		return pair[0]
	}
	for range 3 {
		for i := range faces {
			count := map[int32]int{}
			for k := range 4 {
				if o := across(i, k); o >= 0 {
					count[part[o]]++
				}
			}
			for p, n := range count {
				if n >= 3 {
					part[i] = p
				}
			}
		}
	}
	for range 6 {
		sum, n := map[int32]r3.Vec{}, map[int32]float64{}
		for i, f := range faces {
			for k := range 4 {
				a, b := f[k], f[(k+1)%4]
				if o := across(i, k); a < b && o >= 0 && part[o] != part[i] {
					sum[a], sum[b] = r3.Add(sum[a], points[b]), r3.Add(sum[b], points[a])
					n[a]++
					n[b]++
				}
			}
		}
		for v, m := range n {
			if m != 2 {
				continue // where three parts meet
			}
			p := r3.Add(r3.Scale(0.5, points[v]), r3.Scale(0.25, sum[v]))
			points[v] = s.onto(p, cell)
		}
	}
}

// unambiguous takes the shallowest inside corner out where the corners of a
// cell's face, or the ends of its space diagonal, touch only across: there one
// vertex in the cell would join two sheets. It only ever takes away, and so ends.
func unambiguous(value []float64, nx, ny, nz int) {
	step := [3]int{1, nx * nz, nx}
	flip := func(at ...int) {
		best := -1
		for _, i := range at {
			if value[i] < 0 && (best < 0 || value[i] > value[best]) {
				best = i
			}
		}
		value[best] = 1e-9
	}
	uniform := func(o int) bool { // as nearly all cells are
		in := value[o] < 0
		for _, r := range [4]int{o, o + step[1], o + step[2], o + step[1] + step[2]} {
			if value[r] < 0 != in || value[r+1] < 0 != in {
				return false
			}
		}
		return true
	}
	for changed := true; changed; {
		changed = false
		for y := 0; y+1 < ny; y++ {
			for z := 0; z+1 < nz; z++ {
				for x := 0; x+1 < nx; x++ {
					o := (y*nz+z)*nx + x
					if uniform(o) {
						continue
					}
					in := func(i int) bool { return value[i] < 0 }
					for a := range 3 {
						p, q := step[a], step[(a+1)%3]
						if in(o) == in(o+p+q) && in(o+p) == in(o+q) && in(o) != in(o+p) {
							flip(o, o+p, o+q, o+p+q)
							changed = true
						}
					}
					all, sum := step[0]+step[1]+step[2], 0
					for i := range 8 {
						if in(o + i&1*step[0] + i>>1&1*step[1] + i>>2*step[2]) {
							sum++
						}
					}
					for _, d := range [4][2]int{{o, o + all}, {o + step[0], o + all - step[0]}, {o + step[1], o + all - step[1]},
						{o + step[2], o + all - step[2]}} {
						if sum == 2 && in(d[0]) && in(d[1]) {
							flip(d[0], d[1])
							changed = true
							break
						}
						if sum == 6 && !in(d[0]) && !in(d[1]) {
							flip(o, o+all, o+step[0], o+all-step[0], o+step[1], o+all-step[1], o+step[2], o+all-step[2])
							changed = true
							break
						}
					}
				}
			}
		}
	}
}

// relax evens out the quads and draws every vertex back onto the surface.
func (s *solid) relax(points []r3.Vec, faces [][4]int32, cell float64) {
	for range 4 {
		sum := make([]r3.Vec, len(points))
		n := make([]float64, len(points))
		for _, f := range faces {
			mid := r3.Scale(0.25, r3.Add(r3.Add(points[f[0]], points[f[1]]), r3.Add(points[f[2]], points[f[3]])))
			for _, v := range f {
				sum[v] = r3.Add(sum[v], mid)
				n[v]++
			}
		}
		geom.Chunks(len(points), 1024, func(lo, hi int) {
			var few solid
			for v := lo; v < hi; v++ {
				p := r3.Add(r3.Scale(0.4, points[v]), r3.Scale(0.6/n[v], sum[v]))
				s.around(p, 0.7*cell, &few) // half a cell, and the gradient's points beside
				points[v] = few.onto(p, cell)
				s.around(points[v], 0.7*cell, &few)
				points[v] = few.onto(points[v], cell)
			}
		})
	}
}

// unfold draws the corners that turn inward out of their quads, as a modeller
// would who goes over the mesh once more.
func (s *solid) unfold(points []r3.Vec, faces [][4]int32, cell float64) {
	doubtful := make([]bool, len(points)) // moved in the last round
	for round := range 40 {
		moved := map[int32]r3.Vec{}
		for _, f := range faces {
			if round > 0 && !doubtful[f[0]] && !doubtful[f[1]] && !doubtful[f[2]] && !doubtful[f[3]] {
				continue // as it was
			}
			n := mesh.AreaVector(points, f[:])
			for i := range 4 {
				a, b, c := f[(i+3)%4], f[i], f[(i+1)%4]
				in, out := r3.Sub(points[b], points[a]), r3.Sub(points[c], points[b])
				if r3.Dot(r3.Cross(in, out), n) < -0.1*norm(n)*norm(in)*norm(out) {
					mid := r3.Scale(0.5, r3.Add(points[a], points[c]))
					moved[b] = r3.Add(points[b], r3.Scale(0.7, r3.Sub(mid, points[b])))
				}
			}
		}
		if len(moved) == 0 {
			return
		}
		clear(doubtful)
		for v, p := range moved {
			points[v] = s.onto(p, cell)
			doubtful[v] = true
		}
	}
}

// onto draws a point towards the surface, by half a cell at most.
func (s *solid) onto(p r3.Vec, cell float64) r3.Vec {
	d, _ := s.at(p)
	return r3.Sub(p, r3.Scale(max(-cell/2, min(cell/2, d)), s.gradient(p, cell/8)))
}

func (s *solid) gradient(p r3.Vec, h float64) r3.Vec {
	d := func(x, y, z float64) float64 {
		a, _ := s.at(r3.Add(p, r3.Vec{X: x, Y: y, Z: z}))
		return a
	}
	g := r3.Vec{X: d(h, 0, 0) - d(-h, 0, 0), Y: d(0, h, 0) - d(0, -h, 0), Z: d(0, 0, h) - d(0, 0, -h)}
	if l := r3.Norm(g); l > 0 {
		return r3.Scale(1/l, g)
	}
	return g
}
