package electric

import "math/bits"

// ldl factors a sparse symmetric positive definite matrix A = L·D·Lᵀ. The pattern is fixed
// when it is made; the values change at every solve. Circuits are nearly trees, so that a
// minimum-degree order leaves almost no fill and a solve costs about as much as there are
// wires. The pattern of L follows from the elimination tree (T. A. Davis, Direct Methods for Sparse Linear Systems, SIAM
// 2006, chapter 4). As it stays, the place of each product in the elimination is found once, too: what is left to do at a
// solve is a list of multiplications.
//
// Nodes whose values change from one step of Newton's method to the next (those of motors, lamps and diodes) are eliminated
// last. What stands before them, the head, is then factored once for all steps, and each step works on the few of the tail
// alone, over what the head has left there.
type ldl struct {
	n     int
	head  int   // so many are eliminated before the first that changes
	order []int // order[k] is the node eliminated k-th

	// L column by column, below its diagonal of ones: column k's rows stand in lRow from lStart[k] on, in rising order.
	lStart, lRow []int32
	lVal         []float64
	d            []float64

	// Where each product of two entries of a column is taken off, in the order of the elimination: a place in lVal.
	target   []int32
	products []int32 // of column k they begin at products[k]

	inHead, inTail []entry // where the off-diagonal values go: to a column or row of the head, or between two of the tail

	leftD, leftVal []float64 // the tail as the head leaves it

	forward, permuted []float64 // the right side with the head eliminated, and the solution
}

// pair is an off-diagonal place of the matrix, i < j.
type pair struct{ i, j int32 }

// entry is an off-diagonal value's place in L.
type entry struct{ slot, at int32 }

// newLDL analyses an n×n pattern with the given off-diagonal places; the value of pairs[s]
// is later handed over as off[s]. Nodes that are marked late are eliminated last; nil marks none.
func newLDL(n int, pairs []pair, late []bool) *ldl {
	f := &ldl{
		n: n, head: n, order: minimumDegree(n, pairs, late), lStart: make([]int32, n+1), products: make([]int32, n+1),
		d: make([]float64, n), forward: make([]float64, n), permuted: make([]float64, n),
	}
	for _, l := range late {
		if l {
			f.head--
		}
	}
	placed := make([]pair, len(pairs))
	place := make([]int32, n)
	for k, node := range f.order {
		place[node] = int32(k)
	}
	for s, p := range pairs {
		i, j := place[p.i], place[p.j]
		placed[s] = pair{min(i, j), max(i, j)}
	}
	f.analyse(placed)
	for s, p := range placed {
		at := entry{int32(s), f.at(p.i, p.j)}
		if int(p.i) < f.head {
			f.inHead = append(f.inHead, at)
			continue
		}
		f.inTail = append(f.inTail, at)
	}
	f.leftD = make([]float64, n-f.head)
	f.leftVal = make([]float64, len(f.lVal)-int(f.lStart[f.head]))
	return f
}

// analyse finds which rows each column of L has, and where each product of the elimination goes. It takes the off-diagonal
// places by the order of elimination.
func (f *ldl) analyse(placed []pair) {
	above := make([][]int32, f.n) // of each row the columns in which the matrix itself has a value
	for _, p := range placed {
		above[p.j] = append(above[p.j], p.i)
	}
	parent, flag := make([]int32, f.n), make([]int32, f.n)
	columns := make([][]int32, f.n)
	for k := range int32(f.n) {
		parent[k], flag[k] = -1, k
		for _, i := range above[k] {
			for ; flag[i] != k; i = parent[i] {
				if parent[i] < 0 {
					parent[i] = k
				}
				columns[i] = append(columns[i], k)
				flag[i] = k
			}
		}
	}
	for k, rows := range columns {
		f.lRow = append(f.lRow, rows...)
		f.lStart[k+1] = int32(len(f.lRow))
	}
	f.lVal = make([]float64, len(f.lRow))
	for k := range f.n {
		rows := f.lRow[f.lStart[k]:f.lStart[k+1]]
		for p, i := range rows {
			for _, j := range rows[p+1:] {
				f.target = append(f.target, f.at(i, j))
			}
		}
		f.products[k+1] = int32(len(f.target))
	}
}

