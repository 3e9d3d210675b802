package intake_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"slices"
	"strings"
	"testing"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/hostile"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

var ctx = context.Background()

func codes(s studio.State) (out []string) {
	_, list, _ := health.Check(context.Background(), s.Mesh.Surface(), s.Settings.Kind)
	for _, f := range list {
		out = append(out, f.Code)
	}
	return out
}

// One action, and two decisions: unit and axis, and what becomes of the face
// over the crown. What is left are notes.
func TestOdileAsDeliveredNeedsOneActionAndTwoDecisions(t *testing.T) {
	need.Time(t)
	m, _ := demo.OdileAsDelivered(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	mended, told, err := studiotest.Try(s, "mend_safe", "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "→ 3")
	require.Len(t, told.Left, 3)
	require.GreaterOrEqual(t, len(told.Steps), 5)
	require.Equal(t, []string{"size_or_axis", "many_sided_faces", "asymmetric"}, codes(mended))

	list := studio.CheckOnly(&mended, "intake")
	upright := studiotest.Do(t, mended, list[0].Remedies[0].Op, string(list[0].Remedies[0].Params))
	done := studiotest.Do(t, upright, list[1].Remedies[0].Op, string(list[1].Remedies[0].Params))
	require.Equal(t, []string{"asymmetric"}, codes(done))
	facts := done.Mesh.Measure()
	require.True(t, facts.Closed)
	require.Equal(t, 1, facts.Pieces)
	clean, _ := demo.Odile(0.02)
	require.InDelta(t, clean.Measure().Height, facts.Height, 0.03)
	require.InEpsilon(t, clean.Measure().Volume, facts.Volume, 0.01)
	again, told, err := studiotest.Try(done, "mend_safe", "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Nothing was safe to repair")
	require.Equal(t, done.Mesh.Corner, again.Mesh.Corner)
}

// A skeleton and the skin come along when the character is scaled or turned.
func TestBakingMovesSkeletonAndSkinTogether(t *testing.T) {
	s := studiotest.Bound(t)
	out := studiotest.Do(t, s, "real_size", `{"height":3.4}`)
	k := 3.4 / s.Mesh.Measure().Height
	require.InDelta(t, 3.4, out.Mesh.Measure().Height, 1e-9)
	for i, j := range s.Skeleton.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(out.Skeleton.Joints[i].Pos, r3.Scale(k, j.Pos))), 1e-9)
		require.Equal(t, out.Skeleton.Joints[i].Pos, out.Bind.Skeleton.Joints[i].Pos, "the bind is no older than before")
	}
	require.Equal(t, s.Weights.Of, out.Weights.Of)
	turned := studiotest.Do(t, s, "bake_transform", `{"turn":90}`)
	i := s.Skeleton.Index("hand_l")
	require.InDelta(t, -s.Skeleton.Joints[i].Pos.X, turned.Skeleton.Joints[i].Pos.Z, 1e-9)
	for _, c := range []string{`{"scale":0}`, `{"turn":400}`, `{"up":"x"}`} {
		_, _, err := studiotest.Try(s, "bake_transform", c)
		require.True(t, studio.IsInput(err), c)
	}
	_, _, err := studiotest.Try(s, "real_size", `{"height":-1}`)
	require.ErrorContains(t, err, "from 1 mm to 1000 m")
}

