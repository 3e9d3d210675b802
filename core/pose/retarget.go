package pose

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Retargeted is how a motion was laid onto a skeleton.
type Retargeted struct {
	Clip    *Clip    `json:"-"`       // turns about our joints' own axes
	Pairs   int      `json:"pairs"`   // joints that it leads
	Alone   []string `json:"alone"`   // joints of the motion that lead nothing here
	Scale   float64  `json:"scale"`   // of the ways that it goes
	Off     float64  `json:"off"`     // the most that a bone is off the motion's, degrees
	Planted int      `json:"planted"` // spells in which a foot was held
	Slid    float64  `json:"slid"`    // the most that a foot moves in one of them, metres
}

// RetargetOptions say how a motion is laid on.
type RetargetOptions struct {
	Feet  bool // are kept from sliding while those of the motion stand
	Marks skeleton.Marks
}

// Retarget lays a motion, made for other proportions and another rest pose, onto a skeleton. pairs are
// our joints by theirs. What is kept is the direction of each bone: between two joints that are paired,
// ours points in every frame where theirs does. The difference of the rest poses is so taken off: a turn
// of the world that takes our bone at rest to theirs goes before what theirs turns from its rest. Roots go
// as far as theirs by the ratio of the heights of the hips. Both face the same way and are in metres.
// A motion begins where ours stands; where its skeleton at rest does not stand on the ground that it moves on,
// as where the root's places are counted from the origin, its lowest place is taken for the ground. Clip c has
// turns about the own axes of the joints of theirs.
func Retarget(theirs *skeleton.Skeleton, c *Clip, ours *skeleton.Skeleton, pairs map[string]string, o RetargetOptions) *Retargeted {
	out := &Retargeted{Scale: 1}
	n := len(ours.Joints)
	from := make([]int, n) // their joint by ours, -1
	for i := range from {
		from[i] = -1
	}
	led := map[int]bool{}
	for k, j := range theirs.Joints {
		if i := ours.Index(pairs[j.Name]); pairs[j.Name] != "" && i >= 0 && from[i] < 0 {
			from[i] = k
			led[k] = true
			out.Pairs++
		}
	}
	moving := map[string]bool{}
	for _, name := range c.Joints {
		moving[name] = true
	}
	for k, j := range theirs.Joints {
		if !led[k] && moving[j.Name] {
			out.Alone = append(out.Alone, j.Name)
		}
	}
	if yaw := facing(ours, theirs, from); yaw != geom.Identity {
		theirs = theirs.Transform(geom.Rigid(r3.Vec{}, yaw), yaw)
		c = &Clip{Name: c.Name, Step: c.Step, Joints: c.Joints, Turns: c.Turns, Root: slices.Clone(c.Root)}
		for f := range c.Root {
			c.Root[f] = geom.Rotate(yaw, c.Root[f])
		}
	}
	next := mainChildren(ours, theirs, from)
	// What takes our bone at rest to theirs, with as little roll as can be: the parent's first.
	fit := make([]quat.Number, n)
	for i, j := range ours.Joints {
		fit[i] = geom.Identity
		above := j.Parent
		if above >= 0 {
			fit[i] = fit[above]
		}
		if from[i] < 0 || next[i] < 0 {
			continue
		}
		mine := r3.Sub(ours.Joints[next[i]].Pos, j.Pos)
		other := r3.Sub(theirs.Joints[from[next[i]]].Pos, theirs.Joints[from[i]].Pos)
		if r3.Norm(mine) > 1e-9 && r3.Norm(other) > 1e-9 {
			fit[i] = quat.Mul(geom.Between(geom.Rotate(fit[i], mine), other), fit[i])
		}
	}
	if ratio := legs(ours, theirs, from, o.Marks); ratio > 0 {
		out.Scale = ratio
	} else if h := theirs.Height(); h > 0 {
		out.Scale = ours.Height() / h
	}
	clip := &Clip{Name: c.Name, Step: c.Step}
	for i, j := range ours.Joints {
		if from[i] >= 0 {
			clip.Joints = append(clip.Joints, j.Name)
		}
	}
	rest := NewStanding(theirs, nil, r3.Vec{})
	put := func(st *Standing) {
		row := make([]quat.Number, len(clip.Joints))
		for k, name := range clip.Joints {
			row[k] = st.turn[ours.Index(name)]
		}
		clip.Turns, clip.Root = append(clip.Turns, row), append(clip.Root, st.Move)
	}
	var stands []*Standing
	feet := footing{}
	if o.Feet {
		feet = footingOf(ours, theirs, from, o.Marks, c.Step)
	}
	for f := range c.Turns {
		p, move := c.At(f)
		src := NewStanding(theirs, p, move)
		way := r3.Sub(move, r3.Vec{X: c.Root[0].X, Z: c.Root[0].Z})
		st := NewStanding(ours, nil, r3.Scale(out.Scale, way))
		for i, j := range ours.Joints {
			parent, k := geom.Identity, from[i]
			if j.Parent >= 0 {
				parent = st.Rot[j.Parent]
			}
			_, local := ours.Local(i)
			if k < 0 {
				st.Rot[i] = quat.Mul(parent, local)
				continue
			}
			turned := quat.Mul(src.Rot[k], quat.Conj(rest.Rot[k])) // theirs, from its rest
			turned = quat.Mul(turned, fit[i])
			if next[i] >= 0 { // joints of theirs between the two may bend too
				mine := geom.Rotate(turned, r3.Sub(ours.Joints[next[i]].Pos, j.Pos))
				other := r3.Sub(src.At[from[next[i]]], src.At[k])
				if r3.Norm(mine) > 1e-9 && r3.Norm(other) > 1e-9 {
					turned = quat.Mul(geom.Between(mine, other), turned)
				}
			}
			want := quat.Mul(turned, j.Rot)
			st.turn[i] = geom.Normalise(quat.Mul(quat.Conj(quat.Mul(parent, local)), want))
			st.Rot[i] = want
		}
		st.stand()
		for i := range ours.Joints {
			if from[i] >= 0 && next[i] >= 0 {
				a := r3.Sub(st.At[next[i]], st.At[i])
				b := r3.Sub(src.At[from[next[i]]], src.At[from[i]])
				if r3.Norm(a) > 1e-9 && r3.Norm(b) > 1e-9 {
					out.Off = math.Max(out.Off, math.Atan2(r3.Norm(r3.Cross(a, b)), r3.Dot(a, b))*180/math.Pi)
				}
			}
		}
		if o.Feet {
			feet.see(src)
		}
		stands = append(stands, st)
	}
	if !onGround(theirs, c) {
		low := math.Inf(1)
		for _, st := range stands {
			low = math.Min(low, lowest(st.At))
		}
		rise := r3.Vec{Y: lowest(NewStanding(ours, nil, r3.Vec{}).At) - low}
		for _, st := range stands {
			st.Shift(rise)
		}
	}
	if o.Feet {
		out.Planted, out.Slid = feet.hold(stands)
	}
	for _, st := range stands {
		put(st)
	}
	out.Clip = clip
	return out
}

