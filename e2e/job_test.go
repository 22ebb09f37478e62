package e2e

import (
	"context"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/soak"
)

// The whole job by mouse: twin fans run on high and not on low; the link fuse has blown.
func TestTheJobByMouse(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob")
	s := open(t)
	b := s.tab(t)
	b.visit(s.url)
	b.sees("h1", "In the bay")
	b.accessible()
	b.fill("#vehicle", "Tide tender")
	b.fill("#harness", "Twin")
	b.fill("#complaint", "runs on high, not on low")
	b.click(".start button")
	b.sees(".head h1", "Tide tender: runs on high, not on low")
	b.sees(".move .title", "Command every state, look at each fan")
	b.accessible()
	b.click(`.others a[href$="move=1"]`)
	b.sees(".move .title", "Look at each fan, high commanded")

	// One touch per fan; the last records the look, and the page is swapped, not loaded anew.
	b.eval(`window.kept = "kept"`)
	b.click(`label:has(input[name="fan-M1"][value="fast"])`)
	b.click(`label:has(input[name="fan-M2"][value="fast"])`)
	b.sees(".thread", "high: M1 fast, M2 fast")
	b.sees(".move .title", "Look at each fan, low commanded")
	assert.Equal(t, "kept", b.eval(`String(window.kept)`))
	b.click(`label:has(input[name="fan-M1"][value="stopped"])`)
	b.click(`label:has(input[name="fan-M2"][value="stopped"])`)
	b.sees(".thread", "low: M1 stopped, M2 stopped")
	b.sees(".suspects", "F3 open")
	b.sees(".move .title", "Voltage drop across F3, low commanded")

	// A reading that is none keeps what was typed, and says what is wrong.
	b.fill(".reading", "12,,3 V")
	b.click(".record .btn-primary")
	b.sees("#notice", "is not a reading in volts")
	assert.Equal(t, "12,,3 V", b.eval(`document.querySelector(".reading").value`))
	b.eval(`document.querySelector(".reading").value = ""`)
	b.fill(".reading", "12,3")
	// A reload half-way loses nothing that was recorded.
	b.do(chromedp.Reload())
	b.sees(".thread", "low: M1 stopped, M2 stopped")
	b.fill(".reading", "12,3")
	b.click(".record .btn-primary")
	b.sees(".thread", "low: 12.3 V at F3.a from F3.b")
	b.sees(".verdict", "Verdict, proven")
	b.sees(".verdict .fault", "F3 open")
	b.accessible()

	// The repair is entered, and every state is asked again.
	b.click(".verdict .btn-primary")
	b.sees(".ledger .done", "F3 replaced")
	b.sees(".move .title", "Look at each fan")
	b.click(".ledger .done")
	b.sees(".ledger", "all in place")

	// Striking a reading out takes the verdict back; it stays in the thread.
	b.do(chromedp.Click(chromedp.JSPath(`[...document.querySelectorAll(".bead.seen .strike")].at(-1)`)))
	b.sees(".bead.struck", "struck out")
	b.sees(".move .title", "Voltage drop across F3")
}

// The same job without a mouse.
func TestTheJobByKeyboard(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url)
	b.sees("h1", "In the bay")
	focus := func(selector string) { b.do(chromedp.Focus(chromedp.CSS(selector), chromedp.NodeVisible)) }
	focus("#vehicle")
	b.keys("Hedge mower\t")
	b.keys("Twin\t")
	b.keys("runs on high, not on low\r")
	b.sees(".move .title", "Command every state")
	b.do(chromedp.Focus(chromedp.CSS(`.others a[href$="move=1"]`), chromedp.NodeVisible))
	b.keys("\r")
	b.sees(".move .title", "Look at each fan, high commanded")

	// r goes to the fans; the arrows choose; Enter records.
	look := func(downs int, want string) {
		b.press("r")
		for fan := range 2 {
			if fan > 0 {
				b.keys("\t")
			}
			b.keys(" ")
			for range downs {
				b.keys(kb.ArrowDown)
			}
		}
		b.keys("\r")
		b.sees(".thread", want)
	}
	look(2, "high: M1 fast, M2 fast")
	b.sees(".move .title", "Look at each fan, low commanded")
	b.keys("\t") // one Tab from what was recorded to the next question
	b.waits(`document.activeElement.closest("form.record") !== null`)
	look(0, "low: M1 stopped, M2 stopped")

	// Digits choose the state that the sheet shows; n goes back to the next move.
	b.press("3")
	b.sees(".states [aria-current]", "high")
	b.press("2")
	b.sees(".states [aria-current]", "low")
	b.press("?")
	b.sees("#keys.show", "the next move")
	b.keys(kb.Escape)

	read := func(figure, want string) {
		b.press("r")
		b.keys(figure + "\r")
		b.sees(".thread", want)
	}
	b.sees(".move .title", "Voltage drop across F3")
	// Another pin first, chosen from the list; then back.
	b.press("m")
	b.sees(".more", "With leads")
	b.keys("K1.30")
	b.keys("\t\t") // past the black lead's place
	b.keys("\r")
	b.sees(".move .title", "Volts at K1.30")
	b.waits(`document.activeElement.matches(".reading")`) // what was chosen is in the hand
	b.keys(kb.Escape)
	b.press("n")
	b.sees(".move .title", "Voltage drop across F3")
	read("12,3", "low: 12.3 V at F3.a from F3.b")
	b.sees(".verdict", "Verdict, proven")
	b.sees(".verdict .fault", "F3 open")
}

