package instruct

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/core/probe"
)

// Every kind of question is said to people.
func TestEveryKindIsSaid(t *testing.T) {
	for _, kind := range probe.Kinds() {
		assert.NotNil(t, said[kind.Do()], kind.Do())
	}
	assert.Len(t, said, len(probe.Kinds()))
}
