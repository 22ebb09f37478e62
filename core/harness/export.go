package harness

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Cell is a text as a cell of a list of comma-separated values: no spreadsheet takes it for a formula.
func Cell(s string) string {
	if s != "" && strings.ContainsAny(s[:1], "=+-@\t\r") {
		return "'" + s
	}
	return s
}

// Cells are the texts of one line of such a list; figures stay as they are.
func Cells(line []string) []string {
	guarded := make([]string, 0, len(line))
	for _, s := range line {
		if _, err := strconv.ParseFloat(s, 64); err != nil {
			s = Cell(s)
		}
		guarded = append(guarded, s)
	}
	return guarded
}

// WriteWireList writes the wires as comma-separated values, a line each, with their ohms at
// 20 °C.
func (c *Circuit) WriteWireList(w io.Writer) error {
	out := csv.NewWriter(w)
	rows := [][]string{{"from", "to", "parallel", "colour", "size", "length", "ohms at 20 °C"}}
	for _, wire := range c.Wires {
		rows = append(rows, Cells([]string{
			wire.From.String(), wire.To.String(), strconv.Itoa(wire.Parallel), wire.Colour,
			wire.Size.String(), wire.Length.String(), strconv.FormatFloat(wire.Ohms(), 'g', 5, 64),
		}))
	}
	return out.WriteAll(rows)
}

// WriteJSON writes a harness file's content as JSON, figures as figures and every key as text.
// The file was read before, so that it is known to be one.
func WriteJSON(w io.Writer, file []byte) error {
	var doc yaml.Node
	if err := yaml.Unmarshal(file, &doc); err != nil {
		return fmt.Errorf("harness: %w", err)
	}
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(plainValue(&doc))
}

// plainValue is what JSON makes of a node. A key that is a figure, as in a curve's points,
// becomes text.
func plainValue(n *yaml.Node) any {
	switch n.Kind {
	case yaml.DocumentNode:
		return plainValue(n.Content[0])
	case yaml.MappingNode:
		m := map[string]any{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			m[n.Content[i].Value] = plainValue(n.Content[i+1])
		}
		return m
	case yaml.SequenceNode:
		list := []any{}
		for _, item := range n.Content {
			list = append(list, plainValue(item))
		}
		return list
	}
	var v any
	if n.Decode(&v) != nil {
		return n.Value
	}
	return v
}
