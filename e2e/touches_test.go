package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/soak"
)

// sizes are a phone and a laptop.
var sizes = [][2]int64{{390, 844}, {1280, 800}}

// The first job, from just begun to closed, with all that is touched on the way counted: words, fields, buttons.
func TestTouchesOfAWholeJob(t *testing.T) {
	s := open(t)
	for _, size := range soak.Of(sizes[:1], sizes) {
		c := bringTo(t, s, s.tabSized(t, size[0], size[1]), "f3-twin-series-parallel", "F3 open")
		c.touched = 0
		c.follow(12)
		c.sees(".verdict .fault", "F3 open")
		toVerdict := c.touched
		c.click(".repairform .btn-primary")
		c.sees(".bead.repaired", "F3 replaced")
		c.follow(6)
		c.sees(".verdict", "Mended")
		mended := c.touched
		c.click(`.verdict a[href$="/verify"]`)
		c.sees("h2", "To be seen before the job closes")
		c.sees("h3", "Does F3 open explain the complaint?")
		c.verify()
		c.sees("main h2", "all of it seen")
		c.click(".closing .btn-primary")
		c.quiet()
		c.quiet()
		c.sees(".move", "Closed: verified")
		t.Logf("%v: %d to the verdict, %d to mended, %d for verification and close, %d in all", size, toVerdict, mended,
			c.touched-mended, c.touched)
		assert.LessOrEqual(t, c.touched, 26, "%v", size)
		assert.LessOrEqual(t, c.touched-mended, 11, "%v", size)
		c.narrow()
	}
}

// From a new job to the link fuse proven.
func TestTouchesFromANewJobToTheVerdict(t *testing.T) {
	s := open(t)
	c := bringTo(t, s, s.tabSized(t, 390, 844), "f3-twin-series-parallel", "F3 open")
	c.visit(s.url)
	c.touched = 0
	c.fill("#vehicle", "Verge mower")
	c.fill("#complaint", "runs on high, not on low")
	c.click(".start form .btn-primary")
	c.sees(".move .title", "Command every state")
	// What tells the most is said in one line each, as one walks round the car.
	for _, said := range [][2]string{
		{"low: m1 stopped, m2 stopped", "low: M1 stopped"}, {"high: m1 fast, m2 fast", "high: M1 fast, M2 fast"},
	} {
		line, seen := said[0], said[1]
		c.fill(".say input[name=line]", line)
		c.click(".say button")
		c.sees(".thread", seen)
	}
	c.follow(6)
	c.sees(".verdict .fault", "F3 open")
	t.Logf("%d touches from a new job to the link fuse proven", c.touched)
	assert.LessOrEqual(t, c.touched, 12)
}

// Eight lamp tests round a module in one pass, foretold beside each.
func TestTouchesRoundAModule(t *testing.T) {
	soak.Only(t, "TestTouchesOfOwnReadings")
	s := open(t)
	c := bringTo(t, s, s.tabSized(t, 390, 844), "f7-discrete-module")
	part := ""
	for _, p := range c.model.Circuit.Parts {
		if n := len(p.Pins()); n >= 6 && part == "" {
			part = p.Name
		}
	}
	c.touched = 0
	c.clickSVG(fmt.Sprintf(`[data-place=%q]`, part))
	c.quiet()
	c.click(`.others a[href*="do=lamp"]`)
	c.sees(".move h2", "Round "+part)
	cells := c.count(".round fieldset")
	for k := range cells {
		c.click(fmt.Sprintf(`label:has(input[name="cavity-%d"][value="%s"])`, k, "off"))
	}
	c.click(".round .btn-primary")
	c.sees(".recorded", fmt.Sprintf("and %d more", cells-1))
	t.Logf("%d lamp tests round %s: %d touches", cells, part, c.touched)
	assert.LessOrEqual(t, c.touched, cells+4)
}

