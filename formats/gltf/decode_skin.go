package gltf

import (
	"encoding/json"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// skeleton reads the joints of all skins, or of all nodes in a file without skin and mesh.
func (d *decoder) skeleton() error {
	var nodes []int
	in := map[int]bool{}
	sum, shared := 0, 0
	for k, s := range d.doc.Skins {
		where, own := fmt.Sprintf("skin %d", k), map[int]bool{}
		sum += len(s.Joints)
		if err := reading.Most("joints of all skins", sum, 10*d.limits.Joints); err != nil {
			return fmt.Errorf("%s: %w", where, err)
		}
		for _, i := range s.Joints {
			if i < 0 || i >= len(d.doc.Nodes) || own[i] {
				return reading.At(where, "joint %d does not exist or is named twice", i)
			}
			own[i] = true
			if in[i] {
				shared++
				continue
			}
			in[i] = true
			nodes = append(nodes, i)
		}
	}
	if n := len(d.doc.Skins); n > 1 {
		d.scene.Notes = append(d.scene.Notes, fmt.Sprintf("%d skins share %d joints; they become one skeleton", n, shared))
	}
	if len(d.doc.Skins) == 0 && len(d.doc.Meshes) == 0 {
		for i := range d.doc.Nodes {
			nodes = append(nodes, i)
			in[i] = true
		}
	}
	if len(nodes) == 0 {
		return nil
	}
	if err := reading.Most("joints", len(nodes), d.limits.Joints); err != nil {
		return fmt.Errorf("skin 0: %w", err)
	}
	s := &skeleton.Skeleton{}
	d.jointOf = map[int]int32{}
	names := reading.Names{}
	scaled, mirrored := 0, 0
	var add func(i int)
	add = func(i int) {
		if _, ok := d.jointOf[i]; ok {
			return
		}
		parent := -1
		for p := d.parent[i]; p >= 0; p = d.parent[p] {
			if in[p] {
				add(p)
				parent = int(d.jointOf[p])
				break
			}
		}
		t, q, scale := d.world[i].Decompose()
		if math.Abs(math.Abs(scale.X)-1)+math.Abs(scale.Y-1)+math.Abs(scale.Z-1) > 1e-3 {
			scaled++
		}
		if d.world[i].Determinant() < 0 {
			mirrored++
		}
		name := d.doc.Nodes[i].Name
		if name == "" {
			name = fmt.Sprintf("joint_%d", i)
		}
		name = names.Own(name)
		d.jointOf[i] = int32(len(s.Joints))
		j := skeleton.Joint{Name: name, Parent: parent, Pos: t, Rot: q}
		if x := d.doc.Nodes[i].Extras; x != nil {
			var r ruled
			if json.Unmarshal(x, &r) == nil && r.Helper != nil { // what others say there is theirs
				j.Helper = r.Helper
			}
		}
		s.Joints = append(s.Joints, j)
	}
	for _, i := range nodes {
		add(i)
	}
	if list := s.Helpers(); len(list) > 0 {
		if err := s.Validate(); err != nil {
			s = s.WithoutRules()
			d.scene.Notes = append(
				d.scene.Notes,
				fmt.Sprintf("%d joints have rules that cannot be followed, and are joints like any others: %v", len(list), err),
			)
		}
	}
	if scaled > 0 {
		d.scene.Notes = append(d.scene.Notes, fmt.Sprintf("%d joints had a scale: positions kept, scale set to 1", scaled))
	}
	if mirrored > 0 {
		d.scene.Notes = append(d.scene.Notes, fmt.Sprintf("%d joints carried a negative scale; they are not mirrored any more", mirrored))
	}
	d.roots()
	if err := s.Validate(); err != nil {
		return reading.At("skin 0", "%v", err)
	}
	d.scene.Skeleton = s
	return nil
}

// roots notes joints that hang outside the root that their skin names.
func (d *decoder) roots() {
	for k, s := range d.doc.Skins {
		if s.Root == nil {
			continue
		}
		outside := 0
		for _, i := range s.Joints {
			under := false
			for p := i; p >= 0 && !under; p = d.parent[p] {
				under = p == *s.Root
			}
			if !under {
				outside++
			}
		}
		if outside > 0 {
			d.scene.Notes = append(d.scene.Notes, fmt.Sprintf("%d joints of skin %d are outside the root it names", outside, k))
		}
	}
}

const (
	// bindLimit is how far, over the size of the character, a joint's frame at bind and at
	// rest may differ to count as one: what single floats in a file leave.
	bindLimit = 2e-5
	// rigidLimit is how far a matrix may be from a rigid one to count as that.
	rigidLimit = 1e-4
)

// bindPose reads the inverse bind matrices: what the skin is drawn with is
//
//	Now(joint) · InverseBind(joint) · vertex
//
// (glTF 2.0, 3.7.3.3). Vertices of a skin are brought to where its first joint with weights
// puts them, which takes away the frame and the unit that the whole was bound in; what is
// left over is how the joints have moved since. A skin whose joints all stand as they were
// bound has a record that is just the skeleton.
func (d *decoder) bindPose() error {
	m, s := d.scene.Mesh, d.scene.Skeleton
	if d.scene.Weights == nil || s == nil {
		return nil
	}
	used := make([][]bool, len(d.doc.Skins))
	for v, k := range d.skinOf {
		if k < 0 {
			continue
		}
		if used[k] == nil {
			used[k] = make([]bool, len(s.Joints))
		}
		for _, x := range d.scene.Weights.Of[v] {
			used[k][x.Joint] = true
		}
	}
	b := &pose.Binding{}
	recordOf := make([]int, len(d.doc.Skins))
	brought := make([]geom.Matrix, len(d.doc.Skins))
	moved, crowded := false, 0
	ignored := 0
	for _, n := range d.doc.Nodes {
		if n.Mesh != nil && n.Skin != nil && (n.Translation != nil || n.Rotation != nil || n.Scale != nil || n.Matrix != nil) {
			ignored++
		}
	}
	if ignored > 0 {
		d.scene.Notes = append(
			d.scene.Notes,
			wording.Count(ignored, "skinned mesh is", "skinned meshes are")+" under nodes with a transform, which glTF ignores",
		)
	}
	for k := range d.doc.Skins {
		brought[k] = geom.IdentityMatrix
		if used[k] == nil {
			continue
		}
		rec, to, err := d.record(k, used[k])
		if err != nil {
			return err
		}
		brought[k] = to
		moved = moved || to != geom.IdentityMatrix
		recordOf[k] = joinRecord(b, rec)
		if recordOf[k] < 0 {
			recordOf[k] = 0
			crowded++
		}
	}
	if crowded > 0 {
		d.scene.Notes = append(
			d.scene.Notes,
			fmt.Sprintf("%d more bind poses than the %d kept: treated as the first", crowded, pose.MaxRecords),
		)
	}
	if len(b.Records) == 0 {
		return nil
	}
	if len(b.Records) > 1 {
		b.Of = make([]uint8, len(m.Points))
		for v, k := range d.skinOf {
			if k >= 0 {
				b.Of[v] = uint8(recordOf[k])
			}
		}
	}
	if err := b.Validate(len(m.Points)); err != nil {
		return reading.At("skins", "%v", err)
	}
	d.scene.Binding = b
	if moved {
		return d.bring(m, brought)
	}
	return nil
}

// record returns what skin k says of the pose that it was bound in, and the matrix that its
// vertices are brought by.
func (d *decoder) record(k int, used []bool) (pose.Record, geom.Matrix, error) {
	s, sk := d.scene.Skeleton, d.doc.Skins[k]
	where := fmt.Sprintf("skin %d", k)
	inverse := make([]geom.Matrix, len(sk.Joints))
	for i := range inverse {
		inverse[i] = geom.IdentityMatrix
	}
	if sk.InverseBind != nil {
		list, err := d.numbers(*sk.InverseBind, "MAT4", d.limits)
		if err != nil {
			return pose.Record{}, geom.Matrix{}, err
		}
		if len(list) < 16*len(sk.Joints) {
			return pose.Record{}, geom.Matrix{}, reading.At(
				where,
				"it has %d inverse bind matrices for %d joints",
				len(list)/16,
				len(sk.Joints),
			)
		}
		for i := range inverse {
			for c := range 16 {
				v := list[16*i+c]
				if math.IsNaN(v) || math.Abs(v) > 1e15 {
					return pose.Record{}, geom.Matrix{}, reading.At(where, "the inverse bind matrix of joint %d has the entry %g", i, v)
				}
				inverse[i][c] = v
			}
		}
	}
	size := math.Max(s.Size(), 1e-9)
	to := d.common(sk.Joints, inverse, used, size)
	back, _ := to.Inverse()
	rec := pose.Record{Name: nameOfRecord(k), Skeleton: &skeleton.Skeleton{}}
	number := map[int32]int{}
	at := map[int32]int{}
	for i, node := range sk.Joints {
		at[d.jointOf[node]] = i
	}
	for j, joint := range s.Joints {
		i, ok := at[int32(j)]
		if !ok {
			continue
		}
		// Bind = (Now·Inverse·to⁻¹)⁻¹ · rigid part of Now.
		frame := geom.Rigid(joint.Pos, joint.Rot)
		shows := d.world[sk.Joints[i]].Mul(inverse[i]).Mul(back)
		parent := -1
		for p := joint.Parent; p >= 0; p = s.Joints[p].Parent {
			if n, ok := number[int32(p)]; ok {
				parent = n
				break
			}
		}
		f := skeleton.Joint{Name: joint.Name, Parent: parent, Pos: joint.Pos, Rot: joint.Rot}
		undo, ok := shows.Inverse()
		switch {
		case !invertible(shows) || !ok:
			rec.Stretch = put(rec.Stretch, joint.Name, [9]float64{})
		case !nearIdentity(shows, joint.Pos, size):
			bind := undo.Mul(frame)
			t, q, _ := bind.Decompose()
			l := geom.Rigid(r3.Vec{}, quat.Conj(q)).Mul(bind)
			f.Pos, f.Rot = t, q
			linear := [9]float64{l[0], l[1], l[2], l[4], l[5], l[6], l[8], l[9], l[10]}
			for c, v := range linear {
				want := 0.0
				if c%4 == 0 {
					want = 1
				}
				if math.Abs(v-want) > rigidLimit {
					rec.Stretch = put(rec.Stretch, joint.Name, linear)
					break
				}
			}
		}
		number[int32(j)] = len(rec.Skeleton.Joints)
		rec.Skeleton.Joints = append(rec.Skeleton.Joints, f)
	}
	if nearIdentity(to, s.Joints[0].Pos, size) {
		to = geom.IdentityMatrix
	}
	return rec, to, nil
}

// framesTried is how many joints are asked for the frame that a skin was bound in.
const framesTried = 16

// common returns what Now·InverseBind is of most joints with weights: the frame and the unit
// that the whole was bound in, which no joint's own move is. As it is where any joint stands
// just as it was bound.
func (d *decoder) common(nodes []int, inverse []geom.Matrix, used []bool, size float64) geom.Matrix {
	var all []geom.Matrix
	var at []r3.Vec
	for _, strict := range []bool{true, false} {
		for i, node := range nodes {
			if g := d.world[node].Mul(inverse[i]); (!strict || used[d.jointOf[node]]) && invertible(g) {
				all = append(all, g)
				at = append(at, d.scene.Skeleton.Joints[d.jointOf[node]].Pos)
			}
		}
		if all != nil {
			break
		}
	}
	best, most := geom.IdentityMatrix, 0
	for n := -1; n < min(framesTried, len(all)); n++ {
		cand := geom.IdentityMatrix
		if n >= 0 {
			cand = all[n*len(all)/min(framesTried, len(all))]
		}
		back, _ := cand.Inverse()
		count := 0
		for i, g := range all {
			if nearIdentity(g.Mul(back), at[i], size) {
				count++
			}
		}
		if count > most {
			best, most = cand, count
		}
		if n < 0 && count > 0 {
			break
		}
	}
	return best
}

func nameOfRecord(k int) string {
	if k == 0 {
		return "bind"
	}
	return fmt.Sprintf("bind_%d", k+1)
}

func put(m map[string][9]float64, name string, v [9]float64) map[string][9]float64 {
	if m == nil {
		m = map[string][9]float64{}
	}
	m[name] = v
	return m
}

// invertible reports whether a matrix takes volumes to volumes.
func invertible(m geom.Matrix) bool {
	_, ok := m.Inverse()
	return ok
}

// nearIdentity reports whether a map leaves the surroundings of p where they are.
func nearIdentity(m geom.Matrix, p r3.Vec, size float64) bool {
	if r3.Norm(r3.Sub(m.Point(p), p)) > bindLimit*size {
		return false
	}
	for c := range 3 {
		for r := range 3 {
			if math.Abs(m[4*c+r]-geom.IdentityMatrix[4*c+r]) > rigidLimit {
				return false
			}
		}
	}
	return true
}

// joinRecord adds a record to a binding, or to one of its records that says the same of the
// joints that both have. It returns the number, -1 where there are too many.
func joinRecord(b *pose.Binding, rec pose.Record) int {
	for k := range b.Records {
		old := &b.Records[k]
		at := old.Skeleton.Numbers()
		alike := len(old.Stretch) == 0 && len(rec.Stretch) == 0
		for _, j := range rec.Skeleton.Joints {
			if i, ok := at[j.Name]; ok && (old.Skeleton.Joints[i].Pos != j.Pos || old.Skeleton.Joints[i].Rot != j.Rot) {
				alike = false
				break
			}
		}
		if !alike {
			continue
		}
		for _, j := range rec.Skeleton.Joints {
			if _, ok := at[j.Name]; ok {
				continue
			}
			if j.Parent >= 0 {
				j.Parent = at[rec.Skeleton.Joints[j.Parent].Name]
			}
			at[j.Name] = len(old.Skeleton.Joints)
			old.Skeleton.Joints = append(old.Skeleton.Joints, j)
		}
		return k
	}
	if len(b.Records) == pose.MaxRecords {
		return -1
	}
	b.Records = append(b.Records, rec)
	return len(b.Records) - 1
}

// bring takes the vertices of each skin, with their shape targets and normals, by the
// skin's matrix. A mirroring one turns the faces over, so that they look outward as before.
func (d *decoder) bring(m *mesh.Mesh, by []geom.Matrix) error {
	of := func(v int32) geom.Matrix {
		if k := d.skinOf[v]; k >= 0 {
			return by[k]
		}
		return geom.IdentityMatrix
	}
	mirrored := false
	for v, p := range m.Points {
		to := of(int32(v))
		if m.Points[v] = to.Point(p); !within(m.Points[v]) {
			return reading.At(fmt.Sprintf("skin %d", d.skinOf[v]), "its matrices put vertex %d at an invalid position, %v", v, m.Points[v])
		}
		mirrored = mirrored || to.Determinant() < 0
	}
	lost := 0
	m.Shapes = m.MapShapes(func(v int32, off r3.Vec) r3.Vec {
		to := of(v).Direction(off)
		if !within(to) {
			lost++
			return r3.Vec{}
		}
		return to
	})
	if lost > 0 {
		return reading.At("shape targets", "the skin matrices move %d offsets out of range", lost)
	}
	for c, n := range m.Normal {
		to := of(m.Corner[c]).Normal(r3.Vec{X: float64(n[0]), Y: float64(n[1]), Z: float64(n[2])})
		m.Normal[c] = [3]float32{float32(to.X), float32(to.Y), float32(to.Z)}
	}
	if mirrored {
		d.scene.Notes = append(d.scene.Notes, "the skin was bound in a mirrored frame; look at the facing of its faces at Intake")
	}
	d.scene.Notes = append(d.scene.Notes, "the skin used another frame or unit than the joints, so it was converted")
	return nil
}

// within reports whether a place is one that numbers of a file can hold.
func within(p r3.Vec) bool {
	const most = 1e30
	return math.Abs(p.X) < most && math.Abs(p.Y) < most && math.Abs(p.Z) < most
}
