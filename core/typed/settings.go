package typed

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"ironthread/core/units"
)

// The settings of a part that takes several lines (a controller with its pins, a module with its table) as a list of
// fields, each by the path that leads to it: "pins.61.sinks-on", "duty.min", "table.2.when". A field that is changed
// changes its own value and nothing else; the part is then written anew in its place, all other lines stay.

// Setting is one field.
type Setting struct {
	Path  string
	Value string // a list is its words with commas between
}

// mostSettings bounds how many a part may have.
const mostSettings = 400

// plainKeys are cells of the table of parts already.
var plainKeys = []string{"kind", "label", "at"}

// SettingsOf lists the settings of a part; the error says why they cannot be read.
func SettingsOf(text, part string) ([]Setting, error) {
	_, node, err := partOf(text, part)
	if err != nil {
		return nil, err
	}
	var list []Setting
	var walk func(path string, n *yaml.Node)
	walk = func(path string, n *yaml.Node) {
		switch {
		case len(list) > mostSettings:
		case n.Kind == yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				if key := n.Content[i].Value; path != "" || !slices.Contains(plainKeys, key) {
					walk(strings.TrimPrefix(path+"."+key, "."), n.Content[i+1])
				}
			}
		case n.Kind == yaml.SequenceNode && !slices.ContainsFunc(n.Content, func(c *yaml.Node) bool { return c.Kind != yaml.ScalarNode }):
			var words []string
			for _, c := range n.Content {
				words = append(words, c.Value)
			}
			list = append(list, Setting{path, strings.Join(words, ", ")})
		case n.Kind == yaml.SequenceNode:
			for i, c := range n.Content {
				walk(path+"."+strconv.Itoa(i+1), c)
			}
		default:
			list = append(list, Setting{path, n.Value})
		}
	}
	walk("", node)
	return list, nil
}

// Set changes settings of a part, and gives the text anew. A value that is empty takes its setting away; a path that is
// not there yet is added, if the mapping that holds it can be found or made.
func Set(text, part string, settings []Setting) (string, error) {
	doc, node, err := partOf(text, part)
	if err != nil {
		return "", err
	}
	for _, s := range settings {
		if err := put(node, strings.Split(s.Path, "."), strings.TrimSpace(s.Value)); err != nil {
			return "", fmt.Errorf("%s: %s: %w", part, s.Path, err)
		}
	}
	lines := strings.Split(text, "\n")
	_, spans := entriesOf(lines, PartRows)
	for _, at := range spans {
		if m := partName.FindStringSubmatch(lines[at[0]]); m == nil || m[1] != part {
			continue
		}
		written, err := block(doc, part, node)
		if err != nil {
			return "", err
		}
		return strings.Join(slices.Concat(lines[:at[0]], written, lines[at[1]:]), "\n"), nil
	}
	return "", fmt.Errorf("there is no part %s in the text", part)
}

// partOf finds a part's mapping and the key that names it.
func partOf(text, part string) (key, node *yaml.Node, err error) {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		return nil, nil, fmt.Errorf("the text cannot be read: %s", strings.TrimPrefix(err.Error(), "yaml: "))
	}
	find := func(in *yaml.Node, name string) (k, v *yaml.Node) {
		if in == nil || in.Kind != yaml.MappingNode {
			return nil, nil
		}
		for i := 0; i+1 < len(in.Content); i += 2 {
			if in.Content[i].Value == name {
				return in.Content[i], in.Content[i+1]
			}
		}
		return nil, nil
	}
	if len(doc.Content) == 0 {
		return nil, nil, fmt.Errorf("there is no part %s in the text", part)
	}
	_, parts := find(doc.Content[0], string(PartRows))
	key, node = find(parts, part)
	if node == nil || node.Kind != yaml.MappingNode {
		return nil, nil, fmt.Errorf("there is no part %s in the text", part)
	}
	return key, node, nil
}

// put sets the value at a path below a node.
func put(n *yaml.Node, path []string, value string) error {
	switch n.Kind {
	case yaml.SequenceNode:
		k, err := strconv.Atoi(path[0])
		if err != nil || k < 1 || k > len(n.Content)+1 || len(path) < 2 {
			return fmt.Errorf("%q is no entry of a list of %d", path[0], len(n.Content))
		}
		if k > len(n.Content) {
			if value == "" {
				return nil
			}
			n.Content = append(n.Content, &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle})
		}
		return put(n.Content[k-1], path[1:], value)
	case yaml.MappingNode:
	default:
		return fmt.Errorf("%q is a plain value, and holds no %q", n.Value, path[0])
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value != path[0] {
			continue
		}
		switch {
		case len(path) > 1:
			return put(n.Content[i+1], path[1:], value)
		case value == "":
			n.Content = slices.Delete(n.Content, i, i+2)
		case n.Content[i+1].Kind == yaml.SequenceNode:
			n.Content[i+1].Content = words(value)
		default:
			n.Content[i+1].Value, n.Content[i+1].Tag, n.Content[i+1].Style = value, "", 0
		}
		return nil
	}
	if value == "" {
		return nil
	}
	key := &yaml.Node{Kind: yaml.ScalarNode, Value: path[0]}
	if _, err := strconv.Atoi(path[0]); err == nil {
		key.Style = yaml.DoubleQuotedStyle // a pin's number is a name
	}
	child := &yaml.Node{Kind: yaml.ScalarNode, Value: value}
	switch {
	case len(path) > 1:
		child = &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
		if err := put(child, path[1:], value); err != nil {
			return err
		}
	case strings.Contains(value, ","):
		child = &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle, Content: words(value)}
	}
	n.Content = append(n.Content, key, child)
	return nil
}

// words are the entries of a list as it is typed.
func words(value string) []*yaml.Node {
	var list []*yaml.Node
	for _, w := range strings.FieldsFunc(value, func(r rune) bool { return r == ',' || r == ' ' }) {
		n := &yaml.Node{Kind: yaml.ScalarNode, Value: w}
		if _, err := units.Figure(w); err == nil {
			n.Style = yaml.DoubleQuotedStyle
		}
		list = append(list, n)
	}
	return list
}

// block writes one part as the lines of the file's section.
func block(key *yaml.Node, part string, node *yaml.Node) ([]string, error) {
	var out bytes.Buffer
	enc := yaml.NewEncoder(&out)
	enc.SetIndent(2)
	if err := enc.Encode(&yaml.Node{Kind: yaml.MappingNode, Content: []*yaml.Node{key, node}}); err != nil {
		return nil, fmt.Errorf("%s cannot be written: %w", part, err)
	}
	if err := enc.Close(); err != nil {
		return nil, fmt.Errorf("%s cannot be written: %w", part, err)
	}
	var lines []string
	for _, line := range strings.Split(strings.TrimRight(out.String(), "\n"), "\n") {
		lines = append(lines, "  "+line)
	}
	return lines, nil
}
