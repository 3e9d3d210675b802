package pose

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Binding is how the skin was bound: the pose of the joints at that time. The mesh is
// stored as it stood then, so that a vertex stands at
//
//	Σ weight · Now(joint) · Bind(joint)⁻¹ · vertex
//
// (the skinning equation of glTF 2.0, 3.7.3). One record is usual; characters that came in
// files may have pieces that were bound in different poses.
type Binding struct {
	Records []Record `json:"records"`
	// Of is the record of each vertex; nil: all are of the first.
	Of []uint8 `json:"of,omitempty"`
}

// MaxRecords is how many poses may be recorded.
const MaxRecords = 64

// Record is a pose that pieces were bound in: world places and turns of the joints, and
// from which they hung.
type Record struct {
	Name     string             `json:"name"`
	Skeleton *skeleton.Skeleton `json:"skeleton"`
	// Stretch is, of joints whose matrix in a file was not rigid, what scales or shears
	// before the turn, by columns.
	Stretch map[string][9]float64 `json:"stretch,omitempty"`
}

// Recorded returns the binding of a skin that is bound to a skeleton as it stands.
func Recorded(s *skeleton.Skeleton) *Binding {
	return &Binding{Records: []Record{{Name: "bind", Skeleton: s}}}
}

// Validate reports a vertex of a record that is not there, or a record that is none.
func (b *Binding) Validate(vertices int) error {
	switch {
	case len(b.Records) == 0 || len(b.Records) > MaxRecords:
		return fmt.Errorf("there are %d records of the bind pose, and may be 1 to %d", len(b.Records), MaxRecords)
	case b.Of != nil && len(b.Of) != vertices:
		return fmt.Errorf("the bind pose is recorded for %d vertices of %d", len(b.Of), vertices)
	}
	for i, r := range b.Records {
		if r.Skeleton == nil {
			return fmt.Errorf("record %d of the bind pose has no joints", i)
		}
		if err := r.Skeleton.WithoutRules().Validate(); err != nil { // it says where joints stood, not how they turn
			return fmt.Errorf("record %d of the bind pose: %w", i, err)
		}
		for name, m := range r.Stretch {
			for _, v := range m {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					return fmt.Errorf("record %d of the bind pose: the matrix of %q is not a valid matrix", i, name)
				}
			}
		}
	}
	for v, i := range b.Of {
		if int(i) >= len(b.Records) {
			return fmt.Errorf("vertex %d is of record %d of the bind pose, and there are %d", v, i, len(b.Records))
		}
	}
	return nil
}

// RecordOf returns the number of the record of a vertex.
func (b *Binding) RecordOf(v int) int {
	if b.Of == nil {
		return 0
	}
	return int(b.Of[v])
}

// inverse returns the matrix that takes world places at bind into the frame of joint k;
// false where there is none.
func (r *Record) inverse(k int) (geom.Matrix, bool) {
	j := r.Skeleton.Joints[k]
	inv := quat.Conj(j.Rot)
	back := geom.Rigid(r3.Scale(-1, geom.Rotate(inv, j.Pos)), inv)
	x, ok := r.Stretch[j.Name]
	if !ok {
		return back, true
	}
	m, ok := matrixOf(x).Inverse()
	return m.Mul(back), ok
}

// matrixOf returns three columns as an affine map.
func matrixOf(m [9]float64) geom.Matrix {
	return geom.Matrix{m[0], m[1], m[2], 0, m[3], m[4], m[5], 0, m[6], m[7], m[8], 0, 0, 0, 0, 1}
}

// same reports whether a joint stands just as it was recorded, to the last bit.
func same(a, b skeleton.Joint) bool { return a.Pos == b.Pos && a.Rot == b.Rot }

// SkinMatrices returns for each record the matrices of the joints of s, in its order, from
// the mesh as it was bound to the pose: exactly the identity for a joint that stands as it
// was recorded. A joint that a record lacks, or whose matrix cannot be inverted, leaves the
// skin where it is. A nil b is a skin that follows s from where it stands.
func SkinMatrices(s *skeleton.Skeleton, p Pose, b *Binding) [][]geom.Matrix {
	return skinMatrices(s, p, b, lengthens(s, p))
}

