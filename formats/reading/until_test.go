package reading_test

import (
	"context"
	"io"
	"strings"
	"testing"

	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
)

// Reading ends when its context does, in the middle of a file.
func TestReadingEndsWithItsContext(t *testing.T) {
	ctx, leave := context.WithCancel(context.Background())
	r := reading.Until(ctx, strings.NewReader(strings.Repeat("v 0 0 0\n", 1<<20)))
	_, err := r.Read(make([]byte, 100))
	require.NoError(t, err)
	leave()
	n, err := io.Copy(io.Discard, r)
	require.ErrorIs(t, err, context.Canceled)
	require.Zero(t, n)
}
