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

// What is small and came later passes what is large and waits; and what is large comes in as soon as there is
// room, and in the end has its turn whatever else comes.
func TestSmallRequestsPassALargeOneThatWaits(t *testing.T) {
	m := roomOf(100, 2*time.Second)
	hold, err := m.take(context.Background(), 60)
	require.NoError(t, err)
	large := make(chan error, 1)
	go func() {
		give, err := m.take(context.Background(), 80)
		if err == nil {
			give()
		}
		large <- err
	}()
	time.Sleep(3 * patience) // it waits
	for range 5 {
		begun := time.Now()
		give, err := m.take(context.Background(), 10)
		require.NoError(t, err)
		require.Less(t, time.Since(begun), time.Second, "behind the large one it would wait for the first to end")
		give()
	}
	hold()
	require.NoError(t, <-large)

	// Small ones without end: the large one stands in line after half of its time.
	stop := make(chan struct{})
	var wg sync.WaitGroup
	for range 12 {
		wg.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
				}
				if give, err := m.take(context.Background(), 10); err == nil {
					time.Sleep(time.Millisecond)
					give()
				}
			}
		})
	}
	give, err := m.take(context.Background(), 95)
	require.NoError(t, err)
	give()
	close(stop)
	wg.Wait()
}
