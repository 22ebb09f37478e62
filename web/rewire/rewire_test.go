package rewire_test

import (
	"encoding/csv"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/soak"
	"ironthread/web/webtest"
)

const mower = "fans=2&speeds=2&volts=12&title=Verge+mower&half=ok&amps=14&name=low+line&gives=ground&asks=low&limit=&" +
	"name=high+line&gives=ground&asks=high&limit=&name=clutch&gives=supply&asks=low&limit="

// answered waits until a wish is worked out.
func answered(t *testing.T, w *webtest.Workshop, address string) string {
	t.Helper()
	body := ""
	soak.Await(t, "the plan", func() bool {
		body = w.Get(address).Body.String()
		return !strings.Contains(body, "ways worked out")
	})
	return body
}

// A wish says how far it is, then stands there; its file reads again; its lists and its PDF are handed out; the harness goes
// into the library as it was shown.
func TestAWishIsAnswered(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	body := answered(t, w, "/rewire?"+mower)
	webtest.Says(t, body, "Ways that can do it")
	webtest.Says(t, body, "both in series, then in parallel")
	webtest.Says(t, body, "no output here pulses")
	wires := w.Get("/rewire/build/wires.csv?" + mower + "&way=series-parallel")
	require.Equal(t, http.StatusOK, wires.Code)
	rows, err := csv.NewReader(wires.Body).ReadAll()
	require.NoError(t, err)
	assert.Greater(t, len(rows), 20)
	assert.Equal(t, "from", rows[0][1])
	parts := w.Get("/rewire/build/parts.csv?" + mower + "&way=series-parallel").Body.String()
	webtest.Says(t, parts, "relay, changeover")
	pdf := w.Get("/rewire/build/sheets.pdf?" + mower + "&way=series-parallel")
	assert.True(t, strings.HasPrefix(pdf.Body.String(), "%PDF-"))
	pages := strings.Count(pdf.Body.String(), "/Type /Page\n")
	assert.LessOrEqual(t, pages, 5, "they print on one to five pages, the drawing first")
	webtest.Says(t, w.Get("/rewire/wish?"+mower).Body.String(), "plan: 1")
	webtest.Says(t, w.Get("/rewire/whatif?"+mower+"&way=staged").Body.String(), "an open line runs them")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get("/rewire/build?"+mower+"&way=pwm-module").Code)
	assert.Equal(t, http.StatusNotFound, w.Get("/rewire/build?"+mower+"&way=magic").Code)
	assert.Equal(t, http.StatusNotFound, w.Get("/rewire/build/all.zip?"+mower).Code)

	kept := w.Post("/rewire/keep", "wish", mower+"&way=staged")
	require.Equal(t, http.StatusSeeOther, kept.Code)
	text := w.Get(kept.Header().Get("Location") + "/export/yaml").Body.String()
	c, err := harness.Read([]byte(text))
	require.NoError(t, err)
	assert.Equal(t, "Verge mower: one fan, then both", c.Title)
	built := w.Post("/rewire/keep", "wish", mower+"&way=staged", "vehicle", "Verge mower 3", "token", "t-1")
	require.Equal(t, http.StatusSeeOther, built.Code)
	webtest.Says(t, w.Get(built.Header().Get("Location")).Body.String(), "Commissioning: Verge mower")
}

// What cannot be read is said in a sentence, at its field, and what was typed stays.
func TestWishesThatCannotBeRead(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	for query, want := range map[string]string{
		"fans=2&amps=x&name=a&gives=ground&asks=low": "no figure",
		"fans=2&amps=14": "requesters: one to 12",
		"fans=2&amps=14&name=a&gives=ground&asks=low": "nobody asks for high",
		mower + "&battery-to-box=far":                 "is no length",
		mower + "&hertz=500":                          "a range such as 100-500",
		mower + "&points=6+V":                         "pairs such as",
		mower + "&keep=no-such":                       "not in the library any more",
		strings.Replace(mower, "Verge+mower", strings.Repeat("x", 100), 1): "at most 80",
		mower + "&heat=400":                                    "are known up to 100 °C",
		"fans=2&amps=14&name=off&gives=ground&asks=low":        "the name of two things",
		"fans=2&amps=14&name=a%22b&gives=ground&asks=low":      "letters, figures and blanks",
		mower + "&drop=NaN":                                    "is no figure",
		mower + "&budget=-1":                                   "a budget of -1",
		"fans=2&amps=14&name=k&gives=kill&asks=low&speeds=two": "nobody asks for low",
	} {
		r := w.Get("/rewire?" + query)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, query)
		webtest.Says(t, r.Body.String(), want)
	}
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get("/rewire/build").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/rewire/keep", "wish", "%zz").Code)
}

