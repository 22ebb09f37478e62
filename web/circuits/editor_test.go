package circuits_test

import (
	"encoding/json"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/harness"
	"ironthread/web/webtest"
)

type draftAnswer struct {
	Sum, Svg string
	Errors   []struct {
		Line       int
		Where, Msg string
	}
	Pins, Fans []string
}

func draft(w *webtest.Workshop, text, base string) draftAnswer {
	w.T.Helper()
	r := w.Post("/drafts", "text", text, "base", base)
	require.Equal(w.T, http.StatusOK, r.Code)
	var d draftAnswer
	require.NoError(w.T, json.Unmarshal(r.Body.Bytes(), &d))
	return d
}

func TestTheDraftIsReadWhileItIsTyped(t *testing.T) {
	if testing.Short() {
		t.Skip("holds a time that the race detector is too slow for")
	}
	w := webtest.Open(t)
	h, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	whole := draft(w, h.Source, "")
	assert.Empty(t, whole.Errors)
	assert.Contains(t, whole.Pins, "K1.87")
	assert.Contains(t, strings.Join(whole.Fans, "\n"), "M1 fast")
	for whole.Svg == "" { // a first drawing takes its time
		r := w.Get("/drafts/" + whole.Sum)
		require.Equal(t, http.StatusOK, r.Code)
		require.NoError(t, json.Unmarshal(r.Body.Bytes(), &whole))
	}
	// One wire edited: the drawing begins from the one before, and is there at once.
	edited := draft(w, strings.Replace(h.Source, "K1.87 - M1.+: ", "K1.87 - M1.+: PK/", 1), whole.Sum)
	assert.Empty(t, edited.Errors)
	r := w.Get("/drafts/" + edited.Sum)
	require.Equal(t, http.StatusOK, r.Code)
	require.NoError(t, json.Unmarshal(r.Body.Bytes(), &edited))
	assert.Contains(t, edited.Svg, "<svg")
	// A line being typed: what is wrong is said with its line, the pins there are stay offered.
	broken := draft(w, strings.Replace(h.Source, "K1.87 - M1.+", "K1.87 - M1.x", 1), whole.Sum)
	require.Len(t, broken.Errors, 1)
	assert.Contains(t, broken.Errors[0].Msg, `M1.x: a motor has no pin "x" (+, -)`)
	above, _, _ := strings.Cut(h.Source, "K1.87 - M1.+")
	assert.Equal(t, 1+strings.Count(above, "\n"), broken.Errors[0].Line)
	assert.Contains(t, broken.Pins, "K1.87")
	assert.Empty(t, broken.Svg)
	syntax := draft(w, "harness: 1\nparts: {", "")
	require.Len(t, syntax.Errors, 1)
	assert.Equal(t, 2, syntax.Errors[0].Line)
	assert.Equal(t, http.StatusNotFound, w.Get("/drafts/00").Code)
}

// Changes of the tables come as a list: those that can be made are, what cannot is said, and nothing is ever half made.
func TestChangesAreMadeInTheirOrder(t *testing.T) {
	w := webtest.Open(t)
	text := "harness: 1\ntitle: x\nparts:\n  BAT: {kind: battery}\nstates:\n  off: {key: on}\n"
	ask := func(changes string) (int, string, []string) {
		r := w.Post("/drafts", "text", text, "changes", changes)
		var d struct {
			Text   string
			Errors []struct{ Msg string }
		}
		require.NoError(t, json.Unmarshal(r.Body.Bytes(), &d))
		var said []string
		for _, e := range d.Errors {
			said = append(said, e.Msg)
		}
		return r.Code, d.Text, said
	}
	code, after, said := ask(`[{"op":"add","section":"parts"},{"op":"set","section":"parts","row":1,"cell":"name","value":"F1"},
		{"op":"set","section":"parts","row":1,"cell":"kind","value":"fuse"}]`)
	assert.Equal(t, http.StatusOK, code)
	assert.Contains(t, after, "F1: {kind: fuse, amps:")
	assert.Empty(t, said)
	code, after, said = ask(`[{"op":"set","section":"parts","row":0,"cell":"label","value":"` + strings.Repeat("x", 401) + `"},
		{"op":"paint","section":"parts"},{"op":"add","section":"roof"},{"op":"set","section":"parts","row":0,"cell":"label","value":"Main"}]`)
	assert.Equal(t, http.StatusOK, code)
	assert.Contains(t, after, "label: Main")
	assert.Equal(t, []string{"the cell has 401 characters, and may have 400; it was left as it was", `there is no change "paint"`,
		`there is no table "roof"`}, said)
	many := "[" + strings.Repeat(`{"op":"add","section":"parts"},`, 500) + `{"op":"add","section":"parts"}]`
	for changes, want := range map[string]string{"[{": "could not be read", many: "there are 501 changes at once"} {
		code, after, said = ask(changes)
		assert.Equal(t, http.StatusUnprocessableEntity, code)
		assert.Equal(t, text, after)
		assert.Contains(t, said[0], want)
	}
}

