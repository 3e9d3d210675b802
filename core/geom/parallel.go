package geom

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// Chunks calls work on [lo,hi) ranges of fixed length that cover 0..n, from as
// many goroutines as there are cores. The ranges do not depend on the core
// count, so work that writes only to its own range gives the same result
// everywhere. A panic in work comes out of Chunks, in the caller's goroutine, so
// that it can be recovered there and does not end the process.
func Chunks(n, length int, work func(lo, hi int)) {
	count := (n + length - 1) / length
	workers := min(runtime.GOMAXPROCS(0), count)
	if workers <= 1 {
		for lo := 0; lo < n; lo += length {
			work(lo, min(lo+length, n))
		}
		return
	}
	var next atomic.Int64
	var g group
	for range workers {
		g.run(func() {
			for {
				i := int(next.Add(1)) - 1
				if i >= count {
					return
				}
				work(i*length, min((i+1)*length, n))
			}
		})
	}
	g.wait()
}

// Both calls a and b at the same time and returns when both are done. A panic in
// either comes out of it, as with Chunks.
func Both(a, b func()) {
	var g group
	g.run(a)
	g.run(b)
	g.wait()
}

// group runs goroutines and hands on the first panic of one to who waits.
type group struct {
	wg    sync.WaitGroup
	first atomic.Pointer[Panic]
}

// Panic is what a goroutine panicked with, and where.
type Panic struct {
	Value any
	Stack string
}

func (p *Panic) Error() string { return fmt.Sprintf("%v\n%s", p.Value, p.Stack) }

func (g *group) run(f func()) {
	g.wg.Go(func() {
		defer func() {
			if r := recover(); r != nil {
				p, ok := r.(*Panic) // of a group within
				if !ok {
					p = &Panic{r, string(debug.Stack())}
				}
				g.first.CompareAndSwap(nil, p)
			}
		}()
		f()
	})
}

func (g *group) wait() {
	g.wg.Wait()
	if p := g.first.Load(); p != nil {
		panic(p)
	}
}
