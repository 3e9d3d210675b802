package bind_test

import (
	"encoding/json"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/demo"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Bram, with coat, buttons, belt and lantern, is bound in one action with nothing left, and
// what became of each piece is told.
func TestBramIsBoundInOneAction(t *testing.T) {
	need.Time(t)
	m, sk := demo.Bram(0.03)
	s := studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()}
	out, told, err := studiotest.Try(s, "bind_auto", "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "0 of")
	require.Empty(t, out.Stray())
	r := out.Bind.Report
	require.Contains(t, r.Said, "Every vertex has weights")
	require.Greater(t, len(r.Ways), 1)
	require.Len(t, told.Steps, len(r.Ways))
	total := 0
	for _, w := range r.Ways {
		total += w.Vertices
	}
	require.Equal(t, len(m.Points), total)
	for _, f := range studio.CheckOnly(&out, "bind") {
		require.NotEqual(t, "unweighted_vertices", f.Code)
	}
	data, err := json.Marshal(out.Bind)
	require.NoError(t, err)
	var back studio.Result
	require.NoError(t, json.Unmarshal(data, &back))
	require.Equal(t, r.Ways, back.Report.Ways)
	again := studiotest.Do(t, out, "bind_auto", "")
	require.Equal(t, out.Weights, again.Weights, "the same every time")
}

// Each method binds on its own, says how, and obeys the limits; nonsense is refused.
func TestBindsByOneMethod(t *testing.T) {
	need.Time(t)
	s := studiotest.Do(t, studiotest.Odile(), "fit_starter", "")
	for op, params := range map[string]string{"bind_volume": `{"influences":3,"cubes":64}`, "bind_near": `{"influences":3}`, "bind_rigid": `{}`, "bind_auto": `{"influences":3,"skip":["spine_2"]}`} {
		out, told, err := studiotest.Try(s, op, params)
		require.NoError(t, err, op)
		require.Equal(t, op, out.Bind.Operation)
		require.Empty(t, out.Stray(), op)
		require.NotEmpty(t, told.Sentence)
		require.NoError(t, out.Weights.Validate(), op)
		for _, list := range out.Weights.Of {
			require.LessOrEqual(t, len(list), 3, op)
		}
		if op == "bind_auto" {
			require.Equal(t, bind.Idle, out.Bind.Report.Joints[out.Skeleton.Index("spine_2")].State)
		}
		require.True(t, out.Binding.Still(out.Skeleton), op)
	}
	for _, bad := range [][2]string{{"bind_auto", `{"influences":0}`}, {"bind_auto", `{"skip":["nobody"]}`}, {"bind_volume", `{"falloff":0}`}, {"bind_volume", `{"cubes":9000}`}, {"bind_near", `{"trace":0.9}`}, {"bind_near", `{"smooth":-1}`}} {
		_, _, err := studiotest.Try(s, bad[0], bad[1])
		require.True(t, studio.IsInput(err), "%v: %v", bad, err)
	}
}

// Which joints deform is said for each, kept, and obeyed by the next bind.
func TestWhichJointsDeform(t *testing.T) {
	need.Time(t)
	s := studiotest.Do(t, studiotest.Odile(), "fit_starter", "")
	out, told, err := studiotest.Try(s, "set_deform", `{"joints":["spine_2","head_end"],"deform":"off"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "deform at the next bind")
	out = studiotest.Do(t, out, "set_deform", `{"joints":["head_end"],"deform":"on"}`)
	bound := studiotest.Do(t, out, "bind_auto", "")
	at := func(name string) bind.JointReport { return bound.Bind.Report.Joints[bound.Skeleton.Index(name)] }
	require.Equal(t, bind.Idle, at("spine_2").State)
	require.NotEqual(t, bind.Idle, at("head_end").State)
	usual := studiotest.Do(t, out, "set_deform", `{"joints":["spine_2","head_end"],"deform":""}`)
	require.Equal(t, s.Skeleton.Deforming(), usual.Skeleton.Deforming())
	_, _, err = studiotest.Try(s, "set_deform", `{"joints":["spine_2"],"deform":"maybe"}`)
	require.True(t, studio.IsInput(err))
	names, _ := json.Marshal(map[string]any{"joints": func() (all []string) {
		for _, j := range s.Skeleton.Joints {
			all = append(all, j.Name)
		}
		return all
	}(), "deform": "off"})
	_, _, err = studiotest.Try(s, "set_deform", string(names))
	require.ErrorContains(t, err, "no joint would be left")
}

// Chosen joints are bound anew by another method: vertices that they do not move before or
// after keep their bytes, sums are 1, and the others keep their proportions.
func TestChosenJointsAreBoundAnew(t *testing.T) {
	need.Time(t)
	s := studiotest.Bound(t)
	out, told, err := studiotest.Try(s, "bind_joints", `{"joints":["forearm_l","hand_l"],"method":"volume"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Rebound forearm_l, hand_l")
	require.NoError(t, out.Weights.Validate())
	require.Empty(t, out.Stray())
	moves := func(s studio.State, v int) bool {
		for _, x := range s.Weights.Of[v] {
			if name := s.Weights.Joints[x.Joint]; name == "forearm_l" || name == "hand_l" {
				return true
			}
		}
		return false
	}
	same, changed := 0, 0
	for v := range s.Weights.Of {
		if !moves(s, v) && !moves(out, v) {
			require.Equal(t, s.Weights.Of[v], out.Weights.Of[v])
			same++
		} else {
			changed++
		}
	}
	require.Greater(t, same, 10*changed/2)
	require.Positive(t, changed)
	for _, bad := range []string{`{"joints":[],"method":"heat"}`, `{"joints":["nobody"],"method":"heat"}`, `{"joints":["hand_l"],"method":"rigid"}`} {
		_, _, err := studiotest.Try(s, "bind_joints", bad)
		require.True(t, studio.IsInput(err), bad)
	}
}
