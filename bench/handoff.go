package main

import (
	"bytes"
	"context"
	"fmt"
	"runtime"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/compare"
	"wisemarrow/core/mesh"
	"wisemarrow/core/profile"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// handoffSpeed times each format of Odile with 20 shape targets, meeting a profile, and comparing her with herself smoothed, by
// vertices; milliseconds, and the size of the file.
func handoffSpeed() error {
	kinds := []string{"glb", "vrm", "usda", "usdz", "dae", "obj"}
	fmt.Print("vertices  joints")
	for _, k := range kinds {
		fmt.Printf("  %18s", k)
	}
	fmt.Println("  meet a profile  compare  peak MB")
	for _, cell := range []float64{0.0175, 0.0105, 0.0076, 0.0054, 0.0038} {
		m, s := demo.Odile(cell)
		w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		for t := range 20 {
			x := mesh.Shape{Name: fmt.Sprintf("target_%d", t)}
			for v := t; v < len(m.Points); v += 10 {
				x.Vertex, x.Offset = append(x.Vertex, int32(v)), append(x.Offset, r3.Vec{Y: 0.001})
			}
			m.Shapes = append(m.Shapes, x)
		}
		state := studio.State{Mesh: m, Skeleton: s, Weights: w, Settings: studio.DefaultSettings()}
		fmt.Printf("%8d  %6d", len(m.Points), len(s.Joints))
		ms := func(f func() error) (float64, error) {
			begin := time.Now()
			err := f()
			return float64(time.Since(begin).Microseconds()) / 1000, err
		}
		for _, k := range kinds {
			var b bytes.Buffer
			took, err := ms(func() error { return handoff.Write(&b, &state, k, handoff.Options{Name: "Odile"}) })
			if err != nil {
				return err
			}
			fmt.Printf("  %7.0f, %5.1f MB", took, float64(b.Len())/1e6)
		}
		took, err := ms(func() error {
			_, _, err := handoff.Meet(context.Background(), state, &profile.Shipped[0], nil, nil)
			return err
		})
		if err != nil {
			return err
		}
		soft := *w
		soft.Of = append([][]weights.Influence(nil), w.Of...)
		for v := range soft.Of {
			if list := soft.Of[v]; v%3 == 0 && len(list) > 1 {
				soft.Of[v] = []weights.Influence{{Joint: list[0].Joint, Value: 1}}
			}
		}
		other := state
		other.Weights = &soft
		compared, _ := ms(func() error { compare.Compare(handoff.SideOf(&state), handoff.SideOf(&other)); return nil })
		var mem runtime.MemStats
		runtime.ReadMemStats(&mem)
		fmt.Printf("  %14.0f  %7.0f  %7d\n", took, compared, mem.Sys>>20)
	}
	return nil
}
