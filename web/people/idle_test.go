package people

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/store"
)

// someone keeps one person, and nothing else.
type someone struct{ Keeper }

func (someone) Person(_ context.Context, id int64) (store.Person, error) {
	return store.Person{ID: id, Active: true}, nil
}

// A session that nobody has used for four hours is over; one in use is noted every few minutes, not at every page.
func TestAnIdleSessionIsOver(t *testing.T) {
	a := &Accounts{keep: someone{}, sessions: scs.New()}
	ctx, err := a.sessions.Load(t.Context(), "")
	require.NoError(t, err)
	a.sessions.Put(ctx, personKey, int64(7))
	in := func(idle time.Duration) (ok, noted bool) {
		used := time.Now().Add(-idle).Unix()
		a.sessions.Put(ctx, usedKey, used)
		c, _ := gin.CreateTestContext(httptest.NewRecorder())
		c.Request = httptest.NewRequest(http.MethodGet, "/", nil).WithContext(ctx)
		_, ok, err := a.person(c)
		require.NoError(t, err)
		return ok, a.sessions.GetInt64(ctx, usedKey) != used
	}
	for idle, want := range map[time.Duration][2]bool{
		time.Minute: {true, false}, notedEvery + time.Minute: {true, true}, idleFor - time.Minute: {true, true},
		idleFor + time.Minute: {false, false},
	} {
		ok, noted := in(idle)
		assert.Equal(t, want, [2]bool{ok, noted}, idle)
	}
}
