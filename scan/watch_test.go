package scan

import (
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Neither loopback nor an address of this machine is tried unless a simulated vehicle is asked for; private and link-local
// addresses are. Whatever is wrong at an address, the sentence is the same: nothing listening, something that is no meter.
func TestNothingOfThisMachineIsTried(t *testing.T) {
	w := NewWatches()
	refused := w.permitted("127.0.0.1:5432")
	require.ErrorContains(t, refused, "nothing that can be used answers at 127.0.0.1:5432")
	for _, own := range []string{"[::1]:80", "[::ffff:127.0.0.1]:80"} {
		assert.ErrorContains(t, w.permitted(own), "nothing that can be used answers")
	}
	list, err := net.InterfaceAddrs()
	require.NoError(t, err)
	for _, a := range list {
		ip, _, err := net.ParseCIDR(a.String())
		require.NoError(t, err)
		assert.Error(t, w.permitted(net.JoinHostPort(ip.String(), "13400")), ip)
	}
	for _, address := range []string{"192.168.77.10:13400", "10.99.1.2:5025", "169.254.7.7:13400", "[fe80::1234]:13400"} {
		assert.NoError(t, w.permitted(address), address)
	}
	for _, address := range []string{"8.8.8.8:80", "vehicle.test:13400", "0.0.0.0:80", "192.168.0.10"} {
		assert.ErrorContains(t, w.permitted(address), "no address", address)
	}

	w.Loopback = true
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write([]byte("220 mail.test ESMTP\r\n"))
			c.Close()
		}
	}()
	says := func(address string) string {
		err := w.BeginMeter(t.Context(), 1, address)
		require.Error(t, err)
		_, err2 := w.Begin(t.Context(), 1, address, nil)
		require.Error(t, err2)
		assert.Equal(t, err.Error(), err2.Error())
		return err.Error()
	}
	assert.Equal(t, nothing(l.Addr().String()).Error(), says(l.Addr().String()), "it answers, and is no meter")
	assert.Equal(t, nothing("127.0.0.1:1").Error(), says("127.0.0.1:1"), "nothing listens")
}
