package studio_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/demo"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// memory is a store in memory, for what needs no database.
type memory struct {
	characters map[string]studio.Character
	revisions  []studio.Revision
	blobs      map[string][]byte
	works      map[string]studio.Work
	shelf      []studio.ShelfItem
	down       bool
}

func (m *memory) Shelf(_ context.Context, production string) (out []studio.ShelfItem, err error) {
	for _, x := range m.shelf {
		if x.Production == production {
			out = append(out, x)
		}
	}
	return out, nil
}

func (m *memory) Shelve(ctx context.Context, item studio.ShelfItem) error {
	_ = m.Discard(ctx, item.Production, item.Kind, item.Name)
	m.shelf = append(m.shelf, item)
	return nil
}

func (m *memory) Discard(_ context.Context, production, kind, name string) error {
	n := len(m.shelf)
	m.shelf = slices.DeleteFunc(m.shelf, func(x studio.ShelfItem) bool {
		return x.Production == production && x.Kind == kind && x.Name == name
	})
	if len(m.shelf) == n {
		return studio.ErrNotFound
	}
	return nil
}

func newMemory() *memory {
	return &memory{characters: map[string]studio.Character{}, blobs: map[string][]byte{}, works: map[string]studio.Work{}}
}

func (m *memory) Productions(context.Context) ([]string, error)              { return nil, nil }
func (m *memory) Characters(context.Context) ([]studio.Character, error)     { return nil, nil }
func (m *memory) Remove(context.Context, string) error                       { return nil }
func (m *memory) History(context.Context, string) ([]studio.Revision, error) { return m.revisions, nil }

func (m *memory) Character(_ context.Context, id string) (studio.Character, error) {
	if m.down {
		return studio.Character{}, studio.ErrDown
	}
	c, ok := m.characters[id]
	if !ok {
		return c, studio.ErrNotFound
	}
	return c, nil
}

func (m *memory) Create(_ context.Context, c studio.Character, first studio.Revision, blobs []studio.Blob) (studio.Character, error) {
	c.ID, first.Character = "one", "one"
	c.Head = m.put(first, blobs)
	m.characters["one"] = c
	return c, nil
}

func (m *memory) put(r studio.Revision, blobs []studio.Blob) int64 {
	for _, b := range blobs {
		m.blobs[b.Hash] = b.Data
	}
	r.ID = int64(len(m.revisions) + 1)
	m.revisions = append(m.revisions, r)
	return r.ID
}

func (m *memory) Revision(_ context.Context, id int64) (studio.Revision, error) {
	if id < 1 || int(id) > len(m.revisions) {
		return studio.Revision{}, studio.ErrNotFound
	}
	return m.revisions[id-1], nil
}

func (m *memory) Commit(_ context.Context, r studio.Revision, blobs []studio.Blob, _ *studio.Claim) (studio.Revision, error) {
	c := m.characters[r.Character]
	if c.Head != r.Parent {
		return r, studio.ErrStale{Head: c.Head}
	}
	r.ID = m.put(r, blobs)
	c.Head = r.ID
	m.characters[r.Character] = c
	return r, nil
}

func (m *memory) SetHead(_ context.Context, id string, _, to int64) error {
	c := m.characters[id]
	c.Head = to
	m.characters[id] = c
	return nil
}

func (m *memory) Blob(_ context.Context, hash string) ([]byte, error) {
	b, ok := m.blobs[hash]
	if !ok {
		return nil, studio.ErrNotFound
	}
	return b, nil
}

func (m *memory) AddWork(_ context.Context, w studio.Work) (studio.Work, error) {
	w.ID = "work"
	m.works[w.ID] = w
	return w, nil
}
func (m *memory) Work(_ context.Context, id string) (studio.Work, error)  { return m.works[id], nil }
func (m *memory) OpenWork(context.Context, string) ([]studio.Work, error) { return nil, nil }
func (m *memory) ClaimWork(_ context.Context, id string) (studio.Work, studio.Claim, error) {
	return m.works[id], studio.Claim{Work: id}, nil
}
func (m *memory) Beat(context.Context, studio.Claim, string, float64) error { return nil }
func (m *memory) CloseWork(_ context.Context, c studio.Claim, state, message string) error {
	w := m.works[c.Work]
	w.State, w.Message = state, message
	m.works[c.Work] = w
	return nil
}
func (m *memory) CancelWork(_ context.Context, id string) (studio.Work, error) {
	return m.works[id], nil
}

