package fit

import (
	"fmt"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// lump is a connected set of inside cubes.
type lump struct {
	cubes []int32
	box   geom.Box
}

const (
	bodyShare = 0.35 // how large another body is beside the largest, by cubes
	bodyTall  = 0.55 // and how tall
	// A plinth is broader than feet are by far, as a share of the height squared, and ends at once.
	plinthBroad = 0.09
	plinthDrop  = 3
	plinthTall  = 0.3 // of the whole
	plinthUnder = 0.4 // how high what stands on it is, at the least, over how long: a body that lies stands on nothing
)

// countBodies returns how many bodies stand side by side: lumps nearly as large and as tall as the largest whose places on
// the ground are apart. Parts of one body lie above each other, or are smaller.
func countBodies(list []lump, largest int) int {
	main := list[largest]
	n := 1
	for i, l := range list {
		if i == largest || float64(len(l.cubes)) < bodyShare*float64(len(main.cubes)) || l.box.Size().Y < bodyTall*main.box.Size().Y {
			continue
		}
		apartX := l.box.Min.X > main.box.Max.X || l.box.Max.X < main.box.Min.X
		apartZ := l.box.Min.Z > main.box.Max.Z || l.box.Max.Z < main.box.Min.Z
		if apartX || apartZ {
			n++
		}
	}
	return n
}

// errSeveral says that a file holds several bodies.
func errSeveral(n int) error {
	return fmt.Errorf(
		"this file holds %d bodies side by side, and a biped is fitted to one: keep one of them as a character of its own (at Intake, select the faces of the others and use Remove selected faces) and fit again",
		n,
	)
}

// withoutPlinth returns the mesh without what its body stands on, a plinth or a piece of scanned floor, and how thick that
// was; 0 if there is none. It is broad from the ground up and ends at once, where feet begin that are much smaller.
func (f *fitter) withoutPlinth(m *mesh.Mesh) (*mesh.Mesh, float64) {
	v := f.vox
	area := make([]float64, v.NY)
	first := v.NY
	for i, in := range v.Inside {
		if in {
			_, y, _ := v.Coords(i)
			area[y] += v.Cell * v.Cell
			first = min(first, y)
		}
	}
	top := min(first+int(plinthTall*f.height/v.Cell), v.NY-2)
	for y := first; y < top && area[y] >= plinthBroad*f.height*f.height; y++ {
		if area[y+2]*plinthDrop > area[y] { // two levels on: the edge may be round
			continue
		}
		drop := y + 1
		if area[y+1]*plinthDrop > area[y] {
			drop = y + 2
		}
		over := geom.EmptyBox()
		for i, c := range v.Filled() {
			if _, at, _ := v.Coords(i); at >= drop {
				over = over.Add(c)
			}
		}
		if size := over.Size(); size.Y < plinthUnder*max(size.X, size.Z) {
			return m, 0
		}
		edge := v.Origin.Y + (float64(drop)-0.5)*v.Cell
		below := make([]bool, m.Faces())
		points := m.World()
		for i := range below {
			below[i] = true
			for _, k := range m.Face(i) {
				below[i] = below[i] && geom.Rotate(quat.Conj(f.back), points[k]).Y < edge+v.Cell/2
			}
		}
		without, _ := m.DropChosen(below)
		if without.Faces() == 0 {
			return m, 0
		}
		return without, edge - f.floor
	}
	return m, 0
}

// plinthNote says that something was left out.
func plinthNote(thick float64) string {
	return "a plinth or floor, " + wording.Length(thick) + " thick, was left out"
}

// lumps returns the connected sets of inside cubes, and the number of the largest.
func (f *fitter) lumps() (list []lump, largest int) {
	seen := make([]bool, len(f.vox.Inside))
	half := r3.Scale(f.vox.Cell/2, r3.Vec{X: 1, Y: 1, Z: 1})
	for i, in := range f.vox.Inside {
		if !in || seen[i] {
			continue
		}
		l := lump{cubes: f.vox.Component(i, seen), box: geom.EmptyBox()}
		for _, k := range l.cubes {
			c := f.vox.Centre(int(k))
			l.box = l.box.Add(r3.Sub(c, half)).Add(r3.Add(c, half))
		}
		list = append(list, l)
		if len(l.cubes) > len(list[largest].cubes) {
			largest = len(list) - 1
		}
	}
	return list, largest
}
