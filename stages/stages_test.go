package stages_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/hostile"
	"wisemarrow/internal/need"
	_ "wisemarrow/stages"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// sound holds what an operation made against what every state must be.
func sound(t *testing.T, s studio.State, what string) {
	t.Helper()
	if s.Mesh != nil {
		require.NoError(t, s.Mesh.Validate(), what)
		for _, p := range s.Mesh.World() {
			require.True(t, geom.Finite(p), what)
		}
	}
	if s.Skeleton != nil {
		require.NoError(t, s.Skeleton.Validate(), what)
		for _, j := range s.Skeleton.Joints {
			require.True(t, geom.Finite(j.Pos), what)
		}
	}
	if s.Weights != nil {
		require.NoError(t, s.Weights.Validate(), what)
		require.Len(t, s.Weights.Of, len(s.Mesh.Points), what)
	}
}

// every does each operation to a state and returns what became of it. An operation may
// refuse, with a reason that is the caller's; it may not break off.
func every(t *testing.T, s studio.State, what string, params func(name string) string) []studio.State {
	t.Helper()
	var out []studio.State
	for _, e := range studio.Operations() {
		if after, done := one(t, s, what, e.Name, params(e.Name)); done {
			out = append(out, after)
		}
	}
	return out
}

// one does one operation like that; done is false if it was refused.
func one(t *testing.T, s studio.State, what, name, params string) (after studio.State, done bool) {
	t.Helper()
	says := fmt.Sprintf("%s: %s", what, name)
	entry, op, err := studio.ParseOperation(name, json.RawMessage(params))
	require.True(t, err == nil || studio.IsInput(err), "%s: %v", says, err)
	if err != nil {
		return s, false
	}
	after, told, err := studio.Apply(context.Background(), entry, op, s, nil)
	if err != nil {
		require.True(t, studio.IsInput(err), "%s: %v", says, err)
		require.NotEmpty(t, err.Error(), says)
		return s, false
	}
	require.NotEmpty(t, told.Sentence, says)
	sound(t, after, says)
	return after, true
}

// FuzzParameters does operations with whatever parameters to a small bound character.
func FuzzParameters(f *testing.F) {
	m := hostile.Meshes["a long strip"](60)
	s := studio.State{Mesh: m, Skeleton: poles(m), Settings: studio.DefaultSettings()}
	entry, op, err := studio.ParseOperation("bind_heat", nil)
	require.NoError(f, err)
	if s, _, err = studio.Apply(context.Background(), entry, op, s, nil); err != nil {
		f.Fatal(err)
	}
	list := studio.Operations()
	for i := range list {
		f.Add(uint8(i), "{}")
	}
	for i, e := range list {
		for _, p := range []string{
			`{"joint":"j1","to":[0.1,0.2,0.3]}`, `{"joint":"j1","by":[0,1e9,0]}`, `{"joint":"j1","name":"j2"}`, `{"joints":["j1","j1"]}`,
			`{"distance":1e-5}`, `{"height":1.7}`, `{"scale":0.01,"up":"z","stand":true}`, `{"part":"strip","name":"a"}`, `{"parent":"j1","places":[[0,0,0],[1,1,1]]}`,
		} {
			if _, _, err := studio.ParseOperation(e.Name, json.RawMessage(p)); err == nil {
				f.Add(uint8(i), p)
			}
		}
	}
	f.Fuzz(func(t *testing.T, which uint8, params string) {
		e := list[int(which)%len(list)]
		if e.Name == "fit_starter" { // a second each: others have the time
			return
		}
		one(t, s, params, e.Name, params)
	})
}

// poles is a chain of three joints through the middle of a mesh.
func poles(m *mesh.Mesh) *skeleton.Skeleton {
	b := geom.BoxOf(m.World())
	s := &skeleton.Skeleton{}
	for i, at := range []float64{0.2, 0.5, 0.8} {
		p := r3.Add(b.Min, r3.Vec{X: at * (b.Max.X - b.Min.X), Y: at * (b.Max.Y - b.Min.Y), Z: 0.5 * (b.Max.Z - b.Min.Z)})
		s.Joints = append(s.Joints, skeleton.Joint{Name: fmt.Sprintf("j%d", i), Parent: i - 1, Pos: p, Rot: geom.Identity})
	}
	return s
}

// Every operation is done to every mesh that was made to break things: bare, with
// joints, and with the weights that a bind gave it, where it gave any.
func TestEveryOperationHoldsOnHostileMeshes(t *testing.T) {
	need.Time(t)
	bare := func(string) string { return "" }
	again := func(op string) string {
		switch op {
		case "fit_starter": // reads the mesh alone, and takes a second
			return "{"
		case "bind_volume", "bind_shell":
			return `{"cubes":24}`
		case "mend_bind": // its steps are operations of their own
			return `{"steps":["beneath","joints"]}`
		case "best_bind": // its binds are operations of their own
			return `{"ways":["distance"],"steps":1}`
		case "check_motion":
			return `{"steps":1}`
		}
		return ""
	}
	did, bound := 0, 0
	for name, made := range hostile.Meshes {
		s := studio.State{Mesh: made(44), Settings: studio.DefaultSettings()}
		if s.Mesh.Faces() == 0 {
			continue
		}
		did += len(every(t, s, name, bare))
		s.Skeleton = poles(s.Mesh)
		for _, after := range every(t, s, name+", with joints", again) {
			if after.Weights != nil && after.Bind != nil && slices.Contains([]string{"bind_heat", "bind_volume"}, after.Bind.Operation) {
				bound++
				did += len(every(t, after, name+", bound", again))
			}
		}
	}
	t.Logf("%d operations were taken, %d meshes were bound", did, bound)
	require.Greater(t, did, 10*len(hostile.Meshes), "most is not refused")
	require.Greater(t, bound, len(hostile.Meshes)/2)
}

// Numbers that are none, far too large or too small are refused, or do what they say:
// nothing that is not finite gets into a state.
func TestNoOperationTakesNumbersThatAreNone(t *testing.T) {
	m := hostile.Meshes["a long strip"](40)
	s := studio.State{Mesh: m, Skeleton: poles(m), Settings: studio.DefaultSettings()}
	for _, x := range []float64{-1, 1e-300, 1e300, math.MaxFloat64, -math.MaxFloat64} {
		for _, field := range []string{"height", "distance", "tolerance", "radius", "scale", "share", "traces", "falloff", "angle", "degrees"} {
			text, err := json.Marshal(map[string]any{field: x})
			require.NoError(t, err)
			every(t, s, string(text), func(string) string { return string(text) })
		}
		for _, text := range []string{
			fmt.Sprintf(`{"joint":"j1","to":[%g,0,0]}`, x), fmt.Sprintf(`{"joint":"j1","by":[0,%g,0]}`, x),
			fmt.Sprintf(`{"joint":"j1","rotation":[%g,0,0,0]}`, x), fmt.Sprintf(`{"parent":"j1","places":[[0,0,%g]]}`, x),
		} {
			every(t, s, text, func(string) string { return text })
		}
	}
}
