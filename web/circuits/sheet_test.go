package circuits_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/store"
	"ironthread/web/webtest"
)

const twinSheet = "/harnesses/f3-twin-series-parallel"

func TestLibraryPage(t *testing.T) {
	w := webtest.Open(t)
	page := w.Get("/library").Body.String()
	webtest.Says(t, page, "14 of 14")
	webtest.Says(t, page, "Four-speed fan module on three lines")
	page = w.Get("/library?q=pwm").Body.String()
	webtest.Silent(t, page, "One fan, one relay")
	webtest.Says(t, w.Get("/library?q=nothing+like+it").Body.String(), "Nothing found for “nothing like it”.")
}

func TestTakeInAHarness(t *testing.T) {
	w := webtest.Open(t)
	good := "harness: 1\ntitle: Tide gate fan\nparts:\n  B: {kind: battery}\n  M: {kind: motor, volts: 12, amps: 5}\nwires: {B.+ - M.+: , " +
		"M.- - B.-: }\nstates: {on: {}}\n"
	r := w.Post("/library", "text", good)
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/harnesses/tide-gate-fan", r.Header().Get("Location"))
	assert.Equal(t, "/harnesses/tide-gate-fan-2", w.Post("/library", "text", good).Header().Get("Location"),
		"the name is taken: a number is put behind it")
	webtest.Says(t, w.Get("/harnesses/tide-gate-fan?state=on&at=M.%2B").Body.String(), "<h3>Feed")

	// A circuit only just begun has a sheet, and no job can be run on it.
	begun := w.Post("/library", "text", "harness: 1\ntitle: begun\nparts: {B: {kind: battery}}\nstates: {on: {}}\n")
	require.Equal(t, http.StatusSeeOther, begun.Code)
	assert.Equal(t, http.StatusOK, w.Get("/harnesses/begun?view=roles&at=B.%2B").Code)
	assert.Equal(t, http.StatusOK, w.Get("/harnesses/begun/export/svg").Code)

	r = w.Post("/library", "text", strings.Replace(good, "kind: motor", "kind: moter", 1))
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), `line 5: M: there is no kind "moter"`)
	webtest.Says(t, r.Body.String(), "kind: moter") // the text stays
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/library", "text", "").Code)
}

func TestSheetPage(t *testing.T) {
	w := webtest.Open(t)
	sheet := func(query ...string) string {
		q := url.Values{}
		for i := 0; i+1 < len(query); i += 2 {
			q.Add(query[i], query[i+1])
		}
		r := w.Get(twinSheet + "?" + q.Encode())
		require.Equal(t, http.StatusOK, r.Code, "%v", query)
		return r.Body.String()
	}
	page := sheet("state", "low", "at", "F3.a")
	webtest.Says(t, page, "6.24")
	webtest.Says(t, page, "What F3.a is for, over all states: in between")
	webtest.Says(t, page, "K3's rest contact")
	webtest.Says(t, sheet("state", "low", "at", "M1.+", "from", "M1.-"), "6.16")
	webtest.Says(t, sheet("state", "low", "fault", "F3 open"), "stopped")
	webtest.Says(t, sheet("state", "off", "setup", "ground K2.85"), "ground K2.85 also pulls in K3: their coils share this line")
	webtest.Says(t, sheet("state", "off", "at", "K1.85", "with", "heavy lamp"), "the heavy lamp here passes enough to pull K1 in")
	webtest.Says(t, sheet("state", "off", "setup", "BAT apart", "at", "K1.86", "from", "K1.85", "with", "ohms"), "85.00")
	webtest.Says(t, sheet("state", "low", "view", "roles"), "switched-ground")
	assert.Equal(t, 2, strings.Count(sheet("state", "low", "beside", "high"), "<svg class=\"sheet\""))
	assert.Contains(t, sheet("state", "high", "setup", "K1 out"), `class="slip out"`)
}

