package skeleton

import (
	"math"
	"slices"
	"strings"
	"unicode"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Which way a joint bends follows from what it is. At the rest pose of a character limbs
// are nearly straight, so that the plane of their bones says little: a bend of 4° that a
// fit placed a few millimetres off points anywhere.

// Motion is the joint of a body that a joint stands for.
type Motion int

// The motions that are told apart.
const (
	Other    Motion = iota // nothing is known of it
	Twist                  // in the middle of a bone: it goes with its parent
	Girdle                 // clavicle, scapula
	Shoulder               // upper arm, humerus, wing
	Elbow
	Wrist // carpus
	Finger
	Thumb
	Hip
	Knee  // stifle
	Ankle // hock
	Toe
	Jaw
	Trunk // spine, neck, head
	Tail
)

// String returns the word of the trade.
func (m Motion) String() string {
	return [...]string{"joint", "twist", "shoulder girdle", "shoulder", "elbow", "wrist", "finger", "thumb", "hip", "knee", "ankle", "toe", "jaw", "spine", "tail"}[m]
}

// Hinge reports whether a joint of that motion bends in one plane that is known, within
// some ten degrees: elbows, knees and their like, thumbs in a plane of their own, and hips,
// whose swing forward is what walking needs. A wrist or a clavicle has no such plane.
func (m Motion) Hinge() bool {
	switch m {
	case Elbow, Finger, Thumb, Hip, Knee, Ankle, Jaw:
		return true
	}
	return false
}

// words tell the motion of a joint by its name, the first that fits.
var words = []struct {
	any    []string
	motion Motion
}{
	{[]string{"twist", "roll"}, Twist},
	{[]string{"eye", "ear", "beak", "feather", "metacarpal", "root"}, Other},
	{[]string{"thumb"}, Thumb},
	{[]string{"index", "middle", "ring", "little", "finger", "fingers"}, Finger},
	{[]string{"forearm", "lower arm", "elbow", "radius", "ulna"}, Elbow},
	{[]string{"upper arm", "humerus", "wing"}, Shoulder},
	{[]string{"clavicle", "collar", "scapula"}, Girdle},
	{[]string{"hand", "wrist", "carpus"}, Wrist},
	{[]string{"shank", "calf", "shin", "lower leg", "knee", "tibia", "stifle"}, Knee},
	{[]string{"thigh", "upper leg", "femur"}, Hip},
	{[]string{"foot", "ankle", "hock", "tarsus"}, Ankle},
	{[]string{"toe", "toes", "ball"}, Toe},
	{[]string{"jaw", "mandible"}, Jaw},
	{[]string{"spine", "chest", "neck", "head", "hips", "pelvis", "waist", "torso"}, Trunk},
	{[]string{"tail"}, Tail},
}

// MotionOf tells what a joint is by its name; Other where the name tells nothing.
func (x Marks) MotionOf(name string) Motion {
	stem, _ := x.Split(name)
	var parts []string
	word := ""
	end := func() {
		if word != "" {
			parts, word = append(parts, word), ""
		}
	}
	upper := false
	for _, r := range stem {
		switch {
		case !unicode.IsLetter(r):
			end()
		case unicode.IsUpper(r) && !upper:
			end()
			word = string(unicode.ToLower(r))
		default:
			word += string(unicode.ToLower(r))
		}
		upper = unicode.IsUpper(r)
	}
	end()
	text := " " + strings.Join(parts, " ") + " "
	for _, w := range words {
		for _, one := range w.any {
			if strings.Contains(text, " "+one+" ") || strings.Contains(text, " "+strings.ReplaceAll(one, " ", "")+" ") {
				return w.motion
			}
		}
	}
	return Other
}

// body is what of a whole skeleton the motions of its joints depend on.
type body struct {
	s        *Skeleton
	x        Marks
	motion   []Motion
	children [][]int
	aims     []r3.Vec
	lying    bool // the trunk lies, as of a beast
	winged   bool
}

func (s *Skeleton) body(x Marks) *body {
	b := &body{s: s, x: x, motion: make([]Motion, len(s.Joints)), children: s.Children(), aims: make([]r3.Vec, len(s.Joints))}
	low, high := -1, -1
	for i, j := range s.Joints {
		if j.Helper == nil { // one is named after its driver
			b.motion[i] = x.MotionOf(j.Name)
		}
		b.aims[i] = s.aim(i, b.children)
		b.winged = b.winged || strings.Contains(strings.ToLower(j.Name), "feather") || strings.Contains(strings.ToLower(j.Name), "wing")
		if b.motion[i] == Hip && low < 0 {
			low = i
		}
		if b.motion[i] == Shoulder && high < 0 {
			high = i
		}
	}
	if low >= 0 && high >= 0 {
		d := r3.Sub(s.Joints[high].Pos, s.Joints[low].Pos)
		b.lying = math.Abs(d.Z) > d.Y
	}
	for i, m := range b.motion {
		if m == Finger && (b.lying || b.winged) {
			b.motion[i] = Toe // of a paw
		}
	}
	return b
}

// Lying reports whether the trunk lies, as of a beast on four legs.
func (s *Skeleton) Lying(x Marks) bool { return s.body(x).lying }

var front, up = r3.Vec{Z: 1}, r3.Vec{Y: 1}

// flexion returns the direction in which the far end of joint i goes when it flexes, in
// the character's frame: Y up, facing +Z. false where nothing is known. The directions are
// those of the ISB (Wu et al. 2002, 2005) for people: hip, shoulder and elbow forward, knee
// back, ankle up (dorsiflexion), fingers and wrist to the palm. Limbs of beasts fold in the
// sagittal plane; elbow and stifle as in people (Dyce, Sack and Wensing, Textbook of
// Veterinary Anatomy, from memory).
func (b *body) flexion(i int) (r3.Vec, bool) {
	d := b.aims[i]
	if r3.Norm2(d) == 0 {
		return r3.Vec{}, false
	}
	switch b.motion[i] {
	case Elbow, Shoulder:
		if math.Abs(d.Z) > 0.85 { // held out in front: it folds up
			return up, true
		}
		return front, true
	case Girdle:
		if b.lying {
			return front, true
		}
		return up, true
	case Wrist:
		if b.lying || b.winged {
			return r3.Scale(-1, front), true
		}
		return b.palm(i), true
	case Finger:
		return b.palm(i), true
	case Hip:
		return b.forward(i), true
	case Knee:
		return r3.Scale(-1, b.forward(i)), true
	case Ankle, Toe:
		if d.Y < -0.7 { // a hock, or a paw that stands
			return front, true
		}
		return b.towardsShin(i), true
	case Jaw, Trunk, Tail:
		return r3.Cross(r3.Vec{X: 1}, d), true // about +X: to bow
	}
	return r3.Vec{}, false
}

// towardsShin is where a foot or a toe goes when it bends up: back along the shank, however the leg is posed; up where the
// foot runs on from it.
func (b *body) towardsShin(i int) r3.Vec {
	d := r3.Unit(b.aims[i])
	for k, n := b.s.Joints[i].Parent, 0; k >= 0 && n < 2; k, n = b.s.Joints[k].Parent, n+1 {
		if m := b.motion[k]; m != Ankle && m != Knee || r3.Norm2(b.aims[k]) == 0 {
			break
		}
		if shin := r3.Unit(b.aims[k]); math.Abs(r3.Dot(shin, d)) < 0.9 {
			return r3.Scale(-1, shin)
		}
	}
	return up
}

// forward is where a bone of a leg swings about the leg's own axis across: forward from where it hangs, up from where it
// is level in front, as of a body that sits.
func (b *body) forward(i int) r3.Vec {
	front := b.legFront(i)
	if b.lying || b.winged {
		return front
	}
	if way := r3.Cross(r3.Cross(front, up), r3.Unit(b.aims[i])); r3.Norm(way) > 0.2 {
		return r3.Unit(way)
	}
	return front
}

// legFront is where the leg of joint i faces: with its foot, where that points forward
// within 60°, since knees follow the feet; of beasts straight ahead.
func (b *body) legFront(i int) r3.Vec {
	if b.lying || b.winged {
		return front
	}
	for _, k := range b.s.Branch(i) {
		if b.motion[k] != Ankle {
			continue
		}
		d := b.aims[k]
		d.Y = 0
		if r3.Norm(d) > 0.3 && r3.Unit(d).Z > 0.5 {
			return r3.Unit(d)
		}
		break
	}
	return front
}

// palm is the direction out of the palm of the hand of joint i: across the fingers and
// the line of their knuckles where there are fingers, else as hands hang: down from arms
// held out, inward from arms held down.
func (b *body) palm(i int) r3.Vec {
	hand := i
	for hand >= 0 && b.motion[hand] != Wrist {
		hand = b.s.Joints[hand].Parent
	}
	along, side := b.aims[i], b.side(i)
	if hand >= 0 {
		along = b.aims[hand]
	}
	palm := r3.Cross(along, front)
	if side == Right {
		palm = r3.Scale(-1, palm)
	}
	if r3.Norm(palm) < 0.3 {
		palm = r3.Vec{Y: -1}
	}
	if hand < 0 {
		return palm
	}
	// The knuckles, from the index to the little finger; the thumb is none of them.
	order := []string{"index", "middle", "ring", "little"}
	var first, last r3.Vec
	low, high := len(order), -1
	for _, k := range b.children[hand] {
		at := slices.IndexFunc(order, func(name string) bool { return strings.Contains(strings.ToLower(b.s.Joints[k].Name), name) })
		if at < 0 {
			continue
		}
		if at < low {
			low, first = at, b.s.Joints[k].Pos
		}
		if at > high {
			high, last = at, b.s.Joints[k].Pos
		}
	}
	across := r3.Sub(last, first)
	if low >= high || r3.Norm(across) < geom.SameShare*b.s.Size() {
		return palm
	}
	out := r3.Cross(along, across)
	if side == Left { // index to little finger, seen along the fingers
		out = r3.Scale(-1, out)
	}
	if r3.Norm(out) < 0.3*r3.Norm(across) {
		return palm
	}
	return r3.Unit(out)
}

// side is that of a name, or of the place.
func (b *body) side(i int) Side {
	if side := b.x.Of(b.s.Joints[i].Name); side != Centre {
		return side
	}
	switch x := b.s.Joints[i].Pos.X; {
	case x > 0:
		return Left
	case x < 0:
		return Right
	}
	return Centre
}

// Rest bends below unclear say nothing of the plane in which a joint folds, those above
// clear all of it. A fit puts an elbow some 6° of bend off its place, which turns the plane
// of a bend of 15° by more than 20°: over the sixty variants of the demo every tenth elbow
// with 5° and 15° here, none with these.
const (
	unclear = 15 * math.Pi / 180
	clear   = 40 * math.Pi / 180
)

// flexes returns the unit axis about which joint i flexes with a positive turn, in world
// frame and square to its bone; false where nothing tells it. It is the anatomical axis
// where the joint is nearly straight and the one that its bones show where they are
// clearly bent.
func (b *body) flexes(i int) (r3.Vec, bool) {
	if b.motion[i] == Thumb {
		return b.thumbFlexes(i)
	}
	f, known := b.flexion(i)
	d := b.aims[i]
	if !known {
		return r3.Vec{}, false
	}
	axis := square(r3.Cross(d, f), d)
	own, angle := b.fold(i)
	if r3.Norm2(axis) == 0 {
		return own, r3.Norm2(own) > 0
	}
	if !slices.Contains([]Motion{Elbow, Knee, Ankle, Finger, Wrist, Toe}, b.motion[i]) {
		return axis, true
	}
	return square(asBent(axis, own, angle), d), true
}

// asBent is the axis of a hinge, from the anatomical one and the one about which it is bent at
// rest by an angle: the more it is bent, the more that one tells.
func asBent(axis, own r3.Vec, angle float64) r3.Vec {
	if angle < unclear || r3.Dot(own, axis) < 0.5 && angle < clear {
		return axis // too little to tell, or a slight bend across or the wrong way
	}
	w := math.Min(1, (angle-unclear)/(clear-unclear))
	return r3.Add(r3.Scale(1-w, axis), r3.Scale(w, own))
}

// thumbTurned is how far a thumb is turned about its length against the fingers, so that it
// folds across the palm and not into it: 80° of pronation at rest (Cooney, Lucca, Chao and
// Linscheid 1981, The kinesiology of the thumb trapeziometacarpal joint, from memory).
const thumbTurned = 80 * math.Pi / 180

// thumbFlexes is flexes for a joint of a thumb. All joints of one thumb fold about one axis,
// that of the thumb as a whole: its short bones, taken one by one, would each tell another.
func (b *body) thumbFlexes(i int) (r3.Vec, bool) {
	d := b.aims[i]
	first := i
	for p := b.s.Joints[first].Parent; p >= 0 && b.motion[p] == Thumb; p = b.s.Joints[first].Parent {
		first = p
	}
	last := first
	var from, to r3.Vec // the first and the last bone
	for len(b.children[last]) > 0 {
		next := b.children[last][0]
		if bone := r3.Sub(b.s.Joints[next].Pos, b.s.Joints[last].Pos); r3.Norm(bone) > geom.SameShare*b.s.Size() {
			to = r3.Unit(bone)
			if r3.Norm2(from) == 0 {
				from = to
			}
		}
		last = next
	}
	whole := r3.Sub(b.s.Joints[last].Pos, b.s.Joints[first].Pos)
	if r3.Norm2(d) == 0 || r3.Norm(whole) < geom.SameShare*b.s.Size() {
		return r3.Vec{}, false
	}
	whole = r3.Unit(whole)
	palm, across := b.hand(first)
	sin, cos := math.Sincos(thumbTurned)
	axis := square(r3.Cross(whole, r3.Add(r3.Scale(cos, palm), r3.Scale(sin, across))), whole)
	fold := r3.Cross(from, to)
	angle := math.Atan2(r3.Norm(fold), r3.Dot(from, to))
	own := square(fold, whole)
	switch {
	case r3.Norm2(axis) == 0:
		axis = own
	case r3.Norm2(own) > 0:
		axis = asBent(axis, own, angle/2) // its bones are short: what a fit is off by bends them more
	}
	axis = square(axis, d)
	return axis, r3.Norm2(axis) > 0
}

// hand returns the directions out of the palm and across it, from the index to the little
// finger, of the hand of joint i.
func (b *body) hand(i int) (palm, across r3.Vec) {
	palm = b.palm(i)
	along := b.aims[i]
	for k := i; k >= 0; k = b.s.Joints[k].Parent {
		if b.motion[k] == Wrist {
			along = b.aims[k]
			break
		}
	}
	across = r3.Cross(along, palm)
	if b.side(i) == Right {
		across = r3.Scale(-1, across)
	}
	return palm, across
}

// fold returns the unit axis about which joint i is bent at rest against the bone that it
// hangs from, and by how much; zero if it hangs from none alone.
func (b *body) fold(i int) (axis r3.Vec, angle float64) {
	p := b.s.Joints[i].Parent
	if p < 0 || r3.Norm2(b.aims[p]) == 0 || r3.Norm2(b.aims[i]) == 0 {
		return r3.Vec{}, 0
	}
	came := r3.Sub(b.s.Joints[i].Pos, b.s.Joints[p].Pos)
	if r3.Norm(came) < geom.SameShare*b.s.Size() {
		return r3.Vec{}, 0
	}
	came = r3.Unit(came)
	axis = r3.Cross(came, b.aims[i])
	angle = math.Atan2(r3.Norm(axis), r3.Dot(came, b.aims[i]))
	return square(axis, b.aims[i]), angle
}
