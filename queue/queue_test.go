package queue_test

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/testdb"
	"wisemarrow/queue"
	_ "wisemarrow/stages" // all operations
	"wisemarrow/store"
	"wisemarrow/studio"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

var ctx = context.Background()

// limb is a tube of n rings with two bones, so that a bind takes a while when n
// is large.
func limb(n int) studio.State {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("limb")}}
	const sides = 100
	for i := range n {
		for k := range sides {
			q := geom.AxisAngle(r3.Vec{X: 1}, 2*3.14159265358979*float64(k)/sides)
			p := geom.Rotate(q, r3.Vec{Y: 0.2})
			p.X = 2 * float64(i) / float64(n-1)
			m.Points = append(m.Points, p)
		}
	}
	at := func(i, k int) int32 { return int32(i*sides + k%sides) }
	for i := range n - 1 {
		for k := range sides {
			m.AddFace(0, at(i, k), at(i, k+1), at(i+1, k+1), at(i+1, k))
		}
	}
	s := &skeleton.Skeleton{}
	for i := range 3 {
		s.Joints = append(
			s.Joints,
			skeleton.Joint{Name: fmt.Sprintf("j%d", i), Parent: i - 1, Pos: r3.Vec{X: 0.01 + 0.99*float64(i)}, Rot: geom.Identity},
		)
	}
	return studio.State{Mesh: m, Skeleton: s, Settings: studio.DefaultSettings()}
}

func started(t *testing.T, workers int) (*store.Store, *studio.Studio) {
	t.Helper()
	s, x, _ := process(t, testdb.New(t), workers)
	return s, x
}

// process is what a server or worker on a database is; stop ends it as SIGTERM does.
func process(t *testing.T, url string, workers int) (s *store.Store, x *studio.Studio, stop func()) {
	t.Helper()
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	require.NoError(t, s.Migrate(ctx))
	require.NoError(t, queue.Migrate(ctx, s.Pool()))
	require.NoError(t, queue.Migrate(ctx, s.Pool()), "twice is harmless")
	x = studio.New(s, reading.Default)
	q, err := queue.New(s.Pool(), x, s, workers)
	require.NoError(t, err)
	s.Use(q)
	x.Queued()
	require.NoError(t, q.Start(ctx))
	stop = sync.OnceFunc(func() {
		end, done := context.WithTimeout(ctx, 10*time.Second)
		defer done()
		q.Stop(end)
	})
	t.Cleanup(func() { stop(); _ = s.Close() })
	return s, x, stop
}

func begin(t *testing.T, x *studio.Studio, n int) (studio.Character, studio.Work) {
	t.Helper()
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Limb"}, "tester", limb(n), "came in")
	require.NoError(t, err)
	_, w, err := x.Do(ctx, c.ID, c.Head, "bind_heat", json.RawMessage(`{"influences":2}`), "tester")
	require.NoError(t, err)
	require.NotNil(t, w)
	return c, *w
}

func ended(t *testing.T, s *store.Store, id string) studio.Work {
	t.Helper()
	var w studio.Work
	require.Eventually(t, func() bool {
		var err error
		w, err = s.Work(ctx, id)
		require.NoError(t, err)
		return w.State != studio.WorkQueued && w.State != studio.WorkRunning
	}, 40*time.Second, 20*time.Millisecond)
	return w
}

func TestABindRunsAsAJobAndTellsItsResult(t *testing.T) {
	s, x := started(t, 1)
	c, w := begin(t, x, 30)
	done := ended(t, s, w.ID)
	require.Equal(t, studio.WorkDone, done.State, done.Message)
	require.Contains(t, done.Message, "2 of 2 joints solved")
	now, err := s.Character(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, done.Revision, now.Head)
}

func TestSeveralWorksWaitTheirTurn(t *testing.T) {
	s, x := started(t, 2)
	var ids []string
	for range 5 {
		_, w := begin(t, x, 20)
		ids = append(ids, w.ID)
	}
	for _, id := range ids {
		require.Equal(t, studio.WorkDone, ended(t, s, id).State)
	}
}

// counting waits until a work tells that it is counting sheep.
func counting(t *testing.T, s *store.Store, id string) {
	t.Helper()
	require.Eventually(t, func() bool {
		got, err := s.Work(ctx, id)
		require.NoError(t, err)
		return got.What == "Counting sheep"
	}, 20*time.Second, 5*time.Millisecond)
}

// A bind that is cancelled stops computing, it is not only that its result is dropped:
// the operation below is what a long one looks like, and tells when it has ended.
func TestARunningWorkIsCancelled(t *testing.T) {
	s, x := started(t, 1)
	ended := make(chan error, 1)
	tests.wait = func(ctx context.Context, p studio.Progress) error {
		p("Counting sheep", 0.3)
		<-ctx.Done()
		ended <- ctx.Err()
		return ctx.Err()
	}
	c, w := test(t, x, "test_wait")
	counting(t, s, w.ID)
	got, err := s.CancelWork(ctx, w.ID)
	require.NoError(t, err)
	require.Equal(t, studio.WorkCancelled, got.State)
	select {
	case err := <-ended:
		require.ErrorIs(t, err, context.Canceled)
	case <-time.After(10 * time.Second):
		t.Fatal("it goes on computing")
	}
	now, err := s.Character(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, c.Head, now.Head)
}

