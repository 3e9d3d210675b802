package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// motionSpeed times the motion check: all measures of the usual reel, the looking for crossings in every
// tenth frame besides, a motion of 2,000 frames laid on, and a pull of a hand; and what each of the cast
// scores.
func motionSpeed() error {
	fmt.Println("vertices  frames  s/600 frames  crossings, s more  bytes/frame kept  lay 2000 frames ms  pull ms")
	for _, cell := range []float64{0.0175, 0.0122, 0.0076, 0.0054} {
		m, s := demo.Odile(cell)
		w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		tris, _ := m.Triangles()
		skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
		if err != nil {
			return err
		}
		reel := pose.NewReel(s, pose.DefaultReel)
		n := float64(len(reel.Frames))
		seconds := func(o deform.CheckOptions) float64 {
			begin := time.Now()
			_, err = skin.Check(context.Background(), reel, o, nil)
			return time.Since(begin).Seconds()
		}
		plain := seconds(deform.CheckOptions{})
		if err != nil {
			return err
		}
		cross := seconds(deform.CheckOptions{Cross: 10})
		if err != nil {
			return err
		}
		kept, err := skin.Check(context.Background(), reel, deform.CheckOptions{}, nil)
		if err != nil {
			return err
		}
		data, err := json.Marshal(kept.Frames)
		if err != nil {
			return err
		}
		long := longWalk(s, 2000)
		pairs := map[string]string{}
		for _, j := range s.Joints {
			pairs[j.Name] = j.Name
		}
		begin := time.Now()
		pose.Retarget(s, long, s, pairs, pose.RetargetOptions{Feet: true, Marks: skeleton.DefaultMarks})
		lay := time.Since(begin)
		puller := pose.NewPuller(s, skeleton.DefaultMarks)
		at := func(name string) r3.Vec { return s.Joints[s.Index(name)].Pos }
		begin = time.Now()
		const pulls = 100
		for k := range pulls {
			to := r3.Add(at("hand_l"), r3.Vec{X: 0.3 * math.Sin(float64(k)), Y: -0.3})
			if _, _, _, _, err := puller.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand_l", To: to, Whole: true,
				Held: map[string]r3.Vec{"foot_l": at("foot_l"), "foot_r": at("foot_r")}}); err != nil {
				return err
			}
		}
		fmt.Printf(
			"%8d  %6d  %12.2f  %17.2f  %16.0f  %18.0f  %7.2f\n",
			len(m.Points),
			len(reel.Frames),
			plain*600/n,
			cross-plain,
			float64(len(data))/n,
			float64(lay.Milliseconds()),
			float64(time.Since(begin).Microseconds())/1000/pulls,
		)
	}
	fmt.Println("\nscores of automatic binds: mean over frames of the worst, over its limit; places over; worst by kind")
	for _, c := range []struct {
		name string
		make func(float64) (*mesh.Mesh, *skeleton.Skeleton)
		cell float64
	}{{"Odile", demo.Odile, 0.0135}, {"Bram", demo.Bram, 0.0185}, {"Sedge", demo.Sedge, 0.0125}, {"Plover", demo.Plover, 0.01}, {"Kite-tail", demo.KiteTail, 0.02}, {"Tansy",
		demo.Tansy, 0.016}} {
		m, s := c.make(c.cell)
		w, report, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		tris, _ := m.Triangles()
		skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
		if err != nil {
			return err
		}
		o := deform.CheckOptions{Cross: 10, Cover: pose.DefaultReel.Steps}
		o.Body, o.Layers = report.Worn(m)
		checked, err := skin.Check(context.Background(), pose.NewReel(s, pose.DefaultReel), o, nil)
		if err != nil {
			return err
		}
		fmt.Printf("%-10s %6d vertices  %.2f  %d over ", c.name, len(m.Points), checked.Score, checked.Over)
		for _, k := range deform.FaultKinds {
			fmt.Printf("  %s %.2f", k, checked.Worst[k])
		}
		fmt.Println()
	}
	return nil
}

// longWalk is the steps of the reel over and over.
func longWalk(s *skeleton.Skeleton, frames int) *pose.Clip {
	o := pose.DefaultReel
	o.Kinds = []string{pose.SegmentGait}
	steps := pose.NewReel(s, o).Clip(s, "steps")
	out := &pose.Clip{Name: steps.Name, Step: steps.Step, Joints: steps.Joints}
	for f := range frames {
		out.Turns = append(out.Turns, append([]quat.Number(nil), steps.Turns[f%steps.Frames()]...))
		out.Root = append(out.Root, r3.Vec{Z: 0.02 * float64(f)})
	}
	return out
}
