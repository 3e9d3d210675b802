package main

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
)

// binds times the binds beside heat: through the volume by cubes and by joints, and the
// automatic one from 10k to 200k vertices, clean and with every face on its own.
func binds() error {
	fmt.Println("through the volume, 25k vertices")
	m, few := demo.Odile(0.011)
	k, err := skeleton.FindKind("biped")
	if err != nil {
		return err
	}
	p := k.Default
	p.Height, p.Fingers, p.Spine, p.Twist = few.Height(), 5, 5, 1
	many, err := p.Build()
	if err != nil {
		return err
	}
	for _, s := range []*skeleton.Skeleton{few, many} {
		deform := 0
		for _, yes := range s.Deforming() {
			if yes {
				deform++
			}
		}
		for _, cubes := range []int{64, 128, 256} {
			o := bind.DefaultDistance
			o.Cubes = cubes
			took, heap, err := peak(func() error {
				_, _, err := bind.Volume(context.Background(), m, s, o, nil)
				return err
			})
			if err != nil {
				return err
			}
			fmt.Printf("  %3d joints %4d cubes %8.2f s %8.0f MB\n", deform, cubes, took.Seconds(), heap)
		}
	}
	fmt.Println("\nautomatic")
	var n0 [2]int
	var t0 [2]float64
	for _, cell := range []float64{0.0175, 0.0105, 0.0076, 0.0054, 0.0038} {
		m, s := demo.Odile(cell)
		soup := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("soup")}, Start: []int32{0}}
		for f := range m.Faces() {
			var c []int32
			for _, v := range m.Face(f) {
				c = append(c, int32(len(soup.Points)))
				soup.Points = append(soup.Points, m.Points[v])
			}
			soup.AddFace(0, c...)
		}
		for i, x := range []struct {
			name string
			m    *mesh.Mesh
		}{{"clean", m}, {"every face on its own", soup}} {
			took, heap, err := peak(func() error {
				_, _, err := bind.Automatic(context.Background(), x.m, s, bind.DefaultOptions, nil)
				return err
			})
			if err != nil {
				return err
			}
			fmt.Printf("  %7d vertices %-22s %7.2f s %7.0f MB", len(x.m.Points), x.name, took.Seconds(), heap)
			if n0[i] > 0 {
				fmt.Printf("   grows %s", slope(n0[i], len(x.m.Points), t0[i], took.Seconds()))
			}
			fmt.Println()
			n0[i], t0[i] = len(x.m.Points), took.Seconds()
		}
	}
	return nil
}