func TestSheetBadInput(t *testing.T) {
	w := webtest.Open(t)
	for query, want := range map[string]string{
		"?state=flying":                     "no state",
		"?fault=F9+open":                    "there is no part F9",
		"?setup=K9+out":                     "there is no part K9",
		"?at=K9.30":                         "there is no part K9",
		"?at=K1.30&from=Q":                  "there is no part Q",
		"?at=K1.30&with=nose":               "no instrument",
		"?at=K1.30&with=ohms":               "no ohmmeter on it",
		"?beside=flying":                    "no state",
		"?setup=jumper+K1.30%27+K1.87":      "only while K1 is out",
		"?fault=" + strings.Repeat("x", 99): "there is no part",
	} {
		r := w.Get(twinSheet + query)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, query)
		webtest.Says(t, strings.ToLower(r.Body.String()), strings.ToLower(want))
	}
	assert.Equal(t, http.StatusNotFound, w.Get("/harnesses/none").Code)
	webtest.Says(t, w.Get("/harnesses/none").Body.String(), "There is no such harness")
}

func TestExports(t *testing.T) {
	w := webtest.Open(t)
	for form, want := range map[string]string{
		"svg": "<svg class=\"sheet\"", "csv": "F1.b,K1.30,1,RD/GY,4mm2,0.2m", "json": `"harness": 1`, "yaml": "harness: 1",
		"spice": ".options reltol",
	} {
		r := w.Get(twinSheet + "/export/" + form)
		assert.Equal(t, http.StatusOK, r.Code, form)
		assert.True(t, strings.Contains(r.Body.String(), want), form)
	}
	assert.Equal(t, http.StatusNotFound, w.Get(twinSheet+"/export/pdf").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get(twinSheet+"/export/spice?state=flying").Code)
}

func TestEveryLibrarySheetOpens(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	list, err := w.Keep.Harnesses(t.Context())
	require.NoError(t, err)
	for _, h := range list {
		assert.Equal(t, http.StatusOK, w.Get("/harnesses/"+h.Name+"?view=roles").Code, h.Name)
	}
}

func TestAPartIsPutAndTheDrawingMadeAnew(t *testing.T) {
	w := webtest.Open(t)
	put := func(form ...string) *httptest.ResponseRecorder { return w.Post(twinSheet+"/place?state=low", form...) }
	r := put("part", "K2", "way", "0", "dx", "140", "dy", "3")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, twinSheet+"?state=low", r.Header().Get("Location"))
	h, err := w.Keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	c, err := harness.Read([]byte(h.Source))
	require.NoError(t, err)
	require.NotNil(t, c.PlaceOf("K2", 0))
	assert.True(t, c.PlaceOf("K2", 0).Put, "the file keeps it")
	webtest.Says(t, w.Get(twinSheet).Body.String(), "draw anew")
	for _, bad := range [][]string{{"part", "K9", "way", "0", "dx", "1", "dy", "1"}, {"part", "K2", "dx", "a", "dy", "1"},
		{"part", "K2", "dx", "999999", "dy", "1"}} {
		assert.Equal(t, http.StatusUnprocessableEntity, put(bad...).Code, "%v", bad)
	}
	require.Equal(t, http.StatusSeeOther, w.Post(twinSheet+"/tidy").Code)
	h, err = w.Keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	assert.NotContains(t, h.Source, "sheet:")
	// Somebody else saves between the look and the save.
	assert.ErrorIs(t, w.Keep.ReviseHarness(t.Context(), h.Name, h.Newest-1, "t", "x"), store.ErrChanged)
	assert.ErrorIs(t, w.Keep.ReviseHarness(t.Context(), "none", 0, "t", "x"), store.ErrNotFound)
}

func TestTwoStatesAndFuses(t *testing.T) {
	w := webtest.Open(t)
	page := w.Get(twinSheet + "?state=low&beside=high&view=shares").Body.String()
	webtest.Says(t, page, "<dt>low only</dt><dd>F3, K3's rest contact</dd>")
	webtest.Says(t, page, "only-here")
	webtest.Says(t, page, "M1 in low; M2 in low")
	webtest.Says(t, w.Get(twinSheet+"?state=low&at=M1.-").Body.String(), `class="trail t1"`)
	webtest.Says(t, w.Get(twinSheet+"?state=off&setup=BAT+apart&at=K1.86&from=K1.85&with=ohms&leads=0.4").Body.String(),
		"The display shows 85.40")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get(twinSheet+"?state=off&at=K1.86&with=ohms&leads=x").Code)
}

