package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	vehicle "ironthread/core/car"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/probe"
	"ironthread/core/repair"
	"ironthread/library"
	"ironthread/soak"
	"ironthread/store"
)

// car is a vehicle with faults in it, and the hands of the technician who works on it through
// the page.
type car struct {
	*tab
	url    string // of the job
	player *vehicle.Car
	model  *electric.Model
}

// bring opens a job on a vehicle that has these faults.
func bring(t *testing.T, s *site, circuit string, faults ...string) *car {
	t.Helper()
	return bringTo(t, s, s.tab(t), circuit, faults...)
}

// bringTo does so for a tab that is there.
func bringTo(t *testing.T, s *site, b *tab, circuit string, faults ...string) *car {
	t.Helper()
	entry, err := library.Open(circuit)
	require.NoError(t, err)
	model, err := electric.New(entry.Circuit)
	require.NoError(t, err)
	var list []fault.Fault
	for _, words := range faults {
		f, err := fault.Parse(entry.Circuit, words)
		require.NoError(t, err)
		list = append(list, f)
	}
	player, err := vehicle.New(model, vehicle.Options{}, list...)
	require.NoError(t, err)
	ctx := context.Background()
	rig, err := s.keep.PutVehicle(ctx, "Test rig", "")
	require.NoError(t, err)
	h, err := s.keep.HarnessNamed(ctx, circuit)
	require.NoError(t, err)
	id, err := s.keep.OpenJob(ctx, store.NewJob{Vehicle: rig, Harness: h.ID, Title: "fans not right", Who: "Rurik Dahl", At: time.Now()})
	require.NoError(t, err)
	c := &car{b, fmt.Sprintf("%s/jobs/%d", s.url, id), player, model}
	c.visit(c.url)
	return c
}

// asked reads the move that the page shows, as its form would record it.
func (c *car) asked() (probe.Question, string) {
	c.t.Helper()
	c.quiet()
	raw := c.eval(`(() => { const f = document.querySelector("form.record"); if (!f) return "";
		const all = n => [...f.querySelectorAll("[name=" + n + "]")].map(e => e.value), one = n => all(n)[0] || "";
		return JSON.stringify({do: one("do"), state: one("state"), setup: all("setup"), at: one("at"), from: one("from"), with: one("with"),
			part: one("part")}); })()`)
	var q probe.Question
	if raw != "" {
		require.NoError(c.t, json.Unmarshal([]byte(raw), &q))
	}
	return q, raw
}

// answer makes the test shown on the car and records what it gives.
func (c *car) answer() {
	c.t.Helper()
	m, raw := c.asked()
	require.NotEmpty(c.t, raw, "there is no move to answer: %s", c.text(".move"))
	o, err := c.player.Answer(m)
	require.NoError(c.t, err)
	c.record(o)
}

// record enters an answer in the form shown.
func (c *car) record(o probe.Observation) {
	c.t.Helper()
	before := c.eval(`String(document.querySelectorAll(".bead.seen").length)`)
	switch {
	case o.Fans() != nil && c.count(`.record button[name="foretold"]`) > 0 && c.good(o):
		c.click(`.record button[name="foretold"]`)
	case o.Fans() != nil:
		for _, fan := range []string{"M1", "M2", "M3"} {
			if word, ok := o.Fans()[fan]; ok {
				c.click(fmt.Sprintf(`label:has(input[name="fan-%s"][value="%s"])`, fan, word))
			}
		}
	case o.Do == probe.TroubleCodes:
		c.fill(".reading", strings.Join(append([]string{"none"}, o.Answer.(probe.Codes)...), " "))
		c.click(".record .btn-primary")
	case o.Word() != "":
		c.click(fmt.Sprintf(`label:has(input[name="word"][value="%s"])`, o.Word()))
	default:
		if c.eval(`String(document.activeElement.matches(".reading"))`) != "true" { // after a figure the next is in the hand
			c.click(".reading")
		}
		c.keys(o.Reading().String())
		c.click(".record .btn-primary")
	}
	// What was asked from the list before closing leads back to it.
	c.waits(fmt.Sprintf(`document.querySelectorAll(".bead.seen").length > %s || !!document.querySelector(".ticks")`, before))
}

