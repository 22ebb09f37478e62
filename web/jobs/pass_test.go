package jobs_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

// A whole pass of commands is one form and one Record: an entry a state, each with what a healthy car does.
func TestTheCommandTable(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	page := w.Get(job + "?table=1").Body.String()
	webtest.Says(t, page, "Command every state, look at each fan")
	webtest.Says(t, page, `name="fan-0-0"`)
	// States in the order of the harness: off, low, high; fans M1, M2.
	pass := []string{"fan-0-0", "stopped", "fan-0-1", "stopped", "fan-1-0", "stopped", "fan-1-1", "stopped", "fan-2-0", "fast", "other-2-1",
		"running"}
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/table", pass...).Code)
	page = w.Get(job).Body.String()
	for _, line := range []string{"off: M1 stopped, M2 stopped", "low: M1 stopped, M2 stopped", "high: M1 fast, M2 running"} {
		webtest.Says(t, page, line)
	}
	webtest.Says(t, page, "a good circuit: M1 slow, M2 slow")
	webtest.Says(t, w.Post(job+"/table").Body.String(), "Say of at least one state what a fan did.")
	r := w.Post(job+"/table", "fan-1-0", "humming")
	require.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "Low: M1: a fan cannot be")
}

// The verification is one pass too: looks, the clamp, a warm-up's temperatures in the units of the person, the codes.
func TestTheVerificationInOnePass(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	page := w.Get(job + "/verify").Body.String()
	at := func(text string) string { // the field of the check with this text
		t.Helper()
		_, after, found := strings.Cut(page, "<strong>"+text)
		require.True(t, found, text)
		_, after, found = strings.Cut(after, `name="`)
		require.True(t, found, text)
		field, _, _ := strings.Cut(after, `"`)
		return field
	}
	rising, falling := at("Warming up, the fans change near 95 °C"), at("Cooling down again, the fans change near 97 °C")
	looks := at("Each fan seen in high")
	clamp := at("Clamp on M1 in high")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/verify", rising+"-typed", "208 F", falling, "not provoked", looks, "fast",
		strings.TrimSuffix(looks, "0")+"1", "fast", clamp, "14,9").Code)
	page = w.Get(job + "/verify").Body.String()
	for _, line := range []string{"<b>98 °C</b>", "<b>could not get it that hot</b>", "high: M1 fast, M2 fast", "14.9 A at M1.+"} {
		webtest.Says(t, page, line)
	}
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/verify", rising+"-typed", "108").Code)
	webtest.Says(t, w.Get(job+"/verify").Body.String(), "Not as it should be: 108 °C")
	webtest.Says(t, w.Post(job+"/verify", clamp, "lots").Body.String(), "is not a reading in amps")
	webtest.Says(t, w.Post(job+"/verify").Body.String(), "Nothing was entered in the list.")
}

// How the vehicle stands is said over the states for now, carried by every reading, and no obstacle to closing.
func TestTheConditionsOfAJob(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	webtest.Says(t, w.Get(job+"/stand").Body.String(), "Coolant, °C")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/stand", "ac", "on", "coolant", "104,5", "pressure", "", "speed", "", "key", "").Code)
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "A/C on, coolant at 104.5 °C")
	webtest.Silent(t, w.Get(job+"/verify").Body.String(), "Still on the car")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/table", "fan-0-0", "fast", "fan-0-1", "fast").Code)
	webtest.Says(t, w.Get(job).Body.String(), "(ac on, coolant 104.5)")
	assert.NotContains(t, w.Get(job).Body.String(), "A/C on, coolant at", "how hot it was for that look is not said of the next")
	assert.Contains(t, w.Get(job).Body.String(), "A/C on")
	webtest.Says(t, w.Post(job+"/stand", "coolant", "hot").Body.String(), "is no temperature")
	webtest.Says(t, w.Post(job+"/stand", "coolant", "300").Body.String(), "coolant is a figure from -60 to 200 °C")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/stand", "ac", "", "coolant", "").Code)
	assert.NotContains(t, w.Get(job).Body.String(), "A/C on, coolant")
}

// Who reads in °F and psi reads and types so; the log keeps °C and bar, and what was typed in a text stays.
func TestUnitsAreThePersons(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	r := w.Post("/tools", "unit-temperature", "F", "unit-pressure", "psi", "unit-length", "m", "unit-wire", "mm²", "tool-meter", "1")
	require.Equal(t, http.StatusSeeOther, r.Code)
	ask := func(method, path string, form ...string) string {
		q := w.Request(method, path, form...)
		for _, c := range r.Result().Cookies() {
			q.AddCookie(c)
		}
		return w.Do(q).Body.String()
	}
	webtest.Says(t, ask(http.MethodGet, job+"/verify"), "the fans change near 203 °F") // 95 °C
	webtest.Says(t, ask(http.MethodGet, job+"/stand"), "Coolant, °F")
	ask(http.MethodPost, job+"/stand", "coolant", "212", "pressure", "17 bar")
	webtest.Says(t, w.Get(job).Body.String(), "coolant at 100 °C, refrigerant at 17 bar")
	webtest.Says(t, ask(http.MethodGet, job), "coolant at 212 °F, refrigerant at 247 psi")
	webtest.Says(t, ask(http.MethodGet, "/harnesses/f1-one-relay/edit"), "closes: 92")
}

// A state of the verification is answered in one touch: what was touched holds, the other fans are as foretold. What has been
// seen is not asked again, and a check says what it stands for.
func TestAStateInOneTouch(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/repair", "action", "F3 replaced").Code)
	page := w.Get(j + "/verify").Body.String()
	webtest.Says(t, page, `name="foretold" value="look low"`)
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/verify", "foretold", "look low").Code)
	page = w.Get(j + "/verify").Body.String()
	webtest.Says(t, page, "low: M1 slow, M2 slow")
	webtest.Silent(t, page, `name="foretold" value="look low"`)
	webtest.Says(t, page, `name="fan-2-0"`)
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/verify", "foretold", "look high", "fan-2-0", "slow").Code)
	webtest.Says(t, w.Get(j+"/verify").Body.String(), "Not as it should be: high: M1 slow, M2 fast")
}
