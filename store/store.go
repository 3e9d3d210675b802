// Package store keeps characters, revisions, blobs and work in PostgreSQL.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io"
	"net"
	"sync/atomic"
	"time"

	"wisemarrow/studio"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jackc/puddle/v2"
	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store implements studio.Store.
type Store struct {
	pool *pgxpool.Pool // the process's one, of gorm, of the queue, and of who listens
	db   *gorm.DB
	jobs Jobs
	full atomic.Int64 // when the disk was full last, nanoseconds since 1970
	zip  *zstd.Encoder
	un   *zstd.Decoder
	// beforeCommit is called in tests, to lose the connection there.
	beforeCommit func(tx *gorm.DB)
}

// Jobs begins long work: InsertTx adds the job of a work in the transaction that stores it.
type Jobs interface {
	InsertTx(ctx context.Context, tx *sql.Tx, work string) error
}

// Use has works begun by a queue.
func (s *Store) Use(j Jobs) { s.jobs = j }

// Pool returns the connections of the store, for the queue.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

// tracer is told of statements, in tests.
var tracer pgx.QueryTracer

// mostConnections is how many connections a process has at most, unless its database's address says more.
const mostConnections = 20

// fullFor is how long after a full disk the store reports that it is not ready.
const fullFor = 30 * time.Second

// Open connects to the database at url and checks that it answers.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	config.MaxConns = max(config.MaxConns, mostConnections)
	config.MaxConnIdleTime, config.ConnConfig.Tracer = time.Minute, tracer
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("opening the database: %w", mapped(err))
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("opening the database: %w", mapped(err))
	}
	db, err := gorm.Open(
		postgres.New(postgres.Config{Conn: stdlib.OpenDBFromPool(pool)}),
		&gorm.Config{Logger: logger.Discard, TranslateError: true, SkipDefaultTransaction: true},
	)
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("opening the database: %w", mapped(err))
	}
	zip, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	if err != nil {
		return nil, err
	}
	un, err := zstd.NewReader(nil)
	if err != nil {
		return nil, err
	}
	return &Store{pool: pool, db: db, zip: zip, un: un}, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	db, err := s.db.DB()
	if err == nil {
		err = db.Close()
	}
	s.pool.Close()
	return err
}

// Ping reports whether the database answers, and has room: for a while after its disk was full it has none.
func (s *Store) Ping(ctx context.Context) error {
	if err := mapped(s.pool.Ping(ctx)); err != nil {
		return err
	}
	if at := s.full.Load(); at != 0 && time.Since(time.Unix(0, at)) < fullFor {
		return studio.ErrFull
	}
	return nil
}

// ErrNewer means that the data was written by a newer version of the program.
var ErrNewer = errors.New(
	"the database was made by a newer version of Wise Marrow: use that version, or restore a backup that fits this one; nothing was changed",
)

// Migrate brings the tables to this version. It refuses a newer database.
func (s *Store) Migrate(ctx context.Context) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	// Of several servers that start at once one migrates, and the others wait for it.
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 300)) // asked for every second, for five minutes
	if err != nil {
		return err
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return fmt.Errorf("opening the database: %w", mapped(err))
	}
	defer func() { _ = conn.Close() }()
	if err := locker.SessionLock(ctx, conn); err != nil {
		return fmt.Errorf("waiting for another server's migration: %w", mapped(err))
	}
	defer func() { _ = locker.SessionUnlock(context.WithoutCancel(ctx), conn) }()
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	if err := goose.SetDialect("postgres"); err != nil {
		return err
	}
	have, err := goose.GetDBVersionContext(ctx, pool)
	if err != nil {
		return fmt.Errorf("reading the database's version: %w", mapped(err))
	}
	list, err := goose.CollectMigrations("migrations", 0, goose.MaxVersion)
	if err != nil {
		return err
	}
	if newest, err := list.Last(); err == nil && have > newest.Version {
		return fmt.Errorf("version %d, this program knows %d: %w", have, newest.Version, ErrNewer)
	}
	if err := goose.UpContext(ctx, pool, "migrations"); err != nil {
		return fmt.Errorf("bringing the tables up to date: %w", mapped(err))
	}
	return nil
}

// mapped turns a lost connection into studio.ErrDown and a missing row into
// studio.ErrNotFound.
func mapped(err error) error {
	if err == nil {
		return nil
	}
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return studio.ErrNotFound
	}
	if errors.Is(err, context.Canceled) || errors.Is(err, studio.ErrNotFound) || errors.Is(err, studio.ErrRepeated) {
		return err
	}
	var connect *pgconn.ConnectError
	var network net.Error
	var pg *pgconn.PgError
	down := errors.As(err, &connect) || errors.As(err, &network) || errors.Is(err, driver.ErrBadConn) ||
		errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, net.ErrClosed) ||
		errors.Is(err, puddle.ErrClosedPool) ||
		pgconn.SafeToRetry(err)
	if errors.As(err, &pg) {
		// 57P0x: shut down or starting; 08xxx: connection; 53300: too many.
		down = len(pg.Code) == 5 && (pg.Code[:3] == "57P" || pg.Code[:2] == "08" || pg.Code == "53300")
	}
	if pg != nil && (pg.Code == "22P05" || pg.Code == "22P02" || pg.Code == "22021") {
		return studio.Wrong(
			"the text holds a character that cannot be stored, such as half of a surrogate pair or a zero: remove it (%v)",
			err,
		)
	}
	if pg != nil && pg.Code == "53100" {
		return fmt.Errorf("%w (%v)", studio.ErrFull, err)
	}
	if down {
		return fmt.Errorf("%w (%v)", studio.ErrDown, err)
	}
	return err
}