// MovedMatrices is SkinMatrices without what lengthened joints do to their own skin: they move only what
// hangs from them, as in files.
func MovedMatrices(s *skeleton.Skeleton, p Pose, b *Binding) [][]geom.Matrix {
	return skinMatrices(s, p, b, nil)
}

func skinMatrices(s *skeleton.Skeleton, p Pose, b *Binding, long *lengthening) [][]geom.Matrix {
	if b == nil {
		return [][]geom.Matrix{skin(s, p, long)}
	}
	world := World(s, p)
	turned := turnedBy(s, p)
	for i := range world {
		if m, yes := long.skin(s, i); yes {
			world[i] = world[i].Mul(m)
		}
	}
	out := make([][]geom.Matrix, len(b.Records))
	for r := range b.Records {
		rec := &b.Records[r]
		at := rec.Skeleton.Numbers()
		list := make([]geom.Matrix, len(s.Joints))
		for i, j := range s.Joints {
			list[i] = geom.IdentityMatrix
			k, ok := at[j.Name]
			if !ok {
				continue
			}
			if _, stretched := rec.Stretch[j.Name]; !stretched && !turned[i] && same(j, rec.Skeleton.Joints[k]) {
				continue
			}
			if inv, ok := rec.inverse(k); ok {
				list[i] = world[i].Mul(inv)
			}
		}
		out[r] = list
	}
	return out
}

// turnedBy returns which joints a pose moves.
func turnedBy(s *skeleton.Skeleton, p Pose) []bool {
	out := make([]bool, len(s.Joints))
	for i, j := range s.Joints {
		q, ok := turnOf(s, p, i)
		out[i] = ok && q != quat.Number{Real: 1} || j.Parent >= 0 && out[j.Parent]
	}
	return out
}

// InverseBind returns the inverse bind matrices of record r for the joints of s, in its
// order. A joint that the record lacks gets its own place: nothing follows it.
func (b *Binding) InverseBind(s *skeleton.Skeleton, r int) []geom.Matrix {
	out := InverseBind(s)
	rec := &b.Records[r]
	at := rec.Skeleton.Numbers()
	for i, j := range s.Joints {
		if k, ok := at[j.Name]; ok {
			if inv, ok := rec.inverse(k); ok {
				out[i] = inv
			}
		}
	}
	return out
}

// Still reports whether there is one record and s stands in it, to the last bit.
func (b *Binding) Still(s *skeleton.Skeleton) bool {
	if s == nil || len(b.Records) != 1 || len(b.Records[0].Stretch) > 0 {
		return false
	}
	at := b.Records[0].Skeleton.Numbers()
	for _, j := range s.Joints {
		if k, ok := at[j.Name]; !ok || !same(j, b.Records[0].Skeleton.Joints[k]) {
			return false
		}
	}
	return true
}

// TurnedLimit is the angle in degrees from which a joint counts as turned since the bind.
const TurnedLimit = 0.01

// MovedLimit is the length in metres from which a joint counts as moved since the bind.
func MovedLimit(s *skeleton.Skeleton) float64 {
	return geom.NearShare * math.Max(s.Height(), s.Size())
}

// Drift is how a joint stands beside its record.
type Drift struct {
	Joint    string  `json:"joint"`
	Record   int     `json:"record"`
	Distance float64 `json:"distance"` // metres from where it was bound
	Degrees  float64 `json:"degrees"`  // turned since
	Stretch  float64 `json:"stretch"`  // how far its matrix is from a rigid one: the largest scale or shear, 0 for rigid
	Singular bool    `json:"singular"` // its matrix cannot be inverted
	Missing  bool    `json:"missing"`  // the record lacks it
	Hung     bool    `json:"hung"`     // it hung from another joint
}

