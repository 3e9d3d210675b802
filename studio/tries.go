package studio

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"wisemarrow/core/finding"
)

// Try is what a remedy of a finding did on a working copy.
type Try struct {
	Finding int    `json:"finding"` // number among the findings of the stage
	Remedy  int    `json:"remedy"`  // number among the finding's remedies
	Ran     bool   `json:"ran"`     // false where it was not tried: Said tells why
	Helps   bool   `json:"helps"`
	Said    string `json:"said"` // with a number before and after

	left int // of the finding, after it
}

// triesTime is how long the remedies of one stage may be tried. A trial that has begun
// is ended.
const triesTime = 12 * time.Second

// arranging operations change what is said of a finding, or how what it concerns is laid
// out, and nothing that is measured.
var arranging = []string{"accept_finding", "separate_pieces"}

// Tries tries the remedies of a stage's findings at a revision, each on a copy that is
// thrown away, and measures the stage again. Meshes of more than previewLimit vertices
// are not tried.
func (x *Studio) Tries(ctx context.Context, r Revision, stage string) ([]Try, error) {
	return x.tries.load(ctx, stage+"/"+r.Parts.Key(), func(ctx context.Context) ([]Try, int, error) {
		before, err := x.ReviewStage(ctx, r, stage)
		if err != nil {
			return nil, 0, err
		}
		s, err := x.Load(ctx, r)
		if err != nil {
			return nil, 0, err
		}
		var known *Measured
		if s.Mesh != nil {
			if known, err = x.measured(ctx, r.Parts, s); err != nil {
				return nil, 0, err
			}
		}
		select {
		case x.trying <- struct{}{}:
			defer func() { <-x.trying }()
		case <-ctx.Done():
			return nil, 0, ctx.Err()
		}
		t := trial{
			x:      x,
			s:      s,
			known:  known,
			stage:  stage,
			before: before.Findings,
			until:  time.Now().Add(triesTime),
			after:  map[string]tried{},
		}
		list := t.all(ctx)
		return list, 200 + 200*len(list), ctx.Err()
	})
}

// triesWaiting is how many stages may wait to be tried; who asks for more asks again later.
const triesWaiting = 8

// triesLimit ends what tries for longer, in whatever stage it is, and triesUnasked what nobody has asked
// for since: who has gone on to another stage or state waits for it no more.
const (
	triesLimit   = 90 * time.Second
	triesUnasked = 6 * time.Second
)

// begunTries are tries on their way, and when somebody asked for them last.
type begunTries struct{ asked time.Time }

// TriesSoon returns the tries of a stage if they are known. Else they are begun, and who asked
// asks again: an answer that is waited for would hold one of the few connections that a
// browser has. Tries that nobody asks for any more end.
func (x *Studio) TriesSoon(r Revision, stage string) (list []Try, known bool) {
	key := stage + "/" + r.Parts.Key()
	if list, ok := x.tries.get(key); ok {
		return list, true
	}
	x.triesMu.Lock()
	defer x.triesMu.Unlock()
	if b := x.triesBegun[key]; b != nil {
		b.asked = time.Now()
		return nil, false
	}
	if len(x.triesBegun) >= triesWaiting {
		return nil, false
	}
	b := &begunTries{asked: time.Now()}
	x.triesBegun[key] = b
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), triesLimit)
		go x.whileAsked(ctx, cancel, b)
		defer func() {
			cancel()
			_ = recover() // nobody waits: what cannot be tried is not told of
			x.triesMu.Lock()
			defer x.triesMu.Unlock()
			delete(x.triesBegun, key)
		}()
		_, _ = x.Tries(ctx, r, stage) // an error leaves it unknown, and it is asked for again
	}()
	return nil, false
}

// whileAsked ends tries that nobody asks for any more.
func (x *Studio) whileAsked(ctx context.Context, cancel func(), b *begunTries) {
	tick := time.NewTicker(triesUnasked / 6)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			x.triesMu.Lock()
			gone := time.Since(b.asked) > triesUnasked
			x.triesMu.Unlock()
			if gone {
				cancel()
				return
			}
		}
	}
}

// trial tries the remedies of one stage of one state.
type trial struct {
	x      *Studio
	s      *State
	known  *Measured
	stage  string
	before []finding.Finding
	until  time.Time
	after  map[string]tried // by operation and parameters: several findings may share one
}

type tried struct {
	found []finding.Finding
	err   error
}

