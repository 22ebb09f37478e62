package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/core/probe"
	demopages "ironthread/demo/pages"
	"ironthread/soak"
	"ironthread/store"
)

// narrow checks that nothing of a page stands beside a phone's screen.
func (b *tab) narrow() {
	b.t.Helper()
	assert.Equal(b.t, "fits", b.eval(`document.documentElement.scrollWidth <= innerWidth ? "fits" : location.pathname + " is " +
		document.documentElement.scrollWidth + " wide"`))
}

// gap cuts the network, does something that is recorded, sees that it is kept on the device, and mends the network.
func (c *car) gap(s *site, record func()) {
	c.t.Helper()
	s.down.Store(true)
	record()
	c.sees("#kept", "1 entry is kept on this device")
	c.narrow()
	s.down.Store(false)
	c.waits(`document.querySelector("#kept").hidden`)
}

// A whole job on a phone, from the complaint to the report, with the network cut at the pass, at a reading, at the repair and
// at the verification: each is kept, sent once, and the page goes on from it by itself.
func TestAWholeJobOnAPhoneThroughGaps(t *testing.T) {
	soak.Only(t, "TestOnAPhone and TestANetworkGap")
	s := open(t)
	s.gaps = true
	c := bringTo(t, s, s.tabSized(t, 390, 844), "f3-twin-series-parallel", "F3 open")
	c.narrow()
	c.gap(s, func() {
		for i, state := range c.model.Circuit.States {
			o, err := c.player.Answer(probe.Question{Do: probe.LookAtFans, State: state.Name})
			require.NoError(t, err)
			for k, fan := range c.model.Circuit.Fans() {
				c.click(fmt.Sprintf(`label[for="fan-%d-%d-%s"]`, i, k, o.Fans()[fan.Name]))
			}
		}
		c.click(".commandtable .btn-primary")
		c.sees("#kept", "off M1 stopped, off M2 stopped, low M1 stopped")
	})
	c.sees(".thread", "high: M1 fast, M2 fast")
	c.waits(`!!document.querySelector("form.record")`)
	m, _ := c.asked()
	o, err := c.player.Answer(m)
	require.NoError(t, err)
	c.gap(s, func() {
		if o.Word() != "" {
			c.click(fmt.Sprintf(`label:has(input[name="word"][value="%s"])`, o.Word()))
			return
		}
		c.fill(".reading", o.Reading().String())
		c.click(".record .btn-primary")
	})
	c.waits(`document.querySelectorAll(".bead.seen").length === 4`)
	c.follow(12)
	c.sees(".verdict .fault", "F3 open")
	c.narrow()
	c.fill(`.repairform input[name="text"]`, "new fuse, clips cleaned")
	c.gap(s, func() { c.click(".repairform .btn-primary") })
	c.sees(".bead.repaired", "new fuse, clips cleaned")
	c.follow(6)
	c.visit(c.url + "/verify")
	c.narrow()
	c.gap(s, func() { c.verify() })
	c.visit(c.url + "/verify")
	c.sees("main h2", "all of it seen")
	c.fill("#closing", "salt in the clips")
	c.click(".closing .btn-primary")
	c.sees(".move", "Closed: verified")
	c.narrow()
	c.visit(c.url + "/report")
	c.sees(".reasons", "new fuse, clips cleaned")
	c.narrow()
	entries, err := s.keep.Entries(t.Context(), idOf(t, c.url))
	require.NoError(t, err)
	times := map[string]int{}
	for _, e := range entries {
		b, err := json.Marshal(e.Body)
		require.NoError(t, err)
		times[string(e.Kind())+string(b)]++
	}
	for what, n := range times {
		if !strings.Contains(what, `"setup":["F3 renewed"]`) { // seen after the repair, and again for the verification
			assert.Equal(t, 1, n, what)
		}
	}
}

