package harness

import (
	"bytes"
	"fmt"

	"go.yaml.in/yaml/v3"
)

// Write spells the circuit as a harness file that Read reads back as the same circuit.
// Comments of a file once read are not kept.
func Write(c *Circuit) ([]byte, error) {
	root := &yaml.Node{Kind: yaml.MappingNode}
	put := func(key string, n *yaml.Node) {
		if n != nil {
			root.Content = append(root.Content, scalar(key), n)
		}
	}
	put("harness", scalar("1"))
	put("title", text("", &c.Title).node())
	put("notes", text("", &c.Notes).node())
	if s := &c.Supply; s.Off > 0 || s.Running > 0 {
		put("supply", flow(s.fields()))
	}
	put("boxes", mapping(c.Boxes, func(b *Box) (string, *yaml.Node) { return b.Name, flow(b.fields()) }))
	put("parts", mapping(c.Parts, partNode))
	put("wires", mapping(c.Wires, func(w *Wire) (string, *yaml.Node) { return w.String(), wireNode(w) }))
	put("states", mapping(c.States, func(s *State) (string, *yaml.Node) { return s.Name, flow(s.fields(c)) }))
	put("strategy", mapping(c.Strategy, func(r *Rule) (string, *yaml.Node) { return r.Command, flow(r.fields()) }))
	put("sheet", mapping(c.Places, func(p *Place) (string, *yaml.Node) { return p.Name(), flow(p.fields()) }))

	var out bytes.Buffer
	enc := yaml.NewEncoder(&out)
	enc.SetIndent(2)
	if err := enc.Encode(root); err != nil {
		return nil, fmt.Errorf("harness: writing %q: %w", c.Title, err)
	}
	return out.Bytes(), enc.Close()
}

func partNode(p *Part) (string, *yaml.Node) {
	kind := p.Kind()
	common := p.common(&kind)
	n := flow(append(append(common[:1:1], p.Spec.fields()...), common[1:]...))
	if kind == KindController {
		n.Style = 0 // pins one below the other
	}
	return p.Name, n
}

func wireNode(w *Wire) *yaml.Node {
	n := scalar(w.Description())
	n.Style = 0
	if n.Value == "" {
		n.Tag = "!!null"
	}
	return n
}

// mapping writes a list as key: value lines; nil for an empty list.
func mapping[T any](list []T, entry func(T) (string, *yaml.Node)) *yaml.Node {
	if len(list) == 0 {
		return nil
	}
	m := &yaml.Node{Kind: yaml.MappingNode}
	for _, item := range list {
		key, value := entry(item)
		m.Content = append(m.Content, scalar(key), value)
	}
	return m
}