// A pin check goes out as a list and comes in again, whatever the order of its rows; a foreign list is refused.
func TestThePinCheckAsAList(t *testing.T) {
	w := webtest.Open(t)
	const page = "/harnesses/f3-twin-series-parallel/pins"
	list := w.Get(page + "/list?c-0-0=b&c-1-1=0.2").Body.String()
	rows, err := csv.NewReader(strings.NewReader(list)).ReadAll()
	require.NoError(t, err)
	rows[1], rows[2] = rows[2], rows[1]
	var back strings.Builder
	require.NoError(t, csv.NewWriter(&back).WriteAll(rows))
	r := w.Post(page, "text", back.String())
	require.Equal(t, http.StatusSeeOther, r.Code)
	to, err := url.Parse(r.Header().Get("Location"))
	require.NoError(t, err)
	assert.Equal(t, "beeps", to.Query().Get("c-0-0"))
	assert.Equal(t, "0.2", to.Query().Get("c-1-1"))
	for text, want := range map[string]string{
		"":                                   "no list of readings",
		"cavity,K1.85\nZ9,b\n":               "no cavity",
		strings.Repeat("x", 70<<10):          "larger than",
		"cavity;does;colour;K1.85\nECU.9;;;": "no cavity",
	} {
		r := w.Post(page, "text", text)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		webtest.Says(t, r.Body.String(), want)
	}
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get("/harnesses/f6-resistor-card/pins").Code)
	assert.Equal(t, http.StatusOK, w.Get("/harnesses/f6-resistor-card/logic").Code)
}

// A wish's first press: while it is being worked out the page says how far it is, then the plan; refused, and empty.
func TestAWishInEveryState(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Impatient(t)
	first := w.Get("/rewire?" + mower)
	require.Equal(t, http.StatusOK, first.Code)
	webtest.Says(t, first.Body.String(), "ways worked out")
	soak.Await(t, "the first way, beside those that are still worked out, or all", func() bool {
		body := w.Get("/rewire?" + mower).Body.String()
		return strings.Contains(body, "where the current goes") && strings.Contains(body, "M1")
	})
	webtest.Says(t, answered(t, w, "/rewire?"+mower), "Ways that can do it")
	webtest.Says(t, w.Get("/rewire").Body.String(), "From a wish to a harness")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get("/rewire?"+mower+"&drop=9e9").Code)
	assert.Equal(t, http.StatusOK, w.Get("/rewire/build?"+mower+"&way=series-parallel").Code)
}

// As built: the form has a place beside every wire and every check; what was typed comes back with a refusal, and goes into the library
// with the circuit, and into the vehicle's commissioning.
func TestWhatWasBuilt(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	answered(t, w, "/rewire?"+mower)
	const way = mower + "&way=staged"
	form := w.Get("/rewire/built?" + way)
	require.Equal(t, http.StatusOK, form.Code)
	for _, words := range []string{"K1.87 - M1.+", "asks, engine running", "Built and measured by"} {
		webtest.Says(t, form.Body.String(), words)
	}
	refused := w.Post("/rewire/built", "wish", way, "by", "P. Marlow", "mm2-0", "0.35", "c-0", "0.1 V", "token", "b-1")
	require.Equal(t, http.StatusUnprocessableEntity, refused.Code)
	webtest.Says(t, refused.Body.String(), "smaller fuse before it")
	webtest.Says(t, refused.Body.String(), `value="0.1 V"`)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/rewire/built", "wish", way, "by", "x", "m-0", "NaN").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/rewire/built", "wish", way, "by", strings.Repeat("x", 60)).Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/rewire/built", "wish", "%zz").Code)
	done := w.Post("/rewire/built", "wish", way, "by", "P. Marlow", "c-0", "0.1 V", "remarks", "Box moved to the left wing.", "token", "b-2")
	require.Equal(t, http.StatusSeeOther, done.Code)
	c, err := harness.Read(w.Get(done.Header().Get("Location") + "/export/yaml").Body.Bytes())
	require.NoError(t, err)
	for _, words := range []string{"signed P. Marlow", "Box moved to the left wing.", "0.1 V (foretold"} {
		assert.Contains(t, c.Notes, words)
	}
	job := w.Post("/rewire/built", "wish", way, "by", "P. Marlow", "vehicle", "Verge mower 7", "token", "b-3")
	require.Equal(t, http.StatusSeeOther, job.Code)
	webtest.Says(t, w.Get(job.Header().Get("Location")).Body.String(), "Commissioning: Verge mower")
}

