package bind_test

import (
	"testing"

	"wisemarrow/demo"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Parts are let follow the surface, kept in shape or given to a joint; nothing else changes.
func TestPartsAreToldWhatToFollow(t *testing.T) {
	need.Time(t)
	m, sk := demo.Bram(0.03)
	s := studiotest.Do(t, studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()}, "bind_auto", "")
	require.NotEmpty(t, s.Bind.Report.Layers)
	of := map[string][]int32{}
	for f := range m.Faces() {
		name := m.Parts[m.PartOf(f)].Name
		of[name] = append(of[name], m.Face(f)...)
	}
	joint := studiotest.Do(t, s, "give_pieces", `{"parts":["belt","buckle"],"how":"joint","joint":"spine_1"}`)
	for _, name := range []string{"belt", "buckle"} {
		for _, v := range of[name] {
			require.Len(t, joint.Weights.Of[v], 1)
			require.Equal(t, "spine_1", joint.Weights.Joints[joint.Weights.Of[v][0].Joint])
		}
	}
	in := map[int32]bool{}
	for _, name := range []string{"belt", "buckle"} {
		for _, v := range of[name] {
			in[v] = true
		}
	}
	for v := range s.Weights.Of {
		if !in[int32(v)] {
			require.Equal(t, s.Weights.Of[v], joint.Weights.Of[v])
		}
	}
	whole := studiotest.Do(t, joint, "give_pieces", `{"parts":["belt"],"how":"rigid"}`)
	for _, v := range of["belt"] {
		require.Equal(t, whole.Weights.Of[of["belt"][0]], whole.Weights.Of[v])
	}
	follows := studiotest.Do(t, whole, "give_pieces", `{"parts":["belt"],"how":"follow"}`)
	require.NotEqual(t, whole.Weights.Of[of["belt"][0]], follows.Weights.Of[of["belt"][0]])
	require.NoError(t, follows.Weights.Validate())
	require.Empty(t, follows.Stray())
	kind := func(s studio.State, part string) string {
		for _, l := range s.Bind.Report.Layers {
			if l.Part == part {
				require.NotNil(t, l.Through)
				return l.Kind
			}
		}
		return ""
	}
	require.Equal(
		t,
		[]string{"cloth", "rigid", "cloth", "rigid"},
		[]string{kind(s, "belt"), kind(whole, "belt"), kind(follows, "belt"), kind(follows, "buckle")},
	)
	require.Len(t, follows.Bind.Report.Layers, len(s.Bind.Report.Layers))
	for _, bad := range []string{`{"parts":[]}`, `{"parts":["wings"]}`, `{"parts":["belt"],"how":"loosely"}`, `{"parts":["belt"],"how":"joint","joint":"nobody"}`, `{"parts":["belt"],"how":"joint"}`} {
		_, _, err := studiotest.Try(s, "give_pieces", bad)
		require.True(t, studio.IsInput(err), "%s: %v", bad, err)
	}
}
