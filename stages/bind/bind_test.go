package bind_test

import (
	"bytes"
	"context"
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/finding"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// bram is Bram bound by heat: his loose pieces have no weights.
func bram(t *testing.T) studio.State {
	t.Helper()
	m, sk := demo.Bram(0.03)
	return studiotest.Do(t, studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()}, "bind_heat", "")
}

// A character that came bound in a file has an account of its weights and is mended like
// one that was bound here.
func TestABoundFileIsAccountedForAndMended(t *testing.T) {
	s := bram(t)
	require.NotEmpty(t, s.Stray())
	bare := len(s.Stray())
	var glb bytes.Buffer
	require.NoError(t, handoff.Write(&glb, &s, "glb", handoff.Options{}))
	m := studiotest.NewMemory()
	x := studio.New(m, reading.Default)
	ctx := context.Background()
	c, err := intake.Bring(ctx, x, studio.Character{Production: "P"}, "tester", studio.Upload{Name: "bram.glb", Data: glb.Bytes()})
	require.NoError(t, err)
	in, err := x.Load(ctx, m.Past[0])
	require.NoError(t, err)
	require.NotNil(t, in.Bind)
	require.Equal(t, "import", in.Bind.Operation)
	states := map[bind.State]int{}
	for _, j := range in.Bind.Report.Joints {
		states[j.State]++
	}
	require.Greater(t, states[bind.Solved], 10)
	require.Equal(t, bram(t).Bind.Report.Joints[3].Vertices, in.Bind.Report.Joints[in.Skeleton.Index(s.Skeleton.Joints[3].Name)].Vertices)

	// The file gives vertices without weights to the root; taken away again they are as
	// bare as they were, and the remedy works without a bind of ours.
	w := *in.Weights
	w.Of = append(w.Of[:0:0], w.Of...)
	for _, v := range s.Stray() {
		w.Of[v] = nil
	}
	in.Weights = &w
	for _, record := range []*studio.Result{in.Bind, nil} {
		state := *in
		state.Bind = record
		state = state.Recounted()
		require.Len(t, state.Stray(), bare)
		out := studiotest.Do(t, state, "follow_beneath", `{"mode":"auto"}`)
		require.Empty(t, out.Stray())
		require.Zero(t, out.Bind.Report.Unweighted)
		require.NoError(t, out.Weights.Validate())
	}
	_ = c
}

// Results are kept beside each other under names, taken again and dropped.
func TestResultsAreKeptBesideEachOther(t *testing.T) {
	s := studiotest.Bound(t)
	kept := studiotest.Do(t, s, "keep_result", `{"name":"three"}`)
	one := studiotest.Do(t, kept, "bind_heat", `{"influences":1}`)
	require.Equal(t, 1, one.Bind.Influences())
	both := studiotest.Do(t, one, "keep_result", `{"name":"one"}`)
	require.Len(t, both.Kept, 2)
	back := studiotest.Do(t, both, "take_result", `{"name":"three"}`)
	require.Equal(t, s.Weights, back.Weights)
	require.Equal(t, 3, back.Bind.Influences())
	require.Len(t, back.Kept, 2, "it stays kept")
	again := studiotest.Do(t, both, "keep_result", `{"name":"three"}`)
	require.Len(t, again.Kept, 2, "one of that name is replaced")
	require.Equal(t, 1, again.Kept[0].Result.Influences())
	left := studiotest.Do(t, both, "drop_result", `{"name":"three"}`)
	require.Len(t, left.Kept, 1)

	part := studiotest.Do(t, both, "take_result", `{"name":"three","joints":["forearm_l"]}`)
	require.NoError(t, part.Weights.Validate())
	fore := int32(slices.Index(part.Weights.Joints, "forearm_l"))
	for v := range part.Weights.Of {
		if x := s.Weights.Value(v, fore); x > 0 {
			require.InDelta(t, x, part.Weights.Value(v, fore), 2e-3, "vertex %d: as three has it, to the trace limit", v)
		}
	}
	for _, c := range [][3]string{
		{"take_result", `{"name":"three","joints":["nobody"]}`, "nobody"},
		{"take_result", `{"name":"four"}`, "no result is kept as"},
		{"drop_result", `{"name":"four"}`, "no result is kept as"},
		{"keep_result", `{"name":" "}`, "needs a name"},
	} {
		_, _, err := studiotest.Try(both, c[0], c[1])
		require.ErrorContains(t, err, c[2])
	}
	// A result for joints that are gone, or another mesh, is not taken.
	other := both
	other.Kept = append([]studio.Kept(nil), both.Kept...)
	w := *other.Kept[0].Weights
	w.Joints = append([]string{"wing"}, w.Joints[1:]...)
	other.Kept[0].Weights = &w
	_, _, err := studiotest.Try(other, "take_result", `{"name":"three"}`)
	require.ErrorContains(t, err, "wing")
	other.Kept[0].Weights = weights.New(w.Joints, 3)
	_, _, err = studiotest.Try(other, "take_result", `{"name":"three"}`)
	require.ErrorContains(t, err, "mesh of 3 vertices")
}

