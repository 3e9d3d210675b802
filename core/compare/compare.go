// Package compare says what differs between two states of a character: joints, weights, mesh, axes, targets, motions.
package compare

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Side is one of the two. What is nil is not there.
type Side struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights
	Marks    skeleton.Marks
	Clips    []*pose.Clip
}

// Joint is what became of one. Kind is "added", "gone", or "changed".
type Joint struct {
	Name    string  `json:"name"`          // afterwards; before, where it is gone
	Was     string  `json:"was,omitempty"` // its name before, where it was renamed
	Kind    string  `json:"kind"`
	Moved   float64 `json:"moved_m,omitempty"`
	Turned  float64 `json:"turned_deg,omitempty"` // its axes at rest
	Parent  string  `json:"parent,omitempty"`     // afterwards, where it is another; "(none)" is a root
	Weights int     `json:"weights,omitempty"`    // vertices whose share of it is another, by more than shareShown
	Most    float64 `json:"most,omitempty"`       // the largest difference of a share
}

// Mesh is how two meshes differ. Moved and Farthest are of vertices that both have.
type Mesh struct {
	Vertices [2]int  `json:"vertices"`
	Faces    [2]int  `json:"faces"`
	Same     bool    `json:"same_topology"`          // the same faces on the same vertices
	Cut      bool    `json:"triangulated,omitempty"` // the same but for faces that are cut into triangles, as files of triangles have them
	Matched  int     `json:"matched"`                // vertices of the second that have a partner in the first
	Moved    int     `json:"moved"`
	Farthest float64 `json:"farthest_m"`
	Vertex   int32   `json:"vertex"` // of the second, that moved farthest; -1: none
}

// Weights is how two skins differ, at vertices that both have.
type Weights struct {
	Vertices int     `json:"vertices"`       // whose weights are others
	Apart    float64 `json:"apart_m"`        // how far the skins are led apart when joints turn to the ends of their usual ranges
	Vertex   int32   `json:"vertex"`         // of the second, that is led farthest apart; -1: none
	Pose     string  `json:"pose,omitempty"` // in which
}

// Report is what differs. Lists are cut at mostListed, and Cut says so.
type Report struct {
	Joints  []Joint  `json:"joints"`
	Mesh    *Mesh    `json:"mesh,omitempty"`
	Weights *Weights `json:"weights,omitempty"`
	// Targets and Motions are names, with + of those that came, - of those that went, and ~ of those that are others.
	Targets []string `json:"targets"`
	Motions []string `json:"motions"`
	Cut     bool     `json:"cut,omitempty"`
	// Shift is by how much everything stands elsewhere, meters; what moves with it did not move.
	Shift [3]float64 `json:"shift_m,omitzero"`
}

// Same reports whether nothing differs.
func (r *Report) Same() bool {
	return len(r.Joints) == 0 && len(r.Targets) == 0 && len(r.Motions) == 0 &&
		r.Shift == [3]float64{} && (r.Mesh == nil || (r.Mesh.Same || r.Mesh.Cut) && r.Mesh.Moved == 0) &&
		(r.Weights == nil || r.Weights.Vertices == 0)
}

const (
	mostListed = 1000
	// still is how far a joint or a vertex may be moved and count as where it was, of the height: single precision of a file.
	still = 2e-6
	// stillTurn is the same of axes, in degrees, and shareShown of shares.
	stillTurn, shareShown = 0.01, 1e-4
)