func TestCompletingAHalfMirrorsTheWeights(t *testing.T) {
	s := studiotest.Bound(t)
	drop := make([]int32, 0)
	for f := range s.Mesh.Faces() {
		for _, v := range s.Mesh.Face(f) {
			if s.Mesh.Points[v].X < -1e-6 {
				drop = append(drop, int32(f))
				break
			}
		}
	}
	params, err := json.Marshal(map[string]any{"faces": drop})
	require.NoError(t, err)
	half := studiotest.Do(t, s, "drop_chosen", string(params))
	require.Contains(t, codes(half), "half_mesh")
	whole := studiotest.Do(t, half, "complete_half", `{"tolerance":0.001}`)
	require.NoError(t, whole.Weights.Validate())
	require.Len(t, whole.Weights.Of, len(whole.Mesh.Points))
	l, r := int32(slices.Index(whole.Weights.Joints, "forearm_l")), int32(slices.Index(whole.Weights.Joints, "forearm_r"))
	left, right := 0.0, 0.0
	for v := range whole.Weights.Of {
		left += whole.Weights.Value(v, l)
		right += whole.Weights.Value(v, r)
	}
	require.Greater(t, left, 5.0)
	require.InEpsilon(t, left, right, 1e-9)
}

func TestPartsOutOfTheBindStayInTheCharacter(t *testing.T) {
	m, _ := demo.Bram(0.03)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	s = studiotest.Do(t, s, "fit_starter", "")
	s = studiotest.Do(t, s, "mark_parts", `{"parts":["lantern","lantern_flame"],"out":true}`)
	s = studiotest.Do(t, s, "bind_heat", "")
	_, out := s.Mesh.Bindable()
	n := 0
	for v, yes := range out {
		if yes {
			n++
			require.Empty(t, s.Weights.Of[v])
		}
	}
	require.Greater(t, n, 100)
	for _, v := range s.Bind.Report.Stray {
		require.False(t, out[v], "what is out is not missed")
	}
	s = studiotest.Do(t, s, "follow_beneath", "")
	require.Empty(t, s.Bind.Report.Stray)
	var buf bytes.Buffer
	require.NoError(t, handoff.Write(&buf, &s, "glb", handoff.Options{Influences: 4}))
	back, err := gltf.Decode(&buf, nil, reading.Default)
	require.NoError(t, err)
	require.Equal(t, len(m.Points), len(back.Mesh.Points), "the lantern is handed over too")
	in := studiotest.Do(t, s, "mark_parts", `{"parts":["lantern"],"out":false,"hidden":true}`)
	require.NotEmpty(t, in.Bind.Report.Stray, "taken in again, it wants weights")
	_, _, err = studiotest.Try(s, "mark_parts", `{"parts":["wing"],"out":true}`)
	require.ErrorContains(t, err, `no part "wing"`)
	_, _, err = studiotest.Try(s, "mark_parts", `{"parts":[]}`)
	require.ErrorContains(t, err, "at least one part")
	all, err := json.Marshal(map[string]any{"parts": partNames(s.Mesh), "out": true})
	require.NoError(t, err)
	_, _, err = studiotest.Try(s, "mark_parts", string(all))
	require.ErrorContains(t, err, "has to stay")
}

func partNames(m *mesh.Mesh) (out []string) {
	for _, p := range m.Parts {
		out = append(out, p.Name)
	}
	return out
}

// Marking a part stores the table of parts and not the mesh anew.
func TestMarkingAPartStoresNoMesh(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Odile())
	before, blobs := m.Past[0].Parts["mesh"], len(m.Blob)
	r, _, err := x.Do(ctx, c.ID, c.Head, "mark_parts", json.RawMessage(`{"parts":["hat"],"hidden":true}`), "tester")
	require.NoError(t, err)
	require.Equal(t, before, r.Parts["mesh"])
	require.Equal(t, blobs+1, len(m.Blob))
	s, err := studio.New(m, reading.Default).Load(ctx, r)
	require.NoError(t, err)
	i, err := s.Mesh.FindPart("hat")
	require.NoError(t, err)
	require.True(t, s.Mesh.Parts[i].Hidden)
}

