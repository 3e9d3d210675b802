// Package shape tells how far on the shape targets of a mesh are: as a hand sets them, as a joint turns, between two
// others, or where several meet.
//
// # Frames
//
// A shape target (mesh.Shape) has the offsets of vertices at rest; how far on it is, its value, scales them, and the sum of
// all is added to the vertices before joints move them. A value of 1 is the target as it was made.
package shape

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
)

// Rig is how the shape targets of a mesh are used. Targets go by the names of those of the mesh; one that the rig does not
// have is set by hand and off.
type Rig struct {
	Targets []Target `json:"targets"`
	Groups  []Group  `json:"groups,omitempty"`
	Sets    []Set    `json:"sets,omitempty"`
}

// Set keeps values of targets that a hand sets under a name: a build, or a face. Targets that it does not name are off.
type Set struct {
	Name   string             `json:"name"`
	Values map[string]float64 `json:"values"`
}

// Target is how a shape target is used. At most one of Driver, Near, Between and Meets says where its value comes from; without
// any it is Value, as set by hand.
type Target struct {
	Name  string      `json:"name"`
	Value float64     `json:"value,omitempty"`
	Range *[2]float64 `json:"range,omitempty"` // of its slider; nil: 0 to 1
	Muted bool        `json:"muted,omitempty"`
	Solo  bool        `json:"solo,omitempty"` // what is not is silent while any is
	Lock  bool        `json:"lock,omitempty"` // its offsets stay
	Group string      `json:"group,omitempty"`

	Driver  *Driver  `json:"driver,omitempty"`
	Near    *Near    `json:"near,omitempty"`
	Between *Between `json:"between,omitempty"`
	Meets   *Meets   `json:"meets,omitempty"`

	// Joints stand elsewhere where the target is on, by name: the skeleton of the body that it makes.
	Joints map[string]Shift `json:"joints,omitempty"`

	// Made tells what a target that was computed is for.
	Made string `json:"made,omitempty"`
}

// Driver brings a target on as a joint turns.
type Driver struct {
	Joint string `json:"joint"`
	Axis  string `json:"axis"` // a named axis of the joint: bend, side or twist (skeleton.Trial)
	// About is that axis, of the joint's own at rest, in files: for who does not know the names.
	About *[3]float64 `json:"about,omitempty"`
	// Knots are how far on the target is at some angles, ascending by degrees; none is at 0, where it is off. Beyond the last
	// its value holds.
	Knots []Knot `json:"knots"`
	// Smooth leads through the knots by monotone cubics (Fritsch & Butland, A Method for Constructing Local Monotone Piecewise
	// Cubic Interpolants, 1984) in place of straight lines: neither goes beyond the knots.
	Smooth bool `json:"smooth,omitempty"`
}

// Knot is a value at an angle from rest.
type Knot struct {
	Degrees float64 `json:"degrees"`
	Value   float64 `json:"value"`
}

// Between is on where another target is at a value, and off where it is at 0, at 1, or at that of the next in-between.
type Between struct {
	Of string  `json:"of"`
	At float64 `json:"at"`
}

// Meets is on to the degree that all of several targets are.
type Meets struct {
	Of    []string `json:"of"`
	Least bool     `json:"least,omitempty"` // the smallest of them, not their product
}

// Group scales what is in it.
type Group struct {
	Name  string  `json:"name"`
	In    string  `json:"in,omitempty"` // the group that it is in
	Times float64 `json:"times"`
	Muted bool    `json:"muted,omitempty"`
	Solo  bool    `json:"solo,omitempty"`
}

// Axes are the names of what drivers turn about.
var Axes = []string{"bend", "side", "twist"}

// Most is how many targets a character may have, MostGroups how many groups of them and MostSets how many sets of values.
const Most, MostGroups, MostSets = 1000, 200, 200

// Find returns the number of a target, -1 for none.
func (r *Rig) Find(name string) int {
	if r == nil {
		return -1
	}
	return slices.IndexFunc(r.Targets, func(t Target) bool { return t.Name == name })
}

