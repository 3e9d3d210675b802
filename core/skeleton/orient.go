package skeleton

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Convention says how the joints of a production are turned. A joint's bend
// axis stands on the plane in which it bends, so that a positive turn bends it
// further; the ISB recommendations (Wu et al. 2002, 2005) likewise put the
// flexion axis across and the long axis along the segment.
type Convention struct {
	Aim  string `json:"aim"`  // axis along the bone: "x", "y" or "z"
	Bend string `json:"bend"` // axis the joint bends about, another of the three
	// From is where the bend axis comes from: "bend", the way in which a joint of
	// that name bends and the plane of the bones where they are clearly bent, else
	// the parent's axis; "world", the direction World brought square to the bone; or
	// "surface", across the broad side of the limb, as the mesh around it is.
	From  string     `json:"from"`
	World [3]float64 `json:"world"`
	// By is where it comes from for the kinds of chains that want another way.
	By Chains `json:"by,omitzero"`
	// Ends is what end joints get: "inherit", also "", is the axes of their parents, so that
	// their own turn is none; "align" is axes like any other joint's.
	Ends string `json:"ends,omitempty"`
	// Sides is "bend": the aim follows the bone on both sides and the same
	// positive turn bends both; or "mirror": the right side's axes are the
	// negated mirror image of the left's, so that any equal turn looks mirrored.
	Sides string `json:"sides"`
}

// Chains is a source of the bend axis for each kind of chain; "" is the convention's own.
type Chains struct {
	Arm     string `json:"arm,omitempty"`
	Leg     string `json:"leg,omitempty"`
	Spine   string `json:"spine,omitempty"`
	Fingers string `json:"fingers,omitempty"`
	Tail    string `json:"tail,omitempty"`
}

// from returns where the bend axis of a joint of a motion comes from.
func (c Convention) from(m Motion) string {
	own := ""
	switch m {
	case Girdle, Shoulder, Elbow, Wrist:
		own = c.By.Arm
	case Hip, Knee, Ankle, Toe:
		own = c.By.Leg
	case Trunk, Jaw:
		own = c.By.Spine
	case Finger, Thumb:
		own = c.By.Fingers
	case Tail:
		own = c.By.Tail
	}
	return cmp.Or(own, c.From)
}

// AsksTheSurface reports whether any bend axis comes from the mesh.
func (c Convention) AsksTheSurface() bool {
	return slices.Contains([]string{c.From, c.By.Arm, c.By.Leg, c.By.Spine, c.By.Fingers, c.By.Tail}, "surface")
}

// Third is the axis that is neither along the bone nor that of the bend.
func (c Convention) Third() string { return string("xyz"[3-int(c.Aim[0]-'x')-int(c.Bend[0]-'x')]) }

// DefaultConvention aims Y along the bone and bends about X.
var DefaultConvention = Convention{Aim: "y", Bend: "x", From: "bend", World: [3]float64{1, 0, 0}, Sides: "bend"}

// Validate reports an axis or word that Orient does not know.
func (c Convention) Validate() error {
	axes := map[string]bool{"x": true, "y": true, "z": true}
	switch {
	case !axes[c.Aim] || !axes[c.Bend] || c.Aim == c.Bend:
		return fmt.Errorf("aim axis %q and bend axis %q must be two different ones of x, y and z", c.Aim, c.Bend)
	case !slices.Contains(sources, c.From):
		return fmt.Errorf("the bend axis comes from \"bend\", \"world\" or \"surface\", not %q", c.From)
	case c.Ends != "" && c.Ends != "inherit" && c.Ends != "align":
		return fmt.Errorf("end joints \"inherit\" or \"align\", not %q", c.Ends)
	case c.Sides != "bend" && c.Sides != "mirror":
		return fmt.Errorf("sides are \"bend\" or \"mirror\", not %q", c.Sides)
	case r3.Norm(vec(c.World)) == 0 || !geom.Finite(vec(c.World)):
		return fmt.Errorf("the world direction %v points nowhere", c.World)
	}
	for _, own := range []string{c.By.Arm, c.By.Leg, c.By.Spine, c.By.Fingers, c.By.Tail} {
		if own != "" && !slices.Contains(sources, own) {
			return fmt.Errorf("the bend axis of a kind of chain comes from \"bend\", \"world\" or \"surface\", not %q", own)
		}
	}
	return nil
}

// sources are where a bend axis may come from.
var sources = []string{"bend", "world", "surface"}

func vec(a [3]float64) r3.Vec { return r3.Vec{X: a[0], Y: a[1], Z: a[2]} }

