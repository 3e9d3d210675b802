package placement

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/fit"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "fit_starter",
			Label: "Fit the starter",
			Stage: "placement",
			Words: "auto rig template skeleton place automatically biped quadruped bird hand",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.Always,
			Loses: losesByFit,
			New:   func() studio.Operation { return &FitStarter{Params: skeleton.Kinds[0].Default} },
		},
	)
}

// losesByFit says what a fit of the whole skeleton would lose.
func losesByFit(s *studio.State, op studio.Operation) string {
	if op.(*FitStarter).Only != nil {
		return ""
	}
	return losesByRefit(s)
}

func losesByRefit(s *studio.State) string {
	switch {
	case s.Skeleton == nil:
		return ""
	case s.Weights != nil:
		return "Refitting replaces the skeleton and removes the weights. Pinned joints stay. You can undo."
	}
	for _, j := range s.Skeleton.Joints {
		if j.Reason == "" && !j.Pinned && !j.Locked {
			return "Refitting replaces hand-placed joints; pinned ones stay. Undo brings them back."
		}
	}
	return ""
}

// FitStarter places a starter skeleton inside the mesh, with the parameters of
// its kind where none are given. It replaces the skeleton that is there; weights
// of another skeleton are dropped. Joints that are pinned or locked stay where they are.
// With Only, just these joints are placed anew and the rest stays, weights too.
type FitStarter struct {
	skeleton.Params
	// Shown are places that a person has shown, world metres: see fit.Shown.
	Shown  map[string]studio.Place `json:"shown,omitempty"`
	Facing string                  `json:"facing,omitempty"` // "+x", "-x", "+z", "-z"; "" is to be found
	Only   []string                `json:"only,omitempty"`
	Free   bool                    `json:"free,omitempty"` // pinned joints are fitted too
	Own    *skeleton.Own           `json:"own,omitempty"`  // a starter of the production; its Like goes for Params
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
func (o *FitStarter) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	title := o.Starter
	if o.Own != nil {
		o.Params = o.Own.Like
		if err := o.Own.Check(); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		title = "starter " + o.Own.Name
	}
	if err := o.Check(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	options := fit.Options{
		Params:  o.Params,
		Own:     o.Own,
		Only:    o.Only,
		Current: s.Skeleton,
		Pinned:  map[string]r3.Vec{},
		Shown:   fit.Shown{Places: map[string]r3.Vec{}, Facing: o.Facing},
	}
	if s.Skeleton != nil {
		for _, j := range s.Skeleton.Joints {
			if j.Locked || j.Pinned && !o.Free {
				options.Pinned[j.Name] = j.Pos
			}
		}
	}
	for name, p := range o.Shown {
		at, err := p.Vec()
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("the marked spot for %s: %v", name, err)
		}
		options.Shown.Places[name] = at
	}
	for _, name := range o.Only {
		if s.Skeleton == nil {
			return s, studio.Outcome{}, studio.Wrong("no skeleton yet: fit the whole starter before %s", name)
		}
		if _, err := s.Skeleton.Find(name); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	// The fit knows the names of starters; the character may mark sides otherwise.
	house := s.Settings.Marks
	if o.Own == nil && house != skeleton.DefaultMarks {
		if err := translate(&options, house, skeleton.DefaultMarks); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	in, _ := s.Mesh.Bindable()
	fitted, report, err := fit.Fit(ctx, in, options, progress)
	if ctx.Err() != nil {
		return s, studio.Outcome{}, ctx.Err()
	}
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if o.Own == nil && house != skeleton.DefaultMarks {
		names := translated(fitted, skeleton.DefaultMarks, house)
		if fitted, err = fitted.RenameMany(names); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		report = report.Renamed(names, nil)
	}
	sure, of := 0, 0
	for _, j := range fitted.Joints {
		if o.Only != nil && !slices.Contains(o.Only, j.Name) {
			continue
		}
		of++
		if j.Confidence >= skeleton.Sure {
			sure++
		}
	}
	if s.Skeleton != nil { // what was said of a joint stays said
		for i := range fitted.Joints {
			j := &fitted.Joints[i]
			if k := s.Skeleton.Index(j.Name); k >= 0 {
				was := s.Skeleton.Joints[k]
				j.Locked, j.Hidden, j.Pinned = was.Locked, was.Hidden, was.Pinned && !o.Free
				stays := j.Locked || j.Pinned || o.Only != nil && !slices.Contains(o.Only, j.Name)
				if f, known := fittedBefore(s.Fit, report, j.Name); known && stays { // and where it was moved to
					report.Fitted[j.Name] = f
				}
			}
		}
	}
	s.Skeleton, s.Fit = fitted, report
	if o.Only == nil {
		s.Weights, s.Bind = nil, nil
		s.Settings.Oriented = false
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Fitted the %s: %d of %d joints are at least 80%% sure", title, sure, of),
		Before: "0", After: fmt.Sprint(of)}, nil
}

// fittedBefore is what was remembered of a joint by the fit before, where both are of one starter.
func fittedBefore(was, now *fit.Report, joint string) (f fit.Fitted, known bool) {
	if was == nil || was.Starter != now.Starter || now.Fitted == nil {
		return f, false
	}
	f, known = was.Fitted[joint]
	return f, known
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

// PreviewStarter returns the joints of a starter at the size of a character's
// mesh, standing where it stands, for the view to show before it is fitted. Of a shape
// that was read before, they stand where they would for another number of joints; there are none before.
func PreviewStarter(ctx context.Context, x *studio.Studio, character string, o *FitStarter) ([]Theirs, error) {
	_, _, s, err := x.Head(ctx, character)
	if err != nil {
		return nil, err
	}
	if o.Starter == "shape" && o.Own == nil {
		return previewShape(s, o.Params)
	}
	var sk *skeleton.Skeleton
	p := o.Params
	if o.Own != nil {
		if err := o.Own.Check(); err != nil {
			return nil, studio.Wrong("%v", err)
		}
		sk, p = o.Own.Standing(), o.Own.Like
	} else if sk, err = p.Build(); err != nil {
		return nil, studio.Wrong("%v", err)
	}
	if s.Mesh != nil {
		f := s.Mesh.Measure()
		k := 1.0
		if h := sk.Height(); h > 0 && p.Starter != "chain" {
			k = f.Height / h
		}
		for i := range sk.Joints {
			j := &sk.Joints[i]
			j.Pos.X, j.Pos.Y, j.Pos.Z = k*j.Pos.X+(f.Min[0]+f.Max[0])/2, k*j.Pos.Y+f.Min[1], k*j.Pos.Z+(f.Min[2]+f.Max[2])/2
		}
	}
	return TheirsOf(sk), nil
}
