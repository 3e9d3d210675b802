package main

import (
	"context"
	"fmt"
	"math"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
)

// builds holds joints that follow a shape against where they truly are in that body, over strangers of a seed.
func builds() error {
	ctx := context.Background()
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Println("Joints that follow a shape (distance from the truth, % of the build's height)")
	fmt.Printf("%-44s %8s | %6s %6s %-14s | %6s %6s %-14s | %5s\n", "build", "vertices", "mean", "worst", "(no weights)",
		"mean", "worst", "(weights)", "s")
	var mean [2]float64
	var worst [2]float64
	n := 0
	for _, b := range demo.Builds(seed, 30) {
		w, _, err := bind.Automatic(ctx, b.Mesh, b.Skeleton, bind.DefaultOptions, nil)
		if err != nil {
			fmt.Printf("%-44s not bound: %v\n", b.Name, err)
			continue
		}
		height := geom.BoxOf(b.Points).Size().Y
		var line string
		begin := time.Now()
		for k, w := range []*weights.Weights{nil, w} {
			followed, _ := fit.Follow(b.Skeleton, b.Mesh.World(), b.Points, w)
			m, x, joint := followError(followed, b.Truth, height)
			mean[k], worst[k] = mean[k]+m, math.Max(worst[k], x)
			line += fmt.Sprintf(" | %6.2f %6.2f %-14s", 100*m, 100*x, joint)
		}
		n++
		fmt.Printf("%-44s %8d%s | %5.2f\n", b.Name, len(b.Points), line, time.Since(begin).Seconds()/2)
	}
	fmt.Printf("mean of %d: %.2f without weights (worst %.2f), %.2f with (worst %.2f)\n",
		n, 100*mean[0]/float64(n), 100*worst[0], 100*mean[1]/float64(n), 100*worst[1])
	return nil
}

// followError is how far joints are from the true ones: the mean and the worst as shares of the height.
func followError(s, truth *skeleton.Skeleton, height float64) (mean, worst float64, joint string) {
	for i, j := range s.Joints {
		p, q := j.Pos, truth.Joints[i].Pos
		d := math.Sqrt((p.X-q.X)*(p.X-q.X)+(p.Y-q.Y)*(p.Y-q.Y)+(p.Z-q.Z)*(p.Z-q.Z)) / height
		if mean += d / float64(len(s.Joints)); d > worst {
			worst, joint = d, j.Name
		}
	}
	return mean, worst, joint
}
