package uds_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/library/librarytest"
	"ironthread/scan/uds"
)

// Requests and answers byte for byte, in the form of the message tables of ISO 14229-1 (session control 9.2, tester present
// 9.6, read data by identifier 10.2, read codes 11.3, input/output control 12.2); the tables from memory.
func TestMessagesByteForByte(t *testing.T) {
	assert.Equal(t, []byte{0x10, 0x03}, uds.Session(uds.ExtendedSession))
	assert.Equal(t, []byte{0x3E, 0x80}, uds.Present())
	assert.Equal(t, []byte{0x22, 0xF1, 0x90}, uds.Read(uds.Number))
	assert.Equal(t, []byte{0x22, 0xF4, 0x05, 0xF4, 0x42}, uds.Read(uds.Coolant, uds.Supply))
	assert.Equal(t, []byte{0x19, 0x02, 0x08}, uds.Codes(uds.Confirmed))
	assert.Equal(t, []byte{0x14, 0xFF, 0xFF, 0xFF}, uds.Clear())
	assert.Equal(t, []byte{0x2F, 0xFD, 0x40, 0x03, 0x01}, uds.Control(0xFD40, uds.ShortTermAdjust, 1))
	assert.Equal(t, []byte{0x2F, 0xFD, 0x40, 0x00}, uds.Control(0xFD40, uds.ReturnControl))
	assert.Equal(t, []byte{0x7F, 0x2F, 0x22}, uds.Refuse(uds.ControlOutput, uds.ConditionsNotMet))
	assert.Equal(t, []byte{0x62, 0xF4, 0x05, 0x7B}, uds.Accept(uds.ReadData, 0xF4, 0x05, 0x7B))

	b, err := uds.Answer(uds.ReadData, []byte{0x62, 0xF4, 0x05, 0x7B})
	require.NoError(t, err)
	assert.Equal(t, []byte{0xF4, 0x05, 0x7B}, b)
	_, err = uds.Answer(uds.ControlOutput, []byte{0x7F, 0x2F, 0x88})
	var refused *uds.Refused
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, "not while the vehicle moves", refused.Error())
	for _, bad := range [][]byte{nil, {0x63, 1}, {0x7F, 0x22}} {
		_, err := uds.Answer(uds.ReadData, bad)
		assert.Error(t, err)
	}
	assert.True(t, uds.StillPending([]byte{0x7F, 0x22, 0x78}))
	assert.Contains(t, uds.Reason(0x77).String(), "0x77")
}

// Codes are two bytes by SAE J2012: the letter is in the two highest bits, P0480 is 04 80, U0100 is C1 00.
func TestFaultCodes(t *testing.T) {
	for name, two := range map[string]uint32{"P0480": 0x0480, "C0035": 0x4035, "B1234": 0x9234, "U0100": 0xC100} {
		code, ok := uds.CodeNamed(name)
		require.True(t, ok, name)
		assert.Equal(t, two<<8, code.Number)
		assert.Equal(t, name, code.Name())
	}
	for _, bad := range []string{"", "P048", "X0480", "P04G0", "P4800"} {
		_, ok := uds.CodeNamed(bad)
		assert.False(t, ok, bad)
	}
	list, err := uds.CodesOf([]byte{0x59, 0x02, 0xFF, 0x04, 0x80, 0x00, 0x09, 0x06, 0x92, 0x00, 0x28})
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "P0692", list[1].Name())
	assert.Equal(t, uds.FailedOnce|uds.Confirmed, list[1].Status)
	_, err = uds.CodesOf([]byte{0x59, 0x02, 0xFF, 0x04})
	assert.Error(t, err)
}

func FuzzAnswers(f *testing.F) {
	f.Add([]byte{0x59, 0x02, 0xFF, 0x04, 0x80, 0x00, 0x09})
	f.Add([]byte{0x7F, 0x22, 0x31})
	f.Fuzz(func(t *testing.T, b []byte) {
		if list, err := uds.CodesOf(b); err == nil {
			for _, c := range list {
				again, ok := uds.CodeNamed(c.Name())
				assert.True(t, ok)
				assert.Equal(t, c.Number&^0xFF, again.Number)
			}
		}
		_, _ = uds.Answer(uds.ReadData, b)
	})
}

// Millions of changed answers: nothing panics.
func TestManyAnswers(t *testing.T) {
	seeds := [][]byte{{0x59, 0x02, 0xFF, 0x04, 0x80, 0x00, 0x09}, {0x7F, 0x22, 0x31}, {0x62, 0xF4, 0x05, 0x7B}}
	librarytest.Many(t, seeds, func(b []byte) {
		_, _ = uds.CodesOf(b)
		_, _ = uds.Answer(uds.ReadData, b)
		_, _ = uds.CodeNamed(string(b))
	})
}