func TestPreviewTellsAndChangesNothing(t *testing.T) {
	d, _ := demo.OdileAsDelivered(0.02)
	m, x, c := studiotest.Begun(t, studio.State{Mesh: d, Settings: studio.DefaultSettings()})
	p, err := x.Preview(ctx, c.ID, "drop_faces", nil)
	require.NoError(t, err)
	require.Less(t, p.After.Faces, p.Before.Faces)
	require.Len(t, p.Where.Faces, p.Before.Faces-p.After.Faces)
	require.True(t, slices.ContainsFunc(p.Mended, func(s string) bool { return strings.Contains(s, "duplicate faces") }))
	p, err = x.Preview(ctx, c.ID, "mend_safe", nil)
	require.NoError(t, err)
	require.Equal(t, 1, p.After.Pieces)
	require.Empty(t, p.Caused)
	require.Len(t, m.Past, 1)
	_, err = x.Preview(ctx, c.ID, "bind_heat", nil)
	require.ErrorContains(t, err, "too slow")
	_, err = x.Preview(ctx, c.ID, "fill_holes", json.RawMessage(`{"edges":3}`))
	require.ErrorContains(t, err, "no border of at most 3 edges")
}

// A newer file goes through the repairs of the earlier one; what can be kept is.
func TestDeliverKeepsWhatCanBeKept(t *testing.T) {
	need.Time(t)
	file := func(edit func(m *mesh.Mesh)) *bytes.Reader {
		m, _ := demo.Odile(0.02)
		for i := range m.Points {
			m.Points[i] = r3.Scale(100, m.Points[i])
		}
		m.Points = append(m.Points, r3.Vec{X: 300})
		edit(m)
		var buf bytes.Buffer
		require.NoError(t, obj.Encode(&buf, m))
		return bytes.NewReader(buf.Bytes())
	}
	m := studiotest.NewMemory()
	x := studio.New(m, reading.Default)
	c, err := intake.Bring(
		ctx,
		x,
		studio.Character{Production: "P", Name: "Odile"},
		"tester",
		upload(t, "odile_1.obj", file(func(*mesh.Mesh) {})),
	)
	require.NoError(t, err)
	act := func(op, params string) studio.Revision {
		t.Helper()
		r, _, err := x.Do(ctx, c.ID, m.Head(), op, json.RawMessage(params), "tester")
		require.NoError(t, err)
		return r
	}
	act("bake_transform", `{"scale":0.01}`)
	act("drop_loose", "")
	act("fit_starter", "")
	r := act("bind_heat", "")
	before, err := x.Load(ctx, r)
	require.NoError(t, err)

	// The nose grew: same order.
	nose := func(m *mesh.Mesh) { m.Points[7].Z += 5 }
	compare := func(base int64, name string, data io.Reader) (intake.Delivery, error) {
		f, err := x.TakeIn(ctx, upload(t, name, data))
		require.NoError(t, err)
		return intake.CompareDelivery(ctx, x, c.ID, base, f)
	}
	take := func(d intake.Delivery) studio.Revision {
		t.Helper()
		return act("take_delivery", studiotest.Encoded(t, d.Take))
	}
	d, err := compare(r.ID, "odile_2.obj", file(nose))
	require.NoError(t, err)
	require.True(t, d.Change.Same())
	require.Equal(t, 1, d.Change.Moved)
	require.InDelta(t, 0.05, d.Change.Farthest.By, 1e-6)
	require.Equal(t, "kept", d.Weights)
	require.Equal(t, []string{"Bake the transform", "Remove loose vertices"}, d.Repeated)
	require.Equal(t, r.ID, m.Head(), "comparing changes nothing")
	taken := take(d)
	after, err := x.Load(ctx, taken)
	require.NoError(t, err)
	require.Equal(t, len(before.Weights.Of), len(after.Weights.Of))
	for v := range after.Weights.Of {
		require.Equal(t, before.Weights.Leader(v), after.Weights.Leader(v))
	}
	require.Equal(t, "odile_2.obj", after.Settings.Source)
	require.Contains(t, taken.Outcome.Sentence, "weights kept")

	// A face gone: other topology, so the weights are carried over by place.
	fewer := func(m *mesh.Mesh) { *m = *first(m.DropChosen(append(make([]bool, m.Faces()-1), true))) }
	d, err = compare(taken.ID, "odile_3.obj", file(fewer))
	require.NoError(t, err)
	require.Equal(t, "carried", d.Weights)
	taken = take(d)
	carried, err := x.Load(ctx, taken)
	require.NoError(t, err)
	require.NoError(t, carried.Weights.Validate())
	require.Empty(t, carried.Weights.Unweighted())
	worst := 0.0
	for v := range carried.Mesh.Points {
		worst = max(worst, 1-carried.Weights.Value(v, before.Weights.Leader(v)))
	}
	require.Less(t, worst, 0.75, "a vertex still follows the joint that led it")

	_, err = compare(r.ID, "odile_4.obj", file(nose))
	require.ErrorAs(t, err, &studio.StaleError{})
	_, err = compare(taken.ID, "odile_5.obj", strings.NewReader("v 1"))
	require.True(t, studio.IsInput(err))
	_, _, err = x.Do(ctx, c.ID, taken.ID, "take_delivery", json.RawMessage(`{"file":{"name":"a.obj","blob":"none"}}`), "tester")
	require.ErrorContains(t, err, "not stored any more")
}

