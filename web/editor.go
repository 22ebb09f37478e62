package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/store"
	"ironthread/web/drawing"
)

// editorPage is one harness file being typed: as a table, as text, as a drawing.
type editorPage struct {
	frame
	Harness store.Harness
	Text    string
	Saw     int64 // the revision that was opened
	Wrong   []string
	Kinds   []kindHint
	Colours []string
	Sizes   []string
}

// kindHint is a kind of part and how its settings begin.
type kindHint struct{ Kind, Settings string }

// settingsOf is what a part of each kind is usually given; a technician overtypes the figures.
var settingsOf = map[harness.Kind]string{
	harness.KindFuse: "amps: 30, style: cartridge", harness.KindRelay: "contacts: make",
	harness.KindMotor: "volts: 12.6, amps: 15", harness.KindResistor: "ohms: 0.5", harness.KindSwitch: "closed-when: key",
	harness.KindResistorCard: "steps: [0.4, 0.6], limiter: {opens: 180}", harness.KindLimiter: "opens: 180",
	harness.KindSelector: "positions: {off: [], low: [1], high: [1, 2]}", harness.KindThermoswitch: `stages: {"1": {closes: 92, opens: 87}}`,
	harness.KindPressureSwitch: `stages: {"1": {closes: 17, opens: 14}}`, harness.KindSensor: "curve: {beta: 3500, r25: 2500}",
	harness.KindController: `pins: {"1": {sinks-on: low}, "2": {ground: true}}`, harness.KindConnector: "ways: 2",
	harness.KindFanModule: "inputs: [a], feeds: [\"+\"], grounds: [\"-\"], table: [{when: [a], drive: {out: 1}}]",
	harness.KindPWMModule: `control: c, feeds: ["+"], grounds: ["-"], outputs: {fan: {+: out, -: ret}}`, harness.KindLamp: "volts: 12, watts: 5",
}

var usualSizes = []string{"0.5mm2", "0.75mm2", "1mm2", "1.5mm2", "2.5mm2", "4mm2", "6mm2", "10mm2", "16mm2"}

func (a *App) edit(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err != nil {
		a.failWith(c, err)
		return
	}
	a.showEditor(c, http.StatusOK, h, h.Revision, h.Source, nil)
}

func (a *App) showEditor(c *gin.Context, status int, h store.Harness, saw int64, text string, wrong harness.Errors) {
	p := &editorPage{frame: a.frame(c, "Edit: "+h.Title, "library"), Harness: h, Text: text, Saw: saw, Colours: harness.Colours,
		Sizes: usualSizes}
	for _, kind := range harness.Kinds() {
		p.Kinds = append(p.Kinds, kindHint{string(kind), settingsOf[kind]})
	}
	for _, e := range wrong {
		p.Wrong = append(p.Wrong, strings.TrimPrefix(e.Error(), "harness: "))
	}
	if len(p.Wrong) > 0 {
		p.Notice, p.Bad = "It is not saved: "+p.Wrong[0]+".", true
	}
	a.render(c, status, "editor.html", p)
}

// saveHarness saves the text over the one that was opened, if it can be read.
func (a *App) saveHarness(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err != nil {
		a.failWith(c, err)
		return
	}
	text := strings.ReplaceAll(c.PostForm("text"), "\r\n", "\n")
	saw, _ := strconv.ParseInt(c.PostForm("saw"), 10, 64) // zero is no revision
	circuit, err := harness.Read([]byte(text))
	if err != nil {
		a.showEditor(c, http.StatusUnprocessableEntity, h, saw, clipText(text), harness.AsErrors(err))
		return
	}
	if saw != h.Newest {
		a.fail(c, http.StatusConflict, "Somebody else has saved this harness meanwhile; what you typed is still on your page. Open it beside and compare.")
		return
	}
	title := circuit.Title
	if title == "" {
		title = h.Title
	}
	before, _ := a.circuits.get(h.Source) // where the parts stood, for the next drawing
	if _, err := a.circuits.getAfter(text, before); err != nil {
		a.fail(c, http.StatusUnprocessableEntity, capitalise(err.Error())+".")
		return
	}
	if a.revise(c, h, title, text) {
		c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name))
	}
}