func TestTouchingAPin(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/jobs/7?state=low")
	b.click(`[data-pin="M1.-"]`)
	b.sees(".move", "Your choice")
	b.sees(".move .title", "Volts at M1.-, low commanded")
	b.click(".to-next")
	b.sees(".move h2", "First")

	// A finger beside a pin means the nearest one; beside none, nothing.
	b.quiet()
	tap := func(away float64) {
		at, err := chromedp.Run(b.ctx, chromedp.Evaluate[[2]float64](`(() => {
			const r = document.querySelector('[data-pin="M1.-"] .spot').getBoundingClientRect();
			return [r.left + r.width / 2, r.top + r.height / 2]; })()`))
		require.NoError(t, err)
		point := []*input.TouchPoint{{X: at[0] - away, Y: at[1]}}
		for _, p := range []input.DispatchTouchEventParams{{Type: input.DispatchTouchEventTypeTouchStart, TouchPoints: point},
			{Type: input.DispatchTouchEventTypeTouchEnd, TouchPoints: []*input.TouchPoint{}}} {
			_, err := chromedp.Call(b.ctx, input.DispatchTouchEvent, p)
			require.NoError(t, err)
		}
	}
	tap(60)
	b.quiet()
	require.Contains(t, b.text(".move h2"), "First")
	tap(22)
	b.sees(".move .title", "Volts at M1.-, no fan commanded")
}

// Two tabs on one job: the second is told of the first's entry, and neither loses any.
func TestTwoTabsOnOneJob(t *testing.T) {
	soak.Only(t, "TestNewsOfTheOther")
	s := open(t)
	one, two := s.tab(t), s.tab(t)
	one.visit(s.url + "/jobs/7")
	two.visit(s.url + "/jobs/7")
	for _, b := range []*tab{one, two} {
		b.sees(".move .title", "look at each fan")
	}
	note := func(b *tab, text string) {
		b.click(".more > summary")
		b.fill("#text", text)
		b.click("form[action$='/note'] button")
	}
	note(one, "from the first tab")
	one.sees(".thread", "from the first tab")
	two.sees("#newer", "Somebody wrote an entry to this job")
	note(two, "from the second tab")
	two.sees("#notice", "Somebody else wrote to this job at the same moment")
	two.sees(".thread", "from the first tab")
	two.sees(".thread", "from the second tab")
	entries, err := s.keep.Entries(context.Background(), 7)
	require.NoError(t, err)
	assert.Len(t, entries, 3)
	assert.Equal(t, job.Noted, entries[2].Kind())
}

func TestTheSetupByMouse(t *testing.T) {
	soak.Only(t, "TestASetupAtOneTouch")
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/jobs/7")
	b.click(".add summary")
	b.fill("#action", "K1 oat")
	b.click(".add form button")
	b.sees("#notice", "is nothing done to a relay")
	b.visit(s.url + "/jobs/7")
	b.click(".add summary")
	b.fill("#action", "K1 out")
	b.click(".add form button")
	b.sees(".ledger .done", "K1 is out")
	b.sees(".sheet .slip.out", "out")
	b.click(".ledger .done")
	b.sees(".ledger", "all in place")
}

// On a phone nothing is wider than the screen, and the move comes first.
func TestOnAPhone(t *testing.T) {
	soak.Only(t, "TestEveryPageIsAccessible")
	s := open(t)
	b := s.tabSized(t, 390, 844)
	for _, path := range []string{
		"/", "/jobs/1/verify", "/jobs/6/why", "/jobs/6/believe?part=K3", "/jobs/6/drive", "/jobs/1/report",
		"/logbook?harness=f3-twin-series-parallel", "/tools", "/harnesses/f1-one-relay/study", "/jobs/6",
	} {
		b.visit(s.url + path)
		b.sees("h1", "")
		assert.Equal(t, "true", b.eval(`String(document.documentElement.scrollWidth <= 390)`), path)
		b.accessible()
	}
	assert.Equal(t, "true", b.eval(`String(document.querySelector(".move").offsetTop < document.querySelector(".thread").offsetTop)`))
}

func TestWithoutScripts(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.do(chromedp.Func(func(context.Context, *chromedp.Target) error {
		_, err := chromedp.Call(b.ctx, emulation.SetScriptExecutionDisabled, emulation.SetScriptExecutionDisabledParams{Value: true})
		return err
	}))
	b.visit(s.url + "/jobs/7")
	b.do(chromedp.WaitVisible(chromedp.CSS("noscript div")))
	b.click(`label[for="fan-2-0-fast"]`)
	b.click(".commandtable .btn-primary")
	b.do(chromedp.WaitVisible(chromedp.CSS(".bead.seen")))
}

// The server gone while the page is open: one sentence, and what was typed stays.
func TestTheServerGone(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/jobs/6?do=volts&pin=F3.a&state=low")
	b.fill(".reading", "6.1")
	require.NoError(t, s.keep.Close())
	b.click(".record .btn-primary")
	b.sees("#notice", "what was recorded before is safe")
	assert.Equal(t, "6.1", b.eval(`document.querySelector(".reading").value`))
}

// Any harness without a job: a state, a pin, a fault, another instrument, by mouse and keys.
func TestTheSheetPage(t *testing.T) {
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/library")
	b.sees("h1", "Library")
	b.accessible()
	b.click(`a[href="/harnesses/f3-twin-series-parallel"]`)
	b.sees("h1", "Twin fans")
	b.press("2")
	b.sees(".states [aria-current]", "low")
	b.click(`[data-pin="F3.a"]`)
	b.sees(".reading-large", "6.24")
	b.sees(".path", "K3's rest contact")
	b.accessible()
	b.fill("#fault", "F3 open")
	b.click(`form:has(#fault) button`)
	b.sees(".put", "F3 open")
	b.sees(".reading-large", "12.60")
	b.click(`.switches a[href*="view=roles"]`)
	b.sees(".key", "switched")
	b.click(".put .btn")
	b.sees(".thread", "As drawn")
}