// Compare says what differs between a, the earlier, and b. Joints are partners by name, or by place where one is gone and one has
// come; vertices by number where the faces are the same, else by place. Rules of poses are a's.
func Compare(a, b Side) *Report {
	r := &Report{Joints: []Joint{}, Targets: []string{}, Motions: []string{}}
	height := 1.0
	if a.Mesh != nil && len(a.Mesh.Points) > 0 {
		height = max(geom.BoxOf(a.Mesh.World()).Size().Y, 1e-9)
	} else if a.Skeleton != nil {
		height = max(a.Skeleton.Height(), 1e-9)
	}
	shift := shifted(a.Mesh, b.Mesh, height)
	r.Shift = [3]float64{shift.X, shift.Y, shift.Z}
	was := joints(r, a.Skeleton, b.Skeleton, shift, height)
	var of []int32
	if a.Mesh != nil && b.Mesh != nil {
		r.Mesh, of = meshes(a.Mesh, b.Mesh, shift, height)
		r.Targets = shapes(a.Mesh, b.Mesh, of)
	}
	if a.Weights != nil && b.Weights != nil && of != nil && a.Skeleton != nil {
		r.Weights = skins(r, a, b, of, was)
	}
	r.Motions = motions(a, b)
	slices.SortStableFunc(r.Joints, func(x, y Joint) int {
		return cmp.Or(cmp.Compare(rank(x.Kind), rank(y.Kind)), -cmp.Compare(x.Moved, y.Moved))
	})
	if len(r.Joints) > mostListed {
		r.Joints, r.Cut = r.Joints[:mostListed], true
	}
	return r
}

func rank(kind string) int { return slices.Index([]string{"gone", "added", "changed"}, kind) }

// shifted is by how much a mesh of as many vertices stands elsewhere as a whole; zero where some vertices did not go along.
func shifted(a, b *mesh.Mesh, height float64) (by r3.Vec) {
	if a == nil || b == nil || len(a.Points) != len(b.Points) || len(a.Points) == 0 {
		return by
	}
	from, to := a.World(), b.World()
	by = r3.Sub(to[0], from[0])
	if r3.Norm(by) <= still*height {
		return r3.Vec{}
	}
	for v := range from {
		if r3.Norm(r3.Sub(r3.Sub(to[v], from[v]), by)) > still*height {
			return r3.Vec{}
		}
	}
	return by
}

// joints lists what became of joints, and returns the name before of each that is there afterwards.
func joints(r *Report, a, b *skeleton.Skeleton, shift r3.Vec, height float64) map[string]string {
	to := func(i int) r3.Vec { return r3.Sub(b.Joints[i].Pos, shift) }
	was := map[string]string{}
	if a == nil || b == nil {
		one, kind := b, "added"
		if a != nil {
			one, kind = a, "gone"
		}
		if one != nil {
			for _, j := range one.Joints {
				r.Joints = append(r.Joints, Joint{Name: j.Name, Kind: kind})
			}
		}
		return was
	}
	before, after := a.Numbers(), b.Numbers()
	var gone, added []int
	for i, j := range a.Joints {
		if _, ok := after[j.Name]; !ok {
			gone = append(gone, i)
		}
	}
	for i, j := range b.Joints {
		if _, ok := before[j.Name]; ok {
			was[j.Name] = j.Name
		} else {
			added = append(added, i)
		}
	}
	taken := map[int]bool{}
	for _, i := range added { // one that stands where one went, under the partner of its parent, is that
		for _, k := range gone {
			if !taken[k] && r3.Norm(r3.Sub(a.Joints[k].Pos, to(i))) <= still*height && parent(a, k) == was[parent(b, i)] {
				taken[k], was[b.Joints[i].Name] = true, a.Joints[k].Name
				break
			}
		}
		if was[b.Joints[i].Name] == "" {
			r.Joints = append(r.Joints, Joint{Name: b.Joints[i].Name, Kind: "added"})
		}
	}
	for _, k := range gone {
		if !taken[k] {
			r.Joints = append(r.Joints, Joint{Name: a.Joints[k].Name, Kind: "gone"})
		}
	}
	for i, j := range b.Joints {
		k, ok := before[was[j.Name]]
		if !ok {
			continue
		}
		x := Joint{Name: j.Name, Kind: "changed"}
		if was[j.Name] != j.Name {
			x.Was = was[j.Name]
		}
		if d := r3.Norm(r3.Sub(to(i), a.Joints[k].Pos)); d > still*height {
			x.Moved = d
		}
		if t := geom.Angle(unit(j.Rot), unit(a.Joints[k].Rot)) * 180 / math.Pi; t > stillTurn {
			x.Turned = t
		}
		if p := parent(b, i); was[p] != parent(a, k) && (p != "" || parent(a, k) != "") {
			x.Parent = cmp.Or(p, "(none)")
		}
		if x != (Joint{Name: j.Name, Kind: "changed"}) {
			r.Joints = append(r.Joints, x)
		}
	}
	return was
}

