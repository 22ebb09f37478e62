package jobs_test

import (
	"html"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/web/webtest"
)

// links are the tests that a page offers at a place, by their titles.
func links(page string) map[string]string {
	found := map[string]string{}
	for _, m := range regexp.MustCompile(`<li><a href="(/jobs/[^"]+)">([^<]+)</a></li>`).FindAllStringSubmatch(page, -1) {
		found[html.UnescapeString(m[2])] = html.UnescapeString(m[1])
	}
	return found
}

// Everything that can be done at a part, a wire or a terminal is offered there, and each opens the question for it: both contacts
// of both poles at rest and energised, a winding or both fed directly, a buzzer in place of ohms, a wire to look at.
func TestWhatCanBeDoneAtAPlace(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	for circuit, places := range map[string]map[string][]string{
		"m2-three-relay-two-winding": {"K2": {"30 to 87, energised", "30b to 87b, energised", "30 to 87", "30b to 87b", "86 to 85", "buzzer"}},
		"f5-two-windings": {"M1": {"Turn M1 by hand", "Look closely at M1"},
			"wire K1.87 - M1.L": {"Look closely at wire K1.87 - M1.L"}},
		"f4-dropping-resistor": {"R1": {"a to b", "buzzer"}, "pin R1.a": {"Look closely at pin R1.a", "Volts at R1.a", "Test lamp"}},
	} {
		j := w.NewJobOn(circuit, "this and that")
		for place, wanted := range places {
			page := w.Get(j + "/more?place=" + strings.ReplaceAll(place, " ", "+"))
			require.Equal(t, http.StatusOK, page.Code)
			offered := links(page.Body.String())
			var titles []string
			for title, url := range offered {
				titles = append(titles, title)
				if strings.HasPrefix(title, "Look at each fan") || strings.HasPrefix(title, "Feel") {
					continue // the tests of the guide's own moves open these
				}
				asked := w.Get(url)
				assert.Equal(t, http.StatusOK, asked.Code, "%s: %s", place, title)
				assert.Contains(t, asked.Body.String(), `class="record"`, "%s: %s", place, title)
			}
			all := strings.Join(titles, "; ")
			for _, want := range wanted {
				assert.Contains(t, all, want, place)
			}
		}
		assert.Empty(t, links(w.Get(j+"/more?place=nowhere").Body.String()))
	}
}

// A whole set-up goes in as one line; a place that was cleaned stands for the parts that sit there; what is not understood is said
// by its own words, and nothing of the line is entered.
func TestAWholeSetUpInOneLine(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/setup", "action", "K1 out, jumper K1.30 K1.87").Code)
	page := w.Get(j).Body.String()
	webtest.Says(t, page, "K1 is out")
	webtest.Says(t, page, "a lead bridges K1.30 and K1.87")
	r := w.Post(j+"/setup", "action", "K2 out; K9 out")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "K9")
	assert.NotContains(t, w.Get(j).Body.String(), "K2 is out")

	other := w.NewJobOn("f2-staged-pair", "no fan")
	require.Equal(t, http.StatusSeeOther, w.Post(other+"/setup", "action", "wing box cleaned").Code)
	page = w.Get(other).Body.String()
	for _, part := range []string{"F1", "F2", "K1", "K2"} {
		webtest.Says(t, page, ">"+part+" cleaned")
	}
	assert.NotContains(t, page, ">F3 cleaned", "that one is in the cab")
}

// While a relay is out, every look at the fans begins with one touch that puts it back, and says so in its title: a table filled
// in with it out would be of another car. Verification asks, too.
func TestALookBeginsWithWhatIsOut(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f4-dropping-resistor", "weak on high")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/setup", "action", "K1 out").Code)
	for _, path := range []string{"?table=1", "?look=1&state=low"} {
		page := w.Get(j + path).Body.String()
		webtest.Says(t, page, "K1 is back in")
		assert.Regexp(t, `class="title">[^<]*K1 (is )?out`, page, path)
	}
	verify := w.Get(j + "/verify").Body.String()
	webtest.Says(t, verify, "K1 is back in")
	r := w.Post(j+"/setup", "undo", "1", "action", "K1 out", "back", "verify")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Contains(t, r.Header().Get("Location"), j+"/verify?did=")
	assert.NotContains(t, w.Get(j+"?table=1").Body.String(), `class="putback"`)
}

// A relay in the hand asks nothing of the car: what else is out stays out, and the reading is not asked for again because of it.
func TestABenchTestAsksForNothingOnTheCar(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/setup", "action", "K3 out").Code)
	for title, url := range links(w.Get(j + "/more?place=K1").Body.String()) {
		if strings.Contains(title, "on the bench") {
			assert.NotRegexp(t, `(Also noted|Done): [^<]*K3 is back in`, w.Get(url).Body.String(), title)
		}
	}
}

