package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"ironthread/soak"
)

// Every own reading is two touches and what is typed: the field, in sight without scrolling, and Record. What was recorded is said
// under the thumb, one touch takes it back, and it goes by itself.
func TestOwnReadingsInTwoTouches(t *testing.T) {
	soak.Only(t, "TestTouchesOfOwnReadings")
	s := open(t)
	for _, size := range soak.Of(sizes[:1], sizes) {
		b := s.tabSized(t, size[0], size[1])
		job := s.url + "/jobs/7"
		b.visit(job)
		b.quiet()
		for line, recorded := range map[string]string{
			"k2 87 0.3": "0.3 V at K2.87", "lamp f3 a bright": "lamp bright at F3.a", "m1 6.1 a": "6.1 A at M1.+", "k1 clicks": "K1: click",
			"f1 looks whole": "F1 looked at: looks whole", "codes none": "no codes", "m2 free": "M2 by hand: free",
		} {
			b.visit(job)
			b.sees(".move h2", "")
			b.quiet()
			assert.Equal(t, "in sight", b.eval(`(() => { const f = document.querySelector(".say input[name=line]").getBoundingClientRect();
				return f.top >= 0 && f.bottom <= innerHeight ? "in sight" : "at " + f.top; })()`), "%v: %s", size, line)
			b.fill(".say input[name=line]", line) // the first touch
			b.click(".say button")                // the second
			b.sees(".recorded", recorded)
			b.narrow()
			b.click(".recorded button")
			b.waits(`!document.querySelector(".recorded")`)
		}
		b.fill(".say input[name=line]", "k9 87 3")
		b.click(".say button")
		b.sees(".alert", "no part K9")
		assert.Equal(t, "k9 87 3", b.eval(`document.querySelector(".say input[name=line]").value`), "what was typed is kept")
		b.eval(`document.querySelector(".say input[name=line]").value = ""`)
		b.fill(".say input[name=line]", "k2 87 0.4")
		b.click(".say button")
		b.sees(".recorded", "0.4 V")
		b.accessible()
		b.press("Tab") // no hand on it
		b.waits(`!document.querySelector(".recorded")`)
		clickOn(b, chromedp.JSPath(`[...document.querySelectorAll(".bead .strike")].at(-1)`))
		b.waits(`!document.querySelector(".bead .strike")`)
	}
}
