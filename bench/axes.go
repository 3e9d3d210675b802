package main

import (
	"context"
	"fmt"
	"slices"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/stages/axes"
	"wisemarrow/stages/bindpose"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// axesSpeed times what is done to the axes and the bind pose of 400 joints, and the report
// of a bound character from 10k to 200k vertices.
func axesSpeed() error {
	long := &skeleton.Skeleton{}
	biped := skeleton.Biped(1.7)
	for len(long.Joints) < 400 {
		n, from := len(long.Joints), 0
		for _, j := range biped.Joints {
			stem, side := skeleton.DefaultMarks.Split(j.Name)
			j.Name = skeleton.DefaultMarks.Join(fmt.Sprintf("%s_of_%d", stem, n), side)
			if j.Parent >= 0 {
				j.Parent += n
			} else if n > 0 {
				j.Parent = from
			}
			j.Pos.Z -= 0.01 * float64(n)
			long.Joints = append(long.Joints, j)
		}
	}
	fmt.Printf("%d joints, in the core\n", len(long.Joints))
	all := make([]int, len(long.Joints))
	for i := range all {
		all[i] = i
	}
	c, x := skeleton.DefaultConvention, skeleton.DefaultMarks
	away := long.Clone()
	away.Joints[30].Pos.Y += 0.1
	b := pose.Recorded(long)
	for _, row := range []struct {
		name string
		do   func()
	}{
		{"set the axes of all", func() { _, _ = long.Orient(nil, c, x) }},
		{"roll them as one", func() { long.Matched(3, all, c, x) }},
		{"copy them to the other side", func() { long.CopiedAxes(all, c, x) }},
		{"turn the roll", func() { long.Rolled(all, c, 20) }},
		{"findings of the axes", func() { axes.Check(long, nil, c, x) }},
		{"go back to the bind pose", func() { b.Restored(away, 0) }},
		{"record some anew", func() { b.Rerecorded(away, []string{away.Joints[30].Name}) }},
		{"skin matrices of a pose", func() { pose.SkinMatrices(away, pose.Pose{away.Joints[20].Name: pose.Turn(10, 20, 30)}, b) }},
	} {
		fmt.Printf("  %-32s %8.2f ms\n", row.name, median(9, row.do))
	}
	fmt.Println("\nreport of the bind pose, joints moved under the skin")
	var n0 int
	var t0 float64
	for _, cell := range []float64{0.0175, 0.0105, 0.0076, 0.0054, 0.0038} {
		m, s := demo.Odile(cell)
		w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		state := studio.State{Mesh: m, Skeleton: s, Weights: w, Binding: pose.Recorded(s), Settings: studio.DefaultSettings()}
		moved := s.Clone()
		for _, i := range s.Branch(s.Index("forearm_l")) {
			moved.Joints[i].Pos = r3.Add(moved.Joints[i].Pos, r3.Vec{Y: 0.05})
		}
		state.Skeleton = moved
		t := median(5, func() { bindpose.Check(&state) })
		fmt.Printf("  %7d vertices %8.1f ms", len(m.Points), t)
		if n0 > 0 {
			fmt.Printf("   grows %s", slope(n0, len(m.Points), t0, t))
		}
		fmt.Println()
		n0, t0 = len(m.Points), t
	}
	return nil
}

// median returns the median of n times, in milliseconds.
func median(n int, do func()) float64 {
	var list []float64
	for range n {
		begin := time.Now()
		do()
		list = append(list, ms(time.Since(begin)))
	}
	slices.Sort(list)
	return list[n/2]
}
