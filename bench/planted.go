package main

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/internal/planted"
)

// plantedFaults prints which faults that are planted in good weights are found, and what is found in clean ones: the
// cast and strangers of a seed.
func plantedFaults() error {
	type body struct {
		name string
		m    *mesh.Mesh
		s    *skeleton.Skeleton
	}
	from, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Faults planted in good weights; strangers of seed %d\n", from)
	var bodies []body
	for _, c := range demo.Cast() {
		m, s := c.Make()
		bodies = append(bodies, body{c.Name, m, s})
	}
	for _, v := range demo.Strangers(from, 14) {
		m, s := v.Make()
		bodies = append(bodies, body{v.Name, m, s})
	}
	faults := planted.Faults()
	hits, tried := make([]int, len(faults)), make([]int, len(faults))
	fmt.Printf("%-95s %8s  %s\n", "clean", "vertices", "false alarms")
	for _, b := range bodies {
		w, _, err := bind.Automatic(context.Background(), b.m, b.s, bind.DefaultOptions, nil)
		if err != nil {
			return fmt.Errorf("%s: %w", b.name, err)
		}
		net, err := weights.NetOf(b.m)
		if err != nil {
			return err
		}
		problems := func(w *weights.Weights) []weights.Problem {
			return weights.Edit(w, nil, nil, 0).Problems(net, b.s, nil, partnersOf(w))
		}
		clean := problems(w)
		fmt.Printf("%-95s %8d  %d\n", b.name, len(b.m.Points), len(clean))
		at := planted.NewBody(b.m, b.s, w)
		for i, f := range faults {
			bad, touched := f.Do(at)
			if len(touched) == 0 {
				continue
			}
			tried[i]++
			if planted.Hit(problems(bad), clean, touched) {
				hits[i]++
			}
		}
	}
	fmt.Printf("\n%-55s found in\n", "planted")
	all, of := 0, 0
	for i, f := range faults {
		fmt.Printf("%-55s %d of %d\n", f.Name, hits[i], tried[i])
		all, of = all+hits[i], of+tried[i]
	}
	fmt.Printf("%-55s %d of %d\n", "together", all, of)
	return nil
}
