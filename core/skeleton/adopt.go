package skeleton

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Match pairs a joint of another skeleton with one of ours.
type Match struct {
	Theirs string `json:"theirs"`
	Ours   string `json:"ours"`
	How    string `json:"how"` // "name", "like" (but for case, separators and the way sides are marked), "limb" (by what hangs from it) or "place": proposals
}

var (
	leftWord  = regexp.MustCompile(`^(left|l)[_.\- ]|[_.\- ](left|l)$|^left`)
	rightWord = regexp.MustCompile(`^(right|r)[_.\- ]|[_.\- ](right|r)$|^right`)
	separator = regexp.MustCompile(`[_.\-: ]+`)
)

// plainName reduces a name to what people mean by it: lower case, no separators,
// one way to mark a side.
func plainName(name string) string {
	if i := strings.LastIndexAny(name, ":|"); i >= 0 {
		name = name[i+1:] // a prefix that many exports put before every name
	}
	n := strings.ToLower(name)
	side := ""
	switch {
	case leftWord.MatchString(n):
		n, side = leftWord.ReplaceAllString(n, ""), "/l"
	case rightWord.MatchString(n):
		n, side = rightWord.ReplaceAllString(n, ""), "/r"
	}
	return separator.ReplaceAllString(n, "") + side
}

// MatchJoints pairs the joints of two skeletons by name, then by what the names
// mean, then, as proposals to be confirmed, by place within the body. known is a
// map theirs → ours that goes first; nil for none.
func MatchJoints(ours, theirs *Skeleton, known map[string]string) []Match {
	out := []Match{}
	usedOurs, usedTheirs := map[string]bool{}, map[string]bool{}
	pair := func(t, o, how string) {
		usedTheirs[t], usedOurs[o] = true, true
		out = append(out, Match{t, o, how})
	}
	for _, j := range theirs.Joints {
		if o, ok := known[j.Name]; ok && ours.Index(o) >= 0 && !usedOurs[o] {
			pair(j.Name, o, "name")
		}
	}
	for _, j := range theirs.Joints {
		if !usedTheirs[j.Name] && !usedOurs[j.Name] && ours.Index(j.Name) >= 0 {
			pair(j.Name, j.Name, "name")
		}
	}
	plain := map[string]string{}
	for _, j := range ours.Joints {
		if !usedOurs[j.Name] {
			plain[plainName(j.Name)] = j.Name
		}
	}
	for _, j := range theirs.Joints {
		if o, ok := plain[plainName(j.Name)]; ok && !usedTheirs[j.Name] && !usedOurs[o] {
			pair(j.Name, o, "like")
		}
	}
	for _, m := range byLimb(ours, theirs) {
		if !usedTheirs[m.Theirs] && !usedOurs[m.Ours] {
			pair(m.Theirs, m.Ours, m.How)
		}
	}
	return append(out, byPlace(ours, theirs, out)...)
}

// byLimb pairs what arms and legs are made of by what hangs from it: a name as "shoulder" is the upper arm of
// one skeleton and the clavicle of another, but the forearm is what a hand hangs from.
func byLimb(ours, theirs *Skeleton) (out []Match) {
	a, b := limbsOf(ours), limbsOf(theirs)
	for key, k := range b {
		if i, ok := a[key]; ok {
			out = append(out, Match{theirs.Joints[k].Name, ours.Joints[i].Name, "limb"})
		}
	}
	slices.SortFunc(out, func(a, b Match) int { return cmp.Compare(a.Theirs, b.Theirs) })
	return out
}

// limbJoint is a joint of a limb: "arm" or "leg", on a side, and how far above the hand or foot it is.
type limbJoint struct {
	limb, side string
	above      int
}

