package weights_test

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/mesh"
	core "wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	_ "wisemarrow/stages/bind"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// sound asks of weights what must hold after every operation.
func sound(t *testing.T, s studio.State) {
	t.Helper()
	require.NoError(t, s.Weights.Validate())
	for v, list := range s.Weights.Of {
		sum := 0.0
		for _, x := range list {
			sum += x.Value
		}
		if len(list) > 0 {
			require.InDelta(t, 1, sum, 1e-6, "vertex %d", v)
		}
	}
}

func by(s studio.State, joint string) (out []int32) {
	return s.Weights.By(int32(slices.Index(s.Weights.Joints, joint)), 0.2, 1)
}

func share(s studio.State, v int32, joint string) float64 {
	return s.Weights.Value(int(v), int32(slices.Index(s.Weights.Joints, joint)))
}

// Each operation does what it says to the chosen vertices, and nothing to others.
func TestOperationsOnWeights(t *testing.T) {
	s := studiotest.Bound(t)
	arm := by(s, "forearm_l")
	require.NotEmpty(t, arm)
	chosen := core.Ranges(arm)
	some := func(format string, a ...any) string { return fmt.Sprintf(format, a...) }
	for _, c := range []struct {
		op, params string
		holds      func(next studio.State)
	}{
		{"set_weights", some(`{"joint":"forearm_l","vertices":%q,"value":0.25}`, chosen), func(n studio.State) {
			for _, v := range arm {
				require.InDelta(t, 0.25, share(n, v, "forearm_l"), 1e-6)
			}
		}},
		{"set_weights", some(`{"joint":"forearm_l","vertices":%q,"by":-0.1}`, chosen), func(n studio.State) {
			require.InDelta(t, share(s, arm[0], "forearm_l")-0.1, share(n, arm[0], "forearm_l"), 1e-6)
		}},
		{"set_weights", some(`{"joint":"forearm_l","vertices":%q,"times":0.5}`, chosen), func(n studio.State) {
			require.InDelta(t, share(s, arm[0], "forearm_l")/2, share(n, arm[0], "forearm_l"), 1e-6)
		}},
		{"free_weights", some(`{"joints":["upper_arm_l"],"branch":true,"vertices":%q}`, chosen), func(n studio.State) {
			for _, v := range arm {
				for _, j := range []string{"upper_arm_l", "forearm_l", "hand_l"} {
					require.Zero(t, share(n, v, j), "%d %s", v, j)
				}
			}
		}},
		{"free_weights", some(`{"joints":["forearm_l"],"others":true,"vertices":%q}`, chosen), func(n studio.State) {
			for _, v := range arm {
				require.Equal(t, 1.0, share(n, v, "forearm_l"))
			}
		}},
		{"hand_weights", some(`{"joints":["forearm_l"],"to":"hand_l","vertices":%q}`, chosen), func(n studio.State) {
			for _, v := range arm {
				require.Zero(t, share(n, v, "forearm_l"))
				require.InDelta(t, share(s, v, "forearm_l")+share(s, v, "hand_l"), share(n, v, "hand_l"), 1e-5)
			}
		}},
		{"smooth_weights", some(`{"joints":["forearm_l"],"passes":3,"vertices":%q}`, chosen), nil},
		{"smooth_weights", `{"passes":2}`, nil},
		{"blend_border", `{"joints":["forearm_l","upper_arm_l"],"width":0.1}`, nil},
		{"harden_weights", some(`{"steps":1,"vertices":%q}`, chosen), func(n studio.State) {
			for _, v := range arm {
				require.Len(t, n.Weights.Of[v], 1)
			}
		}},
		{"drop_traces", `{"below":0.1}`, func(n studio.State) {
			for _, list := range n.Weights.Of {
				for _, x := range list {
					require.Greater(t, x.Value, 0.0999)
				}
			}
		}},
		{"cap_weights", `{"influences":2}`, func(n studio.State) {
			require.Equal(t, 2, n.Bind.Limits.Cap)
			for _, list := range n.Weights.Of {
				require.LessOrEqual(t, len(list), 2)
			}
		}},
		{"copy_weights", some(`{"from":7,"vertices":%q}`, chosen), func(n studio.State) {
			for _, v := range arm {
				require.Len(t, n.Weights.Of[v], len(s.Weights.Of[7]))
				for k, x := range n.Weights.Of[v] {
					require.Equal(t, float32(s.Weights.Of[7][k].Value), float32(x.Value))
					require.Equal(t, s.Weights.Of[7][k].Joint, x.Joint)
				}
			}
		}},
		{"even_vertices", some(`{"vertices":%q}`, chosen), func(n studio.State) {
			for _, v := range arm {
				require.Equal(t, n.Weights.Of[arm[0]], n.Weights.Of[v])
			}
		}},
	} {
		next, told, err := studiotest.Try(s, c.op, c.params)
		require.NoError(t, err, c.params)
		require.Contains(t, told.Sentence, "changed")
		sound(t, next)
		if c.holds != nil {
			c.holds(next)
		}
		if bytes.Contains([]byte(c.params), []byte(`"vertices"`)) {
			for v := range s.Weights.Of {
				if !slices.Contains(arm, int32(v)) {
					require.Equal(t, s.Weights.Of[v], next.Weights.Of[v], "%s changed vertex %d", c.op, v)
				}
			}
		}
		_, _, err = studiotest.Try(next, "settle_weights", some(`{"vertices":%q}`, chosen))
		require.True(t, err == nil || studio.IsInput(err))
	}
	for op, list := range map[string][]string{
		"copy_weights":   {`{"from":7}`, `{"from":-1,"vertices":"0"}`, `{"from":99999999,"vertices":"0"}`},
		"set_weights":    {`{}`, `{"joint":"head","vertices":"0","value":1,"by":1}`, `{"joint":"nobody","vertices":"0","value":1}`, `{"joint":"head","value":1}`, `{"joint":"head","vertices":"99999999","value":1}`, `{"joint":"head","vertices":"@gone","value":1}`, `{"joint":"head","vertices":"0","value":1e9}`},
		"free_weights":   {`{"joints":[]}`, `{"joints":["nobody"],"vertices":"0"}`},
		"smooth_weights": {`{"passes":0}`, `{"passes":101}`, `{"passes":1,"joints":["nobody"]}`},
		"blend_border":   {`{"joints":["head"],"width":1}`, `{"joints":["head","head"],"width":1}`, `{"joints":["head","neck"],"width":0}`, `{"joints":["head","foot_l"],"width":0.1}`},
		"drop_traces":    {`{"below":0}`, `{"below":0.7}`},
		"cap_weights":    {`{"influences":0}`, `{"influences":17}`},
		"harden_weights": {`{"steps":0}`},
		"mirror_weights": {`{"from":"above"}`, `{"from":"left","by":"eye"}`, `{"from":"left","by":"place","tolerance":-1}`},
		"hide_vertices":  {`{"vertices":""}`, `{"vertices":"","others":true}`, some(`{"vertices":"0-%d"}`, len(s.Mesh.Points)-1)},
		"keep_selection": {`{"name":"x"}`, `{"name":"","vertices":"0"}`}, "drop_selection": {`{"name":"gone"}`}, "forget_hand": {`{}`},
		"import_weights": {`{}`},
	} {
		for _, p := range list {
			_, _, err := studiotest.Try(s, op, p)
			require.True(t, studio.IsInput(err), "%s %s: %v", op, p, err)
		}
	}
}

