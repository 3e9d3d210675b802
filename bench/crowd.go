package main

import (
	"bufio"
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"runtime"
	"runtime/debug"
	"slices"
	"sync"
	"syscall"
	"time"

	"wisemarrow/demo"
	"wisemarrow/studio"
)

const (
	crowdSize = 50
	crowdTime = 20 * time.Second
	streams   = 200
)

// crowd measures fifty people who edit as fast as they are answered, each a character of
// their own, while somebody looks at the cast; two hundred streams of news in which little
// happens; and what memory is left in use by it. Clients and server are one process, so
// that the machine is theirs together.
func crowd() error {
	ctx := context.Background()
	s, end, err := emptyStore(ctx)
	if s == nil || err != nil {
		return err
	}
	defer end()
	h := &hand{s: s}
	h.fresh()
	defer func() { h.server.Close() }()
	http.DefaultTransport.(*http.Transport).MaxIdleConnsPerHost = crowdSize
	m, sk := demo.Odile(0.0123)
	at := sk.Joints[sk.Index("hand_l")].Pos
	type one struct {
		id   string
		head int64
	}
	all := make([]one, crowdSize)
	for i := range all {
		c, err := h.x.Add(
			ctx,
			studio.Character{Production: "Bench", Name: fmt.Sprintf("Odile %d", i)},
			"bench",
			studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()},
			"made",
		)
		if err != nil {
			return err
		}
		all[i] = one{c.ID, c.Head}
		if _, _, err := h.get("/characters/" + c.ID + "/card"); err != nil {
			return err
		}
	}
	edit := func(i, k int) (time.Duration, error) {
		var out struct{ Revision struct{ ID int64 } }
		params := map[string]any{"joint": "hand_l", "to": []float64{at.X, at.Y + 1e-4*float64(k%50+1) + 1e-6*rand.Float64(), at.Z}}
		took, _, err := h.post(
			"/api/characters/"+all[i].id+"/ops",
			map[string]any{"op": "move_joint", "base": all[i].head, "stage": "placement", "params": params},
			&out,
		)
		if err == nil {
			all[i].head = out.Revision.ID
		}
		return took, err
	}
	for k := range 60 { // each has been worked on: the caches hold what they will
		for i := range all {
			if _, err := edit(i, k); err != nil {
				return err
			}
		}
	}
	before := inUse()
	var mu sync.Mutex
	var edits, casts []float64
	var failed error
	take := func(list *[]float64, d time.Duration, err error) {
		mu.Lock()
		defer mu.Unlock()
		*list = append(*list, ms(d))
		if err != nil {
			failed = err
		}
	}
	var wg sync.WaitGroup
	until := time.Now().Add(crowdTime)
	for i := range all {
		wg.Go(func() {
			for k := 1; time.Now().Before(until); k++ {
				d, err := edit(i, k)
				take(&edits, d, err)
			}
		})
	}
	wg.Go(func() {
		for time.Now().Before(until) {
			d, _, err := h.get("/")
			take(&casts, d, err)
			time.Sleep(200 * time.Millisecond)
		}
	})
	wg.Wait()
	if failed != nil {
		return failed
	}
	after := inUse()
	slices.Sort(edits)
	slices.Sort(casts)
	fmt.Printf(
		"%d people edit for %.0f s as fast as they are answered: %d vertices, a joint moved and its panel (ms)\n",
		crowdSize,
		crowdTime.Seconds(),
		len(m.Points),
	)
	fmt.Printf("%-34s %8s %8s %8s %8s\n", "", "n", "median", "p95", "longest")
	for _, row := range []struct {
		name string
		list []float64
	}{{"edits", edits}, {fmt.Sprintf("the cast of %d meanwhile", crowdSize), casts}} {
		n := len(row.list)
		fmt.Printf("%-34s %8d %8.0f %8.0f %8.0f\n", row.name, n, row.list[n/2], row.list[n*95/100], row.list[n-1])
	}
	fmt.Printf("memory that is kept before and after: %.0f and %.0f MB, %.2f times\n", before, after, after/before)

	listening, stop := context.WithCancel(ctx)
	defer stop()
	go s.Listen(listening, h.x.Wake)
	ready := make(chan error, streams)
	for i := range streams {
		wg.Go(func() {
			r, err := http.NewRequestWithContext(listening, "GET", h.server.URL+"/api/events?character="+all[i%crowdSize].id, nil)
			if err != nil {
				ready <- err
				return
			}
			a, err := (&http.Client{Transport: &http.Transport{}}).Do(r)
			if err != nil {
				ready <- err
				return
			}
			defer a.Body.Close()
			lines := bufio.NewScanner(a.Body)
			ready <- nil
			for lines.Scan() {
			}
		})
	}
	for range streams {
		if err := <-ready; err != nil {
			return err
		}
	}
	time.Sleep(time.Second)
	quiet := cpu()
	time.Sleep(10 * time.Second)
	quiet = cpu() - quiet
	busy := cpu()
	for k := range 10 {
		if _, err := edit(k, k); err != nil {
			return err
		}
		time.Sleep(time.Second)
	}
	busy = cpu() - busy
	fmt.Printf(
		"%d streams of news: %.1f %% of a core when nothing happens, %.1f %% with an edit a second, its own cost and the readers' within\n",
		streams,
		10*quiet.Seconds(),
		10*busy.Seconds(),
	)
	stop()
	wg.Wait()
	return nil
}

// inUse is what is kept in memory, in MB: the caches, and what leaks.
func inUse() float64 {
	runtime.GC() // twice, so that pools are empty
	debug.FreeOSMemory()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapAlloc) / 1e6
}

// cpu is the processor time that this process has taken.
func cpu() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u) // fails for wrong arguments alone
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
