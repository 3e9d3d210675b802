package web

import (
	"context"
	"net/http"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
)

func TestLargeRequestsWaitForEachOther(t *testing.T) {
	m := roomOf(100, time.Minute)
	var at, most atomic.Int64
	var wg sync.WaitGroup
	for range 40 {
		wg.Go(func() {
			give, err := m.take(context.Background(), 30)
			if err != nil {
				t.Error(err)
				return
			}
			defer give()
			n := at.Add(30)
			for o := most.Load(); n > o && !most.CompareAndSwap(o, n); o = most.Load() {
			}
			time.Sleep(time.Millisecond)
			at.Add(-30)
		})
	}
	wg.Wait()
	require.Equal(t, int64(90), most.Load())
}

func TestARequestLargerThanTheMemoryIsRefused(t *testing.T) {
	m := roomOf(100<<20, time.Minute)
	_, err := m.take(context.Background(), 101<<20)
	require.ErrorIs(t, err, reading.ErrTooLarge)
	code, text := status(err)
	require.Equal(t, http.StatusRequestEntityTooLarge, code)
	require.Contains(t, text, "101 MB of memory, and 100 are there")
	require.Contains(t, text, "Nothing was changed")
}

func TestARequestThatWaitsTooLongIsToldSo(t *testing.T) {
	m := roomOf(100, time.Millisecond)
	give, err := m.take(context.Background(), 80)
	require.NoError(t, err)
	_, err = m.take(context.Background(), 30)
	require.ErrorIs(t, err, errBusy)
	code, text := status(err)
	require.Equal(t, http.StatusServiceUnavailable, code)
	require.Contains(t, text, "send it again")

	gone, leave := context.WithCancel(context.Background())
	leave()
	_, err = m.take(gone, 30)
	require.ErrorIs(t, err, context.Canceled)
	give()
	give, err = m.take(context.Background(), 30)
	require.NoError(t, err, "what was held is given back")
	give()
}
