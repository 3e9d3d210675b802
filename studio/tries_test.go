package studio

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Tries that nobody asks for any more end; those that somebody asks for go on.
func TestTriesEndWhenNobodyAsks(t *testing.T) {
	x := &Studio{}
	gone := &begunTries{asked: time.Now().Add(-2 * triesUnasked)}
	ctx, cancel := context.WithCancel(context.Background())
	x.whileAsked(ctx, cancel, gone)
	require.ErrorIs(t, ctx.Err(), context.Canceled)

	asked := &begunTries{asked: time.Now()}
	ctx, cancel = context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { x.whileAsked(ctx, cancel, asked); close(ended) }()
	time.Sleep(triesUnasked/6 + 200*time.Millisecond)
	require.NoError(t, ctx.Err())
	cancel()
	<-ended
}