// A running job whose base has moved on could not keep its result: it ends at its next beat, and says why.
func TestARunningWorkEndsWhenTheCharacterMovesOn(t *testing.T) {
	s, x := started(t, 1)
	tests.wait = func(ctx context.Context, p studio.Progress) error {
		p("Counting sheep", 0.3)
		<-ctx.Done()
		return ctx.Err()
	}
	c, w := test(t, x, "test_wait")
	counting(t, s, w.ID)
	_, _, err := x.Do(ctx, c.ID, c.Head, "move_joint", json.RawMessage(`{"joint":"j2","to":[1.9,0.05,0]}`), "other")
	require.NoError(t, err)
	got := ended(t, s, w.ID)
	require.Equal(t, studio.WorkFailed, got.State)
	require.Contains(t, got.Message, "changed while this ran")
}

// A worker that is told to stop gives its work back: another goes on with it at once,
// without waiting for silence, and the attempt does not count.
func TestAWorkerThatStopsGivesItsWorkBack(t *testing.T) {
	url := testdb.New(t)
	s, x, stop := process(t, url, 1)
	var turns atomic.Int32
	tests.wait = func(ctx context.Context, p studio.Progress) error {
		if turns.Add(1) > 1 {
			return nil
		}
		p("Counting sheep", 0.3)
		<-ctx.Done()
		return ctx.Err()
	}
	_, w := test(t, x, "test_wait")
	counting(t, s, w.ID)
	stop()
	got, err := s.Work(ctx, w.ID)
	require.NoError(t, err)
	require.Equal(t, studio.WorkQueued, got.State)
	require.Zero(t, got.Attempt)
	begun := time.Now()
	other, _, _ := process(t, url, 1)
	done := ended(t, other, w.ID)
	require.Equal(t, studio.WorkDone, done.State, done.Message)
	require.Less(t, time.Since(begun), studio.AbandonAfter, "nobody waited for silence")
	require.EqualValues(t, 2, turns.Load())
}

// A panic in a work, also deep in a parallel kernel, ends the work with a sentence and
// nothing else: the next one runs.
func TestAPanicEndsTheWorkAlone(t *testing.T) {
	s, x := started(t, 1)
	for _, how := range []func(){
		func() { panic("the sky falls") },
		func() { geom.Chunks(1<<16, 64, func(lo, _ int) { _ = make([]int, 3)[lo+1<<10] }) },
		func() { geom.Both(func() { geom.Both(func() { panic("deep down") }, func() {}) }, func() {}) },
	} {
		tests.wait = func(context.Context, studio.Progress) error { how(); return nil }
		c, w := test(t, x, "test_wait")
		done := ended(t, s, w.ID)
		require.Equal(t, studio.WorkFailed, done.State)
		require.Contains(t, done.Message, "failed because of a bug")
		now, err := s.Character(ctx, c.ID)
		require.NoError(t, err)
		require.Equal(t, c.Head, now.Head)
	}
	_, w := begin(t, x, 20)
	require.Equal(t, studio.WorkDone, ended(t, s, w.ID).State)
}

// tests is what the operation of these tests does.
var tests struct {
	wait func(context.Context, studio.Progress) error
}

type testWait struct{}

// Apply implements studio.Operation.
func (testWait) Apply(ctx context.Context, s studio.State, p studio.Progress) (studio.State, studio.Outcome, error) {
	return s, studio.Outcome{Sentence: "waited"}, tests.wait(ctx, p)
}

func init() {
	studio.Register(
		studio.Entry{
			Name:  "test_wait",
			Label: "Wait",
			Stage: "bind",
			Long:  studio.Always,
			New:   func() studio.Operation { return &testWait{} },
		},
	)
}

func test(t *testing.T, x *studio.Studio, op string) (studio.Character, studio.Work) {
	t.Helper()
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Limb"}, "tester", limb(5), "came in")
	require.NoError(t, err)
	_, w, err := x.Do(ctx, c.ID, c.Head, op, nil, "tester")
	require.NoError(t, err)
	return c, *w
}

// Work that waits for its turn is not enqueued again, however long; what was left without a job is.
func TestWaitingWorkHasOneJob(t *testing.T) {
	need.Time(t)
	url := testdb.New(t)
	_, x, _ := process(t, url, 1)
	working, end := make(chan struct{}), make(chan struct{})
	begun := sync.OnceFunc(func() { close(working) })
	tests.wait = func(ctx context.Context, _ studio.Progress) error {
		begun()
		select {
		case <-ctx.Done():
		case <-end:
		}
		return ctx.Err()
	}
	defer close(end)
	c, err := x.Add(ctx, studio.Character{Production: "P", Name: "limb"}, "tester", limb(4), "came in")
	require.NoError(t, err)
	for range 31 {
		_, w, err := x.Do(ctx, c.ID, c.Head, "test_wait", nil, "tester")
		require.NoError(t, err)
		require.NotNil(t, w)
	}
	<-working                          // the only worker
	conn, err := pgxpool.New(ctx, url) // of several connections: Never may still look when it has ended
	require.NoError(t, err)
	defer conn.Close()
	jobs := func() (n int) {
		require.NoError(t, conn.QueryRow(ctx, "select count(*) from river_job where state = 'available'").Scan(&n))
		return n
	}
	require.Equal(t, 30, jobs())
	_, err = conn.Exec(ctx, "update works set beat_at = now() - interval '1 hour' where state = 'queued'")
	require.NoError(t, err)
	require.Never(t, func() bool { return jobs() != 30 }, studio.AbandonAfter, 500*time.Millisecond)
	for _, sql := range []string{"delete from river_job where id = (select max(id) from river_job where state = 'available')", "update works set beat_at = now() - interval '1 hour' where state = 'queued'"} {
		_, err = conn.Exec(ctx, sql)
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool { return jobs() == 30 }, 2*studio.AbandonAfter, 200*time.Millisecond)
}