// groundShare is how far from the lowest place of a motion, over the height, the lowest joint at rest may be for
// both to stand on one ground.
const groundShare = 0.15

// onGround tells whether a skeleton stands at rest on the ground that a motion moves on.
func onGround(theirs *skeleton.Skeleton, c *Clip) bool {
	ground := math.Inf(1)
	for f := 0; f < len(c.Turns); f += max(1, len(c.Turns)/200) {
		p, move := c.At(f)
		ground = math.Min(ground, lowest(NewStanding(theirs, p, move).At))
	}
	return math.Abs(lowest(NewStanding(theirs, nil, r3.Vec{}).At)-ground) < groundShare*theirs.Height()
}

func lowest(at []r3.Vec) float64 {
	low := math.Inf(1)
	for _, p := range at {
		low = math.Min(low, p.Y)
	}
	return low
}

// facing is the turn about the vertical that lays what is on the left of theirs where it is on ours, by all
// pairs; the identity where that is within 20° or nothing tells.
func facing(ours, theirs *skeleton.Skeleton, from []int) quat.Number {
	var a, b, n r3.Vec // middles
	for i, k := range from {
		if k >= 0 {
			a, b, n.X = r3.Add(a, ours.Joints[i].Pos), r3.Add(b, theirs.Joints[k].Pos), n.X+1
		}
	}
	if n.X == 0 {
		return geom.Identity
	}
	a, b = r3.Scale(1/n.X, a), r3.Scale(1/n.X, b)
	sin, cos := 0.0, 0.0
	for i, k := range from {
		if k >= 0 {
			p, q := r3.Sub(ours.Joints[i].Pos, a), r3.Sub(theirs.Joints[k].Pos, b)
			cos += p.X*q.X + p.Z*q.Z
			sin += q.Z*p.X - q.X*p.Z
		}
	}
	if angle := math.Atan2(sin, cos); math.Abs(angle) > 20*math.Pi/180 {
		return geom.AxisAngle(r3.Vec{Y: 1}, angle)
	}
	return geom.Identity
}