// limbsOf finds the joints of the limbs that end at what is called hand, wrist, foot or ankle.
func limbsOf(s *Skeleton) map[limbJoint]int {
	out := map[limbJoint]int{}
	side := func(i int) string {
		n := plainName(s.Joints[i].Name)
		return n[max(0, len(n)-2):]
	}
	for i, j := range s.Joints {
		limb, on := "", side(i)
		if j.Helper != nil {
			continue
		}
		switch DefaultMarks.MotionOf(j.Name) {
		case Wrist:
			limb = "arm"
		case Ankle:
			limb = "leg"
		}
		if _, twice := out[limbJoint{limb, on, 0}]; limb == "" || on != "/l" && on != "/r" || twice {
			continue
		}
		for k, at := 0, i; k < 4 && at >= 0 && side(at) == on; at = s.Joints[at].Parent {
			if DefaultMarks.MotionOf(s.Joints[at].Name) == Twist {
				continue
			}
			if limb == "leg" && k == 3 { // above the thigh there is nothing in common
				break
			}
			out[limbJoint{limb, on, k}] = at
			k++
		}
	}
	return out
}

// byPlace proposes pairs for joints without one, nearest first: within 8 % of the
// height of each other once the two bodies lie over each other, on the same side
// of the middle, and below the same pair.
func byPlace(ours, theirs *Skeleton, paired []Match) []Match {
	across := across(ours, theirs, paired)
	height := math.Max(ours.Height(), 1e-9)
	middle := ours.MirrorPlane(DefaultMarks)
	toOurs, taken := map[int]int{}, map[int]bool{}
	for _, p := range paired {
		toOurs[theirs.Index(p.Theirs)] = ours.Index(p.Ours)
		taken[ours.Index(p.Ours)] = true
	}
	side := func(x float64) int {
		if d := x - middle; math.Abs(d) > 0.03*height {
			return int(math.Copysign(1, d))
		}
		return 0
	}
	hangs := func(i, from int) bool {
		for ; i >= 0; i = ours.Joints[i].Parent {
			if i == from {
				return true
			}
		}
		return false
	}
	// crosses: what is paired below theirs would not be below ours.
	crosses := func(t, o int) bool {
		for _, k := range theirs.Branch(t) {
			if below, ok := toOurs[k]; ok && k != t && !hangs(below, o) {
				return true
			}
		}
		return false
	}
	type pair struct {
		t, o int
		far  float64
	}
	var near []pair
	for t, j := range theirs.Joints {
		if _, done := toOurs[t]; done {
			continue
		}
		above := j.Parent
		for above >= 0 {
			if _, ok := toOurs[above]; ok {
				break
			}
			above = theirs.Joints[above].Parent
		}
		p := across(j.Pos)
		for o, k := range ours.Joints {
			far := r3.Norm(r3.Sub(p, k.Pos)) / height
			if taken[o] || far > 0.08 || side(p.X) != side(k.Pos.X) || above >= 0 && !hangs(o, toOurs[above]) {
				continue
			}
			if crosses(t, o) {
				continue
			}
			near = append(near, pair{t, o, far})
		}
	}
	slices.SortStableFunc(near, func(a, b pair) int { return cmp.Compare(a.far, b.far) })
	var out []Match
	for _, p := range near {
		if _, done := toOurs[p.t]; done || taken[p.o] {
			continue
		}
		toOurs[p.t], taken[p.o] = p.o, true
		out = append(out, Match{theirs.Joints[p.t].Name, ours.Joints[p.o].Name, "place"})
	}
	return out
}

