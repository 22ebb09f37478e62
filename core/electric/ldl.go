package electric

import "math/bits"

// ldl factors a sparse symmetric positive definite matrix A = L·D·Lᵀ. The pattern is fixed
// when it is made; the values change at every solve. Circuits are nearly trees, so that a
// minimum-degree order leaves almost no fill and a solve costs about as much as there are
// wires. The row-by-row ("up-looking") scheme is that of T. A. Davis, ACM Transactions on
// Mathematical Software 31 (2005) 587, algorithm 849.
//
// Nodes whose values change from one step of Newton's method to the next (those of motors, lamps and diodes) are eliminated
// last. What stands before them, the head, is then factored once for all steps, and each step works on the tail alone.
type ldl struct {
	n     int
	head  int   // so many are eliminated before the first that changes
	order []int // order[k] is the node eliminated k-th

	// Upper triangle of the permuted matrix, column by column: row and where its value is.
	colStart, row, slot []int32

	parent []int32
	lStart []int32
	lCount []int32
	lRow   []int32
	lVal   []float64
	d      []float64
	work   []float64
	flag   []int32

	// The columns that each row of L is made of, row by row.
	reach, reachStart []int32

	permuted []float64
	forward  []float64 // the right side with the head eliminated
	lHead    []int32   // of each column: how many of its entries lie in the head's rows
}

// pair is an off-diagonal place of the matrix, i < j.
type pair struct{ i, j int32 }

