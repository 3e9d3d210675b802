package fit

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Snap lays a starter over the joints of an existing skeleton: names says which
// joint of the starter (key) stands on which of theirs. Joints of the starter that
// no pair names are carried along and returned as missing, such as finger ends
// and toe tips, to be placed by hand or in the volume.
func Snap(p skeleton.Params, theirs *skeleton.Skeleton, names map[string]string) (s *skeleton.Skeleton, missing []string, err error) {
	starter, err := p.Build()
	if err != nil {
		return nil, nil, err
	}
	box := geom.EmptyBox()
	for _, j := range theirs.Joints {
		box = box.Add(j.Pos)
	}
	f := &fitter{joints: map[string]placed{}, floor: box.Min.Y, height: box.Size().Y}
	for _, j := range starter.Joints {
		if other, ok := names[j.Name]; ok {
			if k := theirs.Index(other); k >= 0 {
				f.put(j.Name, theirs.Joints[k].Pos, 1, "matches "+other)
				continue
			}
		}
		missing = append(missing, j.Name)
	}
	if len(missing) == len(starter.Joints) {
		return nil, missing, skeleton.NoJointError("that the map names")
	}
	f.carry(starter)
	s = starter.Clone()
	for i := range s.Joints {
		q := f.joints[s.Joints[i].Name]
		s.Joints[i].Pos, s.Joints[i].Confidence, s.Joints[i].Reason = q.at, q.confidence, q.reason
	}
	return s, missing, nil
}

// Follow moves joints along with a surface that has changed shape but not its
// vertices' order: each joint keeps its relation to the vertices around it, by the
// affine map that fits their moves best, near ones counting most (moving least
// squares, Schaefer, McPhail, Warren 2006, in three dimensions, weights 1/d⁴).
// Points are in world frame.
func Follow(s *skeleton.Skeleton, before, after []r3.Vec) *skeleton.Skeleton {
	out := s.Clone()
	geom.Chunks(len(s.Joints), 1, func(i, _ int) {
		if !s.Joints[i].Pinned {
			out.Joints[i].Pos = follow(s.Joints[i].Pos, before, after)
		}
	})
	return out
}

func follow(p r3.Vec, before, after []r3.Vec) r3.Vec {
	var mp, mq r3.Vec
	total := 0.0
	w := make([]float64, len(before))
	for i, b := range before {
		d2 := r3.Norm2(r3.Sub(b, p)) + 1e-12
		w[i] = 1 / (d2 * d2)
		total += w[i]
		mp = r3.Add(mp, r3.Scale(w[i], b))
		mq = r3.Add(mq, r3.Scale(w[i], after[i]))
	}
	if total == 0 {
		return p
	}
	mp, mq = r3.Scale(1/total, mp), r3.Scale(1/total, mq)
	a, b := mat.NewDense(3, 3, nil), mat.NewDense(3, 3, nil)
	for i := range before {
		x, y := r3.Sub(before[i], mp), r3.Sub(after[i], mq)
		u, v := [3]float64{x.X, x.Y, x.Z}, [3]float64{y.X, y.Y, y.Z}
		for r := range 3 {
			for c := range 3 {
				a.Set(r, c, a.At(r, c)+w[i]*u[r]*u[c])
				b.Set(r, c, b.At(r, c)+w[i]*u[r]*v[c])
			}
		}
	}
	var m mat.Dense
	if err := m.Solve(a, b); err != nil { // all in one plane: moved along only
		return r3.Add(mq, r3.Sub(p, mp))
	}
	d := r3.Sub(p, mp)
	row := func(c int) float64 { return d.X*m.At(0, c) + d.Y*m.At(1, c) + d.Z*m.At(2, c) }
	return r3.Add(mq, r3.Vec{X: row(0), Y: row(1), Z: row(2)})
}
