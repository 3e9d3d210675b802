package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/formats"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/spoils"
)

// spoiled binds the cast and, where WISEMARROW_MESHES has them, real meshes in every way in
// which meshes come.
func spoiled() error {
	type one struct {
		name string
		m    *mesh.Mesh
		s    *skeleton.Skeleton
	}
	var all []one
	add := func(name string, m *mesh.Mesh, s *skeleton.Skeleton) { all = append(all, one{name, m, s}) }
	m, s := demo.Odile(0.022)
	add("Odile", m, s)
	m, s = demo.Bram(0.03)
	add("Bram", m, s)
	m, s = demo.Tansy(0.022)
	add("Tansy", m, s)
	m, s = demo.Sedge(0.016)
	add("Sedge", m, s)
	m, s = demo.Plover(0.0075)
	add("Plover", m, s)
	for _, x := range [][2]string{{"cow", "quadruped"}, {"hand", "hand"}, {"elephant", "quadruped"}, {"man", "biped"}, {"diplodocus", "quadruped"}} {
		f, err := os.Open(filepath.Join(os.Getenv("WISEMARROW_MESHES"), x[0]+".off"))
		if err != nil {
			fmt.Printf("without %s: WISEMARROW_MESHES does not have it\n", x[0])
			continue
		}
		scene, err := formats.Decode(x[0]+".off", f, nil, reading.Default)
		f.Close()
		if err != nil {
			return err
		}
		m := scene.Mesh
		if x[0] == "man" {
			m = m.Bake(mesh.Placement{Scale: 1, Up: "z", Stand: true})
		}
		k, err := skeleton.FindKind(x[1])
		if err != nil {
			return err
		}
		sk, _, err := fit.Fit(context.Background(), m, fit.Options{Params: k.Default}, nil)
		if err != nil {
			return err
		}
		add(x[0], m, sk)
	}
	fmt.Println("One action, however the mesh comes (off: mean difference of the weights from the clean mesh's)")
	fmt.Printf("%-11s %-31s %8s %5s %5s %8s %7s  %s\n", "", "", "vertices", "bare", "lost", "off", "s", "how")
	for _, x := range all {
		good, _, err := bind.Automatic(context.Background(), x.m, x.s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		for i, spoil := range spoils.All {
			m, s := spoil.Do(x.m, x.s, rand.New(rand.NewPCG(uint64(i), 5)))
			begin := time.Now()
			w, r, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
			if err != nil {
				return fmt.Errorf("%s, %s: %w", x.name, spoil.Name, err)
			}
			took := time.Since(begin)
			lost := 0
			for _, j := range r.Joints {
				if j.State == bind.Unsolved || j.State == bind.Weak {
					lost++
				}
			}
			off, _ := spoils.Apart(x.m, x.s, good, m, s, w)
			mark := ""
			if off > spoil.Limit() {
				mark = " over the limit"
			}
			fmt.Printf("%-11s %-31s %8d %5d %5d %8.4f %7.2f  %v%s\n", x.name, spoil.Name, len(m.Points), r.Unweighted, lost, off, took.Seconds(), r.Ways, mark)
		}
	}
	return nil
}

// carrying takes weights from one mesh to another of another resolution.
func carrying() error {
	fmt.Println("Carrying weights over (seconds)")
	fmt.Printf("%9s %9s %9s %9s %9s\n", "from", "to", "surface", "vertex", "normal")
	for _, cell := range []float64{0.0174, 0.0108, 0.0055, 0.0039} {
		from, s := demo.Odile(cell)
		w, _, err := bind.Heat(context.Background(), from, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		to, _ := demo.Odile(cell * 1.01)
		fmt.Printf("%9d %9d", len(from.Points), len(to.Points))
		for _, how := range []string{bind.FromSurface, bind.FromVertex, bind.FromNormal} {
			begin := time.Now()
			if _, _, err := bind.Carry(from, w, to, bind.CarryOptions{Limits: bind.DefaultOptions.Limits, From: how}); err != nil {
				return err
			}
			fmt.Printf(" %9.2f", time.Since(begin).Seconds())
		}
		fmt.Println()
	}
	return nil
}
