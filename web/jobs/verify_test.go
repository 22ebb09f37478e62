package jobs_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/webtest"
)

// A job from the verdict to the close: the repair with its parts, every state again, the list,
// and no closing before it is through.
func TestFromTheVerdictToTheClose(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	seen := func(form ...string) {
		t.Helper()
		r := w.Post(job+"/seen", form...)
		require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	}
	fans := func(state, m1, m2 string, setup ...string) {
		t.Helper()
		form := []string{"do", "fans", "state", state, "fan-M1", m1, "fan-M2", m2}
		for _, s := range setup {
			form = append(form, "setup", s)
		}
		seen(form...)
	}
	fans("high", "fast", "fast")
	fans("low", "stopped", "stopped")
	seen("do", "volts", "state", "low", "at", "F3.a", "reading", "12.4")
	seen("do", "volts", "state", "low", "at", "F3.b", "reading", "0")
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "Verdict, proven")
	webtest.Says(t, page, "Record: F3 replaced")

	require.Equal(t, http.StatusSeeOther, w.Post(job+"/repair", "action", "F3 renewed", "text", "new link fuse", "parts", "fuse",
		"minutes", "4,5").Code)
	page = w.Get(job).Body.String()
	webtest.Says(t, page, "new link fuse; 4 min")
	webtest.Says(t, page, "After the repair")
	const kept = "F3 renewed"
	fans("off", "stopped", "stopped", kept)
	fans("low", "slow", "slow", kept)
	fans("high", "fast", "fast", kept)
	page = w.Get(job).Body.String()
	webtest.Says(t, page, "Every state is as it should be after the repair")

	page = w.Get(job + "/verify").Body.String()
	webtest.Says(t, page, "Does F3 open explain the complaint?")
	webtest.Says(t, page, "Warming up, from 95 °C")
	webtest.Says(t, page, "Why did it fail?")
	webtest.Says(t, w.Post(job+"/close", "text", "done").Body.String(), "Not verified yet")
	// Every reading asked for is taken, every box ticked.
	clamp := regexp.MustCompile(`Clamp on (M\d) in (\w+)</strong><span class="detail">([\d.]+) to ([\d.]+) A`)
	for _, m := range clamp.FindAllStringSubmatch(page, -1) {
		seen("do", "amps", "state", m[2], "setup", kept, "at", m[1]+".+", "reading", m[3]+"5")
	}
	seen("do", "codes", "state", "off", "setup", kept, "reading", "none")
	var pass []string
	for _, m := range regexp.MustCompile(`id="((?:answer|cause)-\d+)-ok"`).FindAllStringSubmatch(page, -1) {
		pass = append(pass, m[1], "as expected")
	}
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/verify", pass...).Code)
	webtest.Says(t, w.Get(job+"/verify").Body.String(), "all of it seen")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/close", "text", "link fuse blown by a seized fan years ago").Code)
	webtest.Says(t, w.Get(job).Body.String(), "Closed: verified")

	// The logbook has it, and the priors count it.
	book := w.Get("/logbook?harness=f3-twin-series-parallel&find=gritter+6").Body.String()
	webtest.Says(t, book, "F3 open")
	webtest.Says(t, book, "verified")
	webtest.Says(t, book, "fuse open")
	w.Post("/logbook/reset")
	webtest.Says(t, w.Get("/logbook").Body.String(), "0 found faults of the workshop")
	w.Post("/logbook/reset", "all", "1")
	webtest.Silent(t, w.Get("/logbook").Body.String(), "<p class=\"small\">0 found faults")

	// The report: page, PDF, CSV, and a file that another can take in.
	webtest.Says(t, w.Get(job+"/report").Body.String(), "We found the trouble at the fuse F3")
	pdf := w.Get(job + "/report/pdf").Body.Bytes()
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")), "a PDF file begins so (ISO 32000-1, 7.5.2)")
	webtest.Says(t, w.Get(job+"/report/csv").Body.String(), "12.4 V at F3.a")
	file := w.Get(job + "/report/json").Body.Bytes()
	again := w.Send("/jobs/import", "file", "job.json", file)
	require.Equal(t, http.StatusSeeOther, again.Code, again.Body.String())
	taken := again.Header().Get("Location")
	assert.NotEqual(t, job, taken)
	webtest.Says(t, w.Get(taken).Body.String(), "Closed: verified")
	webtest.Says(t, w.Send("/jobs/import", "file", "job.json", []byte(`{"iron-thread-job":"9"}`)).Body.String(), "no job file of version 1")
	webtest.Says(t, w.Send("/jobs/import", "file", "job.json", []byte(`[`)).Body.String(), "This is no job file")
	var f map[string]any
	require.NoError(t, json.Unmarshal(file, &f))
	f["entries"] = []any{}
	empty, err := json.Marshal(f)
	require.NoError(t, err)
	webtest.Says(t, w.Send("/jobs/import", "file", "job.json", empty).Body.String(), "does not begin with the complaint")
}

