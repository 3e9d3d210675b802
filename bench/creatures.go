package main

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"wisemarrow/core/fit"
	"wisemarrow/demo"
)

// creatures reads the skeletons of beings that no starter is like; WISEMARROW_BENCH_SEED makes others.
func creatures() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Reading creatures from their shape (share of the longest side); seed %d\n", seed)
	fmt.Printf(
		"%-40s %9s %7s %7s %8s %8s %7s %8s  %s\n",
		"",
		"vertices",
		"limbs",
		"found",
		"mean %",
		"worst %",
		"joints",
		"ms",
		"what is wrong",
	)
	type tally struct{ n, good int }
	plans := map[string]*tally{}
	var order []string
	var took []float64
	good, sure, near, limbs, tips, joined := 0, 0, 0, 0, 0, 0
	list := demo.Creatures(seed, 52)
	for _, c := range list {
		m, truth := c.Make()
		begin := time.Now()
		s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: demo.CreatureParams}, nil)
		if plans[c.Plan] == nil {
			plans[c.Plan] = &tally{}
			order = append(order, c.Plan)
		}
		plans[c.Plan].n++
		if err != nil {
			fmt.Printf("%-40s %9d not read: %v\n", c.Name, len(m.Points), err)
			continue
		}
		ms := float64(time.Since(begin).Milliseconds())
		took = append(took, ms)
		r := demo.Compare(m, s, truth)
		if r.Good() {
			good++
			plans[c.Plan].good++
		}
		sure, near = sure+r.Sure, near+r.SureNear
		limbs, tips, joined = limbs+r.Limbs, tips+r.Tips, joined+r.Found
		fmt.Printf(
			"%-40s %9d %7d %7d %8.2f %8.2f %7d %8.0f  %s\n",
			c.Name,
			len(m.Points),
			len(truth),
			r.Found,
			100*r.Mean,
			100*r.Worst,
			len(s.Joints),
			ms,
			strings.Join(r.Wrong, "; "),
		)
	}
	slices.Sort(took)
	fmt.Printf("of %d limbs %d were found to their tips, %d with a joint near each true one\n", limbs, tips, joined)
	fmt.Printf("%d of %d are right; of %d joints said to be sure %.1f %% are near a true place; median %.0f ms\n",
		good, len(list), sure, 100*float64(near)/float64(max(1, sure)), took[len(took)/2])
	for _, p := range order {
		fmt.Printf("%-22s %2d of %2d\n", p, plans[p].good, plans[p].n)
	}
	return nil
}
