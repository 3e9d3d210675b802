package placement_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/demo"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/placement"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A skeleton that one character was given beyond its starter is kept, and fits
// another character: the joints that both kinds have stand where the kind's do,
// the others are carried along, with their axes.
func TestAStarterOfTheProductionFitsAnotherCharacter(t *testing.T) {
	need.Time(t)
	ctx := context.Background()
	s := studiotest.Bound(t)
	head := studiotest.At(t, s, "head")
	s = studiotest.Do(
		t,
		s,
		"draw_chain",
		studiotest.Encoded(
			t,
			map[string]any{
				"parent": "head",
				"name":   "plume",
				"end":    true,
				"places": [][3]float64{
					{head.X, head.Y + 0.25, head.Z},
					{head.X, head.Y + 0.4, head.Z - 0.05},
					{head.X, head.Y + 0.5, head.Z - 0.1},
				},
			},
		),
	)
	_, x, c := studiotest.Begun(t, s)
	own, err := placement.KeepStarter(ctx, x, c.ID, "Plumed", "biped")
	require.NoError(t, err)
	shelf, err := x.Shelf(ctx, c.ID)
	require.NoError(t, err)
	require.Len(t, shelf.Starters, 1)
	require.Equal(t, own.Skeleton.Joints, shelf.Starters[0].Skeleton.Joints)

	list, err := placement.PreviewStarter(ctx, x, c.ID, &placement.FitStarter{Own: own})
	require.NoError(t, err)
	require.Len(t, list, len(s.Skeleton.Joints))

	m, _ := demo.Bram(0.02)
	bram := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	plain := studiotest.Do(t, bram, "fit_starter", studiotest.Encoded(t, own.Like))
	raw, err := json.Marshal(own.Like)
	require.NoError(t, err)
	params := map[string]any{"own": own}
	require.NoError(t, json.Unmarshal(raw, &params))
	out, told, err := studiotest.Try(bram, "fit_starter", studiotest.Encoded(t, params))
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Fitted the starter Plumed")
	require.Len(t, out.Skeleton.Joints, len(s.Skeleton.Joints))
	for _, j := range plain.Skeleton.Joints {
		if out.Skeleton.Index(j.Name) >= 0 {
			require.InDelta(t, 0, r3.Norm(r3.Sub(studiotest.At(t, out, j.Name), j.Pos)), 0.03, j.Name)
		}
	}
	k := out.Skeleton.Index("plume_1")
	require.GreaterOrEqual(t, k, 0)
	require.Equal(t, "head", out.Skeleton.Joints[out.Skeleton.Joints[k].Parent].Name)
	require.Contains(t, out.Skeleton.Joints[k].Reason, "carried along with")
	require.NotNil(t, out.Fit.Own)
	// A part is fitted anew with it, and a joint that was set stays.
	pinned := studiotest.Do(t, out, "mark_joints", `{"joints":["hand_l"],"pinned":true}`)
	params["only"] = []string{"hand_l", "forearm_l"}
	again := studiotest.Do(t, pinned, "fit_starter", studiotest.Encoded(t, params))
	require.Equal(t, studiotest.At(t, pinned, "hand_l"), studiotest.At(t, again, "hand_l"))

	// Like nothing that is known, it is placed by its size, drawn into the volume.
	sized, err := placement.KeepStarter(ctx, x, c.ID, "Sized", "empty")
	require.NoError(t, err)
	by := studiotest.Do(t, bram, "fit_starter", studiotest.Encoded(t, map[string]any{"starter": "empty", "own": sized}))
	require.Len(t, by.Skeleton.Joints, len(s.Skeleton.Joints))
	require.InDelta(t, bram.Mesh.Measure().Height, by.Skeleton.Height(), 0.15*bram.Mesh.Measure().Height)
	require.Contains(t, by.Skeleton.Joints[by.Skeleton.Index("head")].Reason, "by the size of the body alone")
	require.NoError(t, x.Discard(ctx, c.ID, "starter", "Sized"))

	_, err = placement.KeepStarter(ctx, x, c.ID, "Biped", "biped")
	require.ErrorContains(t, err, "built-in")
	_, err = placement.KeepStarter(ctx, x, c.ID, "Kite", "centaur")
	require.ErrorContains(t, err, "centaur")
	_, err = placement.KeepStarter(ctx, x, c.ID, "Kite", "chain")
	require.ErrorContains(t, err, "too few joints")
	require.NoError(t, x.Discard(ctx, c.ID, "starter", "Plumed"))
	require.ErrorIs(t, x.Discard(ctx, c.ID, "starter", "Plumed"), studio.ErrNotFound)
}

// Names that a production keeps pair the joints of what comes in.
func TestNamesOfTheProductionPairJoints(t *testing.T) {
	ctx := context.Background()
	s := studiotest.Bound(t)
	_, x, c := studiotest.Begun(t, s)
	theirs := s.Skeleton.Clone()
	names := map[string]string{}
	for i := range theirs.Joints {
		j := &theirs.Joints[i]
		names[j.Name] = "q" + j.Name[:1] + string(rune('a'+i%26)) + string(rune('a'+i/26))
		j.Name = names[j.Name]
		j.Pos = r3.Vec{X: float64(i)} // no place tells anything
	}
	file := wave(t, theirs, "")
	byName := func() int {
		m := match(t, x, c, file)
		n := 0
		for _, p := range m.Matches {
			if p.How == "name" {
				n++
			}
		}
		return n
	}
	require.Zero(t, byName())
	none, err := json.Marshal(match(t, x, c, file).Matches)
	require.NoError(t, err)
	require.NotEqual(t, "null", string(none), "the page counts them")
	kept, err := placement.KeepNames(ctx, x, c.ID, "House names", names)
	require.NoError(t, err)
	require.Len(t, kept.Joints, len(names))
	require.Greater(t, byName(), 15)
	shelf, err := x.Shelf(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, kept, shelf.Names[len(shelf.Names)-1])

	_, err = placement.KeepNames(ctx, x, c.ID, "vrm", names)
	require.ErrorContains(t, err, "built-in")
	_, err = placement.KeepNames(ctx, x, c.ID, "Twice", map[string]string{"hips": "a", "head": "a"})
	require.ErrorContains(t, err, "a is given to both head and hips")
	_, err = placement.KeepNames(ctx, x, c.ID, "None", map[string]string{"hips": ""})
	require.ErrorContains(t, err, "1 to 1000 pairs")
}