// upload is a file as a person sends it.
func upload(t *testing.T, name string, r io.Reader) studio.Upload {
	t.Helper()
	u, err := studio.ReadFrom(name, r, reading.Default)
	require.NoError(t, err)
	return u
}

func first[A, B any](a A, _ B) A { return a }

// All that a file brought is stored and handed over: a second set of texture
// coordinates, a shape target, a loose edge, materials.
func TestWhatAFileBroughtIsStoredByteForByte(t *testing.T) {
	s := studiotest.Odile()
	m := *s.Mesh
	m.Extra = []mesh.Attribute{{Name: "COLOR_0", Width: 4, Values: make([]float32, 4*len(m.Corner))}}
	m.Extra[0].Values[9] = 0.5
	m.Shapes = []mesh.Shape{{Name: "smile", Vertex: []int32{3, 8}, Offset: []r3.Vec{{X: 0.25}, {Y: -0.5}}}}
	m.Lines = [][2]int32{{1, 2}}
	s.Mesh = &m
	mem, _, c := studiotest.Begun(t, s)
	back, err := studio.New(mem, reading.Default).Load(ctx, mem.Past[c.Head-1])
	require.NoError(t, err)
	require.Equal(t, m.Extra, back.Mesh.Extra)
	require.Equal(t, m.Shapes, back.Mesh.Shapes)
	require.Equal(t, m.Lines, back.Mesh.Lines)
	dropped := studiotest.Do(t, *back, "drop_loose", "")
	require.Empty(t, dropped.Mesh.Lines)
	require.Equal(t, m.Shapes, dropped.Mesh.Shapes)
}

func TestKindChangesWhatIsPlausible(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Odile())
	r, _, err := x.Do(ctx, c.ID, c.Head, "set_kind", json.RawMessage(`{"kind":"hand"}`), "tester")
	require.NoError(t, err)
	list := studiotest.Findings(t, x, r, "intake")
	require.True(t, slices.ContainsFunc(list, func(f finding.Finding) bool { return f.Code == "implausible_size" }))
	_, _, err = x.Do(ctx, c.ID, m.Head(), "set_kind", json.RawMessage(`{"kind":"octopus"}`), "tester")
	require.ErrorContains(t, err, "octopus")
}

func TestImportRefusesAndTellsWhy(t *testing.T) {
	m := studiotest.NewMemory()
	x := studio.New(m, reading.Limits{Bytes: 1 << 20, Vertices: 50})
	for text, want := range map[string]string{"v 0 0\n": "line 1", strings.Repeat("v 0 0 0\n", 60): "limit"} {
		_, err := intake.Bring(ctx, x, studio.Character{Production: "P"}, "tester", upload(t, "a.obj", strings.NewReader(text)))
		require.True(t, studio.IsInput(err))
		require.ErrorContains(t, err, want)
	}
	_, err := intake.Bring(
		ctx,
		x,
		studio.Character{Production: "P"},
		"tester",
		upload(t, "a.gltf", strings.NewReader(`{"asset":{"version":"2.0"}}`)),
	)
	require.ErrorContains(t, err, "no mesh")
	require.Empty(t, m.Past)
	m.Down = true
	_, _, err = x.Do(ctx, "one", 1, "drop_loose", nil, "tester")
	require.ErrorIs(t, err, studio.ErrDown)
}