// Off reports whether the joint stands elsewhere or is turned, by more than a length in
// metres or an angle in degrees.
func (d Drift) Off(distance, degrees float64) bool {
	return d.Distance > distance || d.Degrees > degrees
}

// Drifts compares the joints of s with a record, in the order of s.
func (b *Binding) Drifts(s *skeleton.Skeleton, r int) []Drift {
	rec := &b.Records[r]
	at := rec.Skeleton.Numbers()
	out := make([]Drift, len(s.Joints))
	for i, j := range s.Joints {
		d := Drift{Joint: j.Name, Record: r}
		k, ok := at[j.Name]
		if !ok {
			d.Missing = true
			out[i] = d
			continue
		}
		was := rec.Skeleton.Joints[k]
		d.Distance, d.Degrees = r3.Norm(r3.Sub(j.Pos, was.Pos)), geom.Angle(j.Rot, was.Rot)*180/math.Pi
		up := j.Parent // the nearest that the record has
		for up >= 0 {
			if _, has := at[s.Joints[up].Name]; has {
				break
			}
			up = s.Joints[up].Parent
		}
		d.Hung = nameOf(s, up) != nameOf(rec.Skeleton, was.Parent)
		if x, ok := rec.Stretch[j.Name]; ok {
			_, inverts := matrixOf(x).Inverse()
			d.Singular = !inverts
			d.Stretch = offRigid(x)
		}
		out[i] = d
	}
	return out
}

func nameOf(s *skeleton.Skeleton, i int) string {
	if i < 0 {
		return ""
	}
	return s.Joints[i].Name
}

// offRigid returns how far three columns are from square and of length 1.
func offRigid(m [9]float64) float64 {
	a, b, c := r3.Vec{X: m[0], Y: m[1], Z: m[2]}, r3.Vec{X: m[3], Y: m[4], Z: m[5]}, r3.Vec{X: m[6], Y: m[7], Z: m[8]}
	off := 0.0
	for _, v := range []float64{r3.Norm(a) - 1, r3.Norm(b) - 1, r3.Norm(c) - 1, r3.Dot(a, b), r3.Dot(b, c), r3.Dot(c, a)} {
		off = math.Max(off, math.Abs(v))
	}
	if r3.Dot(r3.Cross(a, b), c) < 0 {
		off = math.Max(off, 2) // mirrored
	}
	return off
}

// clone returns a copy whose records may be written to.
func (b *Binding) clone() *Binding {
	out := &Binding{Records: slices.Clone(b.Records), Of: b.Of}
	return out
}

// Rerecorded returns the binding with the given joints (nil: all) of every record as they
// stand in s, without stretch: the skin keeps its weights and follows them from there.
// All joints make one record.
func (b *Binding) Rerecorded(s *skeleton.Skeleton, joints []string) *Binding {
	if joints == nil {
		return Recorded(s)
	}
	chosen := map[string]bool{}
	for _, n := range joints {
		chosen[n] = true
	}
	out := b.clone()
	for r := range out.Records {
		rec := &out.Records[r]
		was := rec.Skeleton.Numbers()
		// The joints of the record in the order and the hierarchy of s, so that one that hangs
		// elsewhere now can be recorded; what is not in s follows behind.
		next := &skeleton.Skeleton{}
		number := map[string]int{}
		for _, j := range s.Joints {
			k, had := was[j.Name]
			if !had && !chosen[j.Name] {
				continue
			}
			// The nearest that is recorded, as it hangs now.
			parent, fresh := -1, false
			for p := j.Parent; p >= 0; p = s.Joints[p].Parent {
				if at, ok := number[s.Joints[p].Name]; ok {
					_, before := was[s.Joints[p].Name]
					parent, fresh = at, !before
					break
				}
			}
			if had && !chosen[j.Name] {
				j = rec.Skeleton.Joints[k]
				if !fresh { // as it hung; from a joint that is new in the record as it hangs
					up := j.Parent
					parent = -1
					if up >= 0 {
						if at, ok := number[rec.Skeleton.Joints[up].Name]; ok {
							parent = at
						}
					}
				}
			}
			j.Parent = parent
			number[j.Name] = len(next.Joints)
			next.Joints = append(next.Joints, j)
		}
		rec.Skeleton = next
		if rec.Stretch != nil {
			left := map[string][9]float64{}
			for name, m := range rec.Stretch {
				if !chosen[name] {
					left[name] = m
				}
			}
			rec.Stretch = left
		}
	}
	return out
}

