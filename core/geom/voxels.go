package geom

import (
	"iter"
	"math"
	"slices"
	"sync/atomic"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Voxels is a block of cubes, each inside or outside a surface.
type Voxels struct {
	Origin     r3.Vec // centre of cube (0,0,0)
	Cell       float64
	NX, NY, NZ int
	Inside     []bool // index (y·NZ + z)·NX + x
}

// Index returns the index of cube (x,y,z).
func (v *Voxels) Index(x, y, z int) int { return (y*v.NZ+z)*v.NX + x }

// Coords returns the cube of an index.
func (v *Voxels) Coords(i int) (x, y, z int) {
	// Lattices have far fewer than 2³² cubes, and short divisions take a third of the time.
	nx, nz := uint32(v.NX), uint32(v.NZ)
	row := uint32(i) / nx
	layer := row / nz
	return int(uint32(i) - row*nx), int(layer), int(row - layer*nz)
}

// Centre returns the middle of the cube with that index.
func (v *Voxels) Centre(i int) r3.Vec {
	x, y, z := v.Coords(i)
	return r3.Add(v.Origin, r3.Vec{X: float64(x) * v.Cell, Y: float64(y) * v.Cell, Z: float64(z) * v.Cell})
}

// Filled yields the inside cubes in order of their index, with their middles.
func (v *Voxels) Filled() iter.Seq2[int, r3.Vec] {
	return func(yield func(int, r3.Vec) bool) {
		for y := range v.NY {
			for z := range v.NZ {
				row := v.Index(0, y, z)
				for x, in := range v.Inside[row : row+v.NX] {
					if in &&
						!yield(
							row+x,
							r3.Vec{X: v.Origin.X + float64(x)*v.Cell, Y: v.Origin.Y + float64(y)*v.Cell, Z: v.Origin.Z + float64(z)*v.Cell},
						) {
						return
					}
				}
			}
		}
	}
}

// At returns the index of the cube that holds p, -1 outside of the block.
func (v *Voxels) At(p r3.Vec) int {
	q := r3.Scale(1/v.Cell, r3.Sub(p, v.Origin))
	x, y, z := int(math.Floor(q.X+0.5)), int(math.Floor(q.Y+0.5)), int(math.Floor(q.Z+0.5))
	if x < 0 || y < 0 || z < 0 || x >= v.NX || y >= v.NY || z >= v.NZ {
		return -1
	}
	return v.Index(x, y, z)
}

// Voxelise fills the inside of the tree's triangles with cubes of the given
// size, with a margin of one empty cube. A cube that the surface crosses is
// inside when its centre's winding number is at least a half; of the others,
// connected by faces, a few decide for all, and each for itself where these
// disagree, as a hole makes them.
func Voxelise(t *Tree, cell float64) *Voxels {
	box := t.Box().Pad(1.5 * cell)
	size := box.Size()
	v := &Voxels{Origin: box.Min, Cell: cell, NX: int(size.X/cell) + 2, NY: int(size.Y/cell) + 2, NZ: int(size.Z/cell) + 2}
	v.Inside = make([]bool, v.NX*v.NY*v.NZ)
	v.Fill(t, Identity, nil)
	return v
}

// Lattice returns empty cubes of a size over what of a tree's triangles, turned by the conjugate of turn, is within a
// box, with a margin of two cubes; one of them has its middle at p. It holds no cubes where nothing is.
func (t *Tree) Lattice(p r3.Vec, cell float64, turn quat.Number, within Box) *Voxels {
	back, box := quat.Conj(turn), EmptyBox()
	for _, f := range t.tris {
		b := EmptyBox()
		for _, v := range f {
			b = b.Add(Rotate(back, t.points[v]))
		}
		if b.Overlaps(within) {
			box = box.Union(b.Intersect(within))
		}
	}
	v := &Voxels{Cell: cell}
	if box.Empty() {
		return v
	}
	lo, hi := r3.Scale(1/cell, r3.Sub(box.Min, p)), r3.Scale(1/cell, r3.Sub(box.Max, p))
	from := r3.Vec{X: math.Floor(lo.X) - 2, Y: math.Floor(lo.Y) - 2, Z: math.Floor(lo.Z) - 2}
	v.Origin = r3.Add(p, r3.Scale(cell, from))
	v.NX, v.NY, v.NZ = int(hi.X-from.X)+4, int(hi.Y-from.Y)+4, int(hi.Z-from.Z)+4
	v.Inside = make([]bool, v.NX*v.NY*v.NZ)
	return v
}

// Fill does what Voxelise does to a lattice that is there: turn takes its places to the frame of the tree, and
// only cubes that where allows, all if it is nil, are filled.
func (v *Voxels) Fill(t *Tree, turn quat.Number, where func(c r3.Vec) bool) {
	n, back := len(v.Inside), quat.Conj(turn)
	crossed := make([]bool, n)
	size := r3.Scale(v.Cell, r3.Vec{X: float64(v.NX), Y: float64(v.NY), Z: float64(v.NZ)})
	lattice := Box{Min: v.Origin, Max: r3.Add(v.Origin, size)}.Pad(v.Cell)
	for _, f := range t.tris {
		a, b, c := t.points[f[0]], t.points[f[1]], t.points[f[2]]
		if turn != Identity {
			a, b, c = Rotate(back, a), Rotate(back, b), Rotate(back, c)
		}
		if EmptyBox().Add(a).Add(b).Add(c).Overlaps(lattice) {
			v.mark(crossed, a, b, c)
		}
	}
	t.PrepareWinding()
	ask := func(i int) float64 {
		if turn == Identity {
			return t.Winding(v.Centre(i))
		}
		return t.Winding(Rotate(turn, v.Centre(i)))
	}
	done := make([]bool, n)
	Chunks(n, 4096, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			out := where != nil && !where(v.Centre(i))
			if crossed[i] && !out {
				v.Inside[i] = ask(i) >= 0.5
			}
			done[i] = crossed[i] || out
		}
	})
	region := make([]cube, 0, n)
	for s := range n {
		if done[s] {
			continue
		}
		region = v.flood(region[:0], s, func(i int32) bool {
			took := !done[i]
			done[i] = true
			return took
		})
		v.decide(ask, region)
	}
}

