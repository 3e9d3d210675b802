package main

import (
	"context"
	"fmt"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/corrective"
	"wisemarrow/core/deform"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/demo"
)

// correctives proposes a corrective for every end of a range whose part of the reel has a place over its limit, beside
// weights that were solved for motion, and runs the reel with all of them.
func correctives() error {
	ctx := context.Background()
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	for k, v := range append(castVariants(), demo.Strangers(seed, 12)...) {
		m, s := v.Make()
		w, report, err := bind.Automatic(ctx, m, s, bind.DefaultOptions, nil)
		if err != nil {
			continue
		}
		in, _ := m.Bindable()
		g, err := guide.NewSolid(ctx, in, w, s, guide.Options{})
		if err != nil {
			return err
		}
		o := solve.Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks}
		solved, err := solve.ForMotion(ctx, in, w, s, g, o, nil, nil)
		if err != nil {
			return err
		}
		kept, before, err := guarded(m, s, w, solved.Weights, report)
		if err != nil {
			return err
		}
		skin, co, err := tryingOf(m, s, kept.Weights, report)
		if err != nil {
			return err
		}
		begin := time.Now()
		over := map[string]bool{}
		for _, f := range before.Faults {
			if f.Times > 0.7 && f.Turned != "" {
				over[f.Turned] = true
			}
		}
		rig, targets, offsets := &shape.Rig{}, []mesh.Shape{}, 0
		near, far := 0.0, 0.0
		for _, t := range s.Trials(skeleton.DefaultMarks) {
			if !over[s.Joints[t.Joint].Name] {
				continue
			}
			for _, degrees := range t.Degrees {
				if degrees == 0 {
					continue
				}
				p, err := corrective.Propose(ctx, skin, in, g, t, degrees, skeleton.DefaultMarks)
				if err != nil {
					return err
				}
				if p == nil {
					continue
				}
				for _, x := range p.Targets {
					targets = append(targets, x.Shape)
					rig.Targets = append(rig.Targets, shape.Target{Name: x.Name, Driver: &x.Driver})
					offsets += len(x.Vertex)
				}
				near, far = near+p.After, far+p.Before
			}
		}
		took := time.Since(begin)
		if err := rig.Validate(); err != nil {
			return err
		}
		shaped := skin.Shaped(targets, rig.For(s, skeleton.DefaultMarks))
		after, err := shaped.Check(ctx, pose.NewReel(s, pose.DefaultReel), co, nil)
		if err != nil {
			return err
		}
		name := v.Name
		if k >= len(castVariants()) {
			name = fmt.Sprintf("stranger %d", k-len(castVariants())+1)
		}
		fmt.Printf(
			"%-12s %6d | %3d targets %7d offsets %4.1f s | off by %.2f | score %.3f %.3f | over %d %d | volume %.2f→%.2f\n",
			name, len(m.Points), len(targets), offsets, took.Seconds(), near/far, before.Score, after.Score, before.Over, after.Over,
			before.Worst[deform.FaultVolume], after.Worst[deform.FaultVolume],
		)
	}
	return nil
}