type jobs struct{ got []string }

func (j *jobs) Enqueue(_ context.Context, work string) error {
	j.got = append(j.got, work)
	return nil
}

var ctx = context.Background()

func begun(t *testing.T, s studio.State) (*memory, *studio.Studio, studio.Character) {
	t.Helper()
	m := newMemory()
	x := studio.New(m, nil, reading.Default)
	c, err := x.Add(ctx, studio.Character{Production: "P", Name: "Odile"}, "tester", s, "came in")
	require.NoError(t, err)
	return m, x, c
}

func states(t *testing.T, x *studio.Studio, r studio.Revision) map[string]string {
	t.Helper()
	review, err := x.Review(ctx, r)
	require.NoError(t, err)
	out := map[string]string{}
	for _, s := range review.Stages {
		out[s.Name] = s.State
	}
	return out
}

func findings(t *testing.T, x *studio.Studio, r studio.Revision, stage string) []finding.Finding {
	t.Helper()
	review, err := x.Review(ctx, r)
	require.NoError(t, err)
	return review.Stage(stage).Findings
}

// Through the whole store and back at each step, the stages clear one by one.
func TestStagesClearAsTheWorkGoesOn(t *testing.T) {
	m, x, c := begun(t, odile())
	r := m.revisions[0]
	require.Equal(t, map[string]string{"intake": "clear", "placement": "untouched", "axes": "untouched", "bind": "untouched", "weights": "untouched", "handoff": "untouched"}, states(t, x, r))
	do := func(op, params string) {
		t.Helper()
		var err error
		r, _, err = x.Do(ctx, c.ID, m.characters["one"].Head, op, json.RawMessage(params), "tester")
		require.NoError(t, err)
		x = studio.New(m, nil, reading.Default) // nothing from a cache
	}
	do("fit_starter", "")
	require.Equal(t, "findings", states(t, x, r)["axes"], "a fresh fit has no axes yet")
	axes := findings(t, x, r, "axes")[0]
	params, err := json.Marshal(axes.Remedies[0].Params)
	require.NoError(t, err)
	do(axes.Remedies[0].Op, string(params)) // a remedy is ready to be applied
	require.Equal(t, "clear", states(t, x, r)["axes"])
	do("bind_heat", "")
	for stage, state := range states(t, x, r) {
		require.Equal(t, "clear", state, stage)
	}
	do("move_joint", `{"joint":"forearm_l","to":[0.45,1.1,0.05],"branch":false,"both":true}`)
	moved := findings(t, x, r, "bind")
	require.Equal(t, "moved_since_bind", moved[0].Code)
	require.Equal(t, 2, moved[0].Count)
	require.Equal(t, "findings", states(t, x, r)["handoff"], "open findings go along with the file")
	params, err = json.Marshal(moved[0].Remedies[0].Params)
	require.NoError(t, err)
	do(moved[0].Remedies[0].Op, string(params))
	require.Empty(t, findings(t, x, r, "bind"))
}

func TestAWorkBecomesAJobAndEndsWithItsReason(t *testing.T) {
	m, x, c := begun(t, odile())
	j := &jobs{}
	x.SetJobs(j)
	_, w, err := x.Do(ctx, c.ID, c.Head, "fit_starter", nil, "tester")
	require.NoError(t, err)
	require.Equal(t, []string{w.ID}, j.got)
	require.Equal(t, studio.WorkQueued, w.State)
	require.Len(t, m.revisions, 1, "nothing has happened yet")
	require.NoError(t, x.Run(ctx, w.ID))
	require.Len(t, m.revisions, 2)

	m.works["bad"] = studio.Work{ID: "bad", Character: c.ID, Base: 2, Op: "bind_heat", Params: json.RawMessage(`{"influences":99}`)}
	require.NoError(t, x.Run(ctx, "bad"))
	require.Equal(t, studio.WorkFailed, m.works["bad"].State)
	require.Contains(t, m.works["bad"].Message, "1 to 8")
	m.works["odd"] = studio.Work{ID: "odd", Character: c.ID, Base: 2, Op: "no_such"}
	require.NoError(t, x.Run(ctx, "odd"))
	require.Equal(t, studio.WorkFailed, m.works["odd"].State)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	m.works["off"] = studio.Work{ID: "off", Character: c.ID, Base: 2, Op: "bind_heat"}
	require.NoError(t, x.Run(gone, "off"))
	require.Equal(t, studio.WorkCancelled, m.works["off"].State)
	require.Len(t, m.revisions, 2)
}

