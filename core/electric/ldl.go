package electric

import "math/bits"

// ldl factors a sparse symmetric positive definite matrix A = L·D·Lᵀ. The pattern is fixed
// when it is made; the values change at every solve. Circuits are nearly trees, so that a
// minimum-degree order leaves almost no fill and a solve costs about as much as there are
// wires. The row-by-row ("up-looking") scheme is that of T. A. Davis, ACM Transactions on
// Mathematical Software 31 (2005) 587, algorithm 849.
type ldl struct {
	n     int
	order []int // order[k] is the node eliminated k-th

	// Upper triangle of the permuted matrix, column by column: row and where its value is.
	colStart, row, slot []int32

	parent   []int32
	lStart   []int32
	lCount   []int32
	lRow     []int32
	lVal     []float64
	d        []float64
	work     []float64
	flag     []int32
	pattern  []int32
	permuted []float64
}

// pair is an off-diagonal place of the matrix, i < j.
type pair struct{ i, j int32 }

// newLDL analyses an n×n pattern with the given off-diagonal places; the value of pairs[s]
// is later handed over as off[s].
func newLDL(n int, pairs []pair) *ldl {
	f := &ldl{
		n: n, order: minimumDegree(n, pairs),
		parent: make([]int32, n), lStart: make([]int32, n+1), lCount: make([]int32, n),
		d: make([]float64, n), work: make([]float64, n), permuted: make([]float64, n),
		flag: make([]int32, n), pattern: make([]int32, n), colStart: make([]int32, n+1),
	}
	place := make([]int32, n)
	for k, node := range f.order {
		place[node] = int32(k)
	}
	columns := make([][]pair, n) // of (row, slot)
	for s, p := range pairs {
		i, j := place[p.i], place[p.j]
		if i > j {
			i, j = j, i
		}
		columns[j] = append(columns[j], pair{i, int32(s)})
	}
	for k, column := range columns {
		f.colStart[k] = int32(len(f.row))
		for _, entry := range column {
			f.row, f.slot = append(f.row, entry.i), append(f.slot, entry.j)
		}
	}
	f.colStart[n] = int32(len(f.row))
	f.analyse()
	return f
}

// analyse finds the elimination tree and the length of each column of L.
func (f *ldl) analyse() {
	for k := range int32(f.n) {
		f.parent[k], f.flag[k], f.lCount[k] = -1, k, 0
		for p := f.colStart[k]; p < f.colStart[k+1]; p++ {
			for i := f.row[p]; f.flag[i] != k; i = f.parent[i] {
				if f.parent[i] < 0 {
					f.parent[i] = k
				}
				f.lCount[i]++
				f.flag[i] = k
			}
		}
	}
	for k := range f.n {
		f.lStart[k+1] = f.lStart[k] + f.lCount[k]
	}
	f.lRow = make([]int32, f.lStart[f.n])
	f.lVal = make([]float64, f.lStart[f.n])
}

// factor computes L and D from the diagonal and the off-diagonal values. It reports false
// where a pivot is not positive.
func (f *ldl) factor(diag, off []float64) bool {
	y := f.work
	for k := range int32(f.n) {
		y[k] = 0
		top := int32(f.n)
		f.flag[k] = k
		f.lCount[k] = 0
		for p := f.colStart[k]; p < f.colStart[k+1]; p++ {
			i := f.row[p]
			y[i] += off[f.slot[p]]
			depth := int32(0)
			for ; f.flag[i] != k; i = f.parent[i] {
				f.pattern[depth] = i
				depth++
				f.flag[i] = k
			}
			for depth > 0 {
				top--
				depth--
				f.pattern[top] = f.pattern[depth]
			}
		}
		d := diag[f.order[k]]
		for ; top < int32(f.n); top++ {
			i := f.pattern[top]
			yi := y[i]
			y[i] = 0
			end := f.lStart[i] + f.lCount[i]
			for p := f.lStart[i]; p < end; p++ {
				y[f.lRow[p]] -= f.lVal[p] * yi
			}
			l := yi / f.d[i]
			d -= l * yi
			f.lRow[end], f.lVal[end] = k, l
			f.lCount[i]++
		}
		if !(d > 0) {
			return false
		}
		f.d[k] = d
	}
	return true
}

// solve finds x in A·x = b from the last factor; b and x may be the same slice.
func (f *ldl) solve(b, x []float64) {
	y := f.permuted
	for k, node := range f.order {
		y[k] = b[node]
	}
	for k := range f.n {
		for p := f.lStart[k]; p < f.lStart[k]+f.lCount[k]; p++ {
			y[f.lRow[p]] -= f.lVal[p] * y[k]
		}
	}
	for k := range f.n {
		y[k] /= f.d[k]
	}
	for k := f.n - 1; k >= 0; k-- {
		for p := f.lStart[k]; p < f.lStart[k]+f.lCount[k]; p++ {
			y[k] -= f.lVal[p] * y[f.lRow[p]]
		}
	}
	for k, node := range f.order {
		x[node] = y[k]
	}
}

// minimumDegree orders the nodes so that the one with the fewest neighbours left goes first.
func minimumDegree(n int, pairs []pair) []int {
	width := (n + 63) / 64
	rows := make([]uint64, n*width)
	set := func(i, j int32) { rows[int(i)*width+int(j)/64] |= 1 << (j % 64) }
	for _, p := range pairs {
		set(p.i, p.j)
		set(p.j, p.i)
	}
	row := func(i int) []uint64 { return rows[i*width : (i+1)*width] }
	degree := func(i int) int {
		sum := 0
		for _, w := range row(i) {
			sum += bits.OnesCount64(w)
		}
		return sum
	}
	degrees := make([]int, n)
	for i := range n {
		degrees[i] = degree(i)
	}
	gone := make([]bool, n)
	order := make([]int, 0, n)
	for range n {
		best := -1
		for i := range n {
			if !gone[i] && (best < 0 || degrees[i] < degrees[best]) {
				best = i
			}
		}
		gone[best] = true
		order = append(order, best)
		clique := row(best)
		for w, word := range clique {
			for ; word != 0; word &= word - 1 {
				j := w*64 + bits.TrailingZeros64(word)
				neighbour := row(j)
				for x := range neighbour {
					neighbour[x] |= clique[x]
				}
				neighbour[j/64] &^= 1 << (j % 64)
				neighbour[best/64] &^= 1 << (best % 64)
				degrees[j] = degree(j)
			}
		}
	}
	return order
}
