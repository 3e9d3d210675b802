package fit

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"
)

// low is a place where the volume hangs down or stands: a local minimum of the
// height, with how far the volume rises from there before it meets one that goes
// lower. A leg's foot is such a place whether it touches the ground or not.
type low struct {
	cube  int
	rises float64 // metres; to the top of the volume for the lowest
}

// lows returns the places where the volume hangs down by least metres or more,
// from the one that rises highest. They are the pairs of zero-dimensional
// persistent homology of the height on the volume (Edelsbrunner, Letscher,
// Zomorodian, "Topological persistence and simplification", 2002): cubes are
// added from below, and where two parts meet, the one that began higher ends.
func (f *fitter) lows(least float64) []low {
	v := f.vox
	part := make([]int32, len(v.Inside)) // union-find; 0 is not added yet, else cube+1
	root := func(i int) int {
		for int(part[i])-1 != i {
			part[i] = part[part[i]-1]
			i = int(part[i]) - 1
		}
		return i
	}
	var out []low
	y := func(i int) int { return i / v.NX / v.NZ }
	top := 0
	for i, in := range v.Inside { // by height: y is the slowest index
		if !in {
			continue
		}
		top = y(i)
		part[i] = int32(i) + 1
		v.Around(i, func(n int) {
			if part[n] == 0 {
				return
			}
			a, b := root(i), root(n)
			if a == b {
				return
			}
			if a > b { // the lower one, by index, goes on
				a, b = b, a
			}
			part[b] = int32(a) + 1
			if rises := float64(y(i)-y(b)) * v.Cell; rises >= least {
				out = append(out, low{b, rises})
			}
		})
	}
	for i := range v.Inside {
		if part[i] == int32(i)+1 {
			out = append(out, low{i, float64(top-y(i)) * v.Cell})
		}
	}
	slices.SortStableFunc(out, func(a, b low) int { return cmp.Compare(b.rises, a.rises) })
	return out
}

// footAt returns the foot around a place: the cubes that hang together with it no
// higher above the lowest than a foot's sole is thick, and on the same side of
// the middle plane, which the other foot may stand against.
func (f *fitter) footAt(cube int) foot {
	v := f.vox
	_, y0, _ := v.Coords(cube)
	left := v.Centre(cube).X > f.plane
	limit := y0 + int(math.Max(1.7, 0.03*f.height/v.Cell-0.5))
	seen := map[int]bool{cube: true}
	set := []int{cube}
	box := geom.EmptyBox()
	for k := 0; k < len(set); k++ {
		box = box.Add(v.Centre(set[k]))
		v.Around(set[k], func(n int) {
			if _, y, _ := v.Coords(n); v.Inside[n] && !seen[n] && y >= y0 && y <= limit && v.Centre(n).X > f.plane == left {
				seen[n] = true
				set = append(set, n)
			}
		})
	}
	return foot{set, box}
}
