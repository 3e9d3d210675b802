package store_test

import (
	"context"
	"encoding/json"
	"net/url"
	"sync"
	"testing"

	"wisemarrow/core/mesh"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/testdb"
	"wisemarrow/store"
	"wisemarrow/studio"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

var ctx = context.Background()

func opened(t *testing.T) (*store.Store, *studio.Studio, string) {
	t.Helper()
	url := testdb.New(t)
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	require.NoError(t, s.Migrate(ctx))
	require.NoError(t, s.Migrate(ctx), "migrating twice is harmless")
	return s, studio.New(s, nil, reading.Default), url
}

// box is a small character: a limb that can be fitted by hand.
func box() studio.State {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("box")}}
	for i := range 8 {
		m.Points = append(m.Points, r3.Vec{X: float64(i & 1), Y: float64(i >> 1 & 1), Z: float64(i >> 2)})
	}
	for _, f := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.AddFace(0, f[0], f[1], f[2], f[3])
	}
	m.Points = append(m.Points, r3.Vec{X: 5})
	return studio.State{Mesh: m, Settings: studio.DefaultSettings()}
}

func added(t *testing.T, x *studio.Studio) studio.Character {
	t.Helper()
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Box"}, "tester", box(), "came in")
	require.NoError(t, err)
	return c
}

func TestOperateUndoRedo(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	r, _, err := x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "tester")
	require.NoError(t, err)
	require.Equal(t, c.Head, r.Parent)
	state, err := x.Load(ctx, r)
	require.NoError(t, err)
	require.Len(t, state.Mesh.Points, 8)

	_, err = x.Undo(ctx, c.ID, r.ID)
	require.NoError(t, err)
	now, err := s.Character(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, c.Head, now.Head)
	_, err = x.Undo(ctx, c.ID, c.Head)
	require.True(t, studio.IsInput(err), "nothing before the import")
	again, err := x.Redo(ctx, c.ID, c.Head)
	require.NoError(t, err)
	require.Equal(t, r.ID, again.ID)
	_, err = x.Redo(ctx, c.ID, r.ID)
	require.True(t, studio.IsInput(err))

	// A new operation after an undo starts a new line; the old one stays stored.
	_, err = x.Undo(ctx, c.ID, r.ID)
	require.NoError(t, err)
	other, _, err := x.Do(ctx, c.ID, c.Head, "make_outward", nil, "tester")
	require.NoError(t, err)
	list, err := s.History(ctx, c.ID)
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.Equal(t, other.ID, list[0].ID)
	_, err = s.Revision(ctx, r.ID)
	require.NoError(t, err)
}

func TestAStoredStateComesBackTheSame(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	fresh, err := store.Open(ctx, url)
	require.NoError(t, err)
	defer fresh.Close()
	r, err := s.Revision(ctx, c.Head)
	require.NoError(t, err)
	state, err := studio.New(fresh, nil, reading.Default).Load(ctx, r)
	require.NoError(t, err)
	require.Equal(t, box().Mesh, state.Mesh)
	require.Equal(t, box().Settings, state.Settings)
}

func TestAStaleBaseIsRefusedAndNothingIsLost(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	var wg sync.WaitGroup
	var mu sync.Mutex
	won, stale := 0, 0
	for range 8 {
		wg.Go(func() {
			_, _, err := x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "tester")
			mu.Lock()
			defer mu.Unlock()
			var e studio.ErrStale
			if err == nil {
				won++
			} else if require.ErrorAs(t, err, &e); e.Head > c.Head {
				stale++
			}
		})
	}
	wg.Wait()
	require.Equal(t, 1, won)
	require.Equal(t, 7, stale)
	list, err := s.History(ctx, c.ID)
	require.NoError(t, err)
	require.Len(t, list, 2)
}

func TestUnchangedPartsAreStoredOnce(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	count := func() (n int) {
		conn, err := pgx.Connect(ctx, url)
		require.NoError(t, err)
		defer conn.Close(ctx)
		require.NoError(t, conn.QueryRow(ctx, "select count(*) from blobs").Scan(&n))
		return n
	}
	before := count()
	_, _, err := x.Do(ctx, c.ID, c.Head, "make_outward", nil, "tester") // turns nothing
	require.NoError(t, err)
	require.Equal(t, before, count())
	_, err = s.Blob(ctx, "nothing")
	require.ErrorIs(t, err, studio.ErrNotFound)
}

