package tracing_test

import (
	"os"
	"testing"

	"ironthread/store/storetest"
)

func TestMain(m *testing.M) { os.Exit(storetest.Main(m)) }
