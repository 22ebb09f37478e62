package circuits_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/web/webtest"
)

func TestAStartInTime(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	page := w.Get(twinSheet + "/start?state=low&then=high&after=1.5").Body.String()
	webtest.Says(t, page, "Current, A")
	assert.Equal(t, 3, strings.Count(page, `<svg class="plot"`))
	webtest.Says(t, page, "<b>1.50 s</b> high")
	webtest.Says(t, w.Get(twinSheet+"/start?state=high&for=60&fault=M1+seized").Body.String(), "F1 opens")
	webtest.Says(t, w.Get(twinSheet+"/start?state=off&setup=M1+unplugged&setup=pack+M1.%2B%27+M1.-%27").Body.String(), "Supply and pack")
	card := w.Get("/harnesses/f6-resistor-card/start?for=100&airless=RC&state=1").Body.String()
	webtest.Says(t, card, "limiter opens")
	for query, want := range map[string]string{
		"?state=flying":             "no state",
		"?state=low&then=flying":    "no state",
		"?state=low&for=never":      "no number of seconds",
		"?state=low&for=1e9":        "takes up to 300 s",
		"?then=low&after=-1":        "does not follow",
		"?state=low&airless=M1":     "no resistor card",
		"?state=low&fault=F9+open":  "no part F9",
		"?state=low&then=low&for=1": "does not follow",
	} {
		r := w.Get(twinSheet + "/start" + query)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, query)
		webtest.Says(t, r.Body.String(), want)
	}
}

// Every kind of part that a file may name has its line, with what can be wrong with it.
func TestKindsOfPart(t *testing.T) {
	w := webtest.Open(t)
	r := w.Get("/library/kinds")
	require.Equal(t, http.StatusOK, r.Code)
	for _, kind := range harness.Kinds() {
		assert.Contains(t, r.Body.String(), `<th scope="row">`+string(kind)+`</th>`)
	}
	webtest.Says(t, r.Body.String(), "always on, dead, resists")
}
