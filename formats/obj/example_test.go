package obj_test

import (
	"fmt"
	"os"
	"strings"

	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
)

func ExampleDecode() {
	f, err := obj.Decode(strings.NewReader("o kite\nv 0 0 0\nv 1 0 0\nv 1 2 0\nv 0 1 0\nf 1 2 3 4\n"), nil, reading.Default)
	if err != nil {
		fmt.Println(err)
		return
	}
	m := f.Mesh
	fmt.Println(m.Parts[0].Name, m.Faces(), "face of", len(m.Face(0)), "sides")
	_ = obj.Encode(os.Stdout, m)
	// Output:
	// kite 1 face of 4 sides
	// v 0 0 0
	// v 1 0 0
	// v 1 2 0
	// v 0 1 0
	// g kite
	// f 1 2 3 4
}

func ExampleDecode_refused() {
	_, err := obj.Decode(strings.NewReader("v 0 0 0\nf 1 2 3\n"), nil, reading.Default)
	fmt.Println(err)
	// Output: line 2: the face names vertex 2, but only 1 come before it
}