// FindGroup returns the number of a group, -1 for none.
func (r *Rig) FindGroup(name string) int {
	return slices.IndexFunc(r.Groups, func(g Group) bool { return g.Name == name })
}

// Of returns the rig of a mesh with targets of these names, in their order: what r has of them, and by hand and off what it
// has not.
func (r *Rig) Of(names []string) *Rig {
	out := &Rig{}
	if r != nil {
		out.Groups, out.Sets = slices.Clone(r.Groups), slices.Clone(r.Sets)
	}
	for _, n := range names {
		t := Target{Name: n}
		if k := r.Find(n); k >= 0 {
			t = r.Targets[k]
		}
		out.Targets = append(out.Targets, t)
	}
	for i, x := range out.Sets { // what is gone has no value, though another may come by its name
		kept := map[string]float64{}
		for name, value := range x.Values {
			if slices.Contains(names, name) {
				kept[name] = value
			}
		}
		if len(kept) < len(x.Values) {
			out.Sets[i].Values = kept
		}
	}
	return out
}

// Clone returns a rig whose targets and groups can be changed; what they point to cannot.
func (r *Rig) Clone() *Rig {
	if r == nil {
		return &Rig{}
	}
	return &Rig{slices.Clone(r.Targets), slices.Clone(r.Groups), slices.Clone(r.Sets)}
}

// Limits are the ends of a target's slider.
func (t *Target) Limits() [2]float64 {
	if t.Range == nil {
		return [2]float64{0, 1}
	}
	return *t.Range
}

// By says what brings a target on; "" where a hand does.
func (t *Target) By() string {
	switch {
	case t.Driver != nil:
		return fmt.Sprintf("%s %s, on at %g°", t.Driver.Joint, t.Driver.Axis, t.Driver.top().Degrees)
	case t.Near != nil:
		return t.Near.By()
	case t.Between != nil:
		return fmt.Sprintf("%s at %g%%", t.Between.Of, math.Round(100*t.Between.At))
	case t.Meets != nil && t.Meets.Least:
		return "the smallest of " + strings.Join(t.Meets.Of, ", ")
	case t.Meets != nil:
		return strings.Join(t.Meets.Of, " × ")
	}
	return ""
}

// Listed lists the knots of a driver: "17% at 30°, 100% at 90°".
func (d *Driver) Listed() string {
	var at []string
	for _, k := range d.Knots {
		at = append(at, fmt.Sprintf("%g%% at %g°", math.Round(100*k.Value), k.Degrees))
	}
	return strings.Join(at, ", ")
}

// top is the knot at which a driver has its target farthest on.
func (d *Driver) top() Knot {
	return slices.MaxFunc(d.Knots, func(a, b Knot) int { return cmp.Compare(math.Abs(a.Value), math.Abs(b.Value)) })
}

// Validate reports the first thing that a rig cannot do.
func (r *Rig) Validate() error {
	if len(r.Targets) > Most {
		return fmt.Errorf("%d shape targets, and at most %d are possible", len(r.Targets), Most)
	}
	if len(r.Groups) > MostGroups {
		return fmt.Errorf("%d groups of shape targets, and at most %d are possible", len(r.Groups), MostGroups)
	}
	seen := map[string]bool{}
	for i := range r.Targets {
		t := &r.Targets[i]
		if t.Name == "" || seen[t.Name] {
			return fmt.Errorf("shape target %d: the name %q is taken or empty", i, t.Name)
		}
		seen[t.Name] = true
		if err := r.check(t); err != nil {
			return fmt.Errorf("shape target %q: %w", t.Name, err)
		}
	}
	groups := map[string]bool{}
	for _, g := range r.Groups {
		if groups[g.Name] {
			return fmt.Errorf("two groups of shape targets are called %q", g.Name)
		}
		groups[g.Name] = true
		if g.Name == "" || !finite(g.Times) {
			return fmt.Errorf("group %q of shape targets has no name or a multiplier of %g", g.Name, g.Times)
		}
		if r.groupLoops(g.Name) {
			return fmt.Errorf("group %q of shape targets is within itself", g.Name)
		}
	}
	if len(r.Sets) > MostSets {
		return fmt.Errorf("%d sets of values, and at most %d are possible", len(r.Sets), MostSets)
	}
	for _, x := range r.Sets {
		if x.Name == "" {
			return fmt.Errorf("a set of values of shape targets has no name")
		}
		for name, v := range x.Values {
			if !finite(v) {
				return fmt.Errorf("the set of values %q has %g for %s", x.Name, v, name)
			}
		}
	}
	near := map[string]int{}
	for i := range r.Targets {
		if n := r.Targets[i].Near; n != nil {
			if near[n.key()]++; near[n.key()] > mostNear {
				return fmt.Errorf("more than %d shape targets are on near poses of %s", mostNear, strings.Join(n.of(), ", "))
			}
		}
	}
	if name := r.loops(); name != "" {
		return fmt.Errorf("shape target %q depends on itself", name)
	}
	return nil
}

