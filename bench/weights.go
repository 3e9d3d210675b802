package main

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"time"

	"wisemarrow/browser"
	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/demo"

	"gonum.org/v1/gonum/spatial/r3"
)

// weightsSpeed times what a hand does to weights: a dab of the brush, one pass of smoothing over
// all joints, a mirroring, the maps, and how many bytes a stroke stores.
func weightsSpeed() error {
	fmt.Println("vertices   net ms  dab ms (p95)  stroke ms  smooth ms  mirror ms  motion ms  problems ms")
	for _, cell := range []float64{0.0175, 0.0105, 0.0076, 0.0054} {
		m, s := demo.Odile(cell)
		w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		ms := func(f func()) float64 {
			begin := time.Now()
			f()
			return float64(time.Since(begin).Microseconds()) / 1000
		}
		tris, _ := m.Triangles()
		var net *weights.Net
		prepared := ms(func() { net, err = weights.NetOf(m) })
		if err != nil {
			return err
		}
		net.Tree()
		e := weights.Edit(w, nil, nil, 4)
		stroke, err := weights.NewStroke(
			weights.Brush{Joint: "upper_arm_l", Mode: weights.BrushAdd, Value: 0.5, Opacity: 1, Tip: weights.Tip{Radius: 0.08, Both: true}},
			e,
			net,
			weights.Sides{Partner: partnersOf(w)},
		)
		if err != nil {
			return err
		}
		var dabs []float64
		all := ms(func() {
			for i, t := range tris { // a walk over the upper body
				if p := m.Points[t[0]]; p.X > 0.12 && p.X < 0.4 && p.Y > 1 && i%max(1, len(tris)/4000) == 0 && len(dabs) < 100 {
					dabs = append(dabs, ms(func() { _, err = stroke.Touch(weights.Touch{Tri: int32(i), B: 0.3, C: 0.3, Pressure: 1}) }))
				}
			}
		})
		if err != nil {
			return err
		}
		smooth := ms(func() { weights.Edit(w, nil, nil, 4).Smooth(nil, nil, 1, net) })
		plane := weights.Plane{Normal: r3.Vec{X: 1}}
		var images *weights.Mirrored
		mirror := ms(func() {
			e := weights.Edit(w, nil, nil, 4)
			images, err = net.Mirror(plane, weights.MirrorPlace, 0.001, nil)
			if err == nil {
				e.MirrorTo(net, images, plane, 0.001, false, nil, partnersOf(w))
			}
		})
		if err != nil {
			return err
		}
		skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
		if err != nil {
			return err
		}
		motion := ms(func() { skin.Motion(s.Index("upper_arm_l"), demoMarks) })
		problems := ms(func() { weights.Edit(w, nil, nil, 4).Problems(net, nil, images, partnersOf(w)) })
		fmt.Printf(
			"%8d %8.0f %8.2f (%.2f) %9.1f %10.0f %10.0f %10.0f %12.0f\n",
			len(m.Points),
			prepared,
			mean(dabs),
			share95(dabs),
			all,
			smooth,
			mirror,
			motion,
			problems,
		)
	}
	return deskMemory()
}

// deskMemory is what core holds for a page that paints, MB: as the page loads it, and what it takes besides the
// first dab. In the browser it is a WebAssembly memory of that size and the program, 20 MB.
func deskMemory() error {
	fmt.Println("\nvertices   a page's core, MB loaded   after a stroke")
	for _, cell := range []float64{0.0076, 0.0039} {
		m, s := demo.Odile(cell)
		w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		a, edges, rules := pageOf(m, s, w)
		var before, loaded, painted runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		desk, err := a.Desk(edges, rules)
		if err != nil {
			return err
		}
		runtime.GC()
		runtime.ReadMemStats(&loaded)
		if err := desk.Begin(`{"joint":"upper_arm_l","mode":"add","value":0.5,"opacity":1,"radius":0.08,"both":true}`, nil, false); err != nil {
			return err
		}
		if _, err := desk.Touch(`[{"tri":100,"b":0.3,"c":0.3,"pressure":1}]`); err != nil {
			return err
		}
		runtime.ReadMemStats(&painted)
		mb := func(x runtime.MemStats) float64 { return float64(x.HeapAlloc-before.HeapAlloc) / (1 << 20) }
		fmt.Printf("%8d %26.0f %16.0f\n", len(m.Points), mb(loaded), mb(painted))
		runtime.KeepAlive(desk)
	}
	return nil
}

// pageOf is a character as a page has it.
func pageOf(m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights) (a browser.Arrays, edges []uint32, rules browser.Rules) {
	for _, p := range m.World() {
		a.Points = append(a.Points, float32(p.X), float32(p.Y), float32(p.Z))
	}
	tris, _ := m.Triangles()
	for _, t := range tris {
		a.Triangles = append(a.Triangles, uint32(t[0]), uint32(t[1]), uint32(t[2]))
	}
	columns := make([][]uint32, len(w.Joints))
	values := make([][]float32, len(w.Joints))
	for v, list := range w.Of {
		for _, x := range list {
			columns[x.Joint], values[x.Joint] = append(columns[x.Joint], uint32(v)), append(values[x.Joint], float32(x.Value))
		}
	}
	a.Columns, a.Start = w.Joints, []uint32{0}
	for k := range columns {
		a.Vertex, a.Value = append(a.Vertex, columns[k]...), append(a.Value, values[k]...)
		a.Start = append(a.Start, uint32(len(a.Vertex)))
	}
	for _, j := range s.Joints {
		a.Joints = append(
			a.Joints,
			browser.Joint{
				Name:   j.Name,
				Parent: j.Parent,
				Pos:    [3]float64{j.Pos.X, j.Pos.Y, j.Pos.Z},
				Rot:    [4]float64{j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real},
			},
		)
	}
	for _, e := range m.Edges().Edges {
		edges = append(edges, uint32(e.A), uint32(e.B))
	}
	return a, edges, browser.Rules{Deforms: s.Deforming(), Partner: s.Pairs(demoMarks).Partner, Cap: 4, Marks: demoMarks}
}

func mean(list []float64) float64 {
	sum := 0.0
	for _, x := range list {
		sum += x
	}
	return sum / math.Max(1, float64(len(list)))
}

func share95(list []float64) float64 {
	if len(list) == 0 {
		return 0
	}
	sorted := slices.Clone(list)
	slices.Sort(sorted)
	return sorted[len(sorted)*95/100]
}

var demoMarks = skeleton.DefaultMarks

// partnersOf are the partners of joints by their names.
func partnersOf(w *weights.Weights) []int32 {
	out := make([]int32, len(w.Joints))
	for k, name := range w.Joints {
		out[k] = int32(k)
		if p, ok := demoMarks.Partner(name); ok {
			if i := slices.Index(w.Joints, p); i >= 0 {
				out[k] = int32(i)
			}
		}
	}
	return out
}
