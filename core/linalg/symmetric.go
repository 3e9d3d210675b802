// Package linalg solves sparse symmetric positive definite systems whose
// unknowns have places in space, as the vertices of a mesh have: geometric
// nested dissection, then a multifrontal Cholesky factorisation.
package linalg

import (
	"context"
	"fmt"

	"gonum.org/v1/gonum/spatial/r3"
)

// Symmetric is a sparse symmetric matrix with both halves stored: row i has
// columns Col[Start[i]:Start[i+1]], ascending and including the diagonal, and
// the values beside them in Val.
type Symmetric struct {
	N     int
	Start []int32
	Col   []int32
	Val   []float64
}

// MulVec returns A·x.
func (a *Symmetric) MulVec(x []float64) []float64 {
	y := make([]float64, a.N)
	for i := range y {
		var s float64
		for k := a.Start[i]; k < a.Start[i+1]; k++ {
			s += a.Val[k] * x[a.Col[k]]
		}
		y[i] = s
	}
	return y
}

// NotPositiveError tells which unknown had a pivot that is not positive.
type NotPositiveError struct {
	Index int
	Pivot float64
}

func (e NotPositiveError) Error() string {
	return fmt.Sprintf("the matrix is not positive definite: pivot %g at unknown %d", e.Pivot, e.Index)
}

// Factorise orders and factorises a. places gives each unknown's position and
// steers only the speed, not the result. The error is an NotPositiveError, or that of
// ctx, which is looked at within the large blocks too. told, unless nil, is told the
// share of the work that is done, from several goroutines.
func Factorise(ctx context.Context, a *Symmetric, places []r3.Vec, told func(share float64)) (*Cholesky, error) {
	return factorise(ctx, a, dissect(a, places), told)
}