// Reoriented returns the binding after the joints got other axes in place: each frame is
// turned as its joint was, so that the skin stays where it is in every pose of the world.
func (b *Binding) Reoriented(before, after *skeleton.Skeleton) *Binding {
	out := b.clone()
	for r := range out.Records {
		rec := &out.Records[r]
		rec.Skeleton = rec.Skeleton.Clone()
		at := rec.Skeleton.Numbers()
		var stretch map[string][9]float64
		for i, j := range after.Joints {
			was := before.Joints[i]
			k, ok := at[j.Name]
			if !ok || was.Rot == j.Rot {
				continue
			}
			f := &rec.Skeleton.Joints[k]
			turn := quat.Mul(quat.Conj(was.Rot), j.Rot)
			if f.Rot == was.Rot {
				f.Rot = j.Rot
			} else {
				f.Rot = geom.Normalise(quat.Mul(f.Rot, turn))
			}
			if x, ok := rec.Stretch[j.Name]; ok {
				// Bind = R·S and wants R·S·turn = (R·turn)·(turn⁻¹·S·turn).
				if stretch == nil {
					stretch = map[string][9]float64{}
					for n, m := range rec.Stretch {
						stretch[n] = m
					}
				}
				m := geom.Rigid(r3.Vec{}, quat.Conj(turn)).Mul(matrixOf(x)).Mul(geom.Rigid(r3.Vec{}, turn))
				stretch[j.Name] = [9]float64{m[0], m[1], m[2], m[4], m[5], m[6], m[8], m[9], m[10]}
			}
		}
		if stretch != nil {
			rec.Stretch = stretch
		}
	}
	return out
}

// Restored returns s with its joints where record r has them, in the hierarchy of s. Joints
// that the record lacks go along with the one that they hang from.
func (b *Binding) Restored(s *skeleton.Skeleton, r int) *skeleton.Skeleton {
	rec := &b.Records[r]
	at := rec.Skeleton.Numbers()
	out := s.Clone()
	for i := range out.Joints {
		j := &out.Joints[i]
		if k, ok := at[j.Name]; ok {
			j.Pos, j.Rot = rec.Skeleton.Joints[k].Pos, rec.Skeleton.Joints[k].Rot
			continue
		}
		if j.Parent < 0 {
			continue
		}
		was, now := s.Joints[j.Parent], out.Joints[j.Parent]
		if same(was, now) {
			continue
		}
		t, q := s.Local(i)
		j.Pos, j.Rot = r3.Add(now.Pos, geom.Rotate(now.Rot, t)), geom.Normalise(quat.Mul(now.Rot, q))
	}
	return out
}

// Unified returns the binding with all vertices in record r alone.
func (b *Binding) Unified(r int) *Binding {
	return &Binding{Records: []Record{b.Records[r]}}
}

// Used returns how many vertices each record has; vertices is how many there are.
func (b *Binding) Used(vertices int) []int {
	out := make([]int, len(b.Records))
	if b.Of == nil {
		out[0] = vertices
		return out
	}
	for _, r := range b.Of {
		out[r]++
	}
	return out
}

// Pruned returns the binding without records that no vertex uses. The first stays where
// there is no vertex at all.
func (b *Binding) Pruned(vertices int) *Binding {
	used := b.Used(vertices)
	to := make([]uint8, len(used))
	out := &Binding{}
	for r, n := range used {
		if n > 0 || vertices == 0 && r == 0 {
			to[r] = uint8(len(out.Records))
			out.Records = append(out.Records, b.Records[r])
		}
	}
	if len(out.Records) > 1 {
		out.Of = make([]uint8, len(b.Of))
		for v, r := range b.Of {
			out.Of[v] = to[r]
		}
	}
	return out
}

