package jobs_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/store"
	"ironthread/store/storetest"
	"ironthread/web"
	"ironthread/web/webtest"
)

// A part renewed on suspicion is logged as such, with the fault it would have been; a used part
// keeps some suspicion; taken back, the car is the old one again.
func TestARepairOnSuspicion(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	w.Post(job+"/seen", "do", "fans", "state", "high", "fan-M1", "fast", "fan-M2", "fast")
	w.Post(job+"/seen", "do", "fans", "state", "low", "fan-M1", "stopped", "fan-M2", "stopped")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/repair", "action", "K3 renewed", "text", "a guess").Code)
	webtest.Says(t, w.Post(job+"/repair", "action", "K3 renewed").Body.String(), "is in the log already")
	webtest.Says(t, w.Get(job+"/verify").Body.String(), "on suspicion")
	webtest.Says(t, w.Get(job+"/report").Body.String(), "We suspected the fan relay K3")
	w.Post(job+"/seen", "do", "fans", "state", "low", "setup", "K3 renewed", "fan-M1", "stopped", "fan-M2", "stopped")
	why := w.Get(job + "/why?fault=K3+rest+contact+open").Body.String()
	webtest.Says(t, why, "before the repair: another car")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/setup", "undo", "1", "action", "K3 renewed").Code)
	webtest.Silent(t, w.Get(job+"/verify").Body.String(), "on suspicion")

	require.Equal(t, http.StatusSeeOther, w.Post(job+"/setup", "action", "K2 renewed").Code)
	webtest.Says(t, w.Get(job+"/verify").Body.String(), "K2 replaced") // a repair, however it is entered
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/repair", "action", "K3 renewed", "used", "1").Code)
	webtest.Says(t, w.Get(job).Body.String(), "K3 replaced by a used one")
}

// Checks answered otherwise than expected stand in the way of closing until they are answered
// again.
func TestAFindingStandsInTheWay(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	const key = "warm-up up 95"
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/check", "check", key, "text", "not before 110").Code)
	page := w.Get(job + "/verify").Body.String()
	webtest.Says(t, page, "Not as it should be: not before 110")
	webtest.Says(t, w.Get(job).Body.String(), "Warming up past 95 °C")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/check", "check", key, "text", "as expected").Code)
	webtest.Silent(t, w.Get(job+"/verify").Body.String(), "Not as it should be: not before 110")
	webtest.Says(t, w.Post(job+"/check", "check", key, "text", " ").Body.String(), "Say what was found")
	// A reading's check is answered by a reading, not by a word.
	webtest.Says(t, w.Post(job+"/check", "check", "look high", "text", "as expected").Body.String(), "no such check")
}

// A job that cannot be made to fail closes as not reproduced, and says so to the owner.
func TestNotReproduced(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	require.Equal(t, http.StatusSeeOther, w.Post(job+"/close", "reason", "not reproduced").Code)
	webtest.Says(t, w.Get(job+"/report").Body.String(), "We could not make the trouble appear")
	book := w.Get("/logbook?find=not+reproduced").Body.String()
	webtest.Says(t, book, "Gritter 6")
	for _, path := range []string{"/repair", "/check", "/photo", "/setup/all", "/close"} {
		webtest.Says(t, w.Post(job+path, "action", "K1 renewed", "check", "x", "text", "x").Body.String(), "This job is closed")
	}
}

// elsewhere finds where a job file comes from.