// A spoiled side of a symmetric character comes back from the other, to the bit where vertices
// have images, and topology does it in a pose of the mesh too.
func TestAMirroredSideIsEven(t *testing.T) {
	s := studiotest.Bound(t)
	spoiled := studiotest.Do(t, s, "hand_weights", `{"joints":["forearm_r"],"to":"upper_arm_r"}`)
	even, told, err := studiotest.Try(spoiled, "mirror_weights", `{"from":"left"}`)
	require.NoError(t, err)
	sound(t, even)
	require.Contains(t, told.Steps[0], "27 vertices matched a vertex")
	left, right := 0.0, 0.0
	for v := range even.Weights.Of {
		left, right = left+share(even, int32(v), "forearm_l"), right+share(even, int32(v), "forearm_r")
	}
	require.InDelta(t, left, right, 0.02*left)
	pairs, err := (&weights.Mirror{From: "left", By: "place"}).Pairs(s)
	require.NoError(t, err)
	require.Greater(t, pairs.Matched+pairs.Between, 9*len(s.Mesh.Points)/10)
	traced, err := weights.Traces(&s, 0.02, "")
	require.NoError(t, err)
	require.Positive(t, traced.Vertices)
	require.Positive(t, traced.Farthest)
	require.Less(t, traced.Farthest, 0.2)
}

