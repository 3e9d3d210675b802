package ply_test

import (
	"fmt"
	"strings"

	"wisemarrow/formats/ply"
	"wisemarrow/formats/reading"
)

func ExampleDecode() {
	m, err := ply.Decode(strings.NewReader(`ply
format ascii 1.0
element vertex 4
property float x
property float y
property float z
element face 1
property list uchar int vertex_indices
end_header
0 0 0
1 0 0
1 1 0
0 1 0
4 0 1 2 3
`), reading.Default)
	fmt.Println(m.Face(0), err)
	// Output: [0 1 2 3] <nil>
}