func TestAHarnessIsSavedOrRefused(t *testing.T) {
	w := webtest.Open(t)
	at := "/harnesses/f1-one-relay/edit"
	page := w.Get(at).Body.String()
	saw := regexp.MustCompile(`name="saw" value="([0-9a-f]+)"`).FindStringSubmatch(page)
	require.Len(t, saw, 2)
	h, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	r := w.Post(at, "saw", saw[1], "text", strings.Replace(h.Source, "K1.87 - M1.+", "K1.87 - M9.+", 1))
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "there is no part M9")
	webtest.Says(t, r.Body.String(), "K1.87 - M9.+") // nothing typed is lost
	better := strings.Replace(h.Source, "title: ", "title: Corrected: ", 1)
	better = strings.Replace(better, "title: Corrected: "+h.Title, `title: "Corrected: `+h.Title+`"`, 1)
	r = w.Post(at, "saw", saw[1], "text", strings.ReplaceAll(better, "\n", "\r\n"))
	require.Equal(t, http.StatusSeeOther, r.Code, "%s", r.Body)
	h, err = w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(h.Title, "Corrected: "))
	assert.Equal(t, better, h.Source)
	assert.Equal(t, http.StatusConflict, w.Post(at, "saw", saw[1], "text", better+"\n").Code, "saved over by somebody else")
	assert.Equal(t, http.StatusNotFound, w.Get("/harnesses/none/edit").Code)
	// Shipped again, an edited harness stays as the workshop has it.
	_, err = w.Keep.PutHarness(t.Context(), "f1-one-relay", "as shipped", "harness: 1")
	require.NoError(t, err)
	again, err := w.Keep.HarnessNamed(t.Context(), "f1-one-relay")
	require.NoError(t, err)
	assert.Equal(t, h, again)
}

func TestCopiesAndNewCircuits(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	r := w.Post("/harnesses/f1-one-relay/copy")
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/harnesses/f1-one-relay-copy/edit", r.Header().Get("Location"))
	webtest.Says(t, w.Get("/library/new").Body.String(), "fans in series")
	answers := []string{"title", "Mower, two fans", "fans", "2", "amps", "16", "low", "fans in series", "switched", "a controller",
		"volts", "12"}
	r = w.Post("/library/new", answers...)
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/harnesses/mower-two-fans/edit", r.Header().Get("Location"))
	webtest.Says(t, w.Get("/harnesses/mower-two-fans?state=low").Body.String(), "slow")
	answers[3] = "1"
	r = w.Post("/library/new", answers...)
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "needs two fans")
	webtest.Says(t, w.Get("/harness.schema.json").Body.String(), "Harness file, version 1")
}

// Any circuit of the library is the beginning of another one, under a name of its own, in the file as well.
func TestANewCircuitBeginsFromAnyOther(t *testing.T) {
	w := webtest.Open(t)
	list, err := w.Keep.Titles(t.Context())
	require.NoError(t, err)
	require.NotEmpty(t, list)
	for _, h := range list {
		r := w.Post("/library/new/from", "from", h.Name, "title", `Wagon "`+h.Name+`": rear`)
		require.Equal(t, http.StatusSeeOther, r.Code, h.Name)
		address := strings.TrimSuffix(r.Header().Get("Location"), "/edit")
		c, err := harness.Read(w.Get(address + "/export/yaml").Body.Bytes())
		require.NoError(t, err, h.Name)
		assert.Equal(t, `Wagon "`+h.Name+`": rear`, c.Title)
	}
	for _, form := range [][]string{{"from", list[0].Name, "title", ""}, {"from", "none such", "title", "Wagon 9"}} {
		r := w.Post("/library/new/from", form...)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		assert.Contains(t, r.Body.String(), `required value="`+form[3]+`"`, "what was typed stays")
		assert.NotContains(t, r.Body.String(), "is-invalid", "no field of the other form is wrong")
	}
	assert.Regexp(t, `value="`+list[2].Name+`"\s+selected`, w.Get("/library/new?from="+list[2].Name).Body.String())
}

// A controller's settings are fields on a page of their own; saving makes a new revision, and what makes no sense is said.
func TestSettingsOfAModuleAsFields(t *testing.T) {
	w := webtest.Open(t)
	const page = "/harnesses/m1-bus-mixture/parts/PM"
	webtest.Says(t, w.Get("/harnesses/m1-bus-mixture/edit").Body.String(), page)
	webtest.Says(t, w.Get(page).Body.String(), `name="set-duty.min" value="10"`)
	r := w.Post(page, "set-duty.min", "12", "path-0", "hertz.from", "value-0", "100", "path-1", "hertz.to", "value-1", "300")
	require.Equal(t, http.StatusSeeOther, r.Code, r.Body.String())
	webtest.Says(t, w.Get(page).Body.String(), `name="set-hertz.to" value="300"`)
	r = w.Post(page, "set-duty.min", "lots")
	require.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), `name="set-duty.min" value="lots"`)
	require.Equal(t, http.StatusNotFound, w.Get("/harnesses/m1-bus-mixture/parts/K99").Code)
}