// mainChildren are, by our joint that is paired, the paired joint below it that its bone leads to: the
// only one, or where several hang from it the one with most below it. -1 for none.
func mainChildren(ours, theirs *skeleton.Skeleton, from []int) []int {
	n := len(ours.Joints)
	size := make([]int, n)
	for i := n - 1; i >= 0; i-- {
		size[i]++
		if p := ours.Joints[i].Parent; p >= 0 {
			size[p] += size[i]
		}
	}
	next, branches := make([]int, n), make([]int, n)
	for i := range next {
		next[i] = -1
	}
	for i, j := range ours.Joints {
		if from[i] < 0 {
			continue
		}
		above := j.Parent
		for above >= 0 && from[above] < 0 {
			above = ours.Joints[above].Parent
		}
		// Theirs must hang alike, or there is no bone to follow.
		if above < 0 || !hangsFrom(theirs, from[i], from[above]) {
			continue
		}
		branches[above]++
		if next[above] < 0 || middle(ours, above, i) > middle(ours, above, next[above]) ||
			middle(ours, above, i) == middle(ours, above, next[above]) && size[i] > size[next[above]] {
			next[above] = i
		}
	}
	return next
}

// middle ranks what hangs from a joint: what goes on in the middle plane comes before what turns off to a
// side, as the spine before the thighs.
func middle(s *skeleton.Skeleton, above, i int) int {
	d := r3.Sub(s.Joints[i].Pos, s.Joints[above].Pos)
	if math.Abs(s.Joints[above].Pos.X) < 0.02*s.Height() && math.Abs(d.X) > 0.1*r3.Norm(d) {
		return 0
	}
	return 1
}

func hangsFrom(s *skeleton.Skeleton, i, above int) bool {
	for i = s.Joints[i].Parent; i >= 0; i = s.Joints[i].Parent {
		if i == above {
			return true
		}
	}
	return false
}

// legs is how long our legs are over theirs, by the bones that are paired; 0 where none are.
func legs(ours, theirs *skeleton.Skeleton, from []int, x skeleton.Marks) float64 {
	motion, _ := ours.Acts(x)
	mine, other := 0.0, 0.0
	for i, m := range motion {
		if m != skeleton.Ankle || from[i] < 0 {
			continue
		}
		l, ok := LimbOf(ours, i, motion, make([]r3.Vec, len(ours.Joints)))
		if !ok || from[l.Root] < 0 || from[l.Middle] < 0 {
			continue
		}
		for _, bone := range [][2]int{{l.Root, l.Middle}, {l.Middle, l.End}} {
			mine += r3.Norm(r3.Sub(ours.Joints[bone[1]].Pos, ours.Joints[bone[0]].Pos))
			other += r3.Norm(r3.Sub(theirs.Joints[from[bone[1]]].Pos, theirs.Joints[from[bone[0]]].Pos))
		}
	}
	if other == 0 {
		return 0
	}
	return mine / other
}

// footing finds when the feet of a motion stand, and holds ours there.
type footing struct {
	ours   *skeleton.Skeleton
	limbs  []Limb
	theirs []int // the foot of theirs, by limb
	at     [][]r3.Vec
	tall   float64
	step   float64
}

