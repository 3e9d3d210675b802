package deform

import (
	"cmp"
	"context"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Kinds of faults of a skin in motion.
const (
	FaultSpill   = "spill"   // a joint moves what belongs to another, far from it
	FaultStretch = "stretch" // an edge is drawn out
	FaultCrush   = "crush"   // an edge is pressed together
	FaultFlip    = "flip"    // faces are turned inside out
	FaultVolume  = "volume"  // a limb loses or gains volume
)

// Limits of faults, at both ends of the usual ranges: automatic binds of the demo cast stay below
// them, binds that give every vertex wholly to the nearest bone do not. Measured here
// (demo/motion_test.go); no source.
var faultLimits = map[string]float64{
	FaultSpill:   0.07, // of the height
	FaultStretch: 14,   // times the length at rest
	FaultCrush:   45,   // times shorter than at rest
	FaultFlip:    0.03, // of the area
	FaultVolume:  1.1,  // of the limb's volume
}

// Fault is the worst of a kind that a trial of a joint brings about.
type Fault struct {
	Kind   string     `json:"kind"`
	Turned string     `json:"turned"` // the joint that turns
	Frame  int        `json:"frame"`
	Pose   string     `json:"pose"`
	Size   float64    `json:"size"`
	Limit  float64    `json:"limit"`
	Times  float64    `json:"times"`    // size over limit
	Vertex int32      `json:"vertex"`   // in the middle of it
	Count  int        `json:"vertices"` // how many are over the limit in that frame
	Place  [3]float64 `json:"place"`    // of the vertex in that pose, metres
	Blame  []Blame    `json:"blame"`
	Where  []int32    `json:"where,omitempty"` // the first mostWhere of them
}

// Blame is a joint's share in a fault.
type Blame struct {
	Joint string  `json:"joint"`
	Share float64 `json:"share"`
}

const (
	// fewEdges: one edge in so many counts for nothing.
	fewEdges  = 10_000
	mostWhere = 400
	mostBlame = 3
)

// FrameMeasure is how a frame came out, each kind as its size over its limit.
type FrameMeasure struct {
	Pose  string             `json:"pose"`
	Times map[string]float64 `json:"times"`
	Worst float64            `json:"worst"`
}

// Checked is how a skin came through a reel.
type Checked struct {
	Frames []FrameMeasure `json:"frames"`
	Faults []Fault        `json:"faults"` // the worst of each kind and joint that turns, worst first, the first MostFaults
	Rest   float64        `json:"rest"`   // how far the skin moves at rest, metres: 0
	Score  float64        `json:"score"`  // the mean over frames of the worst of each, over its limit
}

// Check poses the skin in every frame of a reel and measures it. Memory does not grow with the
// number of frames but by a few numbers each.
func (s *Skin) Check(ctx context.Context, reel pose.Reel, progress func(share float64)) (*Checked, error) {
	c := &checking{s: s, edges: s.edges()}
	c.prepare()
	out := &Checked{}
	for v, p := range Bound(s.points, s.weights, s.skeleton, nil, s.binding) {
		out.Rest = math.Max(out.Rest, r3.Norm(r3.Sub(p, s.points[v])))
	}
	worst := map[[2]string]*Fault{}
	var order [][2]string
	for f, frame := range reel.Frames {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if progress != nil && f%16 == 0 {
			progress(float64(f) / float64(len(reel.Frames)))
		}
		m := FrameMeasure{Pose: frame.Name, Times: map[string]float64{}}
		for _, x := range c.frame(frame) {
			x.Frame, x.Pose, x.Turned = f, frame.Name, s.skeleton.Joints[frame.Joint].Name
			m.Times[x.Kind] = x.Times
			m.Worst = math.Max(m.Worst, x.Times)
			key := [2]string{x.Kind, x.Turned}
			if worst[key] == nil {
				order = append(order, key)
			}
			if worst[key] == nil || x.Times > worst[key].Times {
				worst[key] = &x
			}
		}
		out.Frames = append(out.Frames, m)
		out.Score += m.Worst / float64(len(reel.Frames))
	}
	for _, key := range order {
		out.Faults = append(out.Faults, *worst[key])
	}
	slices.SortStableFunc(out.Faults, func(a, b Fault) int { return cmp.Compare(b.Times, a.Times) })
	out.Faults = out.Faults[:min(len(out.Faults), MostFaults)]
	return out, nil
}

// Over is how many faults are over their limits.
func (c *Checked) Over() (n int) {
	for _, f := range c.Faults {
		if f.Times > 1 {
			n++
		}
	}
	return n
}

// MostFaults is how many faults are told.
const MostFaults = 60

// checking is what is worked out once for all frames.
type checking struct {
	s       *Skin
	edges   [][2]int32
	rest    []float64 // lengths of the edges
	short   float64   // edges below it are not measured: a quarter of the usual one
	height  float64
	home    []int32   // by vertex: the joint whose bone is nearest
	sure    []bool    // by vertex: no bone elsewhere is nearly as near
	reach   []float64 // by joint: how far from its pivot it may move others
	below   [][]bool  // by joint: what hangs from it, itself included
	normals []r3.Vec  // of the triangles at rest
	area    float64
	owner   []int32 // by triangle: the home of its first corner
	volume  []float64
}

// edges of the triangles, each once, ascending.
func (s *Skin) edges() [][2]int32 {
	out := make([][2]int32, 0, 3*len(s.tris))
	for _, t := range s.tris {
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			out = append(out, [2]int32{min(a, b), max(a, b)})
		}
	}
	slices.SortFunc(out, func(x, y [2]int32) int { return cmp.Or(cmp.Compare(x[0], y[0]), cmp.Compare(x[1], y[1])) })
	return slices.Compact(out)
}