// What one believes in, why a suspect is still here, and whether the car can be driven.
func TestThePagesBesideAJob(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	w.Post(job+"/seen", "do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast")
	w.Post(job+"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped")
	page := w.Get(job + "/believe?part=K3").Body.String()
	webtest.Says(t, page, "The cheapest test that could prove it wrong")
	webtest.Says(t, page, "F3 open")
	link := regexp.MustCompile(`class="btn btn-primary" href="(/jobs/[^"]+)"`).FindStringSubmatch(page)
	require.NotNil(t, link)
	webtest.Says(t, w.Get(strings.ReplaceAll(link[1], "&amp;", "&")).Body.String(), "Your choice")
	webtest.Says(t, w.Get(job+"/why?fault=F3+open").Body.String(), "for it")
	webtest.Says(t, w.Get(job+"/why?fault=F2+open").Body.String(), "against it")
	webtest.Says(t, w.Get(job+"/drive?fault=F3+open").Body.String(), "Most of the air is left")
	webtest.Says(t, w.Get(job+"/drive").Body.String(), "Never a larger fuse")
}

// Tools and school change what is offered; a lamp takes the meter's place.
func TestToolsAreThePersons(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	r := w.Post("/tools", "scan", "none", "tool-lamp", "1", "tool-jumper", "1", "school", "fuse first", "back", "//elsewhere")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/", r.Header().Get("Location"), "no way out of the application")
	cookie := r.Result().Cookies()[0]
	get := func(path string) string {
		q := httptest.NewRequest(http.MethodGet, path, nil)
		q.AddCookie(cookie)
		return w.Do(q).Body.String()
	}
	assert.Regexp(t, `value="fuse first"\s+checked`, get("/tools"))
	job := w.JobNamed("Library bus")
	page := get(job)
	webtest.Silent(t, page, "Volts at")
	webtest.Says(t, page, "lamp")
	webtest.Says(t, get(w.JobNamed("Gritter 6")), "without a scan tool that commands")
}

// Whoever changes tools or signs goes on from the page before, never out of the application.
func TestBackToThePageBefore(t *testing.T) {
	w := webtest.Open(t)
	from := func(method, path, before string) *httptest.ResponseRecorder {
		q := httptest.NewRequest(method, path, nil)
		q.Header.Set("Referer", before)
		return w.Do(q)
	}
	webtest.Says(t, from(http.MethodGet, "/tools", "http://example.com/jobs/6?state=low").Body.String(),
		`name="back" value="/jobs/6?state=low"`)
	webtest.Says(t, from(http.MethodGet, "/tools?back=/jobs/5", "http://example.com/jobs/6").Body.String(), `name="back" value="/jobs/5"`)
	for _, before := range []string{"http://webtest.Elsewhere.example/jobs/6", "http://example.com//webtest.Elsewhere.example",
		"http://example.com/tools", ":", ""} {
		webtest.Says(t, from(http.MethodGet, "/tools", before).Body.String(), `name="back" value="/"`)
	}
	assert.Equal(t, "/jobs/6", from(http.MethodPost, "/who", "http://example.com/jobs/6").Header().Get("Location"))
	assert.Equal(t, "/", from(http.MethodPost, "/who", "http://webtest.Elsewhere.example/jobs/6").Header().Get("Location"))
}