func (t *trial) all(ctx context.Context) []Try {
	out := []Try{}
	for i, f := range t.before {
		first := len(out)
		for k, m := range f.Remedies {
			if m.Op == "" || slices.Contains(arranging, m.Op) || ctx.Err() != nil {
				continue
			}
			one := Try{Finding: i, Remedy: k}
			switch {
			case t.s.Mesh != nil && len(t.s.Mesh.Points) > previewLimit:
				one.Said = fmt.Sprintf("not tested: the mesh has more than %d vertices", previewLimit)
			case time.Now().After(t.until):
				one.Said = "not tested: the remedies before it took too long"
			default:
				after, err := t.run(ctx, m)
				one.Ran = true
				if err != nil {
					one.Said = "Not possible: " + err.Error()
				} else {
					one.Helps, one.left, one.Said = compare(f, t.before, after)
				}
			}
			out = append(out, one)
		}
		// What mends most comes first; what was not tried stays behind it.
		slices.SortStableFunc(out[first:], func(a, b Try) int {
			if a.Helps != b.Helps {
				return cmp.Compare(rank(b.Helps), rank(a.Helps))
			}
			return cmp.Compare(a.left, b.left)
		})
	}
	return out
}

// run does a remedy to a copy and measures the stage again.
func (t *trial) run(ctx context.Context, m finding.Remedy) ([]finding.Finding, error) {
	params, err := json.Marshal(m.Params)
	if err != nil {
		return nil, err
	}
	key := m.Op + string(params)
	if done, ok := t.after[key]; ok {
		return done.found, done.err
	}
	found, err := t.found(ctx, m.Op, params)
	t.after[key] = tried{found, err}
	return found, err
}

func (t *trial) found(ctx context.Context, name string, params json.RawMessage) ([]finding.Finding, error) {
	if string(params) == "null" {
		params = nil
	}
	entry, op, err := ParseOperation(name, params)
	if err != nil {
		return nil, err
	}
	t.x.Attach(ctx, op)
	after, _, err := Apply(ctx, entry, op, *t.s, nil)
	if err != nil {
		return nil, err
	}
	if after.Mesh == t.s.Mesh && after.Settings.Kind == t.s.Settings.Kind {
		return checkOnly(&after, t.stage, t.known), nil
	}
	return checkOnly(&after, t.stage, nil), nil
}

func rank(helps bool) int {
	if helps {
		return 1
	}
	return 0
}

// compare says what became of a finding, how many are left, and whether that is an improvement:
// fewer of it, or its first measure nearer to the limit, and no more harm elsewhere than is
// mended here.
func compare(f finding.Finding, before, after []finding.Finding) (helps bool, left int, said string) {
	alike := 0
	for _, g := range before {
		if g.Code == f.Code {
			alike++
		}
	}
	// One of several of its kind is known again by its title or its joints.
	same := func(g finding.Finding) bool {
		return g.Code == f.Code &&
			(alike < 2 || g.Title == f.Title || slices.ContainsFunc(g.Where.Joints,
				func(j string) bool { return slices.Contains(f.Where.Joints, j) }))
	}
	nearest := math.Inf(1)
	unit := ""
	for _, g := range after {
		if !same(g) {
			continue
		}
		left += g.Count
		if len(g.Evidence) > 0 {
			nearest, unit = math.Min(nearest, math.Abs(g.Evidence[0].Value-g.Evidence[0].Limit)), g.Evidence[0].Unit
		}
	}
	switch {
	case left < f.Count:
		helps, said = true, becomes(f.Count, left)
	case left > f.Count:
		said = becomes(f.Count, left)
	case len(f.Evidence) > 0 && nearest < 0.99*math.Abs(f.Evidence[0].Value-f.Evidence[0].Limit):
		e := f.Evidence[0]
		helps, said = true, fmt.Sprintf("%s: excess %.3g → %.3g %s", e.What, math.Abs(e.Value-e.Limit), nearest, unit)
	case f.Count == 1:
		said = "unchanged"
	default:
		said = fmt.Sprintf("all %d remain", f.Count)
	}
	if came := came(before, after); len(came) > 0 {
		said += "; brings: " + strings.Join(came, "; ")
		helps = helps && brought(f, before, after) <= max(0, f.Count-left)
	}
	return helps, left, said
}

// brought counts what harms after a remedy and did not before, but for the finding itself; what
// blocks is more than any remedy mends.
func brought(f finding.Finding, before, after []finding.Finding) (n int) {
	was := map[string]int{}
	for _, g := range before {
		was[g.Code] += g.Count
	}
	for _, g := range after {
		more := g.Count - was[g.Code]
		was[g.Code] = max(0, -more)
		switch {
		case g.Code == f.Code || more <= 0:
		case g.Severity == finding.Blocks:
			return math.MaxInt
		case g.Severity == finding.Harms:
			n += more
		}
	}
	return n
}

func becomes(a, b int) string {
	if a == 1 && b == 0 {
		return "resolved"
	}
	return fmt.Sprintf("%d → %d", a, b)
}

// came returns the titles of findings that harm and were not there before, or are now
// more by a tenth.
func came(before, after []finding.Finding) []string {
	var grave []finding.Finding
	for _, f := range after {
		if f.Severity != finding.Note {
			grave = append(grave, f)
		}
	}
	return missing(grave, before, 0.1)
}
