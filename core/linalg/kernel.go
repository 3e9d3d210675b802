package linalg

// The dense products are done in tiles of C: so many rows by so many columns, which the
// registers of a processor hold.
const tileRows, tileCols = 4, 8

// view is a dense matrix within a slice: element (i, t) is data[i*row+t*col].
type view struct {
	data     []float64
	row, col int
}

// multiplySubtract does C -= A·B, with k products for each of rows×cols numbers of C, which
// lies row by row with stride ldc. B lies so too, and can be read to the next multiple of
// four columns. Of a lower half only columns up to the diagonal are
// asked; more may be written within cols.
func multiplySubtract(c []float64, ldc int, a view, b []float64, ldb, rows, cols, k int, lower bool) {
	if rows == 0 || cols == 0 || k == 0 {
		return
	}
	for i := 0; i < rows; i += tileRows {
		high := min(tileRows, rows-i)
		to := cols
		if lower {
			to = min(cols, i+high)
		}
		for j := 0; j < to; {
			wide := tileCols
			if cols-j <= 4 {
				wide = 4
			}
			if high == tileRows && j+wide <= cols {
				tile(c[i*ldc+j:], ldc, a.data[i*a.row:], a.row, a.col, b[j:], ldb, k, wide)
			} else {
				border(c[i*ldc+j:], ldc, a, i, rows, b[j:], ldb, k, high, min(wide, cols-j), wide)
			}
			j += wide
		}
	}
}

// border is a tile that reaches over the end of C: it is done beside it. Where rows end,
// the tile is of the last four, of which those before i are not used.
func border(c []float64, ldc int, a view, i, rows int, b []float64, ldb, k, high, have, wide int) {
	if rows < tileRows {
		for y := range high {
			for t := range k {
				v := a.data[(i+y)*a.row+t*a.col]
				to, from := c[y*ldc:y*ldc+have], b[t*ldb:t*ldb+have]
				for x := range to {
					to[x] -= v * from[x]
				}
			}
		}
		return
	}
	var beside [tileRows * tileCols]float64
	start := min(i, rows-tileRows)
	tile(beside[:], wide, a.data[start*a.row:], a.row, a.col, b, ldb, k, wide)
	for y := range high {
		for x := range have {
			c[y*ldc+x] += beside[(y+i-start)*wide+x]
		}
	}
}

// tile does C -= A·B for four rows and four or eight columns.
func tile(c []float64, ldc int, a []float64, row, col int, b []float64, ldb, k, wide int) {
	if vectors {
		_, _, _ = c[3*ldc+wide-1], a[3*row+(k-1)*col], b[(k-1)*ldb+wide-1]
		if wide == 8 {
			mulSub8(&c[0], ldc, &a[0], row, col, &b[0], ldb, k)
		} else {
			mulSub4(&c[0], ldc, &a[0], row, col, &b[0], ldb, k)
		}
		return
	}
	for y := range tileRows {
		var sum [tileCols]float64
		for t := range k {
			v := a[y*row+t*col]
			for x, w := range b[t*ldb : t*ldb+wide] {
				sum[x] += v * w
			}
		}
		for x := range wide {
			c[y*ldc+x] -= sum[x]
		}
	}
}

// transposed puts a view of rows×cols numbers the other way round, with stride ld, the next
// multiple of four of rows; what is over is zero.
func transposed(to []float64, a view, rows, cols int) (out []float64, ld int) {
	ld = (rows + 3) &^ 3
	if cap(to) < ld*cols {
		to = make([]float64, ld*cols)
	}
	out = to[:ld*cols]
	for t := range cols {
		for i := range rows {
			out[t*ld+i] = a.data[i*a.row+t*a.col]
		}
		clear(out[t*ld+rows : (t+1)*ld])
	}
	return out, ld
}
