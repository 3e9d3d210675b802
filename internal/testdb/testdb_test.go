package testdb_test

import (
	"context"
	"testing"

	"wisemarrow/internal/testdb"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// A database goes away with its test although a session of the test is open and the server's
// own cleaning may be at work in it.
func TestADatabaseGoesWithItsTest(t *testing.T) {
	ctx := context.Background()
	var url string
	t.Run("one", func(t *testing.T) {
		url = testdb.New(t)
		conn, err := pgx.Connect(ctx, url)
		require.NoError(t, err)
		_, err = conn.Exec(ctx, "create table made as select generate_series(1, 100000) n")
		require.NoError(t, err)
	})
	_, err := pgx.Connect(ctx, url)
	require.ErrorContains(t, err, "does not exist")
}
