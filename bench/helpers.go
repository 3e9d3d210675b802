package main

import (
	"context"
	"fmt"
	"time"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/demo"
)

// helperJoints holds weights solved with helper joints against those solved without, over the cast and strangers of a seed.
func helperJoints() error {
	ctx := context.Background()
	fmt.Println("Helper joints (distance to the guide in 12 unseen poses, % of the height; ratios to the automatic bind)")
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("%-14s %8s | %6s %6s %6s | %5s %5s | %6s %6s %6s | %4s %4s %4s | %5s %6s\n", "character", "vertices",
		"bound", "solved", "with", "ratio", "with", "score", "solved", "with", "over", "", "", "added", "s")
	list := append(castVariants(), demo.Strangers(seed, 12)...)
	var ratios [2]float64
	half, n := 0, 0
	for _, v := range list {
		x, err := solvedOf(ctx, v)
		if err != nil {
			return err
		}
		if x == nil {
			continue
		}
		m, s, w, in, g, report, o, out := x.m, x.s, x.w, x.in, x.g, x.report, x.o, x.solved
		begin := time.Now()
		with, sk, gains, err := solve.HelpersForMotion(ctx, in, w, s, g, o, 16, nil)
		if err != nil {
			return err
		}
		took := time.Since(begin)
		poses := pose.Anyhow(s, skeleton.DefaultMarks, seed+100, 12)
		far, err := solve.Distances(ctx, in, s, g, poses, w, out.Weights)
		if err != nil {
			return err
		}
		more, err := solve.Distances(ctx, in, sk, g, poses, with.Weights)
		if err != nil {
			return err
		}
		var sheets [3]*deform.Checked
		if sheets[0], err = sheetOf(m, s, w, report); err != nil {
			return err
		}
		if sheets[1], err = sheetOf(m, s, out.Weights, report); err != nil {
			return err
		}
		if sheets[2], err = sheetOf(m, sk, with.Weights, report); err != nil {
			return err
		}
		h := geom.BoxOf(m.World()).Size().Y / 100
		r := [2]float64{far[1].Mean / far[0].Mean, more[0].Mean / far[0].Mean}
		fmt.Printf("%-14s %8d | %6.3f %6.3f %6.3f | %5.2f %5.2f | %6.3f %6.3f %6.3f | %4d %4d %4d | %5d %6.1f\n", v.Name, len(m.Points),
			far[0].Mean/h, far[1].Mean/h, more[0].Mean/h, r[0], r[1], sheets[0].Score, sheets[1].Score, sheets[2].Score,
			sheets[0].Over, sheets[1].Over, sheets[2].Over, len(sk.Joints)-len(s.Joints), took.Seconds())
		for _, x := range gains {
			fmt.Printf("    %v %s: %d vertices, %.2f → %.2f mm\n", x.Joints, x.Says, x.Vertices, 1000*x.Before, 1000*x.After)
		}
		ratios[0] += r[0]
		ratios[1] += r[1]
		if r[1] <= 0.5 {
			half++
		}
		n++
	}
	fmt.Printf(
		"%d characters, mean ratio %.2f solved, %.2f with helper joints; %d at half or less\n",
		n,
		ratios[0]/float64(n),
		ratios[1]/float64(n),
		half,
	)
	return nil
}
