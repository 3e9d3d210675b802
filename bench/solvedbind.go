package main

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
)

// solvedBind is a character with its automatic bind, and weights that were solved from it.
type solvedBind struct {
	m, in  *mesh.Mesh
	s      *skeleton.Skeleton
	w      *weights.Weights
	report *bind.Report
	g      *guide.Solid
	o      solve.Options
	solved *solve.Solved
}

// solvedOf binds a character and solves its weights; nil where it could not be bound, which is told.
func solvedOf(ctx context.Context, v demo.Variant) (*solvedBind, error) {
	x := &solvedBind{o: solve.Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks}}
	x.m, x.s = v.Make()
	var err error
	if x.w, x.report, err = bind.Automatic(ctx, x.m, x.s, bind.DefaultOptions, nil); err != nil {
		fmt.Printf("%-14s not bound: %v\n", v.Name, err)
		return nil, nil
	}
	x.in, _ = x.m.Bindable()
	if x.g, err = guide.NewSolid(ctx, x.in, x.w, x.s, guide.Options{}); err != nil {
		return nil, err
	}
	x.solved, err = solve.ForMotion(ctx, x.in, x.w, x.s, x.g, x.o, nil, nil)
	return x, err
}

// withStrangers are the cast and strangers of a seed, by name.
func withStrangers(seed uint64, n int) []demo.Variant {
	out := castVariants()
	for k, v := range demo.Strangers(seed, n) {
		v.Name = fmt.Sprintf("stranger %d", k+1)
		out = append(out, v)
	}
	return out
}
