package solve

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// sameImage is how near a vertex's mirror image must be to another, of the height.
	sameImage = 1.0 / 2000
	// sameBind is how alike the weights of two images must be to be solved alike.
	sameBind = 0.05
)

// pair are two units that are mirror images, or one that is its own; to tells for each joint of a the one of b.
type pair struct {
	a, b int32
	to   []int32
}

// paired finds them. The joints that may move one may move the other too.
func (p *Problem) paired(s *skeleton.Skeleton) []pair {
	all := s.Pairs(p.o.Marks)
	if !all.Any() {
		return nil
	}
	of := make([]int32, len(s.Joints))
	for i := range of {
		of[i] = -1
	}
	for k, i := range p.numbers {
		if i >= 0 {
			of[i] = int32(k)
		}
	}
	partner := make([]int32, len(p.w.Joints))
	for k, i := range p.numbers {
		partner[k] = -1
		switch {
		case i < 0:
		case all.Partner[i] >= 0:
			partner[k] = of[all.Partner[i]]
		case all.Sides[i] == skeleton.Centre:
			partner[k] = int32(k)
		}
	}
	image := func(list []int32) []int32 { // of joints, ascending; nil where one has none
		var out []int32
		for _, j := range list {
			if partner[j] < 0 {
				return nil
			}
			out = append(out, partner[j])
		}
		slices.Sort(out)
		return out
	}
	first := make([]r3.Vec, len(p.of))
	for u, list := range p.of {
		first[u] = p.points[list[0]]
	}
	tree, plane := geom.NewPointTree(first), s.MirrorPlane(p.o.Marks)
	other := make([]int32, len(p.of))
	geom.Chunks(len(p.of), 256, func(lo, hi int) {
		for u := lo; u < hi; u++ {
			other[u] = -1
			if p.fixed[u] {
				continue
			}
			b, _, d := tree.NearestOf(skeleton.Mirrored(first[u], plane), sameImage*p.height, nil)
			if b >= 0 && d <= sameImage*p.height && !p.fixed[b] && len(p.of[u]) == len(p.of[b]) {
				other[u] = b
			}
		}
	})
	var out []pair
	for a, b := range other {
		if b < int32(a) || other[b] != int32(a) || !p.boundAlike(a, int(b), partner) {
			continue
		}
		both := slices.Concat(p.joints[a], image(p.joints[b]))
		slices.Sort(both)
		both = slices.Compact(both)
		mirrored := image(both)
		if mirrored == nil || int32(a) == b && !slices.Equal(both, mirrored) {
			continue
		}
		p.joints[a], p.joints[b] = both, mirrored
		x := pair{int32(a), b, make([]int32, len(both))}
		for k, j := range both {
			i, _ := slices.BinarySearch(mirrored, partner[j])
			x.to[k] = int32(i)
		}
		out = append(out, x)
	}
	return out
}

// boundAlike reports whether the weights of two units are each other's mirror image.
func (p *Problem) boundAlike(a, b int, partner []int32) bool {
	left := map[int32]float64{}
	for _, x := range p.w.Of[p.of[a][0]] {
		if partner[x.Joint] < 0 {
			return false
		}
		left[partner[x.Joint]] += x.Value
	}
	for _, x := range p.w.Of[p.of[b][0]] {
		left[x.Joint] -= x.Value
	}
	for _, x := range left {
		if math.Abs(x) > sameBind {
			return false
		}
	}
	return true
}

// mirror gives both units of each pair the mean of what they have.
func (p *Problem) mirror(of [][]float64) {
	for _, x := range p.pairs {
		a, b := of[x.a], of[x.b]
		if x.a == x.b {
			own := slices.Clone(a)
			for k, i := range x.to {
				a[k] = (own[k] + own[i]) / 2
			}
			continue
		}
		for k, i := range x.to {
			mean := (a[k] + b[i]) / 2
			a[k], b[i] = mean, mean
		}
	}
}
