package main

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"syscall"
	"time"

	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
)

// whole times the whole command of a heat bind, reading, report and writing included, in turns
// with a program in C++ on SuiteSparse (bench/reference/heat.cpp), where that can be built.
func whole() error {
	fmt.Println(
		"Whole commands: wisemarrow bind --method heat, and bench/reference/heat.cpp (seconds of wall and of processor, MB; median of 5 in turns)",
	)
	dir, err := os.MkdirTemp("", "whole")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	at := func(name string) string { return filepath.Join(dir, name) }
	if out, err := exec.Command("go", "build", "-o", at("wisemarrow"), "./cmd/wisemarrow").CombinedOutput(); err != nil {
		return fmt.Errorf("building: %w: %s", err, out)
	}
	out, err := exec.Command("g++", "-O2", "-o", at("reference"), "bench/reference/heat.cpp", "-lcholmod").CombinedOutput()
	have := err == nil
	if !have {
		fmt.Printf("without a reference: %v %.200s\n", err, bytes.TrimSpace(out))
	}
	fmt.Println(" vertices |   wall    cpu     MB |   wall    cpu     MB |  wall  memory")
	for _, cell := range []float64{0.0174, 0.0108, 0.00778, 0.0055, 0.00389} {
		m, s := demo.Odile(cell)
		if err := written(at("mesh.obj"), func(b *bytes.Buffer) error { return obj.Encode(b, m) }); err != nil {
			return err
		}
		if err := written(at("skeleton.gltf"), func(b *bytes.Buffer) error { return gltf.EncodeSkeleton(b, s) }); err != nil {
			return err
		}
		if err := written(at("bones"), func(b *bytes.Buffer) error {
			for _, x := range s.Leading(s.Deforming()) {
				fmt.Fprintln(b, x.Joint, x.A.X, x.A.Y, x.A.Z, x.B.X, x.B.Y, x.B.Z)
			}
			return nil
		}); err != nil {
			return err
		}
		var ours, theirs [][3]float64
		for range 5 {
			x, err := timed(
				at("wisemarrow"),
				"bind",
				at("mesh.obj"),
				"--skeleton",
				at("skeleton.gltf"),
				"--method",
				"heat",
				"-o",
				at("out.glb"),
				"--report",
				at("report.json"),
			)
			if err != nil {
				return err
			}
			ours = append(ours, x)
			if have {
				if x, err = timed(at("reference"), at("mesh.obj"), at("bones"), at("out.txt")); err != nil {
					return err
				}
				theirs = append(theirs, x)
			}
		}
		a := medians(ours)
		fmt.Printf("%9d | %6.2f %6.2f %6.0f", len(m.Points), a[0], a[1], a[2])
		if have {
			b := medians(theirs)
			fmt.Printf(" | %6.2f %6.2f %6.0f | %5.2f %7.2f", b[0], b[1], b[2], a[0]/b[0], a[2]/b[2])
		}
		fmt.Println()
	}
	return nil
}

func written(path string, f func(b *bytes.Buffer) error) error {
	var b bytes.Buffer
	if err := f(&b); err != nil {
		return err
	}
	return os.WriteFile(path, b.Bytes(), 0o600)
}

// timed runs a program and returns its wall time, processor time and largest memory.
func timed(name string, args ...string) (out [3]float64, err error) {
	self, err := os.Executable()
	if err != nil {
		return out, err
	}
	c := exec.Command(self, append([]string{"launch", name}, args...)...)
	c.Env = append(os.Environ(), "OPENBLAS_NUM_THREADS=1", "OMP_NUM_THREADS=1") // the reference's dense products: one core
	said, err := c.Output()
	if err != nil {
		return out, fmt.Errorf("%s: %w", filepath.Base(name), err)
	}
	_, err = fmt.Sscan(string(said), &out[0], &out[1], &out[2])
	return out, err
}

// launch runs a command and prints its seconds of wall and of processor, and its MB. It is a process of its
// own, since the most memory of a child counts from that of its parent on.
func launch(name string, args []string) error {
	c := exec.Command(name, args...)
	begin := time.Now()
	out, err := c.CombinedOutput()
	wall := time.Since(begin).Seconds()
	if err != nil && (c.ProcessState == nil || c.ProcessState.ExitCode() > 1) {
		return fmt.Errorf("%w: %s", err, out)
	}
	used, ok := c.ProcessState.SysUsage().(*syscall.Rusage)
	if !ok {
		return errors.New("this system does not tell how much memory a command took")
	}
	fmt.Println(wall, (c.ProcessState.UserTime() + c.ProcessState.SystemTime()).Seconds(), float64(used.Maxrss)/1024)
	return nil
}

func medians(list [][3]float64) (out [3]float64) {
	for k := range out {
		var x []float64
		for _, one := range list {
			x = append(x, one[k])
		}
		slices.Sort(x)
		out[k] = x[len(x)/2]
	}
	return out
}
