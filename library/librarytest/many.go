package librarytest

import (
	"bytes"
	"math/rand/v2"
	"os"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// Beside the fuzzing that is led by what the code covers, every reader is given very many inputs that are changed blindly: it
// is far quicker, so that millions are reached.

// inputs is how many: some in every run, as many as IRONTHREAD_INPUTS says for a measurement.
func inputs() int64 {
	if n, err := strconv.ParseInt(os.Getenv("IRONTHREAD_INPUTS"), 10, 64); err == nil {
		return n
	}
	return 2000
}

var (
	words   = regexp.MustCompile(`[\pL\d.]+|[^\pL\d.\s]+`)
	strange = []string{"", "\x00", "\xff\xfe", "NaN", "-inf", "1e309", "-1", "0", "99999999999999999999", "é", "\u202e", "\"", "'",
		"\r\n", "\t"}
	strangeIs = " \n:{}[]-,.\"'#&*!|>%@`~0123456789\x00\xff"
)

// Many gives read changed versions of the seeds, on all cores. A panic fails the test with the input that caused it; what read
// itself finds wrong it says to t.
func Many(t *testing.T, seeds [][]byte, read func(input []byte)) {
	t.Helper()
	var tokens [][]byte
	for _, s := range seeds {
		tokens = append(tokens, words.FindAll(s, 400)...)
	}
	for _, s := range strange {
		tokens = append(tokens, []byte(s))
	}
	total, began := inputs(), time.Now()
	var given atomic.Int64
	var all sync.WaitGroup
	for n := range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			r := rand.New(rand.NewPCG(uint64(n), 2026)) // the same inputs at every run
			var input []byte
			defer func() {
				if p := recover(); p != nil {
					t.Errorf("panic: %v\n%q", p, input)
				}
			}()
			for given.Add(1) <= total && !t.Failed() {
				input = changed(r, seeds, tokens)
				read(input)
			}
		})
	}
	all.Wait()
	t.Logf("%d inputs in %v", min(total, given.Load()), time.Since(began).Round(time.Millisecond))
}

// changed takes a seed, sometimes two halves of two, and changes it in one to six places.
func changed(r *rand.Rand, seeds, tokens [][]byte) []byte {
	b := slices.Clone(seeds[r.IntN(len(seeds))])
	if r.IntN(5) == 0 {
		other := seeds[r.IntN(len(seeds))]
		b = append(b[:r.IntN(len(b)+1)], other[r.IntN(len(other)+1):]...)
	}
	for range 1 + r.IntN(6) {
		at := r.IntN(len(b) + 1)
		end := min(len(b), at+1+r.IntN(12))
		switch r.IntN(6) {
		case 0: // a bit
			if at < len(b) {
				b[at] ^= 1 << r.IntN(8)
			}
		case 1: // a sign that means something
			if at < len(b) {
				b[at] = strangeIs[r.IntN(len(strangeIs))]
			}
		case 2: // left out
			b = slices.Delete(b, at, end)
		case 3: // twice
			b = slices.Insert(b, at, bytes.Clone(b[at:end])...)
		case 4: // a word from elsewhere put in
			b = slices.Insert(b, at, tokens[r.IntN(len(tokens))]...)
		case 5: // a word in the place of another
			if place := words.FindIndex(b[at:]); place != nil {
				b = slices.Replace(b, at+place[0], at+place[1], tokens[r.IntN(len(tokens))]...)
			}
		}
	}
	return b
}