// A circuit is set aside, not lost: the card asks and says what goes by it, the page says so and puts it back, and what jobs
// and drills use stays there for them.
func TestACircuitIsSetAsideAndPutBack(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f1-one-relay", "no fan")
	page := w.Get("/library").Body.String()
	webtest.Says(t, page, "go by it, and keep it")
	require.Equal(t, http.StatusSeeOther, w.Post("/harnesses/f1-one-relay/delete").Code)
	page = w.Get("/library?aside=1").Body.String()
	webtest.Says(t, page, "13 of 13")
	webtest.Says(t, page, "One fan, one relay")
	webtest.Says(t, page, "is set aside")
	assert.Equal(t, http.StatusOK, w.Get(j).Code, "the job goes on")
	r := w.Post("/drills", "harness", "f1-one-relay", "level", "one fault")
	assert.Equal(t, http.StatusSeeOther, r.Code, "a drill finds it all the same: %.300s", webtest.Notice(r.Body.String()))
	id := regexp.MustCompile(`name="id"\s+value="(\d+)"`).FindStringSubmatch(page)
	require.NotNil(t, id)
	require.Equal(t, http.StatusSeeOther, w.Post("/library/back", "id", id[1]).Code)
	webtest.Says(t, w.Get("/library").Body.String(), "14 of 14")
	assert.Equal(t, http.StatusNotFound, w.Post("/library/back", "id", id[1]).Code, "once")
	require.Equal(t, http.StatusSeeOther, w.Post("/harnesses/f1-one-relay/delete").Code)
	r = w.Post("/library", "text", "harness: 1\ntitle: F1 one relay\nparts: {B: {kind: battery}}\nstates: {on: {}}\n")
	require.Equal(t, "/harnesses/f1-one-relay", r.Header().Get("Location"))
	r = w.Post("/library/back", "id", id[1])
	assert.Equal(t, http.StatusConflict, r.Code)
	webtest.Says(t, r.Body.String(), "Another circuit goes by that name now")
}

// A text that no page can show is refused in one sentence at the reader, in a harness and in a job file; no figure that is
// none gets in by any form.
func TestWhatNoPageCanShow(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	r := w.Post("/library", "text", "harness: 1\ntitle: \"\\u0000\"\nparts: {B: {kind: battery}}\nstates: {on: {}}\n")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "line 2: this holds a NUL, which is no text")
	r = w.Send("/jobs/import", "file", "job.json", []byte(`{"format": "iron-thread job 1", "vehicle": "V", "title": "\u0000"}`))
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "a NUL, which is no text")
	j := w.JobNamed("Gritter 6")
	for _, bad := range []string{"NaN", "Inf", "-Inf", "1e999", "0x10"} {
		for _, c := range []struct{ path, form string }{
			{j + "/seen", "do=volts&state=low&at=F3.a&reading="}, {j + "/seen", "do=ohms&state=off&at=F3.a&from=F3.b&reading="},
			{j + "/seen", "do=amps&state=low&at=M1.%2B&reading="}, {j + "/setup", "action=coolant+"},
			{j + "/repair", "action=F3+renewed&minutes="}, {"/library/new", "title=x&fans=1&volts=12&low=none&switched=a+controller&amps="},
		} {
			values, err := url.ParseQuery(c.form + url.QueryEscape(bad))
			require.NoError(t, err)
			var form []string
			for name, list := range values {
				form = append(form, name, list[0])
			}
			assert.Equal(t, http.StatusUnprocessableEntity, w.Post(c.path, form...).Code, "%s %s%s", c.path, c.form, bad)
		}
		for _, path := range []string{"/rewire?fans=1&amps=14&name=a&gives=ground&asks=low&budget=", "/rewire?fans=1&name=a&gives=ground&amps=",
			"/rewire?fans=1&amps=14&name=a&gives=ground&asks=low&drop=", "/bench/wire?amps=", "/bench/relay?volts=",
			"/harnesses/f3-twin-series-parallel/start?state=low&fan=M1&for=",
			"/harnesses/f3-twin-series-parallel?state=low&instrument=ohms&leads="} {
			r := w.Get(path + url.QueryEscape(bad))
			assert.Less(t, r.Code, 500, path+bad)
			webtest.Silent(t, r.Body.String(), ">NaN")
			webtest.Silent(t, r.Body.String(), "NaN V")
			webtest.Silent(t, r.Body.String(), "NaN A")
		}
	}
}