// across returns the map, scale and move, that lays another skeleton over ours:
// by the pairs where there are three that are apart, else by the boxes of both.
func across(ours, theirs *Skeleton, paired []Match) func(r3.Vec) r3.Vec {
	var a, b r3.Vec
	n := float64(len(paired))
	for _, p := range paired {
		a = r3.Add(a, r3.Scale(1/n, ours.Joints[ours.Index(p.Ours)].Pos))
		b = r3.Add(b, r3.Scale(1/n, theirs.Joints[theirs.Index(p.Theirs)].Pos))
	}
	up, down := 0.0, 0.0
	for _, p := range paired { // least squares
		x := r3.Sub(theirs.Joints[theirs.Index(p.Theirs)].Pos, b)
		up += r3.Dot(x, r3.Sub(ours.Joints[ours.Index(p.Ours)].Pos, a))
		down += r3.Norm2(x)
	}
	if len(paired) < 3 || !(down > 0) || !(up > 0) {
		box := func(s *Skeleton) geom.Box {
			b := geom.EmptyBox()
			for _, j := range s.Joints {
				b = b.Add(j.Pos)
			}
			return b
		}
		o, t := box(ours), box(theirs)
		a, b = r3.Vec{X: o.Centre().X, Y: o.Min.Y, Z: o.Centre().Z}, r3.Vec{X: t.Centre().X, Y: t.Min.Y, Z: t.Centre().Z}
		up, down = o.Size().Y, math.Max(t.Size().Y, 1e-9)
	}
	return func(p r3.Vec) r3.Vec { return r3.Add(a, r3.Scale(up/down, r3.Sub(p, b))) }
}

// Adoption says how a skeleton is brought to another one.
type Adoption struct {
	Match     map[string]string // theirs → ours
	Obsolete  string            // joints that theirs lacks: "keep" or "drop"
	Parenting string            // of matched joints: "keep" ours or "take" theirs
}

// Adopted is a row of the table of an adoption: what becomes of a joint.
type Adopted struct {
	Joint  string  `json:"joint"`            // its name here
	Theirs string  `json:"theirs,omitempty"` // its name there
	What   string  `json:"what"`             // moved, added, dropped, reparented, untouched
	By     float64 `json:"by,omitempty"`     // metres, of a moved joint
	// From and To are the parents of a reparented joint; To is where the children
	// and the weights of a dropped one go.
	From string `json:"from,omitempty"`
	To   string `json:"to,omitempty"`
}

func (a Adopted) String() string {
	switch a.What {
	case "moved":
		return fmt.Sprintf("%s moved %.1f cm", a.Joint, 100*a.By)
	case "reparented":
		return fmt.Sprintf("%s from %s to %s", a.Joint, orNone(a.From), orNone(a.To))
	case "dropped":
		return fmt.Sprintf("%s removed, its weights go to %s", a.Joint, orNone(a.To))
	default:
		return a.Joint + " " + a.What
	}
}

func orNone(name string) string {
	if name == "" {
		return "none"
	}
	return name
}

