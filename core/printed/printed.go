// Package printed is a circuit as it stands on somebody's page: which parts and pins are where on it, and what circuit that makes.
//
// In goes a [Trace]: parts with their kinds and names, pins where they were tapped, wires from pin to pin. Out comes the text of a
// harness file, what is still missing in it, and which kind of part is likely to come next. The one idea: the page is the drawing; what
// nobody prints (amps, ohms) comes as usual for the kind and is marked as assumed until somebody types it.
package printed

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"ironthread/core/harness"
)

// Bounds of what can be traced.
const (
	MostBytes = 256 << 10
	MostPages = 12
	mostParts = 120
	mostWires = 300
	mostText  = 200
	Whole     = 10000 // a page's width, and its height, in which a spot is counted
)

// Spot is a place on a page: X and Y in ten-thousandths of its width and height, from the upper left.
type Spot struct {
	Page int `json:"page"`
	X    int `json:"x"`
	Y    int `json:"y"`
}

// Part is a part as it stands on the page.
type Part struct {
	Name     string          `json:"name"`
	Kind     harness.Kind    `json:"kind"`
	Label    string          `json:"label,omitempty"`
	Spot     Spot            `json:"spot"`
	Pins     map[string]Spot `json:"pins,omitempty"`     // those that were tapped
	Settings string          `json:"settings,omitempty"` // as in a harness file; empty: as usual for the kind, and assumed
	Asks     map[string]Ask  `json:"asks,omitempty"`     // of a controller's pins: what each asks for
	Order    []string        `json:"order,omitempty"`    // the pins to be tapped, of a circuit that is there
}

// Ask is what a controller's pin does: an output that closes to ground or gives plus, and the command that it does so for.
type Ask struct {
	Command string `json:"command"`
	Gives   string `json:"gives,omitempty"` // "plus"; nothing: ground
}

// Wire is a line of the page. An end is a pin such as K1.87, a joint such as S1, or ">A" for one that goes on at A somewhere else.
type Wire struct {
	From   string `json:"from"`
	To     string `json:"to"`
	Colour string `json:"colour,omitempty"`
	Size   string `json:"size,omitempty"`
	Length string `json:"length,omitempty"` // as "1.2m", of a list
}

// State is one of the circuit's states: which commands are given in it, or how warm the coolant is.
type State struct {
	Name     string   `json:"name"`
	Commands []string `json:"commands"`

	Coolant  *float64 `json:"coolant,omitempty"`  // °C, where a thermal switch decides
	Pressure *float64 `json:"pressure,omitempty"` // bar, where a pressure switch does
}

// Trace is a circuit as it is being traced.
type Trace struct {
	Title  string  `json:"title"`
	Volts  int     `json:"volts"` // 12 or 24
	Parts  []Part  `json:"parts"`
	Wires  []Wire  `json:"wires"`
	States []State `json:"states,omitempty"` // empty: out of the commands

	// Of is the circuit that the page is laid on, where there is one: then nothing is drawn anew, and pins only get their places.
	Of string `json:"of,omitempty"`
}

// offPage begins an end that goes on somewhere else.
const offPage = ">"

