package studio_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// What a character follows is kept as its production's, and one that comes later begins with
// it.
func TestACharacterBeginsWithTheRulesOfItsProduction(t *testing.T) {
	m, x, c := studiotest.Begun(t, studiotest.Bound(t))
	do := func(op, params string) {
		_, _, err := x.Do(context.Background(), c.ID, m.Head(), op, json.RawMessage(params), "tester")
		require.NoError(t, err)
	}
	do("set_axes", `{"aim":"x","bend":"z","sides":"mirror","ends":"align"}`)
	do("bind_policy", `{"elsewhere":true}`)
	kept, err := x.KeepRules(context.Background(), c.ID)
	require.NoError(t, err)
	require.Equal(t, "x", kept.Convention.Aim)
	shelf, err := x.Shelf(context.Background(), c.ID)
	require.NoError(t, err)
	require.Equal(t, &kept, shelf.Rules)
	later, err := intake.Bring(
		context.Background(),
		x,
		studio.Character{Production: "P", Name: "Later"},
		"tester",
		studio.Upload{Name: "a.obj", Data: []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")},
	)
	require.NoError(t, err)
	s, err := x.Load(context.Background(), m.Past[later.Head-1])
	require.NoError(t, err)
	require.Equal(t, kept.Convention, s.Settings.Convention)
	require.True(t, s.Settings.Elsewhere)
}