func TestRenamingStoresOnlyWhatItTouches(t *testing.T) {
	m, x, c := begun(t, bound(t))
	before := m.revisions[0].Parts
	r, _, err := x.Do(ctx, c.ID, c.Head, "rename_joint", json.RawMessage(`{"joint":"shank_l","name":"calf_l"}`), "tester")
	require.NoError(t, err)
	require.Equal(t, before["weights/shank_l"], r.Parts["weights/calf_l"], "the same column under another name")
	changed := 0
	for name, h := range r.Parts {
		if before[name] != h && before["weights/shank_l"] != h {
			changed++
		}
	}
	require.Equal(t, 3, changed) // skeleton, bind record, list of weights
	require.NotEqual(t, before.WeightsKey(), r.Parts.WeightsKey())
	require.Empty(t, studio.Parts{"mesh": "x"}.WeightsKey())
}

func TestImportRefusesAndTellsWhy(t *testing.T) {
	m := newMemory()
	x := studio.New(m, nil, reading.Limits{Bytes: 1 << 20, Vertices: 50})
	for text, want := range map[string]string{"v 0 0\n": "line 1", strings.Repeat("v 0 0 0\n", 60): "limit"} {
		_, err := x.Import(ctx, studio.Character{}, "tester", "a.obj", strings.NewReader(text), nil)
		require.True(t, studio.IsInput(err))
		require.ErrorContains(t, err, want)
	}
	_, err := x.Import(ctx, studio.Character{}, "tester", "a.gltf", strings.NewReader(`{"asset":{"version":"2.0"}}`), nil)
	require.ErrorContains(t, err, "no mesh")
	require.Empty(t, m.revisions)
	m.down = true
	_, _, err = x.Do(ctx, "one", 1, "drop_loose", nil, "tester")
	require.ErrorIs(t, err, studio.ErrDown)
}

func TestDamagedPartsAreToldNotServed(t *testing.T) {
	m, x, _ := begun(t, bound(t))
	r := m.revisions[0]
	for _, name := range []string{"mesh", "skeleton", "weights/hips", "bind"} {
		kept := m.blobs[r.Parts[name]]
		for _, bad := range [][]byte{kept[:len(kept)/2], {}, []byte("WMB1\xff\xff\xff\xff"), bytes.Repeat([]byte{0xff}, 40)} {
			m.blobs[r.Parts[name]] = bad
			_, err := studio.New(m, nil, reading.Default).Load(ctx, r)
			require.Error(t, err, name)
		}
		m.blobs[r.Parts[name]] = kept
	}
	delete(m.blobs, r.Parts["fit"])
	_, err := x.Load(ctx, r)
	require.True(t, errors.Is(err, studio.ErrNotFound))
}

func TestHandoffOfEveryKind(t *testing.T) {
	s := bound(t)
	for what, start := range map[string]string{"glb": "glTF", "skeleton": "{", "obj": "v "} {
		var b bytes.Buffer
		require.NoError(t, studio.Handoff(&b, &s, what, 4))
		require.True(t, strings.HasPrefix(b.String(), start), what)
	}
	bare := odile()
	require.True(t, studio.IsInput(studio.Handoff(&bytes.Buffer{}, &bare, "skeleton", 4)))
	require.True(t, studio.IsInput(studio.Handoff(&bytes.Buffer{}, &bare, "poem", 4)))
	require.Equal(t, "odile_as_delivered.glb", studio.HandoffName("Odile as delivered", "glb"))
	require.Equal(t, "m__ller_skeleton.gltf", studio.HandoffName("Mü/ller", "skeleton"))
}

func TestDeliveredOBJKeepsItsPolygons(t *testing.T) {
	m, _ := demo.Odile(0.02)
	var b bytes.Buffer
	require.NoError(t, obj.Encode(&b, m))
	mem := newMemory()
	x := studio.New(mem, nil, reading.Default)
	c, err := x.Import(ctx, studio.Character{Name: "Odile"}, "tester", "odile.obj", &b, nil)
	require.NoError(t, err)
	s, err := x.Load(ctx, mem.revisions[0])
	require.NoError(t, err)
	require.Equal(t, m.Corner, s.Mesh.Corner)
	require.Equal(t, "odile.obj", s.Settings.Source)
	require.Equal(t, int64(1), c.Head)
}