func unit(q quat.Number) quat.Number {
	if quat.Abs(q) == 0 {
		return geom.Identity
	}
	return geom.Normalise(q)
}

func parent(s *skeleton.Skeleton, i int) string {
	if p := s.Joints[i].Parent; p >= 0 {
		return s.Joints[p].Name
	}
	return ""
}

// meshes compares two meshes, and says which vertex of the first each of the second was, -1 for none.
func meshes(a, b *mesh.Mesh, shift r3.Vec, height float64) (*Mesh, []int32) {
	out := &Mesh{Vertices: [2]int{len(a.Points), len(b.Points)}, Faces: [2]int{a.Faces(), b.Faces()}, Vertex: -1}
	out.Same = len(a.Points) == len(b.Points) && slices.Equal(a.Start, b.Start) && slices.Equal(a.Corner, b.Corner)
	from, to := a.World(), b.World()
	if shift != (r3.Vec{}) {
		to = slices.Clone(to) // they may be the mesh's own
		for v := range to {
			to[v] = r3.Sub(to[v], shift)
		}
	}
	of := make([]int32, len(to))
	out.Cut = !out.Same && len(from) == len(to) && sameTriangles(a, b)
	if out.Same || out.Cut {
		for v := range of {
			of[v] = int32(v)
		}
	} else {
		at := map[[3]int64][]int32{} // by place, in steps of what counts as still
		for v, p := range from {
			at[place(p, height)] = append(at[place(p, height)], int32(v))
		}
		for v, p := range to {
			of[v] = -1
			key := place(p, height)
			if list := at[key]; len(list) > 0 {
				of[v], at[key] = list[0], list[1:] // vertices at one place, each once
			}
		}
	}
	for v, o := range of {
		if o < 0 {
			continue
		}
		out.Matched++
		if d := r3.Norm(r3.Sub(to[v], from[o])); d > still*height {
			out.Moved++
			if d > out.Farthest {
				out.Farthest, out.Vertex = d, int32(v)
			}
		}
	}
	return out, of
}

// sameTriangles reports whether two meshes are the same once their faces are cut: a file of triangles has no others.
func sameTriangles(a, b *mesh.Mesh) bool {
	x, _ := a.Triangles()
	y, _ := b.Triangles()
	if len(x) != len(y) {
		return false
	}
	order := func(list [][3]int32) {
		for i, t := range list { // from the lowest corner on
			for t[0] > t[1] || t[0] > t[2] {
				t = [3]int32{t[1], t[2], t[0]}
			}
			list[i] = t
		}
		slices.SortFunc(list, func(p, q [3]int32) int { return slices.Compare(p[:], q[:]) })
	}
	order(x)
	order(y)
	return slices.Equal(x, y)
}

func place(p r3.Vec, height float64) [3]int64 {
	step := 10 * still * height
	return [3]int64{int64(math.Round(p.X / step)), int64(math.Round(p.Y / step)), int64(math.Round(p.Z / step))}
}

// shapes lists how shape targets differ at vertices that both have.
func shapes(a, b *mesh.Mesh, of []int32) []string {
	out := []string{}
	before := map[string]mesh.Shape{}
	for _, x := range a.WorldShapes() {
		before[x.Name] = x
	}
	height := max(geom.BoxOf(a.World()).Size().Y, 1e-9)
	for _, x := range b.WorldShapes() {
		y, ok := before[x.Name]
		if !ok {
			out = append(out, "+"+x.Name)
			continue
		}
		delete(before, x.Name)
		left := map[int32]r3.Vec{}
		for i, v := range y.Vertex {
			left[v] = y.Offset[i]
		}
		other := false
		for i, v := range x.Vertex {
			if o := of[v]; o >= 0 {
				other = other || r3.Norm(r3.Sub(x.Offset[i], left[o])) > still*height
				delete(left, o)
			}
		}
		for _, d := range left {
			other = other || r3.Norm(d) > still*height
		}
		if other {
			out = append(out, "~"+x.Name)
		}
	}
	for _, x := range a.Shapes {
		if _, ok := before[x.Name]; ok {
			out = append(out, "-"+x.Name)
		}
	}
	return out[:min(len(out), mostListed)]
}

