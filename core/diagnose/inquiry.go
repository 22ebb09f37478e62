package diagnose

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/predict"
	"ironthread/core/probe"
)

// Now is how the car stands: the command given last, if any, and the ledger; what the technician has and
// likes; and what the workshop has learnt. Kit and School change what is offered and in which order, Learnt
// what is believed beforehand, none what a reading proves.
type Now struct {
	State  *harness.State
	Setup  []electric.Action
	Kit    probe.Kit
	School probe.School
	Learnt Experience
	// Order, where it is given, puts the tests that tell something into a fixed order, instead of the most
	// information a minute.
	Order func(t probe.Test) int
}

// inquiry is one question put to the guide: for whom, with what the workshop has learnt, and how the
// car stands at the moment looked at. Everything that asks for predictions goes through it, so that
// it stops when nobody waits any more.
type inquiry struct {
	guide   *Guide
	ctx     context.Context
	priors  []float64 // of each suspect, with a workshop's experience counted in
	phase   phase
	stand   stand
	drivers []int    // the controllers' driver pins
	came    *inquiry // the same about the cars as they came in, once asked for
}

// stand is how the suspects' cars stand: what has blown on each in the set-up they were in last.
type stand struct {
	setup []electric.Action
	blown []predict.Blown
	pages *pages // for what has blown now
}

// pages are what is foretold, by set-up. Tests that are weighed at the same time share them.
type pages struct {
	sync.RWMutex
	of map[string]*foretold
}

func noPages() *pages { return &pages{of: map[string]*foretold{}} }

// foretold is a page with what its suspects' cars show as they stand.
type foretold struct {
	*predict.Page
	of    []*predict.Figures
	blown []predict.Blown
	whole [][]int // the lists asked for last, whose figures are all there
}

// listsKept is how many lists of suspects a page remembers: while tests are weighed it is asked for two, again and again.
const listsKept = 4

// has tells whether the figures of this very list have been made.
func (p *foretold) has(which []int) bool {
	return len(which) > 0 && slices.ContainsFunc(p.whole, func(l []int) bool { return &l[0] == &which[0] && len(l) == len(which) })
}

// ask begins a question. Cars stand as they came in: the complaint has happened.
func (g *Guide) ask(ctx context.Context, now Now) (*inquiry, error) {
	q := &inquiry{guide: g, ctx: ctx, priors: g.suspects.learnt(g.circuit, now.Learnt), phase: phaseOf(now.Setup)}
	blown, err := g.table.BlownBeforeAll(ctx)
	q.stand = stand{blown: blown, pages: noPages()}
	q.drivers = q.commanded()
	return q, err
}

// asItCame is the same question about the cars as they came in, whatever has been done since.
func (in *inquiry) asItCame() (*inquiry, error) {
	if in.came != nil {
		return in.came, nil
	}
	blown, err := in.guide.table.BlownBeforeAll(in.ctx)
	if err != nil {
		return nil, err
	}
	q := *in
	q.stand = stand{blown: blown, pages: noPages()}
	in.came = &q
	q.came = &q
	return in.came, nil
}

// carried is what has blown once the set-up has been changed.
func (s *stand) carried(m *electric.Model, setup []electric.Action) []predict.Blown {
	list := make([]predict.Blown, len(s.blown))
	for i, b := range s.blown {
		if b != (predict.Blown{}) {
			list[i] = b.Carry(m, s.setup, setup)
		}
	}
	return list
}

// page finds or begins what is foretold in a set-up.
func (in *inquiry) page(setup []electric.Action, name string) (*foretold, error) {
	if p := in.stand.pages.of[name]; p != nil {
		return p, nil
	}
	page, err := in.guide.table.Page(setup)
	if err != nil {
		return nil, err
	}
	p := &foretold{Page: page, of: make([]*predict.Figures, len(in.guide.suspects)), blown: in.stand.carried(in.guide.model, setup)}
	in.stand.pages.of[name] = p
	return p, nil
}

// pageFor is a page with the figures of these suspects.
func (in *inquiry) pageFor(setup []electric.Action, which []int) (*foretold, error) {
	name, pages := probe.SetupKey(setup), in.stand.pages
	pages.RLock()
	p := pages.of[name]
	ready := p != nil && p.has(which)
	pages.RUnlock()
	if ready {
		return p, nil
	}
	pages.Lock()
	defer pages.Unlock()
	p, err := in.page(setup, name)
	if err != nil {
		return nil, err
	}
	if err = p.Need(in.ctx, which, p.blown, p.of); err == nil {
		p.whole = append(p.whole[max(0, len(p.whole)+1-listsKept):], which)
	}
	return p, err
}

// moveTo takes the cars into a set-up and, where a state is entered, through it: what blows there
// stays blown.
func (in *inquiry) moveTo(setup []electric.Action, state int) error {
	if state < 0 {
		blown := in.stand.carried(in.guide.model, setup)
		in.land(setup, blown)
		return nil
	}
	p, err := in.pageFor(setup, in.guide.suspects.everyone())
	if err != nil {
		return err
	}
	blown := make([]predict.Blown, len(in.guide.suspects))
	for i, f := range p.of {
		if f != nil {
			blown[i] = f.After(state)
		}
	}
	in.land(setup, blown)
	return nil
}

