package studio_test

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"testing"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// A state of every part, from the store, is the one that the operation left: what is
// computed next does not depend on whether it was read again in between.
func TestEveryPartComesBackAsItWasLeft(t *testing.T) {
	need.Time(t)
	s := studiotest.Bound(t)
	row := make([]quat.Number, len(s.Skeleton.Joints))
	c := &pose.Clip{Name: "nod", Step: 0.1, Root: []r3.Vec{{X: 0.1}}}
	for i, j := range s.Skeleton.Joints {
		row[i] = pose.Turn(1.1, 2.2, 3.3)
		c.Joints = append(c.Joints, j.Name)
	}
	c.Turns = append(c.Turns, row)
	s.Clips = []*pose.Clip{c}
	s = studiotest.Do(t, s, "keep_result", `{"name":"first/of its kind"}`)
	m, x, ch := studiotest.Begun(t, s)
	for _, step := range [][2]string{
		{"save_pose", `{"name":"wave","turns":{"forearm_l":[0,0.31,0.1,0.9]},"move":[0,0.1,0]}`},
		{"check_motion", `{"steps":1,"joints":["forearm_l","shank_l"]}`},
		{"move_joint", `{"joint":"forearm_l","to":[0.4123456789,1.1,0.05]}`},
		{"mark_parts", `{"parts":["hat"],"hidden":true}`},
		{"rename_joint", `{"joint":"shank_l","name":"calf_l"}`},
		{"bake_transform", `{"scale":0.3333333,"up":"z","turn":33,"stand":true}`},
		{"triangulate", `{"which":"polygons"}`},
		{"bind_heat", `{"influences":2}`},
		{"take_result", `{"name":"first/of its kind"}`},
		{"remove_joints", `{"joints":["hand_r"]}`},
	} {
		r, _, err := x.Do(context.Background(), ch.ID, m.Head(), step[0], json.RawMessage(step[1]), "tester")
		require.NoError(t, err, step[0])
		kept, err := x.Load(context.Background(), r)
		require.NoError(t, err)
		fresh, err := studio.New(m, reading.Default).Load(context.Background(), r)
		require.NoError(t, err)
		require.Equal(t, fresh, kept, step[0])
	}
	now, err := x.Load(context.Background(), m.Past[m.Head()-1])
	require.NoError(t, err)
	require.Contains(t, now.Kept[0].Weights.Joints, "calf_l", "a kept result follows names")
	require.True(t, now.Sheet.Stale, "a sheet is of before what changed")
	require.Equal(t, []string{"forearm_l"}, now.Poses[0].Joints)
	require.NotContains(t, now.Kept[0].Weights.Joints, "hand_r", "and joints that are removed")
	require.Equal(t, len(now.Mesh.Points), len(now.Kept[0].Weights.Of))
}

// Results of before there were several methods are read as those of a heat bind.
func TestEarlierRecordsOfABindAreRead(t *testing.T) {
	var r studio.Result
	require.NoError(
		t,
		json.Unmarshal(
			[]byte(
				`{"report":{"method":"heat","milliseconds":{"total":12}},"stray":[4],"skeleton":null,"options":{"influences":3,"trace":0.01,"heat":2}}`,
			),
			&r,
		),
	)
	require.Equal(t, "bind_heat", r.Operation)
	require.Equal(t, 3, r.Influences())
	require.Equal(t, 0.01, r.Limits.Trace)
	require.Equal(t, 2.0, r.Number("heat"))
	require.Equal(t, []int32{4}, r.Report.Stray)
	_, _, err := studio.ParseOperation(r.Operation, r.Parameters)
	require.NoError(t, err, "it can be done again")
}

// Two equal binds give the same bytes.
func TestEqualBindsGiveEqualParts(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Bound(t))
	a, _, err := x.Do(context.Background(), c.ID, m.Head(), "bind_heat", json.RawMessage(`{"influences":3}`), "tester")
	require.NoError(t, err)
	b, _, err := x.Do(context.Background(), c.ID, m.Head(), "bind_heat", json.RawMessage(`{"influences":3}`), "tester")
	require.NoError(t, err)
	require.Equal(t, a.Parts, b.Parts)
}

