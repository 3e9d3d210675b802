// Command stranger writes a character that is none of the cast as a GLB without a skeleton, for tests that walk with
// one nobody has seen: stranger stranger|coat|pose|creature SEED NUMBER FILE.
package main

import (
	"fmt"
	"os"
	"strconv"

	"wisemarrow/core/mesh"
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
	if len(os.Args) != 5 {
		return fmt.Errorf("usage: stranger stranger|coat|pose|creature SEED NUMBER FILE")
	}
	seed, err := strconv.ParseUint(os.Args[2], 10, 64)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(os.Args[3])
	if err != nil || n < 1 || n > 1000 {
		return fmt.Errorf("the number is 1 to 1000, not %q", os.Args[3])
	}
	var name string
	var m *mesh.Mesh
	switch os.Args[1] {
	case "stranger":
		v := demo.Strangers(seed, n)[n-1]
		name = v.Name
		m, _ = v.Make()
	case "coat":
		v := demo.Coats(seed, n)[n-1]
		name = v.Name
		m, _ = v.Make()
	case "pose":
		v := demo.Poses(seed, n)[n-1]
		name = v.Name
		m, _ = v.Make()
	case "creature":
		c := demo.Creatures(seed, n)[n-1]
		name = c.Name
		m, _ = c.Make()
	default:
		return fmt.Errorf("there is no population %q: it is stranger, coat, pose or creature", os.Args[1])
	}
	f, err := os.Create(os.Args[4])
	if err != nil {
		return err
	}
	if err := gltf.EncodeGLB(f, &gltf.Scene{Mesh: m}); err != nil {
		return err
	}
	fmt.Println(name)
	return f.Close()
}
