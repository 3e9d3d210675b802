package studio

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
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
			v, err := c.need(context.Background(), "a", func(context.Context) (int, int, error) {
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
	_, err := c.need(context.Background(), "b", func(context.Context) (int, int, error) { return 0, 1, fails })
	require.ErrorIs(t, err, fails)
	v, err := c.need(context.Background(), "b", func(context.Context) (int, int, error) { return 3, 1, nil })
	require.NoError(t, err)
	require.Equal(t, 3, v)
}
