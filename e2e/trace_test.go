package e2e

import (
	"bytes"
	"fmt"
	"image"
	"mime/multipart"
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/demo/pages"
	"ironthread/library"
	"ironthread/soak"
	"ironthread/store"
)

// takenIn sends a page as a form does, and gives where it is traced.
func (s *site) takenIn(t *testing.T, name string, content []byte, more ...string) string {
	t.Helper()
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	part, err := w.CreateFormFile("page", name)
	require.NoError(t, err)
	_, err = part.Write(content)
	require.NoError(t, err)
	for i := 0; i+1 < len(more); i += 2 {
		require.NoError(t, w.WriteField(more[i], more[i+1]))
	}
	require.NoError(t, w.Close())
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := client.Post(s.url+"/library/trace", w.FormDataContentType(), &body)
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	require.Equal(t, http.StatusSeeOther, r.StatusCode)
	return s.url + r.Header.Get("Location")
}

// tapper taps places of the page that is traced, and counts.
type tapper struct {
	*tab
	scene *pages.Scene
}

// at taps a place of the scene, in its own points.
func (p *tapper) at(x, y int) {
	p.t.Helper()
	p.touched++
	where := p.eval(fmt.Sprintf(`(() => {
		const stage = document.querySelector("[data-stage]"), svg = stage.querySelector("svg"), box = svg.getBoundingClientRect();
		const x = %d / %d * box.width, y = %d / %d * box.height, room = stage.getBoundingClientRect();
		stage.scrollLeft += box.left + x - room.left - room.width / 2;
		stage.scrollTop += box.top + y - room.top - room.height / 2;
		stage.scrollIntoView({ block: "nearest" });
		const now = svg.getBoundingClientRect();
		return (now.left + x) + " " + (now.top + y);
	})()`, x, p.scene.Wide, y, p.scene.High))
	cx, cy, _ := strings.Cut(where, " ")
	px, err := strconv.ParseFloat(cx, 64)
	require.NoError(p.t, err)
	py, err := strconv.ParseFloat(cy, 64)
	require.NoError(p.t, err)
	for _, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMousePressed, input.DispatchMouseEventTypeMouseReleased} {
		_, err := chromedp.Call(p.ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: px, Y: py,
			Button: input.MouseButtonLeft, ClickCount: 1})
		require.NoError(p.t, err)
	}
}

func (p *tapper) end(name string) { at := p.scene.Place(name); p.t.Helper(); p.at(at.X, at.Y) }

func (p *tapper) says(text string) { p.t.Helper(); p.sees("[data-says]", text) }

// traced taps the whole twin circuit.
func (p *tapper) traced() {
	p.t.Helper()
	p.waits(`document.querySelector(".tracing").dataset.kept === "yes"`)
	p.click(`[data-mode="battery"]`)
	p.end("BAT.+")
	for _, part := range p.scene.Parts {
		switch part.Kind {
		case "battery", "ground":
			continue
		}
		p.at(part.At.X, part.At.Y)
		p.click(`[data-ask] [data-kind="` + part.Kind + `"]`)
		if named := p.eval(`document.querySelector("[data-name]").value`); named != part.Name { // as it is printed
			p.touched++
			p.eval(`(() => { const n = document.querySelector("[data-name]"); n.focus(); n.select(); return ""; })()`)
			p.do(chromedp.KeyEvent(part.Name + "\r"))
		}
		if part.Kind == "relay" {
			for _, pin := range []string{"30", "87", "87a", "86", "85"} {
				p.says("Tap " + part.Name + " " + pin)
				if pin == "87a" && part.Name != "K3" {
					p.click("[data-skip]")
					continue
				}
				p.end(part.Name + "." + pin)
			}
			p.says("Tap the next part")
		}
		if part.Kind == "controller" {
			p.click("[data-enough]") // its pins are typed where their wires end
		}
	}
	p.click(`[data-mode="ground"]`)
	for _, g := range []string{"G1", "G2", "G3"} {
		p.end(g)
	}
	p.click(`[data-mode="wire"]`)
	for _, l := range p.scene.Lines {
		for _, end := range []string{l.From, l.To} {
			pin, isECU := strings.CutPrefix(end, "ECU.")
			p.end(end)
			if isECU && p.eval(`String(!!document.querySelector("[data-which-name]"))`) == "true" {
				p.touched++
				p.do(chromedp.SendKeys(chromedp.CSS("[data-which-name]"), pin+"\r", chromedp.NodeVisible))
			}
		}
		p.says(l.From + " to " + l.To)
	}
}