func TestWorkIsClaimedOnceAndAnOldAttemptCannotCommit(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	w, err := s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop", Params: json.RawMessage("{}"), Author: "tester"})
	require.NoError(t, err)
	_, first, err := s.ClaimWork(ctx, w.ID)
	require.NoError(t, err)
	_, _, err = s.ClaimWork(ctx, w.ID)
	require.ErrorIs(t, err, studio.ErrNotFound, "it is running")
	// The first attempt falls silent, another takes it over and finishes.
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "update works set beat_at = now() - interval '1 minute'")
	require.NoError(t, err)
	ids, err := s.Unattended(ctx)
	require.NoError(t, err)
	require.Equal(t, []string{w.ID}, ids)
	require.NoError(t, x.Run(ctx, w.ID))
	done, err := s.Work(ctx, w.ID)
	require.NoError(t, err)
	require.Equal(t, studio.WorkDone, done.State)
	require.Equal(t, 2, done.Attempt)
	require.ErrorIs(t, s.Beat(ctx, first, "still here", 0.5), studio.ErrNotFound)
	list, err := s.History(ctx, c.ID)
	require.NoError(t, err)
	_, err = s.Commit(ctx, studio.Revision{Character: c.ID, Parent: list[0].ID, Op: "drop_loose", Params: json.RawMessage("{}")}, nil, &first)
	require.ErrorIs(t, err, studio.ErrNotFound)
	again, err := s.History(ctx, c.ID)
	require.NoError(t, err)
	require.Len(t, again, len(list), "no half-written revision")
}

func TestCancelledWorkChangesNothing(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	w, err := s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop"})
	require.NoError(t, err)
	got, err := s.CancelWork(ctx, w.ID)
	require.NoError(t, err)
	require.Equal(t, studio.WorkCancelled, got.State)
	require.NoError(t, x.Run(ctx, w.ID))
	now, err := s.Character(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, c.Head, now.Head)
}

func TestStaleOrWrongWorkFailsWithAReason(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	w, err := s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop"})
	require.NoError(t, err)
	_, _, err = x.Do(ctx, c.ID, c.Head, "make_outward", nil, "other")
	require.NoError(t, err)
	require.NoError(t, x.Run(ctx, w.ID))
	got, err := s.Work(ctx, w.ID)
	require.NoError(t, err)
	require.Equal(t, studio.WorkFailed, got.State)
	require.Contains(t, got.Message, "was changed while this ran")
}

func TestRemovedCharactersAreGone(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	require.NoError(t, s.Remove(ctx, c.ID))
	require.ErrorIs(t, s.Remove(ctx, c.ID), studio.ErrNotFound)
	_, err := s.Character(ctx, c.ID)
	require.ErrorIs(t, err, studio.ErrNotFound)
	_, _, err = x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "tester")
	require.ErrorIs(t, err, studio.ErrNotFound)
}

func TestANewerDatabaseIsLeftAlone(t *testing.T) {
	s, _, dsn := opened(t)
	conn, err := pgx.Connect(ctx, dsn)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "insert into goose_db_version (version_id, is_applied) values (9999, true)")
	require.NoError(t, err)
	require.ErrorIs(t, s.Migrate(ctx), store.ErrNewer)
}

// A server that goes away gives ErrDown, and the store works again when it is
// back, without being opened anew.
func TestALostConnectionIsToldAndRecovers(t *testing.T) {
	s, x, dsn := opened(t)
	c := added(t, x)
	conn, err := pgx.Connect(ctx, dsn)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()")
	require.NoError(t, err)
	for range 20 { // each broken connection of the pool may be met once
		if _, err = s.Character(ctx, c.ID); err == nil {
			break
		}
		require.ErrorIs(t, err, studio.ErrDown)
	}
	require.NoError(t, err)
	u, err := url.Parse(dsn)
	require.NoError(t, err)
	u.Host = "127.0.0.1:1"
	_, err = store.Open(ctx, u.String())
	require.ErrorIs(t, err, studio.ErrDown)
}

// What a production keeps is its own, is replaced by name and goes only once.
func TestTheShelfOfAProduction(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	item := studio.ShelfItem{Production: c.Production, Kind: "names", Name: "House", Body: json.RawMessage(`{"a": 1}`)}
	require.NoError(t, s.Shelve(ctx, item))
	item.Body = json.RawMessage(`{"a": 2}`)
	require.NoError(t, s.Shelve(ctx, item))
	list, err := s.Shelf(ctx, c.Production)
	require.NoError(t, err)
	require.Equal(t, []studio.ShelfItem{item}, list)
	list, err = s.Shelf(ctx, "Another")
	require.NoError(t, err)
	require.Empty(t, list)
	require.Error(t, s.Shelve(ctx, studio.ShelfItem{Production: "Another", Kind: "names", Name: "x", Body: item.Body}), "there is no such production")
	require.NoError(t, s.Discard(ctx, c.Production, "names", "House"))
	require.ErrorIs(t, s.Discard(ctx, c.Production, "names", "House"), studio.ErrNotFound)
}
