package main

import (
	"context"
	"fmt"
	"math/rand/v2"

	"wisemarrow/core/fit"
	"wisemarrow/core/housestyle"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"

	"gonum.org/v1/gonum/spatial/r3"
)

// houseStyle prints how near fits come to where a rigger with habits puts the joints, as more characters are corrected:
// strangers, the habits added to their true joints, a hand that is off by 6 % of a limb's thickness. The rest of the
// strangers, which were not learned from, are measured. WISEMARROW_BENCH_SEED makes others.
func houseStyle() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	habits := housestyle.Style{Habits: []housestyle.Habit{
		{Starter: "biped", Joint: "thigh", Offset: r3.Vec{X: 0.3, Y: 0.2}},
		{Starter: "biped", Joint: "shank", Offset: r3.Vec{Z: 0.35}},
		{Starter: "biped", Joint: "forearm", Offset: r3.Vec{Z: -0.35}},
		{Starter: "biped", Joint: "neck", Offset: r3.Vec{Y: 0.2, Z: -0.3}},
		{Starter: "biped", Joint: "hips", Offset: r3.Vec{Y: 0.25}},
	}}
	type body struct {
		left   *fit.Report // with the rigger's corrections
		report *fit.Report
		s      *skeleton.Skeleton
		to     map[string]r3.Vec // where the rigger puts it
		height float64
	}
	rng := rand.New(rand.NewPCG(seed, 5))
	var bodies []body
	for _, v := range demo.Strangers(seed, 24) {
		m, truth := v.Make()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		if err != nil {
			return fmt.Errorf("%s: %w", v.Name, err)
		}
		b := body{report: report, s: s, to: map[string]r3.Vec{}, height: demo.HeightOf(v, truth, report)}
		to := map[int]r3.Vec{}
		for _, p := range habits.Places(report, s) {
			i := s.Index(p.Joint)
			off := r3.Scale(0.06*report.Fitted[p.Joint].Thickness, r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()})
			at := r3.Add(truth.Joints[truth.Index(p.Joint)].Pos, r3.Add(r3.Sub(p.To, s.Joints[i].Pos), off))
			b.to[p.Joint], to[i] = at, at
		}
		after, err := s.MoveAll(to)
		if err != nil {
			return err
		}
		b.left = housestyle.Corrected(report, s, after, func(i int) bool { _, is := to[i]; return is })
		bodies = append(bodies, b)
	}
	fmt.Printf("House style: a rigger with habits at thighs, knees, elbows, neck and hips; strangers of seed %d\n", seed)
	fmt.Printf("%10s %8s %18s %18s %14s\n", "corrected", "habits", "fit is off by %", "with habits %", "joints nearer")
	for _, k := range []int{2, 3, 5, 8, 12} {
		var learned []*fit.Report
		for _, b := range bodies[:k] {
			learned = append(learned, b.left)
		}
		style := housestyle.Learn(learned)
		before, after, n, nearer := 0.0, 0.0, 0, 0
		for _, b := range bodies[12:] {
			at := map[string]r3.Vec{}
			for _, p := range style.Places(b.report, b.s) {
				at[p.Joint] = p.To
			}
			for name, to := range b.to {
				was := b.s.Joints[b.s.Index(name)].Pos
				is, moved := at[name]
				if !moved {
					is = was
				}
				x, y := r3.Norm(r3.Sub(was, to))/b.height, r3.Norm(r3.Sub(is, to))/b.height
				before, after, n = before+x, after+y, n+1
				if y < x {
					nearer++
				}
			}
		}
		fmt.Printf("%10d %8d %18.2f %18.2f %10d of %d\n", k, len(style.Habits), 100*before/float64(n), 100*after/float64(n), nearer, n)
	}
	return nil
}
