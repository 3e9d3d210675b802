package fit

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// slices measures every level: the area around the middle plane, and where it
// ends downward, which is the crotch.
func (f *fitter) slices() {
	v := f.vox
	f.layers = make([]layer, v.NY)
	cell2 := v.Cell * v.Cell
	for y := range f.layers {
		seen := make([]bool, v.NX*v.NZ)
		var stack []int
		for z := range v.NZ {
			for x := range v.NX {
				c := v.Origin.X + float64(x)*v.Cell
				if k := z*v.NX + x; math.Abs(c-f.plane) <= 0.75*v.Cell && v.Inside[v.Index(x, y, z)] && !seen[k] {
					seen[k] = true
					stack = append(stack, k)
				}
			}
		}
		l := &f.layers[y]
		for len(stack) > 0 {
			k := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, z := k%v.NX, k/v.NX
			l.area += cell2
			l.centre = r3.Add(l.centre, r3.Scale(cell2, v.Centre(v.Index(x, y, z))))
			for _, o := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				nx, nz := x+o[0], z+o[1]
				if nx < 0 || nz < 0 || nx >= v.NX || nz >= v.NZ {
					continue
				}
				if n := nz*v.NX + nx; !seen[n] && v.Inside[v.Index(nx, y, nz)] {
					seen[n] = true
					stack = append(stack, n)
				}
			}
		}
		if l.area > 0 {
			l.centre = r3.Scale(1/l.area, l.centre)
		}
	}
	f.crotch = 0
	for share := 0.62; share > 0.1; share -= 0.25 * v.Cell / f.height {
		if f.layerAt(f.y(share)).area == 0 {
			f.crotch = share * f.height
			break
		}
	}
	if q, ok := f.given["begin legs"]; ok {
		f.crotch = math.Max(0, q.Y-f.floor)
	}
	f.sideSlices()
}

// sideSlices measures the legs, left and right, below the crotch (or below a
// quarter of the height where none shows), reached from the ground.
func (f *fitter) sideSlices() {
	v := f.vox
	limit := f.crotch
	if limit == 0 {
		limit = 0.25 * f.height
	}
	leg := f.legCubes(limit)
	for y := range f.layers {
		for s := range 2 {
			f.layers[y].side[s].area = 0
			f.layers[y].side[s].centre = r3.Vec{}
		}
	}
	for i, in := range leg {
		if !in {
			continue
		}
		_, y, _ := v.Coords(i)
		c := v.Centre(i)
		s := 0
		if c.X < f.plane {
			s = 1
		}
		l := &f.layers[y].side[s]
		l.area++
		l.centre = r3.Add(l.centre, c)
	}
	for y := range f.layers {
		for s := range 2 {
			l := &f.layers[y].side[s]
			if l.area > 0 {
				l.centre = r3.Scale(1/l.area, l.centre)
				l.area *= v.Cell * v.Cell
			}
		}
	}
}

// legCubes returns the cubes below limit that hang together with the ground.
func (f *fitter) legCubes(limit float64) []bool {
	v := f.vox
	in := make([]bool, len(v.Inside))
	var stack []int
	for i, inside := range v.Inside {
		if inside && v.Centre(i).Y < f.floor+0.03*f.height {
			in[i] = true
			stack = append(stack, i)
		}
	}
	for len(stack) > 0 {
		i := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		v.Around(i, func(k int) {
			if v.Inside[k] && !in[k] && v.Centre(k).Y < f.floor+limit {
				in[k] = true
				stack = append(stack, k)
			}
		})
	}
	return in
}

// trainLeast is how far from the shin something on the ground reaches, as a share of the height, that is no foot.
const trainLeast = 0.22

// facesBack reports whether the feet point to −Z: they reach farther from the
// shin on that side.
func (f *fitter) facesBack() bool {
	shin := r3.Vec{}
	n := 0.0
	for s := range 2 {
		if l := f.layerAt(f.y(0.14)).side[s]; l.area > 0 {
			shin = r3.Add(shin, l.centre)
			n++
		}
	}
	if n == 0 {
		return false
	}
	z := shin.Z / n
	front, back := 0.0, 0.0
	for _, c := range f.vox.Filled() {
		if c.Y < f.y(0.035) {
			front, back = math.Max(front, c.Z-z), math.Max(back, z-c.Z)
		}
	}
	if reach := math.Max(front, back); reach > trainLeast*f.height {
		return front > back // no foot is as long: it is a train, which lies behind
	}
	return back > 1.15*front
}

// trunk places hips, spine, neck, head and clavicles between the limbs.
func (f *fitter) trunk() {
	thighL, thighR := f.joints["thigh_l"], f.joints["thigh_r"]
	armL, armR := f.joints["upper_arm_l"], f.joints["upper_arm_r"]
	h := f.body
	hipsAt := r3.Scale(0.5, r3.Add(thighL.at, thighR.at))
	hipsAt.X = f.plane
	hipsAt.Y += 0.02 * h
	f.put("hips", hipsAt, thighL.confidence, "between the hip joints")

	shoulder := (armL.at.Y + armR.at.Y) / 2
	f.headAndCrown(shoulder, hipsAt)
	neck := f.joints["neck"].at
	if f.crotch > 0 {
		f.begin["legs"] = r3.Vec{X: f.plane, Y: f.floor + f.crotch, Z: hipsAt.Z}
	}

	for i, t := range spineShares {
		name, p := spineJoint(i, hipsAt, neck, h)
		// The nearer to the hips, the more it is in doubt where they are.
		f.put(name, p, math.Min(0.95, t*0.95+(1-t)*thighL.confidence), "at the usual proportion from hips to neck")
	}
	for s, arm := range []placed{armL, armR} {
		across := arm.at.X - f.plane
		p := r3.Vec{X: f.plane + 0.2*across, Y: arm.at.Y - 0.004*h, Z: arm.at.Z + 0.008*h}
		f.put("clavicle"+suffix(s), p, arm.confidence, "at the usual proportion of the way to the shoulder")
	}
}

// spineShares is how far from the hips to the neck the joints of the spine stand.
var spineShares = [3]float64{0.22, 0.45, 0.70}

// spineJoint returns the name and the place of a joint of the spine of a body of a height, which bows a little forward.
func spineJoint(i int, hips, neck r3.Vec, height float64) (string, r3.Vec) {
	t := spineShares[i]
	p := r3.Add(hips, r3.Scale(t, r3.Sub(neck, hips)))
	p.Z += 0.006 * height * math.Sin(math.Pi*t)
	return fmt.Sprintf("spine_%d", i+1), p
}

func suffix(side int) string { return [2]string{"_l", "_r"}[side] }
