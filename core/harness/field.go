package harness

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"ironthread/core/units"
)

// field binds one key of the file to one place in memory, both ways. Every kind lists its
// fields once; reader, writer and the list of permitted keys all come from that list, so
// that a file round-trips by construction.
type field struct {
	key      string
	required bool
	orNone   bool // an empty list is given, too
	read     func(*reader, *yaml.Node, string)
	node     func() *yaml.Node // nil when not given
	schema   schema            // what the published schema says of the value
}

func (f field) must() field { f.required = true; return f }

// mustOrNone is must for a list that may be empty.
func (f field) mustOrNone() field { f.required, f.orNone = true, true; return f }

// number binds a figure between low and high; zero in memory means not given.
func number(key string, at *float64, low, high float64) field {
	return field{
		key: key, schema: numberSchema(low, high),
		read: func(r *reader, n *yaml.Node, where string) {
			if v, ok := r.number(n, where+": "+key); ok {
				if v < low || v > high {
					r.fail(n, where, "%s is %s, and lies between %s and %s", key, n.Value, plain(low), plain(high))
					return
				}
				*at = v
			}
		},
		node: func() *yaml.Node {
			if *at == 0 {
				return nil
			}
			return scalar(plain(*at))
		},
	}
}

// text binds a short free text: a name, a place, a label.
func text(key string, at *string) field { return textUpTo(key, at, maxWord) }

// textUpTo binds free text of at most so many characters.
func textUpTo(key string, at *string, most int) field {
	return field{
		key: key, schema: anyScalar,
		read: func(r *reader, n *yaml.Node, where string) {
			s, ok := r.scalar(n, where+": "+key, "a text")
			if length := utf8.RuneCountInString(s); ok && length > most {
				r.fail(n, where, "%s has %d characters; at most %d are kept", key, length, most)
				return
			}
			if ok {
				*at = s
			}
		},
		node: func() *yaml.Node {
			if *at == "" {
				return nil
			}
			return scalar(*at)
		},
	}
}

// choice binds one word out of several; empty means not given.
func choice[T ~string](key string, at *T, options ...T) field {
	return field{
		key: key, schema: schema{"enum": options},
		read: func(r *reader, n *yaml.Node, where string) {
			s, ok := r.scalar(n, where+": "+key, "one word")
			if !ok {
				return
			}
			for _, o := range options {
				if s == string(o) {
					*at = o
					return
				}
			}
			r.fail(n, where, "%s cannot be %q (%s)", key, s, listWords(options))
		},
		node: func() *yaml.Node {
			if *at == "" {
				return nil
			}
			return scalar(string(*at))
		},
	}
}

// flag binds yes/no: true, on, yes against false, off, no. False means not given.
func flag(key string, at *bool) field {
	return field{
		key: key, schema: yesNoSchema,
		read: func(r *reader, n *yaml.Node, where string) {
			if v, ok := r.boolean(n, where+": "+key); ok {
				*at = v
			}
		},
		node: func() *yaml.Node {
			if !*at {
				return nil
			}
			return scalar("true")
		},
	}
}

// words binds a list of words, or one word alone.
func words(key string, at *[]string) field {
	return field{
		key: key, schema: listSchema(anyScalar, true),
		read: func(r *reader, n *yaml.Node, where string) {
			items := []*yaml.Node{n}
			if n.Kind == yaml.SequenceNode {
				items = n.Content
			}
			if !r.short(n, where+": "+key, "entries", maxList) {
				return
			}
			*at = []string{}
			for _, item := range items {
				if s, ok := r.scalar(item, where+": "+key, "a list of words"); ok {
					*at = append(*at, s)
				}
			}
		},
		node: func() *yaml.Node {
			if *at == nil {
				return nil
			}
			list := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
			for _, s := range *at {
				list.Content = append(list.Content, scalar(s))
			}
			return list
		},
	}
}