// land notes how the cars stand now; what was foretold for other blown fuses is let go.
func (in *inquiry) land(setup []electric.Action, blown []predict.Blown) {
	same := probe.SetupKey(probe.Lasting(setup)) == probe.SetupKey(probe.Lasting(in.stand.setup))
	for i := range blown {
		same = same && blown[i] == in.stand.blown[i]
	}
	in.stand.setup, in.stand.blown = setup, blown
	if !same {
		in.stand.pages = noPages()
	}
}

// standing tells one way in which the cars' fuses have blown from another.
func (s *stand) standing() string {
	var sum uint64 = 14695981039346656037 // FNV-1a
	for _, b := range s.blown {
		for _, w := range b {
			sum = (sum ^ w) * 1099511628211
		}
	}
	return fmt.Sprintf("#%x", sum)
}

// entered is the state that a test brings the car into; -1 where none is: with the power off, by hand and
// eye, from a tool.
func (in *inquiry) entered(t probe.Test) int {
	if !t.Kind().InState() {
		return -1
	}
	return in.guide.table.StateIndex(t.State)
}

// shown is what a test's instrument shows on the cars of these suspects.
func (in *inquiry) shown(t probe.Test, which []int) ([]*predict.Shown, error) {
	measured := func(setup []electric.Action, s predict.Suspect) (*electric.Instrumented, error) {
		return in.guide.instrument(t, setup, s.Faults())
	}
	c, err := in.guide.table.Showing(t.Key(), t.Setup, t.State, measured)
	if err != nil {
		return nil, err
	}
	shown, blown := make([]*predict.Shown, len(in.guide.suspects)), in.stand.carried(in.guide.model, t.Setup)
	alone := in.inHand(t)
	if alone == "" {
		return shown, c.Need(in.ctx, which, blown, shown)
	}
	own := []int{in.guide.suspects.nobody()}
	for _, i := range which {
		if slices.Contains(in.guide.suspects[i].Fault.Parts(), alone) {
			own = append(own, i)
		}
	}
	if err := c.Need(in.ctx, own, blown, shown); err != nil {
		return nil, err
	}
	for _, i := range which {
		if shown[i] == nil && !in.guide.suspects[i].Unknown {
			shown[i] = shown[own[0]]
		}
	}
	return shown, nil
}

// inHand names the part that a test is made on alone, with both leads on it while it is out: such a reading knows nothing of
// the rest of the car, so that every suspect elsewhere shows what a healthy car shows. It is empty for any other test, and for
// a part with a fuse in it, which may have blown on the car.
func (in *inquiry) inHand(t probe.Test) string {
	part := t.At.Part
	swapped := slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == electric.Swapped })
	if !t.At.Inner || !t.From.Inner || t.From.Part != part || swapped || slices.Contains(in.guide.model.Fused(), part) {
		return ""
	}
	return part
}

// since keeps the observations of the car as it is now.
func (in *inquiry) since(seen []probe.Observation) []probe.Observation {
	if in.phase.untouched() {
		return seen
	}
	var kept []probe.Observation
	for k := range seen {
		if setup, err := seen[k].Held(in.guide.circuit); err == nil && in.phase.holds(setup) {
			kept = append(kept, seen[k])
		}
	}
	return kept
}

// exonerated tells whether the suspect's part is one never used before.
func (in *inquiry) exonerated(s *suspect) bool {
	return in.prior(s) <= newPart*in.priors[s.at]
}

// prior is what a suspect is believed before this phase's evidence: a new part is exonerated,
// a used one keeps some of its suspicion. A fuse that the fault just mended has blown, and that has
// not been renewed since, is as likely as that the repair was the right one.
func (in *inquiry) prior(s *suspect) float64 {
	p := in.priors[s.at]
	switch {
	case in.phase.untouched():
		return p
	case s.Name == NoFault:
		return allMended
	case !s.isFault():
		return p
	}
	for _, a := range in.phase.repairs {
		if electric.RepairIn([]electric.Action{a}, s.Fault).Verb != "" {
			continue
		}
		if a.Verb == electric.RenewedUsed {
			p *= usedPart
		} else {
			p *= newPart
		}
	}
	if s.Fault.On == fault.OnPart && s.Fault.Words == fault.Open && in.leftBlown(s.Fault.Part) {
		return max(p, allMended)
	}
	return p
}

// leftBlown tells whether a repair in this phase has mended a fault that blows this fuse, with the
// fuse not renewed since.
func (in *inquiry) leftBlown(fuse string) bool {
	n := slices.Index(in.guide.model.Fused(), fuse)
	if n < 0 {
		return false
	}
	last := -1
	for k, a := range in.phase.repairs {
		if a.Part == fuse {
			last = k
		}
	}
	for _, a := range in.phase.repairs[last+1:] {
		for _, s := range in.guide.suspects {
			if !s.isFault() || !a.Mends(s.Fault) {
				continue
			}
			blown, err := in.guide.table.BlownBefore(s.at)
			if err == nil && blows(blown, n) {
				return true
			}
		}
	}
	return false
}