// A drill's own vehicle, from the drill's page to one full record of a commanded state.
func TestTouchesOfAScanInADrill(t *testing.T) {
	soak.Only(t, "TestFromTheCommandToTheClosedJob")
	s := open(t)
	b := s.tabSized(t, 390, 844)
	b.visit(s.url + "/drills")
	b.click(`form:has(input[name="trap"][value="3"]) button`)
	b.sees(".move h2", "First")
	b.touched = 0
	b.click(".jobhead .dropdown-toggle")
	b.click(`.jobhead .dropdown-menu a[href$="/scan"]`)
	b.click(`button[name="drill"]`)
	b.sees("h2", "Command")
	b.click(`.commands > button:last-of-type`)
	b.sees(".commandtable", "Commanded")
	b.click(`.commandtable .fanword label`)
	b.click(".commandtable .btn-primary")
	b.sees(".recorded", "M1")
	t.Logf("%d touches from the drill to a record by its vehicle", b.touched)
	assert.LessOrEqual(t, b.touched, 7)
	b.accessible()
}

// Going anywhere by name, by keys alone: Ctrl and K, a few letters, Enter; and by hand from the bar.
func TestGoingByName(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/jobs/7")
	b.quiet()
	b.chord("k")
	b.waits(`document.activeElement.id === "go-words"`)
	b.keys("k2 87")
	b.sees("#went", "measure there")
	b.keys("\r")
	b.sees(".move .title", "Volts at K2.87")
	b.waits(`document.activeElement.matches(".reading")`)
	b.waits(`!document.querySelector(".modal.show")`)
	b.click(".goto")
	b.waits(`document.activeElement.id === "go-words"`)
	b.keys("bay")
	b.waits(`document.querySelector("#went").dataset.for === "bay"`)
	b.accessible()
	b.press("ArrowDown")
	b.waits(`document.activeElement.matches("#went a")`)
	b.eval(`(document.querySelector("#went").dataset.old = "yes", htmx.trigger("#go-words", "again"), "")`)
	b.waits(`!document.querySelector("#went").dataset.old`) // a later list keeps the place that is stood on
	b.waits(`document.activeElement.matches("#went a")`)
	b.keys("\r")
	b.sees("h1", "In the bay")

	b.click(".goto") // who types and presses Enter at once goes where they typed, not where the list before began
	b.waits(`document.activeElement.id === "go-words"`)
	b.waits(`document.querySelector("#went").dataset.for === ""`)
	b.keys("logbook\r")
	b.sees("h1", "Logbook")
}

// The drawing is legible at first sight at both sizes, with the place that is asked for in sight; pins are met by keys.
func TestTheDrawingAtFirstSight(t *testing.T) {
	soak.Only(t, "TestTheSheetPage")
	s := open(t)
	for _, size := range sizes {
		b := s.tabSized(t, size[0], size[1])
		for _, path := range []string{"/jobs/5?state=low", "/jobs/5?state=low&pin=K2.87", "/harnesses/m1-bus-mixture?at=K1.30",
			"/harnesses/f3-twin-series-parallel"} {
			b.visit(s.url + path)
			b.waits(`!!document.querySelector(".paper svg.sheet:not(.layer)")`)
			b.quiet()
			b.waits(`!!document.querySelector(".paper svg.sheet:not(.layer)").style.width`)
			found := b.eval(`(() => {
				const paper = document.querySelector(".paper"), text = paper.querySelector("text.pin, text.pin-number");
				const letters = 11 * text.getScreenCTM().a, ring = paper.querySelector(".ring")?.getBoundingClientRect();
				const box = paper.getBoundingClientRect();
				if (letters < 8.99) return "letters of " + letters;
				const out = (r) => r.left < box.left || r.right > box.right || r.top < box.top || r.bottom > box.bottom;
				if (ring && out(ring)) return "the place is out of sight";
				const all = paper.scrollWidth <= 1.1 * paper.clientWidth && paper.scrollHeight <= 1.1 * paper.clientHeight;
				return all || paper.querySelector(".plan .frame") ? "well" : "no plan"; })()`)
			assert.Equal(t, "well", found, "%v %s", size, path)
		}
		b.visit(s.url + "/jobs/5?state=low")
		b.quiet()
		b.press("p")
		b.waits(`document.activeElement.matches("[data-pin]")`)
		assert.Equal(t, "F3.b", b.eval(`document.activeElement.dataset.pin`), "the one that is asked for")
		before := b.eval(`document.activeElement.dataset.pin`)
		b.press("ArrowUp")
		b.waits(fmt.Sprintf(`document.activeElement.dataset.pin && document.activeElement.dataset.pin !== %q`, before))
		pin := b.eval(`document.activeElement.dataset.pin`)
		b.press("Enter")
		b.sees(".move .title", pin)
	}
}

