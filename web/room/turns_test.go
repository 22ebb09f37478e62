package room

import (
	"context"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// One person asks for very much, another for a little: the little waits for one piece of work, not for all of them. Whoever
// gives up leaves no turn behind.
func TestTurnsGoFromPersonToPerson(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		turns := NewTurns(1)
		var served []string
		take := func(ctx context.Context, who string) {
			done, err := turns.Take(ctx, who)
			if err != nil {
				return
			}
			served = append(served, who)
			time.Sleep(time.Second) // of the bubble's own clock
			done()
		}
		for range 20 {
			go take(t.Context(), "much")
		}
		synctest.Wait()
		given, stop := context.WithCancel(t.Context())
		go take(given, "gone")
		synctest.Wait()
		stop()
		synctest.Wait()
		go take(t.Context(), "little")
		synctest.Wait()
		time.Sleep(time.Minute)
		synctest.Wait()
		require.Len(t, served, 21)
		assert.Contains(t, served[:3], "little")
		assert.NotContains(t, served, "gone")
		assert.Equal(t, 1, turns.free)
		assert.Empty(t, turns.waiting)
	})
}
