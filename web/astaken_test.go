package web_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the engine does is chosen beside the states, holds for the readings that follow, and is taken back.
func TestTheEngineIsPartOfHowTheCarStands(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := open(t)
	job := w.newJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.post(job+"/stand", "engine", "running").Code)
	page := w.get(job + "?do=volts&pin=BAT.%2B&state=low").Body.String()
	says(t, page, "engine running")
	assert.Regexp(t, `If all were well <b>14\.\d V`, page)
	for _, form := range [][]string{
		{"do", "fans", "state", "low", "setup", "engine running", "fan-M1", "stopped", "fan-M2", "stopped"},
		{"do", "fans", "state", "high", "setup", "engine running", "fan-M1", "fast", "fan-M2", "fast"},
		{"do", "volts", "state", "low", "setup", "engine running", "at", "F3.a", "reading", "14.1"},
		{"do", "volts", "state", "low", "setup", "engine running", "at", "F3.b", "reading", "0"},
	} {
		r := w.post(job+"/seen", form...)
		require.Equal(t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	}
	page = w.get(job).Body.String()
	says(t, page, "F3 open")
	says(t, page, "Verdict")
	silent(t, page, "contradicts")
	require.Equal(t, http.StatusUnprocessableEntity, w.post(job+"/stand", "engine", "humming").Code)
	require.Equal(t, http.StatusUnprocessableEntity, w.post(job+"/stand", "engine", "running").Code)
	require.Equal(t, http.StatusSeeOther, w.post(job+"/stand", "engine", "off").Code)
	assert.Regexp(t, `If all were well <b>12\.\d V`, w.get(job+"?do=volts&pin=BAT.%2B&state=low").Body.String())
}

// A fuse seen blown and a resistor open on the bench are entered as what they are.
func TestPhysicalEvidenceIsEntered(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := open(t)
	job := w.newJobOn("f1-one-relay", "fan never runs")
	says(t, w.get(job+"?do=looked&part=F1&state=hot").Body.String(), `value="blown"`)
	r := w.post(job+"/seen", "do", "looked", "part", "F1", "state", "hot", "word", "blown")
	require.Equal(t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	page := w.get(job).Body.String()
	says(t, page, "F1 looked at: blown")
	silent(t, page, "contradicts")
	silent(t, w.get(job+"?do=looked&part=K1&state=hot").Body.String(), `value="blown"`)

	job = w.newJobOn("f4-dropping-resistor", "no low")
	r = w.post(job+"/seen", "do", "ohms", "bench", "R1", "between", "a", "between", "b", "reading", "OL", "state", "low")
	require.Equal(t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	says(t, w.get(job).Body.String(), "R1 on the bench: OL between a and b")
}

// Leads that nobody has nulled are in the figure; whoever has nulled them says so, and the page remembers it.
func TestLeadsAreNulledOrNot(t *testing.T) {
	w := open(t)
	job := w.newJobOn("f3-twin-series-parallel", "no low")
	ask := job + "?do=ohms&pin=F3.a&from=F3.b&state=off"
	says(t, w.get(ask).Body.String(), "leads nulled")
	assert.NotRegexp(t, `name="nulled" value="1"\s+checked`, w.get(ask).Body.String())
	r := w.post(job+"/seen", "do", "ohms", "state", "off", "setup", "BAT apart", "at", "F3.a", "from", "F3.b", "reading", "0.1", "nulled", "1")
	require.Equal(t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	assert.Regexp(t, `name="nulled" value="1"\s+checked`, w.get(ask).Body.String())
	r = w.post(job+"/seen", "do", "buzzer", "state", "off", "setup", "BAT apart", "at", "K1.87", "from", "M1.+", "word", "beeps")
	require.Equal(t, http.StatusSeeOther, r.Code, notice(r.Body.String()))
	says(t, w.get(job).Body.String(), "buzzer beeps at K1.87 from M1.+")
}
