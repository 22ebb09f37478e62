package web_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/demo"
	"ironthread/store/storetest"
	"ironthread/web"
)

// BenchmarkSheetStateSwitch switches states on the Sheet page of every library circuit in turn
// and reports the 95th percentile of the answers, drawings being there.
func BenchmarkSheetStateSwitch(b *testing.B) {
	keep := storetest.Open(b)
	require.NoError(b, demo.Load(b.Context(), keep, time.Now()))
	app, err := web.New(keep, web.Options{Workshop: demo.Workshop, Patience: time.Minute})
	require.NoError(b, err)
	h := app.Handler()
	list, err := keep.Harnesses(b.Context())
	require.NoError(b, err)
	var addresses []string
	for _, x := range list {
		c, err := harness.Read([]byte(x.Source))
		require.NoError(b, err)
		for _, s := range c.States {
			addresses = append(addresses, "/harnesses/"+x.Name+"?state="+url.QueryEscape(s.Name)+"&at="+url.QueryEscape(c.Parts[0].Pins()[0].String()))
		}
	}
	ask := func(address string) {
		r := httptest.NewRecorder()
		h.ServeHTTP(r, httptest.NewRequest(http.MethodGet, address, nil))
		if r.Code != http.StatusOK {
			b.Fatalf("%s: %d", address, r.Code)
		}
	}
	for _, address := range addresses {
		ask(address)
	}
	var took []time.Duration
	for b.Loop() {
		start := time.Now()
		ask(addresses[len(took)%len(addresses)])
		took = append(took, time.Since(start))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)*95/100].Microseconds())/1000, "p95-ms")
}
