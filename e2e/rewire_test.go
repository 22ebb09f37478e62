package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"ironthread/soak"
)

// touch clicks and counts.
type toucher struct {
	*tab
	touches int
}

func (x *toucher) touch(selector string) { x.t.Helper(); x.touches++; x.click(selector) }

func (x *toucher) typed(selector, text string) {
	x.t.Helper()
	x.touches++
	x.eval(fmt.Sprintf(`(document.querySelector(%q).value = "", "")`, selector))
	x.fill(selector, text)
}

func (x *toucher) choose(selector, value string) {
	x.t.Helper()
	x.touches += 2 // the list opened, the entry touched
	x.quiet()
	x.eval(fmt.Sprintf(`(s => (s.value = %q, s.dispatchEvent(new Event("change", {bubbles: true})), s.value))(document.querySelector(%q))`,
		value, selector))
}

// Two relays that stage two fans become three relays in series and in parallel: from the empty form to the sheets that are
// printed, then into the library and to the commissioning's own list. An A/C line that gives plus and a pressure switch ask
// beside the controller.
func TestTwoRelaysBecomeThree(t *testing.T) {
	s := open(t)
	b := &toucher{tab: s.tab(t)}
	b.visit(s.url)
	b.touch(`.bar a[href="/rewire"]`)
	b.sees("h1", "Rewire")
	b.accessible()
	b.typed("#title", "Verge mower")
	b.choose("#keep", "f2-staged-pair")
	b.choose("#half", "ok")
	b.typed(`tr:nth-child(3) input[name="name"]`, "clutch")
	b.choose(`tr:nth-child(3) select[name="gives"]`, "supply")
	b.typed(`tr:nth-child(4) input[name="name"]`, "A/C pressure")
	b.choose(`tr:nth-child(4) select[name="gives"]`, "pressure")
	b.choose(`tr:nth-child(4) select[name="asks"]`, "high")
	b.touch(".wishform > .btn")
	b.sees("h2", "Ways that can do it")
	b.touch(`.ways a[href*="series-parallel"]`)
	b.sees("#drawn h2", "both in series, then in parallel")
	b.sees(".fans", "M1 left fan: slow") // as it is called there
	b.sees("main", "From what is there to this")
	b.sees(".outcomes", "K3")
	b.sees(".outcomes", "tapped into")
	b.sees("td", "K1 KI3") // the clutch pulls through a relay that turns it round
	b.accessible()
	b.touch(".exports .btn-primary")
	b.sees("h2", "Order of building")
	b.sees("td", "low, engine off: the fans")
	b.sees("b", "M1 slow, M2 slow")
	b.sees(".socket-cards", "Five pins needed")
	b.sees("li", "none may remain")
	assert.Equal(t, "function", b.eval(`typeof window.print`))
	b.eval(`(window.print = () => { document.body.dataset.printed = "yes"; }, "")`)
	b.touch(`[x-data="printing"] button`)
	assert.Equal(t, "yes", b.eval(`document.body.dataset.printed || ""`))
	t.Logf("%d touches from the empty wish to the printed sheets", b.touches)
	assert.LessOrEqual(t, b.touches, 25)
	b.accessible()

	b.touch(".head .back")
	b.sees("#drawn h2", "both in series, then in parallel")
	b.typed("#vehicle", "Verge mower 2")
	b.touch(".keepit .btn")
	b.sees("main", "Commissioning: Verge mower")
	b.sees("main", "low")
	b.accessible()
}

// What the form refuses and warns of, and the other ways: a resistor that moves leaves a live stub; a module drives both
// fans; unequal fans cannot be in series; an impossible wish says which limit stands in the way.
func TestOtherRewires(t *testing.T) {
	soak.Only(t, "TestTwoRelaysBecomeThree")
	s := open(t)
	b := s.tabSized(t, 390, 844)
	const two = "/rewire?fans=2&speeds=2&volts=12&title=Mower&half=ok&name=low+line&gives=ground&asks=low&limit=&name=high+line&" +
		"gives=ground&asks=high&limit="
	b.visit(s.url + two + "&amps=14&other-amps=20")
	b.sees(".outcomes", "the one made for less current, takes more than half the volts")
	b.sees(".outcomes", "two fans of the same type")
	assert.Equal(t, "true", b.eval(`String(document.documentElement.scrollWidth <= 390)`))

	b.visit(s.url + two + "&amps=14&keep=f4-dropping-resistor&way=dropping-resistor")
	b.sees("#drawn h2", "a dropping resistor")
	b.sees(".outcomes", "tapped into")

	b.visit(s.url + "/rewire?fans=2&speeds=2&volts=12&title=Mower&half=ok&amps=14&module=40&hertz=100-500&name=fan+line&gives=pwm&asks=low&" +
		"limit=&name=full&gives=pwm&asks=high&limit=&way=pwm-module")
	b.sees("#drawn h2", "a module told by pulses")
	b.sees(".fans", "M2 second fan: slow")

	b.visit(s.url + two + "&amps=14&drop=0.05&way=staged")
	b.sees(".outcomes", "V on its feed though every wire is as thick as they come")

	b.visit(s.url + two + "&amps=fourteen")
	b.sees("#notice", `The first fan's amps: "fourteen" is no figure.`)
	assert.Equal(t, "fourteen", b.eval(`document.querySelector("#amps").value`))
	b.visit(s.url + two + "&amps=140")
	b.sees("#notice", "a fan takes 1 to 60 A, not 140")

	b.visit(s.url + two + "&amps=14&way=series-parallel")
	b.sees("#drawn h2", "both in series")
	b.eval(`(document.querySelectorAll("details.effects").forEach(d => { d.open = true; }), "")`)
	b.sees("main", "an open line runs them")
	b.sees("main", "empties a battery in about")
}

