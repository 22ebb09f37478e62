package scan

import (
	"context"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/scan/describe"
	"ironthread/scan/uds"
)

// obedient is a control unit with one output that obeys at once.
type obedient struct {
	answers chan Answer
	mu      sync.Mutex
	on      bool
	closed  bool
}

func (o *obedient) Send(b []byte) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	switch uds.Service(b[0]) {
	case uds.TesterPresent:
		return nil
	case uds.ControlOutput:
		o.on = b[3] == uds.ShortTermAdjust && b[4] == 1
		o.answers <- Answer{Data: append([]byte{b[0] | 0x40}, b[1:]...)}
	case uds.ReadData:
		o.answers <- Answer{Data: []byte{0x62, b[1], b[2], 100}}
	case uds.SessionControl:
		o.on = o.on && b[1] != uds.DefaultSession
		o.answers <- Answer{Data: []byte{0x50, b[1], 0, 50, 1, 0xF4}}
	}
	return nil
}

func (o *obedient) Answers() <-chan Answer { return o.answers }

func (o *obedient) Close() {
	o.mu.Lock()
	defer o.mu.Unlock()
	if !o.closed {
		o.closed = true
		close(o.answers)
	}
}

func (o *obedient) isOn() bool { o.mu.Lock(); defer o.mu.Unlock(); return o.on }

// Ten seconds without a sign from the page give back what is commanded, long before its own time is over; the link lives on until nobody
// has looked for a minute and a half. As long as somebody looks it holds its whole time.
func TestAPageThatGivesNoSign(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		unit := &obedient{answers: make(chan Answer, 16)}
		data := &describe.Vehicle{Values: map[string]describe.Value{"coolant": {ID: uds.Coolant, Bytes: 1}},
			Outputs: map[string]describe.Output{"fan": {ID: 0xFD40}}}
		ctx, stop := context.WithCancel(t.Context())
		defer stop()
		now := time.Now()
		x := &Watch{Vehicle: Over(ctx, unit, data, nil), Data: data, began: now, looked: now}
		ended := make(chan struct{})
		go func() { defer close(ended); x.run(ctx) }()
		require.NoError(t, x.Vehicle.CommandFor("on", map[string]float64{"fan": 100}, 120*time.Second))
		for range 30 {
			time.Sleep(2 * time.Second)
			x.Points() // somebody looks
		}
		assert.True(t, unit.isOn(), "a minute, and somebody looks")
		time.Sleep(9 * time.Second)
		assert.True(t, unit.isOn())
		time.Sleep(2 * time.Second)
		assert.False(t, unit.isOn(), "ten seconds without a sign")
		held, _, _ := x.Vehicle.Held()
		assert.Empty(t, held)
		time.Sleep(70 * time.Second)
		select {
		case <-ended:
			t.Fatal("the link lives while somebody may come back")
		default:
		}
		time.Sleep(15 * time.Second)
		<-ended
	})
}

// Of two jobs at one vehicle that ask at the same moment one gets the commands; once its command is over the other may.
func TestTwoJobsClaimOneVehicle(t *testing.T) {
	w := NewWatches()
	unit := &obedient{answers: make(chan Answer, 16)}
	data := &describe.Vehicle{Outputs: map[string]describe.Output{"fan": {ID: 0xFD40}}}
	one := &Watch{Vehicle: Over(t.Context(), unit, data, nil), Address: "10.0.0.1:13400"}
	two := &Watch{Vehicle: Over(t.Context(), &obedient{answers: make(chan Answer, 16)}, data, nil), Address: one.Address}
	defer one.Vehicle.Close()
	defer two.Vehicle.Close()
	w.of[1], w.of[2] = one, two
	done, claimed := w.Claim(1, one, "Oda")
	require.True(t, claimed)
	_, claimed = w.Claim(2, two, "Maud")
	assert.False(t, claimed, "the first is just about to command")
	require.NoError(t, one.Vehicle.Command("on", map[string]float64{"fan": 100}))
	done()
	_, claimed = w.Claim(2, two, "Maud")
	assert.False(t, claimed, "it holds")
	other, by, held, _ := w.Holder(2, two.Address)
	assert.Equal(t, []any{int64(1), "Oda", "on"}, []any{other, by, held})
	require.NoError(t, one.Vehicle.Return())
	done, claimed = w.Claim(2, two, "Maud")
	require.True(t, claimed)
	done()
}
