package studio

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
)

// held adds up what a cache really keeps.
func held(c *cache[int]) (bytes int64) {
	for _, k := range c.list.Keys() {
		v, _ := c.list.Peek(k)
		bytes += v.size
	}
	return bytes
}

func TestACacheIsBoundedByBytes(t *testing.T) {
	c := newCache[int](1000)
	r := rand.New(rand.NewPCG(1, 1))
	for i := range 5000 { // keys come again with other sizes
		c.put(fmt.Sprint(r.IntN(40)), i, r.IntN(600))
		require.Equal(t, held(c), c.bytes)
		require.LessOrEqual(t, c.bytes, int64(1000))
	}
	require.Positive(t, c.bytes)

	c = newCache[int](1000)
	for i := range 10 {
		c.put(fmt.Sprint(i), i, 100)
	}
	_, ok := c.get("0") // used, so the next to go is 1
	require.True(t, ok)
	c.put("new", 1, 100)
	_, ok = c.get("0")
	require.True(t, ok)
	_, ok = c.get("1")
	require.False(t, ok)

	c.put("huge", 1, 501) // would push half of the others out for one
	_, ok = c.get("huge")
	require.False(t, ok)
	_, ok = c.get("new")
	require.True(t, ok)
}

func TestWhatManyAskForIsMadeOnce(t *testing.T) {
	c := newCache[int](1000)
	var made atomic.Int32
	start := make(chan struct{})
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			<-start
			v, err := c.load(context.Background(), "a", func(context.Context) (int, int, error) {
				made.Add(1)
				return 7, 10, nil
			})
			if err != nil || v != 7 {
				t.Errorf("%d, %v", v, err)
			}
		})
	}
	close(start)
	wg.Wait()
	require.EqualValues(t, 1, made.Load())

	// What failed is not kept: the next who asks may have more luck.
	fails := errors.New("the disk is full")
	_, err := c.load(context.Background(), "b", func(context.Context) (int, int, error) { return 0, 1, fails })
	require.ErrorIs(t, err, fails)
	v, err := c.load(context.Background(), "b", func(context.Context) (int, int, error) { return 3, 1, nil })
	require.NoError(t, err)
	require.Equal(t, 3, v)
}

func TestABrokenMakingFailsTheAskerOnly(t *testing.T) {
	c := newCache[int](1000)
	_, err := c.load(context.Background(), "a", func(context.Context) (int, int, error) { panic("no such face") })
	require.ErrorContains(t, err, "no such face")
	v, err := c.load(context.Background(), "a", func(context.Context) (int, int, error) { return 3, 1, nil })
	require.NoError(t, err)
	require.Equal(t, 3, v)
}

func TestAMakingStopsWhenNobodyWaits(t *testing.T) {
	c := newCache[int](1000)
	begun, stopped := make(chan struct{}), make(chan struct{})
	long := func(ctx context.Context) (int, int, error) {
		close(begun)
		<-ctx.Done()
		close(stopped)
		return 0, 0, ctx.Err()
	}
	one, leave := context.WithCancel(context.Background())
	two, leaveToo := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for _, ctx := range []context.Context{one, two} {
		wg.Go(func() {
			_, err := c.load(ctx, "a", long)
			if !errors.Is(err, context.Canceled) {
				t.Error(err)
			}
		})
		<-begun
	}
	for c.waiting("a") < 2 {
		runtime.Gosched()
	}
	leave()
	for c.waiting("a") > 1 {
		runtime.Gosched()
	}
	select {
	case <-stopped:
		t.Fatal("stopped while somebody waited")
	default:
	}
	leaveToo()
	<-stopped
	wg.Wait()
	v, err := c.load(context.Background(), "a", func(context.Context) (int, int, error) { return 3, 1, nil })
	require.NoError(t, err, "who comes later begins anew")
	require.Equal(t, 3, v)
}

func (c *cache[V]) waiting(key string) int {
	c.mu.Lock()
	defer c.mu.Unlock()
	if m := c.making[key]; m != nil {
		return m.waiting
	}
	return 0
}
