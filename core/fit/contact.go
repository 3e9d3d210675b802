package fit

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Limbs that touch the body without being one surface with it (a hand on the hip, hands that are folded) are one volume
// with it. Where two places are side by side in the volume and far apart along the surface, and the surface is near, they
// touch there, and the volume is cut.
const (
	landmarks     = 8       // ends of the surface that distances along it are measured from
	farAlong      = 0.22    // along the surface, as a share of the height, from which on two places are of different limbs
	shallow       = 3       // cubes from the surface at the most
	mostTriangles = 400_000 // of larger meshes the ways along the surface take too long
	contactPatch  = 0.2     // how large, as a share of the height, a patch is at the most: larger ones are walls of cloth
)

// cutContacts empties the cubes at which limbs touch, and reports whether it did. points and tris are the body's, in
// world frame, pieces those of its mesh.
func (f *fitter) cutContacts(points []r3.Vec, tris [][3]int32, pieces mesh.Pieces) bool {
	if f.handles() == 0 || len(tris) > mostTriangles {
		return false
	}
	label, depth := f.nearestVertices(points, tris)
	from := tris[0][0]
	if largest := int32(pieces.Largest()); pieces.OfVertex[from] != largest {
		from = tris[max(0, slices.IndexFunc(tris, func(t [3]int32) bool { return pieces.OfVertex[t[0]] == largest }))][0]
	}
	ways := surfaceWays(points, tris, from, f.plugs(points, tris, from, pieces))
	far := farAlong * f.height
	v := f.vox
	touching := func(a, b int) bool {
		p, q := label[a], label[b]
		if p == q || p < 0 || q < 0 || depth[a] > shallow || depth[b] > shallow { // large triangles leave cubes without a vertex
			return false
		}
		for _, d := range ways {
			gap := float64(d[p] - d[q])
			if math.IsInf(gap, 0) {
				return false // a piece that is nowhere plugged in
			}
			if math.Abs(gap) > far { // of Inf − Inf it is not
				return true
			}
		}
		return false
	}
	cut := make([]bool, len(v.Inside))
	found := false
	for i, in := range v.Inside {
		if !in {
			continue
		}
		x, y, z := v.Coords(i)
		if x+1 >= v.NX || y+1 >= v.NY || z+1 >= v.NZ || x == 0 || z == 0 {
			continue
		}
		for _, step := range forward {
			if k := i + v.Index(step[0], step[1], step[2]); v.Inside[k] && touching(i, k) {
				cut[k], found = true, true
			}
		}
	}
	if !found {
		return false
	}
	// Patches of cubes that touch by 26 neighbors, and of those the small ones.
	seen, did := make([]bool, len(cut)), false
	for i := range cut {
		if !cut[i] || seen[i] {
			continue
		}
		patch, box := []int{i}, geom.EmptyBox()
		seen[i] = true
		for k := 0; k < len(patch); k++ {
			box = box.Add(v.Centre(patch[k]))
			f.beside(patch[k], func(n int) {
				if cut[n] && !seen[n] {
					seen[n] = true
					patch = append(patch, n)
				}
			})
		}
		if box.Diagonal() > contactPatch*f.height {
			continue
		}
		for _, k := range patch {
			v.Inside[k] = false
		}
		did = true
	}
	return did && f.keepLargest()
}

// clearer returns the body with its limbs cut apart where they touch, if head, hands and feet are told there more clearly,
// else as it is; and how these were told, nil where that was not asked or they were not.
func (f *fitter) clearer() (*fitter, *posture) {
	if f.handles() == 0 {
		return f, nil
	}
	p, ok := f.readPosture()
	if ok && p.off < clearReading/2 {
		return f, &p
	}
	if g := f.cut(); g != nil {
		if q, fine := g.readPosture(); fine && (!ok || q.off <= p.off-clearlyClearer) {
			g.props = f.props
			g.notes = append(slices.Clone(f.notes), "limbs that touch the body were told apart by its surface")
			return g, &q
		}
	}
	if !ok {
		return f, nil
	}
	return f, &p
}

// clearlyClearer is by how much less unlike a body its ends are (posture.off) where its limbs were cut apart.
const clearlyClearer = 0.1

// forward are the half of the 26 neighbors that come later.
var forward = func() (out [][3]int) {
	for y := -1; y <= 1; y++ {
		for z := -1; z <= 1; z++ {
			for x := -1; x <= 1; x++ {
				if y > 0 || y == 0 && (z > 0 || z == 0 && x > 0) {
					out = append(out, [3]int{x, y, z})
				}
			}
		}
	}
	return out
}()

