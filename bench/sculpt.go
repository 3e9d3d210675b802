package main

import (
	"context"
	"fmt"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/sculpt"
	"wisemarrow/core/shape"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
)

// sculptSpeed times dabs of sculpting brushes on a bent arm beside those of the weight brush at the same places: what a surface
// in a pose takes to prepare, and the mean (p95) of a dab by brush, with both sides, milliseconds.
func sculptSpeed() error {
	modes := []string{sculpt.Grab, sculpt.Inflate, sculpt.Smooth, sculpt.Relax, sculpt.Flatten, sculpt.Pinch, sculpt.Even}
	fmt.Print("vertices  surface  begin  measure  weights")
	for _, m := range modes {
		fmt.Printf("  %14s", m)
	}
	fmt.Println()
	for _, cell := range []float64{0.0175, 0.0105, 0.0076, 0.0054} {
		m, s := demo.Odile(cell)
		w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		net, err := weights.NetOf(m)
		if err != nil {
			return err
		}
		net.Tree()
		tris, _ := m.Triangles()
		skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
		if err != nil {
			return err
		}
		tip := weights.Tip{Radius: 0.08, Hard: 0.3, Both: true, Builds: true}
		var walk []weights.Touch
		for i, t := range tris {
			if p := m.Points[t[0]]; p.X > 0.12 && p.X < 0.4 && p.Y > 1 && i%max(1, len(tris)/4000) == 0 && len(walk) < 100 {
				walk = append(walk, weights.Touch{Tri: int32(i), B: 0.3, C: 0.3, Pressure: 1})
			}
		}
		ms := func(begin time.Time) float64 { return float64(time.Since(begin).Microseconds()) / 1000 }
		painted, err := weights.NewStroke(
			weights.Brush{Joint: "upper_arm_l", Mode: weights.BrushAdd, Value: 0.5, Opacity: 1, Tip: tip},
			weights.Edit(w, nil, nil, 4), net, weights.Sides{Partner: partnersOf(w)})
		if err != nil {
			return err
		}
		var dabs []float64
		for _, t := range walk {
			begin := time.Now()
			if _, err := painted.Touch(t); err != nil {
				return err
			}
			dabs = append(dabs, ms(begin))
		}
		rig := &shape.Rig{Targets: []shape.Target{{Name: "sculpted", Value: 1}}}
		on := sculpt.On{
			Net: net, Skin: skin, Targets: []mesh.Shape{{Name: "sculpted"}}, Values: rig.For(s, demoMarks),
			Pose: pose.Pose{"forearm_l": pose.Turn(0, 0, 70), "upper_arm_l": pose.Turn(10, 40, 0)},
		}
		begin := time.Now()
		surface, err := sculpt.New(on)
		if err != nil {
			return err
		}
		prepared := ms(begin)
		begin = time.Now()
		if _, err := surface.Begin(sculpt.Brush{Mode: sculpt.Grab, Tip: tip}); err != nil {
			return err
		}
		begun := ms(begin)
		surface.Measure(skin)
		begin = time.Now()
		surface.Measure(skin)
		fmt.Printf("%8d %8.0f %6.1f %8.0f  %.2f (%.2f)", len(m.Points), prepared, begun, ms(begin), mean(dabs), share95(dabs))
		for _, mode := range modes {
			stroke, err := surface.Begin(sculpt.Brush{Mode: mode, Strength: 0.3, Tip: tip})
			if err != nil {
				return err
			}
			dabs = dabs[:0]
			for _, t := range walk {
				begin := time.Now()
				if _, err := stroke.Touch(sculpt.Touch{Touch: t, Move: [3]float64{0.01, 0, 0.01}}); err != nil {
					return err
				}
				dabs = append(dabs, ms(begin))
			}
			stroke.Undo()
			fmt.Printf("  %6.2f (%5.2f)", mean(dabs), share95(dabs))
		}
		fmt.Println()
	}
	return nil
}
