package jobs

import (
	"fmt"
	"net/url"
	"slices"

	"ironthread/core/harness"
	"ironthread/core/probe"
)

// What a touch on the drawing opens: a part with everything that can be done to it, or a terminal with the instruments that can be
// laid there. A figure is asked for at once, in volts; every other instrument is one more touch away, in the same place.

// placeCard is a part that was touched.
type placeCard struct {
	Name, Called string
	First        string // its first terminal, which stands in the middle of the drawing
	Tests        []placeTest
	Round        []placeTest // its terminals one after the other, in one pass
}

// placeAsked lists what can be done at a part, as the car stands.
func (j *jobAt) placeAsked(state *harness.State, name string) (*placeCard, error) {
	part := j.file.Drawn.Part(name)
	if part == nil {
		return nil, fmt.Errorf("there is no part %s in this circuit", name)
	}
	card := &placeCard{Name: part.Name, Called: part.Label, First: part.Pins()[0].String(), Tests: j.atPlace(name, state)}
	if len(j.cavities(part)) > 1 {
		for _, with := range roundsWith {
			card.Round = append(card.Round, placeTest{Title: with.Title, URL: roundURL(j, part.Name, state.Name, with.Do)})
		}
	}
	return card, nil
}

// Chosen tells whether the right column shows what somebody chose themselves.
func (p *jobPage) Chosen() bool {
	return p.Place != nil || p.Round != nil || p.Card != nil && p.Card.Mine
}

// mostLately is how many places that were measured last are at hand.
const mostLately = 5

// lately are the places that were measured last, the newest first.
func (j *jobAt) lately() []string {
	var list []string
	for i := len(j.state.Seen) - 1; i >= 0 && len(list) < mostLately; i-- {
		if at := j.state.Seen[i].At; at != "" && !slices.Contains(list, at) {
			list = append(list, at)
		}
	}
	return list
}

// placeURL is the job's page with a part or a terminal as if it had been touched, in a state where one is given.
func placeURL(j *jobAt, place, state string) string {
	key := "place"
	if j.file.Drawn.Part(place) == nil {
		key = "pin"
	}
	q := url.Values{key: {place}}
	if state != "" {
		q.Set("state", state)
	}
	return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
}

// instruments are those that can be laid at a terminal, as one asks for them.
var instruments = []struct {
	Do   probe.Do
	Word string
}{{probe.Volts, "volts"}, {probe.Lamp, "lamp"}, {probe.Amps, "clamp"}, {probe.Ohms, "ohms"}, {probe.Buzzer, "buzzer"}, {probe.LED, "LED"}}

// offerHere lists what else can be laid where a chosen test is, and where ohms from there can be read to.
func (p *jobPage) offerHere(j *jobAt, t probe.Test) {
	if t.At.Part == "" || t.At.Inner {
		return
	}
	at := t.At.String()
	address := func(do probe.Do, from string) string {
		q := url.Values{"state": {t.State.Name}, "do": {string(do)}, "pin": {at}}
		if from != "" {
			q.Set("from", from)
		}
		return fmt.Sprintf("/jobs/%d?%s", j.ID, q.Encode())
	}
	for _, i := range instruments {
		p.Here = append(p.Here, placeTest{Title: i.Word, URL: address(i.Do, ""), On: i.Do == t.Do})
	}
	p.Here = append(p.Here, placeTest{Title: "all at " + t.At.Part, URL: placeURL(j, t.At.Part, t.State.Name)})
	if t.Do != probe.Ohms && t.Do != probe.Buzzer {
		return
	}
	p.OtherEnd = address(t.Do, "") + "&from="
	for _, end := range j.otherEnds(t.At) {
		p.Ends = append(p.Ends, placeTest{Title: end.String(), URL: address(t.Do, end.String()), On: end == t.From})
	}
}

// otherEndOf gives ohms that were asked for at one terminal the likeliest other end, which the page then lets one change.
func (j *jobAt) otherEndOf(own url.Values) {
	if do := probe.Do(own.Get("do")); do != probe.Ohms && do != probe.Buzzer || own.Get("from") != "" || own.Get("as") != "" {
		return
	}
	if at, err := j.file.Drawn.FindPin(own.Get("pin")); err == nil {
		if ends := j.otherEnds(at); len(ends) > 0 {
			own.Set("from", ends[0].String())
		}
	}
}

// otherEnds are where a lead goes next from a terminal: the far ends of its wires, then the other terminals of its part, then
// battery negative.
func (j *jobAt) otherEnds(at harness.Pin) []harness.Pin {
	var list []harness.Pin
	add := func(pin harness.Pin) {
		if pin != at && !slices.Contains(list, pin) {
			list = append(list, pin)
		}
	}
	for _, w := range j.file.Drawn.Wires {
		switch at {
		case w.From:
			add(w.To)
		case w.To:
			add(w.From)
		}
	}
	for _, pin := range j.file.Drawn.Part(at.Part).Pins() {
		add(pin)
	}
	for _, battery := range j.file.Drawn.OfKind(harness.KindBattery) {
		add(harness.Pin{Part: battery.Name, Name: "-"})
	}
	return list
}

// cavities are the terminals of a part that a wire ends in.
func (j *jobAt) cavities(part *harness.Part) []harness.Pin {
	var list []harness.Pin
	for _, pin := range part.Pins() {
		if slices.ContainsFunc(j.file.Drawn.Wires, func(w *harness.Wire) bool { return w.From == pin || w.To == pin }) {
			list = append(list, pin)
		}
	}
	return list
}