// What could not be opened again is refused before it is stored.
func TestNothingIsStoredThatCannotBeOpened(t *testing.T) {
	s := studiotest.Bound(t)
	m, x, c := studiotest.Begun(t, s)
	for _, step := range [][3]string{
		{"move_joint", `{"joint":"hips","to":[1e300,0,0]}`, "is not a valid position"},
		{"place_joints", `{"places":[{"joint":"hips","to":[0,0,1e7]}]}`, "1e+07 is not a valid position"},
		{"draw_chain", `{"places":[[0,0,0],[0,1e299,0]]}`, "is not a valid position"},
		{"centre_along", `{"joint":"hips","from":[0,0,0],"way":[1e200,0,0]}`, "is not a valid position"},
		{"duplicate_branch", `{"joint":"hips","by":[-1e300,0,0]}`, "is not a valid position"},
		{"fit_starter", `{"starter":"biped","shown":{"hand_l":[1e301,0,0]}}`, "is not a valid position"},
		{"rename_joint", `{"joint":"hips","name":"hi\u0000ps"}`, "is not a valid joint name"},
		{"rename_part", `{"part":"hat","name":"h\u0000t"}`, "an invisible character"},
		{"keep_result", `{"name":"a\u0000b"}`, "an invisible character"},
		{"stretch_chain", `{"joint":"hips","factor":100}`, "from the origin"},
	} {
		var err error
		for range 6 { // a chain is stretched again and again
			if _, _, err = x.Do(context.Background(), c.ID, m.Head(), step[0], json.RawMessage(step[1]), "tester"); err != nil {
				break
			}
		}
		require.True(t, studio.IsInput(err), "%s: %v", step[0], err)
		require.ErrorContains(t, err, step[2])
	}

	// More joints than there may be.
	s.Weights, s.Bind = nil, nil
	for len(s.Skeleton.Joints) < studio.MaxJoints/2+1 {
		s = studiotest.Do(t, s, "duplicate_branch", `{"joint":"hips"}`)
	}
	s = studiotest.Do(t, s, "one_root", `{"joint":"hips"}`)
	big, y, ch := studiotest.Begun(t, s)
	_, _, err := y.Do(context.Background(), ch.ID, big.Head(), "duplicate_branch", json.RawMessage(`{"joint":"hips"}`), "tester")
	require.ErrorContains(t, err, "4000 are allowed")
	require.True(t, studio.IsInput(err))
}

// A panic in an operation is an error of it alone.
func TestAPanicInAnOperationIsAnError(t *testing.T) {
	_, _, err := studio.Apply(context.Background(), studio.Entry{Label: "Fall"}, falls{}, studio.State{}, nil)
	var broken *studio.BrokenError
	require.ErrorAs(t, err, &broken)
	require.ErrorContains(t, err, "fall failed because of a bug")
	require.Contains(t, broken.Stack, "falls")
}

type falls struct{}

// Apply implements studio.Operation.
func (falls) Apply(context.Context, studio.State, studio.Progress) (studio.State, studio.Outcome, error) {
	var none *studio.State
	return *none, studio.Outcome{}, nil
}

// slow is a store whose blobs come when they are let.
type slow struct {
	*studiotest.Memory
	let  chan struct{}
	came chan struct{}
}

