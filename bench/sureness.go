package main

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"wisemarrow/core/fit"
	"wisemarrow/demo"

	"gonum.org/v1/gonum/spatial/r3"
)

// sureness counts, for every kind of joint and every reason that a fit gives, how many lie within 3 % of the
// height: what the confidences of core/fit are set by. WISEMARROW_BENCH_SEED makes other strangers, coats and poses;
// WISEMARROW_BENCH_POSES=1 fits poses alone.
func sureness() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("How near each kind of evidence lies (within 3 %% of the height); seed %d and the three after it\n", seed)
	type class struct{ joint, reason string }
	type count struct {
		n, near     int
		said, worst float64
	}
	var list []demo.Variant
	if os.Getenv("WISEMARROW_BENCH_POSES") == "" {
		list = demo.Variants()
		for k := range uint64(4) {
			list = slices.Concat(list, demo.Strangers(seed+k, 72), demo.Coats(seed+k, 36))
		}
	}
	for k := range uint64(4) {
		list = slices.Concat(list, demo.Poses(seed+k, 52))
	}
	of := map[class]*count{}
	for _, v := range list {
		m, truth := v.Make()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		if err != nil {
			fmt.Printf("%s: not fitted: %v\n", v.Name, err)
			continue
		}
		height := demo.HeightOf(v, truth, report)
		for _, j := range s.Joints {
			i := truth.Index(j.Name)
			if i < 0 || demo.OfFinger(j.Name) {
				continue
			}
			how := v.Params.Starter
			if strings.HasPrefix(v.Name, "pose") {
				how = "posed"
			}
			c := class{how + " " + strings.TrimSuffix(strings.TrimSuffix(j.Name, "_l"), "_r"), j.Reason}
			if of[c] == nil {
				of[c] = &count{}
			}
			off := r3.Norm(r3.Sub(j.Pos, truth.Joints[i].Pos)) / height
			of[c].n++
			of[c].said += j.Confidence
			of[c].worst = max(of[c].worst, off)
			if off < 0.03 {
				of[c].near++
			}
		}
	}
	fmt.Printf("%-22s %5s %9s %7s %8s  %s\n", "joint", "n", "near %", "said %", "worst %", "evidence")
	for _, c := range slices.SortedFunc(maps.Keys(of), func(a, b class) int {
		return cmp.Or(strings.Compare(a.joint, b.joint), cmp.Compare(of[b].n, of[a].n), strings.Compare(a.reason, b.reason))
	}) {
		k := of[c]
		n := float64(k.n)
		fmt.Printf("%-22s %5d %9.1f %7.0f %8.1f  %s\n", c.joint, k.n, 100*float64(k.near)/n, 100*k.said/n, 100*k.worst, c.reason)
	}
	return nil
}
