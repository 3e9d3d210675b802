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
	spoilHead()
	for _, x := range all {
		if err := spoilRows(x.name, x.m, x.s, spoils.All, 5); err != nil {
			return err
		}
	}
	return nil
}

// spoiledStrangers binds characters that are none of the cast, each spoiled in three ways in
// turn; WISEMARROW_BENCH_SEED brings others.
func spoiledStrangers() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("One action, strangers, however the mesh comes; seed %d\n", seed)
	spoilHead()
	for i, v := range demo.Strangers(seed, 36) {
		fmt.Println(v.Name)
		m, s := v.Make()
		k := 3 * i % len(spoils.All)
		if err := spoilRows("", m, s, spoils.All[k:k+3], seed); err != nil {
			return err
		}
	}
	return nil
}

func spoilHead() {
	fmt.Printf("%-11s %-31s %8s %5s %5s %8s %7s  %s\n", "", "", "vertices", "bare", "lost", "off", "s", "how")
}

// spoilRows binds a mesh spoiled in some ways and prints a row of each, marked where it breaks what is promised.
func spoilRows(name string, clean *mesh.Mesh, cs *skeleton.Skeleton, ways []spoils.Spoil, seed uint64) error {
	good, _, err := bind.Automatic(context.Background(), clean, cs, bind.DefaultOptions, nil)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	for i, spoil := range ways {
		m, s := spoil.Do(clean, cs, rand.New(rand.NewPCG(uint64(i), seed)))
		begin := time.Now()
		w, r, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			return fmt.Errorf("%s, %s: %w", name, spoil.Name, err)
		}
		took := time.Since(begin)
		mark := ""
		if err := w.Validate(); err != nil {
			mark += " " + err.Error()
		}
		if r.Unweighted > 0 {
			mark += " vertices are bare"
		}
		lost := 0
		for _, j := range r.Joints {
			if j.State == bind.Unsolved || j.State == bind.Weak {
				lost++
				if j.Cause == "" {
					mark += " no cause for " + j.Name
				}
			}
		}
		off, _ := spoils.Apart(clean, cs, good, m, s, w)
		if off > spoil.Limit() {
			mark += " over the limit"
		}
		fmt.Printf(
			"%-11s %-31s %8d %5d %5d %8.4f %7.2f  %v%s\n",
			name,
			spoil.Name,
			len(m.Points),
			r.Unweighted,
			lost,
			off,
			took.Seconds(),
			r.Ways,
			mark,
		)
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
