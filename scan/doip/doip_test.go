package doip_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/library/librarytest"
	"ironthread/scan/doip"
)

// Frames byte for byte, in the form of ISO 13400-2's tables: version 02 and its inverse FD, type, length, body (from
// memory).
func TestFramesByteForByte(t *testing.T) {
	assert.Equal(t, []byte{0x02, 0xFD, 0x00, 0x01, 0, 0, 0, 0}, doip.Frame{Type: doip.IdentifyRequest}.Bytes())
	assert.Equal(t, []byte{0x02, 0xFD, 0x00, 0x05, 0, 0, 0, 7, 0x0E, 0x00, 0, 0, 0, 0, 0}, doip.Activation(0x0E00).Bytes())
	assert.Equal(t, []byte{0x02, 0xFD, 0x00, 0x06, 0, 0, 0, 9, 0x0E, 0x00, 0x0E, 0x80, 0x10, 0, 0, 0, 0},
		doip.Activate(0x0E00, 0x0E80, doip.Activated).Bytes())
	m := doip.Message{From: 0x0E00, To: 0x0E80, Data: []byte{0x22, 0xF1, 0x90}}
	assert.Equal(t, []byte{0x02, 0xFD, 0x80, 0x01, 0, 0, 0, 7, 0x0E, 0x00, 0x0E, 0x80, 0x22, 0xF1, 0x90}, m.Frame().Bytes())
	assert.Equal(t, []byte{0x02, 0xFD, 0x80, 0x02, 0, 0, 0, 5, 0x0E, 0x80, 0x0E, 0x00, 0}, doip.Ack(m, 0).Bytes())
	assert.Equal(t, []byte{0x02, 0xFD, 0x80, 0x03, 0, 0, 0, 5, 0x0E, 0x80, 0x0E, 0x00, 3}, doip.Ack(m, 3).Bytes())
	id := doip.Identity{VIN: "SKERR0WC0VNTYW0RK", Address: 0x0E80, Entity: [6]byte{2, 1}}
	frame := id.Announce()
	assert.Len(t, frame.Body, 32)
	again, err := doip.IdentityOf(frame)
	require.NoError(t, err)
	assert.Equal(t, id, again)
}

func TestFramesThatAreNone(t *testing.T) {
	_, err := doip.Read(bytes.NewReader([]byte("GET / HTTP/1.1\r\n")))
	assert.ErrorIs(t, err, doip.ErrPattern)
	long := doip.Frame{Type: doip.Diagnostic}.Bytes()
	binary.BigEndian.PutUint32(long[4:], 1<<31)
	_, err = doip.Read(bytes.NewReader(long))
	assert.ErrorIs(t, err, doip.ErrTooLarge, "nothing is made ready for it")
	short := doip.Frame{Type: doip.Diagnostic, Body: []byte{1, 2, 3, 4, 5}}.Bytes()
	_, err = doip.Read(bytes.NewReader(short[:10]))
	assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
	_, err = doip.Parse(short[:10])
	assert.Error(t, err)
	_, err = doip.MessageOf(doip.Frame{Type: doip.Diagnostic, Body: []byte{1, 2, 3, 4}})
	assert.ErrorContains(t, err, "two addresses")
	_, err = doip.IdentityOf(doip.Frame{Type: doip.Announcement, Body: []byte{1}})
	assert.Error(t, err)
}

func FuzzFrames(f *testing.F) {
	f.Add(doip.Activation(0x0E00).Bytes())
	f.Add(doip.Message{From: 1, To: 2, Data: []byte{0x3E, 0}}.Frame().Bytes())
	f.Fuzz(func(t *testing.T, b []byte) {
		frame, err := doip.Read(bytes.NewReader(b))
		if err != nil {
			return
		}
		assert.LessOrEqual(t, len(frame.Body), doip.MostBytes)
		again, err := doip.Parse(frame.Bytes())
		require.NoError(t, err)
		assert.Equal(t, frame.Type, again.Type)
		assert.True(t, bytes.Equal(frame.Body, again.Body))
		if m, err := doip.MessageOf(frame); err == nil {
			assert.NotEmpty(t, m.Data)
		}
		_, err = doip.IdentityOf(frame)
		assert.True(t, err == nil || !errors.Is(err, io.EOF))
	})
}

// Millions of changed frames: nothing panics.
func TestManyFrames(t *testing.T) {
	seeds := [][]byte{{0x02, 0xFD, 0x00, 0x05, 0, 0, 0, 7, 0x0E, 0, 0, 0, 0, 0, 0}, {0x02, 0xFD, 0x80, 0x01, 0, 0, 0, 6, 0x0E, 0, 0x10,
		0, 0x22, 0xF4}}
	librarytest.Many(t, seeds, func(b []byte) {
		_, _ = doip.Parse(b)
		_, _ = doip.Read(bytes.NewReader(b))
	})
}
