package weights_test

import (
	"bytes"
	"encoding/json"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/deform"
	core "wisemarrow/core/weights"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// mixStroke is a stroke over a forearm that paints how the skin blends.
func mixStroke(mode string, value float64) map[string]any {
	touches := []core.Touch{{Tri: 100, B: 0.3, C: 0.3, Pressure: 1}, {Tri: 104, B: 0.2, C: 0.2, Pressure: 0.7}}
	return map[string]any{
		"mode":    mode,
		"value":   value,
		"opacity": 0.8,
		"radius":  0.12,
		"hard":    0.3,
		"both":    true,
		"strokes": [][]core.Touch{touches},
	}
}

func do(t *testing.T, s studio.State, op string, params any) studio.State {
	t.Helper()
	raw, err := json.Marshal(params)
	require.NoError(t, err)
	return studiotest.Do(t, s, op, string(raw))
}

// How vertices blend is painted like weights: on the page and the server alike, hidden ones
// untouched; it stays over binds, strokes, renamed joints and other meshes, and is taken back.
func TestHowVerticesBlendIsPainted(t *testing.T) {
	s := studiotest.Bound(t)
	for _, mode := range []string{"set", "add", "smooth"} {
		from := s
		if mode == "smooth" {
			from = do(t, s, "paint_mix", mixStroke("set", 1))
		}
		painted := do(t, from, "paint_mix", mixStroke(mode, 1))
		require.Equal(t, from.Weights.Of, painted.Weights.Of, "weights are not touched")
		require.NotEmpty(t, painted.Weights.Mix.Vertices)
		require.NoError(t, painted.Weights.Mix.Check(len(s.Mesh.Points)))

		d := studiotest.Desk(t, from)
		stroke := mixStroke(mode, 1)
		text, _ := json.Marshal(stroke)
		require.NoError(t, d.Begin(string(text), nil, true))
		touches, _ := json.Marshal(stroke["strokes"].([][]core.Touch)[0])
		_, err := d.Touch(string(touches))
		require.NoError(t, err)
		d.End(false)
		require.Equal(t, painted.Weights.Mix, d.Weights().Mix, "%s: the page has the same", mode)
	}

	painted := do(t, s, "paint_mix", mixStroke("set", 1))
	require.Contains(t, weights.Blends(painted.Skeleton, painted.Weights), "set by hand")
	mix := painted.Weights.Mix
	for _, op := range []struct{ name, params string }{{"smooth_weights", `{}`}, {"bind_heat", `{"influences":4,"trace":0.01,"heat":1}`}, {"rename_joint", `{"joint":"head","name":"skull"}`}, {"set_blending", `{"mix":0.5}`}} {
		after := studiotest.Do(t, painted, op.name, op.params)
		require.Equal(t, mix, after.Weights.Mix, op.name)
	}
	other := studiotest.Do(t, painted, "drop_chosen", `{"faces":[0,1]}`)
	require.NotNil(t, other.Weights.Mix)
	require.NoError(t, other.Weights.Mix.Check(len(other.Mesh.Points)))

	back := studiotest.Do(t, painted, "drop_mix", `{}`)
	require.Nil(t, back.Weights.Mix)
	part := studiotest.Do(t, painted, "drop_mix", `{"vertices":"`+core.Ranges(mix.Vertices[:3])+`"}`)
	require.Equal(t, mix.Vertices[3:], part.Weights.Mix.Vertices)
	_, _, err := studiotest.Try(s, "drop_mix", `{}`)
	require.True(t, studio.IsInput(err))
	for _, bad := range []string{`{}`, `{"mode":"set","value":1,"opacity":1,"radius":0.1,"strokes":[[]]}`, `{"mode":"wipe","value":1,"opacity":1,"radius":0.1,"strokes":[[{"t":1,"p":1}]]}`} {
		_, _, err := studiotest.Try(s, "paint_mix", bad)
		require.True(t, studio.IsInput(err), bad)
	}
	for _, bad := range []string{`{"mix":1,"joints":["head"],"vertices":"0-3"}`, `{"mix":1,"vertices":"0-99999999"}`} {
		_, _, err := studiotest.Try(s, "set_blending", bad)
		require.True(t, studio.IsInput(err), bad)
	}
}

// A vertex of which it is said goes by that, whatever its joints have: half way it stands half
// way, the rest of the skin as before; the checks and the handoff see it, and a file takes it
// along and brings it back.
func TestAVertexBlendsAsItIsSaid(t *testing.T) {
	s := studiotest.Bound(t)
	k := int32(slices.Index(s.Weights.Joints, "forearm_l"))
	var some []int32
	for v := range s.Weights.Of {
		if x := s.Weights.Value(v, k); x > 0.3 && x < 0.7 {
			some = append(some, int32(v))
		}
	}
	require.NotEmpty(t, some)
	bend := map[string][4]float64{"forearm_l": {20, 90, 0}}
	at := func(s studio.State) *deform.Skin {
		tris, _ := s.Mesh.Triangles()
		skin, err := deform.NewSkin(s.Mesh.World(), tris, s.Weights, s.Skeleton, s.Binding)
		require.NoError(t, err)
		return skin
	}
	linear, dual := at(s).Posed(bend), at(studiotest.Do(t, s, "set_blending", `{"mix":1}`)).Posed(bend)
	half := do(t, s, "set_blending", map[string]any{"vertices": core.Ranges(some), "mix": 0.5})
	posed := at(half).Posed(bend)
	is := map[int32]bool{}
	for _, v := range some {
		is[v] = true
	}
	moved := 0.0
	for v := range posed {
		if !is[int32(v)] {
			require.Equal(t, linear[v], posed[v])
			continue
		}
		require.InDelta(t, (linear[v].X+dual[v].X)/2, posed[v].X, 1e-9)
		require.InDelta(t, (linear[v].Z+dual[v].Z)/2, posed[v].Z, 1e-9)
		moved = math.Max(moved, math.Abs(linear[v].X-posed[v].X)+math.Abs(linear[v].Z-posed[v].Z))
	}
	require.Greater(t, moved, 1e-3)
	// And the other way round: said to be linear where all joints are not.
	straight := do(
		t,
		studiotest.Do(t, s, "set_blending", `{"mix":1}`),
		"set_blending",
		map[string]any{"vertices": core.Ranges(some), "mix": 0},
	)
	for _, v := range some {
		require.Equal(t, linear[v], at(straight).Posed(bend)[v])
	}

	apart, _, worst := deform.LinearApart(s.Mesh.World(), half.Weights, half.Skeleton, half.Binding, s.Settings.Marks)
	require.Positive(t, apart)
	require.True(t, is[worst])
	var file bytes.Buffer
	require.NoError(t, handoff.Write(&file, &half, "glb", handoff.Options{Influences: 4}))
	scene, err := gltf.Decode(&file, nil, reading.Default)
	require.NoError(t, err)
	require.Equal(t, half.Weights.Mix, scene.Weights.Mix)
	file.Reset()
	require.NoError(t, handoff.Write(&file, &s, "glb", handoff.Options{}))
	require.NotContains(t, file.String(), "_DUAL_QUATERNION_SHARE")
}
