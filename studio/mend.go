package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
)

func init() {
	register(Entry{"mend_safe", "Mend what is safe", "intake", false, func() Operation { return &MendSafe{} }})
}

// MendSafe does the repairs that change nothing that a modeller could have
// meant, in the order in which each leaves the least to the next, and lists
// what is left for a person. Unit, axis and place are decisions and stay, as do
// holes and pieces.
type MendSafe struct {
	// Distance in metres within which borders are welded; 0 takes a
	// hundred-thousandth of the diagonal.
	Distance float64 `json:"distance,omitempty"`
}

// Apply implements Operation.
func (o *MendSafe) Apply(ctx context.Context, s State, progress Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	if o.Distance < 0 {
		return s, Outcome{}, wrong("the weld distance must be a length, not %g", o.Distance)
	}
	_, found := health.Check(s.Mesh.Surface(), s.Settings.Kind)
	out := Outcome{Before: fmt.Sprint(len(found))}
	step := func(op Operation) error {
		next, told, err := op.Apply(ctx, s, progress)
		if err != nil {
			return err
		}
		if same := sameMesh(s.Mesh, next.Mesh); !same {
			out.Steps = append(out.Steps, told.Sentence)
		}
		s = next
		return ctx.Err()
	}
	if s.Mesh.Framed() {
		if err := step(&BakeTransform{mesh.NoPlacement}); err != nil {
			return s, Outcome{}, err
		}
	}
	distance := o.Distance
	if distance == 0 {
		distance = mesh.NearShare * s.Mesh.Surface().Diagonal
	}
	steps := []Operation{&DropFaces{}, &Weld{Distance: distance}, &DropLoose{}, &DropFaces{}, &SplitTies{}, &MakeOutward{}}
	for i, op := range steps {
		if w, ok := op.(*Weld); ok && !(w.Distance > 0) {
			continue // all in one point
		}
		progress("Mending", float64(i)/float64(len(steps)))
		if err := step(op); err != nil {
			return s, Outcome{}, err
		}
	}
	_, left := health.Check(s.Mesh.Surface(), s.Settings.Kind)
	for _, f := range left {
		out.Left = append(out.Left, f.Title)
	}
	out.After = fmt.Sprint(len(left))
	out.Sentence = fmt.Sprintf("Mended what is safe: %d findings became %d", len(found), len(left))
	if len(out.Steps) == 0 {
		out.Sentence = fmt.Sprintf("Nothing was safe to mend; %d findings are left for you", len(left))
	}
	return s, out, nil
}

func sameMesh(a, b *mesh.Mesh) bool {
	return a == b || mesh.Compare(a, b).Same() && !a.Framed() && !b.Framed() && mesh.Compare(a, b).Farthest.By == 0
}

// Placer is an operation that can say beforehand what it would touch.
type Placer interface {
	Places(m *mesh.Surface) finding.Where
}

// Preview is what an operation would do.
type Preview struct {
	Outcome Outcome       `json:"outcome"`
	Where   finding.Where `json:"where"`
	Before  mesh.Facts    `json:"before"`
	After   mesh.Facts    `json:"after"`
	// Mended and Caused are the titles of findings that would go altogether and
	// of those that would come or grow by more than a tenth.
	Mended []string `json:"mended"`
	Caused []string `json:"caused"`
}

// previewLimit is the number of vertices up to which a preview checks the
// result as well.
const previewLimit = 120_000

// Preview tells what a short operation would do at the head of a character and
// changes nothing.
func (x *Studio) Preview(ctx context.Context, character string, op string, params json.RawMessage) (Preview, error) {
	entry, parsed, err := ParseOperation(op, params)
	if err != nil {
		return Preview{}, err
	}
	if entry.Long {
		return Preview{}, wrong("%s takes too long to be tried beforehand; undo takes it back", strings.ToLower(entry.Label))
	}
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return Preview{}, err
	}
	rev, err := x.store.Revision(ctx, c.Head)
	if err != nil {
		return Preview{}, err
	}
	s, err := x.Load(ctx, rev)
	if err != nil {
		return Preview{}, err
	}
	after, outcome, err := parsed.Apply(ctx, *s, func(string, float64) {})
	if err != nil {
		return Preview{}, err
	}
	p := Preview{Outcome: outcome, Mended: []string{}, Caused: []string{}}
	if s.Mesh == nil || after.Mesh == nil {
		return p, nil
	}
	before := x.measured(rev.Parts, s)
	p.Before = before.facts
	if placer, ok := parsed.(Placer); ok {
		p.Where = placer.Places(before.surface)
	}
	if after.Mesh == s.Mesh {
		p.After = p.Before
		return p, nil
	}
	surface := after.Mesh.Surface()
	p.After = surface.Measure()
	if len(surface.Points) <= previewLimit {
		_, found := health.Check(surface, after.Settings.Kind)
		p.Mended, p.Caused = missing(before.findings, found, math.Inf(1)), missing(found, before.findings, 0.1)
	}
	return p, nil
}

// missing returns the titles of the findings of a that are not in b, or there
// with a count smaller by a share of grown.
func missing(a, b []finding.Finding, grown float64) []string {
	count := map[string]int{}
	for _, f := range b {
		count[f.Code] += f.Count
	}
	out := []string{}
	for _, f := range a {
		if n := count[f.Code]; n == 0 || float64(f.Count) > (1+grown)*float64(n) {
			out = append(out, f.Title)
		}
	}
	return out
}
