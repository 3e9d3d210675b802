// Command fine writes a bound Odile of any fineness, for the browser's figures of speed.
//
//	fine CELL FILE.glb [TARGETS]
package main

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"
	"wisemarrow/formats/gltf"

	"gonum.org/v1/gonum/spatial/r3"
)

func main() {
	if err := run(os.Args[1], os.Args[2], strings.Join(os.Args[3:], "")); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(cell, path, count string) error {
	size, err := strconv.ParseFloat(cell, 64)
	if err != nil {
		return err
	}
	targets := 0
	if count != "" {
		if targets, err = strconv.Atoi(count); err != nil {
			return err
		}
	}
	m, s := demo.Odile(size)
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, func(string, float64) {})
	if err != nil {
		return err
	}
	for k := range targets { // each lifts what is within 15 cm of a vertex
		t, middle := mesh.Shape{Name: fmt.Sprintf("t%d", k)}, m.Points[k*len(m.Points)/targets]
		for v, p := range m.Points {
			if d := r3.Norm(r3.Sub(p, middle)); d < 0.15 {
				t.Vertex, t.Offset = append(t.Vertex, int32(v)), append(t.Offset, r3.Vec{Y: 0.01 * (1 - d/0.15)})
			}
		}
		m.Shapes = append(m.Shapes, t)
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	if err := gltf.EncodeGLB(f, &gltf.Scene{Mesh: m, Skeleton: s, Weights: w}); err != nil {
		return err
	}
	return f.Close()
}
