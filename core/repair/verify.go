package repair

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/units"
)

// Check is one thing to be seen before a job closes.
type Check struct {
	Key    string      `json:"key"` // stays the same while the harness does
	Text   string      `json:"text"`
	Expect string      `json:"expect"`
	Why    string      `json:"why,omitempty"`
	Test   *probe.Test `json:"-"` // what answers it, where a reading does
	Low    float64     `json:"low,omitempty"`
	High   float64     `json:"high,omitempty"`
	Fans   map[string]string

	// Warm says that the check is answered by the temperature, °C, at which it was seen; Low and High are its band.
	Warm   bool `json:"warm,omitempty"`
	Rising bool `json:"rising,omitempty"` // of a warm check: as the engine warms up, not as it cools down

	// A cause that was looked into on the way is not asked again: the fans that are to be turned by hand, and those whose
	// current is clamped.
	Turn  []string `json:"-"`
	Clamp []string `json:"-"`
}

// List is the verification of a circuit after a repair, computed from the harness: every
// state with each fan, each fan's current within its predicted band, the temperatures at which
// fans start and stop through a warm-up, no codes. setup is what lasts of the repair.
func List(m *electric.Model, setup []electric.Action) ([]Check, error) {
	kept := probe.Lasting(setup)
	n, err := m.Network(kept, nil)
	if err != nil {
		return nil, err
	}
	var list []Check
	var clamps []Check
	for _, s := range m.Circuit.States {
		n.Tune(electric.Car{})
		n.Restore()
		n.Enter(s)
		fans := wordsOf(m, n)
		list = append(list, Check{
			Key: "look " + s.Name, Text: "Each fan seen in " + s.Name, Expect: fansWords(fans), Fans: fans,
			Test: &probe.Test{Do: probe.LookAtFans, State: s, Setup: kept},
		})
		clamps = append(clamps, bands(m, n, s, kept)...)
	}
	list = append(list, clamps...)
	list = append(list, thresholds(m, kept)...)
	if len(m.Circuit.OfKind(harness.KindController)) > 0 {
		list = append(list, Check{
			Key: "codes", Text: "Fault codes cleared, and none back", Expect: "no codes",
			Test: &probe.Test{Do: probe.TroubleCodes, State: m.Circuit.States[0], Setup: kept},
		})
	}
	return list, nil
}

// clampAt is where a clamp goes round a fan's wire, with the name of the winding where each has a wire of its own.
type clampAt struct {
	fan *harness.Part
	pin harness.Pin
	of  string
}

// clampsOf are the places at which a circuit's fans are clamped: one a fan, or one a winding where they share no wire.
func clampsOf(c *harness.Circuit) []clampAt {
	var list []clampAt
	for _, fan := range c.Fans() {
		if at, ok := whole(fan); ok {
			list = append(list, clampAt{fan, at, ""})
			continue
		}
		for _, w := range fan.Spec.(*harness.Motor).Windings {
			list = append(list, clampAt{fan, harness.Pin{Part: fan.Name, Name: w.Plus}, " " + w.Name})
		}
	}
	return list
}

// bands predicts each running fan's current in a state over cars within tolerance.
func bands(m *electric.Model, n *electric.Network, s *harness.State, kept []electric.Action) []Check {
	places := clampsOf(m.Circuit)
	low, high := make([]float64, len(places)), make([]float64, len(places))
	for k := range low {
		low[k], high[k] = math.Inf(1), math.Inf(-1)
	}
	for k := range verifyCars {
		n.Tune(electric.RandomCar(m.Circuit, verifySeed+uint64(k)))
		n.Restore()
		n.Enter(s)
		for f, at := range places {
			amps := math.Abs(n.AmpsInto(at.pin))
			low[f], high[f] = math.Min(low[f], amps), math.Max(high[f], amps)
		}
	}
	const least = 0.5 // amps of a fan that runs
	var list []Check
	for f, at := range places {
		if low[f] < least {
			continue
		}
		c := Check{
			Key: fmt.Sprintf("clamp %s%s %s", at.fan.Name, at.of, s.Name), Text: fmt.Sprintf("Clamp on %s%s in %s", at.fan.Name, at.of, s.Name),
			Low: low[f] * (1 - bandMargin), High: high[f] * (1 + bandMargin),
			Test: &probe.Test{Do: probe.Amps, State: s, Setup: kept, At: at.pin},
		}
		c.Expect = fmt.Sprintf("%.1f to %.1f A", c.Low, c.High)
		list = append(list, c)
	}
	return list
}

