package web_test

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/store"
)

const twinSheet = "/harnesses/f3-twin-series-parallel"

func TestLibraryPage(t *testing.T) {
	w := open(t)
	page := w.get("/library").Body.String()
	says(t, page, "14 of 14")
	says(t, page, "Four-speed fan module on three lines")
	page = w.get("/library?q=pwm").Body.String()
	silent(t, page, "One fan, one relay")
	says(t, w.get("/library?q=nothing+like+it").Body.String(), "Nothing found for “nothing like it”.")
}

func TestTakeInAHarness(t *testing.T) {
	w := open(t)
	good := "harness: 1\ntitle: Tide gate fan\nparts:\n  B: {kind: battery}\n  M: {kind: motor, volts: 12, amps: 5}\nwires: {B.+ - M.+: , " +
		"M.- - B.-: }\nstates: {on: {}}\n"
	r := w.post("/library", "text", good)
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/harnesses/tide-gate-fan", r.Header().Get("Location"))
	assert.Equal(t, "/harnesses/tide-gate-fan-2", w.post("/library", "text", good).Header().Get("Location"),
		"the name is taken: a number is put behind it")
	says(t, w.get("/harnesses/tide-gate-fan?state=on&at=M.%2B").Body.String(), "<h3>Feed")

	// A circuit only just begun has a sheet, and no job can be run on it.
	begun := w.post("/library", "text", "harness: 1\ntitle: begun\nparts: {B: {kind: battery}}\nstates: {on: {}}\n")
	require.Equal(t, http.StatusSeeOther, begun.Code)
	assert.Equal(t, http.StatusOK, w.get("/harnesses/begun?view=roles&at=B.%2B").Code)
	assert.Equal(t, http.StatusOK, w.get("/harnesses/begun/export/svg").Code)

	r = w.post("/library", "text", strings.Replace(good, "kind: motor", "kind: moter", 1))
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	says(t, r.Body.String(), `line 5: M: there is no kind "moter"`)
	says(t, r.Body.String(), "kind: moter") // the text stays
	assert.Equal(t, http.StatusUnprocessableEntity, w.post("/library", "text", "").Code)
}

func TestSheetPage(t *testing.T) {
	w := open(t)
	sheet := func(query ...string) string {
		q := url.Values{}
		for i := 0; i+1 < len(query); i += 2 {
			q.Add(query[i], query[i+1])
		}
		r := w.get(twinSheet + "?" + q.Encode())
		require.Equal(t, http.StatusOK, r.Code, "%v", query)
		return r.Body.String()
	}
	page := sheet("state", "low", "at", "F3.a")
	says(t, page, "6.24")
	says(t, page, "F3.a: in between")
	says(t, page, "K3's rest contact")
	says(t, sheet("state", "low", "at", "M1.+", "from", "M1.-"), "6.17")
	says(t, sheet("state", "low", "fault", "F3 open"), "stopped")
	says(t, sheet("state", "off", "setup", "ground K2.85"), "ground K2.85 also pulls in K3: their coils share this line")
	says(t, sheet("state", "off", "at", "K1.85", "with", "heavy lamp"), "the heavy lamp here passes enough to pull K1 in")
	says(t, sheet("state", "off", "setup", "BAT apart", "at", "K1.86", "from", "K1.85", "with", "ohms"), "85.00")
	says(t, sheet("state", "low", "view", "roles"), "switched-ground")
	assert.Equal(t, 2, strings.Count(sheet("state", "low", "beside", "high"), "<svg class=\"sheet\""))
	assert.Contains(t, sheet("state", "high", "setup", "K1 out"), `class="slip out"`)
}

func TestSheetBadInput(t *testing.T) {
	w := open(t)
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
		r := w.get(twinSheet + query)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, query)
		says(t, strings.ToLower(r.Body.String()), strings.ToLower(want))
	}
	assert.Equal(t, http.StatusNotFound, w.get("/harnesses/none").Code)
	says(t, w.get("/harnesses/none").Body.String(), "There is no such harness")
}

func TestExports(t *testing.T) {
	w := open(t)
	for form, want := range map[string]string{
		"svg": "<svg class=\"sheet\"", "csv": "F1.b,K1.30,1,RD/GY,4mm2,0.2m", "json": `"harness": 1`, "yaml": "harness: 1",
		"spice": ".options reltol",
	} {
		r := w.get(twinSheet + "/export/" + form)
		assert.Equal(t, http.StatusOK, r.Code, form)
		assert.True(t, strings.Contains(r.Body.String(), want), form)
	}
	assert.Equal(t, http.StatusNotFound, w.get(twinSheet+"/export/pdf").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.get(twinSheet+"/export/spice?state=flying").Code)
}

func TestEveryLibrarySheetOpens(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := open(t)
	list, err := w.keep.Harnesses(t.Context())
	require.NoError(t, err)
	for _, h := range list {
		assert.Equal(t, http.StatusOK, w.get("/harnesses/"+h.Name+"?view=roles").Code, h.Name)
	}
}

func TestAPartIsPutAndTheDrawingMadeAnew(t *testing.T) {
	w := open(t)
	put := func(form ...string) *httptest.ResponseRecorder { return w.post(twinSheet+"/place?state=low", form...) }
	r := put("part", "K2", "way", "0", "dx", "140", "dy", "3")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, twinSheet+"?state=low", r.Header().Get("Location"))
	h, err := w.keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	c, err := harness.Read([]byte(h.Source))
	require.NoError(t, err)
	require.NotNil(t, c.PlaceOf("K2", 0))
	assert.True(t, c.PlaceOf("K2", 0).Put, "the file keeps it")
	says(t, w.get(twinSheet).Body.String(), "draw anew")
	for _, bad := range [][]string{{"part", "K9", "way", "0", "dx", "1", "dy", "1"}, {"part", "K2", "dx", "a", "dy", "1"},
		{"part", "K2", "dx", "999999", "dy", "1"}} {
		assert.Equal(t, http.StatusUnprocessableEntity, put(bad...).Code, "%v", bad)
	}
	require.Equal(t, http.StatusSeeOther, w.post(twinSheet+"/tidy").Code)
	h, err = w.keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	assert.NotContains(t, h.Source, "sheet:")
	// Somebody else saves between the look and the save.
	assert.ErrorIs(t, w.keep.ReviseHarness(t.Context(), h.Name, h.Newest-1, "t", "x"), store.ErrChanged)
	assert.ErrorIs(t, w.keep.ReviseHarness(t.Context(), "none", 0, "t", "x"), store.ErrNotFound)
}

func TestTwoStatesAndFuses(t *testing.T) {
	w := open(t)
	page := w.get(twinSheet + "?state=low&beside=high&view=shares").Body.String()
	says(t, page, "<dt>low only</dt><dd>F3, K3's rest contact</dd>")
	says(t, page, "only-here")
	says(t, page, "M1 in low; M2 in low")
	says(t, w.get(twinSheet+"?state=low&at=M1.-").Body.String(), `class="trail t1"`)
	says(t, w.get(twinSheet+"?state=off&setup=BAT+apart&at=K1.86&from=K1.85&with=ohms&leads=0.4").Body.String(), "The display shows 85.40")
	assert.Equal(t, http.StatusUnprocessableEntity, w.get(twinSheet+"?state=off&at=K1.86&with=ohms&leads=x").Code)
}
