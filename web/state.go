package web

import (
	"context"
	"errors"
	"net/http"
	"reflect"
	"slices"
	"strconv"

	"wisemarrow/core/finding"
	"wisemarrow/formats/bundle"
	"wisemarrow/stages/axes"
	"wisemarrow/stages/bind"
	"wisemarrow/stages/motion"
	"wisemarrow/stages/shapes"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"
)

// What the workbench knows of a character's head but the arrays comes in sections.
// A page that knows a revision gets those sections alone that read a part which has
// changed since.

// section is a key of the answer, and the rows of the table of parts that it reads.
type section struct {
	name  string
	reads []string
	make  func(s *site, ctx context.Context, o opened) (any, error)
}

// small are sections that are quickly made: where what they read has changed, it is seen whether they say
// something else now.
var small = map[string]bool{"plane": true, "poses": true, "capsules": true, "refused": true, "fit": true, "shapes": true}

var sections = []section{
	{"mesh", []string{"mesh", "parts"}, func(_ *site, _ context.Context, o opened) (any, error) {
		return studio.DrawnKey(o.rev.Parts, o.state), nil
	}},
	{"facts", []string{"mesh", "parts"}, func(s *site, ctx context.Context, o opened) (any, error) {
		return s.studio.FactsSoon(ctx, o.rev)
	}},
	{"parts", []string{"mesh", "parts"}, parts},
	{"smooth", []string{"mesh"}, func(_ *site, _ context.Context, o opened) (any, error) {
		if o.state.Mesh == nil {
			return smoothest{}, nil
		}
		out := smoothest{Levels: bundle.Smoothest(o.state.Mesh)}
		if out.Levels < 2 {
			out.Why = tooFine(out.Levels + 1)
		}
		return out, nil
	}},
	{"weights", []string{"weights"}, func(_ *site, _ context.Context, o opened) (any, error) {
		if o.state.Weights == nil {
			return nil, nil
		}
		return map[string]any{"joints": o.state.Weights.Joints, "columns": o.rev.Parts.Columns()}, nil
	}},
	{"mix", []string{"mix"}, func(_ *site, _ context.Context, o opened) (any, error) { return o.rev.Parts["mix"], nil }},
	{"shapes", []string{"targets", "shapes", "skeleton", "settings"}, func(_ *site, _ context.Context, o opened) (any, error) {
		return shapes.ShownOf(o.state, o.rev.Parts), nil
	}},
	{"fit", []string{"fit"}, func(_ *site, _ context.Context, o opened) (any, error) {
		if o.state.Fit == nil || o.state.Fit.Shape == nil && o.state.Fit.Fitted == nil {
			return o.state.Fit, nil
		}
		out := *o.state.Fit
		out.Fitted = nil // the server's own, and other after each move of a joint
		out.Shape = nil  // its lines are for the server: the page asks where joints would stand
		return out, nil
	}},
	{"plane", []string{"skeleton", "settings"}, func(_ *site, _ context.Context, o opened) (any, error) {
		if o.state.Skeleton == nil {
			return 0, nil
		}
		return o.state.Skeleton.MirrorPlane(o.state.Settings.Marks), nil
	}},
	{"motions", []string{"clips"}, func(_ *site, _ context.Context, o opened) (any, error) { return o.state.Motions(), nil }},
	{"kept", []string{"kept"}, func(_ *site, _ context.Context, o opened) (any, error) {
		names := []string{}
		for _, k := range o.state.Kept {
			names = append(names, k.Name)
		}
		return names, nil
	}},
	{"reel", []string{"skeleton", "settings", "sheet", "poses", "clips", "kept"}, func(_ *site, _ context.Context, o opened) (any, error) {
		return o.rev.Parts.Key("skeleton", "settings", "sheet", "poses", "clips", "kept"), nil
	}},
	{"poses", []string{"poses", "skeleton"}, poses},
	{
		"capsules",
		[]string{"capsules", "skeleton"},
		func(_ *site, _ context.Context, o opened) (any, error) { return bind.CapsulesOf(o.state), nil },
	},
	{"vertices", []string{"chosen"}, func(_ *site, _ context.Context, o opened) (any, error) { return weights.ChoicesOf(o.state), nil }},
	{"cap", []string{"bind"}, func(_ *site, _ context.Context, o opened) (any, error) {
		if o.state.Bind == nil {
			return 0, nil
		}
		return o.state.Bind.Limits.Cap, nil
	}},
	{"marks", []string{"settings"}, func(_ *site, _ context.Context, o opened) (any, error) { return o.state.Settings.Marks, nil }},
	{
		"convention",
		[]string{"settings"},
		func(_ *site, _ context.Context, o opened) (any, error) { return o.state.Settings.Convention, nil },
	},
	{"binding", []string{"binding"}, func(_ *site, _ context.Context, o opened) (any, error) { return o.state.Binding, nil }},
	{"loose", []string{"settings"}, func(_ *site, _ context.Context, o opened) (any, error) { return o.state.Settings.Loose, nil }},
	{"refused", []string{"mesh", "skeleton", "weights", "clips", "kept"}, func(_ *site, _ context.Context, o opened) (any, error) {
		out := map[string]string{}
		for _, e := range studio.Operations() {
			if why := e.Missing(o.state); why != "" {
				out[e.Name] = why
			}
		}
		return out, nil
	}},
}

