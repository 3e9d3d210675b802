// Command fine writes a bound Odile of any fineness, for the browser's figures of speed.
//
//	fine CELL FILE.glb
package main

import (
	"context"
	"fmt"
	"os"
	"strconv"

	"wisemarrow/core/bind"
	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
)

func main() {
	if err := run(os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(cell, path string) error {
	size, err := strconv.ParseFloat(cell, 64)
	if err != nil {
		return err
	}
	m, s := demo.Odile(size)
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, func(string, float64) {})
	if err != nil {
		return err
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
