package jobs_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/drill"
	"ironthread/web/webtest"
)

// Whoever gives a drill up is shown what was hidden; that counts as not found.
func TestADrillThatIsGivenUp(t *testing.T) {
	w := webtest.Open(t)
	job := w.Post("/drills", "trap", "3").Header().Get("Location")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/drill", "show", "1", "fault", "F2 open").Code)
	page := w.Get(job + "/drill").Body.String()
	webtest.Says(t, page, "Not this time")
	webtest.Says(t, page, "It was <b>F2 open</b>")
	webtest.Says(t, page, "the guide, on the same")
}

// A drill's own vehicle is connected by one touch, on a server that lets nobody else connect to this machine: it has what is hidden,
// and stands as the ledger says.
func TestADrillHasItsOwnVehicleToConnect(t *testing.T) {
	options := webtest.Options()
	options.Loopback = false
	w := webtest.OpenWith(t, options)
	job := w.Post("/drills", "trap", "3").Header().Get("Location")
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "Connect this vehicle")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/connect", "drill", "1").Code)
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "Give back and disconnect")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/command", "state", "high").Code)
	page := w.Get(job + "/scan").Body.String()
	webtest.Says(t, page, "Commanded: <b>high</b>")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/scan/leave").Code)
	webtest.Says(t, w.Get(job+"/scan").Body.String(), "Connect this vehicle")
	// Another job has no such vehicle.
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post(w.JobNamed("Gritter 6")+"/scan/connect", "drill", "1").Code)
}

// A drill from the choice to the score: readings from the vehicle, what it is said to be, what it was; nothing of it is
// told before the end, and it teaches the workshop's own jobs nothing.
func TestADrill(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	list := w.Get("/drills").Body.String()
	webtest.Says(t, list, "weak on high, the last workshop had it for a day")
	for _, trap := range drill.Traps { // what a drill is called would tell what is hidden in it
		webtest.Silent(t, list, trap.Name)
	}
	r := w.Post("/drills", "trap", "3")
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	job := r.Header().Get("Location")
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "weak on high")
	webtest.Says(t, page, "M2 unplugged")
	webtest.Says(t, page, "Take the pass from the vehicle")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/drill/ask", "table", "1").Code)
	page = w.Get(job).Body.String()
	webtest.Says(t, page, "high: M1 fast, M2 stopped (M2 unplugged)")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/drill/ask", "do", "volts", "state", "high", "setup", "M2 unplugged", "at", "F2.b").Code)
	webtest.Says(t, w.Get(job).Body.String(), "0 V at F2.b")
	webtest.Silent(t, w.Get(job+"/drill").Body.String(), "It was")
	webtest.Says(t, w.Post(job+"/drill").Body.String(), "Say what it is, or repair it first")
	webtest.Says(t, w.Post(job+"/drill", "fault", "F99 open").Body.String(), "there is no part F99")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/drill", "fault", "F2 open").Code)
	page = w.Get(job + "/drill").Body.String()
	webtest.Says(t, page, "Found")
	webtest.Says(t, page, "It was <b>F2 open</b>")
	webtest.Says(t, page, "the guide, on the same")
	webtest.Says(t, page, "Reading by reading")
	page = w.Get("/drills").Body.String()
	webtest.Says(t, page, "weak on high")
	webtest.Says(t, page, "1 of 1")

	r = w.Post("/drills", "harness", "f1-one-relay", "level", "one fault")
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	for _, bad := range [][]string{{"harness", "none"}, {"harness", "f1-one-relay", "level", "hard"}} {
		assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/drills", bad...).Code)
	}
	webtest.Says(t, w.Post(w.JobNamed("Gritter 6")+"/drill/ask", "table", "1").Body.String(), "This job is no drill")
	assert.Equal(t, http.StatusNotFound, w.Get(w.JobNamed("Gritter 6")+"/drill").Code)
}
