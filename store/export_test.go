package store

import (
	"context"
	"sync"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"
)

// Statements counts what is sent to the database by stores that are opened after Trace.
type Statements struct {
	mu   sync.Mutex
	list []string
}

// TraceQueryStart implements pgx.QueryTracer.
func (s *Statements) TraceQueryStart(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryStartData) context.Context {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.list = append(s.list, d.SQL)
	return ctx
}

// TraceQueryEnd implements pgx.QueryTracer.
func (s *Statements) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// Take returns what has been sent since the last time.
func (s *Statements) Take() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := s.list
	s.list = nil
	return out
}

// Trace has stores that are opened from now on counted, until the returned function is called.
func Trace(s *Statements) (end func()) {
	tracer = s
	return func() { tracer = nil }
}

// BeforeCommit has f called before each COMMIT.
func (s *Store) BeforeCommit(f func()) {
	s.beforeCommit = func(*gorm.DB) { f() }
}
