package store_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// A version is kept under a name of its own, remembers how the character stood, and is not changed by what comes after; it may be
// withdrawn once, with a reason.
func TestVersionsAreKeptForGood(t *testing.T) {
	_, x, _ := opened(t)
	c := added(t, x)
	png := []byte("\x89PNG\r\n\x1a\nsmall")
	v, err := x.KeepVersion(ctx, c.ID, c.Head, " First ", "for layout", "Ada", png)
	require.NoError(t, err)
	require.Equal(t, "First", v.Name)
	require.True(t, v.Pictured)
	require.NotEmpty(t, v.Findings, "a loose vertex")
	_, err = x.KeepVersion(ctx, c.ID, c.Head, "FIRST", "", "Ada", nil)
	require.ErrorIs(t, err, studio.ErrTaken)
	for _, wrong := range []struct {
		name, note string
		picture    []byte
	}{{"", "", nil}, {"x", strings.Repeat("a", 5000), nil}, {"x", "", []byte("GIF89a")}, {"x", "", append(png, make([]byte, 2<<20)...)}} {
		_, err = x.KeepVersion(ctx, c.ID, c.Head, wrong.name, wrong.note, "Ada", wrong.picture)
		require.True(t, studio.IsInput(err), wrong.name)
	}
	rev, _, err := x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "Bo")
	require.NoError(t, err)
	_, err = x.KeepVersion(ctx, c.ID, c.Head, "Second", "", "Bo", nil)
	require.ErrorAs(t, err, &studio.StaleError{}, "what the person sees is not the head any more")
	second, err := x.KeepVersion(ctx, c.ID, rev.ID, "Second", "", "Bo", nil)
	require.NoError(t, err)

	list, err := x.Versions(ctx, c.ID)
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.Equal(t, c.Head, list[0].Revision)
	require.Equal(t, v.Findings, list[0].Findings)
	came, went := second.Since(&list[0])
	require.Empty(t, came)
	require.NotEmpty(t, went)
	back, err := x.Picture(ctx, c.ID, v.ID)
	require.NoError(t, err)
	require.Equal(t, png, back)
	_, err = x.Picture(ctx, c.ID, second.ID)
	require.ErrorIs(t, err, studio.ErrNotFound)

	require.True(t, studio.IsInput(x.Withdraw(ctx, c.ID, v.ID, " ", "Ada")))
	require.ErrorIs(t, x.Withdraw(ctx, "another", v.ID, "mine", "Ada"), studio.ErrNotFound)
	require.NoError(t, x.Withdraw(ctx, c.ID, v.ID, "wrong scale", "Ada"))
	require.ErrorIs(t, x.Withdraw(ctx, c.ID, v.ID, "again", "Ada"), studio.ErrNotFound)
	of, err := x.VersionOf(ctx, c.ID, c.Head)
	require.NoError(t, err)
	require.Nil(t, of, "one that was withdrawn is no version to hand over as")
	of, err = x.VersionOf(ctx, c.ID, rev.ID)
	require.NoError(t, err)
	require.Equal(t, "Second", of.Name)
	list, err = x.Versions(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, "wrong scale", list[0].Withdrawn)
	require.NotNil(t, list[0].WithdrawnAt)
}

// Files that were handed over are counted, and found by their content.
func TestDeliveriesAreCounted(t *testing.T) {
	_, x, _ := opened(t)
	c := added(t, x)
	d := studio.Delivery{Character: c.ID, Hash: strings.Repeat("a", 64), Revision: c.Head, What: "glb", Asked: "at=1", Size: 10, Author: "Ada"}
	require.NoError(t, x.Delivered(ctx, d))
	d.Author = "Bo"
	require.NoError(t, x.Delivered(ctx, d))
	other := d
	other.Hash = strings.Repeat("b", 64)
	require.NoError(t, x.Delivered(ctx, other))
	list, err := x.Deliveries(ctx, c.ID, 10)
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.Equal(t, other.Hash, list[0].Hash, "the latest first")
	require.Equal(t, 2, list[1].Times)
	require.Equal(t, "Bo", list[1].Author)
	list, err = x.DeliveriesOf(ctx, d.Hash, 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	require.NoError(t, x.Remove(ctx, c.ID))
	list, err = x.DeliveriesOf(ctx, d.Hash, 10)
	require.NoError(t, err)
	require.Empty(t, list, "of a character that was removed nothing is told")
}

// A version, and a file that was handed over, hold their revisions, though they were undone and left; a removed character goes with
// all of it.
func TestVersionsHoldTheirRevisions(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	a, _, err := x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "Ada")
	require.NoError(t, err)
	_, err = x.KeepVersion(ctx, c.ID, a.ID, "Kept", "", "Ada", nil)
	require.NoError(t, err)
	_, err = x.Undo(ctx, c.ID, a.ID)
	require.NoError(t, err)
	b, _, err := x.Do(ctx, c.ID, c.Head, "triangulate", json.RawMessage(`{"which":"polygons"}`), "Ada")
	require.NoError(t, err)
	require.NoError(t, x.Delivered(ctx, studio.Delivery{Character: c.ID, Hash: "h", Revision: b.ID, What: "glb", Author: "Ada"}))
	_, err = x.Undo(ctx, c.ID, b.ID)
	require.NoError(t, err)
	left, _, err := x.Do(ctx, c.ID, c.Head, "real_size", json.RawMessage(`{"height":1.5}`), "Ada")
	require.NoError(t, err)
	_, err = x.Undo(ctx, c.ID, left.ID)
	require.NoError(t, err)
	_, _, err = x.Do(ctx, c.ID, c.Head, "real_size", json.RawMessage(`{"height":1.7}`), "Ada") // all three branches were left
	require.NoError(t, err)
	_, err = s.Tidy(ctx, -time.Hour, false)
	require.NoError(t, err)
	for _, id := range []int64{a.ID, b.ID} {
		_, err = s.Revision(ctx, id)
		require.NoError(t, err)
	}
	_, err = s.Revision(ctx, left.ID)
	require.ErrorIs(t, err, studio.ErrNotFound, "one that nothing holds goes")
	require.NoError(t, x.Remove(ctx, c.ID))
	out, err := s.Tidy(ctx, -time.Hour, false)
	require.NoError(t, err)
	require.Equal(t, int64(1), out.Characters)
	_, err = s.Revision(ctx, a.ID)
	require.ErrorIs(t, err, studio.ErrNotFound)
}

func TestWhatChangedInFindings(t *testing.T) {
	f := func(codes ...string) studio.Version {
		v := studio.Version{}
		for _, c := range codes {
			v.Findings = append(v.Findings, studio.FoundThen{Stage: "bind", Code: c, Severity: finding.Harms, Title: "T" + c})
		}
		return v
	}
	a, b := f("x", "y", "y"), f("y", "z")
	came, went := b.Since(&a)
	require.Equal(t, []string{"Tz"}, came)
	require.Equal(t, []string{"Tx"}, went)
}
