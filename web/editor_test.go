package web_test

import (
	"encoding/json"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type draftAnswer struct {
	Sum, Svg string
	Errors   []struct {
		Line       int
		Where, Msg string
	}
	Pins, Fans []string
}

func (w *workshop) draft(text, base string) draftAnswer {
	w.t.Helper()
	r := w.post("/drafts", "text", text, "base", base)
	require.Equal(w.t, http.StatusOK, r.Code)
	var d draftAnswer
	require.NoError(w.t, json.Unmarshal(r.Body.Bytes(), &d))
	return d
}

func TestTheDraftIsReadWhileItIsTyped(t *testing.T) {
	if testing.Short() {
		t.Skip("holds a time that the race detector is too slow for")
	}
	w := open(t)
	h, err := w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	whole := w.draft(h.Source, "")
	assert.Empty(t, whole.Errors)
	assert.Contains(t, whole.Pins, "K1.87")
	assert.Contains(t, strings.Join(whole.Fans, "\n"), "M1 fast")
	for whole.Svg == "" { // a first drawing takes its time
		r := w.get("/drafts/" + whole.Sum)
		require.Equal(t, http.StatusOK, r.Code)
		require.NoError(t, json.Unmarshal(r.Body.Bytes(), &whole))
	}
	// One wire edited: the drawing begins from the one before, and is there at once.
	edited := w.draft(strings.Replace(h.Source, "K1.87 - M1.+: ", "K1.87 - M1.+: PK/", 1), whole.Sum)
	assert.Empty(t, edited.Errors)
	r := w.get("/drafts/" + edited.Sum)
	require.Equal(t, http.StatusOK, r.Code)
	require.NoError(t, json.Unmarshal(r.Body.Bytes(), &edited))
	assert.Contains(t, edited.Svg, "<svg")
	// A line being typed: what is wrong is said with its line, the pins there are stay offered.
	broken := w.draft(strings.Replace(h.Source, "K1.87 - M1.+", "K1.87 - M1.x", 1), whole.Sum)
	require.Len(t, broken.Errors, 1)
	assert.Contains(t, broken.Errors[0].Msg, `M1.x: a motor has no pin "x" (+, -)`)
	above, _, _ := strings.Cut(h.Source, "K1.87 - M1.+")
	assert.Equal(t, 1+strings.Count(above, "\n"), broken.Errors[0].Line)
	assert.Contains(t, broken.Pins, "K1.87")
	assert.Empty(t, broken.Svg)
	syntax := w.draft("harness: 1\nparts: {", "")
	require.Len(t, syntax.Errors, 1)
	assert.Equal(t, 2, syntax.Errors[0].Line)
	assert.Equal(t, http.StatusNotFound, w.get("/drafts/00").Code)
}

func TestAHarnessIsSavedOrRefused(t *testing.T) {
	w := open(t)
	at := "/harnesses/f1-one-relay/edit"
	page := w.get(at).Body.String()
	saw := regexp.MustCompile(`name="saw" value="([0-9a-f]+)"`).FindStringSubmatch(page)
	require.Len(t, saw, 2)
	h, err := w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	r := w.post(at, "saw", saw[1], "text", strings.Replace(h.Source, "K1.87 - M1.+", "K1.87 - M9.+", 1))
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	says(t, r.Body.String(), "there is no part M9")
	says(t, r.Body.String(), "K1.87 - M9.+") // nothing typed is lost
	better := strings.Replace(h.Source, "title: ", "title: Corrected: ", 1)
	better = strings.Replace(better, "title: Corrected: "+h.Title, `title: "Corrected: `+h.Title+`"`, 1)
	r = w.post(at, "saw", saw[1], "text", strings.ReplaceAll(better, "\n", "\r\n"))
	require.Equal(t, http.StatusSeeOther, r.Code, "%s", r.Body)
	h, err = w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(h.Title, "Corrected: "))
	assert.Equal(t, better, h.Source)
	assert.Equal(t, http.StatusConflict, w.post(at, "saw", saw[1], "text", better+"\n").Code, "saved over by somebody else")
	assert.Equal(t, http.StatusNotFound, w.get("/harnesses/none/edit").Code)
	// Shipped again, an edited harness stays as the workshop has it.
	_, err = w.keep.PutHarness(t.Context(), "f1-one-relay", "as shipped", "harness: 1")
	require.NoError(t, err)
	again, err := w.keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	assert.Equal(t, h, again)
}

func TestCopiesAndNewCircuits(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := open(t)
	r := w.post("/harnesses/f1-one-relay/copy")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/harnesses/f1-one-relay-copy/edit", r.Header().Get("Location"))
	says(t, w.get("/library/new").Body.String(), "fans in series")
	answers := []string{"title", "Mower, two fans", "fans", "2", "amps", "16", "low", "fans in series", "switched", "a controller",
		"volts", "12"}
	r = w.post("/library/new", answers...)
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/harnesses/mower-two-fans/edit", r.Header().Get("Location"))
	says(t, w.get("/harnesses/mower-two-fans?state=low").Body.String(), "slow")
	answers[3] = "1"
	r = w.post("/library/new", answers...)
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	says(t, r.Body.String(), "needs two fans")
	says(t, w.get("/harness.schema.json").Body.String(), "Harness file, version 1")
}

// A controller's settings are fields on a page of their own; saving makes a new revision, and what makes no sense is said.
func TestSettingsOfAModuleAsFields(t *testing.T) {
	w := open(t)
	const page = "/harnesses/m1-bus-mixture/parts/PM"
	says(t, w.get("/harnesses/m1-bus-mixture/edit").Body.String(), page)
	says(t, w.get(page).Body.String(), `name="set-duty.min" value="10"`)
	r := w.post(page, "set-duty.min", "12", "path-0", "hertz.from", "value-0", "100", "path-1", "hertz.to", "value-1", "300")
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	says(t, w.get(page).Body.String(), `name="set-hertz.to" value="300"`)
	r = w.post(page, "set-duty.min", "lots")
	require.Equal(t, http.StatusUnprocessableEntity, r.Code)
	says(t, r.Body.String(), `name="set-duty.min" value="lots"`)
	require.Equal(t, http.StatusNotFound, w.get("/harnesses/m1-bus-mixture/parts/K99").Code)
}
