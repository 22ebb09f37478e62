package rewire_test

import (
	"encoding/csv"
	"net/http"
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
	assert.LessOrEqual(t, pages, 4, "they print on one to four pages")
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
	w := webtest.Impatient(t)
	first := w.Get("/rewire?" + mower)
	require.Equal(t, http.StatusOK, first.Code)
	webtest.Says(t, first.Body.String(), "ways worked out")
	webtest.Says(t, answered(t, w, "/rewire?"+mower), "Ways that can do it")
	webtest.Says(t, w.Get("/rewire").Body.String(), "From a wish to a harness")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get("/rewire?"+mower+"&drop=9e9").Code)
	assert.Equal(t, http.StatusOK, w.Get("/rewire/build?"+mower+"&way=series-parallel").Code)
}
