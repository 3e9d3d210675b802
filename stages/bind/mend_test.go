package bind_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

func layered(t *testing.T) studio.State {
	t.Helper()
	m, sk := demo.Bram(0.03)
	return studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()}
}

// A bind by heat alone leaves Bram's loose pieces bare; the ladder mends it, says what each
// step was worth, and has nothing more to do afterwards.
func TestTheLadderMendsABindAndSaysHow(t *testing.T) {
	s := studiotest.Do(t, layered(t), "bind_heat", "")
	require.NotEmpty(t, s.Stray())
	mended, told, err := studiotest.Try(s, "mend_bind", "")
	require.NoError(t, err)
	require.Empty(t, mended.Stray())
	require.Contains(t, told.Steps[0], "Before")
	require.Contains(t, strings.Join(told.Steps, "\n"), "Used: unweighted pieces follow")
	_, _, err = studiotest.Try(mended, "mend_bind", "")
	require.True(t, studio.IsInput(err))
	require.ErrorContains(t, err, "nothing to repair")
	_, _, err = studiotest.Try(s, "mend_bind", `{"steps":["prayer"]}`)
	require.True(t, studio.IsInput(err))

	part := ""
	for f := range s.Mesh.Faces() {
		if s.Mesh.Face(f)[0] == s.Stray()[0] {
			part = s.Mesh.Parts[s.Mesh.PartOf(f)].Name
		}
	}
	one, _, err := studiotest.Try(s, "mend_bind", fmt.Sprintf(`{"parts":[%q],"steps":["beneath"]}`, part))
	require.NoError(t, err)
	require.Less(t, len(one.Stray()), len(s.Stray()))
	require.NotEmpty(t, one.Stray())
	for v := range s.Weights.Of {
		if len(s.Weights.Of[v]) > 0 {
			require.Equal(t, s.Weights.Of[v], one.Weights.Of[v])
		}
	}
}

// Stopped on its way, the ladder ends with the best that it has, and says where; stopped before a
// step was better it changes nothing.
func TestTheLadderIsStoppedAndKeepsWhatItHas(t *testing.T) {
	s := studiotest.Do(t, layered(t), "bind_heat", "")
	w := s.Weights.Handed(nil, map[string]string{"forearm_l": "upper_arm_l"})
	s.Weights = w
	record := *s.Bind
	record.Report = *bind.Account(s.Mesh, s.Skeleton, w, bind.Evidence{})
	s.Bind = &record
	entry, op, err := studio.ParseOperation("mend_bind", nil)
	require.NoError(t, err)
	require.True(t, entry.Keeps)
	for _, at := range []string{"Trying: joints that lead nothing", "Joints that lead nothing"} {
		enough := make(chan struct{})
		end := sync.OnceFunc(func() { close(enough) })
		mended, told, err := studio.Apply(studio.WithEarlyStop(context.Background(), enough), entry, op, s, func(what string, _ float64) {
			if strings.HasPrefix(strings.ToLower(what), strings.ToLower(at)) {
				end()
			}
		})
		require.NoError(t, err)
		require.Less(t, len(mended.Stray()), len(s.Stray()))
		require.NotContains(t, mended.Weights.Joints, "forearm_l", "the second step was not taken")
		require.Contains(t, strings.Join(told.Steps, "\n"), "Stopped")
	}
	enough := make(chan struct{})
	close(enough)
	_, _, err = studio.Apply(studio.WithEarlyStop(context.Background(), enough), entry, op, s, nil)
	require.True(t, studio.IsInput(err))
	require.ErrorContains(t, err, "nothing was changed")
}