// Somebody who is here for the first time is led through a job, a line at each step, and gets rid of it for good with one touch.
func TestTheFirstVisit(t *testing.T) {
	s := open(t)
	b := s.tabSized(t, 390, 844)
	b.visit(s.url)
	b.click(`.led .btn-primary`)
	b.sees(".led", "Step 1 of 5")
	b.narrow()
	b.click(`form[action$="/drill/ask"] button`)
	b.sees(".led", "of 5")
	b.waits(`!document.querySelector(".led").textContent.includes("Step 1")`)
	b.accessible()
	b.click(".led .btn-close")
	b.waits(`!document.querySelector(".led")`)
	b.visit(s.url)
	b.waits(`!document.querySelector(".led")`)
}

// From the wish's form, with the usual answers in it, to the sheets on the printer: the first press of each button does it.
func TestTouchesFromAWishToTheSheets(t *testing.T) {
	soak.Only(t, "TestTwoRelaysBecomeThree")
	s := open(t)
	for _, size := range soak.Of(sizes[:1], sizes) {
		b := s.tabSized(t, size[0], size[1])
		b.visit(s.url + "/rewire")
		b.touched = 0
		b.click(".wishform > .btn-primary")
		b.sees("h2", "Ways that can do it")
		assert.Equal(t, "0", b.eval(`String(scrollY)`), "what came of it is in sight")
		b.click(`.head .btn-primary`)
		b.sees("h2", "Order of building")
		b.eval(`(window.print = () => { document.body.dataset.printed = "yes"; }, "")`)
		b.click(`.head [x-data="printing"] button`)
		assert.Equal(t, "yes", b.eval(`document.body.dataset.printed || ""`))
		assert.LessOrEqual(t, b.touched, 3, "%v", size)
		b.narrow()
	}
}

// The first job by keys alone, with every Tab counted: one from what was recorded to the next question, and one to close.
func TestTabsOfAWholeJob(t *testing.T) {
	soak.Only(t, "TestTheJobByKeyboard")
	s := open(t)
	c := bringTo(t, s, s.tab(t), "f1-one-relay", "F1 open")
	tabs := 0
	tab := func(until string) {
		t.Helper()
		for range 40 {
			if c.eval(fmt.Sprintf(`String(!!document.activeElement?.matches(%q))`, until)) == "true" {
				return
			}
			c.keys("\t")
			tabs++
		}
		t.Fatalf("%s is not met by 40 Tabs; the focus is on %s", until, c.eval(`document.activeElement.outerHTML.slice(0, 200)`))
	}
	// The pass: r goes to its first word, Tab from fan to fan, Enter records.
	c.press("r")
	for i := range c.model.Circuit.States {
		tab(fmt.Sprintf(`[name="fan-%d-0"]`, i))
		c.keys(" ")
	}
	c.keys("\r")
	c.waits(`document.querySelectorAll(".bead.seen").length === 3`)
	answer := func() {
		m, _ := c.asked()
		o, err := c.player.Answer(m)
		require.NoError(t, err)
		before := c.count(".bead.seen")
		word := func(field, word string) {
			tab(fmt.Sprintf(`[name=%q]`, field))
			c.keys(" ")
			for c.eval(`document.activeElement.value`) != word {
				c.keys(kb.ArrowDown)
			}
			c.keys("\r")
		}
		switch {
		case o.Word() != "":
			word("word", o.Word())
		case o.Fans() != nil && c.count(`[name="foretold"]`) > 0 && c.good(o):
			tab(`[name="foretold"]`)
			c.keys("\r")
		case o.Fans() != nil:
			word("fan-M1", o.Fans()["M1"])
		default:
			tab(`.reading`)
			c.keys(o.Reading().String() + "\r")
		}
		c.waits(fmt.Sprintf(`document.querySelectorAll(".bead.seen").length > %d`, before))
	}
	until := func(selector string) {
		for range 12 {
			if c.quiet(); c.count(selector) > 0 {
				return
			}
			answer()
		}
		t.Fatalf("%s never came", selector)
	}
	until(".verdict.proven")
	c.sees(".verdict .fault", "F1 open")
	toVerdict := tabs
	tab(`.repairform .btn-primary`)
	c.keys("\r")
	c.sees(".bead.repaired", "F1 replaced")
	until(`.verdict a[href$="/verify"]`)
	tab(`.verdict a[href$="/verify"]`)
	c.keys("\r")
	c.sees("h2", "To be seen before the job closes")
	t.Logf("Tab stops of the first job by keys: %d to the verdict, %d to the list before closing", toVerdict, tabs)
	assert.LessOrEqual(t, tabs, 30)
}

