package main

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"

	"wisemarrow/core/linalg"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"
)

// cholesky factorises and solves systems like those of a heat bind, in turns with a
// reference library where that is installed (Debian's libsuitesparse-dev and g++).
func cholesky() error {
	fmt.Println("Sparse Cholesky with 22 right-hand sides (ms; median of 5), in turns with SuiteSparse's on one core where it is installed")
	fmt.Printf(
		"%9s %14s %7s %7s | %9s %14s %7s %7s %6s\n",
		"vertices",
		"order, factor",
		"solve",
		"all",
		"order",
		"factor",
		"solve",
		"all",
		"ratio",
	)
	dir, err := os.MkdirTemp("", "cholesky")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	program, file := filepath.Join(dir, "reference"), filepath.Join(dir, "system")
	build, err := exec.Command("g++", "-O2", "-o", program, "bench/reference/cholesky.cpp", "-lcholmod").CombinedOutput()
	have := err == nil
	if !have {
		fmt.Printf("without a reference: %v %.200s\n", err, bytes.TrimSpace(build))
	}
	for _, cell := range []float64{0.0174, 0.0108, 0.00778, 0.0055, 0.00389} {
		m, _ := demo.Odile(cell)
		tris, _ := m.Triangles()
		a, mass, _ := mesh.Laplacian(m.Points, tris)
		for i := range a.N {
			for k := a.Start[i]; k < a.Start[i+1]; k++ {
				if int(a.Col[k]) == i {
					a.Val[k] += 200 * mass[i]
				}
			}
		}
		const sides = 22
		rhs := make([][]float64, sides)
		for j := range rhs {
			rhs[j] = make([]float64, a.N)
			for i := j; i < a.N; i += 7 {
				rhs[j][i] = 1
			}
		}
		if err := writeSystem(file, a, sides); err != nil {
			return err
		}
		var ours, theirs [][3]float64
		for range 5 {
			begin := time.Now()
			f, err := linalg.Factorise(context.Background(), a, m.Points, nil)
			if err != nil {
				return err
			}
			factorised := time.Since(begin).Seconds() * 1000
			if _, err := f.Solve(context.Background(), rhs, nil); err != nil {
				return err
			}
			all := time.Since(begin).Seconds() * 1000
			ours = append(ours, [3]float64{factorised, all - factorised, 0})
			if have {
				out, err := exec.Command(program, file).Output()
				if err != nil {
					return fmt.Errorf("the reference: %w", err)
				}
				var t [3]float64
				if _, err := fmt.Sscan(string(out), &t[0], &t[1], &t[2]); err != nil {
					return err
				}
				theirs = append(theirs, t)
			}
		}
		middle := func(runs [][3]float64) [3]float64 {
			slices.SortFunc(runs, func(x, y [3]float64) int { return int(1000 * (x[0] + x[1] + x[2] - y[0] - y[1] - y[2])) })
			return runs[len(runs)/2]
		}
		o := middle(ours)
		fmt.Printf("%9d %14.0f %7.0f %7.0f |", a.N, o[0], o[1], o[0]+o[1])
		if have {
			r := middle(theirs)
			all := r[0] + r[1] + r[2]
			fmt.Printf(" %9.0f %14.0f %7.0f %7.0f %6.2f", r[0], r[1], r[2], all, (o[0]+o[1])/all)
		}
		fmt.Println()
	}
	return nil
}

// writeSystem writes the lower half of a matrix by columns.
func writeSystem(name string, a *linalg.Symmetric, sides int) error {
	start, col, val := []int32{0}, []int32(nil), []float64(nil)
	for i := range a.N {
		for k := a.Start[i]; k < a.Start[i+1]; k++ {
			if int(a.Col[k]) >= i {
				col, val = append(col, a.Col[k]), append(val, a.Val[k])
			}
		}
		start = append(start, int32(len(col)))
	}
	var out bytes.Buffer
	for _, part := range []any{[]int32{int32(a.N), int32(len(col)), int32(sides)}, start, col, val} {
		if err := binary.Write(&out, binary.LittleEndian, part); err != nil {
			return err
		}
	}
	return os.WriteFile(name, out.Bytes(), 0o600)
}