// Joints whose weights were taken away are found by a step of the ladder.
func TestTheLadderFindsLostJoints(t *testing.T) {
	s := studiotest.Do(t, layered(t), "bind_auto", "")
	w := s.Weights.Handed(nil, map[string]string{"forearm_l": "upper_arm_l"})
	s.Weights = w
	record := *s.Bind
	record.Report = *bind.Account(s.Mesh, s.Skeleton, w, bind.Evidence{})
	s.Bind = &record
	mended, told, err := studiotest.Try(s, "mend_bind", "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "joints that lead nothing 1 → 0")
	require.Contains(t, mended.Weights.Joints, "forearm_l")
}

// What a part is told to follow is kept to by every bind that comes later, and by the choice's
// joint when that is renamed or removed.
func TestWhatPartsFollowIsKeptAtTheNextBind(t *testing.T) {
	s := layered(t)
	s = studiotest.Do(t, s, "give_pieces", `{"parts":["belt"],"how":"joint","joint":"spine_1"}`)
	s = studiotest.Do(t, s, "give_pieces", `{"parts":["buckle"],"how":"follow"}`)
	in := func(part string) (out []int32) {
		i, err := s.Mesh.FindPart(part)
		require.NoError(t, err)
		for f := range s.Mesh.Faces() {
			if int(s.Mesh.PartOf(f)) == i {
				out = append(out, s.Mesh.Face(f)...)
			}
		}
		return out
	}
	leads := func(s studio.State, joint string) bool {
		for _, v := range in("belt") {
			list := s.Weights.Of[v]
			if len(list) != 1 || s.Weights.Joints[list[0].Joint] != joint {
				return false
			}
		}
		return true
	}
	for _, op := range []string{"bind_auto", "bind_heat", "bind_volume", "bind_near", "bind_capsules", "bind_shell", "bind_rigid"} {
		bound := studiotest.Do(t, s, op, "")
		require.True(t, leads(bound, "spine_1"), op)
		require.NoError(t, bound.Weights.Validate(), op)
		apart := map[string]bool{}
		for _, v := range in("buckle") {
			key, _ := json.Marshal(bound.Weights.Of[v])
			apart[string(key)] = true
			require.NotEmpty(t, bound.Weights.Of[v], op)
		}
		if op == "bind_auto" {
			require.Greater(t, len(apart), 1, "the buckle follows the surface")
		}
	}
	bound := studiotest.Do(t, studiotest.Do(t, s, "rename_joint", `{"joint":"spine_1","name":"waist"}`), "bind_auto", "")
	require.True(t, leads(bound, "waist"))
	free := studiotest.Do(t, studiotest.Do(t, s, "give_pieces", `{"parts":["belt"],"how":"auto"}`), "bind_auto", "")
	require.False(t, leads(free, "spine_1"))
	names := make([]string, len(s.Mesh.Parts))
	for i, p := range s.Mesh.Parts {
		names[i] = p.Name
	}
	all, _ := json.Marshal(map[string]any{"parts": names, "how": "follow"})
	_, _, err := studiotest.Try(s, "give_pieces", string(all))
	require.True(t, studio.IsInput(err), "nothing would be left to follow")
}

// Chosen parts get one shell, and nothing else changes.
func TestAShellAroundChosenParts(t *testing.T) {
	s := studiotest.Do(t, layered(t), "bind_auto", "")
	var names []string
	for _, p := range s.Mesh.Parts {
		if strings.Contains(p.Name, "button") || strings.Contains(p.Name, "lantern") {
			names = append(names, p.Name)
		}
	}
	require.NotEmpty(t, names)
	params, _ := json.Marshal(map[string]any{"parts": names, "influences": 4, "trace": 0.001, "cubes": 48})
	out := studiotest.Do(t, s, "bind_shell", string(params))
	require.NoError(t, out.Weights.Validate())
	chosen := map[int32]bool{}
	for f := range s.Mesh.Faces() {
		for _, n := range names {
			if s.Mesh.Parts[s.Mesh.PartOf(f)].Name == n {
				for _, v := range s.Mesh.Face(f) {
					chosen[v] = true
				}
			}
		}
	}
	changed := 0
	for v := range s.Weights.Of {
		same := equal(s.Weights, out.Weights, v)
		if chosen[int32(v)] && !same {
			changed++
		}
		require.True(t, chosen[int32(v)] || same)
	}
	require.Positive(t, changed)
}

func equal(a, b *weights.Weights, v int) bool {
	if len(a.Of[v]) != len(b.Of[v]) {
		return false
	}
	for k, x := range a.Of[v] {
		y := b.Of[v][k]
		if a.Joints[x.Joint] != b.Joints[y.Joint] || x.Value != y.Value {
			return false
		}
	}
	return true
}

// Capsules are sized, set for both sides, mirrored, bound by, and stored.
func TestCapsulesAreEditedAndBoundBy(t *testing.T) {
	s := layered(t)
	bound := studiotest.Do(t, s, "bind_capsules", "")
	require.NotNil(t, bound.Capsules, "they were sized")
	require.NoError(t, bound.Weights.Validate())
	s = studiotest.Do(t, s, "size_capsules", "")
	require.Equal(t, bound.Capsules, s.Capsules)
	set := studiotest.Do(
		t,
		s,
		"set_capsule",
		`{"joint":"forearm_l","child":"hand_l","stops":[{"at":0,"inner":0.05,"outer":0.09},{"at":1,"inner":0.04,"outer":0.08}],"both":true}`,
	)
	for _, side := range []string{"_l", "_r"} {
		require.Equal(t, 0.05, set.Capsules.Of[set.Capsules.Find("forearm"+side, "hand"+side)].Stops[0].Inner)
	}
	one := studiotest.Do(t, set, "set_capsule", `{"joint":"forearm_l","child":"hand_l","stops":[{"at":0,"inner":0.01,"outer":0.03}]}`)
	require.Equal(t, 0.05, one.Capsules.Of[one.Capsules.Find("forearm_r", "hand_r")].Stops[0].Inner)
	one = studiotest.Do(t, one, "mirror_capsules", `{"from":"left"}`)
	require.Equal(t, 0.01, one.Capsules.Of[one.Capsules.Find("forearm_r", "hand_r")].Stops[0].Inner)
	again := studiotest.Do(t, one, "size_capsules", `{"joints":["forearm_r"]}`)
	require.Equal(t, 0.01, again.Capsules.Of[again.Capsules.Find("forearm_l", "hand_l")].Stops[0].Inner)
	require.NotEqual(t, 0.01, again.Capsules.Of[again.Capsules.Find("forearm_r", "hand_r")].Stops[0].Inner)
	renamed := studiotest.Do(t, again, "rename_joint", `{"joint":"forearm_l","name":"lower_arm_l"}`)
	require.GreaterOrEqual(t, renamed.Capsules.Find("lower_arm_l", "hand_l"), 0)
	for _, bad := range []string{`{"joint":"nobody","stops":[{"outer":1}]}`, `{"joint":"forearm_l","child":"hips","stops":[{"outer":1}]}`, `{"joint":"forearm_l","child":"hand_l","stops":[]}`, `{"joint":"forearm_l","child":"hand_l","stops":[{"inner":2,"outer":1}]}`} {
		_, _, err := studiotest.Try(s, "set_capsule", bad)
		require.True(t, studio.IsInput(err), bad)
	}
	_, _, err := studiotest.Try(s, "mirror_capsules", `{"from":"above"}`)
	require.True(t, studio.IsInput(err))
}