// copyHarness puts a copy into the library, to be changed.
func (a *App) copyHarness(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err != nil {
		a.failWith(c, err)
		return
	}
	added, err := a.keep.AddHarness(c.Request.Context(), h.Name+"-copy", h.Title+", copy", h.Source)
	if err != nil {
		a.failWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(added.Name)+"/edit")
}

// deleteHarness takes a harness out of the library; jobs keep the revision they go by.
func (a *App) deleteHarness(c *gin.Context) {
	if err := a.keep.DeleteHarness(c.Request.Context(), c.Param("name")); err != nil {
		a.failWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/library")
}

// draft is what the editor is told about the text being typed.
type draft struct {
	Sum    string       `json:"sum"`           // names the drawing
	Svg    string       `json:"svg,omitempty"` // empty while it is being made, or where the text is wrong
	Errors []draftError `json:"errors"`
	Pins   []string     `json:"pins"`
	Fans   []string     `json:"fans"` // what each state makes the fans do
}

type draftError struct {
	Line  int    `json:"line"`
	Where string `json:"where"`
	Msg   string `json:"msg"`
}

// editPatience is how long the editor waits for a drawing begun from the one before.
const editPatience = 250 * time.Millisecond

// readDraft reads the text being typed: what is wrong with it, which pins there are, and the
// drawing, begun from the last one.
func (a *App) readDraft(c *gin.Context) {
	text := strings.ReplaceAll(c.PostForm("text"), "\r\n", "\n")
	circuit, wrong := harness.Sketch([]byte(text))
	d := draft{Errors: []draftError{}, Pins: []string{}, Fans: []string{}}
	for _, e := range wrong {
		d.Errors = append(d.Errors, draftError{e.Line, e.Where, e.Msg})
	}
	for _, part := range circuit.Parts {
		for _, pin := range part.Pins() {
			d.Pins = append(d.Pins, pin.String())
		}
	}
	if len(wrong) == 0 {
		b, err := a.circuits.getAfter(text, a.circuits.bySum(c.PostForm("base")))
		if err != nil {
			d.Errors = append(d.Errors, draftError{0, "", err.Error()})
		} else {
			d.Sum = b.sum
			d.Svg = a.bare(b, editPatience)
			d.Fans = fansByState(b)
		}
	}
	c.JSON(http.StatusOK, d)
}

// draftDrawing asks again for a drawing that was being made.
func (a *App) draftDrawing(c *gin.Context) {
	b := a.circuits.bySum(c.Param("sum"))
	if b == nil {
		c.JSON(http.StatusNotFound, draft{})
		return
	}
	c.JSON(http.StatusOK, draft{Sum: c.Param("sum"), Svg: a.bare(b, a.opts.Patience)})
}

// bare is the drawing alone, empty while it is being made.
func (a *App) bare(b *bench, patience time.Duration) string {
	s, there := b.drawnWithin(patience)
	if !there {
		return ""
	}
	var out strings.Builder
	if err := drawing.Write(&out, s, &drawing.Look{Title: b.circuit.Title}); err != nil {
		a.opts.Log.Error("drawing", "error", err)
	}
	return out.String()
}

// fansByState tells in a line a state what the fans do there: the circuit answers while it is
// being typed.
func fansByState(b *bench) []string {
	lines := []string{}
	for _, s := range b.circuit.States {
		p, err := b.model.Solve(electric.Condition{State: s})
		if err != nil {
			continue
		}
		var words []string
		for _, fan := range b.circuit.Fans() {
			m := p.Motors[fan.Name]
			words = append(words, fmt.Sprintf("%s %s %.1f A", fan.Name, m.Speed, unsigned(m.Amps)))
		}
		lines = append(lines, s.Name+": "+strings.Join(words, ", "))
	}
	return lines
}
