//go:build amd64 && !purego

package linalg

import "golang.org/x/sys/cpu"

// vectors is whether the processor has the instructions of the kernels.
var vectors = cpu.X86.HasAVX2 && cpu.X86.HasFMA

// mulSub8 does C -= A·B for a tile C of four rows by eight columns: element (i, j) of C is
// c[i*ldc+j], (i, t) of A is a[i*rs+t*cs], (t, j) of B is b[t*ldb+j], t from 0 to k.
//
//go:noescape
func mulSub8(c *float64, ldc int, a *float64, rs, cs int, b *float64, ldb, k int)

// mulSub4 is mulSub8 with four columns.
//
//go:noescape
func mulSub4(c *float64, ldc int, a *float64, rs, cs int, b *float64, ldb, k int)
