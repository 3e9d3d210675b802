package studio_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func do(t *testing.T, s studio.State, op, params string) studio.State {
	t.Helper()
	out, _, err := try(s, op, params)
	require.NoError(t, err)
	return out
}

func try(s studio.State, op, params string) (studio.State, studio.Outcome, error) {
	_, parsed, err := studio.ParseOperation(op, json.RawMessage(params))
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return parsed.Apply(context.Background(), s, func(string, float64) {})
}

// States are values, so the tests can share them.
var meshed = sync.OnceValue(func() studio.State {
	m, _ := demo.Odile(0.02)
	return studio.State{Mesh: m, Settings: studio.DefaultSettings()}
})

var boundOnce = sync.OnceValues(func() (studio.State, error) {
	s := meshed()
	for _, step := range [][2]string{{"fit_starter", `{"starter":"biped"}`}, {"set_axes", ""}, {"bind_heat", `{"influences":3}`}} {
		var err error
		if s, _, err = try(s, step[0], step[1]); err != nil {
			return s, err
		}
	}
	return s, nil
})

func odile() studio.State { return meshed() }

func bound(t *testing.T) studio.State {
	t.Helper()
	s, err := boundOnce()
	require.NoError(t, err)
	return s
}

func TestFromMeshToHandoff(t *testing.T) {
	s := bound(t)
	require.NoError(t, s.Weights.Validate())
	require.Equal(t, 3, s.Bind.Options.Influences)
	for _, x := range s.Weights.Of {
		require.LessOrEqual(t, len(x), 3)
	}
	var buf bytes.Buffer
	require.NoError(t, studio.Handoff(&buf, &s, "glb", 4))
	back, err := gltf.Decode(&buf, nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, back.Mesh.Points, len(s.Mesh.Points))
	turns := pose.Pose{"upper_arm_l": pose.Turn(20, 0, 40), "shank_r": pose.Turn(60, 0, 0)}
	want := deform.Linear(s.Mesh.Points, s.Weights, pose.Skin(s.Skeleton, turns))
	got := deform.Linear(back.Mesh.Points, back.Weights, pose.Skin(back.Skeleton, turns))
	for v := range want {
		require.InDelta(t, 0, r3.Norm(r3.Sub(want[v], got[v])), 1e-5)
	}
}

func TestSettingAxesMovesNeitherJointsNorSkin(t *testing.T) {
	s := bound(t)
	out := do(t, s, "set_axes", `{"aim":"x","bend":"z","sides":"mirror","world":[0,0,1],"from":"bend"}`)
	rest := deform.Linear(out.Mesh.Points, out.Weights, pose.Skin(out.Skeleton, nil))
	for v, p := range rest {
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, s.Mesh.Points[v])), 1e-12)
	}
}

func TestRepairsCarryWeightsOver(t *testing.T) {
	s := bound(t)
	n := len(s.Mesh.Points)
	m := *s.Mesh
	m.Points = append([]r3.Vec{{Y: 3}}, m.Points...)
	m.Corner = append([]int32(nil), m.Corner...)
	for i := range m.Corner {
		m.Corner[i]++
	}
	w := *s.Weights
	w.Of = append(w.Of[:0:0], nil)
	w.Of = append(w.Of, s.Weights.Of...)
	s.Mesh, s.Weights = &m, &w
	out, told, err := try(s, "drop_loose", "")
	require.NoError(t, err)
	require.Len(t, out.Mesh.Points, n)
	require.Equal(t, w.Of[1:], out.Weights.Of)
	require.Equal(t, fmt.Sprint(n+1), told.Before)
	require.Len(t, s.Mesh.Points, n+1, "the state before is untouched")
}

func TestRenameCarriesWeightsAndReport(t *testing.T) {
	s := do(t, bound(t), "rename_joint", `{"joint":"shank_l","name":"calf_l"}`)
	require.Contains(t, s.Weights.Joints, "calf_l")
	require.GreaterOrEqual(t, s.Bind.Skeleton.Index("calf_l"), 0)
	_, _, err := try(s, "rename_joint", `{"joint":"calf_l","name":"thigh_l"}`)
	require.True(t, studio.IsInput(err))
}

func TestMistakesAreTheCallersAndSayWhat(t *testing.T) {
	empty := odile()
	for _, c := range []struct{ op, params, want string }{
		{"fly", "", `no operation "fly"`},
		{"weld", `{"distance":-1}`, "above zero"},
		{"weld", `{"distance":"far"}`, "cannot be read"},
		{"weld", `{"distance":1,"sideways":true}`, "unknown field"},
		{"move_joint", `{"joint":"hips","to":[0,0,0]}`, "no skeleton"},
		{"bind_heat", "", "no skeleton"},
		{"follow_beneath", "", "bind first"},
		{"bake_transform", `{"scale":0}`, "above zero"},
		{"bake_transform", `{"up":"sideways"}`, "up axis"},
		{"fit_starter", `{"starter":"octopus"}`, "octopus"},
		{"set_axes", "", "no skeleton"},
	} {
		_, _, err := try(empty, c.op, c.params)
		require.True(t, studio.IsInput(err), "%s: %v", c.op, err)
		require.ErrorContains(t, err, c.want)
	}
	s := do(t, empty, "fit_starter", "")
	for _, c := range []struct{ op, params, want string }{
		{"move_joint", `{"joint":"wing","to":[0,0,0]}`, `no joint "wing"`},
		{"move_joint", `{"joint":"hips","to":[1e30,0,0]}`, "no place"},
		{"bind_heat", `{"influences":9}`, "1 to 8"},
		{"bind_heat", `{"skip":["wing"]}`, "wing"},
		{"set_axes", `{"aim":"y","bend":"y"}`, "different"},
	} {
		_, _, err := try(s, c.op, c.params)
		require.True(t, studio.IsInput(err), "%s %s: %v", c.op, c.params, err)
		require.ErrorContains(t, err, c.want)
	}
}

func TestEveryOperationHasALabelAndAKnownStage(t *testing.T) {
	for _, e := range studio.Operations() {
		require.NotEmpty(t, e.Label, e.Name)
		require.Contains(t, studio.StageNames, e.Stage, e.Name)
		require.NotNil(t, e.New())
	}
}

func TestProbeTellsDirectAndCarried(t *testing.T) {
	s := bound(t)
	tip := 0
	for v, p := range s.Mesh.Points {
		if p.X > s.Mesh.Points[tip].X {
			tip = v
		}
	}
	p, err := studio.Probe(&s, tip)
	require.NoError(t, err)
	require.Equal(t, "hand_l", p.Movers[0].Joint)
	carried := map[string]float64{}
	for _, m := range p.Movers {
		carried[m.Joint] = m.Carried
	}
	require.InDelta(t, 1, carried["hips"], 1e-9, "the root carries everything")
	require.InDelta(t, 1, carried["clavicle_l"], 0.01)
	require.NotContains(t, carried, "clavicle_r")
	_, err = studio.Probe(&s, -1)
	require.True(t, studio.IsInput(err))
}

func TestThumbnailShowsTheCharacter(t *testing.T) {
	m, _ := demo.Odile(0.02)
	img := studio.Thumbnail(m, 60, 80, 0, nil)
	solid := 0
	for i := 3; i < len(img.Pix); i += 4 {
		if img.Pix[i] > 200 {
			solid++
		}
	}
	require.Greater(t, solid, 60*80/12)
	require.Less(t, solid, 60*80/2)
	require.Zero(t, img.NRGBAAt(1, 1).A, "the ground is transparent")
}