// Selections, hidden vertices and what was set by hand go with the vertices when the mesh
// changes; hidden ones are not changed by anything.
func TestChoicesAreKept(t *testing.T) {
	s := studiotest.Bound(t)
	s = studiotest.Do(t, s, "keep_selection", `{"name":"feet","vertices":"0-9"}`)
	s = studiotest.Do(t, s, "hide_vertices", `{"vertices":"@feet"}`)
	require.Len(t, s.HiddenVertices(), 10)
	next := studiotest.Do(t, s, "harden_weights", `{"steps":1}`)
	for v := range 10 {
		require.Equal(t, s.Weights.Of[v], next.Weights.Of[v])
	}
	require.NotContains(t, next.ByHand(), int32(3))
	shown := studiotest.Do(t, next, "hide_vertices", `{"vertices":""}`)
	require.Empty(t, shown.HiddenVertices())
	gone := studiotest.Do(t, shown, "drop_selection", `{"name":"feet"}`)
	require.Empty(t, gone.Selections())
}

// Binds keep the weights of locked joints exactly, and where asked what was set by hand; without
// they say what they would replace.
func TestBindsKeepLocksAndHandWork(t *testing.T) {
	m, sk := demo.Odile(0.022)
	s := studiotest.Do(t, studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()}, "bind_auto", "")
	arm := core.Ranges(by(s, "forearm_l"))
	hand := studiotest.Do(t, s, "set_weights", fmt.Sprintf(`{"joint":"upper_arm_l","vertices":%q,"value":0.5}`, arm))
	entry, op, err := studio.ParseOperation("bind_heat", []byte(`{"influences":4}`))
	require.NoError(t, err)
	require.Contains(t, entry.Loses(&hand, op), "set by hand")
	kept := studiotest.Do(t, hand, "bind_volume", `{"keep_hand":true,"cubes":32}`)
	for _, v := range hand.ByHand() {
		require.Equal(t, hand.Weights.Of[v], kept.Weights.Of[v])
	}
	require.NotEqual(t, hand.Weights.Of[0], kept.Weights.Of[0])
	require.Equal(t, hand.ByHand(), kept.ByHand())
	anew := studiotest.Do(t, hand, "bind_volume", `{"cubes":32}`)
	require.Empty(t, anew.ByHand())
	locked := studiotest.Do(t, hand, "lock_weights", `{"joints":["forearm_l","head"],"locked":true}`)
	bound := studiotest.Do(t, locked, "bind_near", "")
	for v := range bound.Weights.Of {
		for _, j := range []string{"forearm_l", "head"} {
			require.InDelta(t, share(hand, int32(v), j), share(bound, int32(v), j), 1e-7)
		}
	}
	sound(t, bound)
	redone := studiotest.Do(t, hand, "bind_joints", fmt.Sprintf(`{"vertices":%q,"method":"auto"}`, arm))
	list, err := redone.VerticesOf(arm)
	require.NoError(t, err)
	for v := range redone.Weights.Of {
		if !slices.Contains(list, int32(v)) {
			require.Equal(t, hand.Weights.Of[v], redone.Weights.Of[v])
		}
	}
}

// Tables come back exactly, by number, and by place on a mesh whose vertices are in another order.
func TestTablesComeBack(t *testing.T) {
	s := studiotest.Bound(t)
	for v := range s.Weights.Of { // as they are stored
		s.Weights.Of[v] = slices.Clone(s.Weights.Of[v])
		for k := range s.Weights.Of[v] {
			s.Weights.Of[v][k].Value = float64(float32(s.Weights.Of[v][k].Value))
		}
	}
	for _, kind := range []string{"csv", "json"} {
		var b bytes.Buffer
		require.NoError(t, handoff.Write(&b, &s, kind, handoff.Options{}))
		data := b.Bytes()
		take := func(s studio.State, more string) (studio.State, error) {
			entry, op, err := studio.ParseOperation("import_weights", []byte(`{"file":{"name":"w.`+kind+`","blob":"x"}`+more+`}`))
			require.NoError(t, err)
			studio.AttachFiles(op, func(string) ([]byte, error) { return data, nil }, reading.Default)
			next, _, err := studio.Apply(t.Context(), entry, op, s, nil)
			return next, err
		}
		flat := studiotest.Do(t, s, "harden_weights", `{"steps":1}`)
		for _, more := range []string{`,"by":"vertex"`, `,"by":"place","within":1e-4`} {
			back, err := take(flat, more)
			require.NoError(t, err)
			for v := range s.Weights.Of {
				require.Equal(t, s.Weights.Of[v], back.Weights.Of[v], "%s %s, vertex %d", kind, more, v)
			}
		}
		_, err := take(s, "")
		require.ErrorContains(t, err, "already", "nothing is other than the table")
		_, _, err = studio.ParseOperation("import_weights", []byte(`{"by":"colour"}`))
		require.ErrorContains(t, err, `must be vertex or place, not "colour"`)
		far := s
		far.Mesh = s.Mesh.Bake(mesh.Placement{Scale: 100, Up: "y"})
		_, err = take(far, `,"by":"place"`)
		require.ErrorContains(t, err, "no row")
	}
}

