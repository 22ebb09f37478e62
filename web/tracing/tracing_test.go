package tracing_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/core/printed"
	"ironthread/demo/pages"
	"ironthread/library"
	"ironthread/web/webtest"
)

// page is a drawn page.
func page(t *testing.T) []byte {
	t.Helper()
	b, err := pages.JPEG(pages.Twin().Draw())
	require.NoError(t, err)
	return b
}

// state is the library's twin circuit as it would be tapped on the page.
func state(t *testing.T) *printed.Trace {
	t.Helper()
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	tr := &printed.Trace{Title: "Traced twin", Volts: 12}
	for i, p := range e.Circuit.Parts {
		part := printed.Part{Name: p.Name, Kind: p.Kind(), Spot: printed.Spot{Page: 1, X: 300 * i, Y: 500}, Pins: map[string]printed.Spot{}}
		for k, pin := range p.Pins() {
			part.Pins[pin.Name] = printed.Spot{Page: 1, X: 300 * i, Y: 600 + 90*k}
		}
		if p.Kind() == harness.KindGround {
			part.Pins = nil
		}
		tr.Parts = append(tr.Parts, part)
	}
	for _, w := range e.Circuit.Wires {
		tr.Wires = append(tr.Wires, printed.Wire{From: w.From.String(), To: w.To.String(), Colour: w.Colour})
	}
	return tr
}

// A page comes in, is tapped, says what it makes, and goes into the library with its page: the sheet shows it as printed, with volts at its
// pins, and as drawn again.
func TestFromAPageIntoTheLibrary(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	webtest.Says(t, w.Get("/library/trace").Body.String(), "A photograph, a scan or a PDF")
	begun := w.Send("/library/trace", "page", "page.jpg", page(t))
	require.Equal(t, http.StatusSeeOther, begun.Code, begun.Body.String())
	at := begun.Header().Get("Location")
	webtest.Says(t, w.Get(at).Body.String(), "Put it into the library")
	assert.True(t, bytes.HasPrefix(w.Get(at+"/pages/1").Body.Bytes(), []byte{0xFF, 0xD8}))
	assert.True(t, bytes.HasPrefix(w.Get(at+"/pages/1?taken=1").Body.Bytes(), []byte{0xFF, 0xD8}))
	assert.Equal(t, http.StatusNotFound, w.Get(at+"/pages/9").Code)

	tapped, err := json.Marshal(state(t))
	require.NoError(t, err)
	var stands printed.Stands
	require.NoError(t, json.Unmarshal(w.Post(at, "state", string(tapped)).Body.Bytes(), &stands))
	assert.Empty(t, stands.Missing)
	assert.Len(t, stands.Fans, 3)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post(at, "state", "{").Code)
	straight := w.Post(at+"/straighten", "page", "1", "corners", "0.01 0.01 0.99 0.02 0.98 0.99 0.02 0.97", "turns", "0")
	require.Equal(t, http.StatusOK, straight.Code, straight.Body.String())
	for _, bad := range []string{"1 2 3", "0 0 0 0 0 0 0 0", "a b c d e f g h", "2 2 2 2 2 2 2 2"} {
		assert.Equal(t, http.StatusUnprocessableEntity, w.Post(at+"/straighten", "page", "1", "corners", bad).Code, bad)
	}
	less := state(t)
	less.Wires = less.Wires[:len(less.Wires)-4]
	b, err := json.Marshal(less)
	require.NoError(t, err)
	webtest.Says(t, w.Post(at+"/fixes", "state", string(b), "wanted", "low M1 slow").Body.String(), "wires")

	done := w.Post(at+"/finish", "state", string(tapped))
	require.Equal(t, http.StatusSeeOther, done.Code, done.Body.String())
	sheet := done.Header().Get("Location")
	body := w.Get(sheet).Body.String()
	webtest.Says(t, body, `<image href="/harnesses/traced-twin/pages/1?on=`)
	webtest.Says(t, body, `data-pin="K1.87"`)
	webtest.Says(t, body, "printed-volts")
	name, _, _ := strings.Cut(sheet, "?")
	assert.True(t, bytes.HasPrefix(w.Get(name+"/pages/1").Body.Bytes(), []byte{0xFF, 0xD8}))
	webtest.Silent(t, w.Get(name+"?paper=drawn").Body.String(), "<image")
	assert.Equal(t, http.StatusNotFound, w.Get(at).Code, "what has gone into the library is traced no more")

	// It travels with its page, and comes in again under another name.
	archive := w.Get(name + "/archive")
	require.Equal(t, http.StatusOK, archive.Code)
	again := w.Send("/library/pages", "archive", "twin.zip", archive.Body.Bytes())
	require.Equal(t, http.StatusSeeOther, again.Code, again.Body.String())
	webtest.Says(t, w.Get(again.Header().Get("Location")).Body.String(), `data-pin="K1.87"`)
	assert.NotEqual(t, sheet, again.Header().Get("Location"))
	for _, bad := range [][]byte{[]byte("no zip"), archive.Body.Bytes()[:200]} {
		assert.Equal(t, http.StatusUnprocessableEntity, w.Send("/library/pages", "archive", "x.zip", bad).Code)
	}
	assert.Equal(t, http.StatusNotFound, w.Get("/harnesses/f4-dropping-resistor/archive").Code)

	// A job that goes by it shows the page too, with the next move's place on it.
	h, err := w.Keep.HarnessNamed(t.Context(), "traced-twin")
	require.NoError(t, err)
	vehicle, err := w.Keep.PutVehicle(t.Context(), "Sweeper 2", "")
	require.NoError(t, err)
	job := w.Post("/jobs", "vehicle", "Sweeper 2", "harness", fmt.Sprint(h.ID), "complaint", "no low")
	require.Equal(t, http.StatusSeeOther, job.Code, "%d", vehicle)
	webtest.Says(t, w.Get(job.Header().Get("Location")+"?paper=printed").Body.String(), `<image href="/harnesses/traced-twin/pages/1?on=`)
}

