package bind

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "keep_result",
			Label: "Keep this result",
			Stage: "bind",
			Words: "save store snapshot weights compare version",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			New:   func() studio.Operation { return &KeepResult{} },
		},
		studio.Entry{
			Name:  "take_result",
			Label: "Use a kept result",
			Stage: "bind",
			Words: "restore load weights swap compare",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedKept},
			New:   func() studio.Operation { return &TakeResult{} },
		},
		studio.Entry{
			Name:  "drop_result",
			Label: "Remove a kept result",
			Stage: "bind",
			Words: "delete remove weights",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedKept},
			New:   func() studio.Operation { return &DropResult{} },
		},
	)
}

// KeepResult keeps the weights and their account under a name, beside what is bound
// later; one of that name is replaced. With a file it keeps those of the file, as of an earlier
// revision of the character, carried over: by the order of vertices where they lie the same, else
// from the nearest place on the surface.
type KeepResult struct {
	Name string       `json:"name"`
	File *studio.File `json:"file,omitempty"`
}

// Files implements studio.FileReader.
func (o *KeepResult) Files() []*studio.File {
	if o.File == nil {
		return nil
	}
	return []*studio.File{o.File}
}

// Apply implements studio.Operation.
func (o *KeepResult) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	if err := studio.CheckName("a kept result", o.Name); err != nil {
		return s, studio.Outcome{}, err
	}
	var k studio.Kept
	out := studio.Outcome{Sentence: fmt.Sprintf("Kept the weights as %s", o.Name)}
	switch {
	case o.File != nil:
		from, err := read(ctx, o.File, s.Skeleton, 1, nil)
		if err != nil {
			return s, studio.Outcome{}, err
		}
		progress("Carrying the weights over", 0.4)
		in, _ := s.Mesh.Bindable()
		w, told, err := bind.Carry(from.mesh, from.weights, in, bind.CarryOptions{From: wayOf(from.mesh, in)})
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		how := fmt.Sprintf("carried over from %s, %s away at most", from.name, wording.Length(told.Farthest))
		k = studio.Kept{
			Name:    o.Name,
			Weights: w,
			Result: &studio.Result{
				Operation:  "keep_result",
				Parameters: json.RawMessage("{}"),
				Skeleton:   s.Skeleton,
				Report:     *bind.Account(in, s.Skeleton, w, bind.Evidence{Method: how}),
			},
		}
		out.Sentence, out.Left = fmt.Sprintf("Kept the weights of %s as %s: %s", from.name, o.Name, how), from.left
	case s.Weights == nil:
		return s, studio.Outcome{}, studio.Wrong("no weights to keep yet: bind first")
	default:
		result := account(s)
		k = studio.Kept{Name: o.Name, Result: &result, Weights: s.Weights}
	}
	before := len(s.Kept)
	s.Kept = slices.Clone(s.Kept)
	if i := s.FindKept(o.Name); i >= 0 {
		s.Kept[i] = k
	} else if before == studio.MaxKept {
		return s, studio.Outcome{}, studio.Wrong("%d results are kept already: drop one first", studio.MaxKept)
	} else {
		s.Kept = append(s.Kept, k)
	}
	out.Before, out.After = fmt.Sprint(before), fmt.Sprint(len(s.Kept))
	return s, out, nil
}

// sameMesh is how far vertices of one mesh lie apart after a file was between, by its diagonal.
const sameMesh = 1e-6

// wayOf is how weights are carried between two states of a mesh: by the order of vertices where
// each lies where it lay.
func wayOf(from, to *mesh.Mesh) string {
	a, b := from.World(), to.World()
	if len(a) != len(b) {
		return bind.FromSurface
	}
	within := sameMesh * geom.BoxOf(b).Diagonal()
	for v := range a {
		if !(r3.Norm(r3.Sub(a[v], b[v])) <= within) {
			return bind.FromSurface
		}
	}
	return bind.FromOrder
}

// TakeResult makes a kept result the current one, or takes the weights of some joints from
// it; it stays kept.
type TakeResult struct {
	Name   string   `json:"name"`
	Joints []string `json:"joints,omitempty"`
}

// Apply implements studio.Operation.
func (o *TakeResult) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i := s.FindKept(o.Name)
	if i < 0 {
		return s, studio.Outcome{}, studio.Wrong("no result is kept as %q", o.Name)
	}
	k := s.Kept[i]
	if len(k.Weights.Of) != len(s.Mesh.Points) {
		return s, studio.Outcome{}, studio.Wrong(
			"%s was kept for a mesh of %d vertices, and this one has %d",
			o.Name,
			len(k.Weights.Of),
			len(s.Mesh.Points),
		)
	}
	for _, name := range k.Weights.Joints {
		if s.Skeleton == nil || s.Skeleton.Index(name) < 0 {
			return s, studio.Outcome{}, studio.Wrong("%s was kept for a skeleton with %s, which is not here any more", o.Name, name)
		}
	}
	before := len(s.Stray())
	if len(o.Joints) > 0 {
		which, err := s.JointsNamed(o.Joints)
		if err != nil {
			return s, studio.Outcome{}, err
		}
		if s.Weights == nil {
			return s, studio.Outcome{}, studio.Wrong("no weights to combine with: use the whole result")
		}
		record := account(s)
		was := s.Weights
		if k.Result != nil {
			record.Limits.Cap = max(record.Limits.Cap, k.Result.Limits.Cap)
		}
		s.Weights = weights.Merged(s.Mesh, s.Weights, k.Weights, o.Joints, record.Limits)
		changed := 0
		for v := range was.Of {
			if !slices.Equal(was.Of[v], s.Weights.Of[v]) {
				changed++
			}
		}
		s.Bind = &record
		s = s.Recounted()
		return s, studio.Outcome{
			Sentence: fmt.Sprintf("Used the weights of %s from %s: %s changed", studio.Said(o.Joints), o.Name, wording.Count(changed, "vertex", "vertices")),
			Before:   fmt.Sprint(len(which)),
			After:    fmt.Sprint(changed),
		}, nil
	}
	s.Weights, s.Bind = k.Weights, k.Result
	s = s.Recounted()
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Used the weights kept as %s: unweighted vertices %d → %d", o.Name, before, len(s.Bind.Report.Stray)),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(len(s.Bind.Report.Stray)),
	}, nil
}

// DropResult drops a kept result.
type DropResult struct {
	Name string `json:"name"`
}

// Apply implements studio.Operation.
func (o *DropResult) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i := s.FindKept(o.Name)
	if i < 0 {
		return s, studio.Outcome{}, studio.Wrong("no result is kept as %q", o.Name)
	}
	before := len(s.Kept)
	s.Kept = slices.Delete(slices.Clone(s.Kept), i, i+1)
	return s, studio.Outcome{Sentence: "Removed the kept result " + o.Name, Before: fmt.Sprint(before), After: fmt.Sprint(len(s.Kept))}, nil
}
