package studio

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	register(
		Entry{"fit_starter", "Fit the starter", "placement", true, func() Operation { return &FitStarter{Params: skeleton.Kinds[0].Default} }},
		Entry{"move_joint", "Move a joint", "placement", false, func() Operation { return &MoveJoint{Branch: true, Both: true} }},
		Entry{"rename_joint", "Rename a joint", "placement", false, func() Operation { return &RenameJoint{} }},
		Entry{"set_axes", "Set joint axes", "axes", false, func() Operation { return &SetAxes{Convention: skeleton.DefaultConvention} }},
	)
}

// Starters are the skeletons that fit_starter knows.
var Starters = skeleton.Kinds

// FitStarter places a starter skeleton inside the mesh, with the parameters of
// its kind where none are given. It replaces the skeleton that is there; weights
// of another skeleton are dropped. Joints that are pinned or locked stay where they are.
// With Only, just these joints are placed anew and the rest stays, weights too.
type FitStarter struct {
	skeleton.Params
	// Shown are places that a person has shown, world metres: see fit.Shown.
	Shown  map[string][3]float64 `json:"shown,omitempty"`
	Facing string                `json:"facing,omitempty"` // "+x", "-x", "+z", "-z"; "" is to be found
	Only   []string              `json:"only,omitempty"`
	Free   bool                  `json:"free,omitempty"` // pinned joints are fitted too
	Own    *skeleton.Own         `json:"own,omitempty"`  // a starter of the production; its Like goes for Params
}

// UnmarshalJSON fills what is not given with the defaults of the starter.
func (o *FitStarter) UnmarshalJSON(data []byte) error {
	var name struct {
		Starter string `json:"starter"`
	}
	if err := json.Unmarshal(data, &name); err != nil {
		return err
	}
	if name.Starter != "" {
		kind, err := skeleton.FindKind(name.Starter)
		if err != nil {
			return err
		}
		o.Params = kind.Default
	}
	type plain FitStarter
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode((*plain)(o))
}