// Two photographs taken while the network is gone: kept on the device, named there, and once it is back each is in the log,
// between the notes that were written before and after it.
func TestPhotographsThroughAGap(t *testing.T) {
	s := open(t)
	s.gaps = true
	b := s.tabSized(t, 390, 844)
	b.visit(s.url + "/jobs/7/more")
	before, err := s.keep.LastSeq(t.Context(), 7)
	require.NoError(t, err)
	picture := image.NewRGBA(image.Rect(0, 0, 400, 300))
	file := filepath.Join(t.TempDir(), "socket.png")
	f, err := os.Create(file)
	require.NoError(t, err)
	require.NoError(t, png.Encode(f, picture))
	require.NoError(t, f.Close())
	note := func(text string) {
		b.fill("#text", text)
		b.click(`form[action$="/note"] .btn-primary`)
	}
	s.down.Store(true)
	note("before")
	for n := range 2 {
		b.do(chromedp.SetUploadFiles("#photo", []string{file}))
		b.fill(`form[action$="/photo"] input[name="text"]`, fmt.Sprintf("melted %d", n))
		b.click(`form[action$="/photo"] .btn-primary`)
		b.sees("#kept", fmt.Sprintf("%d entries are kept on this device", n+2))
	}
	b.sees("#kept", "photograph socket.png, melted 1")
	note("after")
	b.sees("#kept", "4 entries")
	b.narrow()
	s.down.Store(false)
	b.waits(`document.querySelector("#kept").hidden`)
	log, err := s.keep.Entries(t.Context(), 7)
	require.NoError(t, err)
	log = log[before:]
	require.Len(t, log, 4)
	for i, text := range []string{"before", "melted 0", "melted 1", "after"} {
		assert.Equal(t, text, noted(log[i].Body))
	}
	for _, e := range log[1:3] {
		raw, err := s.keep.JobPhoto(t.Context(), 7, e.Body.(job.Picture).Photo)
		require.NoError(t, err)
		config, err := jpeg.DecodeConfig(bytes.NewReader(raw))
		require.NoError(t, err)
		assert.Equal(t, 400, config.Width)
	}
	_, err = chromedp.Run(b.ctx, holds(`photographs("readonly", (files) => files.count()).then((n) => n === 0)`))
	require.NoError(t, err, "what was sent is no longer kept on the device")
	// What turns out to be no photograph is refused with the reason, and is gone from the device once that has been read.
	text := filepath.Join(t.TempDir(), "notes.png")
	require.NoError(t, os.WriteFile(text, []byte("no picture"), 0o600))
	s.down.Store(true)
	b.do(chromedp.SetUploadFiles("#photo", []string{text}))
	b.click(`form[action$="/photo"] .btn-primary`)
	b.sees("#kept", "photograph notes.png")
	s.down.Store(false)
	b.sees("#kept", "This is no photograph that can be read")
	b.click("#kept button")
	b.waits(`document.querySelector("#kept").hidden`)
	_, err = chromedp.Run(b.ctx, holds(`photographs("readonly", (files) => files.count()).then((n) => n === 0)`))
	require.NoError(t, err)
}

func idOf(t *testing.T, address string) int64 {
	t.Helper()
	var id int64
	_, err := fmt.Sscanf(address[strings.LastIndex(address, "/")+1:], "%d", &id)
	require.NoError(t, err)
	return id
}

// wish is one that can be answered.
const wish = "fans=2&speeds=2&volts=12&title=Verge+mower&half=ok&amps=14&name=low+line&gives=ground&asks=low&limit=&" +
	"name=high+line&gives=ground&asks=high&limit=&way=series-parallel"

