package studio

import (
	"context"
	"encoding/json"
	"math"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
)

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
const previewLimit = 60_000

// Preview tells what a short operation would do at the head of a character and
// changes nothing.
func (x *Studio) Preview(ctx context.Context, character string, op string, params json.RawMessage) (Preview, error) {
	entry, parsed, err := ParseOperation(op, params)
	if err != nil {
		return Preview{}, err
	}
	_, rev, s, err := x.Head(ctx, character)
	if err != nil {
		return Preview{}, err
	}
	if entry.Long != nil && entry.Long(s) {
		return Preview{}, Wrong("%s is too slow to preview; you can undo it", strings.ToLower(entry.Label))
	}
	x.Attach(ctx, parsed)
	after, outcome, err := Apply(ctx, entry, parsed, *s, nil)
	if err != nil {
		return Preview{}, err
	}
	p := Preview{Outcome: outcome, Mended: []string{}, Caused: []string{}}
	if s.Mesh == nil || after.Mesh == nil {
		return p, nil
	}
	before, err := x.measured(ctx, rev.Parts, s)
	if err != nil {
		return Preview{}, err
	}
	p.Before = before.Facts
	if placer, ok := parsed.(Placer); ok {
		p.Where = placer.Places(before.Surface)
	}
	if after.Mesh == s.Mesh {
		p.After = p.Before
		return p, nil
	}
	surface := after.Mesh.Surface()
	p.After = surface.Measure()
	if len(surface.Points) <= previewLimit {
		_, found, err := health.Check(ctx, surface, after.Settings.Kind)
		if err != nil {
			return Preview{}, err
		}
		p.Mended, p.Caused = missing(before.Findings, found, math.Inf(1)), missing(found, before.Findings, 0.1)
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
