package sim_test

import (
	"context"
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/scan/can"
	"ironthread/sim"
)

// onBus hands the vehicle's bus on, and gives an end of it.
func (b *bench) onBus(t *testing.T, truck bool) can.Bus {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- sim.NewServer(b.vehicle, b.data).ServeCAN(ctx, l, truck) }()
	t.Cleanup(func() { stop(); assert.NoError(t, <-ended) })
	bus, err := can.Dial(t.Context(), l.Addr().String(), "can0")
	require.NoError(t, err)
	t.Cleanup(bus.Close)
	return bus
}

// Over the bus the engine's control unit answers in one frame and in several; each exchange is typed as bytes from ISO 15031-5, from
// memory: coolant as A - 40, supply as (256 A + B) / 1000, the identification number of seventeen letters.
func TestTheBusOfACar(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	link := can.NewLink(b.onBus(t, false), can.Ends{To: 0x7E0, From: 0x7E8})
	defer link.Close()
	asked := func(request ...byte) []byte {
		require.NoError(t, link.Send(t.Context(), request))
		return <-link.Messages()
	}
	now := b.vehicle.Stands()
	coolant := asked(0x01, 0x05)
	require.Len(t, coolant, 3)
	assert.Equal(t, []byte{0x41, 0x05}, coolant[:2])
	assert.InDelta(t, now.Coolant, float64(coolant[2])-40, 1)
	supply := asked(0x01, 0x42)
	require.Len(t, supply, 4)
	assert.InDelta(t, now.Supply, (256*float64(supply[2])+float64(supply[3]))/1000, 0.1)
	number := asked(0x09, 0x02)
	require.Len(t, number, 20)
	assert.Equal(t, []byte{0x49, 0x02, 0x01}, number[:3])
	assert.Equal(t, []byte{0x7F, 0x22, 0x31}, asked(0x22, 0xFF, 0xFF), "an identifier that it does not have")
}

// A truck's control units send by themselves what SAE J1939-71 has them send (figures from memory): engine speed of 1/8 rpm a bit,
// coolant as A - 40, supply of 0.05 V a bit, the fan's drive.
func TestTheBusOfATruck(t *testing.T) {
	b := stand(t, "f3-twin-series-parallel", sim.Options{})
	bus, heard := b.onBus(t, true), map[uint32]can.Frame{}
	for f := range bus.Frames() {
		assert.True(t, f.IsExtended)
		heard[f.ID>>8&0xFFFF] = f
		if len(heard) >= 4 {
			break
		}
	}
	now := b.vehicle.Stands()
	coolant, ok := heard[0xFEEE]
	require.True(t, ok, "engine temperature")
	assert.InDelta(t, now.Coolant, float64(coolant.Data[0])-40, 1)
	supply, ok := heard[0xFEF7]
	require.True(t, ok, "electrical potential")
	assert.InDelta(t, now.Supply, 0.05*(float64(supply.Data[4])+256*float64(supply.Data[5])), 0.1)
	assert.Contains(t, heard, uint32(0xF004), "engine speed")
}