// good tells whether the fans do what they do on a car with nothing wrong.
func (c *car) good(o probe.Observation) bool {
	c.t.Helper()
	setup, err := electric.ParseSetup(c.model.Circuit, o.Setup)
	require.NoError(c.t, err)
	p, err := c.model.Solve(electric.Condition{State: c.model.Circuit.State(o.State), Setup: setup})
	require.NoError(c.t, err)
	for fan, word := range o.Fans() {
		if word != string(p.Motors[fan].Speed) {
			return false
		}
	}
	return true
}

// waits until the page says so.
func (b *tab) waits(expr string) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	_, err := chromedp.Run(ctx, holds(expr))
	for err != nil && ctx.Err() == nil { // another page has come meanwhile
		_, err = chromedp.Run(ctx, holds(expr))
	}
	require.NoError(b.t, err)
}

// follow does what the page asks until the verdict is proven.
func (c *car) follow(most int) {
	c.t.Helper()
	for range most {
		c.quiet()
		if c.eval(`String(!!document.querySelector(".verdict.proven"))`) == "true" {
			return
		}
		if c.eval(`String(!!document.querySelector("form.commandtable"))`) == "true" {
			c.pass()
			continue
		}
		c.answer()
	}
	c.t.Fatalf("no verdict after %d tests: %s", most, c.text(".thread"))
}

// pass commands every state and records the whole table: a touch a fan and a state, and one to record.
func (c *car) pass() {
	c.t.Helper()
	var setup []string
	require.NoError(c.t, json.Unmarshal([]byte(c.eval(`JSON.stringify([...document.querySelectorAll(".ledger form input[name=undo] ~ "
		+ "input[name=action]")].map((e) => e.value))`)), &setup))
	for i, state := range c.model.Circuit.States {
		o, err := c.player.Answer(probe.Question{Do: probe.LookAtFans, State: state.Name, Setup: setup})
		require.NoError(c.t, err)
		fans := c.model.Circuit.Fans()
		same, good := len(fans) > 1, len(fans) > 1
		for k, fan := range fans {
			same = same && o.Fans()[fan.Name] == "stopped"
			good = good && o.Fans()[fan.Name] == c.eval(fmt.Sprintf(
				`document.getElementById("fan-%d-%d-stopped").closest(".fanword").dataset.good`, i, k))
		}
		row := fmt.Sprintf(`fieldset:nth-of-type(%d) .whole-row button`, i+1)
		switch {
		case same:
			c.click(row + `[data-word]`)
		case good && c.count(row+`:not([data-word])`) > 0:
			c.click(row + `:not([data-word])`)
		default:
			for k, fan := range fans {
				c.click(fmt.Sprintf(`label[for="fan-%d-%d-%s"]`, i, k, o.Fans()[fan.Name]))
			}
		}
	}
	before := c.eval(`String(document.querySelectorAll(".bead.seen").length)`)
	c.click(".commandtable .btn-primary")
	c.waits(fmt.Sprintf(`document.querySelectorAll(".bead.seen").length > %s`, before))
}

