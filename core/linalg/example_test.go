package linalg_test

import (
	"context"
	"fmt"

	"wisemarrow/core/linalg"

	"gonum.org/v1/gonum/spatial/r3"
)

func ExampleFactorise() {
	a := &linalg.Symmetric{N: 2, Start: []int32{0, 2, 4}, Col: []int32{0, 1, 0, 1}, Val: []float64{4, 2, 2, 3}}
	c, err := linalg.Factorise(context.Background(), a, []r3.Vec{{}, {X: 1}}, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	x, err := c.Solve(context.Background(), [][]float64{{8, 7}}, nil)
	if err != nil {
		panic(err)
	}
	fmt.Printf("%.3f\n", x[0])
	// Output: [1.250 1.500]
}