// After a conversion two wires are crossed at the controller's plug: the relays are in, so the wrong cavity shows coils in
// series; typed with the keyboard alone, the crossing and the move that mends it are named, and the list goes out and in.
func TestCrossedWiresAreFoundByThePinCheck(t *testing.T) {
	soak.Only(t, "TestTheBench; without a browser the tests of core/pincheck")
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/f3-twin-series-parallel/pins")
	b.sees(".head p", "Pin check")
	b.accessible()
	// Cavity 61 (low) and 62 (high): 61 leads to K2 and K3, 62 to K1, one coil against two side by side.
	b.eval(`(document.querySelector('[name="c-0-0"]').focus(), "")`)
	for _, text := range []string{"127", "b", "b"} {
		b.keys(text)
		b.press("ArrowRight")
	}
	b.eval(`(document.querySelector('[name="c-0-0"]').focus(), "")`)
	b.press("Enter")
	for _, text := range []string{"b", "127.5"} {
		b.keys(text)
		b.press("ArrowRight")
	}
	b.click(".pincheck .btn-primary")
	b.sees("h2", "5 of 5 readings are not as drawn")
	b.sees("li", "the wires of cavities 61 and 62 are crossed")
	b.sees("li", "put the wire that is in cavity 61 into 62 and that in 62 into 61")
	assert.Equal(t, "127", b.eval(`document.querySelector('[name="c-0-0"]').value`))
	b.accessible()
	list := b.eval(`(r => { r.open("GET", document.querySelector(".exports a").href, false); r.send();
		return r.responseText; })(new XMLHttpRequest())`)
	assert.Contains(t, list, "ECU.61")
	assert.Contains(t, list, "127,beeps,beeps")
	b.visit(s.url + "/harnesses/f3-twin-series-parallel/pins?c-0-0=maybe")
	b.sees("#notice", `"maybe" is no reading: beeps, silent, OL, or ohms`)
	assert.Equal(t, "maybe", b.eval(`document.querySelector('[name="c-0-0"]').value`))
}

// One output for two stages where the low line works upside down: both polarities side by side, the volts on both lines, and
// the circuit put into the library.
func TestOneOutputForTwoStages(t *testing.T) {
	soak.Only(t, "TestTwoRelaysBecomeThree")
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/f9-inverted-low/logic")
	b.sees("th", "warming, 91.5 °C")
	b.sees("th", "low: to ground keeps it off")
	b.sees(".u-title", "Coolant, idling")
	b.sees(".u-legend", "M1")
	b.accessible()
	b.visit(s.url + "/harnesses/f9-inverted-low/logic?kept=ECU.8&second=ECU.7")
	b.sees("h3", "The output pulls to run both")
	b.sees("h3", "an open line runs them")
	b.sees("p", "its rest contact grounds K1.85")
	b.sees("p", "ECU.7 is spare then")
	b.accessible()
	b.click("h3 ~ form button")
	b.sees("h1", "one output")
	b.visit(s.url + "/harnesses/f9-inverted-low/logic?kept=ECU.8&second=ECU.8")
	b.sees(".caution", "are not two outputs of one controller")
}

// The bench: a sheet answers at once, is worked again with other figures, refuses mains, and goes into a wish and into a job.
func TestTheBench(t *testing.T) {
	s := open(t)
	b := s.tabSized(t, 390, 844)
	b.visit(s.url + "/bench")
	b.sees("h1", "Bench")
	b.accessible()
	b.click(`a[href="/bench/series"]`)
	b.sees(".answers", "53 % of its full speed")
	b.sees("svg", "slow")
	b.accessible()
	assert.Equal(t, "true", b.eval(`String(document.documentElement.scrollWidth <= 390)`))
	b.visit(s.url + "/bench/series?supply=230")
	b.sees("#notice", "licensed people")
	b.visit(s.url + "/bench/motor?points=12.6+V+18+A&start-amps=80&start-volts=11.4")
	b.sees(".answers", "0.142 Ω")
	b.eval(`(document.querySelectorAll("details").forEach(d => { d.open = true; }), "")`)
	b.click(`details form button`)
	b.sees(".thread", "Motor from clamp readings: Running: 18 A at 12.6 V")
	b.visit(s.url + "/bench/motor?points=12.6+V+18+A&start-amps=80&start-volts=11.4")
	b.click(`a[href^="/rewire?"]`)
	b.sees("h1", "Rewire")
	assert.Equal(t, "18", b.eval(`document.querySelector("#amps").value`))
}