// verify goes through the list before closing as a hand does: a touch a state, one to the first figure and Enter from each to the
// next, one for the whole warm-up, one for the codes, one for each cause that no figure answers, and one to record.
func (c *car) verify() {
	c.t.Helper()
	// A word that was touched is seen to be chosen: under load a page may move between the aim and the touch.
	choose := func(id string) {
		c.click(fmt.Sprintf(`label[for="%s"]`, id))
		c.waits(fmt.Sprintf(`document.getElementById(%q).checked`, id))
	}
	list, err := repair.List(c.model, nil)
	require.NoError(c.t, err)
	figures, clamped := 0, false
	for i, check := range list {
		answer := fmt.Sprintf("answer-%d", i)
		if c.count(fmt.Sprintf(`.anew [name=%q]`, answer)) > 0 {
			continue // seen already, by a log or by the link
		}
		switch {
		case check.Fans != nil: // a state in one touch
			whole := fmt.Sprintf(`button[name="foretold"][value="%s"]`, check.Key)
			if c.count(whole) == 0 {
				continue // seen after the repair, and not asked again
			}
			c.click(whole)
			c.quiet()
		case check.Test == nil: // the warm-up, once for all its lines
			if c.eval(fmt.Sprintf(`String(document.getElementById("%s-ok").checked)`, answer)) == "true" {
				continue
			}
			if c.count(`#pass p button[type=button]`) > 0 {
				c.click(`#pass p button[type=button]`)
				c.waits(fmt.Sprintf(`document.getElementById("%s-ok").checked`, answer))
				continue
			}
			choose(answer + "-ok")
		case check.Test.Do == probe.TroubleCodes:
			choose(answer + "-none")
		default:
			if figures++; figures == 1 {
				c.click(fmt.Sprintf(`input[name="%s"]`, answer))
			} else {
				c.press("Enter")
			}
			c.waits(fmt.Sprintf(`document.activeElement.name === %q`, answer))
			c.keys(fmt.Sprintf("%.1f", (check.Low+check.High)/2))
			clamped = true
		}
	}
	var causes []string
	require.NoError(c.t, json.Unmarshal([]byte(c.eval(`JSON.stringify([...document.querySelectorAll("label[for^=cause-][for$=-ok]")]`+
		`.filter((e) => !e.closest(".anew")).map((e) => e.htmlFor + " " + e.closest("li").textContent))`)), &causes))
	for _, cause := range causes {
		if id, text, _ := strings.Cut(cause, " "); !clamped || !strings.Contains(text, "running current within its band") {
			choose(id)
		}
	}
	c.click(".ticks ~ .reach .btn-primary")
	c.quiet()
}

// own chooses a test of one's own by its address.
func (c *car) own(query string) { c.t.Helper(); c.visit(c.url + "?" + query) }

func TestABlownLinkFuse(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob")
	c := bring(t, open(t), "f3-twin-series-parallel", "F3 open")
	c.follow(12)
	c.sees(".verdict .fault", "F3 open")
	c.click(".repairform .btn-primary")
	c.sees(".ledger .done", "F3 replaced")
	// The fuse is whole now: every state is asked again, and each is as it should be.
	c.follow(8)
	c.sees(".verdict", "Every state is as it should be after the repair")
	c.click(".verdict a.btn-primary")
	c.sees("h2", "To be seen before the job closes")
	c.sees("h3", "Does F3 open explain the complaint?")
	c.accessible()
	c.verify()
	c.sees("main h2", "all of it seen")
}

func TestABurntContactThatClicks(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob")
	c := bring(t, open(t), "f3-twin-series-parallel", "K1 make contact burnt 5")
	c.own("do=relay&part=K1&state=low")
	c.answer()
	c.sees(".thread", "low: K1: click")
	c.sees(".suspects", "")
	c.visit(c.url)
	c.follow(14)
	c.sees(".verdict .fault", "K1 make contact")
}

func TestALostGroundTakenForADeadMotor(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob")
	c := bring(t, open(t), "f2-staged-pair", "wire M2.- - G1 open")
	c.follow(14)
	c.sees(".verdict .fault", "wire M2.- - G1 open")
	// Whoever believes in the motor is shown what speaks against it.
	c.visit(c.url + "/believe?part=M2")
	c.sees("h2", "M2: the evidence gives it")
	c.sees(".suspects", "wire M2.- - G1 open")
}

func TestAModuleThatIsInnocent(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob")
	// Half an ohm in the module's feed: a light lamp there is bright, the feed dies under load.
	c := bring(t, open(t), "f7-discrete-module", "wire F1.b - FM.1 resists 1")
	c.own("do=lamp&pin=FM.1&state=off")
	c.sees(".move .title", "Test lamp at FM.1")
	c.answer()
	c.sees(".thread", "lamp bright at FM.1")
	c.visit(c.url)
	c.follow(18)
	c.sees(".verdict .fault", "wire F1.b - FM.1")
}

