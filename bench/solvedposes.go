package main

import (
	"context"
	"fmt"
	"math/rand/v2"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
)

// solvedPoses holds solved weights against the automatic bind in three populations of poses that nothing was solved for:
// all joints at random, each joint alone at three quarters of its range, and each joint with its parent at random; and
// tells what they spoil.
func solvedPoses() error {
	ctx := context.Background()
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Println("Solved weights in three populations of unseen poses: distance to the guide over that of the bind, and in random ones")
	fmt.Println(
		"before places that they spoiled were given back; what they spoiled, and spoil still, of places within their limits or by a tenth",
	)
	fmt.Printf(
		"%-12s %8s | %7s %7s %7s | %7s | %5s %6s | %4s %6s | %7s %5s %6s  %s\n",
		"character",
		"vertices",
		"random",
		"alone",
		"pairs",
		"before",
		"score",
		"solved",
		"over",
		"solved",
		"spoiled",
		"still",
		"worst",
		"at",
	)
	var sums [3]float64
	n, worse, spoiled := 0, 0, 0
	for _, v := range withStrangers(seed, 24) {
		x, err := solvedOf(ctx, v)
		if err != nil {
			return err
		}
		if x == nil {
			continue
		}
		m, s, w, in, g, report, out := x.m, x.s, x.w, x.in, x.g, x.report, x.solved
		kept, after, err := guarded(m, s, w, out.Weights, report)
		if err != nil {
			return err
		}
		var ratios [4]float64
		for p, poses := range [][]pose.Tried{
			pose.Anyhow(s, skeleton.DefaultMarks, seed+100, 12),
			thinned(pose.Extremes(s, s.Trials(skeleton.DefaultMarks), 0.75), 24),
			pairs(s, skeleton.DefaultMarks, seed+200, 16),
		} {
			far, err := solve.Distances(ctx, in, s, g, poses, w, kept.Weights, out.Weights)
			if err != nil {
				return err
			}
			ratios[p] = far[1].Mean / far[0].Mean
			if p == 0 {
				ratios[3] = far[2].Mean / far[0].Mean
			}
			sums[p] += ratios[p]
		}
		before, err := sheetOf(m, s, w, report)
		if err != nil {
			return err
		}
		worst, at := 0.0, ""
		for _, x := range kept.Left {
			if x.Times > worst {
				worst, at = x.Times, fmt.Sprintf("%s in %s, was %.2f", x.Kind, x.Pose, x.Was)
			}
		}
		spoiled += len(kept.Spoiled)
		if len(kept.Left) > 0 {
			worse++
		}
		fmt.Printf(
			"%-12s %8d | %7.2f %7.2f %7.2f | %7.2f | %5.3f %6.3f | %4d %6d | %7d %5d %6.2f  %s\n",
			v.Name, len(m.Points), ratios[0], ratios[1], ratios[2], ratios[3],
			before.Score, after.Score, before.Over, after.Over, len(kept.Spoiled), len(kept.Left), worst, at,
		)
		n++
	}
	fmt.Printf(
		"%d characters: %.2f at random, %.2f alone, %.2f in pairs; %d places were spoiled, and some still are at %d characters\n",
		n, sums[0]/float64(n), sums[1]/float64(n), sums[2]/float64(n), spoiled, worse,
	)
	return nil
}

// thinned are at most so many of a list, evenly spread.
func thinned[T any](list []T, n int) []T {
	if len(list) <= n {
		return list
	}
	out := make([]T, n)
	for k := range out {
		out[k] = list[k*len(list)/n]
	}
	return out
}

// pairs are poses of a joint and its parent, each turned about one of its axes by anything within its range.
func pairs(s *skeleton.Skeleton, x skeleton.Marks, seed uint64, n int) (out []pose.Tried) {
	rng := rand.New(rand.NewPCG(seed, 1))
	by := map[int][]skeleton.Trial{}
	var joints []int
	for _, t := range s.Trials(x) {
		if by[t.Joint] == nil {
			joints = append(joints, t.Joint)
		}
		by[t.Joint] = append(by[t.Joint], t)
	}
	for range 20 * n {
		if len(out) == n || len(joints) == 0 {
			break
		}
		i := joints[rng.IntN(len(joints))]
		p := s.Joints[i].Parent
		if p < 0 || by[p] == nil {
			continue
		}
		turned := pose.Pose{}
		for _, j := range []int{i, p} {
			t := by[j][rng.IntN(len(by[j]))]
			turned[s.Joints[j].Name] = pose.AboutWorld(s, t, t.Degrees[0]+rng.Float64()*(t.Degrees[1]-t.Degrees[0]))
		}
		out = append(out, pose.Tried{Name: s.Joints[i].Name + " with " + s.Joints[p].Name, Joint: i, Pose: turned})
	}
	return out
}