// straight is the sine of the angle below which two bones have no plane.
const straight = 0.02

// Orient is OrientOn without a mesh: what would come from the surface comes from the bend.
func (s *Skeleton) Orient(which []int, c Convention, x Marks) (*Skeleton, error) {
	return s.OrientOn(nil, which, c, x)
}

// AxesOf is the convention of joint i: that of its chain, or c, the character's.
func (s *Skeleton) AxesOf(i int, c Convention) Convention {
	if own := s.Joints[i].Axes; own != (Convention{}) {
		return own
	}
	return c
}

// WithAxesOf returns the skeleton with own as the convention of the chosen joints; where that is
// c, the character's, they have none of their own. nil chooses all.
func (s *Skeleton) WithAxesOf(which []int, own, c Convention) *Skeleton {
	if own == c {
		own = Convention{}
	}
	out := s.Clone()
	for i := range out.Joints {
		if which == nil || slices.Contains(which, i) {
			out.Joints[i].Axes = own
		}
	}
	return out
}

// OrientOn returns the skeleton with the chosen joints turned by their conventions; nil
// chooses all. c is for joints whose chain has none of its own. No joint moves. solid is the
// tree of the mesh around it, or nil.
func (s *Skeleton) OrientOn(solid *geom.Tree, which []int, c Convention, x Marks) (*Skeleton, error) {
	if err := c.Validate(); err != nil {
		return nil, err
	}
	out := s.Clone()
	chosen := make([]bool, len(s.Joints))
	for i := range chosen {
		chosen[i] = which == nil
	}
	for _, i := range which {
		chosen[i] = true
	}
	aims, bends := s.directions(solid, c, x)
	children := s.Children()
	for i, j := range s.Joints {
		switch {
		case !chosen[i]:
		case len(children[i]) == 0 && j.Parent >= 0 && s.AxesOf(i, c).Ends != "align":
			out.Joints[i].Rot = out.Joints[j.Parent].Rot
		default:
			c := s.AxesOf(i, c)
			flip := c.Sides == "mirror" && x.Of(s.Joints[i].Name) == Right
			out.Joints[i].Rot = frame(c, aims[i], bends[i], flip)
		}
	}
	return out, nil
}

// frame returns the rotation whose aim axis is along aim and whose bend axis
// is bend, both unit and square to each other; flip turns it half round bend.
func frame(c Convention, aim, bend r3.Vec, flip bool) quat.Number {
	if flip {
		aim = r3.Scale(-1, aim)
		// Negating aim and the third axis keeps bend and handedness.
	}
	var axes [3]r3.Vec
	a, b := int(c.Aim[0]-'x'), int(c.Bend[0]-'x')
	axes[a], axes[b] = aim, bend
	third := 3 - a - b
	axes[third] = r3.Cross(axes[(third+1)%3], axes[(third+2)%3])
	return geom.FromAxes(axes[0], axes[1], axes[2])
}

// directions returns unit aim and bend directions of every joint.
func (s *Skeleton) directions(solid *geom.Tree, c Convention, x Marks) (aims, bends []r3.Vec) {
	n := len(s.Joints)
	children := s.Children()
	aims, bends = make([]r3.Vec, n), make([]r3.Vec, n)
	fromChild := make([]bool, n) // took its plane from the bend at its child
	b := s.body(x)
	for i, j := range s.Joints {
		c := s.AxesOf(i, c)
		aims[i] = s.aim(i, children)
		if r3.Norm2(aims[i]) == 0 { // an end joint, or coincident with its child
			aims[i] = r3.Vec{Y: 1}
			if j.Parent >= 0 {
				aims[i] = aims[j.Parent]
			}
		}
		from := c.from(b.motion[i])
		if from == "surface" {
			from = "bend"
			if axis, ok := b.broad(solid, i, aims[i]); ok {
				bends[i] = axis
				continue
			}
		}
		if from == "bend" {
			if axis, ok := b.flexes(i); ok {
				bends[i] = axis
				continue
			}
			if b.motion[i] == Twist && j.Parent >= 0 {
				bends[i] = square(bends[j.Parent], aims[i])
				if r3.Norm2(bends[i]) > 0 {
					continue
				}
			}
			bends[i], fromChild[i] = s.bendPlane(i, children, aims, bends, fromChild)
			// A spine bends either way; where it begins it takes the world's sense.
			if x.Of(j.Name) == Centre && s.startsChain(i, children) && r3.Dot(bends[i], vec(c.World)) < 0 {
				bends[i] = r3.Scale(-1, bends[i])
			}
		}
		if r3.Norm2(bends[i]) == 0 {
			bends[i] = worldBend(c, aims[i], x.Of(j.Name))
		}
	}
	return aims, bends
}

