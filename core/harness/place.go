package harness

import (
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Place is where a part stood on the drawing, in the drawing's own units: a column, a row, and
// how it was turned. A part put there by hand stays; the others are where the next drawing
// begins. The file keeps them under "sheet", by part, or by connector way as "C1.2".
type Place struct {
	Part   string
	Way    int // of a connector; 0 for other parts
	X, Row int
	Mirror bool
	Left   bool // its name stands on its left
	Put    bool // by hand
	Pins   map[string]float64
	Line   int
}

// Name is the place's key in the file.
func (p *Place) Name() string {
	if p.Way > 0 {
		return p.Part + "." + strconv.Itoa(p.Way)
	}
	return p.Part
}

const furthest = 2000 // units either way

func (p *Place) fields() []field {
	return []field{
		whole("x", &p.X, -furthest, furthest), whole("row", &p.Row, 0, 200),
		flag("mirror", &p.Mirror), flag("left", &p.Left), flag("put", &p.Put),
		figureMap("pins", &p.Pins, -furthest, furthest),
	}
}

// PlaceOf finds a part's place; nil if it has none.
func (c *Circuit) PlaceOf(part string, way int) *Place {
	for _, p := range c.Places {
		if p.Part == part && p.Way == way {
			return p
		}
	}
	return nil
}

// parsePlaceName splits "C1.2" and checks it against the circuit.
func (c *Circuit) parsePlaceName(name string) (*Place, bool) {
	part, way, dotted := strings.Cut(name, ".")
	place := &Place{Part: part}
	known := c.Part(part)
	if known == nil {
		return nil, false
	}
	if connector, ok := known.Spec.(*Connector); ok || dotted {
		n, err := strconv.Atoi(way)
		if !ok || err != nil || n < 1 || n > connector.Ways {
			return nil, false
		}
		place.Way = n
	}
	return place, true
}

// SplitPlaces parts a file's text into the circuit and the section that keeps the drawing's
// places, empty where there is none. What is worked out from a circuit depends on the first
// alone.
func SplitPlaces(source string) (circuit, sheet string) {
	lines := strings.SplitAfter(source, "\n")
	var keep, cut strings.Builder
	inside := false
	for _, line := range lines {
		if line != "" && !strings.ContainsRune(" \t\n\r#", rune(line[0])) {
			inside = strings.HasPrefix(line, "sheet:")
		}
		if inside {
			cut.WriteString(line)
		} else {
			keep.WriteString(line)
		}
	}
	return keep.String(), cut.String()
}

// WithPlaces gives the file's text with these places in it, everything else as it stands,
// comments too. No places take the section out.
func WithPlaces(source string, places []Place) string {
	circuit, _ := SplitPlaces(source)
	if len(places) == 0 {
		return circuit
	}
	if !strings.HasSuffix(circuit, "\n") {
		circuit += "\n"
	}
	var b strings.Builder
	b.WriteString(circuit)
	b.WriteString("sheet: # where the drawing's parts stand; \"put\" holds one there\n")
	for i := range places {
		node := flow(places[i].fields())
		text, err := yaml.Marshal(node)
		if err != nil {
			continue // words and figures only
		}
		b.WriteString("  " + places[i].Name() + ": " + strings.TrimSpace(string(text)) + "\n")
	}
	return b.String()
}
