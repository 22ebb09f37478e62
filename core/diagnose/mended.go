package diagnose

import (
	"fmt"
	"slices"
	"strings"

	"ironthread/core/electric"
)

// Mended says that what was wrong has, as it looks, been mended by something done to the car: a joint cleaned or
// reseated. Nothing proves it but time.
type Mended struct {
	By          []string `json:"by"` // as the set-up spells it
	Probability float64  `json:"probability"`
	Text        string   `json:"text"`
	Watch       string   `json:"watch"` // what would show that it is not
}

// mended finds the interventions that have most likely mended what was there: nothing bad has been seen since.
func (in *inquiry) mended(b *belief, now Now) *Mended {
	var best int
	total, most := 0.0, 0.0
	of := map[electric.Action]float64{}
	for i, cured := range b.cured {
		w := b.of[i] * cured
		if cured < surelyCured || !in.guide.suspects[i].isFault() || in.guide.suspects[i].ComesAndGoes() {
			continue
		}
		total += w
		if w > most {
			best, most = i, w
		}
		for _, a := range now.Setup {
			touched := func(part string) bool { return part == a.Part || part == a.Other }
			if (a.Verb == electric.Cleaned || a.Verb == electric.Swapped) && slices.ContainsFunc(in.guide.suspects[i].Fault.Parts(), touched) {
				of[a] += w
			}
		}
	}
	if total < mendedAt || total < b.of[in.guide.suspects.nobody()] {
		return nil
	}
	m := &Mended{Probability: total}
	var said, parts []string
	for _, a := range now.Setup {
		if of[a] < mendedNamed*total {
			continue
		}
		m.By = append(m.By, a.String())
		part := a.Part
		if a.Verb == electric.Swapped {
			part += " and " + a.Other
		}
		said = append(said, map[electric.Verb]string{electric.Cleaned: "cleaning ", electric.Swapped: "swapping "}[a.Verb]+part)
		parts = append(parts, part)
	}
	if len(m.By) == 0 {
		return nil
	}
	m.Text = "Mended, as it looks, by " + strings.Join(said, ", or by ") + ": watch it."
	m.Watch = fmt.Sprintf("Nothing bad has been seen since. What would show that it is not: every state again through a whole warm-up, "+
		"with %s tapped and the wires there moved. If the complaint comes back, look there first: %s.", strings.Join(parts, ", "),
		in.guide.suspects[best].Name)
	return m
}