func finite(x float64) bool { return !math.IsNaN(x) && math.Abs(x) <= 1e6 }

func (r *Rig) check(t *Target) error {
	for name, x := range t.Joints {
		for c := range 3 {
			if !finite(x.Move[c]) || !finite(x.Turn[c]) {
				return fmt.Errorf("it moves %s by %v and turns it by %v", name, x.Move, x.Turn)
			}
		}
	}
	if l := t.Limits(); !finite(t.Value) || !finite(l[0]) || !finite(l[1]) || l[0] >= l[1] {
		return fmt.Errorf("a value of %g between %g and %g", t.Value, l[0], l[1])
	}
	sources := 0
	if d := t.Driver; d != nil {
		sources++
		if !slices.Contains(Axes, d.Axis) {
			return fmt.Errorf("a joint has no axis %q; it has %v", d.Axis, Axes)
		}
		if len(d.Knots) == 0 {
			return fmt.Errorf("its driver has no knot")
		}
		for k, x := range d.Knots {
			if !finite(x.Value) || !(math.Abs(x.Degrees) <= 180) || x.Degrees == 0 || k > 0 && x.Degrees <= d.Knots[k-1].Degrees {
				return fmt.Errorf("knot %d is %g at %g°: angles ascend from -180° to 180°, and none is 0°", k+1, x.Value, x.Degrees)
			}
		}
	}
	if n := t.Near; n != nil {
		sources++
		if err := n.check(); err != nil {
			return err
		}
	}
	if b := t.Between; b != nil {
		sources++
		if !(b.At > 0 && b.At < 1) {
			return fmt.Errorf("an in-between is between 0 and 1, not at %g", b.At)
		}
		for i := range r.Targets {
			if o := &r.Targets[i]; o.Name != t.Name && o.Between != nil && *o.Between == *b {
				return fmt.Errorf("%q is an in-between of %q at %g too", o.Name, b.Of, b.At)
			}
		}
	}
	if m := t.Meets; m != nil {
		sources++
		of := slices.Clone(m.Of)
		slices.Sort(of)
		if len(of) < 2 || len(slices.Compact(of)) < len(m.Of) {
			return fmt.Errorf("a combination is of two different targets or more")
		}
	}
	if sources > 1 {
		return fmt.Errorf("its value comes from more than one of driver, pose, in-between and combination")
	}
	return nil
}

// Sources are the targets that a target's value is made of.
func (t *Target) Sources() []string {
	switch {
	case t.Between != nil:
		return []string{t.Between.Of}
	case t.Meets != nil:
		return t.Meets.Of
	}
	return nil
}

// order is an order in which every target comes after those that it is made of; loop names one that has none.
func (r *Rig) order() (out []int, loop string) {
	const open, going, done = 0, 1, 2
	state := make([]int, len(r.Targets))
	number := make(map[string]int, len(r.Targets))
	for i := range r.Targets {
		number[r.Targets[i].Name] = i
	}
	var visit func(i int) bool
	visit = func(i int) bool {
		switch state[i] {
		case done:
			return true
		case going:
			loop = r.Targets[i].Name
			return false
		}
		state[i] = going
		for _, n := range r.Targets[i].Sources() {
			if k, ok := number[n]; ok && !visit(k) {
				return false
			}
		}
		state[i] = done
		out = append(out, i)
		return true
	}
	for i := range r.Targets {
		if !visit(i) {
			return nil, loop
		}
	}
	return out, ""
}

