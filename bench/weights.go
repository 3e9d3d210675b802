package main

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
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
		stroke, err := weights.NewStroke(weights.Brush{Joint: "upper_arm_l", Mode: weights.BrushAdd, Value: 0.5, Opacity: 1, Radius: 0.08, Both: true}, e, net, weights.Sides{Partner: partnersOf(w)})
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
		problems := ms(func() { weights.Edit(w, nil, nil, 4).Problems(net, images, partnersOf(w)) })
		fmt.Printf("%8d %8.0f %8.2f (%.2f) %9.1f %10.0f %10.0f %10.0f %12.0f\n", len(m.Points), prepared, mean(dabs), share95(dabs), all, smooth, mirror, motion, problems)
	}
	return nil
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
