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
	var order []int32 // by height: y is the slowest index
	for i, in := range v.Inside {
		if in {
			order = append(order, int32(i))
		}
	}
	return f.persistent(order, func(i int) float64 { return float64(i/v.NX/v.NZ) * v.Cell }, least)
}

// peaks returns the places farther by a distance than all around them, by least metres or
// more before they meet a farther one, from the one that stands out most; without says
// which cubes do not count.
func (f *fitter) peaks(dist []float64, least float64, without []bool) []int {
	var order []int32
	for i, d := range dist {
		if !math.IsInf(d, 1) && !without[i] {
			order = append(order, int32(i))
		}
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Or(cmp.Compare(dist[b], dist[a]), cmp.Compare(a, b)) })
	var out []int
	for _, l := range f.persistent(order, func(i int) float64 { return -dist[i] }, least) {
		out = append(out, l.cube)
	}
	return out
}

// persistent returns the minima of a value over the cubes of order, which go by it.
func (f *fitter) persistent(order []int32, value func(i int) float64, least float64) []low {
	if len(order) == 0 {
		return nil
	}
	v := f.vox
	rank := make([]int32, len(v.Inside)) // place in order, from 1; 0 is not added yet
	part := make([]int32, len(order))    // union-find over ranks less one: the first of each part is its root
	root := func(k int32) int32 {
		for part[k] != k {
			part[k] = part[part[k]]
			k = part[k]
		}
		return k
	}
	var out []low
	for k, c := range order {
		i := int(c)
		rank[i] = int32(k) + 1
		part[k] = int32(k)
		v.Around(i, func(n int) {
			if rank[n] == 0 {
				return
			}
			a, b := root(int32(k)), root(rank[n]-1)
			if a == b {
				return
			}
			if a > b { // the lower one goes on
				a, b = b, a
			}
			part[b] = a
			if rises := value(i) - value(int(order[b])); rises >= least {
				out = append(out, low{int(order[b]), rises})
			}
		})
	}
	last := value(int(order[len(order)-1]))
	for k, c := range order {
		if part[k] == int32(k) {
			out = append(out, low{int(c), last - value(int(c))})
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