// group binds a small mapping with fields of its own.
func group(key string, given func() bool, fields ...field) field {
	return field{
		key: key, schema: objectSchema(fields),
		read: func(r *reader, n *yaml.Node, where string) {
			r.fields(n, where+": "+key, fields)
		},
		node: func() *yaml.Node {
			if !given() {
				return nil
			}
			return flow(fields)
		},
	}
}

// flow writes the given fields as a mapping on one line.
func flow(fields []field) *yaml.Node {
	m := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
	for _, f := range fields {
		if n := f.node(); n != nil {
			m.Content = append(m.Content, scalar(f.key), n)
		}
	}
	return m
}

// scalar makes a node that reads back as the same words.
func scalar(s string) *yaml.Node {
	n := &yaml.Node{Kind: yaml.ScalarNode, Value: s}
	if strings.Contains(s, "\n") {
		n.Style = yaml.LiteralStyle
	}
	if s == "" {
		n.Style = yaml.DoubleQuotedStyle
	}
	return n
}

func listWords[T ~string](options []T) string {
	var words []string
	for _, o := range options {
		words = append(words, string(o))
	}
	return strings.Join(words, ", ")
}

// parseFigure reads a plain decimal figure.
func parseFigure(s string) (float64, error) {
	if strings.Contains(s, ",") { // in a file a comma parts two things
		return 0, fmt.Errorf("%q is not a figure; write a point", s)
	}
	return units.Figure(s)
}

// named binds a mapping of names to small mappings, in the order of the file.
func named[T any](key string, at *[]*T, name func(*T) *string, fields func(*T) []field) field {
	return field{
		key: key, schema: mapSchema(objectSchema(fields(new(T)))),
		read: func(r *reader, n *yaml.Node, where string) {
			if !r.short(n, where+": "+key, "entries", maxList) {
				return
			}
			r.pairs(n, where+": "+key, func(k, v *yaml.Node) {
				item := new(T)
				*name(item) = k.Value
				r.fields(v, where+": "+key+": "+k.Value, fields(item))
				*at = append(*at, item)
			})
		},
		node: func() *yaml.Node {
			if len(*at) == 0 {
				return nil
			}
			m := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
			for _, item := range *at {
				m.Content = append(m.Content, scalar(*name(item)), flow(fields(item)))
			}
			return m
		},
	}
}

// figures binds a list of figures between low and high.
func figures(key string, at *[]float64, low, high float64) field {
	return field{
		key: key, schema: listSchema(numberSchema(low, high), false),
		read: func(r *reader, n *yaml.Node, where string) {
			if n.Kind != yaml.SequenceNode {
				r.fail(n, where, "%s is a list of figures, as in [0.4, 0.6]", key)
				return
			}
			if !r.short(n, where+": "+key, "figures", maxList) {
				return
			}
			for _, item := range n.Content {
				var v float64
				number(key, &v, low, high).read(r, item, where)
				*at = append(*at, v)
			}
		},
		node: func() *yaml.Node {
			if len(*at) == 0 {
				return nil
			}
			list := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
			for _, v := range *at {
				list.Content = append(list.Content, scalar(plain(v)))
			}
			return list
		},
	}
}

// figureMap binds a mapping of words to figures; it is written in the order of its keys.
func figureMap(key string, at *map[string]float64, low, high float64) field {
	return field{
		key: key, schema: mapSchema(numberSchema(low, high)),
		read: func(r *reader, n *yaml.Node, where string) {
			*at = map[string]float64{}
			if !r.short(n, where+": "+key, "entries", maxList) {
				return
			}
			r.pairs(n, where+": "+key, func(k, v *yaml.Node) {
				var figure float64
				number(k.Value, &figure, low, high).read(r, v, where+": "+key)
				(*at)[k.Value] = figure
			})
		},
		node: func() *yaml.Node {
			if len(*at) == 0 {
				return nil
			}
			m := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
			for _, k := range sortedKeys(*at) {
				m.Content = append(m.Content, scalar(k), scalar(plain((*at)[k])))
			}
			return m
		},
	}
}

