// Package testdb gives each test a database of its own.
package testdb

import (
	"context"
	"crypto/rand"
	"net/url"
	"os"
	"strings"
	"testing"

	"wisemarrow/internal/need"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// New makes an empty database on the server that WISEMARROW_TEST_DATABASE names
// and returns its URL; the test is skipped without one. `make test` sets it.
func New(t *testing.T) string {
	t.Helper()
	admin := os.Getenv("WISEMARROW_TEST_DATABASE")
	if admin == "" {
		need.Skip(t, "WISEMARROW_TEST_DATABASE is not set; make test starts a database")
	}
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, admin)
	require.NoError(t, err)
	name := "test_" + strings.ToLower(rand.Text())
	_, err = conn.Exec(ctx, "create database "+name)
	require.NoError(t, err)
	t.Cleanup(func() {
		// Not "with (force)": that ends every session there, and refuses when one is the
		// server's own (autovacuum), which a plain drop sends away itself.
		_, err := conn.Exec(ctx, "alter database "+name+" with allow_connections false")
		require.NoError(t, err)
		_, err = conn.Exec(
			ctx,
			"select pg_terminate_backend(pid, 5000) from pg_stat_activity where datname = $1 and usename = current_user",
			name,
		)
		require.NoError(t, err)
		_, err = conn.Exec(ctx, "drop database "+name)
		require.NoError(t, err)
		require.NoError(t, conn.Close(ctx))
	})
	u, err := url.Parse(admin)
	require.NoError(t, err)
	u.Path = "/" + name
	return u.String()
}
