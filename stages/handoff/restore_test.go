package handoff_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"wisemarrow/core/compare"
	"wisemarrow/core/profile"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Everything, or a part, comes back from an earlier revision, as a change that undo takes back.
func TestRestoreFromARevision(t *testing.T) {
	ctx := context.Background()
	_, x, c := studiotest.Begun(t, studiotest.Bound(t))
	head := c.Head
	do := func(op, params string) error {
		r, _, err := x.Do(ctx, c.ID, head, op, json.RawMessage(params), "Ada")
		if err == nil {
			head = r.ID
		}
		return err
	}
	state := func() *studio.State {
		_, _, s, err := x.Head(ctx, c.ID)
		require.NoError(t, err)
		return s
	}
	old := state()
	require.NoError(t, do("roll_axes", `{"joints":["forearm_l"],"degrees":30}`))
	require.NoError(t, do("smooth_weights", `{"passes":3}`))
	require.NoError(t, do("move_joint", `{"joint":"forearm_r","to":[-0.5,1.1,0.1]}`))
	back := func(what string) error {
		return do("restore", fmt.Sprintf(`{"revision":%d,"what":%q%s}`, c.Head, strings.Fields(what)[0], strings.TrimPrefix(what, strings.Fields(what)[0])))
	}
	require.NoError(t, back(`weights ,"joints":["forearm_l"]`))
	one := state()
	require.NoError(t, back("weights"))
	for v, list := range state().Weights.Of {
		require.Equal(t, old.Weights.Of[v], list)
	}
	require.NotEqual(t, old.Weights.Of, one.Weights.Of, "the others kept theirs")
	require.ErrorIs(t, back("weights"), studio.ErrNothing)
	require.NoError(t, back("axes"))
	for i, j := range state().Skeleton.Joints {
		require.InDelta(t, old.Skeleton.Joints[i].Rot.Imag, j.Rot.Imag, 1e-12)
	}
	require.NoError(t, back(`skeleton ,"joints":["forearm_r"]`))
	at := state().Skeleton.Index("forearm_r")
	require.InDelta(t, 0, r3.Norm(r3.Sub(old.Skeleton.Joints[at].Pos, state().Skeleton.Joints[at].Pos)), 1e-12)
	require.NoError(t, do("move_joint", `{"joint":"forearm_r","to":[-0.5,1.1,0.1]}`))
	require.NoError(t, do("mark_joints", `{"joints":["forearm_r"],"locked":true}`))
	require.True(t, studio.IsInput(back("skeleton")), "a locked joint stays")
	require.NoError(t, do("drop_faces", `{}`))
	require.NoError(t, back("all"))
	require.True(t, compare.Compare(handoff.SideOf(old), handoff.SideOf(state())).Same())

	for params, why := range map[string]string{
		`{"revision":99999,"what":"all"}`:                                         "no revision 99999",
		fmt.Sprintf(`{"revision":%d,"what":"soup"}`, c.Head):                      "",
		fmt.Sprintf(`{"revision":%d,"what":"all","joints":["head"]}`, c.Head):     "as a whole",
		fmt.Sprintf(`{"revision":%d,"what":"axes","joints":["tail"]}`, c.Head):    "tail",
		fmt.Sprintf(`{"revision":%d,"what":"weights","joints":["tail"]}`, c.Head): "tail",
	} {
		err := do("restore", params)
		require.True(t, studio.IsInput(err), params)
		require.Contains(t, err.Error(), why)
	}
	_, _, err := studiotest.Try(*old, "restore", `{"revision":1}`)
	require.ErrorContains(t, err, "a file has no history")
}

// What is handed over and opened again is the same; what another program changed is told.
func TestWhatCameBackIsCompared(t *testing.T) {
	s := studiotest.Bound(t)
	p, _ := profile.Find("Real-time, 8 influences")
	p.WeightBits = 0
	for _, fit := range []bool{false, true} {
		ready, o := s, handoff.Options{Name: "Odile"}
		if fit {
			var err error
			ready, _, err = handoff.Meet(context.Background(), s, &p, nil, nil)
			require.NoError(t, err)
			o.Profile = &p
		}
		var file bytes.Buffer
		require.NoError(t, handoff.Write(&file, &ready, "glb", o))
		side, err := handoff.ReadBack("odile.glb", file.Bytes(), reading.Default)
		require.NoError(t, err)
		r := compare.Compare(handoff.SideOf(&ready), *side)
		require.Equal(t, []string{"Nothing differs"}, handoff.Said(r))
	}
	none, err := handoff.ReadBack("odile.usda", nil, reading.Default)
	require.NoError(t, err)
	require.Nil(t, none)
	_, err = handoff.ReadBack("odile.glb", []byte("no"), reading.Default)
	require.Error(t, err)
}

// Stamps come back from every format that carries one; what is none is none, whatever the bytes.
func TestStampsAreRead(t *testing.T) {
	s := studiotest.Bound(t)
	score := 0.25
	stamp := handoff.Stamp{Program: "Wise Marrow", Character: "abc", Name: `Odile "the" <tall>`, Revision: 12, Version: "Final & last", Score: &score}
	var file bytes.Buffer
	for _, what := range []string{"glb", "vrm", "reel", "usda", "usdz", "dae"} {
		file.Reset()
		require.NoError(t, handoff.Write(&file, &s, what, handoff.Options{Name: "Odile", Stamp: &stamp}))
		back := handoff.ReadStamp(file.Bytes())
		require.NotNil(t, back, what)
		require.Equal(t, stamp, *back, what)
	}
	for _, text := range []string{"", "glTF", "PK\x03\x04", "#usda 1.0\n", "<?xml", "{", `{"asset":{"extras":{"wiseMarrow":7}}}`, `{"asset":{"extras":{"wiseMarrow":{"revision":-1}}}}`} {
		require.Nil(t, handoff.ReadStamp([]byte(text)), text)
	}
}

func FuzzReadStamp(f *testing.F) {
	for _, text := range []string{"glTF\x02\x00\x00\x00\xff\xff\xff\xff\xff\xff\xff\xffJSON{}", "PK\x03\x04", "#usda 1.0\n(\n    doc = \"{}\"\n)", "<?xml version=\"1.0\"?><a><comments>{}</comments></a>", `{"asset":{"extras":{"wiseMarrow":{}}}}`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(_ *testing.T, data []byte) { handoff.ReadStamp(data) })
}
