package main

import (
	"bytes"
	"fmt"
	"slices"
	"time"

	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

// shapeSpeed times many shape targets, each of a tenth of the vertices, all of them on: what a pose of them takes, and a file.
func shapeSpeed() error {
	fmt.Println("Shape targets, each of a tenth of the vertices, all on (median and 95th percentile of 40 poses; a GLB written and read)")
	fmt.Printf("%8s %8s | %9s %9s | %8s %8s %8s\n", "vertices", "targets", "pose, ms", "p95", "write, s", "read, s", "MB")
	for _, cell := range []float64{0.0175, 0.0078, 0.0055, 0.0039} {
		m, s := demo.Odile(cell)
		var bend skeleton.Trial
		for _, t := range s.Trials(skeleton.DefaultMarks) {
			if s.Joints[t.Joint].Name == "forearm_l" && t.Name == "bend" {
				bend = t
			}
		}
		w := weights.New([]string{"hips", "forearm_l"}, len(m.Points))
		for v := range w.Of {
			w.Of[v] = []weights.Influence{{Joint: int32(v % 2), Value: 1}}
		}
		for _, n := range []int{50, 200} {
			of := *m
			of.Shapes = nil
			rig := &shape.Rig{}
			for k := range n {
				t := mesh.Shape{Name: fmt.Sprintf("t%d", k)}
				for v := k % 10; v < len(m.Points); v += 10 {
					t.Vertex, t.Offset = append(t.Vertex, int32(v)), append(t.Offset, r3.Vec{Y: 0.001 * float64(k%7)})
				}
				of.Shapes = append(of.Shapes, t)
				knots := []shape.Knot{{Degrees: 60, Value: 0.2}, {Degrees: 130, Value: 1}}
				rig.Targets = append(rig.Targets, shape.Target{
					Name:   t.Name,
					Driver: &shape.Driver{Joint: "forearm_l", Axis: "bend", Knots: knots},
				})
			}
			skin, err := deform.NewSkin(m.World(), nil, w, s, nil)
			if err != nil {
				return err
			}
			skin = skin.Shaped(of.Shapes, rig.For(s, skeleton.DefaultMarks))
			var took []float64
			for i := range 40 {
				begin := time.Now()
				skin.Places(pose.Pose{"forearm_l": pose.AboutWorld(s, bend, float64(20+2*i))})
				took = append(took, time.Since(begin).Seconds()*1000)
			}
			slices.Sort(took)
			var file bytes.Buffer
			begin := time.Now()
			scene := &gltf.Scene{Mesh: &of, Skeleton: s, Weights: w, Shapes: rig, Marks: skeleton.DefaultMarks}
			if err := gltf.EncodeGLB(&file, scene); err != nil {
				return err
			}
			wrote := time.Since(begin)
			size := file.Len()
			begin = time.Now()
			if _, err := gltf.Decode(&file, nil, reading.Default); err != nil {
				return err
			}
			fmt.Printf("%8d %8d | %9.1f %9.1f | %8.2f %8.2f %8.1f\n", len(m.Points), n, took[20], took[38],
				wrote.Seconds(), time.Since(begin).Seconds(), float64(size)/1e6)
		}
	}
	return nil
}