// handles returns how many handles the volume has, as an arm on the hip makes one: the Euler characteristic of one piece
// without cavities is 1 less their number.
func (f *fitter) handles() int {
	v := f.vox
	sum := 0
	outside := make([]bool, v.NX)
	row := func(y, z int) []bool {
		if y < 0 || z < 0 || y >= v.NY || z >= v.NZ {
			return outside
		}
		k := v.Index(0, y, z)
		return v.Inside[k : k+v.NX]
	}
	for y := range v.NY + 1 {
		for z := range v.NZ + 1 {
			rows := [4][]bool{row(y-1, z-1), row(y-1, z), row(y, z-1), row(y, z)}
			var in [8]bool // the cubes around the corner at the low end of cube (x,y,z)
			for x := range v.NX + 1 {
				any := false
				for r := range rows {
					in[2*r] = in[2*r+1]
					in[2*r+1] = x < v.NX && rows[r][x]
					any = any || in[2*r] || in[2*r+1]
				}
				if !any {
					continue
				}
				// The corner, the edges and faces that lead on from it, and the cube.
				sum++
				for _, e := range [3][4]int{{1, 3, 5, 7}, {2, 3, 6, 7}, {4, 5, 6, 7}} {
					if in[e[0]] || in[e[1]] || in[e[2]] || in[e[3]] {
						sum--
					}
				}
				for _, e := range [3][2]int{{3, 7}, {5, 7}, {6, 7}} {
					if in[e[0]] || in[e[1]] {
						sum++
					}
				}
				if in[7] {
					sum--
				}
			}
		}
	}
	return max(0, 1-sum)
}

// nearestVertices returns for every inside cube about the nearest vertex of the surface, by way of the cubes, and how many
// cubes it is from there.
func (f *fitter) nearestVertices(points []r3.Vec, tris [][3]int32) (label []int32, depth []int16) {
	v, home := f.vox, quat.Conj(f.back)
	label, depth = make([]int32, len(v.Inside)), make([]int16, len(v.Inside))
	for i := range label {
		label[i], depth[i] = -1, math.MaxInt16
	}
	var next []int
	for _, t := range tris {
		for _, p := range t {
			if i := v.At(geom.Rotate(home, points[p])); i >= 0 && label[i] < 0 {
				label[i], depth[i] = p, 0
				next = append(next, i)
			}
		}
	}
	for k := 0; k < len(next); k++ {
		i := next[k]
		v.Around(i, func(n int) {
			if label[n] < 0 && (v.Inside[n] || depth[i] == 0) { // the surface runs through cubes that are not inside too
				label[n], depth[n] = label[i], depth[i]+1
				next = append(next, n)
			}
		})
	}
	return label, depth
}

// plugs returns the vertices at which pieces are plugged into larger ones, as a hand into its sleeve: pairs of vertices
// that are side by side where a piece meets the larger ones. Of several patches where it does the one counts that is the
// nearest to an end of the largest piece, as the wrist is; at the others it touches.
func (f *fitter) plugs(points []r3.Vec, tris [][3]int32, from int32, pieces mesh.Pieces) (links [][2]int32) {
	v, home := f.vox, quat.Conj(f.back)
	of := map[int32]map[int]int32{} // by piece, the cubes that hold its vertices, with one of these
	for _, t := range tris {
		for _, p := range t {
			piece := pieces.OfVertex[p]
			if of[piece] == nil {
				of[piece] = map[int]int32{}
			}
			if i := v.At(geom.Rotate(home, points[p])); i >= 0 {
				if q, ok := of[piece][i]; !ok || p < q {
					of[piece][i] = p
				}
			}
		}
	}
	order := slices.SortedFunc(maps.Keys(of), func(a, b int32) int {
		return cmp.Or(cmp.Compare(len(of[b]), len(of[a])), cmp.Compare(a, b))
	})
	if len(order) < 2 || len(order) > mostPlugs {
		return nil
	}
	held := of[order[0]]
	var ways [][]float32 // on the largest piece
	for _, piece := range order[1:] {
		meets := map[int]int32{} // cubes of the piece beside one of a larger piece, with a vertex of that
		for i := range of[piece] {
			f.beside(i, func(k int) {
				if q, ok := held[k]; ok {
					if was, ok := meets[i]; !ok || q < was {
						meets[i] = q
					}
				}
			})
		}
		var patches [][]int
		largest := 0
		seen := map[int]bool{}
		for _, i := range slices.Sorted(maps.Keys(meets)) {
			if seen[i] {
				continue
			}
			patch := []int{i}
			seen[i] = true
			for k := 0; k < len(patch); k++ {
				f.beside(patch[k], func(n int) {
					if _, ok := meets[n]; ok && !seen[n] {
						seen[n] = true
						patch = append(patch, n)
					}
				})
			}
			patches = append(patches, patch)
			largest = max(largest, len(patch))
		}
		patches = slices.DeleteFunc(patches, func(p []int) bool { return 4*len(p) < largest })
		if len(patches) == 0 {
			continue
		}
		if ways == nil {
			ways = surfaceWays(points, tris, from, nil)
		}
		toEnd := func(i int) float32 {
			way := float32(math.Inf(1))
			for _, d := range ways {
				way = min(way, d[meets[i]])
			}
			return way
		}
		plug, best := patches[0], float32(math.Inf(1))
		for _, p := range patches {
			for _, i := range p {
				if way := toEnd(i); way < best {
					best, plug = way, p
				}
			}
		}
		// A hand that lies along the hip meets it in one patch with its own wrist.
		reach := best + float32(plugReach*f.height)
		for _, i := range plug {
			if math.IsInf(float64(best), 1) || toEnd(i) <= reach {
				links = append(links, [2]int32{of[piece][i], meets[i]})
			}
		}
		for i, p := range of[piece] {
			if _, ok := held[i]; !ok {
				held[i] = p
			}
		}
	}
	return links
}

