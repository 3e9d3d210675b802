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
		_, err := conn.Exec(ctx, "drop database "+name+" with (force)")
		require.NoError(t, err)
		require.NoError(t, conn.Close(ctx))
	})
	u, err := url.Parse(admin)
	require.NoError(t, err)
	u.Path = "/" + name
	return u.String()
}