// The limits of a bind hold: no vertex follows more joints, none by less than the trace.
func TestTheLimitsOfABindHold(t *testing.T) {
	for _, c := range []struct {
		params string
		cap    int
		trace  float64
	}{{`{"influences":16,"trace":0}`, 16, 0}, {`{"influences":8,"trace":0,"laplacian":"robust"}`, 8, 0}, {`{"influences":8,"trace":0.05}`, 8, 0.05}, {`{"influences":2,"trace":0.2}`, 2, 0.2}} {
		s := studiotest.Do(t, studiotest.Bound(t), "bind_heat", c.params)
		least, most := 1.0, 0
		for _, list := range s.Weights.Of {
			most = max(most, len(list))
			if len(list) > 1 {
				least = min(least, list[len(list)-1].Value)
			}
		}
		require.LessOrEqual(t, most, c.cap)
		require.GreaterOrEqual(t, least, c.trace)
		if c.trace == 0 {
			require.Less(t, least, 0.001, "without a trace limit there are traces")
			require.Greater(t, most, 4)
		}
	}
}

// A joint that was put outside the mesh moves nothing: its remedies are tried on copies, say
// what they did, and the one that is taken does what its trial said.
func TestJointsWithoutVerticesHaveRemediesThatWereTried(t *testing.T) {
	need.Time(t)
	s := studiotest.Do(
		t,
		studiotest.Do(t, studiotest.Odile(), "fit_starter", ""),
		"move_joint",
		`{"joint":"hand_l","to":[1.6,1.3,0.9],"branch":true}`,
	)
	s = studiotest.Do(t, s, "bind_heat", "")
	memory, x, _ := studiotest.Begun(t, s)
	r := memory.Past[0]
	list := studiotest.Findings(t, x, r, "bind")
	i := slices.IndexFunc(list, func(f finding.Finding) bool {
		return strings.HasPrefix(f.Code, "joint_") && slices.Contains(f.Where.Joints, "hand_l")
	})
	require.GreaterOrEqual(t, i, 0, "the hand leads nothing")
	tries, err := x.Tries(context.Background(), r, "bind")
	require.NoError(t, err)
	said := map[string]studio.Try{}
	for _, one := range tries {
		if one.Finding == i {
			said[list[i].Remedies[one.Remedy].Op] = one
		}
	}
	require.Len(t, said, 3)
	require.False(t, said["bind_auto"].Helps, "a joint far outside stays without a vertex by whatever method")
	for op, one := range said {
		if op == "bind_auto" {
			continue
		}
		require.True(t, one.Ran && one.Helps, "%s: %s", op, one.Said)
		require.Regexp(t, "resolved|→", one.Said, op)
	}
	for _, m := range list[i].Remedies {
		params, err := json.Marshal(m.Params)
		require.NoError(t, err)
		if m.Op == "bind_auto" {
			continue
		}
		after := studiotest.Do(t, s, m.Op, string(params))
		j := after.Bind.Report.Joints[after.Skeleton.Index("hand_l")]
		require.Contains(t, []bind.State{bind.Solved, bind.Idle}, j.State, m.Op)
		require.Empty(t, after.Stray())
	}
	again, err := x.Tries(context.Background(), r, "bind")
	require.NoError(t, err)
	require.Equal(t, tries, again)
}

// Joints that have no solution for one reason are one finding.
func TestJointsOfOneReasonAreToldOfTogether(t *testing.T) {
	r := bind.Report{Joints: []bind.JointReport{
		{Name: "a", State: bind.Unsolved, Nearest: 2, Reason: bind.ReasonHidden, Cause: "another surface is in the way"},
		{Name: "b", State: bind.Unsolved, Nearest: 9, Reason: bind.ReasonHidden, Cause: "a wall is between"},
		{Name: "c", State: bind.Unsolved, Outside: 0.8, Reason: bind.ReasonOutside, Cause: "80 % of its bone lies outside the mesh"},
		{Name: "d", State: bind.Weak, Peak: 0.4, Reason: bind.ReasonOutweighed, Cause: "outweighed"}}}
	list := r.Findings()
	require.Len(t, list, 3)
	require.Equal(t, "2 joints move nothing", list[0].Title)
	require.Contains(t, list[0].Why, "Cause for b: a wall is between")
	require.Equal(t, 2, list[0].Count)
	require.Equal(t, "c moves nothing", list[1].Title)
	require.Equal(t, "d leads no vertex", list[2].Title)
}

// A joint that hangs elsewhere since the bind is told of from what to what, with the way back.
func TestAReparentedJointHasAWayBack(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "reparent_joint", `{"joints":["hand_l"],"parent":"upper_arm_l"}`)
	memory, x, _ := studiotest.Begun(t, s)
	list := studiotest.Findings(t, x, memory.Past[0], "bind")
	i := slices.IndexFunc(list, func(f finding.Finding) bool { return f.Code == "hung_since_bind" })
	require.GreaterOrEqual(t, i, 0)
	require.Contains(t, list[i].Why, "hand_l: parent was forearm_l, is upper_arm_l")
	params := list[i].Remedies[0].Params
	back := studiotest.Do(t, s, list[i].Remedies[0].Op, string(params))
	memory, x, _ = studiotest.Begun(t, back)
	for _, f := range studiotest.Findings(t, x, memory.Past[0], "bind") {
		require.NotEqual(t, "hung_since_bind", f.Code)
	}
}