func (s *slow) Blobs(ctx context.Context, hashes []string) (map[string][]byte, error) {
	s.came <- struct{}{}
	select {
	case <-s.let:
		return s.Memory.Blobs(ctx, hashes)
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Two who want the same wait for one reading of it; that the first goes away is nothing
// to the second.
func TestAClosedTabFailsNobodyElse(t *testing.T) {
	m, _, _ := studiotest.Begun(t, studiotest.Odile())
	s := &slow{m, make(chan struct{}), make(chan struct{}, 2)}
	x := studio.New(s, reading.Default)
	gone, leave := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	var first, second error
	wg.Go(func() { _, first = x.Load(gone, m.Past[0]) })
	<-s.came // it is being read for the first
	wg.Go(func() { _, second = x.Load(context.Background(), m.Past[0]) })
	leave()
	close(s.let)
	wg.Wait()
	if first != nil {
		require.ErrorIs(t, first, context.Canceled)
	}
	require.NoError(t, second)
}

// A moved joint does not check mesh, axes' neighbours or weights again: findings are
// cached by the parts that a stage reads.
func TestFindingsAreCachedByWhatTheyRead(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Bound(t))
	before, err := x.Review(context.Background(), m.Past[0])
	require.NoError(t, err)
	calls := map[string]int{}
	for _, st := range studio.Stages() {
		require.NotNil(t, st.Find)
		calls[st.Name] = 0
	}
	r, _, err := x.Do(
		context.Background(),
		c.ID,
		m.Head(),
		"move_joint",
		json.RawMessage(`{"joint":"forearm_l","to":[0.45,1.1,0.05]}`),
		"tester",
	)
	require.NoError(t, err)
	after, err := x.Review(context.Background(), r)
	require.NoError(t, err)
	same := func(stage string) bool {
		a, b := before.Stage(stage).Findings, after.Stage(stage).Findings
		return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
	}
	require.True(t, same("intake"))
	require.False(t, same("bind"), "the joint moved since the bind")
}

// The age of a bind counts joints that moved, turned, hang elsewhere or came.
func TestTheAgeOfABind(t *testing.T) {
	s := studiotest.Bound(t)
	codes := func(s studio.State) (out []string) {
		for _, f := range studio.CheckOnly(&s, "bind") {
			if f.Code == "cap_cost" {
				continue // what the bind itself cost has no age
			}
			out = append(out, f.Code)
			require.NotEmpty(t, f.Where.Joints, f.Code)
		}
		return out
	}
	require.Empty(t, codes(s))
	require.Equal(
		t,
		[]string{"moved_since_bind"},
		codes(studiotest.Do(t, s, "move_joint", `{"joint":"hand_l","to":[0.7,1.1,0.05],"branch":false}`)),
	)
	require.Equal(t, []string{"turned_since_bind"}, codes(studiotest.Do(t, s, "set_axes", `{"aim":"x","bend":"z"}`)))
	require.Equal(
		t,
		[]string{"hung_since_bind"},
		codes(studiotest.Do(t, s, "reparent_joint", `{"joints":["hand_l"],"parent":"upper_arm_l"}`)),
	)
	require.Equal(t, []string{"added_since_bind"}, codes(studiotest.Do(t, s, "duplicate_branch", `{"joint":"hand_l"}`)))
	small := studiotest.Do(t, s, "bake_transform", `{"scale":0.001}`)
	require.Empty(t, codes(small), "brought elsewhere as a whole, nothing moved")
	moved := studiotest.Do(t, small, "move_joint", `{"joint":"hand_l","to":[0.0007,0.0011,0.00005],"branch":false}`)
	require.Equal(t, []string{"moved_since_bind"}, codes(moved), "also on a character of a millimetre")
	require.Equal(t, finding.Harms, studio.CheckOnly(&moved, "bind")[0].Severity)
}

// Steps of one gesture are one revision; others are not.
func TestAGestureIsOneRevision(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Bound(t))
	do := func(op, params, who string) studio.Revision {
		t.Helper()
		r, _, err := x.Do(context.Background(), c.ID, m.Head(), op, json.RawMessage(params), who)
		require.NoError(t, err)
		return r
	}
	nudge := func(x float64, who string) studio.Revision {
		return do("move_joint", fmt.Sprintf(`{"joint":"hand_l","to":[%g,1.1,0.05]}`, x), who)
	}
	first, second, third := nudge(0.70, "a"), nudge(0.71, "a"), nudge(0.72, "a")
	require.Equal(t, []int64{1, 1, 1}, []int64{first.Parent, second.Parent, third.Parent})
	require.Equal(t, third.ID, nudge(0.73, "b").Parent, "another hand")
	other := do("move_joint", `{"joint":"hand_r","to":[-0.7,1.1,0.05]}`, "b")
	require.NotEqual(t, int64(1), other.Parent, "another joint")
	// As if all had been done in one go.
	one, y, d := studiotest.Begun(t, studiotest.Bound(t))
	r, _, err := y.Do(context.Background(), d.ID, one.Head(), "move_joint", json.RawMessage(`{"joint":"hand_l","to":[0.72,1.1,0.05]}`), "a")
	require.NoError(t, err)
	a, err := x.Load(context.Background(), third)
	require.NoError(t, err)
	b, err := y.Load(context.Background(), r)
	require.NoError(t, err)
	for i := range a.Skeleton.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(a.Skeleton.Joints[i].Pos, b.Skeleton.Joints[i].Pos)), 1e-12)
	}
	old := m.Past[third.ID-1]
	old.Time = old.Time.Add(-10 * time.Second)
	m.Past[third.ID-1] = old
	m.All["one"] = studio.Character{ID: "one", Head: third.ID}
	x = studio.New(m, reading.Default) // who read it before knows it as it was
	require.Equal(t, third.ID, nudge(0.74, "a").Parent, "too late")
}

// A part that an earlier version did not have, and that is made as a character is read, is
// stored with the next change.
func TestAPartMadeAsItIsReadIsStored(t *testing.T) {
	m, _, c := studiotest.Begun(t, studiotest.Bound(t))
	delete(m.Past[0].Parts, "binding")
	x := studio.New(m, reading.Default)
	r, _, err := x.Do(
		context.Background(),
		c.ID,
		c.Head,
		"move_joint",
		json.RawMessage(`{"joint":"forearm_l","to":[0.5,1.2,0.1],"branch":true,"both":false}`),
		"tester",
	)
	require.NoError(t, err)
	require.NotEmpty(t, r.Parts["binding"])
	s, err := studio.New(m, reading.Default).Load(context.Background(), r)
	require.NoError(t, err)
	require.Len(t, s.AwayFrom(0), 3, "the bind pose is where it was")
}
