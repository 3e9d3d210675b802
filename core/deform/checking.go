package deform

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// checking is what of a skin is worked out once for all frames.
type checking struct {
	s       *Skin
	o       CheckOptions
	height  float64
	edges   []edge
	spans   []span    // along which stretch is measured
	home    []int32   // by vertex: the joint whose bone is nearest
	sure    []bool    // by vertex: no bone elsewhere is nearly as near
	reach   []float64 // by joint: how far from its pivot it may move others
	near    [][]int32 // by joint: those that may move what is its own besides itself
	normals []r3.Vec  // of the triangles at rest, as long as twice their area
	area    float64
	limbs   *limbs
	names   []int   // of the weights' joints: their numbers
	mix     *mixing // nil where all blend linearly

	bones   [][]skeleton.Bone // by joint, of those that deform
	tree    *geom.Tree        // of the skin at rest, where crossings are looked for
	crossed map[[2]int32]bool
	layers  *layersOver
	rigid   []rigidThing
}

// sureTimes is how many times nearer the nearest bone must be than one elsewhere.
const sureTimes = 1.5

func newChecking(s *Skin, o CheckOptions) *checking {
	c := &checking{s: s, o: o, height: math.Max(geom.BoxOf(s.points).Size().Y, 1e-12), edges: measuredEdges(s.points, s.tris)}
	at := s.skeleton.Numbers()
	for _, name := range s.weights.Joints {
		i, ok := at[name]
		if !ok {
			i = -1
		}
		c.names = append(c.names, i)
	}
	c.mix = mixes(s.skeleton, s.weights)
	c.normals = make([]r3.Vec, len(s.tris))
	for i, t := range s.tris {
		c.normals[i] = faceNormal(s.points, t)
		c.area += r3.Norm(c.normals[i]) / 2
	}
	for i := range c.edges {
		e := &c.edges[i]
		e.flat = e.tri[1] >= 0 && r3.Dot(c.normals[e.tri[0]], c.normals[e.tri[1]]) > 0
	}
	c.spans = spansOf(s.points, c.edges, c.height)
	c.homes()
	c.limbs = newLimbs(s.points, s.tris, c.edges, c.home, s.skeleton)
	if o.Cross > 0 {
		c.tree = geom.NewTree(s.points, s.tris)
		c.crossed = map[[2]int32]bool{}
		pairs, _ := c.tree.Crossings(CrossLong * c.height)
		for _, p := range pairs {
			c.crossed[p] = true
		}
	}
	c.layers = newLayersOver(s.points, o.Body, o.Layers)
	c.rigid = rigidThings(s, o.Rigid)
	return c
}

// faceNormal is a triangle's normal, as long as twice its area; 0 of one that has none.
func faceNormal(p []r3.Vec, t [3]int32) r3.Vec {
	return r3.Cross(r3.Sub(p[t[1]], p[t[0]]), r3.Sub(p[t[2]], p[t[0]]))
}

// CrossLong is how long a crossing of two triangles must be, over the height.
const CrossLong = 1e-4