// sureTimes is how many times nearer the nearest bone must be than one elsewhere.
const sureTimes = 1.5

func (c *checking) prepare() {
	s := c.s
	c.height = geom.BoxOf(s.points).Size().Y
	c.rest = make([]float64, len(c.edges))
	for i, e := range c.edges {
		c.rest[i] = r3.Norm(r3.Sub(s.points[e[0]], s.points[e[1]]))
	}
	if len(c.rest) > 0 {
		usual := slices.Clone(c.rest)
		slices.Sort(usual)
		c.short = math.Max(usual[len(usual)/2]/4, geom.SameShare*s.longest)
	}
	sk := s.skeleton
	deforms := sk.Deforming()
	var bones []skeleton.Bone
	for _, b := range sk.Bones() {
		if deforms[b.Joint] {
			bones = append(bones, b)
		}
	}
	n := len(sk.Joints)
	c.below = make([][]bool, n)
	for i := range n {
		c.below[i] = make([]bool, n)
		c.below[i][i] = true
		for k := i + 1; k < n; k++ { // parents come first
			c.below[i][k] = sk.Joints[k].Parent >= 0 && c.below[i][sk.Joints[k].Parent]
		}
	}
	near := func(a, b int) bool {
		return a == b || sk.Joints[a].Parent == b || sk.Joints[b].Parent == a || sk.Joints[a].Parent == sk.Joints[b].Parent && sk.Joints[a].Parent >= 0
	}
	c.home, c.sure = make([]int32, len(s.points)), make([]bool, len(s.points))
	far := make([]float64, len(s.points))
	geom.Chunks(len(s.points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			best, other := math.Inf(1), math.Inf(1)
			c.home[v] = -1
			lengths := make([]float64, len(bones))
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
	c.normals, c.owner, c.volume = make([]r3.Vec, len(s.tris)), make([]int32, len(s.tris)), make([]float64, n)
	for i, t := range s.tris {
		c.normals[i] = geom.TriangleNormal(s.points[t[0]], s.points[t[1]], s.points[t[2]])
		c.area += r3.Norm(c.normals[i]) / 2
		c.owner[i] = c.home[t[0]]
	}
	c.volume = c.volumes(s.points)
}

// volumes are, by joint, those of its triangles against the middle of their vertices: of a tube
// that a limb is, what it holds.
func (c *checking) volumes(points []r3.Vec) []float64 {
	n := len(c.s.skeleton.Joints)
	middle, count := make([]r3.Vec, n), make([]float64, n)
	for i, t := range c.s.tris {
		if h := c.owner[i]; h >= 0 {
			middle[h] = r3.Add(middle[h], points[t[0]])
			count[h]++
		}
	}
	out := make([]float64, n)
	for i, t := range c.s.tris {
		if h := c.owner[i]; h >= 0 {
			m := r3.Scale(1/count[h], middle[h])
			out[h] += signedVolume(r3.Sub(points[t[0]], m), r3.Sub(points[t[1]], m), r3.Sub(points[t[2]], m))
		}
	}
	return out
}

// frame measures one pose.
func (c *checking) frame(frame pose.Tried) []Fault {
	s, j := c.s, frame.Joint
	matrices := InOrder(s.skeleton, s.weights, pose.SkinMatrices(s.skeleton, frame.Pose, s.binding))
	posed := Bound(s.points, s.weights, s.skeleton, frame.Pose, s.binding)
	var out []Fault
	fault := func(kind string, size float64, v int32, where []int32, blame []Blame) {
		limit := faultLimits[kind]
		p := posed[v]
		out = append(out, Fault{Kind: kind, Size: size, Limit: limit, Times: size / limit, Vertex: v, Count: len(where), Place: [3]float64{p.X, p.Y, p.Z}, Blame: blame, Where: slices.Clone(where[:min(len(where), mostWhere)])})
	}
	// Spill.
	parent := s.skeleton.Joints[j].Parent
	pivot := s.skeleton.Joints[j].Pos
	most, at := 0.0, int32(-1)
	var where []int32
	for v, h := range c.home {
		if h < 0 || !c.sure[v] || c.below[j][h] || int(h) == parent || r3.Norm(r3.Sub(s.points[v], pivot)) < c.reach[j] {
			continue
		}
		d := r3.Norm(r3.Sub(posed[v], s.points[v])) / math.Max(c.height, 1e-12)
		if d > faultLimits[FaultSpill] {
			where = append(where, int32(v))
		}
		if d > most {
			most, at = d, int32(v)
		}
	}
	if at >= 0 {
		fault(FaultSpill, most, at, where, c.shares(at, func(i int) bool { return c.below[j][i] }))
	}
	// Edges.
	type changed struct {
		ratio float64 // above 1
		edge  int32
	}
	var long, short []changed
	var over, under []int32
	for i, e := range c.edges {
		if c.rest[i] <= c.short {
			continue
		}
		ratio := r3.Norm(r3.Sub(posed[e[0]], posed[e[1]])) / c.rest[i]
		if ratio > faultLimits[FaultStretch] {
			over = append(over, e[0])
		}
		if ratio*faultLimits[FaultCrush] < 1 {
			under = append(under, e[0])
		}
		if ratio > 1.2 {
			long = append(long, changed{ratio, int32(i)})
		} else if ratio < 0.8 {
			short = append(short, changed{1 / math.Max(ratio, 1e-3), int32(i)})
		}
	}
	// A few edges may do anything: in the middle of a fold two ends come to lie together.
	few := len(c.edges) / fewEdges
	for _, x := range []struct {
		kind  string
		list  []changed
		where []int32
	}{{FaultStretch, long, over}, {FaultCrush, short, under}} {
		if len(x.list) <= few {
			continue
		}
		slices.SortFunc(x.list, func(a, b changed) int { return cmp.Or(cmp.Compare(b.ratio, a.ratio), cmp.Compare(a.edge, b.edge)) })
		w := x.list[few]
		fault(x.kind, w.ratio, c.edges[w.edge][0], x.where, c.apart(c.edges[w.edge]))
	}
	// Faces that look the other way than where the skin around them is turned.
	turn := TurnsOf(len(s.points), s.weights, matrices, s.binding)
	flipped, first := 0.0, int32(-1)
	where = where[:0:0]
	for i, t := range s.tris {
		n := geom.TriangleNormal(posed[t[0]], posed[t[1]], posed[t[2]])
		if r3.Dot(n, turn(int(t[0])).Direction(c.normals[i])) < 0 {
			flipped += r3.Norm(c.normals[i]) / 2
			where = append(where, t[0])
			if first < 0 {
				first = t[0]
			}
		}
	}
	if first >= 0 {
		fault(FaultFlip, flipped/c.area, first, where, c.shares(first, nil))
	}
	// Volumes of the limbs about the joint.
	now := c.volumes(posed)
	worst, limb := 0.0, -1
	for i := range now {
		if i != j && i != parent || c.volume[i] < 1e-4*c.height*c.height*c.height {
			continue
		}
		if d := math.Abs(now[i]/c.volume[i] - 1); d > worst {
			worst, limb = d, i
		}
	}
	if limb >= 0 {
		for v, h := range c.home {
			if int(h) == limb {
				fault(FaultVolume, worst, int32(v), nil, []Blame{{s.skeleton.Joints[j].Name, 1}})
				break
			}
		}
	}
	return out
}

// shares are the joints of a vertex with most weight, of those that are asked for.
func (c *checking) shares(v int32, which func(joint int) bool) []Blame {
	var out []Blame
	sum := 0.0
	for _, x := range c.s.weights.Of[v] {
		name := c.s.weights.Joints[x.Joint]
		if i := c.s.skeleton.Index(name); i >= 0 && (which == nil || which(i)) {
			out = append(out, Blame{name, x.Value})
			sum += x.Value
		}
	}
	for i := range out {
		out[i].Share /= sum
	}
	return out[:min(len(out), mostBlame)]
}

// apart are the joints whose weights differ most along an edge.
func (c *checking) apart(e [2]int32) []Blame {
	by := map[string]float64{}
	for k, v := range e {
		sign := 1 - 2*float64(k)
		for _, x := range c.s.weights.Of[v] {
			by[c.s.weights.Joints[x.Joint]] += sign * x.Value
		}
	}
	var out []Blame
	sum := 0.0
	for name, d := range by {
		if math.Abs(d) > 1e-6 {
			out = append(out, Blame{name, math.Abs(d)})
			sum += math.Abs(d)
		}
	}
	slices.SortFunc(out, func(a, b Blame) int { return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(a.Joint, b.Joint)) })
	for i := range out {
		out[i].Share /= sum
	}
	return out[:min(len(out), mostBlame)]
}