// whole is the pin at which a clamp reads a fan's whole current: one of two, or the one that all windings share; ok is
// false where there is none.
func whole(fan *harness.Part) (at harness.Pin, ok bool) {
	pins := fan.Pins()
	if len(pins) == 2 {
		return pins[0], true
	}
	windings := fan.Spec.(*harness.Motor).Windings
	for _, pin := range pins {
		shared := func(w *harness.Winding) bool { return w.Plus == pin.Name || w.Minus == pin.Name }
		if !slices.ContainsFunc(windings, func(w *harness.Winding) bool { return !shared(w) }) {
			return pin, true
		}
	}
	return at, false
}

// thresholds lists where fans should change in a warm-up; none where the harness does not say.
func thresholds(m *electric.Model, kept []electric.Action) []Check {
	steps, err := WarmUp(m, kept, nil)
	if err != nil {
		return nil
	}
	var list []Check
	for _, s := range steps[1:] {
		way, key := "Cooling down again", "down"
		if s.Rising {
			way, key = "Warming up", "up"
		}
		list = append(list, Check{
			Key:  fmt.Sprintf("warm-up %s %.0f", key, s.Coolant),
			Text: fmt.Sprintf("%s, the fans change near %.0f °C", way, s.Coolant), Expect: s.Words(),
			Warm: true, Rising: s.Rising, Low: s.Coolant - warmBand, High: s.Coolant + warmBand,
		})
	}
	return list
}

// Ticked is a check with what was seen of it.
type Ticked struct {
	Check
	Done  bool   `json:"done"`
	Wrong bool   `json:"wrong"`          // seen, and not as it should be
	Read  string `json:"read,omitempty"` // as people read it

	Unprovoked bool `json:"-"` // the warm-up did not come to the point where it would have been seen
}

// answer takes what was said by hand.
func (t *Ticked) answer(word string) {
	t.Done, t.Wrong, t.Unprovoked = true, !t.answered(word), strings.HasPrefix(word, NotProvoked)
	_, t.Read = Spoken(t.Key, word)
}

// Tick holds what has been seen since the repair, and what was said by hand (check key to
// "as expected" or a finding), against the list. A later answer replaces an earlier one. Whether the engine ran makes no other
// car: a fan that was seen with it running has been seen, and a current is held against what it is then.
func Tick(m *electric.Model, list []Check, seen []probe.Observation, said map[string]string) []Ticked {
	ticked := make([]Ticked, 0, len(list))
	for _, check := range list {
		t := Ticked{Check: check}
		if word, ok := said[check.Key]; ok {
			t.answer(word)
		}
		if check.Test != nil {
			t.read(m, seen)
		}
		ticked = append(ticked, t)
	}
	return ticked
}

// read takes from the log what answers a check with a test. Fans may be looked at one by one.
func (t *Ticked) read(m *electric.Model, seen []probe.Observation) {
	fans := probe.Fans{}
	for k := range seen {
		o := &seen[k]
		made, err := o.Test(m.Circuit)
		if err != nil || o.Unreachable() || !t.asks(made) {
			continue
		}
		switch {
		case o.Fans() != nil:
			maps.Copy(fans, o.Fans())
			t.looked(fans, o)
		default:
			t.Done, t.Read, t.Wrong = true, o.String(), !t.agrees(m, made, o)
		}
	}
}

// asks tells whether a test that was made is what the check asks for.
func (t *Ticked) asks(made probe.Test) bool {
	fitted := func(setup []electric.Action) string {
		_, rest := electric.EngineIn(setup)
		return probe.SetupKey(rest)
	}
	want := t.Test
	return made.Do == want.Do && fitted(made.Setup) == fitted(want.Setup) &&
		(made.Do == probe.TroubleCodes || made.State == want.State && made.At == want.At && made.From == want.From)
}

// looked takes what has been seen of the fans so far.
func (t *Ticked) looked(fans map[string]string, last *probe.Observation) {
	t.Done, t.Wrong, t.Read = len(fans) == len(t.Fans), false, last.String()
	for fan, word := range fans {
		running := word == probe.Running && slices.Contains([]string{string(electric.Slow), string(electric.Fast)}, t.Fans[fan])
		if word != t.Fans[fan] && !running {
			t.Done, t.Wrong = true, true
		}
	}
	if len(fans) > len(last.Fans()) || !t.Done {
		t.Read = last.State + ": " + fansWords(fans)
		if !t.Done {
			t.Read = "" // what is half seen is still asked for
		}
	}
}