// The twin circuit is traced from its page, in a laptop's window and in a phone's, no table touched: taps are counted; the fans do the
// same in every state as in the library's own; its marks stand on their pins at any size; a pin that is touched on the page is read.
func TestACircuitIsTracedFromItsPage(t *testing.T) {
	scene := pages.Twin()
	picture, err := pages.JPEG(scene.Draw())
	require.NoError(t, err)
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	m, err := electric.New(e.Circuit)
	require.NoError(t, err)
	s := open(t)
	for _, size := range soak.Of(sizes[:1], sizes) {
		p := &tapper{s.tabSized(t, size[0], size[1]), scene}
		p.visit(s.takenIn(t, "page.jpg", picture))
		p.touched = 0
		p.traced()
		p.sees("[data-fold=missing] h2", "Nothing is missing")
		for _, st := range e.Circuit.States {
			point, err := m.Solve(electric.Condition{State: st})
			require.NoError(t, err)
			for _, fan := range []string{"M1", "M2"} {
				p.waits(fmt.Sprintf(`document.querySelector('[aria-label="%s in %s"]')?.value === %q`, fan, st.Name, point.Motors[fan].Speed))
			}
		}
		p.click("[data-finish] .btn-primary")
		p.sees("h1", "Traced from its page")
		t.Logf("%v: %d taps and keys, letters apart, from the opened page to the solved circuit in the library", size, p.touched)
		assert.LessOrEqual(t, p.touched, 110, "%v", size)
		p.waits(`document.querySelectorAll("svg.printed [data-pin]").length > 30`)
		p.marksStandOnTheirPins()
		p.narrow()
		p.touched = 0
		p.waits(`!!document.querySelector('svg.printed [data-pin="F1.b"]')`)
		p.clickSVG(`svg.printed [data-pin="F1.b"]`)
		p.sees(".reading-large", "12.6")
	}
}

// marksStandOnTheirPins measures how far each mark of the page as printed lies from the pin that it marks, at three sizes.
func (p *tapper) marksStandOnTheirPins() {
	p.t.Helper()
	for range 3 {
		far := p.eval(fmt.Sprintf(`(() => {
			const svg = document.querySelector("svg.printed"), box = svg.getBoundingClientRect(), all = %s;
			let most = 0;
			for (const [pin, [x, y]] of Object.entries(all)) {
				const mark = document.querySelector('svg.printed [data-pin="' + pin + '"] .spot');
				if (!mark) continue;
				const at = mark.getBoundingClientRect();
				most = Math.max(most, Math.hypot((at.left + at.right) / 2 - box.left - x * box.width,
					(at.top + at.bottom) / 2 - box.top - y * box.height));
			}
			return String(most);
		})()`, p.places()))
		px, err := strconv.ParseFloat(far, 64)
		require.NoError(p.t, err)
		p.t.Logf("the furthest mark lies %.1f px from its pin", px)
		assert.LessOrEqual(p.t, px, 8.0)
		p.click(`[aria-label="Larger"]`)
	}
}

// places are the scene's pins in shares of the picture that is shown, below which the next page may begin.
func (p *tapper) places() string {
	var list []string
	shown := p.eval(`(() => { const i = document.querySelector("svg.printed image"), v = document.querySelector("svg.printed").viewBox.baseVal;
		return (i.width.baseVal.value / v.width) + " " + (i.height.baseVal.value / v.height); })()`)
	var wide, high float64
	_, err := fmt.Sscan(shown, &wide, &high)
	require.NoError(p.t, err)
	for _, part := range p.scene.Parts {
		for _, pin := range part.Pins {
			list = append(list, fmt.Sprintf(`%q: [%f, %f]`, part.Name+"."+pin.Name, wide*float64(pin.At.X)/float64(p.scene.Wide),
				high*float64(pin.At.Y)/float64(p.scene.High)))
		}
	}
	return "{" + strings.Join(list, ", ") + "}"
}

// A page that was photographed askew, under a shadow, is straightened by its corners; a page of a PDF becomes a picture.
func TestPagesComeInAsTheyAre(t *testing.T) {
	scene := pages.Twin()
	drawn := scene.Draw()
	skewed, err := pages.JPEG(pages.Photographed(drawn, 9))
	require.NoError(t, err)
	pdf, err := pages.PDF(drawn, drawn)
	require.NoError(t, err)
	s := open(t)
	s.gaps = true
	b := s.tab(t)
	b.visit(s.takenIn(t, "skew.jpg", skewed))
	b.click(`[data-mode="corners"]`)
	b.waits(`document.querySelectorAll(".corner").length === 4`)
	corners := pages.Corners(drawn, 9)
	for n := range 4 {
		b.dragCorner(n, corners[2*n], corners[2*n+1])
	}
	s.down.Store(true)
	b.click("[data-straight]")
	b.sees("[data-says]", "cannot be reached just now")
	s.down.Store(false)
	b.click("[data-straight]")
	b.sees("[data-says]", "Tap a part")
	ratio := b.eval(`(() => { const v = document.querySelector("[data-stage] svg").viewBox.baseVal; return String(v.width / v.height); })()`)
	got, err := strconv.ParseFloat(ratio, 64)
	require.NoError(t, err)
	assert.InDelta(t, float64(scene.Wide)/float64(scene.High), got, 0.03, "the page has its own sides again")
	b.visit(s.takenIn(t, "manual.pdf", pdf, "number", "2"))
	b.waits(`document.querySelector("[data-stage] image")?.getBoundingClientRect().width > 100`)
	var size image.Point
	_, err = fmt.Sscan(b.eval(`(() => { const v = document.querySelector("[data-stage] svg").viewBox.baseVal;
		return v.width + " " + v.height; })()`),
		&size.X, &size.Y)
	require.NoError(t, err)
	assert.InDelta(t, float64(scene.Wide)/float64(scene.High), float64(size.X)/float64(size.Y), 0.02)
}

