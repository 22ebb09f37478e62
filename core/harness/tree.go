package harness

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// How the tree of a file is walked: figures, words, lists and mappings, each refused with its line where it is not what
// belongs there.

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
// Printable tells whether a text is one that a page and a paper can show as it was typed: no control signs but new lines and
// tabs, and none that turns the direction of writing, behind which another text could hide.
func Printable(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, func(r rune) bool {
		return r < ' ' && r != '\n' && r != '\t' || r == 0x7F || r >= 0x80 && r < 0xA0 || r >= 0x202A && r <= 0x202E || r >= 0x2066 && r <= 0x2069
	})
}

// anchors and deep nesting.
func (r *reader) plainTree(n *yaml.Node, depth int) bool {
	switch {
	case n.Kind == yaml.AliasNode || n.Anchor != "":
		r.fail(n, "", "anchors and aliases (& and *) are not used in a harness file; write the value out")
		return false
	case n.Kind == yaml.ScalarNode && strings.ContainsRune(n.Value, 0):
		r.fail(n, "", "this holds a NUL, which is no text")
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

// each walks a section that holds many things, each by its name, unless they are too many.
func (r *reader) each(n *yaml.Node, section, what string, most int, visit func(k, v *yaml.Node)) {
	if r.short(n, section, what, most) {
		r.pairs(n, section, visit)
	}
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
	seen := map[string]int{} // the line
	for i := 0; i+1 < len(n.Content); i += 2 {
		k, v := n.Content[i], n.Content[i+1]
		switch {
		case k.Kind != yaml.ScalarNode || k.Value == "":
			r.fail(k, where, "a key must be a word")
			continue
		case seen[k.Value] > 0:
			r.fail(k, where, "%q is given twice, in line %d already", k.Value, seen[k.Value])
			continue
		}
		seen[k.Value] = k.Line
		visit(k, v)
	}
}

// fields reads a mapping whose keys are known, and says which keys there are.
func (r *reader) fields(n *yaml.Node, where string, fields []field) {
	given := map[string]bool{}
	r.pairs(n, where, func(k, v *yaml.Node) {
		for _, f := range fields {
			if f.key == k.Value {
				// An empty list is none, but where none is an answer.
				given[f.key] = v.Kind == yaml.ScalarNode && v.ShortTag() != "!!null" || len(v.Content) > 0 || f.orNone && v.Kind == yaml.SequenceNode
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
