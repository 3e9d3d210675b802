package placement_test

import (
	"context"
	"strings"
	"testing"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

var ctx = context.Background()

// End joints come off and on again; what cannot be done says why.
func TestEndJointsComeAndGo(t *testing.T) {
	s := studiotest.Bound(t)
	n := len(s.Skeleton.Joints)
	without, told, err := studiotest.Try(s, "remove_ends", `{}`)
	require.NoError(t, err)
	require.Less(t, without.Skeleton.Index("hand_end_l"), 0)
	require.Contains(t, told.Sentence, "hand_end_l")
	sums(t, without)
	_, _, err = studiotest.Try(without, "remove_ends", `{}`)
	require.ErrorContains(t, err, "no end joint")
	one := studiotest.Do(t, without, "add_ends", `{"joints":["hand_l"]}`)
	require.Len(t, one.Skeleton.Joints, len(without.Skeleton.Joints)+1)
	k := one.Skeleton.Index("hand_end_l")
	require.Equal(t, "hand_l", one.Skeleton.Joints[one.Skeleton.Joints[k].Parent].Name)
	all := studiotest.Do(t, one, "add_ends", `{}`)
	require.Len(t, all.Skeleton.Joints, n, "as many as there were")
	_, _, err = studiotest.Try(all, "add_ends", `{}`)
	require.ErrorContains(t, err, "already")
	_, _, err = studiotest.Try(studio.State{}, "add_ends", `{}`)
	require.ErrorContains(t, err, "no skeleton yet")
}

// Two skeletons become one, and the finding that asked for it is gone.
func TestTwoSkeletonsAreJoined(t *testing.T) {
	s := studiotest.Bound(t)
	two := studiotest.Do(t, s, "draw_chain", `{"name":"prop","places":[[0.5,0.2,0],[0.5,0.4,0],[0.5,0.6,0]],"end":true}`)
	_, x, c := studiotest.Begun(t, two)
	head, err := x.Revision(ctx, c.Head)
	require.NoError(t, err)
	several := 0
	for _, f := range studiotest.Findings(t, x, head, "placement") {
		if f.Code == "several_roots" {
			several++
			require.Equal(t, "There are 2 skeletons", f.Title)
			joined := studiotest.Do(t, two, f.Remedies[0].Op, string(f.Remedies[0].Params))
			k := joined.Skeleton.Index("prop_1")
			require.Equal(t, "hips", joined.Skeleton.Joints[joined.Skeleton.Joints[k].Parent].Name)
			require.Equal(t, studiotest.At(t, two, "prop_1"), studiotest.At(t, joined, "prop_1"))
			_, _, err := studiotest.Try(joined, "one_root", `{"joint":"hips"}`)
			require.ErrorContains(t, err, "only root already")
		}
	}
	require.Equal(t, 1, several)
	_, _, err = studiotest.Try(two, "one_root", `{"joint":"head"}`)
	require.ErrorContains(t, err, "head is not a root")
	_, _, err = studiotest.Try(two, "one_root", `{"joint":"nobody"}`)
	require.ErrorContains(t, err, "nobody")
}

// Names get the marks of the side that the joints lie on, weights included.
func TestSidesAreMarkedByPlace(t *testing.T) {
	s := studiotest.Bound(t)
	plain := studiotest.Do(t, s, "rename_joints", `{"names":{"hand_l":"paw","hand_r":"mitten","head":"head_l"}}`)
	marked, told, err := studiotest.Try(plain, "mark_sides", `{"tolerance":0.01}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "3 joints")
	for _, name := range []string{"paw_l", "mitten_r", "head"} {
		require.GreaterOrEqual(t, marked.Skeleton.Index(name), 0, name)
	}
	require.Contains(t, marked.Weights.Joints, "paw_l")
	sums(t, marked)
	_, _, err = studiotest.Try(marked, "mark_sides", `{"tolerance":0.01}`)
	require.ErrorContains(t, err, "already")
	_, _, err = studiotest.Try(marked, "mark_sides", `{"tolerance":-1}`)
	require.ErrorContains(t, err, "Tolerance must be at least 0 m")
}

// Parts are separated, named, joined, hidden and left out of the bind.
func TestPartsAreNamedJoinedAndLeftOut(t *testing.T) {
	m, sk := demo.Bram(0.03)
	s := studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()}
	apart, told, err := studiotest.Try(s, "separate_pieces", `{}`)
	require.NoError(t, err)
	require.Greater(t, len(apart.Mesh.Parts), len(s.Mesh.Parts))
	require.Contains(t, told.Sentence, "Separated")
	_, _, err = studiotest.Try(apart, "separate_pieces", `{}`)
	require.ErrorContains(t, err, "one piece already")
	a, b := apart.Mesh.Parts[0].Name, apart.Mesh.Parts[1].Name
	joined := studiotest.Do(t, apart, "join_parts", studiotest.Encoded(t, map[string]any{"parts": []string{a, b}, "name": "both"}))
	require.Len(t, joined.Mesh.Parts, len(apart.Mesh.Parts)-1)
	named := studiotest.Do(t, joined, "rename_part", `{"part":"both","name":"mantle"}`)
	_, err = named.Mesh.FindPart("mantle")
	require.NoError(t, err)
	require.Equal(t, len(m.Points), len(named.Mesh.Points), "no vertex is lost")
	require.Equal(t, m.Faces(), named.Mesh.Faces())

	last := named.Mesh.Parts[len(named.Mesh.Parts)-1].Name
	tied := studiotest.Do(t, named, "bind_heat", `{}`)
	out := studiotest.Do(t, tied, "mark_parts", studiotest.Encoded(t, map[string]any{"parts": []string{last}, "out": true, "hidden": true}))
	i, err := out.Mesh.FindPart(last)
	require.NoError(t, err)
	require.True(t, out.Mesh.Parts[i].Out && out.Mesh.Parts[i].Hidden)
	_, left := out.Mesh.Bindable()
	for v, gone := range left {
		if gone {
			require.Empty(t, out.Weights.Of[v])
		}
	}
	require.False(t, named.Mesh.Parts[i].Out, "the state before is left alone")
	var all []string
	for _, p := range named.Mesh.Parts {
		all = append(all, p.Name)
	}
	for want, call := range map[string][2]string{
		"at least one part has to stay": {"mark_parts", studiotest.Encoded(t, map[string]any{"parts": all, "out": true})},
		"select at least one part":      {"mark_parts", `{"parts":[]}`},
		"nothing":                       {"rename_part", `{"part":"nothing","name":"x"}`},
	} {
		_, _, err := studiotest.Try(named, call[0], call[1])
		require.ErrorContains(t, err, want)
	}
}

// Laying a starter over joints hands the weights of those that have no counterpart
// to their ancestors, and a motion stays with the joints that take their place.
func TestLayingOverKeepsWeightsAndMotion(t *testing.T) {
	s := studiotest.Bound(t)
	more := studiotest.Do(t, s, "insert_joints", `{"joints":["forearm_l"],"count":1}`)
	mid := ""
	for _, j := range more.Skeleton.Joints {
		if strings.Contains(j.Name, "_mid_") {
			mid = j.Name
		}
	}
	require.NotEmpty(t, mid)
	more = studiotest.Do(t, more, "bind_heat", `{}`)
	more.Clips = []*pose.Clip{
		{Name: "turn", Step: 0.1, Joints: []string{mid}, Root: make([]r3.Vec, 1), Turns: [][]quat.Number{{pose.Turn(0, 0, 40)}}},
	}
	names := map[string]string{}
	kind := skeleton.Kinds[0].Default
	starter, err := kind.Build()
	require.NoError(t, err)
	for _, j := range starter.Joints {
		if more.Skeleton.Index(j.Name) >= 0 {
			names[j.Name] = j.Name
		}
	}
	laid := studiotest.Do(t, more, "snap_starter", studiotest.Encoded(t, map[string]any{"starter": "biped", "names": names}))
	require.Less(t, laid.Skeleton.Index(mid), 0)
	require.NotContains(t, laid.Weights.Joints, mid)
	sums(t, laid)
	lost := 0
	for v, list := range more.Weights.Of {
		if len(list) > 0 && len(laid.Weights.Of[v]) == 0 {
			lost++
		}
	}
	require.Zero(t, lost)
	require.NotContains(t, laid.Clips[0].Joints, mid)
	p, _ := laid.Clips[0].AboutOwn(laid.Skeleton).At(0)
	world := pose.World(laid.Skeleton, p)
	hand := world[laid.Skeleton.Index("hand_l")].Point(r3.Vec{})
	require.Greater(t, r3.Norm(r3.Sub(hand, studiotest.At(t, laid, "hand_l"))), 0.05, "the forearm turns instead")
}
