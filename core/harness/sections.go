package harness

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// The sections of a harness file that hold many things of one kind, each by its name.

func (r *reader) boxes(n *yaml.Node) {
	r.each(n, "boxes", "boxes", maxBoxes, func(k, v *yaml.Node) {
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
	r.each(n, "parts", "parts", maxParts, func(k, v *yaml.Node) {
		if !isName(k.Value) {
			r.fail(k, "parts", "%q is no name for a part: letters, figures, _ and /, beginning with a letter", k.Value)
			return
		}
		for _, o := range r.circuit.Parts {
			if strings.EqualFold(o.Name, k.Value) {
				r.fail(k, k.Value,
					"%s stands in line %d already: two parts whose names differ in large and small letters alone are taken for each other",
					o.Name, o.Line)
				return
			}
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
	r.each(n, "wires", "wires", maxWires, func(k, v *yaml.Node) {
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
	r.each(n, "states", "states", maxStates, func(k, v *yaml.Node) {
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
	r.each(n, "strategy", "rules", maxRules, func(k, v *yaml.Node) {
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
	r.each(n, "sheet", "places", maxWires, func(k, v *yaml.Node) {
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