func motions(a, b Side) []string {
	out := []string{}
	before := map[string]*pose.Clip{}
	for _, c := range a.Clips {
		before[c.Name] = c
	}
	for _, c := range b.Clips {
		if x, ok := before[c.Name]; !ok {
			out = append(out, "+"+c.Name)
		} else if x.Frames() != c.Frames() || math.Abs(x.Step-c.Step) > 1e-6 {
			out = append(out, "~"+c.Name)
		}
		delete(before, c.Name)
	}
	for _, c := range a.Clips {
		if _, ok := before[c.Name]; ok {
			out = append(out, "-"+c.Name)
		}
	}
	return out[:min(len(out), mostListed)]
}

// skins compares the weights at vertices that both have, and adds to joints what became of their shares.
func skins(r *Report, a, b Side, of []int32, was map[string]string) *Weights {
	out := &Weights{Vertex: -1}
	number := map[string]int32{}
	for k, name := range a.Weights.Joints {
		number[name] = int32(k)
	}
	names := slices.Clone(a.Weights.Joints)
	column := make([]int32, len(b.Weights.Joints)) // of the weights after → of both together
	for k, name := range b.Weights.Joints {
		before, ok := was[name]
		if !ok {
			before = "\x00" + name // none before
		}
		c, ok := number[before]
		if !ok {
			c = int32(len(names))
			number[before] = c
			names = append(names, before)
		}
		column[k] = c
	}
	after := &weights.Weights{Joints: names, Of: make([][]weights.Influence, len(a.Weights.Of)), Mix: a.Weights.Mix}
	before := &weights.Weights{Joints: names, Of: a.Weights.Of, Mix: a.Weights.Mix}
	copy(after.Of, a.Weights.Of)
	counts, most := make([]int, len(names)), make([]float64, len(names))
	share := make([]float64, len(names))
	for v, o := range of {
		if o < 0 || v >= len(b.Weights.Of) {
			continue
		}
		list := make([]weights.Influence, 0, len(b.Weights.Of[v]))
		for _, x := range b.Weights.Of[v] {
			list = append(list, weights.Influence{Joint: column[x.Joint], Value: x.Value})
			share[column[x.Joint]] += x.Value
		}
		for _, x := range a.Weights.Of[o] {
			share[x.Joint] -= x.Value
		}
		other := false
		note := func(k int32) {
			if d := math.Abs(share[k]); d > shareShown {
				counts[k]++
				most[k] = max(most[k], d)
				other = true
			}
			share[k] = 0
		}
		for _, x := range list {
			note(x.Joint)
		}
		for _, x := range a.Weights.Of[o] {
			note(x.Joint)
		}
		if other {
			out.Vertices++
			after.Of[o] = list
		}
	}
	if out.Vertices > 0 {
		far, apart, in := deform.ApartQuickly(a.Mesh.World(), before, after, a.Skeleton, a.Marks)
		out.Apart, out.Pose = apart, in
		for v, o := range of {
			if o >= 0 && far[o] == apart && apart > 0 && out.Vertex < 0 {
				out.Vertex = int32(v)
			}
		}
	}
	shares(r, was, number, counts, most)
	return out
}

// shares adds to the joints of a report how many vertices follow them otherwise.
func shares(r *Report, was map[string]string, number map[string]int32, counts []int, most []float64) {
	listed := map[string]int{}
	for i, j := range r.Joints {
		listed[j.Name] = i
	}
	for name, before := range was {
		k, ok := number[before]
		if !ok || counts[k] == 0 {
			continue
		}
		i, ok := listed[name]
		if !ok {
			i = len(r.Joints)
			r.Joints = append(r.Joints, Joint{Name: name, Kind: "changed"})
		}
		r.Joints[i].Weights, r.Joints[i].Most = counts[k], most[k]
	}
	slices.SortStableFunc(r.Joints, func(x, y Joint) int { return cmp.Compare(x.Name, y.Name) })
}
