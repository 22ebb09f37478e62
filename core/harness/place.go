package harness

import (
	"strconv"
	"strings"
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
