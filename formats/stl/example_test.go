package stl_test

import (
	"fmt"
	"strings"

	"wisemarrow/formats/reading"
	"wisemarrow/formats/stl"
)

func ExampleDecode() {
	m, err := stl.Decode(strings.NewReader(`solid roof
facet normal 0 0 1
outer loop
vertex 0 0 0
vertex 1 0 0
vertex 0 1 0
endloop
endfacet
facet normal 0 0 1
outer loop
vertex 1 0 0
vertex 1 1 0
vertex 0 1 0
endloop
endfacet
endsolid
`), reading.Default)
	fmt.Println(len(m.Points), "vertices", m.Faces(), "faces", err)
	// Output: 4 vertices 2 faces <nil>
}
