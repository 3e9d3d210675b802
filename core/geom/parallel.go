package geom

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// Chunks calls work on [lo,hi) ranges of fixed length that cover 0..n, from as
// many goroutines as there are cores. The ranges do not depend on the core
// count, so work that writes only to its own range gives the same result
// everywhere.
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
	var wg sync.WaitGroup
	for range workers {
		wg.Go(func() {
			for {
				i := int(next.Add(1)) - 1
				if i >= count {
					return
				}
				work(i*length, min((i+1)*length, n))
			}
		})
	}
	wg.Wait()
}