// whole binds a whole number between low and high; zero means not given.
func whole(key string, at *int, low, high int) field {
	return field{
		key: key, schema: schema{"type": "integer", "minimum": low, "maximum": high},
		read: func(r *reader, n *yaml.Node, where string) {
			v, err := strconv.Atoi(n.Value)
			if n.Kind != yaml.ScalarNode || err != nil || v < low || v > high {
				r.fail(n, where, "%s is a whole number from %d to %d", key, low, high)
				return
			}
			*at = v
		},
		node: func() *yaml.Node {
			if *at == 0 {
				return nil
			}
			return scalar(strconv.Itoa(*at))
		},
	}
}

// wordMap binds a mapping of words to words; it is written in the order of its keys.
func wordMap(key string, at *map[string]string) field {
	return field{
		key: key, schema: mapSchema(anyScalar),
		read: func(r *reader, n *yaml.Node, where string) {
			*at = map[string]string{}
			if !r.short(n, where+": "+key, "entries", maxPins) {
				return
			}
			r.pairs(n, where+": "+key, func(k, v *yaml.Node) {
				if s, ok := r.scalar(v, where+": "+key, "a word"); ok {
					(*at)[k.Value] = s
				}
			})
		},
		node: func() *yaml.Node {
			if len(*at) == 0 {
				return nil
			}
			m := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
			for _, k := range sortedKeys(*at) {
				m.Content = append(m.Content, scalar(k), scalar((*at)[k]))
			}
			return m
		},
	}
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// pinsField binds a controller's pins, each a mapping of its own.
func (c *Controller) pinsField() field {
	return field{
		key: "pins", required: true, schema: mapSchema(objectSchema(new(PinRole).fields())),
		read: func(r *reader, n *yaml.Node, where string) {
			if !r.short(n, where+": pins", "pins", maxPins) {
				return
			}
			r.pairs(n, where+": pins", func(k, v *yaml.Node) {
				role := &PinRole{Name: k.Value, Line: k.Line}
				r.fields(v, where+"."+k.Value, role.fields())
				if role.roles() > 1 {
					r.fail(k, where+"."+k.Value, "a pin is one of sinks-on, sinks-unless, sources-on, input, power, ground, not several")
				}
				c.PinRoles = append(c.PinRoles, role)
			})
			if len(c.PinRoles) == 0 {
				r.fail(n, where, "%v", errNoPins)
			}
		},
		node: func() *yaml.Node {
			m := &yaml.Node{Kind: yaml.MappingNode}
			for _, p := range c.PinRoles {
				m.Content = append(m.Content, scalar(p.Name), flow(p.fields()))
			}
			return m
		},
	}
}

// bounds are those of one figure of a pair, with its unit.
type bounds struct {
	unit      string
	low, high float64
}

// pairsOf binds a map from figure to figure, kept in rising order of the first.
func pairsOf[T any](key string, x, y bounds, at *[]T, of func(*T) (x, y *float64)) field {
	return field{
		key: key, schema: mapSchema(numberSchema(y.low, y.high)),
		read: func(r *reader, n *yaml.Node, where string) {
			if !r.short(n, where+": "+key, key, maxList) {
				return
			}
			r.pairs(n, where+": "+key, func(k, v *yaml.Node) {
				var p T
				px, py := of(&p)
				number(x.unit, px, x.low, x.high).read(r, k, where)
				number(y.unit, py, y.low, y.high).read(r, v, where)
				*at = append(*at, p)
			})
			slices.SortFunc(*at, func(a, b T) int {
				ax, _ := of(&a)
				bx, _ := of(&b)
				return cmp.Compare(*ax, *bx)
			})
		},
		node: func() *yaml.Node {
			if len(*at) == 0 {
				return nil
			}
			m := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
			for i := range *at {
				px, py := of(&(*at)[i])
				m.Content = append(m.Content, scalar(plain(*px)), scalar(plain(*py)))
			}
			return m
		},
	}
}
