package jobs_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

// A part that is touched offers all that can be done to it, in the state shown; a place that is typed alone opens the same.
func TestATouchedPartOffersWhatCanBeDoneThere(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	page := w.Get(j + "?state=low&place=K1").Body.String()
	for _, offered := range []string{"Look closely at K1", "Feel K1, low commanded", "ohms from 86 to 85", "A lamp at each of its terminals",
		"Back to the next move"} {
		webtest.Says(t, page, offered)
	}
	webtest.Says(t, w.Get(j+"?place=K9").Body.String(), "no part K9")
	for line, to := range map[string]string{"k2 87": "pin=K2.87", "fuse 3": "place=F3", "m1": "place=M1"} {
		r := w.Post(j+"/say", "state", "low", "line", line)
		require.Equal(t, http.StatusSeeOther, r.Code, line)
		assert.Contains(t, r.Header().Get("Location"), to, line)
		assert.Contains(t, r.Header().Get("Location"), "state=low", line)
	}
	// Ohms that are asked for at one terminal have another end to begin with, and offer the others.
	page = w.Get(j + "?state=low&do=ohms&pin=K2.87").Body.String()
	webtest.Says(t, page, "Ohms from K2.87 to M2.+")
	webtest.Says(t, page, "touch the other end on the drawing")
	webtest.Says(t, page, "battery negative is off")
}

// The terminals of a plug in one pass: what a good circuit reads beside each; each that was read is an entry; nothing read, a word
// that is none, and a car that stands otherwise by now are refused with a sentence.
func TestARoundOfAPlugInOnePass(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	page := w.Get(j + "?state=low&round=ECU&do=lamp").Body.String()
	for _, said := range []string{"61", "K1.85", "good: off", "good: dim", "bright"} {
		webtest.Says(t, page, said)
	}
	assert.Contains(t, w.Get(j+"?state=low&round=ECU&do=ohms").Body.String(), "a lamp or with volts")
	assert.Equal(t, http.StatusSeeOther, w.Post(j+"/round", "state", "low", "part", "ECU", "do", "lamp", "cavity-0", "off",
		"cavity-1", "dim").Code)
	assert.Equal(t, http.StatusSeeOther, w.Post(j+"/round", "state", "high", "part", "K2", "do", "volts", "cavity-0", "12.1").Code)
	page = w.Get(j).Body.String()
	webtest.Says(t, page, "lamp off at ECU.61")
	webtest.Says(t, page, "lamp dim at ECU.62")
	webtest.Says(t, page, "12.1 V at K2.")
	for sentence, fields := range map[string][]string{
		"what was read at one terminal": {"state", "low", "part", "ECU", "do", "lamp"},
		"is not a reading in volts":     {"state", "low", "part", "K2", "do", "volts", "cavity-0", "much"},
		"not clear of which part":       {"state", "low", "part", "K9", "do", "volts", "cavity-0", "1"},
		"stands otherwise now":          {"state", "low", "part", "ECU", "do", "lamp", "setup", "K1 out", "cavity-0", "off"},
		"lamp":                          {"state", "low", "part", "ECU", "do", "lamp", "cavity-0", "purple"},
		"round is made with a lamp or":  {"state", "low", "part", "ECU", "do", "turn", "cavity-0", "free"},
	} {
		r := w.Post(j+"/round", fields...)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, sentence)
		webtest.Says(t, r.Body.String(), sentence)
	}
}