// aim returns the unit direction of joint i's bone: to its only child, or to
// the child that goes on most nearly as the parent's bone came.
func (s *Skeleton) aim(i int, children [][]int) r3.Vec {
	var best r3.Vec
	came := r3.Vec{Y: 1}
	least := geom.SameShare * s.Size()
	if p := s.Joints[i].Parent; p >= 0 && r3.Norm(r3.Sub(s.Joints[i].Pos, s.Joints[p].Pos)) > least {
		came = r3.Unit(r3.Sub(s.Joints[i].Pos, s.Joints[p].Pos))
	}
	score := math.Inf(-1)
	for _, k := range children[i] {
		d := r3.Sub(s.Joints[k].Pos, s.Joints[i].Pos)
		if r3.Norm(d) <= least {
			continue
		}
		d = r3.Unit(d)
		if v := r3.Dot(d, came); v > score {
			score, best = v, d
		}
	}
	return best
}

// bendPlane returns the unit bend axis of joint i, zero if nothing tells it.
// The upper joint of a limb takes the plane of the joint below it and that one
// the same plane, so that both turn about one axis; joints without a bend of
// their own continue their parent's, and all of a chain point the same way.
func (s *Skeleton) bendPlane(i int, children [][]int, aims, bends []r3.Vec, fromChild []bool) (r3.Vec, bool) {
	p := s.Joints[i].Parent
	own, below := r3.Vec{}, r3.Vec{}
	if p >= 0 && len(children[p]) == 1 {
		own = r3.Cross(aims[p], aims[i])
	}
	if len(children[i]) == 1 {
		k := children[i][0]
		if d := s.aim(k, children); r3.Norm2(d) > 0 {
			below = r3.Cross(aims[i], d)
		}
	}
	pick, child := r3.Vec{}, false
	switch {
	case p >= 0 && fromChild[p] && r3.Norm(own) > straight:
		pick = own
	case r3.Norm(below) > straight:
		pick, child = below, true
	case r3.Norm(own) > straight:
		pick = own
	}
	if !s.startsChain(i, children) {
		before := square(bends[p], aims[i])
		if r3.Norm2(pick) == 0 {
			return before, false
		}
		if r3.Dot(pick, before) < 0 {
			pick = r3.Scale(-1, pick)
		}
	}
	return square(pick, aims[i]), child
}

// startsChain reports whether joint i is a root or one of several children.
func (s *Skeleton) startsChain(i int, children [][]int) bool {
	p := s.Joints[i].Parent
	return p < 0 || len(children[p]) > 1
}

// square returns v made perpendicular to the unit direction d and of unit
// length; zero if nothing is left of it.
func square(v, d r3.Vec) r3.Vec {
	v = r3.Sub(v, r3.Scale(r3.Dot(v, d), d))
	if r3.Norm(v) < geom.Slant {
		return r3.Vec{}
	}
	return r3.Unit(v)
}

// worldBend returns the convention's world direction square to aim, for the
// right side as the mirrored turn needs it; a direction along the bone gives
// way to the next axis.
func worldBend(c Convention, aim r3.Vec, side Side) r3.Vec {
	w := vec(c.World)
	for _, d := range []r3.Vec{r3.Unit(w), {Z: 1}, {X: 1}, {Y: 1}} {
		if side == Right {
			d = r3.Vec{X: d.X, Y: -d.Y, Z: -d.Z}
		}
		if math.Abs(r3.Dot(d, aim)) < 0.95 {
			return square(d, aim)
		}
	}
	return square(r3.Vec{X: 1}, aim)
}

// AxesOff returns for each joint the angle in radians between its aim axis, by the convention of
// its chain or else by c, and its bone,
// whichever way the side convention points it; 0 for end joints.
func (s *Skeleton) AxesOff(c Convention, x Marks) []float64 {
	children := s.Children()
	out := make([]float64, len(s.Joints))
	for i, j := range s.Joints {
		d := s.aim(i, children)
		if r3.Norm2(d) == 0 {
			continue
		}
		c := s.AxesOf(i, c)
		axis := axisOf(j, c.Aim)
		if c.Sides == "mirror" && x.Of(j.Name) == Right {
			axis = r3.Scale(-1, axis)
		}
		out[i] = math.Acos(math.Max(-1, math.Min(1, r3.Dot(axis, d))))
	}
	return out
}
