// Package socket lays a relay's or fuse's cavities out as they are seen: in the box or on the
// part's underside, in four turns; and tells where in its box a part sits.
//
// In goes a part and a [View], out come cavities on a small grid. The one idea: looking into a
// socket mirrors what is printed on the part, and the neighbour may be turned; so there is one
// arrangement, the printed one, and everything seen is that arrangement mirrored and turned.
package socket

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ironthread/core/harness"
)

// View is from where one looks, and how far the part is turned.
type View struct {
	Under bool // at the part's underside, as printed; else into the socket, mirrored
	Turn  int  // quarter turns clockwise, as seen
}

// Cavity is one terminal as seen.
type Cavity struct {
	Pin    harness.Pin
	Number string // as printed on the part
	Column int
	Row    int
}

// Card is a part's cavities as seen.
type Card struct {
	Columns, Rows int
	Cavities      []Cavity
	Given         bool // the arrangement is the file's own; else the usual one
}

// The usual arrangements as printed on the underside, "_" an empty place. From memory of common
// relays; makers differ, and only the print on the part counts.
var usual = map[harness.Contacts][]string{
	harness.Make:             {"_ 87 _", "86 _ 85", "_ 30 _"},
	harness.Break:            {"_ 87a _", "86 _ 85", "_ 30 _"},
	harness.Changeover:       {"_ 87 _", "86 87a 85", "_ 30 _"},
	harness.DoubleMake:       {"87 _ 87b", "86 _ 85", "30 _ 30b"},
	harness.DoubleChangeover: {"87 _ 87b", "87a _ 87ab", "30 _ 30b", "86 _ 85"},
}

// Lay lays out a relay or a fuse; the error says that a part has no socket.
func Lay(p *harness.Part, v View) (*Card, error) {
	var rows []string
	card := &Card{}
	printed := map[string]string{}
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		rows, card.Given = usual[spec.Contacts], len(spec.Arrangement) > 0
		if card.Given {
			rows = spec.Arrangement
		}
		printed = spec.Printed
	case *harness.Fuse:
		rows = []string{"a", "b"}
	default:
		return nil, fmt.Errorf("%s is a %s: only relays and fuses sit in sockets", p.Name, p.Kind())
	}
	for r, row := range rows {
		for c, name := range strings.Fields(row) {
			card.Columns = max(card.Columns, c+1)
			if name == "_" {
				continue
			}
			number := name
			if printed[name] != "" {
				number = printed[name]
			}
			card.Cavities = append(card.Cavities, Cavity{harness.Pin{Part: p.Name, Name: name}, number, c, r})
		}
	}
	card.Rows = len(rows)
	card.see(v)
	return card, nil
}

// see mirrors and turns the printed arrangement.
func (card *Card) see(v View) {
	if !v.Under {
		for i := range card.Cavities {
			c := &card.Cavities[i]
			c.Column = card.Columns - 1 - c.Column
		}
	}
	for range (v.Turn%4 + 4) % 4 {
		for i := range card.Cavities {
			c := &card.Cavities[i]
			c.Column, c.Row = card.Rows-1-c.Row, c.Column
		}
		card.Columns, card.Rows = card.Rows, card.Columns
	}
	slices.SortFunc(card.Cavities, func(a, b Cavity) int {
		if a.Row != b.Row {
			return a.Row - b.Row
		}
		return a.Column - b.Column
	})
}

// Slot is where a part sits: the box's name, and its place in it, a row's letter and a
// column's number, from 0; -1 where the place is not written so.
type Slot struct {
	Box         string
	Name        string
	Row, Column int
}

// SlotOf reads a part's place: the longest box the file knows that it begins with, else all
// but its last word.
func SlotOf(c *harness.Circuit, p *harness.Part) Slot {
	s := Slot{Row: -1, Column: -1}
	for _, b := range c.Boxes {
		if rest, ok := strings.CutPrefix(p.At, b.Name+" "); ok && len(b.Name) > len(s.Box) {
			s.Box, s.Name = b.Name, rest
		}
	}
	if s.Box == "" {
		if k := strings.LastIndexByte(p.At, ' '); k > 0 {
			s.Box, s.Name = p.At[:k], p.At[k+1:]
		} else {
			s.Box = p.At
		}
	}
	if len(s.Name) >= 2 && s.Name[0] >= 'A' && s.Name[0] <= 'Z' {
		if n, err := strconv.Atoi(s.Name[1:]); err == nil && n > 0 {
			s.Row, s.Column = int(s.Name[0]-'A'), n-1
		}
	}
	return s
}

// Box is one box with what sits in it.
type Box struct {
	Name          string
	Rows, Columns int
	Landmarks     []string
	Placed        []Seat // in the box's grid
	Loose         []*harness.Part
}

// Seat is a part in its place.
type Seat struct {
	Part        *harness.Part
	Row, Column int
}

// Boxes lists the boxes that hold relays and fuses, in the order in which the file names them.
func Boxes(c *harness.Circuit) []*Box {
	var list []*Box
	known := map[string]*Box{}
	box := func(name string) *Box {
		if known[name] == nil {
			known[name] = &Box{Name: name}
			list = append(list, known[name])
		}
		return known[name]
	}
	for _, b := range c.Boxes {
		made := box(b.Name)
		made.Rows, made.Columns, made.Landmarks = b.Rows, b.Columns, b.Landmarks
	}
	for _, p := range c.Parts {
		if p.Kind() != harness.KindRelay && p.Kind() != harness.KindFuse {
			continue
		}
		slot := SlotOf(c, p)
		if slot.Box == "" {
			slot.Box = "somewhere"
		}
		b := box(slot.Box)
		if slot.Row < 0 || slot.Row >= b.Rows || slot.Column >= b.Columns {
			b.Loose = append(b.Loose, p) // the file tells no grid that has this place
			continue
		}
		b.Placed = append(b.Placed, Seat{p, slot.Row, slot.Column})
	}
	return slices.DeleteFunc(list, func(b *Box) bool { return len(b.Placed)+len(b.Loose) == 0 })
}
