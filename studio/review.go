package studio

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"os"
	"sync"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
)

// Facts is what is known of a mesh without its findings.
type Facts struct {
	Facts mesh.Facts `json:"facts"`
	Guess mesh.Guess `json:"guess"`
}

// program names the program that computed something: what it found may be stored
// only for itself, since another version may judge otherwise.
var program = sync.OnceValue(func() string {
	path, err := os.Executable()
	if err != nil {
		return ""
	}
	f, err := os.Open(path)
	if err != nil {
		return ""
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return ""
	}
	return hex.EncodeToString(h.Sum(nil))[:16]
})

// Review returns the facts and findings at a revision. Each stage's are cached by
// the parts that it reads, so that a moved joint does not check weights again.
func (x *Studio) Review(ctx context.Context, r Revision) (*Review, error) {
	out := &Review{Stages: make([]Reviewed, 0, len(stages))}
	v := &reviewing{x: x, r: r}
	f, err := v.facts(ctx)
	if err != nil {
		return nil, err
	}
	out.Facts, out.Guess = f.Facts, f.Guess
	for _, st := range stages {
		one, err := v.stage(ctx, st)
		if err != nil {
			return nil, err
		}
		out.Stages = append(out.Stages, *one)
	}
	return out, nil
}

// ReviewStage returns one stage of a revision; ErrNotFound if there is none of
// that name.
func (x *Studio) ReviewStage(ctx context.Context, r Revision, stage string) (*Reviewed, error) {
	return (&reviewing{x: x, r: r}).named(ctx, stage)
}

// Standing is what the cast shows of a character.
type Standing struct {
	Vertices int               `json:"vertices"`
	Height   float64           `json:"height"`
	Stages   []StandingOfStage `json:"stages"`
}

// StandingOfStage is how a stage stands.
type StandingOfStage struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	State string `json:"state"`
	Open  int    `json:"open"` // findings that block or harm
}

// Standings returns how several revisions stand, in their order, as far as it was
// computed before by any server with this program: in one query. What is not known is
// nil; Standing computes it.
func (x *Studio) Standings(ctx context.Context, list []Revision) ([]*Standing, error) {
	keys := make([]string, len(list))
	for i, r := range list {
		keys[i] = standingKey(r)
	}
	known, err := x.store.Derived(ctx, keys)
	if err != nil {
		return nil, err
	}
	out := make([]*Standing, len(list))
	for i := range list {
		var one Standing
		if data, ok := known[keys[i]]; ok && json.Unmarshal(data, &one) == nil {
			out[i] = &one
		}
	}
	return out, nil
}

func standingKey(r Revision) string { return "standing/" + program() + "/" + r.Parts.Key() }

// Standing returns how a revision stands, and keeps it. Few are computed at a time, so
// that looking at a cast leaves the rest of the machine to who works.
func (x *Studio) Standing(ctx context.Context, r Revision) (Standing, error) {
	var out Standing
	known, err := x.store.Derived(ctx, []string{standingKey(r)})
	if err != nil {
		return out, err
	}
	if data, ok := known[standingKey(r)]; ok && json.Unmarshal(data, &out) == nil {
		return out, nil
	}
	select {
	case x.looking <- struct{}{}:
		defer func() { <-x.looking }()
	case <-ctx.Done():
		return out, ctx.Err()
	}
	v, err := x.Review(ctx, r)
	if err != nil {
		return out, err
	}
	out = Standing{Vertices: v.Facts.Vertices, Height: v.Facts.Height}
	for _, st := range v.Stages {
		out.Stages = append(out.Stages, StandingOfStage{st.Name, st.Title, st.State, st.Open()})
	}
	data, err := json.Marshal(out)
	if err == nil {
		_ = x.store.Derive(ctx, map[string][]byte{standingKey(r): data}) // kept for speed alone
	}
	return out, err
}

// Kept returns a blob that is derived from others, as a portrait from a mesh: from
// the store if it was made before, else made and stored.
func (x *Studio) Kept(ctx context.Context, key string, make func() ([]byte, error)) ([]byte, error) {
	key += "/" + program()
	known, err := x.store.Derived(ctx, []string{key})
	if err != nil {
		return nil, err
	}
	if data, ok := known[key]; ok {
		return data, nil
	}
	data, err := make()
	if err == nil {
		_ = x.store.Derive(ctx, map[string][]byte{key: data}) // kept for speed alone
	}
	return data, err
}

// reviewing is a review on its way. It holds the check of the mesh until it has ended: one of a large mesh is
// larger than what is kept, and would be made for the facts and for each stage that asks for it.
type reviewing struct {
	x  *Studio
	r  Revision
	mu sync.Mutex
	m  *Measured
}

func (v *reviewing) measured(ctx context.Context, s *State) (*Measured, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	var err error
	if v.m == nil {
		v.m, err = v.x.measured(ctx, v.r.Parts, s)
	}
	return v.m, err
}

// Facts returns what is known of the mesh at a revision.
func (x *Studio) Facts(ctx context.Context, r Revision) (*Facts, error) {
	return (&reviewing{x: x, r: r}).facts(ctx)
}