func (r *Rig) loops() string { _, loop := r.order(); return loop }

// groupLoops reports whether a group is within itself.
func (r *Rig) groupLoops(name string) bool {
	at := name
	for range len(r.Groups) {
		k := r.FindGroup(at)
		if k < 0 || r.Groups[k].In == "" {
			return false
		}
		at = r.Groups[k].In
	}
	return true
}

// times is what the groups that a target is in make of its value.
func (r *Rig) times(group string) float64 {
	out := 1.0
	for range len(r.Groups) + 1 {
		k := r.FindGroup(group)
		if group == "" || k < 0 {
			return out
		}
		if r.Groups[k].Muted {
			return 0
		}
		out, group = out*r.Groups[k].Times, r.Groups[k].In
	}
	return out
}

// WithNames returns the rig with targets under other names, and what is made of them.
func (r *Rig) WithNames(names map[string]string) *Rig {
	name := func(n string) string {
		if other, ok := names[n]; ok {
			return other
		}
		return n
	}
	out := r.Clone()
	for i := range out.Targets {
		t := &out.Targets[i]
		t.Name = name(t.Name)
		if t.Between != nil {
			t.Between = &Between{name(t.Between.Of), t.Between.At}
		}
		if t.Meets != nil {
			of := make([]string, len(t.Meets.Of))
			for k, n := range t.Meets.Of {
				of[k] = name(n)
			}
			t.Meets = &Meets{of, t.Meets.Least}
		}
	}
	for i, x := range out.Sets {
		values := make(map[string]float64, len(x.Values))
		for n, v := range x.Values {
			values[name(n)] = v
		}
		out.Sets[i].Values = values
	}
	return out
}

// ByHand reports whether a hand sets how far on the target is.
func (t *Target) ByHand() bool {
	return t.Driver == nil && t.Near == nil && t.Between == nil && t.Meets == nil
}

// Set returns the rig with the values of targets that a hand sets, by name, and the others of those off.
func (r *Rig) Set(values map[string]float64) *Rig {
	out := r.Clone()
	for i := range out.Targets {
		if t := &out.Targets[i]; t.ByHand() {
			t.Value = values[t.Name]
		}
	}
	return out
}

// Hand are the values that a hand has set and that are not 0, by name.
func (r *Rig) Hand() map[string]float64 {
	out := map[string]float64{}
	for i := range r.Targets {
		if t := &r.Targets[i]; t.ByHand() && t.Value != 0 {
			out[t.Name] = t.Value
		}
	}
	return out
}

// Renamed returns the rig with joints under other names, and without where those stand that are gone: a driver whose joint is
// gone stays, and is reported.
func (r *Rig) Renamed(joints, gone map[string]string) *Rig {
	out := r.Clone()
	for i := range out.Targets {
		if had := out.Targets[i].Joints; len(had) > 0 {
			next := make(map[string]Shift, len(had))
			for name, x := range had {
				if _, removed := gone[name]; !removed {
					next[cmp.Or(joints[name], name)] = x
				}
			}
			out.Targets[i].Joints = next
		}
		if n := out.Targets[i].Near; n != nil {
			named := &Near{Turns: make(map[string][4]float64, len(n.Turns)), Reach: n.Reach}
			for name, q := range n.Turns {
				named.Turns[cmp.Or(joints[name], name)] = q
			}
			out.Targets[i].Near = named
		}
		if d := out.Targets[i].Driver; d != nil && joints[d.Joint] != "" {
			named := *d
			named.Joint = joints[d.Joint]
			out.Targets[i].Driver = &named
		}
	}
	return out
}

// Within reports whether a group is another, or within it.
func (r *Rig) Within(group, of string) bool {
	for range len(r.Groups) + 1 {
		if group == of {
			return true
		}
		k := r.FindGroup(group)
		if k < 0 {
			return false
		}
		group = r.Groups[k].In
	}
	return false
}