func TestAFanLeftUnplugged(t *testing.T) {
	soak.Only(t, "TestASetupAtOneTouch; without a browser TestAJobClosesOnlyWithAnEmptyLedger")
	c := bring(t, open(t), "f3-twin-series-parallel", "K3 coil open")
	c.own("do=turned&part=M2&state=off")
	c.sees(".record", "M2 is unplugged")
	c.answer()
	c.sees(".ledger .done", "M2 is unplugged")
	// The next look expects what an unplugged fan does: that it stands is no evidence.
	c.own("look=1&state=high")
	c.sees(".good", "M2 stopped")
	c.answer()
	c.visit(c.url + "/verify")
	c.sees(".caution", "Still on the car: M2 unplugged")
	c.fill("#closing", "done")
	c.click(".closing .btn-primary")
	c.sees("#notice", "The ledger is not empty: M2 unplugged")
}

func TestTwoFaults(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob; two faults without a browser: TestAPairIsSearchedWhereNoSingleFaultExplainsTheLog")
	c := bring(t, open(t), "f3-twin-series-parallel", "F1 open", "F3 open")
	c.follow(24)
	first := c.text(".verdict .fault")
	require.Contains(t, []string{"F1 open", "F3 open"}, first)
	c.click(".repairform .btn-primary")
	c.sees(".ledger .done", "replaced")
	c.follow(24)
	second := c.text(".verdict .fault")
	require.Contains(t, []string{"F1 open", "F3 open"}, second)
	require.NotEqual(t, first, second)
	c.click(".repairform .btn-primary")
	c.sees(".ledger .done", second[:2]+" replaced")
	c.follow(8)
	c.sees(".verdict", "Every state is as it should be after the repair")
}

func TestAContradiction(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob; without a browser TestContradictingRepeatsSaySo")
	c := bring(t, open(t), "f3-twin-series-parallel", "F3 open")
	c.own("pin=F3.a&state=low")
	c.answer()
	c.own("pin=F3.b&state=low")
	c.answer()
	c.own("look=1&state=low")
	// Both fans turn, says a tired eye: with one side of the link fuse dead.
	c.record(probe.Observation{Question: probe.Question{Do: probe.LookAtFans}, Answer: probe.Fans{"M1": "slow", "M2": "slow"}})
	c.sees(".move .alert-danger", "this contradicts the rest; take it again")
	// Taken again and the first struck out, all is plain.
	clickOn(c.tab, chromedp.JSPath(`[...document.querySelectorAll(".bead.seen .strike")].at(-1)`))
	c.sees(".bead.struck", "struck out")
	c.visit(c.url)
	c.follow(10)
	c.sees(".verdict .fault", "F3 open")
}

// A technician of the fuse-and-socket kind never does what is offered, and comes to the same
// verdict.
func TestOnesOwnWay(t *testing.T) {
	soak.Only(t, "TestTouchesOfOwnReadings and TestOwnReadingsInTwoTouches")
	c := bring(t, open(t), "f3-twin-series-parallel", "F3 open")
	for _, way := range []string{
		"pin=F1.b&state=low", "pin=F2.b&state=low", "pin=K1.30&state=low", "do=relay&part=K1&state=low", "look=1&state=low",
		"look=1&state=high", "pin=M1.%2B&state=low", "pin=F3.a&state=low", "do=lamp&pin=F3.b&state=low", "pin=F3.b&state=low",
	} {
		c.own(way)
		c.sees(".move h2", "Your choice")
		c.answer()
	}
	c.visit(c.url)
	c.sees(".verdict", "Verdict, proven")
	c.sees(".verdict .fault", "F3 open")
	c.visit(c.url + "/why?fault=F3+open")
	c.sees(".reasons", "for it")
	c.accessible()
}

