package skeleton

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Segment lengths and heights as shares of body height (Drillis & Contini
// 1966, as tabled in Winter, Biomechanics and Motor Control of Human Movement).
const (
	ShoulderHeight = 0.818
	HipHeight      = 0.530
	KneeHeight     = 0.285
	AnkleHeight    = 0.039
	UpperArm       = 0.186
	Forearm        = 0.146
	Hand           = 0.108
	// From memory of the same table.
	shoulderHalf = 0.129
	hipHalf      = 0.0495
	footLength   = 0.152
	headNeck     = 0.870 // height of the chin and so about the top of the neck
)

// Params say which starter, and how many of each part it has. What a kind does
// not have is not read.
type Params struct {
	Starter     string  `json:"starter"`   // of Starters
	Height      float64 `json:"height"`    // metres; of a chain its length
	Spine       int     `json:"spine"`     // joints between hips and neck, 1–6
	Neck        int     `json:"neck"`      // 1–3, of a bird and a quadruped to 6
	Fingers     int     `json:"fingers"`   // 0–5
	Phalanges   int     `json:"phalanges"` // joints a finger, 1–4
	Toes        int     `json:"toes"`      // single toes besides the ball of the foot, 0–5
	Twist       int     `json:"twist"`     // joints within upper arm, forearm, thigh and shank, 0–3
	Tail        int     `json:"tail"`      // 0–12
	Feathers    int     `json:"feathers"`  // joints along each wing behind the wrist, 0–6
	Count       int     `json:"count"`     // joints of a chain, 2–64
	Curved      bool    `json:"curved"`    // of a chain: joints close to each other where it bends
	Joints      int     `json:"joints"`    // of a shape: in all, 0 for as many as it has bends, to 400
	Jaw         bool    `json:"jaw"`
	Eyes        bool    `json:"eyes"`
	Ears        bool    `json:"ears"`
	Scapula     bool    `json:"scapula"`
	Plantigrade bool    `json:"plantigrade"` // walks on the whole foot, no hock off the ground
}

// Kind is a starter that one can begin from, with the parameters that it has at
// first, the names of those that it reads, and what a person may show for its fit:
// tips of limbs (of a beast hand is the fore foot, of a bird the wing), where limbs
// begin, and the middle plane.
type Kind struct {
	Name, Title string
	Default     Params
	Reads       []string
	Shown       []string
}

// Kinds are the starters, in the order in which they are offered.
var Kinds = []Kind{
	{
		"biped",
		"Biped",
		Params{Starter: "biped", Height: 1.7, Spine: 3, Neck: 1, Phalanges: 3},
		[]string{"spine", "neck", "fingers", "phalanges", "toes", "twist", "jaw", "eyes"},
		[]string{"head", "hand_l", "hand_r", "foot_l", "foot_r", "begin neck", "begin arm_l", "begin arm_r", "begin legs", "middle plane"},
	},
	{
		"quadruped",
		"Quadruped",
		Params{Starter: "quadruped", Height: 0.8, Spine: 4, Neck: 2, Tail: 5, Scapula: true},
		[]string{"spine", "neck", "tail", "toes", "twist", "jaw", "eyes", "ears", "scapula", "plantigrade"},
		[]string{
			"head",
			"tail",
			"hand_l",
			"hand_r",
			"foot_l",
			"foot_r",
			"begin neck",
			"begin tail",
			"begin arm_l",
			"begin arm_r",
			"begin leg_l",
			"begin leg_r",
			"middle plane",
		},
	},
	{
		"bird",
		"Bird",
		Params{Starter: "bird", Height: 0.6, Spine: 2, Neck: 3, Tail: 2, Feathers: 2},
		[]string{"spine", "neck", "tail", "toes", "feathers", "jaw", "eyes"},
		[]string{
			"head",
			"tail",
			"hand_l",
			"hand_r",
			"foot_l",
			"foot_r",
			"begin neck",
			"begin tail",
			"begin wing_l",
			"begin wing_r",
			"begin leg_l",
			"begin leg_r",
			"middle plane",
		},
	},
	{"hand", "Hand", Params{Starter: "hand", Height: 0.2, Fingers: 5, Phalanges: 3}, []string{"fingers", "phalanges"}, []string{"hand"}},
	{"chain", "Chain", Params{Starter: "chain", Height: 1, Count: 12}, []string{"count", "curved"}, []string{"head", "tail"}},
	{"shape", "From the shape", Params{Starter: "shape", Height: 1}, []string{"joints"}, []string{"middle plane"}},
	{"empty", "Empty, one root", Params{Starter: "empty", Height: 1}, nil, nil},
}

// FindKind returns the starter of that name.
func FindKind(name string) (Kind, error) {
	var names []string
	for _, k := range Kinds {
		if k.Name == name {
			return k, nil
		}
		names = append(names, k.Name)
	}
	return Kind{}, fmt.Errorf("there is no starter %q; there are %s", name, strings.Join(names, ", "))
}

// Check names the first parameter that is out of its range.
func (p Params) Check() error {
	kind, err := FindKind(p.Starter)
	if err != nil {
		return err
	}
	if !(p.Height > 0) || p.Height > 1e4 {
		return fmt.Errorf("the height of a starter must be above zero, not %g", p.Height)
	}
	longNeck := 3
	if p.Starter != "biped" {
		longNeck = 6
	}
	for _, x := range []struct {
		name        string
		value, a, b int
	}{{"spine", p.Spine, 1, 6}, {"neck", p.Neck, 1, longNeck}, {"fingers", p.Fingers, 0, 5}, {"phalanges", p.Phalanges, 0, 4}, {"toes", p.Toes, 0, 5},
		{"twist", p.Twist, 0, 3}, {"tail", p.Tail, 0, 12}, {"feathers", p.Feathers, 0, 6}, {"count", p.Count, 2, 64}, {"joints", p.Joints, 0, 400}} {
		if slices.Contains(kind.Reads, x.name) && (x.value < x.a || x.value > x.b) {
			return fmt.Errorf("%s is %d to %d for a %s, not %d", x.name, x.a, x.b, p.Starter, x.value)
		}
	}
	return nil
}

// Build returns the starter at its usual proportions, standing at the origin and
// facing +Z, its joints in world frame without turns.
func (p Params) Build() (*Skeleton, error) {
	if err := p.Check(); err != nil {
		return nil, err
	}
	return p.build(), nil
}

func (p Params) build() *Skeleton {
	var l seeds
	switch p.Starter {
	case "quadruped":
		l.quadruped(p)
	case "bird":
		l.bird(p)
	case "hand":
		l.hand(r3.Vec{Y: 0.02}, p.Fingers, p.Phalanges)
	case "chain":
		for i := range p.Count {
			l.add(fmt.Sprintf("chain_%d", i+1), l.last(), r3.Vec{Z: 0.5 - float64(i)/float64(p.Count)})
		}
		l.add("chain_end", l.last(), r3.Vec{Z: -0.5})
	case "empty", "shape": // a shape's joints are those that are read
		l.add("root", "", r3.Vec{})
	default:
		l.biped(p)
	}
	return grow(l, p.Height)
}

// Biped returns the plain two-legged starter at the given height in metres, in a
// T-pose with a slight bend at elbow and knee, so that each knows its way.
func Biped(height float64) *Skeleton {
	kind, err := FindKind("biped")
	if err != nil {
		panic(err) // it stands in the table above
	}
	kind.Default.Height = height
	return kind.Default.build()
}

// seed is a joint of a starter at height 1; those of the left side stand for
// both.
type seed struct {
	name, parent string
	at           r3.Vec
}

type seeds []seed

func (l *seeds) add(name, parent string, at r3.Vec) { *l = append(*l, seed{name, parent, at}) }

func (l seeds) last() string {
	if len(l) == 0 {
		return ""
	}
	return l[len(l)-1].name
}

// between adds n joints at even shares of the way from a to b, named base_1 …,
// and returns the last one, parent if n is 0. The side goes behind the number.
func (l *seeds) between(base, side, parent string, a, b r3.Vec, n int) string {
	for i := range n {
		name := fmt.Sprintf("%s_%d%s", base, i+1, side)
		l.add(name, parent, r3.Add(a, r3.Scale(float64(i+1)/float64(n+1), r3.Sub(b, a))))
		parent = name
	}
	return parent
}

// numbered adds n joints along a line: the first at a, the last at b. A single
// one is called base alone and stands at a.
func (l *seeds) numbered(base, parent string, a, b r3.Vec, n int) string {
	for i := range n {
		name, t := fmt.Sprintf("%s_%d", base, i+1), 0.0
		if n == 1 {
			name = base
		} else {
			t = float64(i) / float64(n-1)
		}
		l.add(name, parent, r3.Add(a, r3.Scale(t, r3.Sub(b, a))))
		parent = name
	}
	return parent
}

// spine is like numbered, but a single joint has a number too.
func (l *seeds) spine(parent string, a, b r3.Vec, n int) string {
	if n == 1 {
		l.add("spine_1", parent, r3.Scale(0.5, r3.Add(a, b)))
		return "spine_1"
	}
	return l.numbered("spine", parent, a, b, n)
}

func (l *seeds) biped(p Params) {
	arm := ShoulderHeight
	elbow := shoulderHalf + UpperArm
	wrist := elbow + Forearm
	l.add("hips", "", r3.Vec{Y: HipHeight + 0.02})
	chest := l.spine("hips", r3.Vec{Y: 0.60, Z: 0.002}, r3.Vec{Y: 0.74, Z: 0.002}, p.Spine)
	if p.Spine == 3 { // the usual slight curve
		(*l)[2].at = r3.Vec{Y: 0.67, Z: 0.004}
	}
	neck := l.numbered("neck", chest, r3.Vec{Y: ShoulderHeight + 0.012}, r3.Vec{Y: headNeck - 0.01, Z: 0.005}, p.Neck)
	l.add("head", neck, r3.Vec{Y: headNeck + 0.01, Z: 0.008})
	l.add("head_end", "head", r3.Vec{Y: 1, Z: 0.008})
	l.face(p, r3.Vec{Y: headNeck + 0.01, Z: 0.008}, r3.Vec{Y: 1 - headNeck - 0.01}, r3.Vec{Z: 0.13})
	l.add("clavicle_l", chest, r3.Vec{X: 0.02, Y: ShoulderHeight - 0.005, Z: 0.01})
	shoulder, bend, hand := r3.Vec{X: shoulderHalf, Y: arm}, r3.Vec{X: elbow, Y: arm, Z: -0.006}, r3.Vec{X: wrist, Y: arm}
	l.add("upper_arm_l", "clavicle_l", shoulder)
	l.add("forearm_l", l.between("upper_arm_twist", "_l", "upper_arm_l", shoulder, bend, p.Twist), bend)
	l.add("hand_l", l.between("forearm_twist", "_l", "forearm_l", bend, hand, p.Twist), hand)
	l.add("hand_end_l", "hand_l", r3.Vec{X: wrist + Hand, Y: arm})
	l.fingers("_l", "hand_l", hand, r3.Vec{X: 1}, r3.Vec{Z: 1}, Hand, p.Fingers, p.Phalanges)
	hip, knee, ankle := r3.Vec{
		X: hipHalf,
		Y: HipHeight,
	}, r3.Vec{
		X: hipHalf,
		Y: KneeHeight,
		Z: 0.008,
	}, r3.Vec{
		X: hipHalf,
		Y: AnkleHeight,
		Z: -0.008,
	}
	l.add("thigh_l", "hips", hip)
	l.add("shank_l", l.between("thigh_twist", "_l", "thigh_l", hip, knee, p.Twist), knee)
	l.add("foot_l", l.between("shank_twist", "_l", "shank_l", knee, ankle, p.Twist), ankle)
	ball, tip := r3.Vec{X: hipHalf, Y: 0.012, Z: footLength*0.72 - 0.03}, r3.Vec{X: hipHalf, Y: 0.01, Z: footLength - 0.03}
	l.add("toe_l", "foot_l", ball)
	l.add("toe_end_l", "toe_l", tip)
	l.toes("toe_l", "_l", ball, tip, p.Toes)
}

// face adds jaw and eyes to a head; up is the way to its crown, ahead to its
// face.
func (l *seeds) face(p Params, head, up, ahead r3.Vec) {
	at := func(u, a, x float64) r3.Vec {
		q := r3.Add(head, r3.Add(r3.Scale(u, up), r3.Scale(a, ahead)))
		q.X += x * r3.Norm(ahead)
		return q
	}
	if p.Jaw {
		l.add("jaw", "head", at(0.12, 0.12, 0))
		l.add("jaw_end", "jaw", at(-0.05, 0.6, 0))
	}
	if p.Eyes {
		l.add("eye_l", "head", at(0.48, 0.45, 0.2))
		l.add("eye_end_l", "eye_l", at(0.48, 0.62, 0.2))
	}
}

// fingers adds fingers to a hand at wrist that reaches along the hand; fore is
// the way to the thumb's side.
func (l *seeds) fingers(side, hand string, wrist, along, fore r3.Vec, length float64, count, phalanges int) {
	if count == 0 || phalanges == 0 {
		return
	}
	names := map[int][]string{1: {"index"}, 2: {"thumb", "index"}, 3: {"thumb", "index", "middle"}, 4: {"thumb", "index", "middle", "ring"}, 5: {"thumb", "index", "middle", "ring", "little"}}[count]
	across := 0
	for _, n := range names {
		root, tip := 0.0, 0.0
		var from, to r3.Vec
		if n == "thumb" {
			root, tip = 0.16, 0.62
			from = r3.Add(r3.Scale(root, along), r3.Scale(0.18, fore))
			to = r3.Add(r3.Scale(tip, along), r3.Scale(0.52, fore))
		} else {
			spread := 0.0
			if k := len(names) - 1; k > 1 || names[0] != "thumb" && len(names) > 1 {
				spread = 0.21 - 0.42*float64(across)/math.Max(1, float64(k-1))
			}
			root, tip = 0.52, []float64{0.93, 1, 0.95, 0.8}[across]
			from = r3.Add(r3.Scale(root, along), r3.Scale(spread, fore))
			to = r3.Add(r3.Scale(tip, along), r3.Scale(1.25*spread, fore))
			across++
		}
		parent := hand
		for i := range phalanges {
			t := []float64{0, 0.45, 0.72, 0.88}[i]
			if phalanges == 2 {
				t = []float64{0, 0.5}[i]
			}
			name := fmt.Sprintf("%s_%d%s", n, i+1, side)
			l.add(name, parent, r3.Add(wrist, r3.Scale(length, r3.Add(from, r3.Scale(t, r3.Sub(to, from))))))
			parent = name
		}
		l.add(fmt.Sprintf("%s_end%s", n, side), parent, r3.Add(wrist, r3.Scale(length, to)))
	}
}

func (l *seeds) toes(ball, side string, from, to r3.Vec, n int) {
	for i := range n {
		x := 0.02 - 0.04*float64(i)/math.Max(1, float64(n-1))
		name := fmt.Sprintf("toe_%d%s", i+1, side)
		mid := r3.Add(r3.Scale(0.7, from), r3.Scale(0.3, to))
		mid.X, mid.Y = mid.X-x, to.Y
		tip := to
		tip.X -= x
		l.add(name, ball, mid)
		l.add(fmt.Sprintf("toe_%d_end%s", i+1, side), name, tip)
	}
}

// hand is the starter of a hand on its own, the wrist below, fingers upward,
// the palm to −Z.
func (l *seeds) hand(wrist r3.Vec, count, phalanges int) {
	l.add("hand", "", wrist)
	l.fingers("", "hand", wrist, r3.Vec{Y: 1}, r3.Vec{X: 1}, 0.98, count, phalanges)
	l.add("hand_end", "hand", r3.Add(wrist, r3.Vec{Y: 0.98}))
}

// quadruped stands with the withers at height 1 times 0.78; lengths are common
// practice, no source.
func (l *seeds) quadruped(p Params) {
	l.add("hips", "", r3.Vec{Y: 0.62, Z: -0.50})
	chest := l.spine("hips", r3.Vec{Y: 0.655, Z: -0.36}, r3.Vec{Y: 0.64, Z: 0.22}, p.Spine)
	base, skull := r3.Vec{Y: 0.68, Z: 0.40}, r3.Vec{Y: 0.86, Z: 0.60}
	neck := l.numbered("neck", chest, base, r3.Add(base, r3.Scale(0.7, r3.Sub(skull, base))), p.Neck)
	l.add("head", neck, skull)
	l.add("head_end", "head", r3.Vec{Y: 0.84, Z: 0.86})
	l.face(p, skull, r3.Vec{Y: 0.12}, r3.Vec{Z: 0.26})
	if p.Ears {
		l.add("ear_l", "head", r3.Vec{X: 0.05, Y: 0.92, Z: 0.62})
		l.add("ear_end_l", "ear_l", r3.Vec{X: 0.08, Y: 1.0, Z: 0.61})
	}
	parent := chest
	if p.Scapula {
		l.add("scapula_l", chest, r3.Vec{X: 0.06, Y: 0.70, Z: 0.26})
		parent = "scapula_l"
	}
	shoulder, elbow, wrist, toe, tip := r3.Vec{
		X: 0.09,
		Y: 0.52,
		Z: 0.34,
	}, r3.Vec{
		X: 0.09,
		Y: 0.36,
		Z: 0.24,
	}, r3.Vec{
		X: 0.09,
		Y: 0.16,
		Z: 0.27,
	}, r3.Vec{
		X: 0.09,
		Y: 0.04,
		Z: 0.31,
	}, r3.Vec{
		X: 0.09,
		Y: 0.015,
		Z: 0.38,
	}
	l.add("upper_arm_l", parent, shoulder)
	l.add("forearm_l", l.between("upper_arm_twist", "_l", "upper_arm_l", shoulder, elbow, p.Twist), elbow)
	l.add("hand_l", l.between("forearm_twist", "_l", "forearm_l", elbow, wrist, p.Twist), wrist)
	l.add("fingers_l", "hand_l", toe)
	l.add("fingers_end_l", "fingers_l", tip)
	hip, knee, hock, ball, end := r3.Vec{
		X: 0.08,
		Y: 0.56,
		Z: -0.52,
	}, r3.Vec{
		X: 0.09,
		Y: 0.36,
		Z: -0.42,
	}, r3.Vec{
		X: 0.09,
		Y: 0.19,
		Z: -0.58,
	}, r3.Vec{
		X: 0.09,
		Y: 0.04,
		Z: -0.52,
	}, r3.Vec{
		X: 0.09,
		Y: 0.015,
		Z: -0.45,
	}
	if p.Plantigrade {
		hock = r3.Vec{X: 0.09, Y: 0.06, Z: -0.60}
	}
	l.add("thigh_l", "hips", hip)
	l.add("shank_l", l.between("thigh_twist", "_l", "thigh_l", hip, knee, p.Twist), knee)
	l.add("foot_l", l.between("shank_twist", "_l", "shank_l", knee, hock, p.Twist), hock)
	l.add("toe_l", "foot_l", ball)
	l.add("toe_end_l", "toe_l", end)
	l.toes("toe_l", "_l", ball, end, p.Toes)
	l.tail("hips", r3.Vec{Y: 0.64, Z: -0.62}, r3.Vec{Y: 0.45, Z: -1.15}, p.Tail)
}

func (l *seeds) tail(parent string, from, to r3.Vec, n int) {
	if n == 0 {
		return
	}
	for i := range n {
		name := fmt.Sprintf("tail_%d", i+1)
		l.add(name, parent, r3.Add(from, r3.Scale(float64(i)/float64(n), r3.Sub(to, from))))
		parent = name
	}
	l.add("tail_end", parent, to)
}

// bird stands on two legs with wings spread; lengths are common practice, no
// source.
func (l *seeds) bird(p Params) {
	l.add("hips", "", r3.Vec{Y: 0.52, Z: -0.08})
	chest := l.spine("hips", r3.Vec{Y: 0.55, Z: 0}, r3.Vec{Y: 0.60, Z: 0.10}, p.Spine)
	base, skull := r3.Vec{Y: 0.66, Z: 0.17}, r3.Vec{Y: 0.90, Z: 0.26}
	neck := l.numbered("neck", chest, base, r3.Add(base, r3.Scale(0.75, r3.Sub(skull, base))), p.Neck)
	l.add("head", neck, skull)
	l.add("head_end", "head", r3.Vec{Y: 1, Z: 0.27})
	l.add("beak", "head", r3.Vec{Y: 0.92, Z: 0.33})
	l.add("beak_end", "beak", r3.Vec{Y: 0.90, Z: 0.52})
	if p.Jaw {
		l.add("jaw", "head", r3.Vec{Y: 0.895, Z: 0.33})
		l.add("jaw_end", "jaw", r3.Vec{Y: 0.88, Z: 0.50})
	}
	if p.Eyes {
		l.add("eye_l", "head", r3.Vec{X: 0.03, Y: 0.94, Z: 0.29})
		l.add("eye_end_l", "eye_l", r3.Vec{X: 0.05, Y: 0.94, Z: 0.29})
	}
	shoulder, elbow, wrist, tip := r3.Vec{
		X: 0.08,
		Y: 0.63,
		Z: 0.10,
	}, r3.Vec{
		X: 0.26,
		Y: 0.63,
		Z: 0.02,
	}, r3.Vec{
		X: 0.46,
		Y: 0.63,
		Z: 0.08,
	}, r3.Vec{
		X: 0.85,
		Y: 0.63,
		Z: -0.02,
	}
	l.add("upper_arm_l", chest, shoulder)
	l.add("forearm_l", "upper_arm_l", elbow)
	l.add("hand_l", "forearm_l", wrist)
	l.add("hand_end_l", l.between("feather", "_l", "hand_l", wrist, tip, p.Feathers), tip)
	hip, knee, ankle, ball, end := r3.Vec{
		X: 0.06,
		Y: 0.48,
		Z: -0.06,
	}, r3.Vec{
		X: 0.07,
		Y: 0.36,
		Z: 0.06,
	}, r3.Vec{
		X: 0.07,
		Y: 0.20,
		Z: -0.06,
	}, r3.Vec{
		X: 0.07,
		Y: 0.02,
		Z: 0,
	}, r3.Vec{
		X: 0.07,
		Y: 0.01,
		Z: 0.10,
	}
	l.add("thigh_l", "hips", hip)
	l.add("shank_l", "thigh_l", knee)
	l.add("foot_l", "shank_l", ankle)
	l.add("toe_l", "foot_l", ball)
	l.add("toe_end_l", "toe_l", end)
	l.toes("toe_l", "_l", ball, end, p.Toes)
	l.tail("hips", r3.Vec{Y: 0.53, Z: -0.17}, r3.Vec{Y: 0.50, Z: -0.42}, p.Tail)
}

// grow builds a skeleton from seeds, scaling positions, and adds the right side
// of every run of left seeds after it.
func grow(list []seed, scale float64) *Skeleton {
	s := &Skeleton{}
	add := func(name, parent string, at r3.Vec) {
		s.Joints = append(s.Joints, Joint{Name: name, Parent: s.Index(parent), Pos: r3.Scale(scale, at), Rot: geom.Identity})
	}
	partner := func(name string) string {
		if other, ok := DefaultMarks.Partner(name); ok {
			return other
		}
		return name
	}
	for i := 0; i < len(list); {
		k := i
		for k < len(list) && DefaultMarks.Of(list[k].name) == Left {
			add(list[k].name, list[k].parent, list[k].at)
			k++
		}
		if k == i {
			add(list[i].name, list[i].parent, list[i].at)
			i++
			continue
		}
		for ; i < k; i++ {
			add(partner(list[i].name), partner(list[i].parent), Mirrored(list[i].at, 0))
		}
	}
	return s
}