// homes finds the bone that each vertex belongs to, and how far bones reach.
func (c *checking) homes() {
	s, sk := c.s, c.s.skeleton
	bones := sk.Leading(sk.Deforming())
	n := len(sk.Joints)
	c.bones = make([][]skeleton.Bone, n)
	for _, b := range bones {
		c.bones[b.Joint] = append(c.bones[b.Joint], b)
	}
	c.near = make([][]int32, n)
	near := func(a, b int) bool {
		return a == b || sk.Joints[a].Parent == b || sk.Joints[b].Parent == a ||
			sk.Joints[a].Parent == sk.Joints[b].Parent && sk.Joints[a].Parent >= 0
	}
	for i := range n {
		if p := sk.Joints[i].Parent; p >= 0 {
			c.near[i] = append(c.near[i], int32(p))
			c.near[p] = append(c.near[p], int32(i))
		}
		if h := sk.Joints[i].Helper; h != nil { // it stands between its driver and a joint above that
			if d := sk.Index(h.Driver); d >= 0 && d != sk.Joints[i].Parent {
				c.near[i] = append(c.near[i], int32(d))
				c.near[d] = append(c.near[d], int32(i))
			}
		}
	}
	c.home, c.sure = make([]int32, len(s.points)), make([]bool, len(s.points))
	far := make([]float64, len(s.points))
	geom.Chunks(len(s.points), 512, func(lo, hi int) {
		lengths := make([]float64, len(bones))
		for v := lo; v < hi; v++ {
			best, other := math.Inf(1), math.Inf(1)
			c.home[v] = -1
			for i, b := range bones {
				on, _ := geom.ClosestOnSegment(s.points[v], b.A, b.B)
				lengths[i] = r3.Norm(r3.Sub(s.points[v], on))
				if lengths[i] < best {
					best, c.home[v] = lengths[i], int32(b.Joint)
				}
			}
			if c.home[v] < 0 {
				continue
			}
			for i, b := range bones {
				if !near(b.Joint, int(c.home[v])) {
					other = math.Min(other, lengths[i])
				}
			}
			c.sure[v], far[v] = other > sureTimes*best, best
		}
	})
	c.reach = make([]float64, n)
	own := make([][]float64, n)
	for v, h := range c.home {
		if h >= 0 {
			own[h] = append(own[h], far[v])
		}
	}
	length := make([]float64, n)
	for _, b := range bones {
		length[b.Joint] = math.Max(length[b.Joint], r3.Norm(r3.Sub(b.B, b.A)))
	}
	for i := range own {
		radius := 0.0
		if len(own[i]) > 0 {
			slices.Sort(own[i])
			radius = own[i][len(own[i])*3/4]
		}
		c.reach[i] = math.Max(2.5*radius, 0.35*length[i])
	}
}

// foundIn is what a frame brought.
type foundIn struct {
	faults       []Fault
	crossed, cut bool
}

// scratch is what one frame after another is worked out in.
type scratch struct {
	rest    []r3.Vec // with shape targets
	posed   []r3.Vec
	moved   []bool
	normals []r3.Vec
}

// frames measures some frames of a reel, shared out among the cores; order is the number of each among those
// that are measured, by which the dearer measures take every so many.
func (c *checking) frames(reel *pose.Reel, which, order []int) []foundIn {
	out := make([]foundIn, len(which))
	geom.Chunks(len(which), 1, func(lo, hi int) {
		w := &scratch{posed: make([]r3.Vec, len(c.s.points)), moved: make([]bool, len(c.s.points)), normals: make([]r3.Vec, len(c.s.tris))}
		for k := lo; k < hi; k++ {
			out[k].faults = c.frame(reel.Frames[which[k]], w)
			if every := c.o.Cover; every > 0 && order[k]%every == every-1 {
				if f := c.through(w); f != nil {
					out[k].faults = append(out[k].faults, *f)
				}
			}
			if c.o.Cross > 0 && order[k]%c.o.Cross == c.o.Cross-1 {
				out[k].crossed = true
				if f, cut := c.crossings(w); f != nil {
					out[k].faults, out[k].cut = append(out[k].faults, *f), cut
				}
			}
		}
	})
	return out
}