// plugReach is how much farther from an end, as a share of the height, a piece is held at the most.
const plugReach = 0.04

// mostPlugs is of how many pieces a body may be for its contacts to be looked for.
const mostPlugs = 64

// beside visits a cube and its 26 neighbors.
func (f *fitter) beside(i int, visit func(k int)) {
	v := f.vox
	x, y, z := v.Coords(i)
	for n := range 27 {
		a, b, c := x+n%3-1, y+n/9-1, z+n/3%3-1
		if a >= 0 && b >= 0 && c >= 0 && a < v.NX && b < v.NY && c < v.NZ {
			visit(v.Index(a, b, c))
		}
	}
}

// surfaceWays returns the lengths of the ways along edges to every vertex from landmarks: ends of the surface, each as far
// as can be from those before, of what is connected with from. links are ways between pieces.
func surfaceWays(points []r3.Vec, tris [][3]int32, from int32, links [][2]int32) [][]float32 {
	n := len(points)
	start := make([]int32, n+1)
	for _, t := range tris {
		for k := range t {
			start[t[k]+1] += 2
		}
	}
	for _, l := range links {
		start[l[0]+1]++
		start[l[1]+1]++
	}
	for i := range n {
		start[i+1] += start[i]
	}
	to, fill := make([]int32, start[n]), make([]int32, n)
	for _, t := range tris {
		for k := range t {
			for _, o := range [2]int32{t[(k+1)%3], t[(k+2)%3]} {
				to[start[t[k]]+fill[t[k]]] = o
				fill[t[k]]++
			}
		}
	}
	for _, l := range links {
		for k := range l {
			to[start[l[k]]+fill[l[k]]] = l[1-k]
			fill[l[k]]++
		}
	}
	nearest := make([]float32, n)
	for i := range nearest {
		nearest[i] = float32(math.Inf(1))
	}
	var out [][]float32
	var queue geom.Queue
	for k := -1; k < landmarks; k++ { // the first is only to find an end
		d := make([]float32, n)
		for i := range d {
			d[i] = float32(math.Inf(1))
		}
		d[from] = 0
		queue.Push(geom.Step{At: from})
		for len(queue) > 0 {
			s := queue.Pop()
			if float32(s.Way) > d[s.At] {
				continue
			}
			for _, o := range to[start[s.At]:start[s.At+1]] {
				if w := s.Way + r3.Norm(r3.Sub(points[o], points[s.At])); float32(w) < d[o] {
					d[o] = float32(w)
					queue.Push(geom.Step{At: o, Way: float64(d[o])})
				}
			}
		}
		farthest := float32(0)
		for i, w := range d {
			if k < 0 {
				nearest[i] = w
			} else {
				nearest[i] = min(nearest[i], w)
			}
			if w := nearest[i]; fill[i] > 0 && !math.IsInf(float64(w), 1) && w > farthest {
				farthest, from = w, int32(i)
			}
		}
		if k < 0 {
			for i := range nearest {
				nearest[i] = float32(math.Inf(1))
			}
		} else {
			out = append(out, d)
		}
		if farthest == 0 {
			break
		}
	}
	return out
}
