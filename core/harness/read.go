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

// reader walks the YAML tree and collects what is wrong, up to maxError things.
type reader struct {
	circuit *Circuit
	errs    Errors
}

func (r *reader) fail(n *yaml.Node, where, format string, args ...any) {
	if len(r.errs) < maxError {
		r.errs = append(r.errs, &Error{Line: n.Line, Where: Clipped(strings.TrimPrefix(where, ": "), maxWord),
			Msg: Clipped(fmt.Sprintf(format, args...), maxMsg)})
	}
}

// plainTree refuses what a harness does not use: aliases (a cycle of them never ends),
// anchors and deep nesting.
func (r *reader) plainTree(n *yaml.Node, depth int) bool {
	switch {
	case n.Kind == yaml.AliasNode || n.Anchor != "":
		r.fail(n, "", "anchors and aliases (& and *) are not used in a harness file; write the value out")
		return false
	case depth > 8:
		r.fail(n, "", "nested too deeply for a harness file")
		return false
	}
	for _, child := range n.Content {
		if !r.plainTree(child, depth+1) {
			return false
		}
	}
	return true
}

func (r *reader) scalar(n *yaml.Node, where, want string) (string, bool) {
	if n.Kind != yaml.ScalarNode {
		r.fail(n, where, "%s is expected here", want)
		return "", false
	}
	return n.Value, true
}

func (r *reader) number(n *yaml.Node, where string) (float64, bool) {
	s, ok := r.scalar(n, where, "a figure")
	if !ok {
		return 0, false
	}
	v, err := parseFigure(s)
	if err != nil {
		r.fail(n, where, "%v", err)
		return 0, false
	}
	return v, true
}

func (r *reader) boolean(n *yaml.Node, where string) (bool, bool) {
	s, ok := r.scalar(n, where, "on or off")
	if ok && !isYes(s) && !isNo(s) {
		r.fail(n, where, "%q is neither on nor off", s)
		ok = false
	}
	return isYes(s), ok
}

// short refuses a list or a mapping with more entries than it may have.
func (r *reader) short(n *yaml.Node, where, what string, most int) bool {
	entries := len(n.Content)
	if n.Kind == yaml.MappingNode {
		entries /= 2
	}
	if entries > most {
		r.fail(n, where, "%d %s are more than the %d that a harness file may have", entries, what, most)
		return false
	}
	return true
}

// pairs walks a mapping and refuses a key given twice.
func (r *reader) pairs(n *yaml.Node, where string, visit func(k, v *yaml.Node)) {
	if n.Kind != yaml.MappingNode {
		if n.Kind == yaml.ScalarNode && n.Value == "" {
			return
		}
		r.fail(n, where, "a mapping is expected here, as in {key: value}")
		return
	}
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		k, v := n.Content[i], n.Content[i+1]
		switch {
		case k.Kind != yaml.ScalarNode || k.Value == "":
			r.fail(k, where, "a key must be a word")
			continue
		case seen[k.Value]:
			r.fail(k, where, "%q is given twice", k.Value)
			continue
		}
		seen[k.Value] = true
		visit(k, v)
	}
}

