package main

import (
	"context"
	"fmt"
	"time"

	"wisemarrow/core/corrective"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
)

// correctives proposes a corrective for every end of a range whose part of the reel has a place over its limit, beside
// weights that were solved for motion, and runs the reel with all of them.
func correctives() error {
	ctx := context.Background()
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Println(
		"Correctives for every joint with a spot from 0.7 of its limit on, beside solved weights; off by: of the distance to the guide",
	)
	for _, v := range withStrangers(seed, 12) {
		x, err := solvedOf(ctx, v)
		if err != nil {
			return err
		}
		if x == nil {
			continue
		}
		m, s, in, g, report := x.m, x.s, x.in, x.g, x.report
		kept, before, err := guarded(m, s, x.w, x.solved.Weights, report)
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
				for _, t := range p.Targets {
					targets = append(targets, t.Shape)
					rig.Targets = append(rig.Targets, shape.Target{Name: t.Name, Driver: &t.Driver})
					offsets += len(t.Vertex)
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
		fmt.Printf(
			"%-12s %6d | %3d targets %7d offsets %4.1f s | off by %.2f | score %.3f %.3f | over %d %d | volume %.2f→%.2f\n",
			v.Name,
			len(m.Points),
			len(targets),
			offsets,
			took.Seconds(),
			near/max(far, 1e-12),
			before.Score,
			after.Score,
			before.Over,
			after.Over,
			before.Worst[deform.FaultVolume],
			after.Worst[deform.FaultVolume],
		)
	}
	return nil
}
