package electric

import (
	"maps"

	"ironthread/core/harness"
)

// How cold and how hot an engine, or whatever is cooled, is to find out what the fans do of themselves, °C.
const coldest, hottest = 20.0, 125.0

// Working gives the words of the circuit's own switches (a main switch, a selector) as they stand when it works by itself: such
// that the fans rest while it is cold and run when it is hot, if any state has them so; else such that they run when it is hot.
// It is nil for a circuit without such switches.
func (m *Model) Working() map[string]string {
	n, err := m.Network(nil, nil)
	if err != nil {
		return nil
	}
	running := func(words map[string]string, coolant float64) (fans int) {
		s := harness.State{Name: "working", Key: true, Running: true, Coolant: &coolant, Words: words}
		n.Restore()
		n.Enter(&s)
		for i := range n.motors {
			if n.motors[i].omega != 0 {
				fans++
			}
		}
		return fans
	}
	var best map[string]string
	most := -1
	var tried []map[string]string
	for _, s := range m.Circuit.States {
		known := false
		for _, words := range tried {
			known = known || maps.Equal(words, s.Words)
		}
		if known || len(s.Words) == 0 {
			continue
		}
		tried = append(tried, s.Words)
		rank := 0
		if hot, cold := running(s.Words, hottest), running(s.Words, coldest); hot > 0 {
			rank = hot
			if cold < hot {
				rank += len(n.motors)
			}
		}
		if rank > most {
			best, most = s.Words, rank
		}
	}
	return best
}