// TickCauses is Tick for the causes of what failed: what was turned by hand or clamped on the way answers them, too. list is
// what else was to be seen, ticked.
func TickCauses(causes []Check, list []Ticked, seen []probe.Observation, kept []electric.Action, said map[string]string) []Ticked {
	ticked := make([]Ticked, 0, len(causes))
	for _, check := range causes {
		t := Ticked{Check: check}
		word, ok := said[check.Key]
		switch {
		case ok:
			t.answer(word)
		case check.Turn != nil:
			t.turned(seen, kept)
		case check.Clamp != nil:
			t.clamped(list)
		}
		ticked = append(ticked, t)
	}
	return ticked
}

// turned takes the last that was felt of each fan, unless that one has been renewed since.
func (t *Ticked) turned(seen []probe.Observation, kept []electric.Action) {
	renewals := func(fan string, setup []string) int {
		n := 0
		for _, words := range setup {
			if strings.HasPrefix(words, fan+" "+string(electric.Renewed)) {
				n++
			}
		}
		return n
	}
	var read []string
	felt := 0
	for _, fan := range t.Turn {
		now := renewals(fan, probe.SetupWords(kept))
		last := -1
		for k := range seen {
			if seen[k].Do == probe.Turned && seen[k].Part == fan && renewals(fan, seen[k].Setup) == now {
				last = k
			}
		}
		if last >= 0 {
			felt++
			read = append(read, seen[last].String())
			t.Wrong = t.Wrong || seen[last].Word() != probe.Free
		}
	}
	t.told(felt == len(t.Turn), read)
}

// clamped takes the currents of the fans that were read.
func (t *Ticked) clamped(list []Ticked) {
	var read []string
	clamped := map[string]bool{}
	for _, c := range list {
		if c.Test == nil || c.Test.Do != probe.Amps || !slices.Contains(t.Clamp, c.Test.At.Part) || !c.Done {
			continue
		}
		clamped[c.Test.At.Part] = true
		t.Wrong = t.Wrong || c.Wrong
		read = append(read, c.Read)
	}
	t.told(len(clamped) == len(t.Clamp), read)
}

// told takes what answers a cause: all that it asks, or something wrong.
func (t *Ticked) told(all bool, read []string) {
	if t.Done = all || t.Wrong; t.Done {
		t.Read = strings.Join(read, "; ")
	}
}

// AsExpected is the answer to a check in which nothing was out of order; NotProvoked that of a warm-up which did not come
// to the point where it would have been seen.
const (
	AsExpected  = "as expected"
	NotProvoked = "not provoked"
)

// Answer reads what somebody types in answer to a check by hand: a temperature, in °C or as the person reads, where the check is one of a
// warm-up; any words else. The result is as the log keeps it.
func (c *Check) Answer(text string, in units.System) string {
	if v, err := in.Celsius(text); c.Warm && err == nil {
		return celsius(v)
	}
	return text
}

func celsius(v float64) string { return fmt.Sprintf("%.0f °C", v) }

// answered tells whether an answer in words is as it should be.
func (c *Check) answered(word string) bool {
	if c.Warm {
		if v, err := units.Celsius(word); err == nil {
			return v >= c.Low && v <= c.High
		}
		if word == NotProvoked {
			return true
		}
	}
	return word == AsExpected
}

// agrees tells whether a reading or a word is as it should be.
func (c *Check) agrees(m *electric.Model, made probe.Test, o *probe.Observation) bool {
	if kind, ok := o.Kind().(probe.Worded); ok {
		return o.Word() == kind.Words(probe.Test{})[0]
	}
	r := o.Reading()
	if r == nil || r.Open {
		return false
	}
	low, high := c.Low, c.High
	if probe.SetupKey(made.Setup) != probe.SetupKey(c.Test.Setup) { // the engine does something else
		if n, err := m.Network(made.Setup, nil); err == nil {
			for _, other := range bands(m, n, made.State, made.Setup) {
				if other.Test.At == c.Test.At {
					low, high = other.Low, other.High
				}
			}
		}
	}
	return math.Abs(r.Figure) >= low && math.Abs(r.Figure) <= high
}

// Left counts what is not yet done, or came out wrong.
func Left(list []Ticked) int {
	n := 0
	for _, t := range list {
		if !t.Done || t.Wrong {
			n++
		}
	}
	return n
}