// dragCorner drags a handle to a place of the picture, in shares of its sides.
func (b *tab) dragCorner(n int, x, y float64) {
	b.t.Helper()
	var fx, fy, tx, ty float64
	_, err := fmt.Sscan(b.eval(fmt.Sprintf(`(() => { const h = document.querySelector('[data-mark="#%d"]').getBoundingClientRect(),
		box = document.querySelector("[data-stage] svg").getBoundingClientRect();
		return [(h.left + h.right) / 2, (h.top + h.bottom) / 2, box.left + %f * box.width, box.top + %f * box.height].join(" "); })()`, n, x, y)),
		&fx, &fy, &tx, &ty)
	require.NoError(b.t, err)
	for _, e := range []input.DispatchMouseEventParams{
		{Type: input.DispatchMouseEventTypeMousePressed, X: fx, Y: fy, Button: input.MouseButtonLeft, ClickCount: 1},
		{Type: input.DispatchMouseEventTypeMouseMoved, X: (fx + tx) / 2, Y: (fy + ty) / 2, Button: input.MouseButtonLeft},
		{Type: input.DispatchMouseEventTypeMouseMoved, X: tx, Y: ty, Button: input.MouseButtonLeft},
		{Type: input.DispatchMouseEventTypeMouseReleased, X: tx, Y: ty, Button: input.MouseButtonLeft, ClickCount: 1}} {
		_, err := chromedp.Call(b.ctx, input.DispatchMouseEvent, e)
		require.NoError(b.t, err)
	}
}

// A reading is taken at a pin of the page as printed, on a phone, in three touches; and by keys alone a part is placed and its pins tapped.
func TestReadingsAndKeysOnAPage(t *testing.T) {
	s := open(t)
	job, err := s.keep.OpenJob(t.Context(), store.NewJob{Vehicle: 1, Harness: circuitNamed(t, s, "f3-twin-series-parallel"), Title: "no low",
		Who: "Oda", At: time.Now()})
	require.NoError(t, err)
	b := s.tabSized(t, 390, 844)
	b.visit(fmt.Sprintf("%s/jobs/%d?paper=printed&state=low", s.url, job))
	b.touched = 0
	b.clickSVG(`svg.printed [data-pin="F1.b"]`)
	b.sees(".card-move .title", "F1.b")
	b.fill(".reading", "12.4")
	b.click(".record .btn-primary")
	b.sees(".thread", "12.4 V at F1.b")
	t.Logf("own reading on the printed page: %d touches", b.touched)
	assert.LessOrEqual(t, b.touched, 3)

	picture, err := pages.JPEG(pages.Twin().Draw())
	require.NoError(t, err)
	k := s.tab(t)
	k.visit(s.takenIn(t, "page.jpg", picture))
	k.waits(`document.querySelector(".tracing").dataset.kept === "yes"`)
	k.eval(`(document.querySelector("[data-stage]").focus(), "")`)
	for _, key := range []string{"ArrowLeft", "ArrowUp", "Enter"} {
		k.press(key)
	}
	k.sees("[data-ask]", "What is it?")
	k.press("1") // the battery, which a page without one asks for first
	k.sees("[data-says]", "Tap BAT +")
	k.eval(`(document.querySelector("[data-stage]").focus(), "")`)
	k.press("ArrowRight")
	k.press("Enter")
	k.sees("[data-says]", "Tap the next part")
	k.waits(`document.querySelectorAll(".tapped-pin").length === 1`)
	k.chord("z")
	k.waits(`document.querySelectorAll(".tapped-pin").length === 0`)
	k.accessible()
}

// From a list to the circuit that computes: touches are counted.
func TestTouchesFromAList(t *testing.T) {
	soak.Only(t, "TestACircuitIsTracedFromItsPage")
	e, err := library.Open("f3-twin-series-parallel")
	require.NoError(t, err)
	var list strings.Builder
	require.NoError(t, e.Circuit.WriteWireList(&list))
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/library/new")
	b.touched = 0
	b.click(`a[href="/library/list"]`)
	b.waits(`!!document.querySelector("#text")`)
	b.touched++ // it is pasted
	b.eval(fmt.Sprintf(`(document.querySelector("#text").value = %q, "")`, list.String()))
	b.click("form.asked .btn-primary")
	b.sees("form.asked", "20 wires, 13 parts")
	b.click(`form.asked [name="confirm"]`)
	b.sees("h1", "From a wire list")
	t.Logf("from the new circuit's page to the solved circuit, out of a list: %d touches", b.touched)
	assert.LessOrEqual(t, b.touched, 6)
}

// circuitNamed is a circuit's number.
func circuitNamed(t *testing.T, s *site, name string) int64 {
	t.Helper()
	h, err := s.keep.HarnessNamed(t.Context(), name)
	require.NoError(t, err)
	return h.ID
}