// The study of a circuit, begun and watched.
func TestTheStudyPage(t *testing.T) {
	soak.Only(t, "TestEveryPageIsAccessible; without a browser TestTheStudyOfACircuit")
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/harnesses/f10-speed-controller/study")
	b.sees(".head p", "Study:")
	b.sees("h1", "Shed fan")
	b.click(".ask .btn-primary")
	b.sees(".reasons", "fixed textbook order")
	b.sees("p", "Minutes against the fixed order")
	b.accessible()
}

// From the verdict to the closed job, by touch: the repair with its parts, every state, the
// list, a photograph of the plug, the report; and the job file taken in again.
func TestFromTheRepairToTheReport(t *testing.T) {
	soak.Only(t, "TestTouchesOfAWholeJob; without a browser TestTheReportShowsTheFaultOnItsPage and the rest of web/jobs")
	s := open(t)
	c := bring(t, s, "f1-one-relay", "F1 open")
	c.follow(12)
	c.sees(".verdict .fault", "F1 open")
	c.fill(`.repairform input[name="text"]`, "new fuse, cavity cleaned")
	c.fill(`.repairform input[name="parts"]`, "blade fuse")
	c.fill(`.repairform input[name="minutes"]`, "4,5")
	c.click(".repairform .btn-primary")
	c.sees(".bead.repaired", "new fuse, cavity cleaned")
	c.follow(6)
	c.sees(".verdict", "Every state is as it should be after the repair")

	c.visit(c.url + "/verify")
	c.sees("h2", "To be seen before the job closes")
	c.sees("h3", "Does F1 open explain the complaint?")
	c.verify()
	c.sees("main h2", "all of it seen")
	c.accessible()
	c.fill("#closing", "the fuse's blade was green")
	c.click(".closing .btn-primary")
	c.sees(".move", "Closed: verified")
	c.visit(c.url + "/report")
	c.sees(".owner", "We found the trouble at the fuse F1")
	c.sees(".reasons", "new fuse, cavity cleaned")
	c.accessible()
	c.visit(s.url + "/logbook?find=green")
	c.sees(".reasons", "F1 open")
	c.sees(".counts", "fuse open")
}

// Tools and school, chosen by touch, change what is offered at once.
func TestToolsByTouch(t *testing.T) {
	soak.Only(t, "TestEveryPageIsAccessible; without a browser TestToolsAreThePersons")
	s := open(t)
	b := s.tab(t)
	b.visit(s.url + "/jobs/6?do=volts&pin=F3.a&state=low")
	b.sees(".move .title", "Volts at")
	b.click(".person button")
	b.click(`.person a[href^="/tools"]`)
	b.sees("h1", "Tools and way of working")
	b.accessible()
	b.click(`label:has(input[name="tool-meter"])`)
	b.click(`label:has(input[name="school"][value="swap first"])`)
	b.click(".asked .btn-primary")
	b.sees(".move .title", "") // kept, and back at the job
	require.Contains(t, b.eval("location.pathname"), "/jobs/6")
	b.visit(s.url + "/jobs/6")
	b.sees(".move h2", "Next move")
	require.NotContains(t, b.text(".move .title"), "Volts")
	b.visit(s.url + "/tools")
	require.Equal(t, "false", b.eval(`String(document.querySelector("input[name=tool-meter]").checked)`))
	require.Equal(t, "swap first", b.eval(`document.querySelector("input[name=school]:checked").value`))
}

// A set-up that the move asks for is entered at one touch before the reading, and a pin that
// cannot be reached is an answer.
func TestASetupAtOneTouch(t *testing.T) {
	s := open(t)
	c := bring(t, s, "f3-twin-series-parallel", "K1 coil open")
	c.own("do=coil&part=K1&state=off")
	c.sees(".move .title", "K1 on the bench")
	c.click(".setfirst .btn")
	c.sees(".ledger .done", "K1 is out")
	c.own("do=coil&part=K1&state=off")
	c.answer()
	c.sees(".thread", "K1 on the bench: OL between 86 and 85")
	c.own("pin=F3.b&state=low")
	c.click(`button[name="unreachable"]`)
	c.sees(".thread", "F3.b cannot be reached")
	c.visit(c.url)
	require.NotContains(t, c.text(".move .title"), "F3.b")
}
