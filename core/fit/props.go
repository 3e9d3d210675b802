package fit

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
)

// propReach is how far, as a share of the height, what is on one side only must reach
// beyond the other side's mirror image to be taken for a prop.
const propReach = 0.05

// mirrorLeast is the share of cubes with a mirror image below which a body is posed differently on both sides, and what
// is on one side only is no prop.
const mirrorLeast = 0.8

// armsWithoutProps places the arms after props are left out; where no arm is left on a
// side, what was taken for a prop may have been the only arm, and all counts.
func (f *fitter) armsWithoutProps() error {
	inside, floor, height, notes := slices.Clone(f.vox.Inside), f.floor, f.height, len(f.notes)
	if !f.dropProps() {
		return f.arms()
	}
	f.slices()
	if err := f.arms(); err == nil && f.armCount == 2 {
		return nil
	}
	f.vox.Inside, f.floor, f.height, f.notes = inside, floor, height, f.notes[:notes]
	f.slices()
	return f.arms()
}

// dropProps leaves out what sticks out on one side only of a body that is else its own
// mirror image: a staff, a bag, a pail that is one surface with the body. It reports
// whether there was any. Where both sides have something of their own, limbs are posed
// differently and nothing can be told.
func (f *fitter) dropProps() bool {
	v := f.vox
	if f.match < mirrorLeast {
		return false
	}
	const near = 2 // cubes that the two sides may differ by
	n := len(v.Inside)
	grown := slices.Clone(v.Inside)
	for range near {
		last := slices.Clone(grown)
		for i, in := range last {
			if in {
				v.Around(i, func(k int) { grown[k] = true })
			}
		}
	}
	twice := 2*(f.plane-v.Origin.X)/v.Cell + 0.5
	lone := make([]bool, n)
	for i, in := range v.Inside {
		if in {
			x, y, z := v.Coords(i)
			m := int(math.Floor(twice)) - x
			lone[i] = m < 0 || m >= v.NX || !grown[v.Index(m, y, z)]
		}
	}
	shown := map[int]bool{} // what a person has shown a tip on is no prop
	for _, p := range f.given {
		shown[f.nearestInside(p)] = true
	}
	seen := make([]bool, n)
	var props [2][][]int
	for i := range lone {
		if !lone[i] || seen[i] {
			continue
		}
		set, box := []int{i}, geom.EmptyBox()
		seen[i] = true
		for k := 0; k < len(set); k++ {
			box = box.Add(v.Centre(set[k]))
			v.Around(set[k], func(j int) {
				if lone[j] && !seen[j] {
					seen[j] = true
					set = append(set, j)
				}
			})
		}
		if box.Diagonal() > propReach*f.height && !slices.ContainsFunc(set, func(c int) bool { return shown[c] }) {
			side := 0
			if box.Centre().X < f.plane {
				side = 1
			}
			props[side] = append(props[side], set)
		}
	}
	if len(props[0])+len(props[1]) == 0 || len(props[0]) > 0 && len(props[1]) > 0 {
		return false
	}
	for _, set := range slices.Concat(props[0], props[1]) {
		for _, i := range set {
			v.Inside[i] = false
		}
	}
	f.keepLargest()
	f.notes = append(f.notes, fmt.Sprintf("ignored %d one-sided protrusions as props (a staff, a bag)", len(props[0])+len(props[1])))
	return true
}
