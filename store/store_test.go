package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"net/url"
	"os"
	"sync"
	"testing"
	"time"

	"wisemarrow/core/mesh"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/testdb"
	_ "wisemarrow/stages" // all operations
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
	return s, studio.New(s, reading.Default), url
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
	list, err := s.History(ctx, c.ID, 0, 100)
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
	state, err := studio.New(fresh, reading.Default).Load(ctx, r)
	require.NoError(t, err)
	require.Equal(t, box().Mesh, state.Mesh)
	require.Equal(t, box().Settings, state.Settings)
}

// Eight changes of one revision at once: one is taken and seven are told. The table
// of blobs is held until all of them wait in the middle of their transaction, so that
// without the lock on the character's row all eight would be taken.
func TestAStaleBaseIsRefusedAndNothingIsLost(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	gate, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer gate.Close(ctx)
	hold, err := gate.Begin(ctx)
	require.NoError(t, err)
	_, err = hold.Exec(ctx, "lock table blobs in exclusive mode")
	require.NoError(t, err)
	var wg sync.WaitGroup
	var mu sync.Mutex
	won, stale := 0, 0
	for range 8 {
		wg.Go(func() {
			_, _, err := x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "tester")
			mu.Lock()
			defer mu.Unlock()
			var e studio.StaleError
			if err == nil {
				won++
			} else if errors.As(err, &e) && e.Head > c.Head {
				stale++
			}
		})
	}
	look, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer look.Close(ctx)
	require.Eventually(t, func() bool {
		n := 0
		require.NoError(
			t,
			look.QueryRow(ctx, "select count(*) from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'").
				Scan(&n),
		)
		return n == 8
	}, 20*time.Second, 10*time.Millisecond)
	require.NoError(t, hold.Rollback(ctx))
	wg.Wait()
	require.Equal(t, 1, won)
	require.Equal(t, 7, stale)
	list, err := s.History(ctx, c.ID, 0, 100)
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
	found, err := s.Blobs(ctx, []string{"nothing"})
	require.NoError(t, err)
	require.Empty(t, found)
}

func TestWorkIsClaimedOnceAndAnOldAttemptCannotCommit(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	w, err := s.AddWork(
		ctx,
		studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop", Params: json.RawMessage("{}"), Author: "tester"},
	)
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
	_, err = s.Beat(ctx, first, "still here", 0.5)
	require.ErrorIs(t, err, studio.ErrNotFound)
	list, err := s.History(ctx, c.ID, 0, 100)
	require.NoError(t, err)
	_, err = s.Commit(
		ctx,
		studio.Commit{
			Revision: studio.Revision{Character: c.ID, Parent: list[0].ID, Op: "drop_loose", Params: json.RawMessage("{}")},
			Head:     list[0].ID,
			Work:     &first,
		},
	)
	require.ErrorIs(t, err, studio.ErrNotFound)
	again, err := s.History(ctx, c.ID, 0, 100)
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
	_, err = conn.Exec(
		ctx,
		"select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and usename = current_user and pid <> pg_backend_pid()",
	)
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
	require.Error(
		t,
		s.Shelve(ctx, studio.ShelfItem{Production: "Another", Kind: "names", Name: "x", Body: item.Body}),
		"there is no such production",
	)
	require.NoError(t, s.Discard(ctx, c.Production, "names", "House"))
	require.ErrorIs(t, s.Discard(ctx, c.Production, "names", "House"), studio.ErrNotFound)
}

// The history comes page by page, and an undone branch is not in it.
func TestHistoryComesInPages(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	head := c.Head
	for range 7 {
		r, _, err := x.Do(ctx, c.ID, head, "make_outward", nil, "tester")
		require.NoError(t, err)
		head = r.ID
	}
	var all []int64
	for before := int64(0); ; {
		page, err := s.History(ctx, c.ID, before, 3)
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		for _, r := range page {
			require.Empty(t, r.Parts)
			require.Empty(t, r.Params)
			require.NotEmpty(t, r.Outcome.Sentence)
			all = append(all, r.ID)
		}
		before = page[len(page)-1].ID
	}
	require.Len(t, all, 8)
	require.Equal(t, head, all[0])
	require.Equal(t, c.Head, all[7])
	_, err := s.Next(ctx, c.ID, head)
	require.ErrorIs(t, err, studio.ErrNotFound)
	next, err := s.Next(ctx, c.ID, all[1])
	require.NoError(t, err)
	require.Equal(t, head, next.ID)
	line, err := s.Line(ctx, c.ID, all[2])
	require.NoError(t, err)
	require.Len(t, line, 6)
	require.Equal(t, c.Head, line[0].ID)
}

