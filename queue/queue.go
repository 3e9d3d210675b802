// Package queue runs long work as River jobs on the same PostgreSQL, in the
// server's process or in any number of workers.
package queue

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"wisemarrow/studio"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

// args name the work of a job; its parameters are in the store. A job is a turn: what is done in it is the work that
// the store finds next, of whoever has waited longest, and not always the one that it is named for.
type args struct {
	Work string `json:"work"`
}

// Kind names the job.
func (args) Kind() string { return "work" }

type worker struct {
	river.WorkerDefaults[args]
	studio *studio.Studio
}

// Work does the named work. Failures are told in the store; trying again would
// fail likewise, so River is told that all is well.
func (w *worker) Work(ctx context.Context, job *river.Job[args]) error {
	err := w.studio.Run(ctx, job.Args.Work)
	if errors.Is(err, studio.ErrGivenBack) {
		return river.JobSnooze(0) // at once, for whoever is free
	}
	if err != nil {
		slog.Error("work failed", "work", job.Args.Work, "error", err)
	}
	return nil
}

// Timeout lets a bind of a large mesh take its time; a hung process is noticed
// by its missing beat instead.
func (w *worker) Timeout(*river.Job[args]) time.Duration { return time.Hour }

// nightly is the job that releases what nothing refers to any longer, once a night for all processes.
type nightly struct{}

// Kind names the job.
func (nightly) Kind() string { return "nightly" }

type nightWorker struct {
	river.WorkerDefaults[nightly]
	store finder
}

// Work lets the store tidy itself; what goes wrong is tried again the next night.
func (w *nightWorker) Work(ctx context.Context, _ *river.Job[nightly]) error {
	if err := w.store.Nightly(ctx); err != nil {
		slog.Error("the nightly tidying failed", "error", err)
	}
	return nil
}

// Timeout lets a large store take its time.
func (w *nightWorker) Timeout(*river.Job[nightly]) time.Duration { return time.Hour }

// everyNight is the schedule of what is done when few people work: 3:40 by the clock of the process.
type everyNight struct{}

// Next implements river.PeriodicSchedule.
func (everyNight) Next(now time.Time) time.Time {
	next := time.Date(now.Year(), now.Month(), now.Day(), 3, 40, 0, 0, now.Location())
	if !next.After(now) {
		next = next.AddDate(0, 0, 1)
	}
	return next
}

// Queue implements store.Jobs.
type Queue struct {
	pool   *pgxpool.Pool
	client *river.Client[pgx.Tx]
	within *river.Client[*sql.Tx] // adds jobs in transactions of the store
	finder finder
	stop   context.CancelFunc
	done   chan struct{}
}

// finder finds work that nobody attends to, and does what is done every night.
type finder interface {
	Unattended(ctx context.Context) ([]string, error)
	Nightly(ctx context.Context) error
}

// migrating is the number of the lock under which River's tables are brought up to date.
const migrating = 847_000_001

// Migrate brings River's tables up to date.
func Migrate(ctx context.Context, pool *pgxpool.Pool) error {
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("opening the queue: %w", err)
	}
	defer conn.Release()
	// Of several servers that start at once one migrates, and the others wait for it.
	if _, err := conn.Exec(ctx, "select pg_advisory_lock($1)", migrating); err != nil {
		return fmt.Errorf("waiting for another server's migration: %w", err)
	}
	defer func() { _, _ = conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", migrating) }()
	m, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err != nil {
		return err
	}
	_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// New returns a queue on the database of a pool. With workers above zero it also
// does that many works at a time once started.
func New(pool *pgxpool.Pool, x *studio.Studio, f finder, workers int) (*Queue, error) {
	config := &river.Config{Logger: slog.New(slog.DiscardHandler), FetchPollInterval: 500 * time.Millisecond}
	if workers > 0 {
		all := river.NewWorkers()
		river.AddWorker(all, &worker{studio: x})
		river.AddWorker(all, &nightWorker{store: f})
		config.PeriodicJobs = []*river.PeriodicJob{river.NewPeriodicJob(everyNight{}, func() (river.JobArgs, *river.InsertOpts) {
			return nightly{}, &river.InsertOpts{MaxAttempts: 1, UniqueOpts: river.UniqueOpts{ByPeriod: 12 * time.Hour}}
		}, nil)}
		config.Workers = all
		config.Queues = map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: workers}}
	}
	client, err := river.NewClient(riverpgxv5.New(pool), config)
	if err != nil {
		return nil, fmt.Errorf("opening the queue: %w", err)
	}
	within, err := river.NewClient(riverdatabasesql.New(nil), &river.Config{Logger: config.Logger})
	if err != nil {
		return nil, fmt.Errorf("opening the queue: %w", err)
	}
	return &Queue{pool: pool, client: client, within: within, finder: f}, nil
}

// Start begins to work until Stop.
func (q *Queue) Start(ctx context.Context) error {
	if err := q.client.Start(ctx); err != nil {
		return fmt.Errorf("starting the queue: %w", err)
	}
	ctx, q.stop = context.WithCancel(ctx)
	q.done = make(chan struct{})
	go func() {
		defer close(q.done)
		tick := time.NewTicker(studio.AbandonAfter / 2)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				q.sweep(ctx)
			}
		}
	}()
	return nil
}

// sweep enqueues again what was left behind by a process that died.
func (q *Queue) sweep(ctx context.Context) {
	ids, err := q.finder.Unattended(ctx)
	if err != nil {
		return // the database is away; the next sweep will see
	}
	waiting, err := q.waiting(ctx, ids)
	if err != nil {
		return
	}
	for _, id := range ids {
		if waiting[id] {
			continue // its turn has not come
		}
		slog.Info("taking up work that was left behind", "work", id)
		if _, err := q.client.Insert(ctx, args{Work: id}, once); err != nil {
			slog.Warn("could not take it up", "work", id, "error", err)
		}
	}
}

// waiting tells which works have a job of River's that waits for a worker.
func (q *Queue) waiting(ctx context.Context, ids []string) (map[string]bool, error) {
	out := map[string]bool{}
	if len(ids) == 0 {
		return out, nil
	}
	rows, err := q.pool.Query(
		ctx,
		"select args->>'work' from river_job where kind = $1 and state in ('available', 'pending', 'retryable', 'scheduled') and args->>'work' = any($2)",
		args{}.Kind(),
		ids,
	)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowTo[string])
	for _, id := range list {
		out[id] = true
	}
	return out, err
}

// once is how a job is added: what fails in it would fail again.
var once = &river.InsertOpts{MaxAttempts: 1}

// InsertTx implements store.Jobs.
func (q *Queue) InsertTx(ctx context.Context, tx *sql.Tx, work string) error {
	_, err := q.within.InsertTx(ctx, tx, args{Work: work}, once)
	return err
}

// Stop gives the work at hand back, so that another process goes on with it at once.
func (q *Queue) Stop(ctx context.Context) {
	if q.stop != nil {
		q.stop()
		<-q.done
		_ = q.client.StopAndCancel(ctx)
	}
}
