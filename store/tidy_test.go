package store_test

import (
	"encoding/json"
	"testing"
	"time"

	"wisemarrow/formats/reading"
	"wisemarrow/studio"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// What was removed or undone long ago is counted first and then released: the branch that was left, the
// character that was removed, and what they alone named, a day after it was set aside. What a character still
// names, or can come back to by redo, stays whatever its age.
func TestWhatNothingRefersToIsReleased(t *testing.T) {
	s, x, url := opened(t)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	count := func(sql string) (n int64) {
		require.NoError(t, conn.QueryRow(ctx, sql).Scan(&n))
		return n
	}
	c, gone := added(t, x), added(t, x)
	do := func(base int64, op, params string) studio.Revision {
		r, _, err := x.Do(ctx, c.ID, base, op, json.RawMessage(params), "mira")
		require.NoError(t, err)
		return r
	}
	left := do(c.Head, "real_size", `{"height":1.5}`) // is undone, and something else is done
	_, err = x.Undo(ctx, c.ID, left.ID)
	require.NoError(t, err)
	stays := do(c.Head, "real_size", `{"height":1.7}`)
	ahead := do(stays.ID, "real_size", `{"height":1.9}`) // is undone: redo leads there
	_, err = x.Undo(ctx, c.ID, ahead.ID)
	require.NoError(t, err)
	sent, err := x.TakeIn(ctx, studio.Upload{Name: "named by parameters.obj", Data: []byte("v 0 0 0")})
	require.NoError(t, err)
	_, err = s.Commit(
		ctx,
		studio.Commit{
			Revision: studio.Revision{
				Character: c.ID,
				Parent:    stays.ID,
				Op:        "x",
				Params:    json.RawMessage(`{"file":{"blob":"` + sent.Blob + `"}}`),
				Parts:     stays.Parts,
			},
			Head:  stays.ID,
			Files: []string{sent.Blob},
		},
	)
	require.NoError(t, err)
	require.NoError(t, s.Remove(ctx, gone.ID))

	young, err := s.Tidy(ctx, 24*time.Hour, true)
	require.NoError(t, err)
	require.False(t, young.Any(), "nothing is old enough: %+v", young)
	_, err = conn.Exec(ctx, "update revisions set time = time - interval '40 days'")
	require.NoError(t, err)
	_, err = conn.Exec(ctx, "update characters set removed_at = removed_at - interval '40 days' where removed_at is not null")
	require.NoError(t, err)
	blobs, revisions := count("select count(*) from blobs"), count("select count(*) from revisions")
	look, err := s.Tidy(ctx, 24*time.Hour, true)
	require.NoError(t, err)
	require.EqualValues(t, 1, look.Characters)
	require.EqualValues(t, 3, look.Revisions, "the removed character's, the branch that was left, and what x took the place of")
	require.Positive(t, look.Blobs)
	require.Positive(t, look.Bytes)
	require.Equal(t, blobs, count("select count(*) from blobs"), "only looked")
	require.Equal(t, revisions, count("select count(*) from revisions"))

	did, err := s.Tidy(ctx, 24*time.Hour, false)
	require.NoError(t, err)
	require.Equal(t, look, did, "what was counted is what was done")
	require.Equal(t, revisions-look.Revisions, count("select count(*) from revisions"))
	require.Equal(t, blobs, count("select count(*) from blobs"), "content waits a day")
	_, err = conn.Exec(ctx, "update blobs set staged_at = staged_at - interval '25 hours' where staged_at is not null")
	require.NoError(t, err)
	next, err := s.Tidy(ctx, 24*time.Hour, false)
	require.NoError(t, err)
	require.Equal(t, look.Blobs, next.Staged)
	require.Equal(t, blobs-look.Blobs, count("select count(*) from blobs"))
	have, err := s.Blobs(ctx, []string{sent.Blob})
	require.NoError(t, err)
	require.Contains(t, have, sent.Blob)

	y := studio.New(s, reading.Default) // nothing of it is at hand
	_, err = y.Review(ctx, latest(t, s, c))
	require.NoError(t, err)
	back, err := y.Undo(ctx, c.ID, latest(t, s, c).ID)
	require.NoError(t, err)
	require.Equal(t, stays.ID, back.ID)
	_, err = y.Load(ctx, back)
	require.NoError(t, err)
}

// Where redo leads stays, whatever its age, and so does what other content stands on.
func TestRedoAndWhatContentStandsOnAreNotReleased(t *testing.T) {
	s, x, url := opened(t)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	c := added(t, x)
	r, _, err := x.Do(ctx, c.ID, c.Head, "real_size", json.RawMessage(`{"height":1.5}`), "mira")
	require.NoError(t, err)
	_, err = x.Undo(ctx, c.ID, r.ID)
	require.NoError(t, err)
	_, err = conn.Exec(ctx, "update revisions set time = time - interval '400 days'")
	require.NoError(t, err)
	look, err := s.Tidy(ctx, time.Hour, true)
	require.NoError(t, err)
	require.False(t, look.Any(), "%+v", look)
	for _, sql := range []string{"insert into blobs (hash, size, data) values ('below', 1, decode('00', 'hex'))", "update blobs set base = 'below' where hash = (select min(hash) from blobs where hash <> 'below')"} {
		_, err = conn.Exec(ctx, sql)
		require.NoError(t, err)
	}
	look, err = s.Tidy(ctx, time.Hour, true)
	require.NoError(t, err)
	require.Zero(t, look.Blobs, "something matches it")
	for _, sql := range []string{"update blobs set base = null", "delete from blobs where hash = 'below'"} {
		_, err = conn.Exec(ctx, sql)
		require.NoError(t, err)
	}
	_, err = s.Tidy(ctx, time.Hour, false)
	require.NoError(t, err)
	again, err := x.Redo(ctx, c.ID, c.Head)
	require.NoError(t, err)
	require.Equal(t, r.ID, again.ID)
}

// Content that was set aside and is named before it goes stays.
func TestWhatIsNamedAgainStays(t *testing.T) {
	s, x, url := opened(t)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	c := added(t, x)
	_, err = conn.Exec(ctx, "update blobs set staged_at = now() - interval '40 days'") // set aside in error
	require.NoError(t, err)
	_, err = s.Tidy(ctx, time.Hour, false)
	require.NoError(t, err)
	_, err = studio.New(s, reading.Default).Review(ctx, latest(t, s, c))
	require.NoError(t, err)
}