func TestDeliveredOBJKeepsItsPolygons(t *testing.T) {
	m, _ := demo.Odile(0.02)
	var b bytes.Buffer
	require.NoError(t, obj.Encode(&b, m))
	mem := studiotest.NewMemory()
	x := studio.New(mem, reading.Default)
	c, err := intake.Bring(ctx, x, studio.Character{Production: "P", Name: "Odile"}, "tester", upload(t, "odile.obj", &b))
	require.NoError(t, err)
	s, err := x.Load(ctx, mem.Past[0])
	require.NoError(t, err)
	require.Equal(t, m.Corner, s.Mesh.Corner)
	require.Equal(t, "odile.obj", s.Settings.Source)
	require.Equal(t, int64(1), c.Head)
}

// A part that is out of the bind has no weights after a newer delivery either, whether
// they are kept or carried over.
func TestPartsOutOfTheBindStayBareAfterADelivery(t *testing.T) {
	need.Time(t)
	file := func(edit func(m *mesh.Mesh)) *bytes.Reader {
		m, _ := demo.Odile(0.02)
		edit(m)
		var buf bytes.Buffer
		require.NoError(t, obj.Encode(&buf, m))
		return bytes.NewReader(buf.Bytes())
	}
	for name, edit := range map[string]func(m *mesh.Mesh){
		"kept":    func(m *mesh.Mesh) { m.Points[7].Z += 0.05 },
		"carried": func(m *mesh.Mesh) { *m = *first(m.DropChosen(append(make([]bool, m.Faces()-1), true))) },
	} {
		m := studiotest.NewMemory()
		x := studio.New(m, reading.Default)
		c, err := intake.Bring(ctx, x, studio.Character{Production: "P"}, "tester", upload(t, "odile.obj", file(func(*mesh.Mesh) {})))
		require.NoError(t, err)
		for _, step := range [][2]string{{"fit_starter", ""}, {"bind_heat", ""}, {"mark_parts", `{"parts":["hat"],"out":true}`}} {
			_, _, err := x.Do(ctx, c.ID, m.Head(), step[0], json.RawMessage(step[1]), "tester")
			require.NoError(t, err)
		}
		f, err := x.TakeIn(ctx, upload(t, "odile_2.obj", file(edit)))
		require.NoError(t, err)
		d, err := intake.CompareDelivery(ctx, x, c.ID, m.Head(), f)
		require.NoError(t, err)
		require.Equal(t, name, d.Weights)
		r, _, err := x.Do(ctx, c.ID, m.Head(), "take_delivery", json.RawMessage(studiotest.Encoded(t, d.Take)), "tester")
		require.NoError(t, err)
		s, err := x.Load(ctx, r)
		require.NoError(t, err)
		_, out := s.Mesh.Bindable()
		require.NotNil(t, out, "the mark of the part is kept")
		hats := 0
		for v, yes := range out {
			if yes {
				hats++
				require.Empty(t, s.Weights.Of[v], "%s: vertex %d of the hat", name, v)
			}
		}
		require.Greater(t, hats, 50)
		require.Empty(t, s.Stray())
	}
}

