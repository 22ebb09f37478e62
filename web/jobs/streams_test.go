package jobs

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// One client holds so many streams and no more; others have theirs all the same, and one that ends makes room.
func TestStreamsOfOneClientAreFew(t *testing.T) {
	n := newNews()
	var ends []func()
	for k := range 400 {
		_, done, ok := n.wait(int64(k), "address 192.0.2.1")
		assert.Equal(t, k < mostOfOne, ok, k)
		if ok {
			ends = append(ends, done)
		}
	}
	_, done, ok := n.wait(1, "address 192.0.2.2")
	assert.True(t, ok, "another's")
	done()
	ends[0]()
	_, _, ok = n.wait(1, "address 192.0.2.1")
	assert.True(t, ok)
	told, _, _ := n.wait(7, "person Maud")
	n.tell(0) // it is not known which job: everybody looks
	assert.Len(t, told, 1)
}