// pose works out where the vertices are in a frame; only those that a joint that moves has a share in.
func (c *checking) pose(p pose.Pose, w *scratch) (matrices [][]geom.Matrix) {
	s := c.s
	matrices = InOrder(s.skeleton, s.weights, s.matrices(p))
	still := make([][]bool, len(matrices))
	for r, list := range matrices {
		still[r] = make([]bool, len(list))
		for k, m := range list {
			still[r][k] = m == geom.IdentityMatrix
		}
	}
	duals := make([][]dual, len(matrices))
	if c.mix != nil {
		for r, list := range matrices {
			for _, m := range list {
				duals[r] = append(duals[r], dualOf(m))
			}
		}
	}
	w.rest = s.at(p)
	for v, list := range s.weights.Of {
		at := w.rest[v]
		record := 0
		if s.binding != nil && s.binding.Of != nil {
			record = s.binding.RecordOf(v)
		}
		var by r3.Vec
		moved := false
		for _, x := range list {
			if !still[record][x.Joint] {
				moved = true
				by = r3.Add(by, r3.Scale(x.Value, r3.Sub(matrices[record][x.Joint].Point(at), at)))
			}
		}
		w.moved[v] = moved || at != s.points[v]
		w.posed[v] = at
		if !moved {
			continue
		}
		w.posed[v] = r3.Add(at, by)
		if c.mix == nil {
			continue
		}
		if share := c.mix.share(v, list); share > 0 {
			if to, ok := blended(at, list, duals[record]); ok {
				w.posed[v] = r3.Add(w.posed[v], r3.Scale(share, r3.Sub(to, w.posed[v])))
			}
		}
	}
	return matrices
}

// frame measures one pose.
func (c *checking) frame(frame pose.Frame, w *scratch) []Fault {
	s := c.s
	matrices := c.pose(frame.Pose, w)
	var out []Fault
	put := func(f *Fault) {
		if f != nil {
			out = append(out, *f)
		}
	}
	out = append(out, c.spill(frame, matrices, w)...)
	for i, t := range s.tris {
		if w.moved[t[0]] || w.moved[t[1]] || w.moved[t[2]] {
			w.normals[i] = faceNormal(w.posed, t)
		} else {
			w.normals[i] = c.normals[i]
		}
	}
	out = append(out, c.alongEdges(w)...)
	put(c.flips(matrices, w))
	put(c.lost(frame, w))
	put(c.bentThings(w))
	return out
}

// fault makes one of a kind at a vertex.
func (c *checking) fault(kind string, size float64, v int32, w *scratch, where []int32, blame []Blame) *Fault {
	limit, p := faultLimits[kind], w.posed[v]
	f := &Fault{
		Kind:   kind,
		Size:   size,
		Limit:  limit,
		Times:  size / limit,
		Vertex: v,
		Count:  len(where),
		Place:  [3]float64{p.X, p.Y, p.Z},
		Blame:  blame,
	}
	if f.Times > toldFrom { // of lesser ones the places are not asked for
		f.Where = slices.Clone(where[:min(len(where), mostWhere)])
	}
	return f
}

// toldFrom is how much of its limit a fault must be for its places to be kept.
const toldFrom = 0.3

// flips are faces that look the other way than where the skin around them is turned.
func (c *checking) flips(matrices [][]geom.Matrix, w *scratch) *Fault {
	turn := TurnsOf(len(c.s.points), c.s.weights, matrices, c.s.binding)
	flipped, largest, at := 0.0, 0.0, int32(-1)
	var where []int32
	for i, t := range c.s.tris {
		if !w.moved[t[0]] && !w.moved[t[1]] && !w.moved[t[2]] {
			continue
		}
		if r3.Dot(w.normals[i], turn(int(t[0])).Direction(c.normals[i])) < 0 {
			area := r3.Norm(c.normals[i]) / 2
			flipped += area
			where = append(where, t[0], t[1], t[2])
			if area > largest {
				largest, at = area, t[0]
			}
		}
	}
	if at < 0 {
		return nil
	}
	slices.Sort(where)
	return c.fault(FaultFlip, flipped/c.area, at, w, slices.Compact(where), c.shared(at, nil))
}