// Content that is sent waits a day to be named; named, it stays.
func TestStagedContentIsSweptUnlessItIsNamed(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	kept, lost := studio.Upload{Name: "a.obj", Data: []byte("kept")}, studio.Upload{Name: "b.obj", Data: []byte("lost")}
	f, err := x.TakeIn(ctx, kept)
	require.NoError(t, err)
	g, err := x.TakeIn(ctx, lost)
	require.NoError(t, err)
	commit := func(file string) error {
		now, err := s.Character(ctx, c.ID)
		require.NoError(t, err)
		_, err = s.Commit(
			ctx,
			studio.Commit{
				Revision: studio.Revision{Character: c.ID, Parent: now.Head, Op: "x", Params: json.RawMessage("{}")},
				Head:     now.Head,
				Files:    []string{file},
			},
		)
		return err
	}
	require.NoError(t, commit(f.Blob))
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "update blobs set staged_at = staged_at - interval '25 hours'")
	require.NoError(t, err)
	require.NoError(t, s.Sweep(ctx))
	have, err := s.Blobs(ctx, []string{f.Blob, g.Blob})
	require.NoError(t, err)
	require.Contains(t, have, f.Blob)
	require.NotContains(t, have, g.Blob)
	require.True(t, studio.IsInput(commit(g.Blob)), "what is gone is told, not named")
}

// A clock that is minutes off does not make work look abandoned: only the database's
// counts. The zone of the connection stands for it.
func TestWorkIsTimedByTheDatabase(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	w, err := s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop"})
	require.NoError(t, err)
	_, claim, err := s.ClaimWork(ctx, w.ID)
	require.NoError(t, err)
	stop, err := s.Beat(ctx, claim, "on it", 0.5)
	require.NoError(t, err)
	require.False(t, stop)
	_, err = s.StopWork(ctx, claim.Work)
	require.NoError(t, err)
	stop, err = s.Beat(ctx, claim, "on it", 0.6)
	require.NoError(t, err)
	require.True(t, stop, "who waits has had enough")
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	var age float64
	require.NoError(
		t,
		conn.QueryRow(ctx, "select extract(epoch from clock_timestamp() - beat_at) from works where id = $1", w.ID).Scan(&age),
	)
	require.InDelta(t, 0, age, 5)
	source, err := os.ReadFile("works.go")
	require.NoError(t, err)
	require.NotContains(t, string(source), "time.Now", "no clock but the database's")
}

// Who listens hears of every change of a head and of work.
func TestChangesAreHeard(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	heard := make(chan string, 100)
	listening, end := context.WithCancel(ctx)
	defer end()
	go s.Listen(listening, func(id string) { heard <- id })
	require.Empty(t, <-heard, "connected")
	hears := func() {
		t.Helper()
		select {
		case id := <-heard:
			require.Equal(t, c.ID, id)
		case <-time.After(10 * time.Second):
			t.Fatal("nothing was heard")
		}
	}
	r, _, err := x.Do(ctx, c.ID, c.Head, "drop_loose", nil, "tester")
	require.NoError(t, err)
	hears()
	_, err = x.Undo(ctx, c.ID, r.ID)
	require.NoError(t, err)
	hears()
	_, err = s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop"})
	require.NoError(t, err)
	hears()
}

// A work that is begun again and again and never ends, since each worker dies of it, is
// given up after four attempts, not before.
func TestAWorkIsGivenUpAfterFourAttempts(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	w, err := s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop"})
	require.NoError(t, err)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	for attempt := 1; attempt <= 4; attempt++ {
		_, claim, err := s.ClaimWork(ctx, w.ID)
		require.NoError(t, err)
		require.Equal(t, attempt, claim.Attempt)
		got, err := s.Work(ctx, w.ID)
		require.NoError(t, err)
		require.Equal(t, studio.WorkRunning, got.State)
		_, err = conn.Exec(ctx, "update works set beat_at = now() - interval '1 minute'")
		require.NoError(t, err)
	}
	_, _, err = s.ClaimWork(ctx, w.ID)
	require.ErrorIs(t, err, studio.ErrNotFound)
	got, err := s.Work(ctx, w.ID)
	require.NoError(t, err)
	require.Equal(t, studio.WorkFailed, got.State)
	require.Contains(t, got.Message, "started several times")
}

