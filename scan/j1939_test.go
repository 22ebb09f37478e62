package scan

import (
	"encoding/binary"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"ironthread/library/librarytest"
	"ironthread/scan/can"
)

func truckFrame(id uint32, data ...byte) can.Frame {
	f := can.Frame{ID: id, IsExtended: true, Length: 8}
	for i := range f.Data {
		f.Data[i] = 0xFF
	}
	copy(f.Data[:], data)
	return f
}

// Parameter groups worked by hand from SAE J1939-71 and -73 (scales and places from memory): engine temperature 0x18FEEE00, first byte
// 1 degree a bit from -40; fan drive 0x18FEBD00, 0.4 % a bit and its state; battery potential 0x18FEF700, bytes 5 and 6, 0.05 V a bit;
// engine speed 0x0CF00400, bytes 4 and 5, an eighth a bit; ambient air 0x18FEF500, bytes 4 and 5, 1/32 degree from -273; active codes in
// several packets by 0x18ECFF00 and 0x18EBFF00.
func TestParameterGroupsByHand(t *testing.T) {
	l := &Listener{truck: Truck{Values: map[string]float64{}}, parts: map[byte]*packets{}}
	now := time.Now()
	hear := func(id uint32, data ...byte) { l.hear(truckFrame(id, data...), now) }
	hear(0x18FEEE00, 137) // 97 degrees
	hear(0x18FEBD00, 200, 0xF1, 0x40, 0x1F)
	hear(0x18FEF700, 0xFF, 0xFF, 0xFF, 0xFF, 0x30, 0x02) // 560 x 0.05 V
	hear(0x0CF00400, 0xFF, 0xFF, 0xFF, 0x00, 0x19)       // 6400 / 8
	hear(0x18FEF500, 0xFF, 0xFF, 0xFF, 0xA0, 0x24)       // 9376 / 32 - 273
	hear(0x18FEEE00, 0xFF)                               // not available: what was heard stays
	truck := l.Truck()
	assert.InDelta(t, 97, truck.Values["coolant"], 1e-9)
	assert.InDelta(t, 80, truck.Values["fan"], 1e-9)
	assert.InDelta(t, 1000, truck.Values["fan rpm"], 1e-9)
	assert.InDelta(t, 28, truck.Values["supply"], 1e-9)
	assert.InDelta(t, 800, truck.Values["rpm"], 1e-9)
	assert.InDelta(t, 20, truck.Values["ambient"], 1e-9)
	assert.Equal(t, "engine: coolant", truck.Fan)
	assert.False(t, truck.Heard)
	// Suspect 110 (coolant) by failure 0 three times, and suspect 647 (fan clutch) by failure 4 once: ten bytes in two packets.
	hear(0x18ECFF00, 0x20, 10, 0, 2, 0xFF, 0xCA, 0xFE, 0x00)
	hear(0x18EBFF00, 1, 0x04, 0xFF, 110, 0, 0x00, 3, 0x87)
	hear(0x18EBFF00, 2, 0x02, 0x04, 1)
	truck = l.Truck()
	assert.True(t, truck.Heard)
	assert.Equal(t, []TruckCode{{Suspect: 110, Failure: 0, Count: 3}, {Suspect: 647, Failure: 4, Count: 1}}, truck.Codes)
	hear(0x18FECA00, 0x00, 0xFF, 0, 0, 0, 0) // none
	assert.Empty(t, l.Truck().Codes)
	hear(0x18ECFF00, 0x20, 10, 0, 2, 0xFF, 0xCA, 0xFE, 0x00) // a packet is lost
	hear(0x18EBFF00, 2, 0x02, 0x04, 1)
	hear(0x18EBFF00, 1, 0x04, 0xFF, 110, 0, 0x00, 3, 0x87)
	assert.Empty(t, l.Truck().Codes)
}

// Frames by chance do not stop anything, and what waits for its rest is bounded.
func TestManyFrames(t *testing.T) {
	l := &Listener{truck: Truck{Values: map[string]float64{}}, parts: map[byte]*packets{}}
	now := time.Now()
	seeds := [][]byte{{0x18, 0xEC, 0xFF, 0x00, 0x20, 10, 0, 2, 0xFF, 0xCA, 0xFE, 0x00}, {0x18, 0xEB, 0xFF, 0x00, 1, 4, 255, 110, 0, 0, 3, 135},
		{0x18, 0xFE, 0xCA, 0x00, 0, 255, 110, 0, 0, 3}}
	librarytest.Many(t, seeds, func(b []byte) {
		if len(b) < 4 {
			return
		}
		f := can.Frame{ID: binary.BigEndian.Uint32(b) & 0x1FFFFFFF, IsExtended: true, Length: uint8(min(len(b)-4, 8))}
		copy(f.Data[:], b[4:])
		l.hear(f, now)
	})
	assert.LessOrEqual(t, len(l.parts), mostSenders)
}
