package electric

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
)

// The sparse factor against gonum's dense Cholesky on random networks of resistors.
func TestFactorAgainstGonum(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		n := 2 + rng.IntN(60)
		seen := map[pair]bool{}
		var pairs []pair
		for range 2 * n {
			i, j := int32(rng.IntN(n)), int32(rng.IntN(n))
			if p := (pair{min(i, j), max(i, j)}); i != j && !seen[p] {
				seen[p] = true
				pairs = append(pairs, p)
			}
		}
		diag, off := make([]float64, n), make([]float64, len(pairs))
		dense := mat.NewSymDense(n, nil)
		for i := range diag {
			diag[i] = 1e-3
		}
		for s, p := range pairs {
			g := rng.ExpFloat64() * 100
			off[s] = -g
			diag[p.i] += g
			diag[p.j] += g
			dense.SetSym(int(p.i), int(p.j), -g)
		}
		rhs := make([]float64, n)
		for i := range diag {
			dense.SetSym(i, i, diag[i])
			rhs[i] = rng.NormFloat64()
		}
		var chol mat.Cholesky
		require.True(t, chol.Factorize(dense))
		var want mat.VecDense
		require.NoError(t, chol.SolveVecTo(&want, mat.NewVecDense(n, rhs)))
		late := make([]bool, n)
		for range n / 4 {
			late[rng.IntN(n)] = true
		}
		for _, marked := range [][]bool{nil, late} {
			f := newLDL(n, pairs, marked)
			require.True(t, f.factor(diag, off))
			got := make([]float64, n)
			f.solve(rhs, got)
			for i := range got {
				require.InDelta(t, want.AtVec(i), got[i], 1e-6*(1+abs(want.AtVec(i))))
			}
		}
		// The nodes that are late change, the others stay as they were factored: the same as all at once.
		changed, right := slices.Clone(diag), slices.Clone(rhs)
		for i := range changed {
			if late[i] {
				changed[i] += rng.ExpFloat64()
				right[i] += rng.NormFloat64()
				dense.SetSym(i, i, changed[i])
			}
		}
		require.True(t, chol.Factorize(dense))
		require.NoError(t, chol.SolveVecTo(&want, mat.NewVecDense(n, right)))
		f := newLDL(n, pairs, late)
		require.True(t, f.factorHead(diag, off))
		f.beginSolve(rhs)
		for range 2 { // a second step stands on the same head
			got := make([]float64, n)
			require.True(t, f.factorTail(changed, off))
			f.solveTail(right, rhs, got)
			f.solveHead(got)
			for i := range got {
				require.InDelta(t, want.AtVec(i), got[i], 1e-6*(1+abs(want.AtVec(i))))
			}
		}
	}
}

func abs(v float64) float64 {
	if v < 0 {
		return -v
	}
	return v
}
