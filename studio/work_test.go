package studio_test

import (
	"bytes"
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

var ctx = context.Background()

func states(t *testing.T, x *studio.Studio, r studio.Revision) map[string]string {
	t.Helper()
	review, err := x.Review(ctx, r)
	require.NoError(t, err)
	out := map[string]string{}
	for _, s := range review.Stages {
		out[s.Name] = s.State
	}
	return out
}

// Through the whole store and back at each step, the stages clear one by one.
func TestStagesClearAsTheWorkGoesOn(t *testing.T) {
	need.Time(t)
	m, x, c := studiotest.Begun(t, studiotest.Odile())
	r := m.Past[0]
	require.Equal(
		t,
		map[string]string{
			"intake":    "clear",
			"placement": "untouched",
			"axes":      "untouched",
			"bindpose":  "untouched",
			"bind":      "untouched",
			"weights":   "untouched",
			"motion":    "untouched",
			"shapes":    "untouched",
			"handoff":   "untouched",
		},
		states(t, x, r),
	)
	do := func(op, params string) {
		t.Helper()
		var err error
		r, _, err = x.Do(ctx, c.ID, m.Head(), op, json.RawMessage(params), "tester")
		require.NoError(t, err)
		x = studio.New(m, reading.Default) // nothing from a cache
	}
	do("fit_starter", "")
	require.Equal(t, "findings", states(t, x, r)["axes"], "a fresh fit has no axes yet")
	unset := studiotest.Findings(t, x, r, "axes")[0]
	do(unset.Remedies[0].Op, string(unset.Remedies[0].Params)) // a remedy is ready to be applied
	require.Equal(t, "clear", states(t, x, r)["axes"])
	do("bind_heat", "")
	require.Equal(t, "untouched", states(t, x, r)["motion"], "a tick is for what was measured")
	do("check_motion", `{"steps":1}`)
	for stage, state := range states(t, x, r) {
		if stage == "motion" || stage == "handoff" { // a coarse body bends as it can
			require.Contains(t, []string{"clear", "findings"}, state, stage)
			continue
		}
		if stage == "shapes" { // which needs none
			require.Equal(t, "untouched", state)
			continue
		}
		require.Equal(t, "clear", state, stage)
	}
	do("move_joint", `{"joint":"forearm_l","to":[0.45,1.1,0.05],"branch":false,"both":true}`)
	moved := studiotest.Findings(t, x, r, "bind")
	require.Equal(t, "moved_since_bind", moved[0].Code)
	require.Equal(t, 2, moved[0].Count)
	require.Equal(t, "findings", states(t, x, r)["handoff"], "open findings go along with the file")
	do(moved[0].Remedies[0].Op, string(moved[0].Remedies[0].Params))
	for _, f := range studiotest.Findings(t, x, r, "bind") {
		require.Equal(t, "cap_cost", f.Code, "a note on the new bind is all that is left")
	}
}

func TestAWorkBecomesAJobAndEndsWithItsReason(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Odile())
	x.Queued()
	_, w, err := x.Do(ctx, c.ID, c.Head, "fit_starter", nil, "tester")
	require.NoError(t, err)
	require.Contains(t, m.Works, w.ID)
	require.Equal(t, studio.WorkQueued, w.State)
	require.Len(t, m.Past, 1, "nothing has happened yet")
	require.NoError(t, x.Run(ctx, w.ID))
	require.Len(t, m.Past, 2)

	m.Works["bad"] = studio.Work{ID: "bad", Character: c.ID, Base: 2, Op: "bind_heat", Params: json.RawMessage(`{"influences":99}`)}
	require.NoError(t, x.Run(ctx, "bad"))
	require.Equal(t, studio.WorkFailed, m.Works["bad"].State)
	require.Contains(t, m.Works["bad"].Message, "1 to 16")
	m.Works["odd"] = studio.Work{ID: "odd", Character: c.ID, Base: 2, Op: "no_such"}
	require.NoError(t, x.Run(ctx, "odd"))
	require.Equal(t, studio.WorkFailed, m.Works["odd"].State)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	m.Works["off"] = studio.Work{ID: "off", Character: c.ID, Base: 2, Op: "bind_heat"}
	require.ErrorIs(t, x.Run(gone, "off"), studio.ErrGivenBack, "the process stops, nobody cancelled it")
	require.Equal(t, studio.WorkQueued, m.Works["off"].State)
	require.Len(t, m.Past, 2)
}

func TestRenamingStoresOnlyWhatItTouches(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Bound(t))
	before := m.Past[0].Parts
	r, _, err := x.Do(ctx, c.ID, c.Head, "rename_joint", json.RawMessage(`{"joint":"shank_l","name":"calf_l"}`), "tester")
	require.NoError(t, err)
	require.Equal(t, before["weights/shank_l"], r.Parts["weights/calf_l"], "the same column under another name")
	changed := 0
	for name, h := range r.Parts {
		if before[name] != h && before["weights/shank_l"] != h {
			changed++
		}
	}
	require.Equal(t, 5, changed) // skeleton, fit, account of the bind, bind pose, list of weights
	require.NotEqual(t, before.Key("weights"), r.Parts.Key("weights"))
	require.Equal(t, before.Key("mesh", "parts"), r.Parts.Key("mesh", "parts"))
	require.Equal(t, before.Columns()["shank_l"], r.Parts.Columns()["calf_l"])
}

func TestDamagedPartsAreToldNotServed(t *testing.T) {
	m, _, _ := studiotest.Begun(t, studiotest.Bound(t))
	r := m.Past[0]
	for _, name := range []string{"mesh", "skeleton", "weights/hips", "bind"} {
		kept := m.Blob[r.Parts[name]]
		for _, bad := range [][]byte{kept[:len(kept)/2], {}, []byte("WMB1\xff\xff\xff\xff"), bytes.Repeat([]byte{0xff}, 40)} {
			m.Blob[r.Parts[name]] = bad
			_, err := studio.New(m, reading.Default).Load(ctx, r)
			require.Error(t, err, name)
		}
		m.Blob[r.Parts[name]] = kept
	}
	delete(m.Blob, r.Parts["fit"])
	_, err := studio.New(m, reading.Default).Load(ctx, r)
	require.ErrorContains(t, err, "reading the fit: its data is missing")
	require.NotErrorIs(t, err, studio.ErrNotFound, "the revision is there; its data is damaged")
}
