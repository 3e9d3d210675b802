package geom

import "gonum.org/v1/gonum/spatial/r3"

// Grow takes every cube within n steps across faces of an inside one for inside. What would
// leave the block does not.
func (v *Voxels) Grow(n int) {
	var front []int32
	for i, in := range v.Inside {
		if in {
			front = append(front, int32(i))
		}
	}
	for range n {
		var next []int32
		for _, i := range front {
			v.Around(int(i), func(k int) {
				if !v.Inside[k] {
					v.Inside[k] = true
					next = append(next, int32(k))
				}
			})
		}
		front = next
	}
}

// Padded returns the block with n empty cubes more on every side.
func (v *Voxels) Padded(n int) *Voxels {
	out := &Voxels{
		Origin: r3.Sub(v.Origin, r3.Scale(float64(n)*v.Cell, r3.Vec{X: 1, Y: 1, Z: 1})),
		Cell:   v.Cell,
		NX:     v.NX + 2*n,
		NY:     v.NY + 2*n,
		NZ:     v.NZ + 2*n,
	}
	out.Inside = make([]bool, out.NX*out.NY*out.NZ)
	for i, in := range v.Inside {
		if in {
			x, y, z := v.Coords(i)
			out.Inside[out.Index(x+n, y+n, z+n)] = true
		}
	}
	return out
}

// blockFaces are the sides of a block of eight cubes, each going round.
var blockFaces = [6][4]int{{0, 1, 3, 2}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 3, 7, 6}, {0, 2, 6, 4}, {1, 3, 7, 5}}

// Compose adds cubes until neither inside nor outside ones meet in an edge or a corner alone, so
// that the hull is a manifold (well-composed sets: Latecki 1997). The two outermost layers of
// cubes must be empty.
func (v *Voxels) Compose() {
	blocks := make([]int32, 0, len(v.Inside))
	for i := range v.Inside {
		blocks = append(blocks, int32(i))
	}
	var cube [8]int
	for len(blocks) > 0 {
		i := blocks[len(blocks)-1]
		blocks = blocks[:len(blocks)-1]
		x, y, z := v.Coords(int(i))
		if x+1 >= v.NX || y+1 >= v.NY || z+1 >= v.NZ {
			continue
		}
		n := 0
		for c := range 8 {
			cube[c] = v.Index(x+c&1, y+c>>1&1, z+c>>2)
			if v.Inside[cube[c]] {
				n++
			}
		}
		fill := v.lacking(cube, n)
		if fill < 0 {
			continue
		}
		v.Inside[cube[fill]] = true
		fx, fy, fz := v.Coords(cube[fill])
		for c := range 8 { // every block that has it
			if bx, by, bz := fx-c&1, fy-c>>1&1, fz-c>>2; bx >= 0 && by >= 0 && bz >= 0 {
				blocks = append(blocks, int32(v.Index(bx, by, bz)))
			}
		}
	}
}

// lacking returns which of the eight cubes of a block, of which n are inside, is to be added
// for it to be well composed, -1 for none.
func (v *Voxels) lacking(cube [8]int, n int) int {
	in := func(c int) bool { return v.Inside[cube[c]] }
	for _, f := range blockFaces {
		if a, b, c, d := in(f[0]), in(f[1]), in(f[2]), in(f[3]); a == c && b == d && a != b {
			if a {
				return f[1]
			}
			return f[0]
		}
	}
	for c := range 4 {
		switch {
		case n == 2 && in(c) && in(7-c):
			return c ^ 1
		case n == 6 && !in(c) && !in(7-c):
			return c
		}
	}
	return -1
}

// Hull returns the surface of the inside cubes as quads, outward, with a vertex wherever the
// eight cubes around a corner are not alike, drawn to the middle of the faces that part them
// (surface nets: Gibson 1998). After Compose it is closed and a manifold. The outermost layer
// of cubes must be empty.
func (v *Voxels) Hull() (points []r3.Vec, quads [][4]int32) {
	number := map[int]int32{} // of the lowest cube of the eight
	vertex := func(x, y, z int) int32 {
		key := v.Index(x, y, z)
		if k, ok := number[key]; ok {
			return k
		}
		var in [8]bool
		for c := range 8 {
			in[c] = v.Inside[v.Index(x+c&1, y+c>>1&1, z+c>>2)]
		}
		var sum r3.Vec
		n := 0.0
		for c := range 8 {
			for axis := range 3 {
				if d := c | 1<<axis; d != c && in[c] != in[d] {
					p := r3.Vec{X: float64(c & 1), Y: float64(c >> 1 & 1), Z: float64(c >> 2)}
					switch axis {
					case 0:
						p.X = 0.5
					case 1:
						p.Y = 0.5
					case 2:
						p.Z = 0.5
					}
					sum = r3.Add(sum, p)
					n++
				}
			}
		}
		k := int32(len(points))
		number[key] = k
		points = append(points, r3.Add(v.Centre(key), r3.Scale(v.Cell/n, sum)))
		return k
	}
	for i, in := range v.Inside {
		if !in {
			continue
		}
		x, y, z := v.Coords(i)
		for axis := range 3 {
			for _, dir := range [2]int{-1, 1} {
				d := [3]int{}
				d[axis] = dir
				if v.Inside[v.Index(x+d[0], y+d[1], z+d[2])] {
					continue
				}
				// The face to that neighbour has four corners, each a vertex of the hull.
				u, w := (axis+1)%3, (axis+2)%3
				var quad [4]int32
				for c, at := range [4][2]int{{-1, -1}, {0, -1}, {0, 0}, {-1, 0}} {
					q := [3]int{x, y, z}
					if dir < 0 {
						q[axis]--
					}
					q[u] += at[0]
					q[w] += at[1]
					quad[c] = vertex(q[0], q[1], q[2])
				}
				if dir < 0 {
					quad[1], quad[3] = quad[3], quad[1]
				}
				quads = append(quads, quad)
			}
		}
	}
	return points, quads
}

// Components is how many sets of inside cubes there are that faces connect.
func (v *Voxels) Components() int {
	n := 0
	seen := make([]bool, len(v.Inside))
	var wait []int32
	for i, in := range v.Inside {
		if !in || seen[i] {
			continue
		}
		n++
		seen[i] = true
		for wait = append(wait[:0], int32(i)); len(wait) > 0; {
			k := wait[len(wait)-1]
			wait = wait[:len(wait)-1]
			v.Around(int(k), func(j int) {
				if v.Inside[j] && !seen[j] {
					seen[j] = true
					wait = append(wait, int32(j))
				}
			})
		}
	}
	return n
}
