package skeleton

import (
	"fmt"
	"math"
	"regexp"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Match pairs a joint of another skeleton with one of ours.
type Match struct {
	Theirs string `json:"theirs"`
	Ours   string `json:"ours"`
	How    string `json:"how"` // "name", "like" (but for case, separators and the way sides are marked) or "place" (a proposal)
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
	var out []Match
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
	// By place, each in the box of its own skeleton.
	within := func(s *Skeleton) func(p r3.Vec) r3.Vec {
		b := geom.EmptyBox()
		for _, j := range s.Joints {
			b = b.Add(j.Pos)
		}
		h := math.Max(b.Size().Y, 1e-9)
		c := b.Centre()
		return func(p r3.Vec) r3.Vec { return r3.Vec{X: (p.X - c.X) / h, Y: (p.Y - b.Min.Y) / h, Z: (p.Z - c.Z) / h} }
	}
	a, b := within(ours), within(theirs)
	for _, t := range theirs.Joints {
		if usedTheirs[t.Name] {
			continue
		}
		best, at := 0.05, ""
		for _, o := range ours.Joints {
			if d := r3.Norm(r3.Sub(a(o.Pos), b(t.Pos))); !usedOurs[o.Name] && d < best {
				best, at = d, o.Name
			}
		}
		if at != "" {
			pair(t.Name, at, "place")
		}
	}
	return out
}

// Adoption says how a skeleton is brought to another one.
type Adoption struct {
	Match     map[string]string // theirs → ours
	Obsolete  string            // joints that theirs lacks: "keep" or "drop"
	Parenting string            // of matched joints: "keep" ours or "take" theirs
	Scale     float64           // of their places, about the origin; 0 is 1
}

// Adopted is a row of the table of an adoption.
type Adopted struct {
	Joint string  `json:"joint"`
	What  string  `json:"what"` // moved, added, dropped, reparented, untouched
	By    float64 `json:"by"`   // metres, of a moved joint
	From  string  `json:"from"` // parents, of a reparented one
	To    string  `json:"to"`
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
	scale := o.Scale
	if scale == 0 {
		scale = 1
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
		p := r3.Scale(scale, t.Pos)
		by := r3.Norm(r3.Sub(p, out.Joints[i].Pos))
		if by > 1e-6 {
			row(name, "moved").By = by
			out.Joints[i].Pos, out.Joints[i].Confidence, out.Joints[i].Reason = p, 0, ""
		} else {
			row(name, "untouched")
		}
	}
	if len(matched) == 0 {
		return nil, nil, fmt.Errorf("no joint is matched: choose pairs first")
	}
	taken := map[string]bool{}
	for _, j := range out.Joints {
		taken[j.Name] = true
	}
	for _, t := range from.Joints { // parents come first
		if _, ok := oursOf[t.Name]; ok {
			continue
		}
		name := freeName(t.Name, DefaultSuffixes, taken)
		parent := -1
		if t.Parent >= 0 {
			parent = out.Index(oursOf[from.Joints[t.Parent].Name])
		}
		oursOf[t.Name] = name
		out.Joints = append(out.Joints, Joint{Name: name, Parent: parent, Pos: r3.Scale(scale, t.Pos), Rot: t.Rot})
		row(name, "added")
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
		table = append(table, *rows[n])
	}
	return out, table, nil
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