// at is where L has its entry in a column and a row.
func (f *ldl) at(column, row int32) int32 {
	at := f.lStart[column]
	for f.lRow[at] != row {
		at++
	}
	return at
}

// factor computes L and D from the diagonal and the off-diagonal values. It reports false
// where a pivot is not positive.
func (f *ldl) factor(diag, off []float64) bool {
	return f.factorHead(diag, off) && f.factorTail(diag, off)
}

// factorHead eliminates the nodes before the first that changes.
func (f *ldl) factorHead(diag, off []float64) bool {
	clear(f.lVal)
	clear(f.d[f.head:])
	for k, node := range f.order[:f.head] {
		f.d[k] = diag[node]
	}
	for _, e := range f.inHead {
		f.lVal[e.at] += off[e.slot]
	}
	if !f.eliminate(0, f.head) {
		return false
	}
	copy(f.leftD, f.d[f.head:])
	copy(f.leftVal, f.lVal[f.lStart[f.head]:])
	return true
}

// factorTail eliminates the rest, over a head that is done.
func (f *ldl) factorTail(diag, off []float64) bool {
	copy(f.lVal[f.lStart[f.head]:], f.leftVal)
	for k, left := range f.leftD {
		f.d[f.head+k] = left + diag[f.order[f.head+k]]
	}
	for _, e := range f.inTail {
		f.lVal[e.at] += off[e.slot]
	}
	return f.eliminate(f.head, f.n)
}

// eliminate takes the columns from one on, up to another, off those after them.
func (f *ldl) eliminate(from, to int) bool {
	d, values := f.d, f.lVal
	for k := from; k < to; k++ {
		pivot := d[k]
		if !(pivot > 0) {
			return false
		}
		start, end := f.lStart[k], f.lStart[k+1]
		rows, column := f.lRow[start:end], values[start:end]
		targets := f.target[f.products[k]:f.products[k+1]]
		for p, v := range column {
			l := v / pivot
			d[rows[p]] -= l * v
			rest := column[p+1:]
			for q, at := range targets[:len(rest)] {
				values[at] -= l * rest[q]
			}
			targets = targets[len(rest):]
			column[p] = l
		}
	}
	return true
}

// solve finds x in A·x = b from the last factor; b and x may be the same slice.
func (f *ldl) solve(b, x []float64) {
	f.beginSolve(b)
	f.solveTail(nil, nil, x)
	f.solveHead(x)
}

// beginSolve eliminates the head from the right side.
func (f *ldl) beginSolve(b []float64) {
	y := f.forward
	for k, node := range f.order {
		y[k] = b[node]
	}
	f.substitute(y, 0, f.head)
}

// substitute eliminates the nodes from one on, up to another, from a right side.
func (f *ldl) substitute(y []float64, from, to int) {
	for k := from; k < to; k++ {
		start, end := f.lStart[k], f.lStart[k+1]
		values := f.lVal[start:end]
		yk := y[k]
		for p, row := range f.lRow[start:end] {
			y[row] -= values[p] * yk
		}
	}
}

// solveTail finds the nodes that change: b is the right side in place of the one begun with, where it differs by those
// nodes alone (nil: it is the same).
func (f *ldl) solveTail(b, begun, x []float64) {
	y := f.permuted
	copy(y[f.head:], f.forward[f.head:])
	if b != nil {
		for k := f.head; k < f.n; k++ {
			node := f.order[k]
			y[k] += b[node] - begun[node]
		}
	}
	f.substitute(y, f.head, f.n)
	f.back(y, f.head, f.n, x)
}

// solveHead finds the other nodes, once those that change are found.
func (f *ldl) solveHead(x []float64) {
	copy(f.permuted[:f.head], f.forward[:f.head])
	f.back(f.permuted, 0, f.head, x)
}

// back finds the nodes from one on, up to another, from those after them.
func (f *ldl) back(y []float64, from, to int, x []float64) {
	for k := to - 1; k >= from; k-- {
		start, end := f.lStart[k], f.lStart[k+1]
		values := f.lVal[start:end]
		yk := y[k] / f.d[k]
		for p, row := range f.lRow[start:end] {
			yk -= values[p] * y[row]
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