// A wish's file is read into the form as if somebody had filled it in; what the form cannot hold is said, and bad files are refused in a
// sentence.
func TestAWishIsReadIntoTheForm(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	read := func(text string) *httptest.ResponseRecorder {
		return w.Send("/rewire/read", "file", "wish.yaml", []byte(text))
	}
	full := `plan: 1
title: Road sweeper
shelf: {relays: [40, 70], wires: [0.75]}
supply: {off: 25.2, running: 28.4}
fans:
  - {name: a, amps: 12, half-volts: ok, never-alone: true}
  - {name: b, amps: 12, half-volts: ok, never-alone: true}
  - {name: c, amps: 9, half-volts: ok, never-alone: true}
requesters:
  - {name: tank, gives: switch, asks: low, closes: 88, opens: 82}
  - {name: fan line, gives: ground, asks: high, limit: 0.3}
  - {name: off switch, gives: kill}
runs: {battery to box: 2.5m}
protection: breakers
insulation: 125
open-line: stops
run-on: 8min
battery: 120Ah
`
	said := read(full)
	require.Equal(t, http.StatusSeeOther, said.Code, said.Body.String())
	form := said.Header().Get("Location")
	back := w.Get(strings.Replace(form, "/rewire?", "/rewire/wish?", 1)).Body.String()
	for _, line := range []string{"title: Road sweeper", "protection: breakers", "insulation: 125", "open-line: stops", "run-on: 8min",
		"battery: 120Ah", "never-alone: true", "closes: 88", "limit: 0.3", "gives: kill", "amps: 9", "battery to box: 2.5m", `"off": 25.2`} {
		webtest.Says(t, back, line)
	}
	webtest.Says(t, w.Get(form).Body.String(), "Road sweeper")
	again := read(back)
	assert.Equal(t, form, again.Header().Get("Location"), "what is handed out is read again as it was")
	own := `plan: 1
fans: [{name: a, amps: 38, brushless: {open-line: stops, level: high, hertz: [50, 500], run-on: 4min}}]
requesters: [{name: line, gives: pwm, asks: [low, high], hertz: 250}]
`
	said = read(own)
	require.Equal(t, http.StatusSeeOther, said.Code)
	back = w.Get(strings.Replace(said.Header().Get("Location"), "/rewire?", "/rewire/wish?", 1)).Body.String()
	for _, line := range []string{"level: high", "open-line: stops", "hertz: 250", "run-on: 4min"} {
		webtest.Says(t, back, line)
	}
	for text, want := range map[string]string{
		"": "empty", "plan: 1": "fans", "plan: 2": "plan: 1", "{": "Wish",
		strings.Replace(full, "amps: 9,", "amps: 9, inrush: 77,", 1):     "cannot hold all of that wish",
		strings.Replace(full, "off: 25.2", "off: 24.1", 1):               "cannot hold all of that wish",
		strings.Replace(full, "runs: {", "runs: {in the box: 0.4m, ", 1): "cannot hold all of that wish",
		full + strings.Repeat("# more\n", 10_000):                        "larger than 64 KiB",
	} {
		said := read(text)
		assert.Equal(t, http.StatusUnprocessableEntity, said.Code, text)
		webtest.Says(t, said.Body.String(), want)
	}
}
