package fit

import (
	"errors"
	"fmt"

	"wisemarrow/core/geom"
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
)

// countBodies returns how many bodies stand side by side: lumps nearly as large and as tall as the largest whose places on
// the ground are apart. Parts of one body lie above each other, or are smaller.
func countBodies(list []lump) int {
	if len(list) == 0 {
		return 0
	}
	largest := 0
	for i, l := range list {
		if len(l.cubes) > len(list[largest].cubes) {
			largest = i
		}
	}
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
		"this file holds %d bodies side by side, and a biped is fitted to one: keep one of them as a character of its own (delete the other pieces at Intake) and fit again",
		n,
	)
}

// errOnlyPlinth says that nothing stands on what was taken for the ground.
var errOnlyPlinth = errors.New("nothing stands on the plinth or floor in this file")

// dropPlinth leaves out what a body stands on: a plinth, a piece of scanned floor. It is broad from the ground up and ends
// at once, where feet or a hem begin that are much smaller. It reports whether there was one.
func (f *fitter) dropPlinth() (bool, error) {
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
	top := first + int(plinthTall*f.height/v.Cell)
	for y := first; y+2 < min(top, v.NY); y++ {
		if area[y] < plinthBroad*f.height*f.height {
			return false, nil
		}
		if area[y+2]*plinthDrop > area[y] { // the edge may be round
			continue
		}
		drop := y + 1
		if area[y+1]*plinthDrop > area[y] {
			drop = y + 2
		}
		for i := range v.Inside {
			if _, at, _ := v.Coords(i); at < drop {
				v.Inside[i] = false
			}
		}
		was := f.height
		f.plinth = v.Origin.Y + (float64(drop)-0.5)*v.Cell
		if !f.keepLargest() {
			return false, errOnlyPlinth
		}
		f.notes = append(f.notes, fmt.Sprintf("a plinth or floor, %s thick, was left out", wording.Length(was-f.height)))
		return true, nil
	}
	return false, nil
}

// withoutPlinth leaves out of a volume what was left out of another of the same mesh, in whatever frame.
func (f *fitter) withoutPlinth(of *fitter) *fitter {
	if of.plinth == 0 {
		return f
	}
	turn := quat.Mul(quat.Conj(of.back), f.back)
	for i, c := range f.vox.Filled() {
		if geom.Rotate(turn, c).Y < of.plinth {
			f.vox.Inside[i] = false
		}
	}
	if f.keepLargest() {
		f.findPlane()
	}
	f.plinth, f.notes = of.plinth, of.notes
	return f
}

// lumps returns the connected sets of inside cubes, and the number of the largest.
func (f *fitter) lumps() (list []lump, largest int) {
	seen := make([]bool, len(f.vox.Inside))
	half := r3.Scale(f.vox.Cell/2, r3.Vec{X: 1, Y: 1, Z: 1})
	for i, in := range f.vox.Inside {
		if !in || seen[i] {
			continue
		}
		l := lump{cubes: f.vox.Component(i), box: geom.EmptyBox()}
		for _, k := range l.cubes {
			seen[k] = true
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