// A history taken away as a script does the same to the same file, byte for byte, and to
// another file what it says; a script that is wrong is refused with its line.
func TestAHistoryIsTakenAwayAndRunAgain(t *testing.T) {
	need.Time(t)
	file := func(scale float64) studio.Upload {
		m, _ := demo.Odile(0.02)
		for i := range m.Points {
			m.Points[i] = r3.Scale(scale, m.Points[i])
		}
		var buf bytes.Buffer
		require.NoError(t, obj.Encode(&buf, m))
		return studio.Upload{Name: "odile.obj", Data: buf.Bytes()}
	}
	m := studiotest.NewMemory()
	x := studio.New(m, reading.Default)
	c, err := intake.Bring(ctx, x, studio.Character{Production: "P"}, "tester", file(1))
	require.NoError(t, err)
	do := func(op, params string) {
		t.Helper()
		_, _, err := x.Do(ctx, c.ID, m.Head(), op, json.RawMessage(params), "tester")
		require.NoError(t, err)
	}
	do("fit_starter", "")
	do("set_axes", "")
	do("drop_loose", "")
	_, err = x.Undo(ctx, c.ID, m.Head()) // what was undone is not in it
	require.NoError(t, err)
	do("move_joint", `{"joint":"hand_l","to":[0.7,1.1,0.05]}`)
	d, err := x.TakeIn(ctx, file(1.01))
	require.NoError(t, err)
	delivery, err := intake.CompareDelivery(ctx, x, c.ID, m.Head(), d)
	require.NoError(t, err)
	do("take_delivery", studiotest.Encoded(t, delivery.Take))
	do("bind_heat", `{"influences":2}`)

	var script bytes.Buffer
	require.NoError(t, x.WriteScript(ctx, &script, c.ID, m.Head(), false))
	require.NotContains(t, script.String(), `"op":"import"`)
	require.NotContains(t, script.String(), "drop_loose")
	read, err := studio.ReadScript(bytes.NewReader(script.Bytes()), reading.Default)
	require.NoError(t, err)
	require.Len(t, read.Steps, 5)
	start, err := x.Load(ctx, m.Past[0])
	require.NoError(t, err)
	steps := 0
	end, ran, err := read.Run(
		ctx,
		*start,
		reading.Default,
		func(step, of int, _ string, _ float64) { steps = max(steps, step); require.Equal(t, 5, of) },
	)
	require.NoError(t, err)
	require.Len(t, ran, 5)
	want, err := x.Load(ctx, m.Past[m.Head()-1])
	require.NoError(t, err)
	require.Equal(t, *want, end)
	require.Equal(t, 5, steps)

	var whole bytes.Buffer
	require.NoError(t, x.WriteScript(ctx, &whole, c.ID, m.Head(), true))
	require.Contains(t, whole.String(), `"op":"import"`)
	require.Greater(t, whole.Len(), len(file(1).Data), "with the file that it came from")

	for text, says := range map[string]string{
		"":                                       "no operation in it",
		"{\"op\":\"fly\"}":                       "line 1 of the script: there is no operation",
		"{\"op\":\"drop_loose\"}\n{\"op\":3}":    "line 2 of the script",
		"{\"op\":\"weld\",\"params\":{\"x\":1}}": "unknown field",
		"{\"blob\":\"aa\",\"data\":\"aGk=\"}":    "not what its hash says",
		"hello":                                  "line 1 of the script is not a JSON",
	} {
		_, err := studio.ReadScript(strings.NewReader(text), reading.Default)
		require.ErrorContains(t, err, says)
		require.True(t, studio.IsInput(err))
	}
	bad, err := studio.ReadScript(strings.NewReader("{\"op\":\"drop_loose\"}\n{\"op\":\"bind_heat\"}\n"), reading.Default)
	require.NoError(t, err)
	_, ran, err = bad.Run(ctx, *start, reading.Default, func(int, int, string, float64) {})
	require.ErrorContains(t, err, "step 2, bind_heat: the character has no skeleton")
	require.Len(t, ran, 2)
	require.Contains(t, ran[1].Error, "no skeleton")
}

