package studio

import (
	"context"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/sync/singleflight"
)

// cache keeps values by key, least used dropped first, bounded by the bytes that
// they take, not by their number: a state may be a kilobyte or a gigabyte. What is
// asked for by several at once is made once.
type cache[V any] struct {
	mu     sync.Mutex
	list   *simplelru.LRU[string, sized[V]]
	bytes  int64
	limit  int64
	flight singleflight.Group
}

type sized[V any] struct {
	value V
	size  int64
}

func newCache[V any](limit int64) *cache[V] {
	c := &cache[V]{limit: limit}
	c.list, _ = simplelru.NewLRU(1<<20, func(_ string, v sized[V]) { c.bytes -= v.size }) // fails for sizes below 1 only
	return c
}

func (c *cache[V]) get(key string) (V, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	v, ok := c.list.Get(key)
	return v.value, ok
}

// put keeps a value; one that is larger than half the cache is not kept.
func (c *cache[V]) put(key string, v V, size int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if int64(size) > c.limit/2 {
		return
	}
	if c.list.Contains(key) {
		c.list.Remove(key)
	}
	c.list.Add(key, sized[V]{v, int64(size)})
	c.bytes += int64(size)
	for c.bytes > c.limit {
		c.list.RemoveOldest()
	}
}

// need returns a value, made if it is not there. Who asks may stop waiting; what is
// made goes on for the others, so that one person's closed tab fails nobody else.
func (c *cache[V]) need(ctx context.Context, key string, make func(ctx context.Context) (V, int, error)) (V, error) {
	if v, ok := c.get(key); ok {
		return v, nil
	}
	done := c.flight.DoChan(key, func() (any, error) {
		if v, ok := c.get(key); ok {
			return v, nil
		}
		v, size, err := make(context.WithoutCancel(ctx))
		if err == nil {
			c.put(key, v, size)
		}
		return v, err
	})
	var none V
	select {
	case <-ctx.Done():
		return none, ctx.Err()
	case r := <-done:
		if r.Err != nil {
			return none, r.Err
		}
		return r.Val.(V), nil
	}
}