// A struck or noted entry keeps its place in a job file that is taken in, whatever its numbers
// were; photographs stay behind.
func TestAJobFileKeepsItsThread(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	w.Post(job+"/seen", "do", "volts", "state", "low", "at", "F3.a", "reading", "12.4")
	w.Post(job+"/seen", "do", "volts", "state", "low", "at", "F3.b", "reading", "9")
	w.Post(job+"/strike", "seq", "3")
	w.Post(job+"/note", "text", "green with salt", "seq", "2")
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 30, 20))))
	require.Equal(t, http.StatusSeeOther, w.Send(job+"/photo", "photo", "plug.png", b.Bytes()).Code)
	file := w.Get(job + "/report/json").Body.String()
	file = strings.ReplaceAll(file, `"seq": 3`, `"seq": 33`)
	file = webtest.Elsewhere.ReplaceAllString(file, `"origin": "another workshop's"`)
	r := w.Send("/jobs/import", "file", "job.json", []byte(file))
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	page := w.Get(r.Header().Get("Location")).Body.String()
	webtest.Says(t, page, "struck out")
	webtest.Says(t, page, "green with salt")
	picture := regexp.MustCompile(`src="(/jobs/\d+/photo/\d+)"`).FindStringSubmatch(page)
	require.NotNil(t, picture, "the photograph came along")
	jpeg := w.Get(picture[1])
	require.Equal(t, http.StatusOK, jpeg.Code)
	config, format, err := image.DecodeConfig(jpeg.Body)
	require.NoError(t, err)
	assert.Equal(t, []any{"jpeg", 30, 20}, []any{format, config.Width, config.Height})
	assert.Equal(t, 1, strings.Count(page, "<em>struck out</em>"))
	// The harness is this workshop's own: none is added.
	library := w.Get("/library").Body.String()
	assert.Equal(t, 1, strings.Count(library, `/harnesses/f3-twin-series-parallel"`))
	// Another text under the same name comes beside it.
	other := strings.Replace(file, "Twin fans, series and parallel, link fuse", "Twin fans of another year", 2)
	other = webtest.Elsewhere.ReplaceAllString(other, `"origin": "a third workshop's"`)
	r = w.Send("/jobs/import", "file", "job.json", []byte(other))
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	webtest.Says(t, w.Get("/library").Body.String(), "Twin fans of another year")
	// Its page came along, with its pins; one that is no picture is refused by its number.
	webtest.Says(t, w.Get(r.Header().Get("Location")+"?paper=printed&state=low").Body.String(), `data-pin="K1.87"`)
	var paged map[string]any
	require.NoError(t, json.Unmarshal([]byte(webtest.Elsewhere.ReplaceAllString(file, `"origin": "a fourth"`)), &paged))
	paged["pages"] = []map[string]any{{"number": 1, "jpeg": []byte("no picture")}}
	r = w.Send("/jobs/import", "file", "job.json", asJSON(t, paged))
	require.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "Page 1 of the job file: this is no page")
	// Without its photographs a log keeps their words; one that is none is refused by its number.
	var f map[string]any
	require.NoError(t, json.Unmarshal([]byte(file), &f))
	photos, _ := f["photographs"].(map[string]any)
	require.Len(t, photos, 1)
	for id := range photos {
		photos[id] = []byte("no picture")
		r = w.Send("/jobs/import", "file", "job.json", asJSON(t, f))
		require.Equal(t, http.StatusUnprocessableEntity, r.Code)
		webtest.Says(t, r.Body.String(), "Photograph "+id+" of the job file: this is no photograph")
	}
	for id := range 201 {
		photos[strconv.Itoa(id)] = []byte{}
	}
	r = w.Send("/jobs/import", "file", "job.json", asJSON(t, f))
	webtest.Says(t, r.Body.String(), "more than 200 photographs")
	delete(f, "photographs")
	f["origin"] = "one without its pictures"
	r = w.Send("/jobs/import", "file", "job.json", asJSON(t, f))
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	page = w.Get(r.Header().Get("Location")).Body.String()
	webtest.Says(t, page, "photograph:")
	webtest.Silent(t, page, "/photo/1")
}

// Every job of the demo, taken in by a workshop that has nothing, gives the same file again: its
// log, its verdict and what was checked.
func TestEveryJobTravels(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	keep := storetest.Open(t)
	app, err := web.New(keep, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Patience: time.Minute})
	require.NoError(t, err)
	other := &webtest.Workshop{T: t, Handler: app.Handler(), Keep: keep}
	jobs, _, err := w.Keep.Jobs(t.Context(), store.Find{Limit: 50})
	require.NoError(t, err)
	require.Len(t, jobs, 7)
	for _, j := range jobs {
		path := fmt.Sprintf("/jobs/%d/report/json", j.ID)
		file := w.Get(path).Body.Bytes()
		r := other.Send("/jobs/import", "file", "job.json", file)
		require.Equal(t, http.StatusSeeOther, r.Code, "%s: %s", j.Title, webtest.Notice(r.Body.String()))
		again := other.Get(r.Header().Get("Location") + "/report/json").Body.Bytes()
		assert.Equal(t, withoutBelief(t, file), withoutBelief(t, again), j.Title)
	}
}

// withoutBelief is a job file but for how sure its verdict is, since the workshop's own jobs weigh there, and for the bytes of its pages.
func withoutBelief(t *testing.T, file []byte) map[string]any {
	t.Helper()
	var f map[string]any
	require.NoError(t, json.Unmarshal(file, &f))
	if verdict, ok := f["verdict"].(map[string]any); ok {
		delete(verdict, "probability")
	}
	pages, _ := f["pages"].([]any)
	for _, p := range pages { // each picture is written anew where it comes in
		page, _ := p.(map[string]any)
		assert.NotEmpty(t, page["jpeg"])
		delete(page, "jpeg")
	}
	return f
}

func asJSON(t *testing.T, v any) []byte {
	t.Helper()
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return b
}

// Wrong photographs are refused with a sentence, and nothing of them is kept.
func TestWrongPhotographs(t *testing.T) {
	w := webtest.Open(t)
	job := w.JobNamed("Gritter 6")
	webtest.Says(t, w.Send(job+"/photo", "photo", "plug.txt", []byte("no picture")).Body.String(), "no photograph that can be read")
	webtest.Says(t, w.Post(job+"/photo").Body.String(), "Choose a photograph")
	assert.Equal(t, http.StatusNotFound, w.Get(job+"/photo/1").Code)
	assert.Equal(t, http.StatusNotFound, w.Get(job+"/photo/none").Code)
}

// Whatever stands in the cookie of tools, the pages open; what is unknown in it counts for
// nothing.
func TestHostileCookies(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	job := w.JobNamed("Library bus")
	for _, value := range []string{"", "%", "scan=none%26school%3Dnobody", "scan%3Dlaser", strings.Repeat("a", 3000),
		"without-meter%3D1%26without-lamp%3D1"} {
		for _, path := range []string{job, "/tools", job + "/believe?part=K1"} {
			r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, path, nil)
			require.NoError(t, err)
			r.Host = webtest.Hosts[0]
			r.Header.Set("Cookie", "kit="+value)
			assert.Equal(t, http.StatusOK, w.Do(r).Code, "%s with %.40s", path, value)
		}
	}
}
