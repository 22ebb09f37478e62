package predict

import (
	"math"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Budget bounds in bytes what all tables together keep. Over it, what was asked for longest ago is
// let go; it is made again when it is next needed. It is safe for use by many goroutines.
type Budget struct {
	mu   sync.Mutex
	most int64
	used int64
	kept *simplelru.LRU[key, *held]
}

// key names one kept thing: the table that it belongs to, and what it is.
type key struct {
	table *Table
	name  string
}

type held struct {
	value any
	bytes int64
}

// NewBudget makes a budget of so many bytes.
func NewBudget(bytes int64) *Budget {
	b := &Budget{most: bytes}
	b.kept, _ = simplelru.NewLRU(math.MaxInt32, func(_ key, h *held) { b.used -= h.bytes }) // fails for sizes below one only
	return b
}

// Bytes tells how much is kept now.
func (b *Budget) Bytes() int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.used
}

// find gives what is kept under a name, making it where there is nothing; build must be quick.
func (b *Budget) find(k key, build func() (any, error)) (any, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if h, ok := b.kept.Get(k); ok {
		return h.value, nil
	}
	v, err := build()
	if err != nil {
		return nil, err
	}
	b.kept.Add(k, &held{value: v})
	return v, nil
}

// grow counts further bytes to what is kept under a name, and lets the oldest go where it is too
// much; what has just grown stays.
func (b *Budget) grow(k key, bytes int64) {
	b.mu.Lock()
	defer b.mu.Unlock()
	h, ok := b.kept.Get(k)
	if !ok {
		return // let go meanwhile: whoever still uses it keeps it alive, and nobody else
	}
	h.bytes += bytes
	b.used += bytes
	for b.used > b.most && b.kept.Len() > 1 {
		b.kept.RemoveOldest()
	}
}

// drop lets go of all that belongs to a table.
func (b *Budget) drop(t *Table) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, k := range b.kept.Keys() {
		if k.table == t {
			b.kept.Remove(k)
		}
	}
}
