package web_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A drill from the choice to the score: readings from the vehicle, what it is said to be, what it was; nothing of it is
// told before the end, and it teaches the workshop's own jobs nothing.
func TestADrill(t *testing.T) {
	w := open(t)
	says(t, w.get("/drills").Body.String(), "Both motors dead")
	r := w.post("/drills", "trap", "A fan left unplugged")
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	job := r.Header().Get("Location")
	page := w.get(job).Body.String()
	says(t, page, "weak on high")
	says(t, page, "M2 unplugged")
	says(t, page, "Take the pass from the vehicle")
	require.Equal(t, http.StatusSeeOther, w.post(job+"/drill/ask", "table", "1").Code)
	page = w.get(job).Body.String()
	says(t, page, "high: M1 fast, M2 stopped (M2 unplugged)")
	require.Equal(t, http.StatusSeeOther, w.post(job+"/drill/ask", "do", "volts", "state", "high", "setup", "M2 unplugged", "at", "F2.b").Code)
	says(t, w.get(job).Body.String(), "0 V at F2.b")
	silent(t, w.get(job+"/drill").Body.String(), "It was")
	says(t, w.post(job+"/drill").Body.String(), "Say what it is, or repair it first")
	says(t, w.post(job+"/drill", "fault", "F99 open").Body.String(), "there is no part F99")
	require.Equal(t, http.StatusSeeOther, w.post(job+"/drill", "fault", "F2 open").Code)
	page = w.get(job + "/drill").Body.String()
	says(t, page, "Found")
	says(t, page, "It was <b>F2 open</b>")
	says(t, page, "the guide, on the same")
	says(t, page, "Reading by reading")
	page = w.get("/drills").Body.String()
	says(t, page, "weak on high")
	says(t, page, "1 of 1")

	r = w.post("/drills", "harness", "f1-one-relay", "level", "one fault")
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	for _, bad := range [][]string{{"harness", "none"}, {"harness", "f1-one-relay", "level", "hard"}} {
		assert.Equal(t, http.StatusUnprocessableEntity, w.post("/drills", bad...).Code)
	}
	says(t, w.post(w.jobNamed("Gritter 6")+"/drill/ask", "table", "1").Body.String(), "This job is no drill")
	assert.Equal(t, http.StatusNotFound, w.get(w.jobNamed("Gritter 6")+"/drill").Code)
}
