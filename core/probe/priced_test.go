package probe

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/library"
)

// Every kind of part that a lead can be laid on is priced: what costs nothing would be asked first, be it in the dash.
func TestEveryKindIsPriced(t *testing.T) {
	entries, err := library.All()
	assert.NoError(t, err)
	for _, e := range entries {
		for _, p := range e.Circuit.Parts {
			assert.Positive(t, p.Traits().Reach, "%s in %s", p.Kind(), e.Name)
		}
	}
}
