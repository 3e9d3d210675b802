// Command stranger writes a two-legged character that is none of the cast as a GLB without
// a skeleton, for tests that walk with one nobody has seen: stranger SEED NUMBER FILE.
package main

import (
	"fmt"
	"os"
	"strconv"

	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	if len(os.Args) != 4 {
		return fmt.Errorf("usage: stranger SEED NUMBER FILE")
	}
	seed, err := strconv.ParseUint(os.Args[1], 10, 64)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(os.Args[2])
	if err != nil || n < 1 || n > 1000 {
		return fmt.Errorf("the number is 1 to 1000, not %q", os.Args[2])
	}
	v := demo.Strangers(seed, n)[n-1]
	m, _ := v.Make()
	f, err := os.Create(os.Args[3])
	if err != nil {
		return err
	}
	if err := gltf.EncodeGLB(f, &gltf.Scene{Mesh: m}); err != nil {
		return err
	}
	fmt.Println(v.Name)
	return f.Close()
}
