package printed

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
)

// Switches that close by temperature or by pressure. Hardly any page prints at how many degrees: that comes as usual, in a short form that
// can be typed over ("1: 92/87, 2: 99/94": the contact at pin 1 closes at 92 and opens again at 87), and the circuit gets a state below
// the first contact and one above each.

// contact is one contact of such a switch.
type contact struct {
	pin           string
	closes, opens float64
}

// Steps from one contact of a switch to the next, where nobody says more, and what lies between closing and opening again.
const (
	firstDegrees, moreDegrees, degreesBetween = 92, 7, 5 // °C
	firstBar, moreBar, barBetween             = 17, 5, 3
	coldBelow, hotAbove                       = 20, 2 // a state lies so far below the first opening, and so far above a closing
)

var contactForm = regexp.MustCompile(`^([A-Za-z0-9+_-]{1,20})\s*:\s*(-?[0-9.]+)\s*/\s*(-?[0-9.]+)$`)

// staged tells whether a part is such a switch.
func staged(k harness.Kind) bool {
	return k == harness.KindThermoswitch || k == harness.KindPressureSwitch
}

// contactsOf are a switch's contacts: those that are typed, or the usual ones of the pins that are on the page; usual says which. They
// are none where what is typed is something else.
func (t *Trace) contactsOf(p *Part) (list []contact, usual bool) {
	if p.Settings != "" {
		for _, text := range strings.Split(p.Settings, ",") {
			m := contactForm.FindStringSubmatch(strings.TrimSpace(text))
			if m == nil {
				return nil, false
			}
			closes, err1 := strconv.ParseFloat(m[2], 64)
			opens, err2 := strconv.ParseFloat(m[3], 64)
			if err1 != nil || err2 != nil {
				return nil, false
			}
			list = append(list, contact{m[1], closes, opens})
		}
		return list, false
	}
	first, more, between := float64(firstDegrees), float64(moreDegrees), float64(degreesBetween)
	if p.Kind == harness.KindPressureSwitch {
		first, more, between = firstBar, moreBar, barBetween
	}
	for _, pin := range t.pinsOf(p) {
		if pin != "c" {
			at := first + more*float64(len(list))
			list = append(list, contact{pin, at, at - between})
		}
	}
	return list, true
}

// shortly spells contacts as they are typed.
func shortly(list []contact) string {
	var words []string
	for _, k := range list {
		words = append(words, fmt.Sprintf("%s: %g/%g", k.pin, k.closes, k.opens))
	}
	return strings.Join(words, ", ")
}

// stagesText spells them as a harness file does.
func stagesText(list []contact) string {
	var words []string
	for _, k := range list {
		words = append(words, fmt.Sprintf("%q: {closes: %g, opens: %g}", k.pin, k.closes, k.opens))
	}
	return "stages: {" + strings.Join(words, ", ") + "}"
}

// stagedStates are the states that a circuit gets of its thermal and pressure switches: none closed, and each closed after the other.
func (t *Trace) stagedStates() []State {
	var list []State
	for _, kind := range []harness.Kind{harness.KindThermoswitch, harness.KindPressureSwitch} {
		var all []contact
		for i := range t.Parts {
			if p := &t.Parts[i]; p.Kind == kind {
				contacts, _ := t.contactsOf(p)
				all = append(all, contacts...)
			}
		}
		list = append(list, statesOf(kind, all)...)
	}
	return list
}

// stateNames are what the states of a switch with one contact or two are called.
var stateNames = map[harness.Kind]map[int][]string{
	harness.KindThermoswitch:   {1: {"cold", "hot"}, 2: {"cold", "warm", "hot"}},
	harness.KindPressureSwitch: {1: {"unpressed", "pressed"}, 2: {"unpressed", "pressed", "highpressure"}},
}

// manyContacts begins the names of the states of a switch with more.
var manyContacts = map[harness.Kind]string{harness.KindThermoswitch: "stage", harness.KindPressureSwitch: "pressure"}

// statesOf are the states of one kind of switch, by the figures at which its contacts close.
func statesOf(kind harness.Kind, contacts []contact) []State {
	if len(contacts) == 0 {
		return nil
	}
	slices.SortFunc(contacts, func(a, b contact) int { return int(100 * (a.closes - b.closes)) })
	contacts = slices.CompactFunc(contacts, func(a, b contact) bool { return a.closes == b.closes })
	least := contacts[0].opens
	for _, k := range contacts {
		least = min(least, k.opens)
	}
	below := least - coldBelow
	if kind == harness.KindPressureSwitch {
		below = max(least/2, 0)
	}
	levels := []float64{below}
	for n, k := range contacts {
		at := k.closes + hotAbove
		if n+1 < len(contacts) {
			at = min(at, (k.closes+contacts[n+1].closes)/2)
		}
		levels = append(levels, at)
	}
	var list []State
	for n, at := range levels {
		s := State{Name: fmt.Sprintf("%s%d", manyContacts[kind], n)}
		if names := stateNames[kind][len(contacts)]; names != nil {
			s.Name = names[n]
		}
		if kind == harness.KindPressureSwitch {
			s.Pressure = &at
		} else {
			s.Coolant = &at
		}
		list = append(list, s)
	}
	return list
}