// People take turns: who has many works waiting does not keep another from the next free worker, and of one person's
// the oldest comes first. Nobody may fill the queue.
func TestPeopleTakeTurns(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	add := func(author string) (string, error) {
		w, err := s.AddWork(
			ctx,
			studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop", Params: json.RawMessage("{}"), Author: author},
		)
		return w.ID, err
	}
	var many []string
	for range 20 {
		id, err := add("busy")
		require.NoError(t, err)
		many = append(many, id)
	}
	one, err := add("patient")
	require.NoError(t, err)
	next := func() string {
		w, _, err := s.ClaimWork(ctx, many[0])
		require.NoError(t, err)
		return w.ID
	}
	require.Equal(t, many[0], next(), "the oldest")
	require.Equal(t, one, next(), "then who has none running")
	two, err := add("patient")
	require.NoError(t, err)
	got := []string{next(), next()}
	require.ElementsMatch(t, []string{many[1], two}, got, "one of each")
	for range 100 {
		if _, err = add("busy"); err != nil {
			break
		}
	}
	require.True(t, studio.IsInput(err))
	require.ErrorContains(t, err, "cancel")
	_, err = add("patient")
	require.NoError(t, err, "others are not kept from it")
}

// Servers that start at once migrate one after the other.
func TestTwoMigrationsAtOnce(t *testing.T) {
	url := testdb.New(t)
	var group sync.WaitGroup
	errs := make([]error, 6)
	for i := range errs {
		group.Go(func() {
			s, err := store.Open(ctx, url)
			if err == nil {
				err = s.Migrate(ctx)
				_ = s.Close()
			}
			errs[i] = err
		})
	}
	group.Wait()
	for _, err := range errs {
		require.NoError(t, err)
	}
}

// A full disk is told as that, and the store is not ready for a while.
func TestAFullDiskIsTold(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	require.NoError(t, s.Ping(ctx))
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(
		ctx,
		`create function full_disk() returns trigger language plpgsql as $$ begin raise exception 'could not extend file' using errcode = '53100'; end $$;
		create trigger full_disk before insert on works execute function full_disk()`,
	)
	require.NoError(t, err)
	_, err = s.AddWork(ctx, studio.Work{Character: c.ID, Base: c.Head, Op: "drop_loose", Label: "Drop", Author: "tester"})
	require.ErrorIs(t, err, studio.ErrFull)
	require.NotErrorIs(t, err, studio.ErrDown)
	require.ErrorIs(t, s.Ping(ctx), studio.ErrFull, "not ready")
	list, err := s.History(ctx, c.ID, 0, 10)
	require.NoError(t, err, "what is stored is read")
	require.NotEmpty(t, list)
}

// What a revision holds stays when the same file is sent again: a sweep takes only what nobody named.
func TestContentThatIsSentAgainIsNotSwept(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	rows, err := conn.Query(ctx, "select hash from blobs")
	require.NoError(t, err)
	hashes, err := pgx.CollectRows(rows, pgx.RowTo[string])
	require.NoError(t, err)
	require.NotEmpty(t, hashes)
	held, err := s.Blobs(ctx, hashes)
	require.NoError(t, err)
	var again []studio.Blob
	for hash, data := range held {
		again = append(again, studio.Blob{Hash: hash, Data: data})
	}
	loose := studio.Blob{Hash: "nobody names this", Data: []byte("loose")}
	require.NoError(t, s.Stage(ctx, append(again, loose)))
	_, err = conn.Exec(ctx, "update blobs set staged_at = now() - interval '3 days' where staged_at is not null")
	require.NoError(t, err)
	require.NoError(t, s.Sweep(ctx))
	after, err := s.Blobs(ctx, append(hashes, loose.Hash))
	require.NoError(t, err)
	require.Len(t, after, len(hashes), "all that the character holds, and not what nobody named")
	_, err = studio.New(s, reading.Default).Review(ctx, latest(t, s, c))
	require.NoError(t, err)
}

func latest(t *testing.T, s *store.Store, c studio.Character) studio.Revision {
	t.Helper()
	list, err := s.History(ctx, c.ID, 0, 1)
	require.NoError(t, err)
	r, err := s.Revision(ctx, list[0].ID)
	require.NoError(t, err)
	return r
}