var (
	partName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_/]{0,19}$`)
	sizeForm = regexp.MustCompile(`^[0-9][0-9.,]*(mm2|awg)?$`)
)

// Read reads a trace as it is kept, and holds it against its bounds. The error is a sentence that names what and where.
func Read(b []byte) (*Trace, error) {
	if len(b) > MostBytes {
		return nil, fmt.Errorf("what was traced is larger than %d KiB", MostBytes>>10)
	}
	t := &Trace{}
	if err := json.Unmarshal(b, t); err != nil {
		return nil, errors.New("what was traced cannot be read")
	}
	if err := t.sound(); err != nil {
		return nil, err
	}
	return t, nil
}

// sound holds a trace against its bounds.
func (t *Trace) sound() error {
	if t.Volts != 24 {
		t.Volts = 12
	}
	if utf8.RuneCountInString(t.Title) > mostText || !harness.Printable(t.Title) {
		return errors.New("the title is too long, or cannot be shown")
	}
	if len(t.Parts) > mostParts || len(t.Wires) > mostWires || len(t.States) > 20 {
		return fmt.Errorf("a page has up to %d parts and %d wires", mostParts, mostWires)
	}
	seen := map[string]bool{}
	for i := range t.Parts {
		if err := t.Parts[i].sound(); err != nil {
			return err
		}
		low := strings.ToLower(t.Parts[i].Name)
		if seen[low] {
			return fmt.Errorf("%s stands on the page twice: give one of them another name", t.Parts[i].Name)
		}
		seen[low] = true
	}
	for i, w := range t.Wires {
		if len(w.From)+len(w.To) > mostText || !sizeOK(w.Size) || !harness.Printable(w.From+w.To+w.Colour) || len(w.Colour) > 12 ||
			w.Length != "" && !lengthForm.MatchString(w.Length) {
			return fmt.Errorf("wire %d (%s to %s) cannot be read", i+1, harness.Clipped(w.From, 20), harness.Clipped(w.To, 20))
		}
	}
	for _, s := range t.States {
		if !partName.MatchString(s.Name) || len(s.Commands) > 20 {
			return fmt.Errorf("%q is no name of a state: letters and figures", harness.Clipped(s.Name, 20))
		}
	}
	return nil
}

func sizeOK(s string) bool { return s == "" || len(s) <= 12 && sizeForm.MatchString(s) }

func (p *Part) sound() error {
	switch {
	case !partName.MatchString(p.Name):
		return fmt.Errorf("%q is no name of a part: a letter, then letters and figures, such as K2", harness.Clipped(p.Name, 20))
	case !slices.Contains(harness.Kinds(), p.Kind):
		return fmt.Errorf("%s: %q is no kind of part", p.Name, harness.Clipped(string(p.Kind), 20))
	case utf8.RuneCountInString(p.Label) > mostText || len(p.Settings) > 2000 || len(p.Pins) > 80 || len(p.Asks) > 80:
		return fmt.Errorf("%s: what is said of it is too long", p.Name)
	case !harness.Printable(p.Label) || strings.ContainsAny(p.Label+p.Settings, "\n\r\x00"):
		return fmt.Errorf("%s: its label and settings are one line each", p.Name)
	}
	for name, spot := range p.Pins {
		if len(name) > 20 || !harness.Printable(name) || strings.ContainsAny(name, ".\n: ") || !spot.on() {
			return fmt.Errorf("%s: %q is no pin, or lies beside the page", p.Name, harness.Clipped(name, 20))
		}
	}
	if !p.Spot.on() {
		return fmt.Errorf("%s lies beside the page", p.Name)
	}
	return nil
}

func (s Spot) on() bool {
	return s.X >= 0 && s.X <= Whole && s.Y >= 0 && s.Y <= Whole && s.Page >= 0 && s.Page <= MostPages
}

// part finds a part by its name.
func (t *Trace) part(name string) *Part {
	for i := range t.Parts {
		if t.Parts[i].Name == name {
			return &t.Parts[i]
		}
	}
	return nil
}

// Places is where the pins of a circuit stand on its pages, by their names; a part's own name is the part itself.
type Places map[string]Spot

// Of are those that are a part or a pin of a circuit, and lie on a page.
func (p Places) Of(c *harness.Circuit) Places {
	list := Places{}
	for _, part := range c.Parts {
		names := []string{part.Name}
		for _, pin := range part.Pins() {
			names = append(names, pin.String())
		}
		for _, name := range names {
			if spot, there := p[name]; there && spot.on() && spot.Page > 0 {
				list[name] = spot
			}
		}
	}
	return list
}

// Places gives them.
func (t *Trace) Places() Places {
	list := Places{}
	for _, p := range t.Parts {
		if p.Spot.Page > 0 {
			list[p.Name] = p.Spot
		}
		for pin, spot := range p.Pins {
			switch {
			case spot.Page == 0: // not tapped
			case pin == "":
				list[p.Name] = spot
			default:
				list[p.Name+"."+pin] = spot
			}
		}
	}
	return list
}

// Lay begins a trace of a circuit that is there: its parts and pins are to be tapped, nothing is drawn anew.
func Lay(name, title, text string) (*Trace, error) {
	c, err := harness.Read([]byte(text))
	if err != nil {
		return nil, fmt.Errorf("the circuit cannot be read: %w", err)
	}
	t := &Trace{Title: title, Volts: 12, Of: name}
	for _, p := range c.Parts {
		t.Parts = append(t.Parts, Part{Name: p.Name, Kind: p.Kind(), Label: harness.Clipped(p.Label, mostText), Pins: map[string]Spot{},
			Order: p.Spec.Pins()})
	}
	for _, w := range c.Wires {
		t.Wires = append(t.Wires, Wire{From: w.From.String(), To: w.To.String(), Colour: w.Colour})
	}
	return t, nil
}