// The stage names what is wrong and offers what mends it; a clean bind has neither strays nor an
// uneven side.
func TestTheStageMeasuresTheWeights(t *testing.T) {
	s := studiotest.Bound(t)
	codes := func(s studio.State) map[string]studioFinding {
		out := map[string]studioFinding{}
		for _, f := range studio.CheckOnly(&s, "weights") {
			out[f.Code] = studioFinding{f.Count, len(f.Remedies)}
		}
		return out
	}
	clean := codes(s)
	require.NotContains(t, clean, "weights_strays")
	require.Less(t, clean["weights_uneven"].count, len(s.Mesh.Points)/20, "of a coarse body with three influences")
	require.Less(t, clean["weights_step"].count, len(s.Mesh.Points)/200)
	v := by(s, "forearm_l")[5]
	stray := studiotest.Do(t, s, "set_weights", fmt.Sprintf(`{"joint":"head","vertices":"%d","value":1}`, v))
	found := codes(stray)
	require.Equal(t, 1, found["weights_strays"].count)
	require.NotContains(t, codes(studiotest.Do(t, stray, "settle_weights", "")), "weights_strays")
	spoiled := studiotest.Do(t, s, "hand_weights", `{"joints":["thigh_r"],"to":"hips"}`)
	require.Contains(t, codes(spoiled), "weights_uneven")
	require.NotContains(t, codes(studiotest.Do(t, spoiled, "mirror_weights", `{"from":"left"}`)), "weights_uneven")
}

type studioFinding struct{ count, remedies int }

// A body that stands unevenly, one arm raised and the other leg forward, is mirrored by its joints: the spoiled
// side gets back what it had in the even pose, where a mirrored place finds next to nothing.
func TestAnUnevenBodyIsMirroredByItsJoints(t *testing.T) {
	s := studiotest.Do(t, studiotest.Do(t, studiotest.Do(t, studiotest.Odile(), "fit_starter", ""), "set_axes", ""), "bind_auto", "")
	s = studiotest.Do(t, s, "mirror_weights", `{"from":"left","by":"place"}`) // it is even now
	s = studiotest.Do(t, s, "rest_pose", `{"angles":{"upper_arm_l":[0,0,45],"forearm_l":[30,0,0],"thigh_r":[35,0,0]}}`)
	spoiled := studiotest.Do(
		t,
		studiotest.Do(t, s, "hand_weights", `{"joints":["forearm_r"],"to":"upper_arm_r"}`),
		"hand_weights",
		`{"joints":["shank_r"],"to":"thigh_r"}`,
	)
	off := func(n studio.State) (sum float64, most int) {
		for v := range n.Weights.Of {
			d := 0.0
			for _, x := range n.Weights.Of[v] {
				d = math.Max(d, math.Abs(x.Value-s.Weights.Value(v, int32(slices.Index(s.Weights.Joints, n.Weights.Joints[x.Joint])))))
			}
			sum += d
			if d > 0.2 {
				most++
			}
		}
		return sum / float64(len(n.Weights.Of)), most
	}
	was, wasMost := off(spoiled)
	byJoints, told, err := studiotest.Try(spoiled, "mirror_weights", `{"from":"left","by":"joints"}`)
	require.NoError(t, err)
	now, most := off(byJoints)
	byPlace, _, err := studiotest.Try(spoiled, "mirror_weights", `{"from":"left","by":"place"}`)
	require.NoError(t, err)
	place, placeMost := off(byPlace)
	t.Logf(
		"mean difference from the even weights: spoiled %.4f (%d over 0.2), by joints %.4f (%d), by place %.4f (%d); %s",
		was,
		wasMost,
		now,
		most,
		place,
		placeMost,
		told.Steps[0],
	)
	require.Less(t, now, 0.1*was)
	require.Less(t, now, 0.1*place)
	sound(t, byJoints)
	_, _, err = studiotest.Try(
		studiotest.Do(t, spoiled, "rename_joints", `{"search":"_r","with":"_q"}`),
		"mirror_weights",
		`{"from":"left","by":"joints"}`,
	)
	require.ErrorContains(t, err, "mark the sides in their names", "an uneven body has no pairs but by name")
}
