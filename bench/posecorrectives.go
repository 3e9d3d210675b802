package main

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	_ "wisemarrow/stages/shapes"
	"wisemarrow/studio"
)

// poseCorrectives computes a corrective for a pose of many joints at once, over the cast and strangers of a seed: those of the
// reel's figures, the last frame of each, one after the other, with those before it on.
func poseCorrectives() error {
	ctx := context.Background()
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Println("Correctives for poses of several joints (what is measured in the pose, over the limits, before and with it)")
	fmt.Printf("%-14s %8s | %6s %6s | %s\n", "character", "vertices", "added", "s each", "before → with, by figure; – is not better")
	poses, added := 0, 0
	var was, is float64
	for _, v := range withStrangers(seed, 6) {
		m, s := v.Make()
		w, report, err := bind.Automatic(ctx, m, s, bind.DefaultOptions, nil)
		if err != nil {
			fmt.Printf("%-14s not bound: %v\n", v.Name, err)
			continue
		}
		state := studio.State{Mesh: m, Skeleton: s, Weights: w, Settings: studio.DefaultSettings(), Bind: &studio.Result{Report: *report}}
		reel := pose.NewReel(s, pose.ReelOptions{Kinds: []string{pose.SegmentFigure}, Amount: 1, Steps: 1, Marks: skeleton.DefaultMarks})
		line, n, own := "", 0, 0
		begin := time.Now()
		for _, seg := range reel.Segments {
			turns := map[string][4]float64{}
			for name, q := range reel.Frames[seg.To-1].Pose {
				turns[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
			}
			params, err := json.Marshal(map[string]any{"turns": turns, "name": fmt.Sprintf("figure_%d", n)})
			if err != nil {
				return err
			}
			entry, op, err := studio.ParseOperation("correct_pose", params)
			if err != nil {
				return err
			}
			n++
			next, told, err := studio.Apply(ctx, entry, op, state, nil)
			if err != nil {
				line += " –"
				continue
			}
			own++
			state = next
			var a, b float64
			if _, err := fmt.Sscanf(told.Before+" "+told.After, "%g %g", &a, &b); err == nil {
				was, is = was+a, is+b
				line += fmt.Sprintf(" %s→%s", told.Before, told.After)
			}
		}
		poses, added = poses+n, added+own
		if n > 0 {
			fmt.Printf("%-14s %8d | %2d/%-3d %6.2f |%s\n", v.Name, len(m.Points), own, n, time.Since(begin).Seconds()/float64(n), line)
		}
	}
	fmt.Printf(
		"%d of %d poses got one; there %.2f of the limits before, %.2f with it\n",
		added,
		poses,
		was/float64(max(1, added)),
		is/float64(max(1, added)),
	)
	return nil
}
