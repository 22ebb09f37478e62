package worked

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/store"
	"ironthread/web/room"
)

// Many questions on their way at once: not one that somebody waits for is dropped, whatever is asked meanwhile, nor where the
// circuit itself is let go of.
func TestWhatIsAwaitedIsNotDropped(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := newAnswers(4)
		release, freed := make(chan struct{}), false
		var all sync.WaitGroup
		for n := range 20 {
			all.Go(func() {
				v, ready, err := a.ask(t.Context(), fmt.Sprint(n), time.Minute, func(ctx context.Context) (any, error) {
					<-release
					return n, ctx.Err()
				})
				assert.NoError(t, err)
				assert.True(t, ready)
				assert.Equal(t, n, v)
			})
		}
		synctest.Wait()
		a.letGo(func() { freed = true })
		assert.False(t, freed, "they are still on their way")
		close(release)
		all.Wait()
		assert.True(t, freed)
	})
}

// A page that asks again and again keeps its question going; once nobody has asked for a while the work is stopped, and
// whoever comes then has it begun anew.
func TestWhatNobodyWaitsForIsStopped(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := newAnswers(4)
		begun, stopped := 0, 0
		work := func(ctx context.Context) (any, error) {
			begun++
			<-ctx.Done()
			stopped++
			return nil, ctx.Err()
		}
		for range 30 {
			_, ready, err := a.ask(t.Context(), "k", 90*time.Millisecond, work)
			require.NoError(t, err)
			require.False(t, ready)
			time.Sleep(2 * time.Second) // of the bubble's own clock
		}
		assert.Equal(t, [2]int{1, 0}, [2]int{begun, stopped}, "a minute of asking")
		time.Sleep(abandonedAfter + time.Second)
		synctest.Wait()
		assert.Equal(t, 1, stopped)
		v, ready, err := a.ask(t.Context(), "k", time.Minute, func(context.Context) (any, error) { return "anew", nil })
		require.NoError(t, err)
		assert.True(t, ready)
		assert.Equal(t, "anew", v)
	})
}

// More than can be on their way at once are refused with an error of their own; a panic is an error that says where.
func TestTooMuchAndPanics(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		a := newAnswers(4)
		release := make(chan struct{})
		for n := range mostWorking {
			_, ready, err := a.ask(t.Context(), fmt.Sprint(n), 0, func(context.Context) (any, error) { <-release; return nil, nil })
			require.NoError(t, err)
			require.False(t, ready)
		}
		_, _, err := a.ask(t.Context(), "one more", time.Second, nil)
		require.ErrorIs(t, err, store.ErrBusy)
		close(release)
		synctest.Wait()
		_, _, err = a.ask(t.Context(), "bad", time.Minute, func(context.Context) (any, error) { panic("no such pin") })
		var broken *room.Broken
		require.True(t, errors.As(err, &broken))
		assert.Contains(t, string(broken.Stack), "TestTooMuchAndPanics")
	})
}