// What the leads read held together is kept for the job, and comes off the figure; that they are nulled says more.
func TestWhatTheLeadsReadIsKept(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	ask := j + "?do=ohms&pin=F3.a&from=F3.b"
	webtest.Says(t, w.Get(ask).Body.String(), "held together they read")
	r := w.Post(j+"/seen", "do", "ohms", "state", "off", "setup", "BAT apart", "at", "F3.a", "from", "F3.b", "reading", "0.4", "leads", "0.3")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Regexp(t, `name="leads"[^>]*value="0.3"`, w.Get(ask).Body.String())
	r = w.Post(j+"/seen", "do", "ohms", "state", "off", "setup", "BAT apart", "at", "F3.a", "from", "F3.b", "reading", "0.4", "leads", "300")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "from 0 to 10 Ω")
}

// A fan that does the same on high as on low is entered as that.
func TestTheSameSpeedAsLow(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f4-dropping-resistor", "weak on high")
	webtest.Says(t, w.Get(j+"?table=1").Body.String(), "same as low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/table", "fan-1-0", "slow", "other-2-0", "same as low").Code)
	webtest.Says(t, w.Get(j).Body.String(), "high: M1 slow")
	webtest.Says(t, w.Get(j+"?look=1&state=high").Body.String(), "same as low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/seen", "do", "fans", "state", "high", "fan-M1", "same as low").Code)
}

// A healthy car: when every state has been seen, the page says that nothing was found, and closes the job so.
func TestNothingFoundClosesAJob(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f4-dropping-resistor", "they said it got hot")
	r := w.Post(j+"/close", "reason", "nothing found")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "once every fan has been seen in every state")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/table", "fan-0-0", "stopped", "fan-1-0", "slow", "fan-2-0", "fast").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/seen", "do", "amps", "state", "high", "at", "M1.+", "reading", "16.5").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/seen", "do", "codes", "state", "off", "reading", "none").Code)
	page := w.Get(j).Body.String()
	webtest.Says(t, page, "Close: nothing found")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/close", "reason", "nothing found").Code)
	webtest.Says(t, w.Get(j).Body.String(), "Closed: nothing found")
	report := w.Get(j + "/report").Body.String()
	webtest.Says(t, report, "We found nothing wrong with the fans")
	assert.NotContains(t, report, "warm-up: all as it should be", "nobody watched one")

	assert.NotContains(t, page, "Here before", "the first job of this vehicle")
	again := w.Get(w.NewJobOn("f4-dropping-resistor", "hot again")).Body.String() // the same vehicle comes back
	webtest.Says(t, again, "nothing found; what was not tried then is worth trying now")
	assert.Contains(t, again, `<a href="`+j+`">they said it got hot`)
	assert.NotContains(t, w.Get(j).Body.String(), "Here before", "what came after is not before")
}

// A second defect that was measured on the way stands on the page beside the verdict, and on the report.
func TestASecondDefectIsOnThePage(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f4-dropping-resistor", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/table", "fan-1-0", "stopped", "fan-2-0", "fast").Code)
	bench := func(part, reading, from, to string, more ...string) {
		fields := append([]string{"do", "ohms", "state", "off", "bench", part, "between", from, "between", to, "reading", reading, "nulled",
			"1"}, more...)
		r := w.Post(j+"/seen", fields...)
		require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	}
	bench("R1", "OL", "a", "b")
	bench("K2", "0.4", "30", "87", "energised", "1")
	for _, path := range []string{"", "/report"} {
		page := w.Get(j + path).Body.String()
		webtest.Says(t, page, "K2 make contact burnt")
		webtest.Says(t, page, "Also")
	}
}

// What a pin check came to goes into the job that it was begun from.
func TestAPinCheckGoesIntoTheJob(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "the wrong fan")
	link := regexp.MustCompile(`href="(/harnesses/[^"]+/pins\?job=\d+)"`).FindStringSubmatch(w.Get(j + "/more").Body.String())
	require.NotNil(t, link)
	page := w.Get(link[1] + "&c-0-0=s").Body.String()
	form := regexp.MustCompile(`action="(/jobs/\d+/note)"[\s\S]*?name="text" value="([^"]+)"`).FindStringSubmatch(page)
	require.NotNil(t, form)
	require.Equal(t, http.StatusSeeOther, w.Post(form[1], "text", html.UnescapeString(form[2])).Code)
	webtest.Says(t, w.Get(j).Body.String(), "Pin check: 1 of 1 readings are not as drawn")
}

