package skeleton

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Axes that come from elsewhere than the convention alone: from the mesh around a joint,
// from another joint, from the partner.

const (
	broadRays  = 24  // that feel for the skin around a bone
	broadLeast = 1.2 // how much broader than thick a limb must be for that to tell an axis
)

// broad returns the unit axis across the broad side of the limb around joint i's bone, in
// the sense in which the joint flexes; false where there is no mesh or the limb is round.
func (b *body) broad(solid *geom.Tree, i int, aim r3.Vec) (r3.Vec, bool) {
	if solid == nil || len(b.children[i]) == 0 {
		return r3.Vec{}, false
	}
	at, to := b.s.Joints[i].Pos, b.s.Joints[b.children[i][0]].Pos
	mid := r3.Add(at, r3.Scale(0.5, r3.Sub(to, at)))
	if math.Abs(solid.Winding(mid)) < 0.5 {
		return r3.Vec{}, false
	}
	reach := solid.Box().Diagonal()
	u := r3.Unit(anyAcross(aim))
	v := r3.Cross(aim, u)
	// Second moments of the places that rays meet, about the bone.
	var uu, uv, vv, n float64
	for k := range broadRays {
		sin, cos := math.Sincos(2 * math.Pi * float64(k) / broadRays)
		d, ok := firstHit(solid, mid, r3.Add(r3.Scale(cos, u), r3.Scale(sin, v)), reach)
		if !ok {
			continue
		}
		n++
		uu, uv, vv = uu+d*d*cos*cos, uv+d*d*cos*sin, vv+d*d*sin*sin
	}
	if n < broadRays/2 {
		return r3.Vec{}, false
	}
	mean, diff := (uu+vv)/2, math.Hypot((uu-vv)/2, uv)
	if mean-diff <= 0 || math.Sqrt((mean+diff)/(mean-diff)) < broadLeast {
		return r3.Vec{}, false
	}
	angle := 0.5 * math.Atan2(2*uv, uu-vv)
	axis := r3.Unit(r3.Add(r3.Scale(math.Cos(angle), u), r3.Scale(math.Sin(angle), v)))
	want, known := b.flexes(i)
	if !known {
		want = r3.Vec{X: 1}
	}
	if r3.Dot(axis, want) < 0 {
		axis = r3.Scale(-1, axis)
	}
	return axis, true
}

// axisOf returns the direction of an axis ("x", "y" or "z") of a joint in the world.
func axisOf(j Joint, axis string) r3.Vec {
	var unit [3]float64
	unit[axis[0]-'x'] = 1
	return geom.Rotate(j.Rot, vec(unit))
}

// along returns the direction of a joint's aim axis, whichever way its side points it, along
// the bone.
func (s *Skeleton) alongBone(i int, c Convention, x Marks) r3.Vec {
	c = s.AxesOf(i, c)
	d := axisOf(s.Joints[i], c.Aim)
	if c.Sides == "mirror" && x.Of(s.Joints[i].Name) == Right {
		return r3.Scale(-1, d)
	}
	return d
}

// Matched returns the skeleton with the roll of joints made equal to that of joint active:
// each bend axis is the active one's, square to the joint's own bone. Which joints could
// not be, since their bones run along that axis, is told.
func (s *Skeleton) Matched(active int, which []int, c Convention, x Marks) (*Skeleton, []string) {
	out := s.Clone()
	children := s.Children()
	want := axisOf(s.Joints[active], s.AxesOf(active, c).Bend)
	var left []string
	for _, i := range which {
		if i == active {
			continue
		}
		aim := s.aim(i, children)
		if r3.Norm2(aim) == 0 {
			aim = s.alongBone(i, c, x)
		}
		c := s.AxesOf(i, c)
		bend := square(want, aim)
		if r3.Norm2(bend) == 0 {
			left = append(left, s.Joints[i].Name)
			continue
		}
		out.Joints[i].Rot = frame(c, aim, bend, c.Sides == "mirror" && x.Of(s.Joints[i].Name) == Right)
	}
	return out, left
}

// CopiedAxes returns the skeleton with the axes of joints copied to their partners by the
// side behaviour of the convention, and those that have no partner.
func (s *Skeleton) CopiedAxes(which []int, c Convention, x Marks) (*Skeleton, []string) {
	out, pairs := s.Clone(), s.Pairs(x)
	var left []string
	for _, i := range which {
		k := pairs.Partner[i]
		if k < 0 {
			left = append(left, s.Joints[i].Name)
			continue
		}
		out.Joints[k].Rot, out.Joints[k].Axes = mirrorTurn(s.Joints[i].Rot, s.AxesOf(i, c)), s.Joints[i].Axes
	}
	return out, left
}

// AlignedEnds returns the skeleton with the chosen end joints (nil: all) having the axes of
// their parents, and how many were turned.
func (s *Skeleton) AlignedEnds(which []int) (*Skeleton, int) {
	out, n := s.Clone(), 0
	chosen := make([]bool, len(s.Joints))
	for i := range chosen {
		chosen[i] = which == nil
	}
	for _, i := range which {
		chosen[i] = true
	}
	for i, list := range s.Children() {
		if p := s.Joints[i].Parent; len(list) == 0 && p >= 0 && chosen[i] && out.Joints[i].Rot != s.Joints[p].Rot {
			out.Joints[i].Rot = s.Joints[p].Rot
			n++
		}
	}
	return out, n
}