// Adopt takes over the places of another skeleton: matched joints move there and
// keep name and axes, joints of theirs without a match are added under their
// nearest matched ancestor, joints of ours without one are kept or dropped
// (children go to the grandparent). Nothing else is lost.
func (s *Skeleton) Adopt(from *Skeleton, o Adoption) (*Skeleton, []Adopted, error) {
	if o.Obsolete != "keep" && o.Obsolete != "drop" {
		return nil, nil, fmt.Errorf("obsolete joints are \"keep\" or \"drop\", not %q", o.Obsolete)
	}
	if o.Parenting != "keep" && o.Parenting != "take" {
		return nil, nil, fmt.Errorf("the parenting is \"keep\" or \"take\", not %q", o.Parenting)
	}
	out := s.Clone()
	rows := map[string]*Adopted{}
	var order []string
	row := func(joint, what string) *Adopted {
		if r, ok := rows[joint]; ok {
			return r
		}
		r := &Adopted{Joint: joint, What: what}
		rows[joint] = r
		order = append(order, joint)
		return r
	}
	matched := map[string]bool{}
	least := geom.MovedShare * s.Size()
	oursOf := map[string]string{} // theirs → the name that it has here
	for _, t := range from.Joints {
		name, ok := o.Match[t.Name]
		if !ok {
			continue
		}
		i, err := s.Find(name)
		if err != nil {
			return nil, nil, err
		}
		if matched[name] {
			return nil, nil, fmt.Errorf("two joints are matched with %s", name)
		}
		matched[name] = true
		oursOf[t.Name] = name
		p := t.Pos
		by := r3.Norm(r3.Sub(p, out.Joints[i].Pos))
		if by > least {
			row(name, "moved").By = by
			out.Joints[i].Pos, out.Joints[i].Confidence, out.Joints[i].Reason = p, 0, ""
		}
		if out.Joints[i].Keeps == nil {
			out.Joints[i].Keeps = t.Keeps
		}
		row(name, "untouched").Theirs = t.Name
	}
	if len(matched) == 0 && o.Obsolete == "drop" {
		return nil, nil, fmt.Errorf("no joints are paired, so all existing joints would be removed: pair some, or keep both")
	}
	taken := map[string]bool{}
	for _, j := range out.Joints {
		taken[j.Name] = true
	}
	var added []string
	for _, t := range from.Joints { // parents come first
		if _, ok := oursOf[t.Name]; ok {
			continue
		}
		name := freeName(t.Name, DefaultMarks, taken)
		parent := -1
		if t.Parent >= 0 {
			parent = out.Index(oursOf[from.Joints[t.Parent].Name])
		}
		oursOf[t.Name] = name
		out.Joints = append(
			out.Joints,
			Joint{
				Name:    name,
				Parent:  parent,
				Pos:     t.Pos,
				Rot:     t.Rot,
				Deforms: t.Deforms,
				Mix:     t.Mix,
				Order:   t.Order,
				Axes:    t.Axes,
				Keeps:   t.Keeps,
				Helper:  t.Helper,
			},
		)
		row(name, "added").Theirs = t.Name
		added = append(added, name)
	}
	for _, name := range added { // once all that they may follow are there
		i := out.Index(name)
		helpersRenamed(out.Joints[i:i+1], oursOf)
	}
	if o.Parenting == "take" {
		for _, t := range from.Joints {
			i := out.Index(oursOf[t.Name])
			parent := -1
			if t.Parent >= 0 {
				parent = out.Index(oursOf[from.Joints[t.Parent].Name])
			}
			if old := out.Joints[i].Parent; old != parent {
				r := row(out.Joints[i].Name, "reparented")
				r.What, r.From, r.To = "reparented", out.nameOf(old), out.nameOf(parent)
				out.Joints[i].Parent = parent
			}
		}
	}
	var obsolete []int
	for i, j := range s.Joints {
		if matched[j.Name] {
			continue
		}
		if o.Obsolete == "drop" {
			obsolete = append(obsolete, i)
			row(j.Name, "dropped")
		} else {
			row(j.Name, "untouched")
		}
	}
	if obsolete != nil {
		// Numbers of ours did not change: what was added came last.
		trimmed, _, err := out.without(obsolete)
		if err != nil {
			return nil, nil, err
		}
		out = trimmed
	} else {
		out = out.ordered()
	}
	if err := out.Validate(); err != nil {
		return nil, nil, err
	}
	table := make([]Adopted, 0, len(order))
	for _, n := range order {
		if rows[n].What == "dropped" {
			rows[n].To = staying(s, out, n)
		}
		table = append(table, *rows[n])
	}
	return out, table, nil
}

// staying returns the nearest ancestor of a joint of before that is in after, ""
// for none.
func staying(before, after *Skeleton, name string) string {
	for i := before.Index(name); i >= 0; i = before.Joints[i].Parent {
		if n := before.Joints[i].Name; n != name && after.Index(n) >= 0 {
			return n
		}
	}
	return ""
}

// without sorts the joints parents first and removes some by the numbers that
// they had.
func (s *Skeleton) without(gone []int) (*Skeleton, []Removed, error) {
	names := make([]string, len(gone))
	for k, i := range gone {
		names[k] = s.Joints[i].Name
	}
	out := s.ordered()
	which := make([]int, len(names))
	for k, n := range names {
		which[k] = out.Index(n)
	}
	return out.Remove(which)
}

func (s *Skeleton) nameOf(i int) string {
	if i < 0 {
		return ""
	}
	return s.Joints[i].Name
}