// newLDL analyses an n×n pattern with the given off-diagonal places; the value of pairs[s]
// is later handed over as off[s]. Nodes that are marked late are eliminated last; nil marks none.
func newLDL(n int, pairs []pair, late []bool) *ldl {
	f := &ldl{
		n: n, head: n, order: minimumDegree(n, pairs, late),
		parent: make([]int32, n), lStart: make([]int32, n+1), lCount: make([]int32, n),
		d: make([]float64, n), work: make([]float64, n), permuted: make([]float64, n),
		flag: make([]int32, n), colStart: make([]int32, n+1),
		forward: make([]float64, n), lHead: make([]int32, n),
	}
	for _, l := range late {
		if l {
			f.head--
		}
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
	f.follow()
}

// follow finds which columns each row of L is made of, in the order in which they are taken: it depends on the pattern alone.
func (f *ldl) follow() {
	pattern := make([]int32, f.n)
	clear(f.lCount)
	for k := range int32(f.n) {
		f.reachStart = append(f.reachStart, int32(len(f.reach)))
		top := int32(f.n)
		f.flag[k] = k
		for p := f.colStart[k]; p < f.colStart[k+1]; p++ {
			depth := int32(0)
			for i := f.row[p]; f.flag[i] != k; i = f.parent[i] {
				pattern[depth] = i
				depth++
				f.flag[i] = k
			}
			for depth > 0 {
				top--
				depth--
				pattern[top] = pattern[depth]
			}
		}
		for _, i := range pattern[top:] {
			f.lRow[f.lStart[i]+f.lCount[i]] = k
			f.lCount[i]++
		}
		f.reach = append(f.reach, pattern[top:]...)
	}
	f.reachStart = append(f.reachStart, int32(len(f.reach)))
}

// factor computes L and D from the diagonal and the off-diagonal values. It reports false
// where a pivot is not positive.
func (f *ldl) factor(diag, off []float64) bool {
	return f.factorHead(diag, off) && f.factorTail(diag, off)
}

// factorHead computes the rows before the first node that changes.
func (f *ldl) factorHead(diag, off []float64) bool {
	for k := range int32(f.head) {
		f.lCount[k] = 0
		if !f.rowOf(k, diag, off) {
			return false
		}
	}
	copy(f.lHead, f.lCount)
	return true
}

// factorTail computes the rest, over a head that is there.
func (f *ldl) factorTail(diag, off []float64) bool {
	copy(f.lCount[:f.head], f.lHead[:f.head])
	for k := int32(f.head); k < int32(f.n); k++ {
		f.lCount[k] = 0
		if !f.rowOf(k, diag, off) {
			return false
		}
	}
	return true
}

// rowOf computes one row of L, and its pivot.
func (f *ldl) rowOf(k int32, diag, off []float64) bool {
	y := f.work
	for p := f.colStart[k]; p < f.colStart[k+1]; p++ {
		y[f.row[p]] += off[f.slot[p]]
	}
	d := diag[f.order[k]]
	for _, i := range f.reach[f.reachStart[k]:f.reachStart[k+1]] {
		yi := y[i]
		y[i] = 0
		start, end := f.lStart[i], f.lStart[i]+f.lCount[i]
		rows := f.lRow[start:end]
		values := f.lVal[start:end][:len(rows)]
		for p, r := range rows {
			y[r] -= values[p] * yi
		}
		l := yi / f.d[i]
		d -= l * yi
		f.lVal[end] = l
		f.lCount[i]++
	}
	if !(d > 0) {
		return false
	}
	f.d[k] = d
	return true
}

// solve finds x in A·x = b from the last factor; b and x may be the same slice.
func (f *ldl) solve(b, x []float64) {
	f.beginSolve(b)
	f.solveTail(nil, nil, x)
	f.solveHead(x)
}

// beginSolve eliminates the head from the right side, as far as the head's rows go.
func (f *ldl) beginSolve(b []float64) {
	y := f.forward
	for k, node := range f.order {
		y[k] = b[node]
	}
	for k := range f.head {
		yk := y[k]
		for p := f.lStart[k]; p < f.lStart[k]+f.lHead[k]; p++ {
			y[f.lRow[p]] -= f.lVal[p] * yk
		}
	}
}

// solveTail finds the nodes that change: b is the right side in place of the one begun with, where it differs by those
// nodes alone (nil: it is the same).
func (f *ldl) solveTail(b, begun, x []float64) {
	y := f.permuted
	copy(y, f.forward)
	if b != nil {
		for k := f.head; k < f.n; k++ {
			node := f.order[k]
			y[k] += b[node] - begun[node]
		}
	}
	for k := range f.head {
		yk := y[k]
		for p := f.lStart[k] + f.lHead[k]; p < f.lStart[k]+f.lCount[k]; p++ {
			y[f.lRow[p]] -= f.lVal[p] * yk
		}
	}
	for k := f.head; k < f.n; k++ {
		yk := y[k]
		for p := f.lStart[k]; p < f.lStart[k]+f.lCount[k]; p++ {
			y[f.lRow[p]] -= f.lVal[p] * yk
		}
	}
	for k := f.n - 1; k >= f.head; k-- {
		yk := y[k] / f.d[k]
		for p := f.lStart[k]; p < f.lStart[k]+f.lCount[k]; p++ {
			yk -= f.lVal[p] * y[f.lRow[p]]
		}
		y[k] = yk
		x[f.order[k]] = yk
	}
}

// solveHead finds the other nodes, once those that change are found.
func (f *ldl) solveHead(x []float64) {
	y := f.permuted
	for k := f.head - 1; k >= 0; k-- {
		yk := y[k] / f.d[k]
		for p := f.lStart[k]; p < f.lStart[k]+f.lCount[k]; p++ {
			yk -= f.lVal[p] * y[f.lRow[p]]
		}
		y[k] = yk
		x[f.order[k]] = yk
	}
}

// minimumDegree orders the nodes so that the one with the fewest neighbours left goes first, and those that are late after all
// others.
func minimumDegree(n int, pairs []pair, late []bool) []int {
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
	before := func(i, j int) bool {
		if late != nil && late[i] != late[j] {
			return late[j]
		}
		return degrees[i] < degrees[j]
	}
	for range n {
		best := -1
		for i := range n {
			if !gone[i] && (best < 0 || before(i, best)) {
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
