package sim_test

import (
	"os"
	"testing"

	"ironthread/scan/wire"
	"ironthread/scan/wire/wiretest"
)

func TestMain(m *testing.M) { os.Exit(wiretest.Main(m.Run, wire.Stream, wire.Datagram, wire.Bus)) }