// What a touch has recorded is said on the page that follows, with one touch that takes all of it back; once something else has
// been written it says nothing.
func TestWhatWasRecordedIsTakenBackAtOneTouch(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	r := w.Post(j+"/seen", "do", "volts", "state", "low", "setup", "K1 out", "at", "K1.30", "reading", "12.5")
	require.Equal(t, http.StatusSeeOther, r.Code)
	after := r.Header().Get("Location")
	page := w.Get(after).Body.String()
	webtest.Says(t, page, `class="recorded"`)
	assert.Regexp(t, `Recorded: low: 12\.5 V at K1\.30[^<]* and 1 more`, page)
	webtest.Says(t, page, `form="strikes" name="seq" value="2-3"`) // the reading, and that K1 is out
	webtest.Silent(t, w.Get(j).Body.String(), `class="recorded"`)

	require.Equal(t, http.StatusSeeOther, w.Post(j+"/strike", "seq", "2-3").Code)
	page = w.Get(after).Body.String()
	webtest.Silent(t, page, `class="recorded"`)
	webtest.Silent(t, page, "×: K1 is back in")
	webtest.Says(t, w.Post(j+"/strike", "seq", "2-3").Body.String(), "struck out already")
	webtest.Says(t, w.Post(j+"/strike").Body.String(), "no such entry")
	for _, made := range []string{"9-1", "x", "0-0", "1-1", "-1--1", "5-5&did=1-99"} {
		webtest.Silent(t, w.Get(j+"?did="+made).Body.String(), `class="recorded"`)
	}
}

// One field takes what people say in few words; what it cannot read is said in one sentence, and nothing is recorded.
func TestOneFieldTakesWhatIsSaid(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	say := func(line string) string {
		t.Helper()
		r := w.Post(j+"/say", "state", "low", "line", line)
		require.Equal(t, http.StatusSeeOther, r.Code, "%s: %s", line, webtest.Notice(r.Body.String()))
		return w.Get(j).Body.String()
	}
	webtest.Says(t, say("k2 87 0.3 v"), "low: 0.3 V at K2.87")
	webtest.Says(t, say("high: m1 fast, m2 fast"), "high: M1 fast, M2 fast")
	webtest.Says(t, say("f1 looks whole"), "F1 looked at: looks whole")
	webtest.Says(t, say("codes none"), "no codes")
	page := say("k1 out, jumper k1 30 k1 87")
	webtest.Says(t, page, "K1 is out")
	webtest.Says(t, page, "a lead bridges K1.30 and K1.87")
	webtest.Says(t, say("k1 86 k1 85 88 ohm"), "88 Ω at K1.86 from K1.85")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/seen", "do", "ohms", "state", "low", "setup", "K1 out", "setup", "BAT apart",
		"at", "F3.a", "from", "F3.b", "reading", "0.1", "nulled", "1").Code)
	say("f1 a f1 b 0.1 ohm")
	entries, err := w.Keep.Entries(t.Context(), webtest.ID(t, j))
	require.NoError(t, err)
	assert.True(t, entries[len(entries)-1].Body.(job.Reading).Seen.How.Nulled, "the leads are those of the reading before")
	webtest.Says(t, say("fuse 3 replaced"), "F3 replaced")
	for line, sentence := range map[string]string{
		"k2 12.1": "which terminal of K2", "k9 out": "no part K9", "": "Say what was seen", "k1 out": "is in the ledger already",
	} {
		r := w.Post(j+"/say", "state", "low", "line", line)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, line)
		webtest.Says(t, r.Body.String(), sentence)
		assert.True(t, line == "" || strings.Contains(r.Body.String(), `value="`+line+`"`), "what was typed is kept")
	}
}

// A job begins with no circuit chosen: a vehicle that was here before has the one it had then, a new one is asked for it.
func TestAJobBeginsWithTheVehiclesOwnCircuit(t *testing.T) {
	w := webtest.Open(t)
	page := w.Get("/").Body.String()
	webtest.Silent(t, page, `option value="1" selected`)
	webtest.Says(t, page, "data-had=")
	circuit := func(address string) string {
		j, err := w.Keep.Job(t.Context(), webtest.ID(t, address))
		require.NoError(t, err)
		return j.Sheet
	}
	w.NewJobOn("f2-staged-pair", "the lower fan never comes")
	r := w.Post("/jobs", "vehicle", "Gritter 40", "complaint", "again")
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	assert.Equal(t, "f2-staged-pair", circuit(r.Header().Get("Location")))
	r = w.Post("/jobs", "vehicle", "Hedge mower 12", "complaint", "boils")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "Choose the fan circuit that the vehicle has")
}

// One number says how many suspects are left, in the Bay and on the job, and nothing is left out while nothing has been seen.
func TestCountsAgree(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f3-twin-series-parallel", "no low")
	page := w.Get(j).Body.String()
	webtest.Says(t, page, `<b>164</b><span class="of"> of 164</span> left`)
	webtest.Says(t, w.Get("/").Body.String(), "164 suspects, nothing seen yet")
}
