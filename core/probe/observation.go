// Package probe holds what can be tried on a car and what was seen: tests, what they cost
// in minutes, and observations as they are written in files, logs and answers.
//
// In goes a circuit, out comes the list of tests that can be made on it; what a test would
// show is not said here (package electric computes it), nor which is best (package
// diagnose).
package probe

import (
	"maps"
	"regexp"
	"slices"
	"strings"
)

// Observation is one thing seen or read, in the shape of the observations file. One of the
// keys of a [Do] is given. Setup is the whole set-up that held.
type Observation struct {
	State string   `json:"state,omitempty"`
	Setup []string `json:"setup,omitempty"`
	// How the vehicle stood, over what the state says of it: the engine off, running or cranking; key and A/C on or
	// off; coolant in °C, refrigerant in bar, km/h. They may stand in the set-up as well, as "engine running".
	Engine   string   `json:"engine,omitempty"`
	Key      string   `json:"key,omitempty"`
	AC       string   `json:"ac,omitempty"`
	Coolant  *float64 `json:"coolant,omitempty"`
	Pressure *float64 `json:"pressure,omitempty"`
	Speed    *float64 `json:"speed,omitempty"`

	Fans map[string]string `json:"fans,omitempty"` // what each fan did

	Volts *Reading `json:"volts,omitempty"` // at At, from From
	Amps  *Reading `json:"amps,omitempty"`  // into the part at At
	Ohms  *Reading `json:"ohms,omitempty"`  // between At and From
	Lamp  string   `json:"lamp,omitempty"`
	LED   string   `json:"led,omitempty"`
	At    string   `json:"at,omitempty"`
	From  string   `json:"from,omitempty"` // empty: the battery's negative post
	With  string   `json:"with,omitempty"` // "heavy": of a lamp; the pin of a second wire under a clamp
	Buzz  string   `json:"buzz,omitempty"` // of a continuity buzzer between At and From: beeps or silent
	// Leads are the ohms that a meter's leads add, taken off Ohms already; Nulled says that the meter took them off.
	// Where neither is given they are in the figure, and not known.
	Leads  float64 `json:"leads,omitempty"`
	Nulled bool    `json:"nulled,omitempty"`
	// Zeroed says that the clamp was zeroed with the other consumers on.
	Zeroed bool `json:"zeroed,omitempty"`

	Relay   string    `json:"relay,omitempty"` // felt or heard
	Felt    string    `json:"felt,omitempty"`
	Codes   *[]string `json:"codes,omitempty"`   // an empty list is evidence too
	Turned  string    `json:"turned,omitempty"`  // a fan turned by hand
	Looked  string    `json:"looked,omitempty"`  // a part looked at closely
	Wiggled string    `json:"wiggled,omitempty"` // a part tapped, or its wires wiggled
	Found   string    `json:"found,omitempty"`   // of Turned, Looked, Wiggled

	Bench     string   `json:"bench,omitempty"` // a relay out, its Ohms between two of its pins
	Between   []string `json:"between,omitempty"`
	Energised bool     `json:"energised,omitempty"`
	// Direct are pins of the part on the bench, in pairs, that had fused power: plus, minus. It is only read; it is kept as
	// a look at the fan with battery packs in the set-up.
	Direct []string `json:"-"`

	Unreachable bool `json:"unreachable,omitempty"` // At cannot be got at: nothing is known by it
}

// codeForm is the form of a fault code (SAE J2012: a letter and four hexadecimal figures).
var codeForm = regexp.MustCompile(`^[PCBU][0-9A-F]{4}$`)

func between(o *Observation) string { return strings.Join(o.Between, " and ") }

// at writes an answer with where it was read.
func (o *Observation) at(answer string) string {
	s := answer + " at " + o.At
	if o.From != "" {
		s += " from " + o.From
	}
	return s
}

func sortedFans(fans map[string]string) []string { return slices.Sorted(maps.Keys(fans)) }

// FansWords says what each fan did: "M1 fast, M2 stopped".
func (o *Observation) FansWords() string {
	var list []string
	for _, name := range sortedFans(o.Fans) {
		list = append(list, name+" "+o.Fans[name])
	}
	return strings.Join(list, ", ")
}