// Gathered returns the binding of a mesh whose vertices come from the old ones by origin;
// -1 is none.
func (b *Binding) Gathered(origin []int32) *Binding {
	if b.Of == nil {
		return b
	}
	out := &Binding{Records: b.Records, Of: make([]uint8, len(origin))}
	for v, o := range origin {
		if o >= 0 {
			out.Of[v] = b.Of[o]
		}
	}
	return out
}

// Renamed returns the binding with joints under other names (new by old).
func (b *Binding) Renamed(names map[string]string) *Binding {
	if len(names) == 0 {
		return b
	}
	out := b.clone()
	for r := range out.Records {
		rec := &out.Records[r]
		rec.Skeleton = rec.Skeleton.Clone()
		stretch := map[string][9]float64{}
		for k := range rec.Skeleton.Joints {
			j := &rec.Skeleton.Joints[k]
			old := j.Name
			if n, ok := names[old]; ok {
				j.Name = n
			}
			if x, ok := rec.Stretch[old]; ok {
				stretch[j.Name] = x
			}
		}
		if len(stretch) > 0 {
			rec.Stretch = stretch
		}
	}
	return out
}

// Without returns the binding without joints; what hung from them hangs from what they
// hung from.
func (b *Binding) Without(gone map[string]string) *Binding {
	if len(gone) == 0 {
		return b
	}
	out := b.clone()
	for r := range out.Records {
		rec := &out.Records[r]
		next := &skeleton.Skeleton{}
		number := make([]int, len(rec.Skeleton.Joints))
		for k, j := range rec.Skeleton.Joints {
			parent := -1
			if j.Parent >= 0 {
				parent = number[j.Parent]
			}
			if _, out := gone[j.Name]; out {
				number[k] = parent
				continue
			}
			j.Parent = parent
			number[k] = len(next.Joints)
			next.Joints = append(next.Joints, j)
		}
		if len(next.Joints) > 0 {
			rec.Skeleton = next
		}
	}
	return out
}

// Transform returns the binding of a character that is brought elsewhere by a similarity,
// whose turn is given.
func (b *Binding) Transform(to geom.Matrix, turn quat.Number) *Binding {
	out := b.clone()
	for r := range out.Records {
		out.Records[r].Skeleton = out.Records[r].Skeleton.Transform(to, turn)
	}
	return out
}

// Rerested returns a clip about the world's axes for the same skeleton in another rest
// pose: it shows the same poses.
func (c *Clip) Rerested(before, after *skeleton.Skeleton) *Clip {
	out := &Clip{Name: c.Name, Step: c.Step, Joints: make([]string, len(after.Joints)), Root: slices.Clone(c.Root)}
	number := map[string]int{}
	for k, n := range c.Joints {
		number[n] = k
	}
	n := len(after.Joints)
	local := make([]quat.Number, n) // L'⁻¹·L
	var root = -1
	for i, j := range after.Joints {
		out.Joints[i] = j.Name
		_, was := before.Local(i)
		_, now := after.Local(i)
		local[i] = quat.Mul(quat.Conj(now), was)
		if j.Parent < 0 && root < 0 {
			root = i
		}
	}
	for f, list := range c.Turns {
		row := make([]quat.Number, n)
		for i, j := range after.Joints {
			own := geom.Identity
			if k, ok := number[j.Name]; ok { // about the joint's own axes at the earlier rest
				own = quat.Mul(quat.Conj(before.Joints[i].Rot), quat.Mul(list[k], before.Joints[i].Rot))
			}
			turn := quat.Mul(local[i], own)
			row[i] = like(quat.Mul(j.Rot, quat.Mul(turn, quat.Conj(j.Rot))), own)
		}
		out.Turns = append(out.Turns, row)
		if root >= 0 {
			out.Root[f] = r3.Add(c.Root[f], r3.Sub(before.Joints[root].Pos, after.Joints[root].Pos))
		}
	}
	return out
}
