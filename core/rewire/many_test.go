package rewire_test

import (
	"testing"

	"ironthread/core/rewire"
	"ironthread/library/librarytest"
)

// Millions of changed wishes: each is read, or refused in one line; nothing panics.
func TestManyWishFiles(t *testing.T) {
	seeds := [][]byte{[]byte("plan: 1\ntitle: Mower\nfans: [{amps: 14, half: true}, {amps: 14}]\nstages: [low, high]\n" +
		"requesters:\n- {name: low line, gives: ground, asks: low}\n- {name: clutch, gives: supply, asks: high, limit: 0.5}\n")}
	librarytest.Many(t, seeds, func(b []byte) {
		if _, err := rewire.Read(b); err != nil && err.Error() == "" {
			t.Errorf("%q is refused without a word", b)
		}
	})
}