func footingOf(ours, theirs *skeleton.Skeleton, from []int, x skeleton.Marks, step float64) footing {
	f := footing{ours: ours, tall: theirs.Height(), step: step}
	motion, _ := ours.Acts(x)
	bends := Bends(ours, ours.Trials(x))
	for i, m := range motion {
		if m == skeleton.Ankle && from[i] >= 0 {
			if l, ok := LimbOf(ours, i, motion, bends); ok {
				f.limbs, f.theirs = append(f.limbs, l), append(f.theirs, from[i])
			}
		}
	}
	f.at = make([][]r3.Vec, len(f.limbs))
	return f
}

func (f *footing) see(src *Standing) {
	for k, i := range f.theirs {
		f.at[k] = append(f.at[k], src.At[i])
	}
}

// A foot stands while it is slower than a tenth of the height a second and not higher over the lowest
// that it gets to than a twentieth of it; common practice, no source.
const (
	standSlow  = 0.10
	standLow   = 0.05
	standSpell = 0.1 // seconds at least
	standBlend = 4   // frames before and after in which it comes and goes
)

// hold keeps each foot of ours where it is in the middle of every spell in which theirs stands. Where a leg
// is too short for that the whole comes nearer.
func (f *footing) hold(stands []*Standing) (spells int, slid float64) {
	type goal struct {
		limb int
		at   r3.Vec
		held bool
	}
	goals := make([][]goal, len(stands))
	for k, l := range f.limbs {
		standing := f.standing(k)
		shift := map[int]r3.Vec{}
		for i := 0; i < len(standing); {
			if !standing[i] {
				i++
				continue
			}
			end := i
			for end < len(standing) && standing[end] {
				end++
			}
			if float64(end-i)*f.step >= standSpell {
				spells++
				var mean r3.Vec
				for j := i; j < end; j++ {
					mean = r3.Add(mean, r3.Scale(1/float64(end-i), stands[j].At[l.End]))
				}
				for j := i; j < end; j++ {
					goals[j] = append(goals[j], goal{k, mean, true})
				}
				for b := 1; b <= standBlend; b++ {
					w := 1 - float64(b)/(standBlend+1)
					if j := i - b; j >= 0 && !standing[j] {
						shift[j] = r3.Add(shift[j], r3.Scale(w, r3.Sub(mean, stands[i].At[l.End])))
					}
					if j := end - 1 + b; j < len(standing) && !standing[j] {
						shift[j] = r3.Add(shift[j], r3.Scale(w, r3.Sub(mean, stands[end-1].At[l.End])))
					}
				}
			}
			i = end
		}
		for j, by := range shift {
			goals[j] = append(goals[j], goal{k, r3.Add(stands[j].At[l.End], by), false})
		}
	}
	for j, list := range goals {
		st := stands[j]
		for _, g := range list {
			if l := f.limbs[g.limb]; g.held {
				way := r3.Sub(g.at, st.At[l.Root])
				reach := r3.Norm(r3.Sub(st.At[l.Middle], st.At[l.Root])) + r3.Norm(r3.Sub(st.At[l.End], st.At[l.Middle]))
				if d := r3.Norm(way); d > reach {
					st.Shift(r3.Scale(1-(1-1e-9)*reach/d, way))
				}
			}
		}
		for _, g := range list {
			if off := st.Place(f.limbs[g.limb], g.at, r3.Vec{}, true); g.held {
				slid = math.Max(slid, off)
			}
		}
	}
	return spells, slid
}

// standing tells by frame whether foot k of theirs stands.
func (f *footing) standing(k int) []bool {
	at := f.at[k]
	low := math.Inf(1)
	for _, p := range at {
		low = math.Min(low, p.Y)
	}
	out := make([]bool, len(at))
	for i := range at {
		lo, hi := max(0, i-1), min(len(at)-1, i+1)
		frames := float64(hi - lo)
		out[i] = frames > 0 && r3.Norm(r3.Sub(at[hi], at[lo])) < standSlow*f.tall*f.step*frames && at[i].Y-low < standLow*f.tall
	}
	return out
}
