package studio

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// cache keeps values by key, least used dropped first, bounded by the bytes that
// they take, not by their number: a state may be a kilobyte or a gigabyte. What is
// asked for by several at once is made once.
type cache[V any] struct {
	mu     sync.Mutex
	list   *simplelru.LRU[string, sized[V]]
	bytes  int64
	limit  int64
	making map[string]*making[V]
}

// making is a value on its way.
type making[V any] struct {
	waiting int
	stop    context.CancelFunc
	done    chan struct{} // closed when value and err are there
	value   V
	err     error
}

type sized[V any] struct {
	value V
	size  int64
}

func newCache[V any](limit int64) *cache[V] {
	c := &cache[V]{limit: limit, making: map[string]*making[V]{}}
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

// load returns a value, made if it is not there. Who asks may stop waiting; what is
// made goes on for the others, so that one person's closed tab fails nobody else, and
// is told to stop when nobody waits for it any more. A panic in build is an error.
func (c *cache[V]) load(ctx context.Context, key string, build func(ctx context.Context) (V, int, error)) (V, error) {
	c.mu.Lock()
	if v, ok := c.list.Get(key); ok {
		c.mu.Unlock()
		return v.value, nil
	}
	m, ok := c.making[key]
	if !ok {
		within, stop := context.WithCancel(context.WithoutCancel(ctx))
		m = &making[V]{stop: stop, done: make(chan struct{})}
		c.making[key] = m
		go c.make(within, key, m, build)
	}
	m.waiting++
	c.mu.Unlock()
	select {
	case <-m.done:
		return m.value, m.err
	case <-ctx.Done():
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if m.waiting--; m.waiting == 0 {
		m.stop()
		if c.making[key] == m { // who asks from now on begins anew
			delete(c.making, key)
		}
	}
	var none V
	return none, ctx.Err()
}

func (c *cache[V]) make(ctx context.Context, key string, m *making[V], build func(ctx context.Context) (V, int, error)) {
	var size int
	defer func() {
		if r := recover(); r != nil {
			m.err = fmt.Errorf("%s broke off by a defect of the program: %v\n%s", key, r, debug.Stack())
		}
		if m.err == nil {
			c.put(key, m.value, size)
		}
		c.mu.Lock()
		if c.making[key] == m {
			delete(c.making, key)
		}
		c.mu.Unlock()
		m.stop()
		close(m.done)
	}()
	m.value, size, m.err = build(ctx)
}