func (v *reviewing) facts(ctx context.Context) (*Facts, error) {
	return v.x.facts.load(ctx, v.r.Parts.Key("mesh", "parts"), func(ctx context.Context) (*Facts, int, error) {
		s, err := v.x.Load(ctx, v.r)
		if err != nil || s.Mesh == nil {
			return &Facts{}, 1000, err
		}
		m, err := v.measured(ctx, s)
		if err != nil {
			return nil, 0, err
		}
		return &Facts{m.Facts, s.Mesh.GuessPlacement()}, 1000 + 200*len(m.Facts.Parts), nil
	})
}

func (v *reviewing) named(ctx context.Context, name string) (*Reviewed, error) {
	for _, st := range stages {
		if st.Name == name {
			return v.stage(ctx, st)
		}
	}
	return nil, ErrNotFound
}

func (v *reviewing) stage(ctx context.Context, st Stage) (*Reviewed, error) {
	return v.x.found.load(ctx, st.Name+"/"+v.r.Parts.Key(st.Reads...), func(ctx context.Context) (*Reviewed, int, error) {
		s, err := v.x.Load(ctx, v.r)
		if err != nil {
			return nil, 0, err
		}
		var trouble error
		c := &Checked{State: s}
		c.measured = func() *Measured {
			m, err := v.measured(ctx, s)
			if err != nil {
				trouble = err
			}
			return m
		}
		c.found = func(name string) []finding.Finding {
			one, err := v.named(ctx, name)
			if err != nil {
				trouble = err
				return nil
			}
			return one.Findings
		}
		list := st.Find(c)
		if trouble != nil {
			return nil, 0, trouble
		}
		one := st.reviewed(s, list)
		size := 500
		for _, f := range list {
			size += 500 + 4*(len(f.Where.Vertices)+2*len(f.Where.Edges)+len(f.Where.Faces)) + 30*len(f.Where.Joints)
		}
		return &one, size, nil
	})
}

// measured is the check of the mesh of a state with those parts, cached.
func (x *Studio) measured(ctx context.Context, p Parts, s *State) (*Measured, error) {
	return x.measures.load(ctx, meshKey(p, s), func(ctx context.Context) (*Measured, int, error) {
		select {
		case x.checking <- struct{}{}:
			defer func() { <-x.checking }()
		case <-ctx.Done():
			return nil, 0, ctx.Err()
		}
		m, err := measure(ctx, s)
		if err != nil {
			return nil, 0, err
		}
		return m, m.Surface.Size(), nil
	})
}

// meshKey is a name for what a check of the mesh depends on: its geometry, and of
// its parts the names and frames.
func meshKey(p Parts, s *State) string {
	h := sha256.New()
	e := json.NewEncoder(h)
	_ = e.Encode([]string{p["mesh"], s.Settings.Kind}) // a hash takes all that is written
	for _, x := range s.Mesh.Parts {
		_ = e.Encode([]any{x.Name, x.Frame})
	}
	return hex.EncodeToString(h.Sum(nil))
}

// DrawnKey is a name for what a view draws of a mesh: its geometry and the frames and
// colours of its parts. It is "" without a mesh.
func DrawnKey(p Parts, s *State) string {
	if s.Mesh == nil {
		return ""
	}
	h := sha256.New()
	e := json.NewEncoder(h)
	_ = e.Encode(p["mesh"]) // a hash takes all that is written
	for _, x := range s.Mesh.Parts {
		_ = e.Encode([]any{x.Frame, x.Colour})
	}
	return hex.EncodeToString(h.Sum(nil))[:32]
}

// Surface returns the mesh of a revision as it is measured, with its tree. For a mesh that is too large for its
// check to be cached it is built again, without the check.
func (x *Studio) Surface(ctx context.Context, r Revision) (*mesh.Surface, error) {
	s, err := x.Load(ctx, r)
	if err != nil {
		return nil, err
	}
	if s.Mesh == nil {
		return nil, ErrNotFound
	}
	return x.surface(ctx, r.Parts, s)
}

// keptSize is about how many bytes the surface of a mesh takes, before it is there.
func keptSize(m *mesh.Mesh) int64 { return 410 * int64(len(m.Corner)) / 3 }

func (x *Studio) surface(ctx context.Context, p Parts, s *State) (*mesh.Surface, error) {
	if m, ok := x.measures.get(meshKey(p, s)); ok {
		return m.Surface, nil
	}
	if keptSize(s.Mesh) < x.measures.limit/2 {
		m, err := x.measured(ctx, p, s)
		if err != nil {
			return nil, err
		}
		return m.Surface, nil
	}
	select {
	case x.checking <- struct{}{}:
		defer func() { <-x.checking }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	return s.Mesh.Surface(), nil
}

// Spots returns the single places of a finding at a revision.
func (x *Studio) Spots(ctx context.Context, r Revision, w finding.Where) ([]finding.Spot, error) {
	s, err := x.Load(ctx, r)
	if err != nil || s.Mesh == nil {
		return nil, err
	}
	surface, err := x.surface(ctx, r.Parts, s)
	if err != nil {
		return nil, err
	}
	return health.Spots(surface, w), nil
}
