package harness

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// A harness file is YAML. It is read in three steps: the text becomes a tree (OneDocument), the tree's sections are read one after
// the other, parts before what refers to them (file), and last what only the file as a whole can show is checked (whole). Nothing
// stops at the first mistake: each is kept with its line, and what is sound is read nevertheless, so that an editor can draw a
// circuit in which one line is just being typed.

// Limits on a file. The largest circuit drawn by hand has some fifty parts; every list has a bound,
// so that no file can ask for more memory or time than a workshop's machine has.
const (
	MaxBytes  = 256 << 10
	maxParts  = 80
	maxWires  = 400
	maxStates = 40
	maxRules  = 40
	maxBoxes  = 40
	maxPins   = 120  // of one part
	maxAll    = 1000 // pins of all parts
	maxFuses  = 60
	maxList   = 64 // entries of any other list
	maxText   = 20000
	maxTitle  = 200
	maxWord   = 120
	maxError  = 20
	maxMsg    = 600 // characters of one sentence
)

// Error is one thing wrong with a file: the line, the part or wire, what was expected.
type Error struct {
	Line  int
	Where string // "K3.87b", "wire K1.87 - M1.+", "states: low"; may be empty
	Msg   string
}

func (e *Error) Error() string {
	s := "harness: "
	if e.Line > 0 {
		s += fmt.Sprintf("line %d: ", e.Line)
	}
	if e.Where != "" {
		s += e.Where + ": "
	}
	return s + e.Msg
}

// Errors is everything found wrong with one file, in the order of its lines; never empty.
type Errors []*Error

func (e Errors) Error() string {
	s := e[0].Error()
	if len(e) > 1 {
		s += fmt.Sprintf(" (and %d more)", len(e)-1)
	}
	return s
}

// AsErrors gives the single errors inside err, for a list beside the lines of a text.
func AsErrors(err error) Errors {
	var errs Errors
	if errors.As(err, &errs) {
		return errs
	}
	if err != nil {
		return Errors{{Msg: err.Error()}}
	}
	return nil
}

// Read reads one harness file. The error is an [Errors] that names every line at fault.
func Read(b []byte) (*Circuit, error) {
	c, errs := Sketch(b)
	if len(errs) > 0 {
		return nil, errs
	}
	return c, nil
}

// Sketch reads as much of a file as can be read, for an editor in which one line is just being
// typed: the parts and wires that are sound, and what is wrong with the rest.
func Sketch(b []byte) (*Circuit, Errors) {
	if len(b) > MaxBytes {
		return &Circuit{}, Errors{{Msg: fmt.Sprintf("the file is larger than %d KiB; a harness is a few", MaxBytes>>10)}}
	}
	doc, err := OneDocument(b)
	if err != nil {
		return &Circuit{}, Errors{syntaxError(err)}
	}
	if doc.Kind == 0 || len(doc.Content) == 0 {
		return &Circuit{}, Errors{{Line: 1, Msg: "the file is empty; it begins with \"harness: 1\""}}
	}
	r := &reader{circuit: &Circuit{}}
	if r.plainTree(doc.Content[0], 0) {
		r.file(doc.Content[0])
	}
	slices.SortStableFunc(r.errs, func(a, b *Error) int { return a.Line - b.Line })
	return r.circuit, r.errs
}

// OneDocument reads a file that holds one YAML document; a second one is an error that names its
// line, for what stands in it would otherwise be lost in silence.
func OneDocument(b []byte) (yaml.Node, error) {
	var doc, second yaml.Node
	if !utf8.Valid(b) {
		return doc, errors.New("the file is not UTF-8 text")
	}
	read := yaml.NewDecoder(bytes.NewReader(b))
	if err := read.Decode(&doc); err != nil && !errors.Is(err, io.EOF) {
		return doc, err
	}
	switch err := read.Decode(&second); {
	case errors.Is(err, io.EOF):
		return doc, nil
	case err != nil:
		return doc, err
	}
	return doc, fmt.Errorf("line %d: a second document begins here; a file holds one", second.Line)
}

// syntaxError takes the line out of the YAML reader's message.
func syntaxError(err error) *Error {
	e := &Error{Msg: strings.TrimPrefix(err.Error(), "yaml: ")}
	if rest, ok := strings.CutPrefix(e.Msg, "line "); ok {
		number, msg, _ := strings.Cut(rest, ": ")
		if line, err := strconv.Atoi(number); err == nil {
			e.Line, e.Msg = line, msg
		}
	}
	return e
}

// top lists the file's sections in the order they are written and read.
var top = []string{"harness", "title", "notes", "supply", "boxes", "parts", "wires", "states", "strategy", "sheet"}

func (r *reader) file(root *yaml.Node) {
	if root.Kind != yaml.MappingNode {
		r.fail(root, "", "a harness file is a mapping that begins with \"harness: 1\"")
		return
	}
	sections := map[string]*yaml.Node{}
	r.pairs(root, "", func(k, v *yaml.Node) {
		if !slices.Contains(top, k.Value) {
			r.fail(k, "", "there is no section %q (%s)", k.Value, strings.Join(top, ", "))
		}
		sections[k.Value] = v
	})
	if v := sections["harness"]; v == nil || v.Value != "1" {
		if v == nil {
			v = root
		}
		r.fail(v, "", "the file must say \"harness: 1\", the version of the format")
		return
	}
	// Parts before what refers to them, whatever the order in the file.
	read := map[string]func(*yaml.Node){
		"title": func(n *yaml.Node) { textUpTo("title", &r.circuit.Title, maxTitle).read(r, n, "") },
		"notes": func(n *yaml.Node) { textUpTo("notes", &r.circuit.Notes, maxText).read(r, n, "") },
		"supply": func(n *yaml.Node) {
			r.fields(n, "supply", r.circuit.Supply.fields())
		},
		"boxes":    r.boxes,
		"parts":    r.parts,
		"wires":    r.wires,
		"states":   r.states,
		"strategy": r.strategy,
		"sheet":    r.sheet,
	}
	for _, name := range top {
		if n, visit := sections[name], read[name]; n != nil && visit != nil {
			visit(n)
		}
	}
	r.whole(root)
}

// whole checks what only the file as a whole can show.
func (r *reader) whole(root *yaml.Node) {
	if len(r.errs) > 0 {
		return
	}
	if len(r.circuit.OfKind(KindBattery)) == 0 {
		r.fail(root, "parts", "there is no battery; write BAT: {kind: battery}")
	}
	if len(r.circuit.States) == 0 {
		r.fail(root, "states", "there is no state; write states: {off: {key: on}}")
	}
	if unread := r.circuit.unread(); len(unread) > 0 {
		r.fail(root, "strategy", "nobody reads the input %s; name it in or or unless of a rule", strings.Join(unread, ", "))
	}
	pins, fuses := 0, 0
	for _, p := range r.circuit.Parts {
		own := len(p.Pins())
		pins += own
		if own > maxPins {
			r.fail(root, p.Name, "%d pins are more than the %d that a part may have", own, maxPins)
		}
		if relay, ok := p.Spec.(*Relay); ok && relay.Fuse > 0 || p.Kind() == KindFuse {
			fuses++
		}
	}
	if pins > maxAll {
		r.fail(root, "parts", "%d pins in all are more than the %d that a harness may have", pins, maxAll)
	}
	if fuses > maxFuses {
		r.fail(root, "parts", "%d fuses are more than the %d that a harness may have", fuses, maxFuses)
	}
}