// A page is laid on a circuit that is there: nothing is drawn anew, its pins get their places.
func TestAPageIsLaidOnACircuit(t *testing.T) {
	w := webtest.Open(t)
	webtest.Says(t, w.Get("/library/trace?of=f1-one-relay").Body.String(), "The page is laid on")
	begun := w.Send("/library/trace", "page", "page.jpg", page(t), "of", "f1-one-relay")
	require.Equal(t, http.StatusSeeOther, begun.Code)
	at := begun.Header().Get("Location")
	webtest.Says(t, w.Get(at).Body.String(), "Keep the places")
	h, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	tr, err := printed.Lay(h.Name, h.Title, h.Source)
	require.NoError(t, err)
	tr.Parts[0].Spot = printed.Spot{Page: 1, X: 100, Y: 100}
	tr.Parts[0].Pins = map[string]printed.Spot{"+": {Page: 1, X: 150, Y: 100}}
	b, err := json.Marshal(tr)
	require.NoError(t, err)
	done := w.Post(at+"/finish", "state", string(b))
	require.Equal(t, http.StatusSeeOther, done.Code)
	body := w.Get("/harnesses/f1-one-relay?paper=printed").Body.String()
	webtest.Says(t, body, "<image")
	assert.Equal(t, 1, strings.Count(body, `class="pin mark`), "only what was tapped stands on the page")
	now, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	assert.Equal(t, h.Source, now.Source, "the circuit itself is as it was")
}

// A wire list is read, shown with what was understood of it, and goes into the library once its parts are confirmed.
func TestFromAList(t *testing.T) {
	w := webtest.Open(t)
	webtest.Says(t, w.Get("/library/list").Body.String(), "Columns in any order")
	csv := w.Get("/harnesses/f3-twin-series-parallel/export/csv").Body.String()
	read := w.Post("/library/list", "text", csv)
	require.Equal(t, http.StatusOK, read.Code)
	webtest.Says(t, read.Body.String(), "20 wires, 13 parts")
	webtest.Says(t, read.Body.String(), "<b>colour</b> is “colour”")
	done := w.Post("/library/list", "text", csv, "title", "Twin, from a list", "confirm", "1", "kind-SW", "switch")
	require.Equal(t, http.StatusSeeOther, done.Code, done.Body.String())
	body := w.Get(done.Header().Get("Location") + "?state=low").Body.String()
	webtest.Says(t, body, "M1 <small></small></th>")
	webtest.Says(t, body, "<b>slow</b>")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/library/list", "text", "a,b\n1,2\n").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Post("/library/list", "text", csv, "confirm", "1", "kind-BAT", "fuse").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Send("/library/list", "file", "x.csv", []byte("a\x00b")).Code)
}

// What is no page is refused in a sentence, and nothing is begun.
func TestWhatIsNoPage(t *testing.T) {
	w := webtest.Open(t)
	for name, x := range map[string]struct {
		content []byte
		says    string
	}{
		"text.jpg": {[]byte("hello"), "JPEG, PNG and PDF"}, "a.pdf": {[]byte("%PDF-1.4 broken"), "cannot be made a picture"},
	} {
		r := w.Send("/library/trace", "page", name, x.content)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		webtest.Says(t, r.Body.String(), x.says)
	}
	assert.Equal(t, http.StatusUnprocessableEntity, w.Send("/library/trace", "page", "a.pdf", []byte("%PDF-"), "number", "0").Code)
	assert.Equal(t, http.StatusNotFound, w.Get("/traces/99").Code)
	assert.Equal(t, http.StatusNotFound, w.Get("/traces/x").Code)
	assert.Equal(t, http.StatusNotFound, w.Get("/library/trace?of="+url.QueryEscape("no such")).Code)
}
