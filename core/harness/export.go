package harness

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"

	"go.yaml.in/yaml/v3"
)

// WriteWireList writes the wires as comma-separated values, a line each, with their ohms at
// 20 °C.
func (c *Circuit) WriteWireList(w io.Writer) error {
	out := csv.NewWriter(w)
	rows := [][]string{{"from", "to", "parallel", "colour", "size", "length", "ohms at 20 °C"}}
	for _, wire := range c.Wires {
		rows = append(rows, []string{
			wire.From.String(), wire.To.String(), strconv.Itoa(wire.Parallel), wire.Colour,
			wire.Size.String(), wire.Length.String(), strconv.FormatFloat(wire.Ohms(), 'g', 5, 64),
		})
	}
	return out.WriteAll(rows)
}

// WriteJSON writes a harness file's content as JSON. The file was read before, so that it is
// known to be one.
func WriteJSON(w io.Writer, file []byte) error {
	var content map[string]any
	if err := yaml.Unmarshal(file, &content); err != nil {
		return fmt.Errorf("harness: %w", err)
	}
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(content)
}