// Small pieces are dropped by size, the body never; a size that means nothing is refused.
func TestSmallPiecesAreDropped(t *testing.T) {
	crumb := func(x, size float64) *mesh.Mesh {
		return solidBox(r3.Vec{X: x, Y: 1, Z: 0.4}, size)
	}
	s := studio.State{
		Mesh:     mesh.Join(solidBox(r3.Vec{}, 1.7), crumb(2, 0.004), crumb(2.1, 0.004), crumb(2.2, 0.05)),
		Settings: studio.DefaultSettings(),
	}
	out, told, err := studiotest.Try(s, "drop_crumbs", `{"size":0.01}`)
	require.NoError(t, err)
	require.Equal(t, 2, out.Mesh.Pieces().Count())
	require.Equal(t, [2]string{"4", "2"}, [2]string{told.Before, told.After})
	out, _, err = studiotest.Try(s, "drop_crumbs", `{"size":100}`)
	require.NoError(t, err)
	require.Equal(t, 1, out.Mesh.Pieces().Count(), "the largest stays")
	for _, size := range []string{"0", "-1", "1e-9"} {
		_, _, err = studiotest.Try(s, "drop_crumbs", `{"size":`+size+`}`)
		require.Error(t, err, size)
	}
}

// solidBox is a cube with a corner at a place.
func solidBox(at r3.Vec, size float64) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("box")}}
	for i := range 8 {
		m.Points = append(m.Points, r3.Add(at, r3.Scale(size, r3.Vec{X: float64(i & 1), Y: float64(i >> 1 & 1), Z: float64(i >> 2)})))
	}
	for _, f := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.AddFace(0, f[:]...)
	}
	return m
}

// A remedy is tried on a copy before it is offered: it says what became of the finding and
// what it would bring, and one that cannot work is known.
func TestRemediesAreTriedOnACopy(t *testing.T) {
	need.Time(t)
	of := func(m *mesh.Mesh) map[string]studio.Try {
		memory, x, _ := studiotest.Begun(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()})
		list := studiotest.Findings(t, x, memory.Past[0], "intake")
		tries, err := x.Tries(ctx, memory.Past[0], "intake")
		require.NoError(t, err)
		out := map[string]studio.Try{}
		for _, one := range tries {
			f := list[one.Finding]
			out[f.Code+" "+f.Remedies[one.Remedy].Op] = one
		}
		return out
	}
	odile, _ := demo.OdileAsDelivered(0.03)
	points := slices.Clone(odile.Points)
	for key, one := range of(odile) {
		require.True(t, one.Ran && one.Helps, "%s: %s", key, one.Said)
	}
	require.Equal(t, points, odile.Points)
	crowd := of(hostile.Meshes["many points at few"](1500))
	require.Contains(t, crowd["duplicate_vertices weld"].Said, "→ 0; brings: ")
	same := of(hostile.Meshes["all points equal"](1500))
	require.True(t, same["duplicate_vertices weld"].Ran)
	require.False(t, same["duplicate_vertices weld"].Helps)
	require.Contains(t, same["duplicate_vertices weld"].Said, "Not possible")
	large := of(hostile.Meshes["a long strip"](70_000))
	require.NotEmpty(t, large)
	for _, one := range large {
		require.False(t, one.Ran)
		require.Contains(t, one.Said, "60000 vertices")
	}
}

// Who asks for tries is never kept waiting: they are begun, and known a little later; no more
// than a few are begun at a time.
func TestTriesAreAskedForAndNotWaitedFor(t *testing.T) {
	m, _ := demo.OdileAsDelivered(0.04)
	memory, x, _ := studiotest.Begun(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()})
	_, known := x.TriesSoon(memory.Past[0], "intake")
	require.False(t, known, "they are begun, not waited for")
	var list []studio.Try
	require.Eventually(t, func() bool {
		list, known = x.TriesSoon(memory.Past[0], "intake")
		return known
	}, 30*time.Second, 50*time.Millisecond)
	want, err := x.Tries(ctx, memory.Past[0], "intake")
	require.NoError(t, err)
	require.Equal(t, want, list)
	require.NotEmpty(t, list)
}
