package deform

import (
	"maps"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"

	"gonum.org/v1/gonum/spatial/r3"
)

// spill is how far a vertex goes that belongs to one bone surely, beyond where that bone and its
// neighbours take it, over what the bone reaches about itself: by the joint that pulls it.
func (c *checking) spill(frame pose.Frame, matrices [][]geom.Matrix, w *scratch) []Fault {
	s := c.s
	turned := make([]int, 0, len(frame.Pose))
	for name := range frame.Pose {
		if i := s.skeleton.Index(name); i >= 0 {
			turned = append(turned, i)
		}
	}
	slices.Sort(turned)
	by := make([]geom.Matrix, len(s.skeleton.Joints)) // of the first record
	for i := range by {
		by[i] = geom.IdentityMatrix
	}
	for k, i := range c.names {
		if i >= 0 {
			by[i] = matrices[0][k]
		}
	}
	type group struct {
		most  float64
		away  float64 // of that, metres
		at    int32
		where []int32
	}
	groups := map[int]*group{}
next:
	for v, h := range c.home {
		if h < 0 || !c.sure[v] {
			continue
		}
		home := by[h]
		if !w.moved[v] && home == geom.IdentityMatrix {
			continue
		}
		for _, i := range turned {
			if r3.Norm2(r3.Sub(s.points[v], s.skeleton.Joints[i].Pos)) < c.reach[i]*c.reach[i] {
				continue next // about a joint that turns the skin is shared
			}
		}
		own := home.Point(w.rest[v])
		d := math.Sqrt(r3.Norm2(r3.Sub(w.posed[v], own)))
		if d > 0.1*c.reach[h] {
			for _, k := range c.near[h] { // between what it and a neighbour want is where a blend lies
				on, _ := geom.ClosestOnSegment(w.posed[v], own, by[k].Point(w.rest[v]))
				d = math.Min(d, r3.Norm(r3.Sub(w.posed[v], on)))
			}
		}
		away := d
		if d /= c.reach[h]; d <= 0.1*faultLimits[FaultSpill] {
			continue
		}
		puller := c.puller(int32(v), by)
		g := groups[puller]
		if g == nil {
			g = &group{}
			groups[puller] = g
		}
		g.where = append(g.where, int32(v))
		if d > g.most {
			g.most, g.at, g.away = d, int32(v), away
		}
	}
	var out []Fault
	for _, puller := range slices.Sorted(maps.Keys(groups)) {
		g := groups[puller]
		f := c.fault(FaultSpill, g.most, g.at, w, g.where, c.pulling(g.at, by))
		f.Away = g.away
		if puller >= 0 {
			f.Far = c.toBone(puller, s.points[g.at])
		}
		out = append(out, *f)
	}
	return out
}

// puller is the joint that takes a vertex away most, -1 where its own bone's neighbours do.
func (c *checking) puller(v int32, by []geom.Matrix) int {
	h := c.home[v]
	own := by[h].Point(c.s.points[v])
	best, at := 0.0, -1
	for _, x := range c.s.weights.Of[v] {
		i := c.names[x.Joint]
		if i < 0 || i == int(h) || slices.Contains(c.near[h], int32(i)) {
			continue
		}
		if pull := x.Value * r3.Norm(r3.Sub(by[i].Point(c.s.points[v]), own)); pull > best {
			best, at = pull, i
		}
	}
	return at
}

// pulling are the joints that take a vertex away from where its own bone takes it, by their weight and how
// far they would.
func (c *checking) pulling(v int32, by []geom.Matrix) []Blame {
	h := c.home[v]
	own := by[h].Point(c.s.points[v])
	return c.shared(v, func(i int) float64 {
		if i == int(h) || slices.Contains(c.near[h], int32(i)) {
			return 0
		}
		return r3.Norm(r3.Sub(by[i].Point(c.s.points[v]), own))
	})
}