// Ohms chosen by oneself want the battery off first; on a part taken out they do not.
func TestOhmsWantThePowerOff(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	page := w.Get(job + "?do=ohms&pin=F3.b&from=M2.%2B&state=off").Body.String()
	webtest.Says(t, page, "Take the negative lead off BAT (nearside wing).")
	webtest.Says(t, page, `name="setup" value="BAT apart"`)
	webtest.Silent(t, w.Get(job+"?do=ohms&pin=K1.86%27&from=K1.85%27&state=off").Body.String(), "negative lead off")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/setup", "action", "BAT apart").Code)
	webtest.Silent(t, w.Get(job+"?do=ohms&pin=F3.b&from=M2.%2B&state=off").Body.String(), "Take the negative lead off")
}

// Every kind of reading is taken from the page, shown in the thread, and weighed.
func TestEveryKindOfReading(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	for _, c := range []struct {
		choose string
		form   []string
		want   string
	}{
		{"?do=relay&part=K1&state=low", []string{"do", "relay", "state", "low", "part", "K1", "word", "click"}, "low: K1: click"},
		{"?do=lamp&pin=K1.30&state=low", []string{"do", "lamp", "state", "low", "at", "K1.30", "word", "bright"}, "lamp bright at K1.30"},
		{"?do=heavy&pin=K1.30&state=low", []string{"do", "lamp", "with", "heavy", "state", "low", "at", "K1.30", "word", "dim"},
			"heavy lamp dim at K1.30"},
		{"?do=led&pin=ECU.61&state=low", []string{"do", "led", "state", "low", "at", "ECU.61", "word", "off"}, "LED off at ECU.61"},
		{"?do=amps&pin=M1.%2B&state=high", []string{"do", "amps", "state", "high", "at", "M1.+", "reading", "15,5 A"}, "15.5 A at M1.+"},
		{"?do=codes", []string{"do", "codes", "reading", "p0480, P0481"}, "codes P0480, P0481"},
		{"?do=coil&part=K2&state=off", []string{"do", "ohms", "bench", "K2", "between", "86", "between", "85", "reading", "84"},
			"K2 on the bench: 84 Ω between 86 and 85"},
		{"?do=make&part=K2&state=off", []string{"do", "ohms", "bench", "K2", "between", "30", "between", "87", "energised", "1",
			"reading", "0.0"}, "energised"},
		{"?do=turned&part=M1&state=off", []string{"do", "turned", "state", "off", "setup", "M1 unplugged", "part", "M1", "word", "drags"},
			"M1 by hand: drags"},
		{"?do=looked&part=K3&state=off", []string{"do", "looked", "state", "off", "part", "K3", "word", "corrosion"}, "K3 looked at: corrosion"},
		{"?do=wiggled&part=K3&state=off", []string{"do", "wiggled", "state", "off", "part", "K3", "word", "steady"}, "K3 wiggled: steady"},
		{"?do=swap&part=K1&state=low", []string{"do", "fans", "state", "low", "setup", "swapped K1 K2", "fan-M1", "stopped"}, "swapped K1 K2"},
		{"?do=direct&part=M2&state=off", []string{"do", "fans", "state", "off", "setup", "M2 unplugged", "setup", "pack M2.+' M2.-'",
			"fan-M2", "fast"}, "M2 fast"},
		{"?do=bridge&part=K1&state=off", []string{"do", "fans", "state", "off", "setup", "K1 out", "setup", "jumper K1.30 K1.87",
			"fan-M1", "slow"}, "jumper K1.30 K1.87"},
		{"?do=ohms&pin=F3.b&from=M2.%2B&state=off", []string{"do", "ohms", "state", "off", "setup", "BAT apart", "at", "F3.b", "from",
			"M2.+", "reading", "OL"}, "OL at F3.b from M2.+"},
		{"?do=volts&pin=F3.b&from=M2.%2B&state=low", []string{"do", "volts", "unreachable", "1", "state", "low", "at", "F3.b"},
			"F3.b cannot be reached"},
	} {
		page := w.Get(job + c.choose).Body.String()
		webtest.Says(t, page, "Your choice")
		r := w.Post(job+"/seen", c.form...)
		require.Equal(t, http.StatusSeeOther, r.Code, "%s: %s", c.choose, r.Body.String())
		webtest.Says(t, w.Get(job).Body.String(), c.want)
	}
	// A whole set-up at one touch, and back.
	w.Post(job + "/setup/all")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/setup/all", "setup", "M1 unplugged", "setup", "K1 out").Code)
	webtest.Says(t, w.Get(job).Body.String(), "×: K1 is back in")
	webtest.Says(t, w.Post(job+"/setup/all", "setup", "M1 unplugged", "setup", "K1 out").Body.String(), "The ledger says so already")
	webtest.Says(t, w.Post(job+"/setup/all", "setup", "K9 out").Body.String(), "there is no part K9")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/setup/all").Code)
	// Photographs and notes hang on the entry they are about.
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 60, 40))))
	picture := w.Send(job+"/photo", "photo", "plug.png", b.Bytes())
	require.Equal(t, http.StatusSeeOther, picture.Code, picture.Body.String())
	webtest.Says(t, w.Get(job).Body.String(), "/photo/1")
	assert.Equal(t, "image/jpeg", w.Get(job+"/photo/1").Header().Get("Content-Type"))
	w.Post(job+"/note", "text", "green with salt", "seq", "2")
	webtest.Says(t, w.Get(job).Body.String(), "green with salt")
}