// cube is one of the lattice by its index, with its coordinates.
type cube struct{ i, x, y, z int32 }

// flood appends cube i and all that is reached from it by faces through cubes that take says it takes, each once.
func (v *Voxels) flood(out []cube, i int, take func(i int32) bool) []cube {
	take(int32(i))
	x, y, z := v.Coords(i)
	out = append(out, cube{int32(i), int32(x), int32(y), int32(z)})
	row, layer := int32(v.NX), int32(v.NX*v.NZ)
	for k := 0; k < len(out); k++ { // as Around, but the coordinates are known
		c := out[k]
		if c.x > 0 && take(c.i-1) {
			out = append(out, cube{c.i - 1, c.x - 1, c.y, c.z})
		}
		if int(c.x)+1 < v.NX && take(c.i+1) {
			out = append(out, cube{c.i + 1, c.x + 1, c.y, c.z})
		}
		if c.z > 0 && take(c.i-row) {
			out = append(out, cube{c.i - row, c.x, c.y, c.z - 1})
		}
		if int(c.z)+1 < v.NZ && take(c.i+row) {
			out = append(out, cube{c.i + row, c.x, c.y, c.z + 1})
		}
		if c.y > 0 && take(c.i-layer) {
			out = append(out, cube{c.i - layer, c.x, c.y - 1, c.z})
		}
		if int(c.y)+1 < v.NY && take(c.i+layer) {
			out = append(out, cube{c.i + layer, c.x, c.y + 1, c.z})
		}
	}
	return out
}

// AddSurface takes the cubes that the triangles of a tree cross for inside too, so that
// sheets and cracks belong to the solid.
func (v *Voxels) AddSurface(t *Tree) {
	for _, f := range t.tris {
		v.mark(v.Inside, t.points[f[0]], t.points[f[1]], t.points[f[2]])
	}
}

