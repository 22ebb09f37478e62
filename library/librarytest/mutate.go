// Package librarytest changes shipped harness files in ways in which people and attackers do, for fuzzing:
// what comes out is still YAML, and mostly still a harness, so that the readers and solvers behind the
// first check are reached.
package librarytest

import (
	"bytes"

	"go.yaml.in/yaml/v3"
)

// odd are values that stand where others are expected.
var odd = []string{
	"", "0", "-1", "1e-9", "1e9", "1e308", ".nan", ".inf", "on", "off", "null", "~", "low", "high", "K1", "K1.30", "M1.+", "BAT.-", "G1",
	"99999999999999999999", "0x10", "1_000", "RD 4mm2 1m", "2x RD", "resistor", "relay", "motor", "changeover", "make", "key", "ac",
	"engine", "no-sensor", "é\u200b",
}

// Mutate applies up to sixteen changes to a file, three bytes each: which node, what is done, with what. The
// same bytes make the same change. A file that is no YAML comes back as it is.
func Mutate(file, changes []byte) []byte {
	var doc yaml.Node
	if yaml.Unmarshal(file, &doc) != nil || len(doc.Content) == 0 {
		return file
	}
	const most = 16
	for n := 0; n+2 < len(changes) && n < 3*most; n += 3 {
		change(&doc, int(changes[n]), changes[n+1], changes[n+2])
	}
	var out bytes.Buffer
	write := yaml.NewEncoder(&out)
	if write.Encode(&doc) != nil {
		return file
	}
	return out.Bytes()
}

// change does one thing to one node.
func change(doc *yaml.Node, which int, how, with byte) {
	var nodes []*yaml.Node
	var walk func(n *yaml.Node)
	walk = func(n *yaml.Node) {
		nodes = append(nodes, n)
		for _, c := range n.Content {
			walk(c)
		}
	}
	walk(doc.Content[0])
	n := nodes[which*7919%len(nodes)]
	other := nodes[int(with)*104729%len(nodes)]
	value := odd[int(with)%len(odd)]
	switch how % 8 {
	case 0, 1, 2: // another value
		if n.Kind == yaml.ScalarNode {
			n.SetString(value)
			n.Style, n.Tag = 0, ""
		}
	case 3: // an entry gone
		if len(n.Content) >= 2 {
			at := int(with) % (len(n.Content) / 2) * 2
			n.Content = append(n.Content[:at:at], n.Content[at+2:]...)
		}
	case 4: // an entry twice
		if len(n.Content) >= 2 {
			n.Content = append(n.Content, n.Content[0], n.Content[1])
		}
	case 5: // something else's content
		if n.Kind == yaml.ScalarNode && other.Kind == yaml.ScalarNode {
			n.Value, n.Style, n.Tag = other.Value, other.Style, other.Tag
		}
	case 6: // a further key
		if n.Kind == yaml.MappingNode {
			n.Content = append(n.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: value},
				&yaml.Node{Kind: yaml.ScalarNode, Value: odd[int(how/8)%len(odd)]})
		}
	case 7: // a figure changed
		if n.Kind == yaml.ScalarNode && len(n.Value) > 0 {
			b := []byte(n.Value)
			b[int(with)%len(b)] = "0123456789.-"[int(how/8)%12]
			n.Value, n.Style, n.Tag = string(b), 0, ""
		}
	}
}