// Stillness returns how far a joint stands, at the most, from where its own turn and that
// of its parents put it: what giving other axes may move, metres. It is rounding.
func (s *Skeleton) Stillness() float64 {
	far := 0.0
	at := make([]r3.Vec, len(s.Joints))
	for i, j := range s.Joints {
		t, _ := s.Local(i)
		at[i] = t
		if j.Parent >= 0 {
			at[i] = r3.Add(at[j.Parent], geom.Rotate(s.Joints[j.Parent].Rot, t))
		}
		far = math.Max(far, r3.Norm(r3.Sub(at[i], j.Pos)))
	}
	return far
}

// Segment is a bone with twist joints on it.
type Segment struct {
	From, To int   // the joints that it runs between
	Twists   []int // in order from From
	Off      float64
}

// TwistSegments finds the twist joints of a skeleton by their names, those in the middle of
// a bone and those beside one, and how far they are off the line, over its length.
func (s *Skeleton) TwistSegments(x Marks) []Segment {
	children := s.Children()
	twist := make([]bool, len(s.Joints))
	for i, j := range s.Joints {
		twist[i] = j.Helper == nil && x.MotionOf(j.Name) == Twist
	}
	by := map[[2]int]*Segment{}
	var order [][2]int
	for i := range s.Joints {
		if !twist[i] {
			continue
		}
		from := s.Joints[i].Parent
		for from >= 0 && twist[from] {
			from = s.Joints[from].Parent
		}
		if from < 0 {
			continue
		}
		to := i
		for twist[to] {
			next := -1
			for _, k := range children[to] {
				if next < 0 || !twist[k] {
					next = k
				}
			}
			if next < 0 {
				break
			}
			to = next
		}
		if twist[to] { // it hangs beside the bone
			to = -1
			for _, k := range children[from] {
				if !twist[k] &&
					(to < 0 || r3.Norm(r3.Sub(s.Joints[k].Pos, s.Joints[from].Pos)) > r3.Norm(r3.Sub(s.Joints[to].Pos,
						s.Joints[from].Pos))) {
					to = k
				}
			}
			if to < 0 {
				continue
			}
		}
		key := [2]int{from, to}
		if by[key] == nil {
			by[key] = &Segment{From: from, To: to}
			order = append(order, key)
		}
		by[key].Twists = append(by[key].Twists, i)
	}
	var out []Segment
	for _, key := range order {
		g := by[key]
		a, b := s.Joints[g.From].Pos, s.Joints[g.To].Pos
		length := r3.Norm(r3.Sub(b, a))
		if length == 0 {
			continue
		}
		way := r3.Scale(1/length, r3.Sub(b, a))
		share := func(i int) float64 { return r3.Dot(r3.Sub(s.Joints[i].Pos, a), way) }
		for k := 1; k < len(g.Twists); k++ { // few: put in order by insertion
			for n := k; n > 0 && share(g.Twists[n]) < share(g.Twists[n-1]); n-- {
				g.Twists[n], g.Twists[n-1] = g.Twists[n-1], g.Twists[n]
			}
		}
		for _, i := range g.Twists {
			on, _ := geom.ClosestOnSegment(s.Joints[i].Pos, a, b)
			g.Off = math.Max(g.Off, r3.Norm(r3.Sub(s.Joints[i].Pos, on))/length)
		}
		out = append(out, *g)
	}
	return out
}

// AlignedTwists returns the skeleton with the twist joints of the segments evenly on their
// lines, with the axes of the joint that the line begins at, each taking its share of the
// twist. It tells how far the farthest moved, metres.
func (s *Skeleton) AlignedTwists(list []Segment) (*Skeleton, float64) {
	out, far := s.Clone(), 0.0
	for _, g := range list {
		a, b := s.Joints[g.From].Pos, s.Joints[g.To].Pos
		for k, i := range g.Twists {
			share := float64(k+1) / float64(len(g.Twists)+1)
			p := r3.Add(a, r3.Scale(share, r3.Sub(b, a)))
			far = math.Max(far, r3.Norm(r3.Sub(p, s.Joints[i].Pos)))
			j := &out.Joints[i]
			j.Pos, j.Rot = p, s.Joints[g.From].Rot
			c := Constraints{}
			if j.Keeps != nil {
				c = *j.Keeps
			}
			c.Share = share
			j.Keeps = &c
		}
	}
	return out, far
}

// Ordered returns the skeleton with orders of turns by name of joint.
func (s *Skeleton) Ordered(orders map[string]string) (*Skeleton, error) {
	out := s.Clone()
	for name, order := range orders {
		i, err := s.Find(name)
		if err != nil {
			return nil, err
		}
		if !IsOrder(order) {
			return nil, fmt.Errorf("%q is not a rotation order: give x, y and z once each, first rotation first", order)
		}
		if order == "xyz" {
			order = ""
		}
		out.Joints[i].Order = order
	}
	return out, nil
}