// fields reads a mapping whose keys are known, and says which keys there are.
func (r *reader) fields(n *yaml.Node, where string, fields []field) {
	given := map[string]bool{}
	r.pairs(n, where, func(k, v *yaml.Node) {
		for _, f := range fields {
			if f.key == k.Value {
				given[f.key] = v.Kind == yaml.ScalarNode && v.ShortTag() != "!!null" || len(v.Content) > 0 // an empty list is none
				f.read(r, v, where)
				return
			}
		}
		var keys []string
		for _, f := range fields {
			keys = append(keys, f.key)
		}
		r.fail(k, where, "there is no key %q here (%s)", k.Value, strings.Join(keys, ", "))
	})
	for _, f := range fields {
		if f.required && !given[f.key] {
			r.fail(n, where, "%s is missing", f.key)
		}
	}
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

func (r *reader) boxes(n *yaml.Node) {
	if !r.short(n, "boxes", "boxes", maxBoxes) {
		return
	}
	r.pairs(n, "boxes", func(k, v *yaml.Node) {
		b := &Box{Name: k.Value, Line: k.Line}
		r.fields(v, "boxes: "+k.Value, b.fields())
		r.circuit.Boxes = append(r.circuit.Boxes, b)
	})
}

func (b *Box) fields() []field {
	return []field{whole("rows", &b.Rows, 1, 50), whole("columns", &b.Columns, 1, 50), words("landmarks", &b.Landmarks)}
}

func (p *Part) common(kind *Kind) []field {
	return []field{
		choice("kind", kind, Kinds()...).must(),
		text("at", &p.At),
		text("label", &p.Label),
		number("access", &p.Access, 0.1, 600),
		number("price", &p.Cost, 0.01, 100000),
	}
}

func (r *reader) parts(n *yaml.Node) {
	if !r.short(n, "parts", "parts", maxParts) {
		return
	}
	r.pairs(n, "parts", func(k, v *yaml.Node) {
		if !isName(k.Value) {
			r.fail(k, "parts", "%q is no name for a part: letters, figures, _ and /, beginning with a letter", k.Value)
			return
		}
		if p := r.part(k, v); p != nil {
			r.circuit.Parts = append(r.circuit.Parts, p)
		}
	})
}

func (r *reader) part(k, v *yaml.Node) *Part {
	if v.Kind != yaml.MappingNode {
		r.fail(v, k.Value, "a part is a mapping, as in {kind: fuse, amps: 30}")
		return nil
	}
	var kind Kind
	for i := 0; i+1 < len(v.Content); i += 2 {
		if v.Content[i].Value == "kind" {
			kind = Kind(v.Content[i+1].Value)
		}
	}
	p := &Part{Name: k.Value, Line: k.Line}
	empty := newSpec[kind]
	if empty == nil {
		r.fail(k, k.Value, "there is no kind %q (%s)", kind, listWords(Kinds()))
		return nil
	}
	p.Spec = empty()
	var read Kind
	// A part with an error stays, so that its wires are not reported as wires to nothing.
	r.fields(v, k.Value, append(p.common(&read), p.Spec.fields()...))
	if c, ok := p.Spec.(interface{ check() string }); ok {
		if wrong := c.check(); wrong != "" {
			r.fail(k, k.Value, "%s", wrong)
		}
	}
	return p
}

// isName permits letters, figures, _ and /: what a pin "PART.pin" can carry unmistaken.
func isName(s string) bool {
	for i, c := range s {
		letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
		further := c >= '0' && c <= '9' || c == '_' || c == '/'
		if !letter && (i == 0 || !further) {
			return false
		}
	}
	return s != "" && len(s) <= 24
}

func (r *reader) wires(n *yaml.Node) {
	if !r.short(n, "wires", "wires", maxWires) {
		return
	}
	r.pairs(n, "wires", func(k, v *yaml.Node) {
		where := "wire " + k.Value
		from, to, ok := strings.Cut(k.Value, " - ")
		if !ok {
			r.fail(k, where, "a wire is FROM - TO, as in \"K1.87 - M1.+\"")
			return
		}
		w := &Wire{From: r.circuit.kept(ParsePin(from)), To: r.circuit.kept(ParsePin(to)), Line: k.Line}
		for _, pin := range []Pin{w.From, w.To} {
			if err := r.circuit.checkPin(pin); err != nil {
				r.fail(k, where, "%v", err)
				return
			}
			if pin.Inner {
				r.fail(k, where, "%s: wires end at the cavity, without the apostrophe", pin)
				return
			}
		}
		switch {
		case w.From == w.To:
			r.fail(k, where, "both ends are the same pin")
			return
		case r.circuit.Wire(w.From, w.To) != nil:
			r.fail(k, where, "there is already a wire between these pins; write 2x before the colour for two side by side")
			return
		}
		s, ok := r.scalar(v, where, "[colour] [size] [length]")
		if !ok {
			return
		}
		if err := w.parseDescription(s); err != nil {
			r.fail(v, where, "%v", err)
			return
		}
		r.circuit.Wires = append(r.circuit.Wires, w)
	})
}

func (r *reader) states(n *yaml.Node) {
	commands := r.circuit.Commands()
	if !r.short(n, "states", "states", maxStates) {
		return
	}
	r.pairs(n, "states", func(k, v *yaml.Node) {
		s := &State{Name: k.Value, Line: k.Line}
		where := "states: " + k.Value
		r.fields(v, where, s.fields(r.circuit))
		for _, name := range s.Commands {
			if !slices.Contains(commands, name) {
				r.fail(v, where, "no controller pin listens to the command %q (%s)", name, strings.Join(commands, ", "))
			}
		}
		r.circuit.States = append(r.circuit.States, s)
	})
}

func (r *reader) strategy(n *yaml.Node) {
	commands := r.circuit.Commands()
	if !r.short(n, "strategy", "rules", maxRules) {
		return
	}
	r.pairs(n, "strategy", func(k, v *yaml.Node) {
		rule := &Rule{Command: k.Value, Line: k.Line}
		where := "strategy: " + k.Value
		if !slices.Contains(commands, k.Value) {
			r.fail(k, where, "no controller pin listens to this command (%s)", strings.Join(commands, ", "))
		}
		r.fields(v, where, rule.fields())
		for _, word := range rule.Unless {
			if len(r.circuit.inputPins(word)) == 0 {
				r.fail(v, where, "unless: %q is no input of a controller, by its pin or its name", word)
			}
		}
		switch {
		case (rule.From == nil) != (rule.To == nil):
			r.fail(v, where, "a duty that follows the temperature has from and to, as in from: {at: 92, duty: 20}, to: {at: 104, duty: 90}")
		case rule.From != nil && rule.From.At >= rule.To.At:
			r.fail(v, where, "from: at must be below to: at")
		}
		for _, or := range rule.Or {
			if !r.circuit.listensTo(or) {
				r.fail(v, where, "or: %q is none of ac, pressure, no-sensor, nor a controller's pin with an input", or)
			}
		}
		r.circuit.Strategy = append(r.circuit.Strategy, rule)
	})
}

// sheet reads where the parts stood. A place of a part that is no longer there is left out, so
// that taking a part out of a file needs no second edit.
func (r *reader) sheet(n *yaml.Node) {
	if !r.short(n, "sheet", "places", maxWires) {
		return
	}
	r.pairs(n, "sheet", func(k, v *yaml.Node) {
		place, known := r.circuit.parsePlaceName(k.Value)
		if !known {
			place = &Place{}
		}
		place.Line = k.Line
		r.fields(v, "sheet: "+k.Value, place.fields())
		if known {
			r.circuit.Places = append(r.circuit.Places, place)
		}
	})
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
