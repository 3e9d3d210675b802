package solve

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// refit moves helper joints from a number on, and fits their shares, to where the present weights come closest to the
// guide, which tells where vertices should be in a pose: a step of Gauss and Newton for each, pairs alike.
func (p *Problem) refit(
	s *skeleton.Skeleton,
	from int,
	poses []pose.Pose,
	guide func(pose int, vertices []int32) []r3.Vec,
) *skeleton.Skeleton {
	helpers := s.Helpers()
	helpers = slices.DeleteFunc(helpers, func(i int) bool { return i < from })
	now := p.weights()
	matrices := make([][]geom.Matrix, len(poses))
	column := map[int]int32{}
	for k, i := range p.numbers {
		column[int(i)] = int32(k)
	}
	for k, p := range poses {
		matrices[k] = pose.Skin(s, p)
	}
	steps := make([][4]float64, len(helpers))
	geom.Chunks(len(helpers), 1, func(n, _ int) {
		i := helpers[n]
		h := s.Joints[i].Helper
		d := s.Index(h.Driver)
		var vertices []int32
		var shares, mass []float64
		for v, list := range now.Of {
			for _, x := range list {
				if x.Joint == column[i] && x.Value > partly {
					vertices, shares = append(vertices, int32(v)), append(shares, x.Value)
					u := p.by[v]
					mass = append(mass, p.mass[u]/float64(len(p.of[u])))
				}
			}
		}
		a, b := mat.NewSymDense(4, nil), mat.NewVecDense(4, nil)
		for k, posed := range poses {
			q, ok := posed[h.Driver]
			if !ok {
				continue
			}
			turn := s.Driven(i, d, q)
			turn = quat.Mul(s.Joints[i].Rot, quat.Mul(turn, quat.Conj(s.Joints[i].Rot))) // about the world's axes at rest
			angle := 2 * math.Atan2(math.Sqrt(turn.Imag*turn.Imag+turn.Jmag*turn.Jmag+turn.Kmag*turn.Kmag), turn.Real)
			if angle < 1e-6 {
				continue
			}
			axis := r3.Unit(r3.Vec{X: turn.Imag, Y: turn.Jmag, Z: turn.Kmag})
			up := matrices[k][s.Joints[i].Parent]
			places := guide(k, vertices)
			for e, v := range vertices {
				x := p.points[v]
				var at r3.Vec
				for _, y := range now.Of[v] {
					to := x
					if j := p.numbers[y.Joint]; j >= 0 {
						to = matrices[k][j].Point(x)
					}
					at = r3.Add(at, r3.Scale(y.Value, to))
				}
				r := r3.Sub(places[e], at)
				// What the place of the pivot and the share do: the columns of the residual.
				var col [4]r3.Vec
				if !h.Twist {
					for c, unit := range [3]r3.Vec{{X: 1}, {Y: 1}, {Z: 1}} {
						col[c] = r3.Scale(shares[e], up.Direction(r3.Sub(unit, geom.Rotate(turn, unit))))
					}
				}
				arm := geom.Rotate(turn, r3.Sub(x, s.Joints[i].Pos))
				col[3] = r3.Scale(shares[e]*angle/h.Share, up.Direction(r3.Cross(axis, arm)))
				for c := range col {
					for c2 := c; c2 < 4; c2++ {
						a.SetSym(c, c2, a.At(c, c2)+mass[e]*r3.Dot(col[c], col[c2]))
					}
					b.SetVec(c, b.AtVec(c)+mass[e]*r3.Dot(col[c], r))
				}
			}
		}
		trace := (a.At(0, 0) + a.At(1, 1) + a.At(2, 2)) / 3
		for c := range 3 { // along the axis nothing is told
			a.SetSym(c, c, a.At(c, c)+0.01*trace+1e-12)
		}
		a.SetSym(3, 3, a.At(3, 3)*1.001+1e-12)
		var x mat.VecDense
		var chol mat.Cholesky
		if chol.Factorize(a) && chol.SolveVecTo(&x, b) == nil {
			for c := range 4 {
				steps[n][c] = x.AtVec(c)
			}
		}
	})
	out := s.Clone()
	for n, i := range helpers {
		j := &out.Joints[i]
		h := *j.Helper
		driver := s.Joints[s.Index(h.Driver)]
		j.Pos = r3.Add(j.Pos, r3.Vec{X: steps[n][0], Y: steps[n][1], Z: steps[n][2]})
		most := 0.0
		if driver.Parent >= 0 {
			most = farAway * r3.Norm(r3.Sub(driver.Pos, s.Joints[driver.Parent].Pos))
		}
		if way := r3.Sub(j.Pos, driver.Pos); !h.Twist && r3.Norm(way) > most {
			j.Pos = r3.Add(driver.Pos, r3.Scale(most/r3.Norm(way), way))
		}
		h.Share = math.Copysign(min(max(math.Abs(h.Share+steps[n][3]), leastShare), mostShare), h.Share)
		j.Helper = &h
	}
	plane, pairs := s.MirrorPlane(p.o.Marks), s.Pairs(p.o.Marks)
	for _, i := range helpers {
		k := pairs.Partner[i]
		if k <= i || out.Joints[k].Helper == nil {
			continue
		}
		a, b := &out.Joints[i], &out.Joints[k]
		// Pairs stay as alike as their drivers are.
		da, db := s.Joints[s.Index(a.Helper.Driver)].Pos, s.Joints[s.Index(b.Helper.Driver)].Pos
		mean := r3.Scale(0.5, r3.Add(r3.Sub(a.Pos, da), r3.Sub(skeleton.Mirrored(b.Pos, plane), skeleton.Mirrored(db, plane))))
		a.Pos = r3.Add(da, mean)
		b.Pos = skeleton.Mirrored(r3.Add(skeleton.Mirrored(db, plane), mean), plane)
		share := (a.Helper.Share + b.Helper.Share) / 2
		a.Helper.Share, b.Helper.Share = share, share
	}
	return out
}