// A job on a circuit of which nothing is known yet: the page is there at once and says how far
// it is; what the evidence leaves comes when it is worked out. Nothing recorded meanwhile is lost.
func TestNoPageWaitsForTheGuide(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.OpenWith(t, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Workshop: demo.Workshop, Patience: time.Nanosecond})
	h, err := w.Keep.HarnessNamed(t.Context(), "f5-two-windings")
	require.NoError(t, err)
	h, err = w.Keep.AddHarness(t.Context(), "cold", h.Title, h.Source+"\n# known to nobody yet\n")
	require.NoError(t, err)
	vehicle, err := w.Keep.PutVehicle(t.Context(), "Rig", "")
	require.NoError(t, err)
	id, err := w.Keep.OpenJob(t.Context(), store.NewJob{Vehicle: vehicle, Harness: h.ID, Title: "not right", Who: "Oda", At: time.Now()})
	require.NoError(t, err)
	job := fmt.Sprintf("/jobs/%d", id)
	page := w.Get(job).Body.String()
	webtest.Says(t, page, "Command every state, look at each fan") // there is something to do meanwhile
	webtest.Silent(t, page, "Working out what the evidence leaves")
	webtest.Says(t, w.Get("/").Body.String(), "being worked out")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/seen", "do", "fans", "state", "high", "fan-M1", "stopped").Code)
	page = w.Get(job).Body.String()
	webtest.Says(t, page, "Working out what the evidence leaves")
	soak.Await(t, "the next move", func() bool {
		page = w.Get(job).Body.String()
		return !strings.Contains(page, "Working out")
	})
	webtest.Says(t, page, "Next move")
	webtest.Says(t, page, "high: M1 stopped")
}

// Large type is a person's choice, kept at their browser.
func TestLargeTypeByChoice(t *testing.T) {
	w := webtest.Open(t)
	webtest.Silent(t, w.Get("/tools").Body.String(), `class="large"`)
	kept := w.Post("/tools", "type", "large").Result().Cookies()
	r := httptest.NewRequest(http.MethodGet, "/tools", nil)
	r.Host = webtest.Hosts[0]
	for _, c := range kept {
		r.AddCookie(c)
	}
	answer := httptest.NewRecorder()
	w.Handler.ServeHTTP(answer, r)
	webtest.Says(t, answer.Body.String(), `<html lang="en" class="large">`)
}
