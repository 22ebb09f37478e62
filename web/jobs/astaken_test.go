package jobs_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

// What the engine does is chosen beside the states, holds for the readings that follow, and is taken back.
func TestTheEngineIsPartOfHowTheCarStands(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.NewJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/stand", "engine", "running").Code)
	page := w.Get(job + "?do=volts&pin=BAT.%2B&state=low").Body.String()
	webtest.Says(t, page, "engine running")
	assert.Regexp(t, `A good circuit reads <b>14\.\d V`, page)
	for _, form := range [][]string{
		{"do", "fans", "state", "low", "setup", "engine running", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"do", "fans", "state", "high", "setup", "engine running", "fan-M1", "fast", "fan-M2", "fast"},
		{"do", "volts", "state", "low", "setup", "engine running", "at", "F3.a", "reading", "14.1"},
		{"do", "volts", "state", "low", "setup", "engine running", "at", "F3.b", "reading", "0"},
	} {
		r := w.Post(job+"/seen", form...)
		require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	}
	page = w.Get(job).Body.String()
	webtest.Says(t, page, "F3 open")
	webtest.Says(t, page, "Verdict")
	webtest.Silent(t, page, "contradicts")
	require.Equal(t, http.StatusUnprocessableEntity, w.Post(job+"/stand", "engine", "humming").Code)
	require.Equal(t, http.StatusUnprocessableEntity, w.Post(job+"/stand", "engine", "running").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/stand", "engine", "off").Code)
	assert.Regexp(t, `A good circuit reads <b>12\.\d V`, w.Get(job+"?do=volts&pin=BAT.%2B&state=low").Body.String())
}

// A fuse seen blown and a resistor open on the bench are entered as what they are.
func TestPhysicalEvidenceIsEntered(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.NewJobOn("f1-one-relay", "fan never runs")
	webtest.Says(t, w.Get(job+"?do=looked&part=F1&state=hot").Body.String(), `value="blown"`)
	r := w.Post(job+"/seen", "do", "looked", "part", "F1", "state", "hot", "word", "blown")
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "F1 looked at: blown")
	webtest.Silent(t, page, "contradicts")
	webtest.Silent(t, w.Get(job+"?do=looked&part=K1&state=hot").Body.String(), `value="blown"`)

	job = w.NewJobOn("f4-dropping-resistor", "no low")
	r = w.Post(job+"/seen", "do", "ohms", "bench", "R1", "between", "a", "between", "b", "reading", "OL", "state", "low")
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	webtest.Says(t, w.Get(job).Body.String(), "R1 on the bench: OL between a and b")
}

// Leads that nobody has nulled are in the figure; whoever has nulled them says so, and the page remembers it.
func TestLeadsAreNulledOrNot(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.NewJobOn("f3-twin-series-parallel", "no low")
	ask := job + "?do=ohms&pin=F3.a&from=F3.b&state=off"
	webtest.Says(t, w.Get(ask).Body.String(), "leads nulled")
	assert.NotRegexp(t, `name="nulled" value="1"\s+checked`, w.Get(ask).Body.String())
	r := w.Post(job+"/seen", "do", "ohms", "state", "off", "setup", "BAT apart", "at", "F3.a", "from", "F3.b", "reading", "0.1", "nulled", "1")
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	assert.Regexp(t, `name="nulled" value="1"\s+checked`, w.Get(ask).Body.String())
	r = w.Post(job+"/seen", "do", "buzzer", "state", "off", "setup", "BAT apart", "at", "K1.87", "from", "M1.+", "word", "beeps")
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	webtest.Says(t, w.Get(job).Body.String(), "buzzer beeps at K1.87 from M1.+")
}