// decide tells a region of connected cubes that the surface does not cross inside
// from outside, by samples. Where a hole joins inside and outside, some of the
// outer region's disagree, and every cube is asked; in an enclosed one a few do
// so near a patch that is turned, and the majority decides.
func (v *Voxels) decide(ask func(i int) float64, region []cube) {
	outer := slices.ContainsFunc(region, func(c cube) bool { return c.x == 0 || c.y == 0 || c.z == 0 })
	samples, share := 250, 25
	if outer {
		samples, share = 1000, 200
	}
	step := max(1, len(region)/samples)
	asked := (len(region) + step - 1) / step
	var inside atomic.Int64
	Chunks(asked, 64, func(lo, hi int) {
		n := int64(0)
		for k := lo; k < hi; k++ {
			if ask(int(region[k*step].i)) >= 0.5 {
				n++
			}
		}
		inside.Add(n)
	})
	in, enough := int(inside.Load()), asked/share
	if min(in, asked-in) <= enough {
		for _, c := range region {
			v.Inside[c.i] = 2*in > asked
		}
		return
	}
	v.askEach(ask, region)
}

// block is the edge, in cubes, of the blocks that askEach asks at their corners.
const block = 4

// askEach tells every cube of a region by its own winding number. That is harmonic
// away from the surface, so within a block that no surface crosses it stays between
// what it is on the block's hull: a block whose corners are clearly in or clearly
// out is not asked further.
func (v *Voxels) askEach(ask func(i int) float64, region []cube) {
	member := make([]bool, len(v.Inside))
	for _, c := range region {
		member[c.i] = true
	}
	blocks := func(n int) int { return (n + block - 1) / block }
	bx, by, bz := blocks(v.NX), blocks(v.NY), blocks(v.NZ)
	Chunks(bx*by*bz, 64, func(lo, hi int) {
		cubes := make([]int, 0, block*block*block)
		for b := lo; b < hi; b++ {
			x0, z0, y0 := b%bx*block, b/bx%bz*block, b/bx/bz*block
			cubes = cubes[:0]
			for y := y0; y < min(y0+block, v.NY); y++ {
				for z := z0; z < min(z0+block, v.NZ); z++ {
					for x := x0; x < min(x0+block, v.NX); x++ {
						if i := v.Index(x, y, z); member[i] {
							cubes = append(cubes, i)
						}
					}
				}
			}
			if len(cubes) == block*block*block {
				least, most := math.Inf(1), math.Inf(-1)
				for k := range 8 {
					w := ask(v.Index(x0+k&1*(block-1), y0+k>>1&1*(block-1), z0+k>>2*(block-1)))
					least, most = math.Min(least, w), math.Max(most, w)
				}
				if most < 0.25 || least > 0.75 {
					for _, i := range cubes {
						v.Inside[i] = least > 0.75
					}
					continue
				}
			}
			for _, i := range cubes {
				v.Inside[i] = ask(i) >= 0.5
			}
		}
	})
}

// Around visits the up to six cubes that share a face with cube i.
func (v *Voxels) Around(i int, visit func(k int)) {
	x, y, z := v.Coords(i)
	if x > 0 {
		visit(i - 1)
	}
	if x+1 < v.NX {
		visit(i + 1)
	}
	if z > 0 {
		visit(i - v.NX)
	}
	if z+1 < v.NZ {
		visit(i + v.NX)
	}
	if y > 0 {
		visit(i - v.NX*v.NZ)
	}
	if y+1 < v.NY {
		visit(i + v.NX*v.NZ)
	}
}

// mark sets the cubes in the box of a triangle, halving triangles that are
// longer than a cube so that the boxes hug them.
func (v *Voxels) mark(crossed []bool, a, b, c r3.Vec) {
	ab, bc, ca := r3.Norm2(r3.Sub(b, a)), r3.Norm2(r3.Sub(c, b)), r3.Norm2(r3.Sub(a, c))
	longest := math.Max(ab, math.Max(bc, ca))
	if longest > v.Cell*v.Cell {
		switch longest {
		case ab:
			m := r3.Scale(0.5, r3.Add(a, b))
			v.mark(crossed, a, m, c)
			v.mark(crossed, m, b, c)
		case bc:
			m := r3.Scale(0.5, r3.Add(b, c))
			v.mark(crossed, a, b, m)
			v.mark(crossed, a, m, c)
		default:
			m := r3.Scale(0.5, r3.Add(c, a))
			v.mark(crossed, a, b, m)
			v.mark(crossed, m, b, c)
		}
		return
	}
	box := EmptyBox().Add(a).Add(b).Add(c)
	lo, hi := v.clamped(box.Min), v.clamped(box.Max)
	for y := lo[1]; y <= hi[1]; y++ {
		for z := lo[2]; z <= hi[2]; z++ {
			for x := lo[0]; x <= hi[0]; x++ {
				crossed[v.Index(x, y, z)] = true
			}
		}
	}
}

