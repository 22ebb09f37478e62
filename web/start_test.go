package web_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAStartInTime(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := open(t)
	page := w.get(twinSheet + "/start?state=low&then=high&after=1.5").Body.String()
	says(t, page, "Current, A")
	assert.Equal(t, 3, strings.Count(page, `<svg class="plot"`))
	says(t, page, "<b>1.50 s</b> high")
	says(t, w.get(twinSheet+"/start?state=high&for=60&fault=M1+seized").Body.String(), "F1 opens")
	says(t, w.get(twinSheet+"/start?state=off&setup=M1+unplugged&setup=pack+M1.%2B%27+M1.-%27").Body.String(), "Supply and pack")
	card := w.get("/harnesses/f6-resistor-card/start?for=100&airless=RC&state=1").Body.String()
	says(t, card, "limiter opens")
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
		r := w.get(twinSheet + "/start" + query)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, query)
		says(t, r.Body.String(), want)
	}
}
