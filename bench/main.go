// Command bench prints tables of speed, memory and fit: make bench, or those that are
// named: go run ./bench heat hands.
package main

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"math"
	"os"
	"runtime"
	"slices"
	"sync/atomic"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/formats"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
)

func main() {
	if len(os.Args) > 2 && os.Args[1] == "launch" {
		if err := launch(os.Args[2], os.Args[3:]); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	fmt.Printf("%d cores, %s\n", runtime.NumCPU(), runtime.Version())
	tables := []struct {
		name string
		do   func() error
	}{{"heat", heat}, {"cholesky", cholesky}, {"whole", whole}, {"binds", binds}, {"spoils", spoiled}, {"spoiled-strangers", spoiledStrangers}, {"planted", plantedFaults}, {"carry", carrying}, {"weights",
		weightsSpeed},
		{"motion", motionSpeed},
		{"intake", intakeSpeed},
		{"unwelded", unwelded},
		{"hostile", hostileSpeed},
		{"axes", axesSpeed},
		{"hands", hands},
		{"crowd", crowd},
		{"fit", fitSpeed},
		{"fitted", fitted},
		{"variants", variants},
		{"strangers", strangers},
		{
			"coats",
			coats,
		}, {"garments", garments}, {"poses", poses}, {"contacts", contacts}, {"house", houseStyle}, {"sureness", sureness}, {"creatures", creatures},
		{
			"populations",
			populations,
		},
		{"solved", solvedWeights},
		{"solved-speed", solvedSpeed},
		{"solved-poses", solvedPoses},
		{"correctives", correctives},
		{"helpers", helperJoints},
		{"builds", builds},
		{"shape-speed", shapeSpeed},
		{"sculpt", sculptSpeed},
		{"handoff", handoffSpeed},
		{"pose-correctives", poseCorrectives},
		{"limits", limits}}
	for _, table := range tables {
		if len(os.Args) > 1 && !slices.Contains(os.Args[1:], table.name) {
			continue // only those that are named
		}
		fmt.Println()
		if err := table.do(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
}

// peak runs f and returns how long it took and the most heap that it had in use
// over what was there before, in MB, sampled every two milliseconds.
func peak(f func() error) (time.Duration, float64, error) {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	base := m.HeapAlloc
	var most atomic.Uint64
	stop, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		tick := time.NewTicker(2 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-stop:
				return
			case <-tick.C:
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				if m.HeapInuse > most.Load() {
					most.Store(m.HeapInuse)
				}
			}
		}
	}()
	begin := time.Now()
	err := f()
	took := time.Since(begin)
	close(stop)
	<-done
	return took, math.Max(0, float64(most.Load())-float64(base)) / 1e6, err
}

// slope returns the exponent of growth between two measurements.
func slope(n0, n1 int, t0, t1 float64) string {
	if n0 == 0 || t0 == 0 {
		return "    "
	}
	return fmt.Sprintf("%.2f", math.Log(t1/t0)/math.Log(float64(n1)/float64(n0)))
}

// heat binds Odile at five resolutions to her 22 deforming joints.
func heat() error {
	fmt.Println("Heat bind (ms; median of 3; growth is the exponent against the row above)")
	fmt.Printf(
		"%9s %7s %11s %9s %14s %7s %7s %7s %7s %8s %7s\n",
		"vertices",
		"joints",
		"visibility",
		"assembly",
		"factorisation",
		"solve",
		"report",
		"total",
		"growth",
		"L, M",
		"MB",
	)
	n0, t0 := 0, 0.0
	for _, cell := range []float64{0.0174, 0.0108, 0.00778, 0.0055, 0.00389} {
		m, s := demo.Odile(cell)
		type run struct {
			millis map[string]float64
			report *bind.Report
		}
		var runs []run
		most := 0.0
		for range 3 {
			one := run{millis: map[string]float64{}}
			o := bind.DefaultOptions
			o.Took = func(step string, ms float64) { one.millis[step] = ms }
			_, mb, err := peak(func() error {
				_, r, err := bind.Heat(context.Background(), m, s, o, nil)
				one.report = r
				return err
			})
			if err != nil {
				return err
			}
			runs = append(runs, one)
			most = math.Max(most, mb)
		}
		slices.SortFunc(runs, func(a, b run) int { return cmp.Compare(a.millis["total"], b.millis["total"]) })
		r, ms := runs[1].report, runs[1].millis
		asked := 0
		for _, j := range r.Joints {
			if j.State != bind.Idle {
				asked++
			}
		}
		t := ms["total"]
		fmt.Printf(
			"%9d %7d %11.0f %9.0f %14.0f %7.0f %7.0f %7.0f %7s %8.2f %7.0f\n",
			len(m.Points),
			asked,
			ms["visibility"],
			ms["assembly"],
			ms["factorisation"],
			ms["solve"],
			ms["report"],
			t,
			slope(n0, len(m.Points), t0, t),
			float64(r.Factor)/1e6,
			most,
		)
		n0, t0 = len(m.Points), t
	}
	return nil
}

// intakeSpeed reads a GLB, checks it in full, mends it and makes the view's bundle.
func intakeSpeed() error {
	fmt.Println("Intake of a GLB (ms; the check is whole, self-intersections included; growth is the exponent of the check)")
	fmt.Printf("%9s %8s %8s %8s %7s %8s %8s %8s\n", "vertices", "file MB", "read", "check", "growth", "mend", "view", "MB")
	n0, t0 := 0, 0.0
	for _, cell := range []float64{0.0174, 0.0123, 0.0055, 0.00389, 0.00247} {
		m, _ := demo.Odile(cell)
		var file bytes.Buffer
		if err := gltf.EncodeGLB(&file, &gltf.Scene{Mesh: m}); err != nil {
			return err
		}
		var scene *gltf.Scene
		var read, check, mend, view time.Duration
		_, mb, err := peak(func() error {
			begin := time.Now()
			var err error
			if scene, err = formats.Decode("odile.glb", bytes.NewReader(file.Bytes()), nil, reading.Default); err != nil {
				return err
			}
			read = time.Since(begin)
			begin = time.Now()
			_, _, _ = health.Check(context.Background(), scene.Mesh.Surface(), "biped")
			check = time.Since(begin)
			begin = time.Now()
			out, _ := scene.Mesh.DropFaces()
			if out, _, err = out.Weld(1e-5, false); err != nil {
				return err
			}
			out, _ = out.DropLoose()
			out.MakeOutward()
			mend = time.Since(begin)
			begin = time.Now()
			_, err = bundle.MeshView(scene.Mesh)
			view = time.Since(begin)
			return err
		})
		if err != nil {
			return err
		}
		t := float64(check.Milliseconds())
		fmt.Printf(
			"%9d %8.1f %8d %8d %7s %8d %8d %8.0f\n",
			len(scene.Mesh.Points),
			float64(file.Len())/1e6,
			read.Milliseconds(),
			check.Milliseconds(),
			slope(n0, len(scene.Mesh.Points), t0, t),
			mend.Milliseconds(),
			view.Milliseconds(),
			mb,
		)
		n0, t0 = len(scene.Mesh.Points), t
	}
	return nil
}

// fitSpeed fits starters into meshes of growing size.
func fitSpeed() error {
	fmt.Println("Fit of a starter (ms; growth is the exponent against the row above)")
	fmt.Printf("%-10s %9s %8s %7s %7s\n", "starter", "vertices", "ms", "growth", "MB")
	for _, c := range []struct {
		params skeleton.Params
		make   func(float64) (*mesh.Mesh, *skeleton.Skeleton)
		cells  []float64
	}{
		{skeleton.Kinds[0].Default, demo.Odile, []float64{0.0174, 0.0123, 0.0078, 0.0055, 0.0039}},
		{demo.OtterParams, demo.Sedge, []float64{0.0125, 0.0105, 0.0045, 0.0033}},
		{demo.PloverParams, demo.Plover, []float64{0.0082, 0.0059, 0.0027, 0.0018}},
	} {
		n0, t0 := 0, 0.0
		for _, cell := range c.cells {
			m, _ := c.make(cell)
			took, mb, err := peak(func() error {
				_, _, err := fit.Fit(context.Background(), m, fit.Options{Params: c.params}, nil)
				return err
			})
			if err != nil {
				return fmt.Errorf("%s: %w", c.params.Starter, err)
			}
			t := float64(took.Milliseconds())
			fmt.Printf("%-10s %9d %8.0f %7s %7.0f\n", c.params.Starter, len(m.Points), t, slope(n0, len(m.Points), t0, t), mb)
			n0, t0 = len(m.Points), t
		}
	}
	return nil
}

// fitted holds the fitted starters against the true skeletons of the demo cast.
func fitted() error {
	fmt.Println("Fit against the true skeletons (share of height, of a chain's length)")
	fmt.Printf("%-10s %9s %8s %8s %-12s %8s\n", "character", "vertices", "mean %", "worst %", "at", "ms")
	biped := skeleton.Kinds[0].Default
	chain, err := skeleton.FindKind("chain")
	if err != nil {
		return err
	}
	chain.Default.Count = demo.KiteJoints
	for _, c := range []struct {
		name   string
		params skeleton.Params
		make   func(float64) (*mesh.Mesh, *skeleton.Skeleton)
		cell   float64
	}{
		{"Odile", biped, demo.Odile, 0.0135}, {"Odile", biped, demo.Odile, 0.0055}, {"Bram", biped, demo.Bram, 0.0185},
		{"Sedge", demo.OtterParams, demo.Sedge, 0.0125}, {"Sedge", demo.OtterParams, demo.Sedge, 0.0045},
		{"Plover", demo.PloverParams, demo.Plover, 0.0052}, {"Kite-tail", chain.Default, demo.KiteTail, 0.0125},
	} {
		m, truth := c.make(c.cell)
		begin := time.Now()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: c.params}, nil)
		if err != nil {
			return fmt.Errorf("%s: %w", c.name, err)
		}
		took := time.Since(begin)
		size := report.Height
		if c.params.Starter == "chain" { // lies along the ground
			lo, hi := m.Measure().Min, m.Measure().Max
			size = max(hi[0]-lo[0], hi[1]-lo[1], hi[2]-lo[2])
		}
		mean, worst, at := demo.FitError(s, truth, size)
		fmt.Printf("%-10s %9d %8.2f %8.2f %-12s %8d\n", c.name, len(m.Points), 100*mean, 100*worst, at, took.Milliseconds())
	}
	return nil
}