func (v *Voxels) clamped(p r3.Vec) [3]int {
	q := r3.Scale(1/v.Cell, r3.Sub(p, v.Origin))
	at := func(f float64, n int) int { return max(0, min(n-1, int(math.Floor(f+0.5)))) }
	return [3]int{at(q.X, v.NX), at(q.Y, v.NY), at(q.Z, v.NZ)}
}

// Component returns the inside cubes connected to cube i by faces. It marks them as seen, and takes none that are.
func (v *Voxels) Component(i int, seen []bool) []int32 {
	if !v.Inside[i] || seen[i] {
		return nil
	}
	region := v.flood(nil, i, func(k int32) bool {
		took := v.Inside[k] && !seen[k]
		seen[k] = seen[k] || took
		return took
	})
	out := make([]int32, len(region))
	for k, c := range region {
		out[k] = c.i
	}
	return out
}

// Distances returns, for every inside cube, the length of the shortest way
// through inside cubes from the sources, stepping to any of 26 neighbours; +Inf
// where no way leads and outside.
func (v *Voxels) Distances(sources []int) []float64 { return v.Within(sources, math.Inf(1)) }

// Within is Distances up to a length: cubes farther away are +Inf.
//
// The cubes wait in buckets one cell wide. No step is shorter, so within a bucket
// any order will do (Denardo & Fox, "Shortest-Route Methods", 1979); no step is
// longer than two buckets.
func (v *Voxels) Within(sources []int, most float64) []float64 {
	dist := make([]float64, len(v.Inside))
	for i := range dist {
		dist[i] = math.Inf(1)
	}
	type entry struct {
		d float64
		i int32
	}
	var offset [27]int // of the neighbors of a cube that has them all
	var step [27]float64
	for k := range offset {
		x, z, y := k%3-1, k/3%3-1, k/9-1
		offset[k], step[k] = v.Index(x, y, z), v.Cell*stepLength[x*x+y*y+z*z]
	}
	var buckets [3][]entry
	for _, s := range sources {
		if s >= 0 && v.Inside[s] && dist[s] > 0 {
			dist[s] = 0
			buckets[0] = append(buckets[0], entry{0, int32(s)})
		}
	}
	for at, empty := 0, 0; empty < 3; at++ {
		here := at % 3
		if len(buckets[here]) == 0 {
			empty++
			continue
		}
		empty = 0
		for k := 0; k < len(buckets[here]); k++ { // rounding may add to it meanwhile
			d, i := buckets[here][k].d, int(buckets[here][k].i)
			if d > dist[i] {
				continue
			}
			x, y, z := v.Coords(i)
			reach := func(n int, step float64) {
				if e := d + step; v.Inside[n] && e < dist[n] && e <= most {
					dist[n] = e
					to := min(at+2, max(at, int(e/v.Cell))) % 3
					buckets[to] = append(buckets[to], entry{e, int32(n)})
				}
			}
			if x > 0 && y > 0 && z > 0 && x+1 < v.NX && y+1 < v.NY && z+1 < v.NZ {
				for k, by := range offset {
					reach(i+by, step[k])
				}
				continue
			}
			for ny := max(0, y-1); ny <= min(v.NY-1, y+1); ny++ {
				for nz := max(0, z-1); nz <= min(v.NZ-1, z+1); nz++ {
					for nx := max(0, x-1); nx <= min(v.NX-1, x+1); nx++ {
						reach(v.Index(nx, ny, nz), v.Cell*stepLength[(nx-x)*(nx-x)+(ny-y)*(ny-y)+(nz-z)*(nz-z)])
					}
				}
			}
		}
		buckets[here] = buckets[here][:0]
	}
	return dist
}

var stepLength = [4]float64{0, 1, math.Sqrt2, 1.7320508075688772}
