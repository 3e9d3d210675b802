package pose

import (
	"maps"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// BuiltMatrices is SkinMatrices of s in another build: built has its joints where they stand in a body whose vertices are
// moved at rest. What a pose does there comes after what s does to the skin at rest: nothing moves at rest that did not.
func BuiltMatrices(built, s *skeleton.Skeleton, p Pose, b *Binding) [][]geom.Matrix {
	posed := Skin(built, p)
	if b == nil {
		return [][]geom.Matrix{posed}
	}
	out := SkinMatrices(s, nil, b)
	for r := range out {
		at := b.Records[r].Skeleton.Numbers()
		for i, j := range s.Joints {
			k, ok := at[j.Name]
			if !ok || posed[i] == geom.IdentityMatrix {
				continue
			}
			if _, ok := b.Records[r].inverse(k); !ok {
				continue
			}
			if out[r][i] == geom.IdentityMatrix {
				out[r][i] = posed[i]
			} else {
				out[r][i] = posed[i].Mul(out[r][i])
			}
		}
	}
	return out
}

// Carried returns world transforms of the joints of s that move a skin, bound to s, as the joints of another build do in a pose:
// for programs that know of one skeleton only. At rest they are those of s.
func Carried(built, s *skeleton.Skeleton, p Pose) []geom.Matrix {
	out, inverse := World(built, p), InverseBind(built)
	for i, j := range s.Joints {
		out[i] = out[i].Mul(inverse[i]).Mul(geom.Rigid(j.Pos, j.Rot))
	}
	return out
}

// Uncarried is the reverse of Carried for one frame of a motion, of which only the turns about the joints' own axes and how far
// the first root moved are known: what turns the joints of built as the skin was moved, and how far its root moves.
func Uncarried(built, s *skeleton.Skeleton, p Pose, root r3.Vec) (Pose, r3.Vec) {
	out := Pose{}
	carried, posed := make([]quat.Number, len(s.Joints)), make([]quat.Number, len(s.Joints)) // in world
	for i, j := range s.Joints {
		_, q := s.Local(i)
		if turn, ok := p[j.Name]; ok {
			q = quat.Mul(q, geom.Normalise(turn))
		}
		_, own := built.Local(i)
		up := geom.Identity
		if j.Parent >= 0 {
			q, up = quat.Mul(carried[j.Parent], q), posed[j.Parent]
		}
		carried[i] = geom.Normalise(q)
		// The skin about the joint is turned by carried·rest⁻¹, and so is the joint of the build from where it rests.
		posed[i] = geom.Normalise(quat.Mul(carried[i], quat.Mul(quat.Conj(j.Rot), built.Joints[i].Rot)))
		out[j.Name] = geom.Normalise(quat.Mul(quat.Conj(own), quat.Mul(quat.Conj(up), posed[i])))
	}
	if len(s.Joints) > 0 { // the skin about the first root goes from where that rests to root, turning about it
		a, b := s.Joints[0], built.Joints[0]
		turn := quat.Mul(carried[0], quat.Conj(a.Rot))
		at := r3.Add(r3.Add(a.Pos, root), geom.Rotate(turn, r3.Sub(b.Pos, a.Pos)))
		root = r3.Sub(at, b.Pos)
	}
	return out, root
}

// Rebuilt returns the binding of a character whose joints were put where another build has them, with the vertices: what was done
// to the skin at rest is still done. The joints of both are the same, in one order.
func (b *Binding) Rebuilt(before, after *skeleton.Skeleton) *Binding {
	out := b.clone()
	for r := range out.Records {
		rec := &out.Records[r]
		rec.Skeleton = rec.Skeleton.Clone()
		at := rec.Skeleton.Numbers()
		stretch := maps.Clone(rec.Stretch)
		for i, j := range after.Joints {
			was := before.Joints[i]
			k, ok := at[j.Name]
			if !ok || same(was, j) {
				continue
			}
			f := &rec.Skeleton.Joints[k]
			x, stretched := stretch[j.Name]
			if same(*f, was) && !stretched {
				f.Pos, f.Rot = j.Pos, j.Rot
				continue
			}
			// What leads from the vertices at bind to rest is rest·bind⁻¹, and stays: bind becomes bind·rest⁻¹·rest'.
			inverse := quat.Conj(was.Rot)
			place := geom.Rotate(inverse, r3.Sub(j.Pos, was.Pos))
			turn := geom.Normalise(quat.Mul(inverse, j.Rot))
			if stretched {
				place = matrixOf(x).Point(place)
				m := geom.Rigid(r3.Vec{}, quat.Conj(turn)).Mul(matrixOf(x)).Mul(geom.Rigid(r3.Vec{}, turn))
				stretch[j.Name] = [9]float64{m[0], m[1], m[2], m[4], m[5], m[6], m[8], m[9], m[10]}
			}
			f.Pos, f.Rot = r3.Add(f.Pos, geom.Rotate(f.Rot, place)), geom.Normalise(quat.Mul(f.Rot, turn))
		}
		rec.Stretch = stretch
	}
	return out
}