// smoothest is how many levels of subdivision can be shown, and why not more.
type smoothest struct {
	Levels int    `json:"levels"`
	Why    string `json:"why,omitempty"`
}

// state answers with what the workbench shows of the head; with since only with
// what has changed since that revision.
func (s *site) state(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	var before *opened
	if since, bad := strconv.ParseInt(r.URL.Query().Get("since"), 10, 64); bad == nil && since > 0 {
		if before, err = s.earlier(r.Context(), o.Character, since); err != nil {
			s.problem(w, r, err)
			return
		}
	}
	query := r.URL.Query()
	out, err := s.shown(r.Context(), o, before, look{stage: query.Get("stage"), panel: query.Get("panel")})
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, out)
}

// earlier is a character at a revision that a page knows; nil if it is none of it.
func (s *site) earlier(ctx context.Context, c studio.Character, id int64) (*opened, error) {
	rev, err := s.studio.Revision(ctx, id)
	if errors.Is(err, studio.ErrNotFound) || err == nil && rev.Character != c.ID {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	state, err := s.studio.Load(ctx, rev)
	return &opened{c, rev, state}, err
}

// look is what a page wants besides the sections: the panel of a stage, of which it may have one already. made says
// that the revision was just made, so that there is nothing to redo, and of long work the page is told by itself.
type look struct {
	stage, panel string
	made         bool
}

// shown is what the workbench shows of a character: all of it, or what is other than
// before. With a stage its panel goes along.
func (s *site) shown(ctx context.Context, o opened, before *opened, l look) (map[string]any, error) {
	out := map[string]any{"id": o.ID, "name": o.Name, "head": o.rev.ID, "undo": "", "redo": ""}
	if before != nil {
		out["since"] = before.rev.ID
	}
	if o.rev.Parent != 0 {
		out["undo"] = o.rev.Outcome.Sentence
	}
	var err error
	if !l.made || before == nil {
		next, err := s.studio.Next(ctx, o.ID, o.rev.ID)
		switch {
		case err == nil:
			out["redo"] = next.Outcome.Sentence
		case !errors.Is(err, studio.ErrNotFound):
			return nil, err
		}
		if out["works"], err = s.studio.OpenWork(ctx, o.ID); err != nil {
			return nil, err
		}
	}
	// A page that shows what was not measured yet asks for it by the revision that it has.
	checked := before != nil && before.rev.ID == o.rev.ID
	changed := func(reads []string) bool {
		return before == nil || checked && slices.Equal(reads, []string{"mesh", "parts"}) ||
			before.rev.Parts.Key(reads...) != o.rev.Parts.Key(reads...)
	}
	for _, sec := range sections {
		if changed(sec.reads) {
			if out[sec.name], err = sec.make(s, ctx, o); err != nil {
				return nil, err
			}
			if before == nil || !small[sec.name] {
				continue
			}
			// What it reads has changed; what it says may be the same.
			if was, err := sec.make(s, ctx, *before); err == nil && reflect.DeepEqual(was, out[sec.name]) {
				delete(out, sec.name)
			}
		}
	}
	if changed([]string{"skeleton", "settings", "bind"}) {
		all := joints(o)
		out["joints"] = all
		if before != nil {
			if moved, ok := differing(joints(*before), all); ok {
				delete(out, "joints")
				out["moved"] = moved
			}
		}
	}
	review, err := s.studio.ReviewSoon(ctx, o.rev)
	if err != nil {
		return nil, err
	}
	var was *studio.Review
	if before != nil && !checked {
		if was, err = s.studio.ReviewSoon(ctx, before.rev); err != nil {
			return nil, err
		}
	}
	list := []studio.Reviewed{}
	for i, st := range review.Stages {
		if was != nil && sameReview(was.Stages[i], st) {
			continue
		}
		st.Findings = slices.Clone(st.Findings)
		for k := range st.Findings {
			f := &st.Findings[k]
			f.Where = finding.Where{Joints: f.Where.Joints} // the rest is fetched when shown
		}
		list = append(list, st)
	}
	out["stages"] = list
	if l.stage != "" {
		html, err := s.trayOf(ctx, o, l.stage, l.made)
		if err != nil {
			return nil, err
		}
		out["panel"] = s.panels.send(l.stage, string(html), l.panel)
	}
	return out, nil
}

// sameReview reports whether two reviews of a stage say the same.
func sameReview(a, b studio.Reviewed) bool {
	return a.State == b.State && len(a.Findings) == len(b.Findings) &&
		(len(a.Findings) == 0 || &a.Findings[0] == &b.Findings[0] || reflect.DeepEqual(a.Findings, b.Findings))
}

// jointView is a joint as the views draw it.
type jointView struct {
	Name       string       `json:"name"`
	Parent     int          `json:"parent"`
	Pos        [3]float64   `json:"pos"` // world at rest
	Rot        [4]float64   `json:"rot"` // world at rest: x y z w
	Side       string       `json:"side"`
	Partner    int          `json:"partner"`
	End        bool         `json:"end"`
	Confidence float64      `json:"confidence"`
	Reason     string       `json:"reason"`
	Bound      string       `json:"bound"` // state after the last bind
	Cause      string       `json:"cause"`
	Leads      int          `json:"leads"`
	Pinned     bool         `json:"pinned"`
	Locked     bool         `json:"locked"`
	Hidden     bool         `json:"hidden"`
	Order      string       `json:"order,omitempty"` // of its turns
	Mix        float64      `json:"mix,omitempty"`   // of dual quaternions
	Deforms    bool         `json:"deforms"`
	Foot       bool         `json:"foot,omitempty"` // a limb ends there that stands
	Weights    bool         `json:"weightsLocked,omitempty"`
	Helper     *motion.Rule `json:"helper,omitempty"` // how it turns by itself
	Axes       axesView     `json:"axes,omitzero"`    // of its chain, where they are not the character's
	axes.Keeping
}

// axesView names the axes of a joint.
type axesView struct {
	Aim   string `json:"aim"`
	Bend  string `json:"bend"`
	Sides string `json:"sides"`
}

func joints(o opened) []jointView {
	sk := o.state.Skeleton
	if sk == nil {
		return []jointView{}
	}
	children := sk.Children()
	pairs := sk.Pairs(o.state.Settings.Marks)
	out := make([]jointView, len(sk.Joints))
	deforms := sk.Deforming()
	feet := motion.Feet(o.state)
	for i, j := range sk.Joints {
		side := [3]string{"centre", "left", "right"}[pairs.Sides[i]]
		out[i] = jointView{
			Name:       j.Name,
			Parent:     j.Parent,
			Pos:        [3]float64{j.Pos.X, j.Pos.Y, j.Pos.Z},
			Rot:        [4]float64{j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real},
			Side:       side,
			Partner:    pairs.Partner[i],
			End:        len(children[i]) == 0,
			Confidence: j.Confidence,
			Reason:     j.Reason,
			Pinned:     j.Pinned,
			Locked:     j.Locked,
			Hidden:     j.Hidden,
			Order:      j.Order,
			Mix:        j.Mix,
			Deforms:    deforms[i],
			Foot:       feet[i],
			Helper:     motion.RuleOf(sk, i),
			Weights:    j.WeightsLocked,
			Axes:       axesView{j.Axes.Aim, j.Axes.Bend, j.Axes.Sides},
		}
	}
	for i, k := range axes.KeepingOf(o.state) {
		out[i].Keeping = k
	}
	if o.state.Bind != nil {
		at := sk.Numbers()
		for _, b := range o.state.Bind.Report.Joints {
			if i, ok := at[b.Name]; ok {
				out[i].Bound, out[i].Cause, out[i].Leads = string(b.State), b.Cause, b.Vertices
			}
		}
	}
	return out
}

// differing returns the rows by number that are other than before; false where names
// or order are.
func differing(before, after []jointView) (map[int]jointView, bool) {
	if len(before) != len(after) {
		return nil, false
	}
	out := map[int]jointView{}
	for i := range after {
		if before[i].Name != after[i].Name {
			return nil, false
		}
		if !reflect.DeepEqual(before[i], after[i]) {
			out[i] = after[i]
		}
	}
	return out, true
}

// poseView is a kept pose: turns about the joints' own axes.
type poseView struct {
	Name  string       `json:"name"`
	Turns studio.Turns `json:"turns"`
	Move  [3]float64   `json:"move"`
}

func poses(_ *site, _ context.Context, o opened) (any, error) {
	out := []poseView{}
	if o.state.Skeleton == nil {
		return out, nil
	}
	for _, c := range o.state.Poses {
		p, move := c.AboutOwn(o.state.Skeleton).At(0)
		out = append(out, poseView{c.Name, studio.TurnsOf(p), [3]float64{move.X, move.Y, move.Z}})
	}
	return out, nil
}

// partView is a part of the mesh as the tray lists it.
type partView struct {
	Name   string `json:"name"`
	Faces  int    `json:"faces"`
	Hidden bool   `json:"hidden"`
	Out    bool   `json:"out"`
}

func parts(_ *site, _ context.Context, o opened) (any, error) {
	out := []partView{}
	m := o.state.Mesh
	if m == nil {
		return out, nil
	}
	faces := make([]int, len(m.Parts))
	for f := range m.Faces() {
		faces[m.PartOf(f)]++
	}
	for i, p := range m.Parts {
		out = append(out, partView{p.Name, faces[i], p.Hidden, p.Out})
	}
	return out, nil
}