// Every page there is, at a phone's size, as a lead sees it: nothing serious by axe-core, nothing wider than the screen. The
// list is made of the routes, so that no page is forgotten.
func TestEveryPageIsAccessible(t *testing.T) {
	s, code := openWithPeople(t)
	s.missing = true
	b := s.tabSized(t, 390, 844)
	b.visit(s.url)
	b.fill("#code", code)
	b.fill("#name", "Maud")
	b.fill("#secret", "salt spray on the quay")
	b.click("main .btn-primary")
	b.sees("h1", "In the bay")
	b.visit(s.url + "/drills")
	b.click("main form .btn")
	b.sees(".move h2", "First")
	drill := b.eval(`location.pathname.split("/")[2]`)
	h, err := s.keep.HarnessNamed(t.Context(), "m2-three-relay-two-winding") // it has a sensor
	require.NoError(t, err)
	sensed, err := s.keep.OpenJob(t.Context(), store.NewJob{Vehicle: 1, Harness: h.ID, Title: "hot", Who: "Oda", At: time.Now()})
	require.NoError(t, err)
	begun, err := s.keep.BeginTrace(t.Context(), []byte(`{"volts": 12}`), "Maud")
	require.NoError(t, err)
	taken, err := demopages.JPEG(demopages.Twin().Draw())
	require.NoError(t, err)
	_, err = s.keep.PutTracePage(t.Context(), begun, store.PrintedPage{Taken: taken, JPEG: taken, Width: 2200, Height: 1560})
	require.NoError(t, err)
	pages := 0
	for _, r := range s.app.Addresses() {
		if r.Method != http.MethodGet || r.Path == "/jobs/:id/events" || strings.HasPrefix(r.Path, "/static/") {
			continue
		}
		path := r.Path
		id := "7"
		switch path {
		case "/jobs/:id/drill":
			id = drill
		case "/traces/:id":
			id = strconv.FormatInt(begun, 10)
		case "/jobs/:id/standin":
			id = strconv.FormatInt(sensed, 10)
		case "/jobs/:id/paper":
			path += "?state=low"
		case "/rewire", "/rewire/build", "/rewire/built", "/rewire/whatif":
			path += "?" + wish
		}
		for from, to := range map[string]string{":id": id, ":name": named(r.Path), ":part": "K1", ":form": "html", ":photo": "1", ":sum": "0"} {
			path = strings.ReplaceAll(path, from, to)
		}
		b.eval(fmt.Sprintf(`fetch(%q).then(async (r) => { const whole = (await r.text()).startsWith("<!doctype");
			document.body.dataset.kind = r.status + (whole ? " page" : " other"); }), ""`, path))
		_, err := chromedp.Run(b.ctx, holds(`!!document.body.dataset.kind`))
		require.NoError(t, err)
		kind := b.eval(`(() => { const k = document.body.dataset.kind; delete document.body.dataset.kind; return k; })()`)
		if !strings.HasSuffix(kind, " page") {
			continue
		}
		pages++
		t.Run(r.Path, func(t *testing.T) {
			missing := strings.Contains(r.Path, ":form") || strings.Contains(r.Path, "photo") || strings.Contains(r.Path, "/pages/")
			assert.True(t, strings.HasPrefix(kind, "200") || missing, kind)
			at := *b
			at.t = t
			at.visit(s.url + path)
			at.quiet()
			if soak.Whole() {
				at.judged(true)
			}
			at.narrow()
			size := at.eval(measured)
			t.Log(size)
			var screens float64
			_, err := fmt.Sscanf(strings.Split(size, " | ")[1], "%f screens", &screens)
			require.NoError(t, err)
			assert.LessOrEqual(t, screens, 3.0, "longer than three screens before more is asked for")
			look := append([]string{"light"}, looks...)[pages%(len(looks)+1)] // in every run one look of each page, in the soak two
			at.look(look)
			at.judged(soak.Whole() || pages%contrasted == 0)
			at.eval(`(document.documentElement.classList.add("large"), "")`)
			at.narrow()
		})
	}
	t.Logf("%d pages", pages)
	assert.Greater(t, pages, 30)
}

// contrasted is how many pages come to one that axe-core is asked for its contrast on in every run: pages have their colours from one
// sheet, and each look comes up in turn.
const contrasted = 3

// looks are those that can be chosen; what the system asks for are the same.
var looks = []string{"dark", "strong-light", "strong-dark"}

// look chooses one on the page that is shown.
func (b *tab) look(name string) {
	b.t.Helper()
	b.eval(fmt.Sprintf(`(document.documentElement.dataset.look = %q, "")`, name))
}

// measured is how long a page is in screens, its smallest target and its smallest letters, in pixels.
const measured = `(() => {
	const shown = (el) => el.checkVisibility({ visibilityProperty: true }) && el.getBoundingClientRect().width > 1;
	const targets = [...document.querySelectorAll("#page a, #page button, #page summary, #page input:not([type=hidden]), #page select")]
		.filter((el) => shown(el) && !el.closest(".words, .layer") && !el.matches(".btn-check") && !el.closest("label, p, td, dd"));
	let least = [Infinity, ""], letters = [Infinity, ""];
	for (const el of targets) {
		const r = [...el.getClientRects()].sort((a, b) => a.height - b.height)[0], h = Math.min(r.height, r.width);
		if (h < least[0]) least = [h, el.outerHTML.slice(0, 90)];
	}
	const walk = document.createTreeWalker(document.querySelector("#page"), NodeFilter.SHOW_TEXT);
	for (let n = walk.nextNode(); n; n = walk.nextNode()) {
		const el = n.parentElement;
		if (!n.textContent.trim() || !shown(el) || el.closest(".layer, .visually-hidden, title, option")) continue;
		const scale = el.ownerSVGElement ? el.getScreenCTM().a : 1, size = parseFloat(getComputedStyle(el).fontSize) * scale;
		if (size < letters[0]) letters = [size, n.textContent.trim().slice(0, 30)];
	}
	const main = document.querySelector("main");
	return [location.pathname, (main.scrollHeight / innerHeight).toFixed(1) + " screens", "target " + least[0].toFixed(0) + " " + least[1],
		"letters " + letters[0].toFixed(1) + " " + letters[1]].join(" | "); })()`

// named is a harness, or a bench sheet, for a route.
func named(route string) string {
	if strings.HasPrefix(route, "/bench") {
		return "wire"
	}
	return "f3-twin-series-parallel"
}

// noted is what somebody wrote into the log, or beside a picture.
func noted(b job.Body) string {
	switch b := b.(type) {
	case job.Note:
		return b.Text
	case job.Picture:
		return b.Text
	}
	return ""
}