// Own readings on a phone, each from the job's page to the record, with what is touched counted: a place on the drawing, an
// instrument, the answer. What asks for the answer is in sight before anything is scrolled.
func TestTouchesOfOwnReadings(t *testing.T) {
	s := open(t)
	c := bringTo(t, s, s.tabSized(t, 390, 844), "f3-twin-series-parallel")
	pin := func(name string) func() { return func() { c.clickSVG(fmt.Sprintf(`[data-pin=%q]`, name)) } }
	part := func(name string) func() { return func() { c.clickSVG(fmt.Sprintf(`[data-place=%q]`, name)) } }
	chip := func(word string) func() {
		return func() { c.click(fmt.Sprintf(`.move .chips a[href*="do=%s"]`, word)) }
	}
	other := func(part string) func() { return func() { c.click(fmt.Sprintf(`.others a[href*=%q]`, part)) } }
	inSight := func() {
		c.waits(`(() => { const e = document.querySelector(".move .reading, .move label:has(input[name=word])");
			if (!e) return false; const r = e.getBoundingClientRect(), top = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2);
			return r.top >= 0 && r.bottom <= innerHeight && (e === top || e.contains(top)); })()`)
	}
	word := func() { inSight(); c.click(`.move .record label:has(input[name="word"])`) }
	figure := func(text string) func() { return func() { inSight(); c.fill(".move .reading", text); c.keys("\r") } }
	for _, x := range []struct {
		reading string
		most    int
		touches []func()
	}{
		{"volts at a pin", 3, []func(){pin("K2.87"), figure("12.1")}},
		{"lamp", 3, []func(){pin("K1.30"), chip("lamp"), word}},
		{"ohms with the battery off", 4, []func(){pin("K2.87"), chip("ohms"), pin("M2.+"), figure("0.1")}},
		{"buzzer", 4, []func(){pin("K2.87"), chip("buzzer"), word}},
		{"clamp", 3, []func(){pin("M1.+"), chip("amps"), figure("9")}},
		{"a relay felt", 3, []func(){part("K2"), other("do=relay"), word}},
		{"a fan turned by hand", 3, []func(){part("M1"), other("do=turned"), word}},
		{"ohms on the bench", 4, []func(){part("K2"), other("pin=K2.86%27"), figure("80")}},
		{"no codes", 2, []func(){func() { c.fill(".say input[name=line]", "codes none"); c.click(".say button") }}},
		{"a fuse looked at", 3, []func(){part("F3"), other("do=looked"), word}},
	} {
		c.visit(c.url)
		c.quiet()
		c.waits(`!!document.querySelector(".paper svg.sheet:not(.layer)")?.style.width`)
		before, touched := c.eval(`document.querySelector("[name=saw]").value`), c.touched
		for _, touch := range x.touches {
			touch()
			c.quiet()
		}
		c.waits(fmt.Sprintf(`!!document.querySelector(".recorded") && document.querySelector("[name=saw]").value !== %q`, before))
		t.Logf("%s: %d touches", x.reading, c.touched-touched)
		assert.LessOrEqual(t, c.touched-touched, x.most, x.reading)
	}
}