// lost is the most that a limb about the joints that turn loses or gains of its volume.
func (c *checking) lost(frame pose.Frame, w *scratch) *Fault {
	sk := c.s.skeleton
	about := func(i int) bool {
		if frame.Joint >= 0 {
			p := sk.Joints[frame.Joint].Parent
			return i == int(c.limbs.into[frame.Joint]) || p >= 0 && i == int(c.limbs.into[p])
		}
		return true
	}
	now := c.limbs.volumes(w.posed)
	worst, limb := 0.0, -1
	for i := range now {
		if d, ok := c.limbs.changed(i, now, c.height); ok && about(i) && math.Abs(d) > math.Abs(worst) {
			worst, limb = d, i
		}
	}
	if limb < 0 {
		return nil
	}
	for v, h := range c.home {
		if int(h) == limb {
			name := sk.Joints[limb].Name
			if frame.Joint >= 0 {
				name = sk.Joints[frame.Joint].Name
			}
			f := c.fault(FaultVolume, math.Abs(worst), int32(v), w, nil, []Blame{{name, 1}})
			f.Limb, f.Change = sk.Joints[limb].Name, worst
			return f
		}
	}
	return nil
}

// limbOf names the joint of the limb that a vertex is of.
func (c *checking) limbOf(v int32) string {
	if h := c.home[v]; h >= 0 {
		return c.s.skeleton.Joints[c.limbs.into[h]].Name
	}
	return ""
}

// crossings is the share of the skin that goes through itself, where it did not at rest.
func (c *checking) crossings(w *scratch) (*Fault, bool) {
	pairs, all := c.tree.Moved(w.posed).Crossings(CrossLong * c.height)
	in := map[int32]bool{}
	for _, p := range pairs {
		if !c.crossed[p] {
			in[p[0]], in[p[1]] = true, true
		}
	}
	if len(in) == 0 {
		return nil, !all
	}
	area, largest, at := 0.0, 0.0, int32(-1)
	var where []int32
	for i, t := range c.s.tris {
		if !in[int32(i)] {
			continue
		}
		a := r3.Norm(c.normals[i]) / 2
		area += a
		if a > largest {
			largest, at = a, t[0]
		}
		where = append(where, t[0], t[1], t[2])
	}
	slices.Sort(where)
	return c.fault(FaultCross, area/c.area, at, w, slices.Compact(where), c.shared(at, nil)), !all
}

// through is the most of a layer that comes to lie under the skin, as a share of the vertices of all layers.
func (c *checking) through(w *scratch) *Fault {
	if c.layers == nil {
		return nil
	}
	var worst *Fault
	all := 0
	for _, l := range c.o.Layers {
		all += len(l)
	}
	for _, under := range c.layers.under(w.posed) {
		if len(under) == 0 {
			continue
		}
		deepest := slices.MaxFunc(under, func(a, b sunk) int { return cmp.Compare(a.deep, b.deep) })
		where := make([]int32, len(under))
		for i, u := range under {
			where[i] = u.vertex
		}
		size := float64(len(under)) / float64(max(1, all))
		if f := c.fault(FaultThrough, size, deepest.vertex, w, where, c.shared(deepest.vertex, nil)); worst == nil ||
			f.Times > worst.Times {
			worst = f
		}
	}
	return worst
}

// shared are the joints of a vertex by their weight times what times gives for them, nil for 1, most first.
func (c *checking) shared(v int32, times func(joint int) float64) []Blame {
	var out []Blame
	sum := 0.0
	for _, x := range c.s.weights.Of[v] {
		i := c.names[x.Joint]
		if i < 0 {
			continue
		}
		share := x.Value
		if times != nil {
			share *= times(i)
		}
		if share > 0 {
			out = append(out, Blame{c.s.weights.Joints[x.Joint], share})
			sum += share
		}
	}
	return blamed(out, sum)
}

func blamed(list []Blame, sum float64) []Blame {
	slices.SortFunc(list, func(a, b Blame) int { return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(a.Joint, b.Joint)) })
	for i := range list {
		list[i].Share /= sum
	}
	return list[:min(len(list), mostBlame)]
}