// Apply implements Operation.
func (o *FitStarter) Apply(ctx context.Context, s State, progress Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	title := o.Starter
	if o.Own != nil {
		o.Params = o.Own.Like
		if err := o.Own.Check(); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
		title = "starter " + o.Own.Name
	}
	if err := o.Check(); err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	options := fit.Options{Params: o.Params, Own: o.Own, Only: o.Only, Current: s.Skeleton, Pinned: map[string]r3.Vec{}, Shown: fit.Shown{Places: map[string]r3.Vec{}, Facing: o.Facing}}
	if s.Skeleton != nil {
		for _, j := range s.Skeleton.Joints {
			if j.Locked || j.Pinned && !o.Free {
				options.Pinned[j.Name] = j.Pos
			}
		}
	}
	for name, p := range o.Shown {
		at := r3.Vec{X: p[0], Y: p[1], Z: p[2]}
		if !geom.Finite(at) {
			return s, Outcome{}, wrong("%v is no place for %s", p, name)
		}
		options.Shown.Places[name] = at
	}
	for _, name := range o.Only {
		if s.Skeleton == nil {
			return s, Outcome{}, needSkeleton(s)
		}
		if _, err := s.Skeleton.Find(name); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	// The fit knows the names of starters; the character may mark sides otherwise.
	house := s.Settings.Marks
	if o.Own == nil && house != skeleton.DefaultMarks {
		if err := translate(&options, house, skeleton.DefaultMarks); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	in, _ := s.Mesh.Bindable()
	fitted, report, err := fit.Fit(ctx, in, options, fit.Progress(progress))
	if ctx.Err() != nil {
		return s, Outcome{}, ctx.Err()
	}
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	if o.Own == nil && house != skeleton.DefaultMarks {
		if fitted, err = fitted.RenameMany(translated(fitted, skeleton.DefaultMarks, house)); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	sure, of := 0, 0
	for _, j := range fitted.Joints {
		if o.Only != nil && !slices.Contains(o.Only, j.Name) {
			continue
		}
		of++
		if j.Confidence >= 0.6 {
			sure++
		}
	}
	if s.Skeleton != nil { // what was said of a joint stays said
		for i := range fitted.Joints {
			j := &fitted.Joints[i]
			if k := s.Skeleton.Index(j.Name); k >= 0 {
				was := s.Skeleton.Joints[k]
				j.Locked, j.Hidden, j.Pinned = was.Locked, was.Hidden, was.Pinned && !o.Free
			}
		}
	}
	s.Skeleton, s.Fit = fitted, report
	if o.Only == nil {
		s.Weights, s.Bind = nil, nil
		s.Settings.Oriented = false
	}
	lies := ""
	if g := s.Mesh.GuessPlacement(); o.Starter == "biped" && g.Up != "y" {
		lies = "; the character seems to lie"
		noted := *report
		noted.Notes = append(slices.Clone(report.Notes), "the character seems to lie ("+g.Reason+"): stand it up at the intake, then fit again")
		s.Fit = &noted
	}
	return s, Outcome{Sentence: fmt.Sprintf("Fitted the %s: %d of %d joints are sure%s", title, sure, of, lies),
		Before: "0", After: fmt.Sprint(of)}, nil
}

// translated returns the names of joints by another way to mark sides, by those
// that they have.
func translated(s *skeleton.Skeleton, from, to skeleton.Marks) map[string]string {
	out := map[string]string{}
	for _, j := range s.Joints {
		if name := from.Translate(j.Name, to); name != j.Name {
			out[j.Name] = name
		}
	}
	return out
}

// translate gives the options of a fit the names of another way to mark sides.
func translate(o *fit.Options, from, to skeleton.Marks) error {
	pinned := map[string]r3.Vec{}
	for name, p := range o.Pinned {
		pinned[from.Translate(name, to)] = p
	}
	o.Pinned = pinned
	if o.Only != nil {
		only := make([]string, len(o.Only))
		for i, name := range o.Only {
			only[i] = from.Translate(name, to)
		}
		o.Only = only
	}
	if o.Current == nil {
		return nil
	}
	var err error
	o.Current, err = o.Current.RenameMany(translated(o.Current, from, to))
	return err
}

// MoveJoint puts a joint at a place in world metres.
type MoveJoint struct {
	Joint  string     `json:"joint"`
	To     [3]float64 `json:"to"`
	Branch bool       `json:"branch"` // what hangs from it moves along
	Both   bool       `json:"both"`   // the partner makes the mirrored move
}

// Apply implements Operation.
func (o *MoveJoint) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	i, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	to := r3.Vec{X: o.To[0], Y: o.To[1], Z: o.To[2]}
	if !geom.Finite(to) || r3.Norm(to) > 1e6 {
		return s, Outcome{}, wrong("%v is no place to move %s to", o.To, o.Joint)
	}
	by := r3.Norm(r3.Sub(to, s.Skeleton.Joints[i].Pos))
	if s, err = s.withMoved(s.Skeleton.Move(i, to, o.Branch, o.Both, s.Settings.Marks)); err != nil {
		return s, Outcome{}, err
	}
	what := o.Joint
	if o.Both && s.Skeleton.PartnerOf(i, s.Settings.Marks) >= 0 {
		what += " and its partner"
	}
	return s, Outcome{Sentence: fmt.Sprintf("Moved %s by %.1f cm", what, 100*by)}, nil
}

// RenameJoint gives a joint another name; weights go with it.
type RenameJoint struct {
	Joint string `json:"joint"`
	Name  string `json:"name"`
}

// Apply implements Operation.
func (o *RenameJoint) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	i, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	renamed, err := s.Skeleton.Rename(i, o.Name)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	s = s.withSkeleton(renamed, map[string]string{o.Joint: o.Name}, nil)
	return s, Outcome{Sentence: fmt.Sprintf("Renamed %s to %s", o.Joint, o.Name), Before: o.Joint, After: o.Name}, nil
}

// SetAxes turns joints by a convention, which the character keeps. Joints names
// those to turn; empty means all.
type SetAxes struct {
	skeleton.Convention
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *SetAxes) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	var which []int
	for _, name := range o.Joints {
		i, err := s.Skeleton.Find(name)
		if err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
		which = append(which, i)
	}
	turned, err := s.Skeleton.Orient(which, o.Convention, s.Settings.Marks)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	before, after := 0, 0
	for i := range turned.Joints {
		if s.Skeleton.AxisOff(i, o.Convention, s.Settings.Marks) > skeleton.AxisLimit {
			before++
		}
		if turned.AxisOff(i, o.Convention, s.Settings.Marks) > skeleton.AxisLimit {
			after++
		}
	}
	n := len(o.Joints)
	if n == 0 {
		n = len(turned.Joints)
	}
	s.Skeleton = turned
	s.Settings.Convention, s.Settings.Oriented = o.Convention, true
	return s, Outcome{Sentence: fmt.Sprintf("Set the axes of %d joints: %d off their bone became %d", n, before, after),
		Before: fmt.Sprint(before), After: fmt.Sprint(after)}, nil
}
