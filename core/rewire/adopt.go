package rewire

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"

	"ironthread/core/harness"
	"ironthread/core/size"
)

// From the harness that is there to the new one with as little as can be done to it. Of a drawing only two things bind: which parts
// there are, and which of their pins hang together. Which old part serves as which new one, and which wire makes pins hang together, is
// free; so every wire that is there stays wherever both its ends belong together in the new circuit too, and what is missing is
// moved, tapped or laid. It is a search with a cost: each way of matching parts is laid out and counted, and the cheapest wins.

// Costs of what is done by hand, by which ways are compared.
const (
	costMoved  = 1.0
	costTapped = 1.0
	costLaid   = 2.0
	costCut    = 2.0
	costPart   = 3.0
	costRename = 0.01 // an old part in another's place, all else alike
)

// Bounds of the search: how often it begins anew, and how many rounds of single changes it makes from each beginning.
const (
	beginnings = 6
	rounds     = 12
)

// adopter holds what a search needs: every pin of the old harness and of the new drawing has a number, old ones first.
type adopter struct {
	old, made *harness.Circuit
	unfit     map[string]bool // old wires and parts that will not do
	may       func(mm2 float64) float64
	amps      []float64 // of each new wire

	oldPins  map[harness.Pin]int
	newPins  map[harness.Pin]int
	pins     []harness.Pin // by number
	nets     []int         // of each new pin: which pins hang together
	ground   int           // the net of the body
	inner    []int         // of each old pin: its run of splices and connectors, or -1
	inners   int
	ctl, own *harness.Part // the controller that is there, and the drawing's
	roles    map[string]string
}

// match says which old part serves as each new one (-1: none), and which of its ends are changed about.
type match struct {
	to    []int
	turns []uint8
}

// Ends that may be changed about: a relay's coil, a relay's contact, a part with two ends alike.
const (
	turnCoil uint8 = 1 << iota
	turnContact
)

// layout is what a match comes to.
type layout struct {
	cost   float64
	net    []int // of every pin, -1 where it belongs to nothing
	at     []int // of every new pin: its number
	kept   []int // old wires
	left   []int
	cut    []int
	moved  []movedTo
	joined []joint
}

// movedTo is an old wire of which one end goes elsewhere.
type movedTo struct {
	wire     int
	from, to int // pins
	as       int // the new wire in whose place it comes
}

// joint is a wire that comes in: as drawn, between two pins; tapped where one of its ends is on a wire that is there.
type joint struct {
	wire    int
	a, b    int
	tapped  bool
	foreign bool
}

func newAdopter(d *design, old *harness.Circuit, unfit map[string]bool) *adopter {
	made := d.c
	a := &adopter{old: old, made: made, unfit: unfit, amps: d.amps,
		may: func(mm2 float64) float64 { return size.Hot(mm2, d.w.Heat, d.w.Insulation) }, oldPins: map[harness.Pin]int{},
		newPins: map[harness.Pin]int{}, roles: map[string]string{}}
	if list := old.OfKind(harness.KindController); len(list) > 0 {
		a.ctl = list[0]
	}
	a.own = made.Part("ECU")
	if a.ctl != nil && a.own != nil {
		a.matchRoles()
	}
	for _, p := range old.Parts {
		for _, pin := range p.Pins() {
			a.oldPins[pin] = len(a.pins)
			a.pins = append(a.pins, pin)
		}
	}
	first := len(a.pins)
	for _, p := range made.Parts {
		for _, pin := range p.Pins() {
			a.newPins[pin] = len(a.pins)
			a.pins = append(a.pins, pin)
		}
	}
	sets := newSets(len(a.pins))
	for _, w := range made.Wires {
		sets.join(a.newPins[w.From], a.newPins[w.To])
	}
	body := a.newPins[harness.Pin{Part: "G1"}]
	for _, g := range made.OfKind(harness.KindGround) { // all joints of the body are one
		sets.join(body, a.newPins[g.Pins()[0]])
	}
	a.nets = make([]int, len(a.pins))
	for i := range a.nets {
		if a.nets[i] = -1; i >= first {
			a.nets[i] = sets.of(i)
		}
	}
	a.ground = sets.of(body)
	a.innerRuns()
	return a
}

// innerRuns numbers what only carries on: splices and the ways of connectors, with the wires between them.
func (a *adopter) innerRuns() {
	inner := func(p *harness.Part) bool { return p.Kind() == harness.KindSplice || p.Kind() == harness.KindConnector }
	sets := newSets(len(a.pins))
	for _, p := range a.old.OfKind(harness.KindConnector) {
		pins := p.Pins()
		for i := 0; i+1 < len(pins); i += 2 {
			sets.join(a.oldPins[pins[i]], a.oldPins[pins[i+1]])
		}
	}
	for _, w := range a.old.Wires {
		if inner(a.old.Part(w.From.Part)) && inner(a.old.Part(w.To.Part)) {
			sets.join(a.oldPins[w.From], a.oldPins[w.To])
		}
	}
	number := map[int]int{}
	a.inner = make([]int, len(a.pins))
	for i, pin := range a.pins {
		if a.inner[i] = -1; i < len(a.oldPins) && inner(a.old.Part(pin.Part)) {
			root := sets.of(i)
			if _, known := number[root]; !known {
				number[root] = len(number)
			}
			a.inner[i] = number[root]
		}
	}
	a.inners = len(number)
}

// matchRoles finds the pin of the controller that is there for each pin of the drawing's: the one of the same command, else of the
// same kind in their order. A pin that none can be has its own name, with a mark.
func (a *adopter) matchRoles() {
	made, old := a.own.Spec.(*harness.Controller), a.ctl.Spec.(*harness.Controller)
	taken := map[string]bool{}
	kind := func(r *harness.PinRole) string {
		return fmt.Sprint(r.Ground, r.Power, r.SinksOn != "", r.SinksUnless != "", r.SourcesOn != "", r.PWMOn != "")
	}
	for _, exact := range []bool{true, false} {
		for _, r := range made.PinRoles {
			if a.roles[r.Name] != "" {
				continue
			}
			k := slices.IndexFunc(old.PinRoles, func(o *harness.PinRole) bool {
				return !taken[o.Name] && kind(o) == kind(r) && (!exact || o.Command() == r.Command())
			})
			if k >= 0 {
				a.roles[r.Name], taken[old.PinRoles[k].Name] = old.PinRoles[k].Name, true
			}
		}
	}
}

// can tells whether an old part can serve as a new one.
func (a *adopter) can(o, p *harness.Part) bool {
	if o.Kind() != p.Kind() || a.unfit["part "+o.Name] || foreignPart(p.Name) && p.Name != "ECU" {
		return false
	}
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		r := o.Spec.(*harness.Relay)
		return r.Contacts == spec.Contacts || r.Contacts == harness.Changeover && len(spec.Poles()) == 1
	case *harness.Fuse:
		// The coils' fuse is a small one, and a load's is none: another rating goes into the same holder.
		return (o.Spec.(*harness.Fuse).Amps <= coilFuse) == (spec.Amps <= coilFuse)
	case *harness.Resistor:
		r := o.Spec.(*harness.Resistor).Ohms
		return r > 0.7*spec.Ohms && r < 1.4*spec.Ohms
	case *harness.Switch:
		return o.Spec.(*harness.Switch).ClosedWhen == spec.ClosedWhen
	case *harness.StagedSwitch:
		s := o.Spec.(*harness.StagedSwitch)
		return len(s.Stages) == 1 && s.Stages[0].Closes == spec.Stages[0].Closes && s.Stages[0].Opens == spec.Stages[0].Opens
	case *harness.Controller:
		return p.Name == "ECU" && o == a.ctl
	case *harness.Motor:
		return slices.Equal(names(o), names(p))
	case *harness.PWMModule, *harness.Battery, *harness.Diode, *harness.Limiter, *harness.Ground:
		return slices.Equal(names(o), names(p)) || p.Kind() == harness.KindGround
	}
	return false
}

// coilFuse is the largest rating that counts as a fuse for coils, amps.
const coilFuse = 10.0

func names(p *harness.Part) []string { return p.Spec.Pins() }

// turnable are the ends of a part that may be changed about without anybody noticing.
func turnable(p *harness.Part) uint8 {
	switch spec := p.Spec.(type) {
	case *harness.Relay:
		turns := uint8(0)
		if spec.Suppression != harness.Suppression("diode") {
			turns |= turnCoil
		}
		if spec.Contacts == harness.Make {
			turns |= turnContact
		}
		return turns
	case *harness.Switch, *harness.Resistor, *harness.Limiter:
		return turnCoil
	}
	return 0
}

// Pins that change places.
var turned = map[uint8]map[string]string{
	turnCoil: {"85": "86", "86": "85", "a": "b", "b": "a"}, turnContact: {"30": "87", "87": "30"},
}

// pinOn is the number of a new part's pin on the old part that serves as it.
func (a *adopter) pinOn(o *harness.Part, turns uint8, pin harness.Pin) int {
	name := pin.Name
	for turn, swap := range turned {
		if other, does := swap[name]; turns&turn != 0 && does {
			name = other
			break
		}
	}
	switch spec := o.Spec.(type) {
	case *harness.Controller:
		if name = a.roles[pin.Name]; name == "" {
			return a.newPins[pin]
		}
	case *harness.StagedSwitch:
		if name != "c" {
			name = spec.Stages[0].Pin
		}
	}
	if n, there := a.oldPins[harness.Pin{Part: o.Name, Name: name}]; there {
		return n
	}
	return a.newPins[pin]
}

// lay lays a match out and counts what is done.
func (a *adopter) lay(m *match) *layout {
	l := &layout{net: make([]int, len(a.pins)), at: make([]int, len(a.pins))}
	for i := range l.net {
		l.net[i], l.at[i] = -1, i
	}
	used := make([]bool, len(a.old.Parts))
	for k, p := range a.made.Parts {
		if m.to[k] < 0 {
			if !foreignPart(p.Name) && p.Kind() != harness.KindGround && p.Kind() != harness.KindBattery {
				l.cost += costPart
			}
		} else {
			o := a.old.Parts[m.to[k]]
			used[m.to[k]] = true
			if o.Name != p.Name {
				l.cost += costRename
			}
		}
		for _, pin := range p.Pins() {
			n := a.newPins[pin]
			if m.to[k] >= 0 {
				l.at[n] = a.pinOn(a.old.Parts[m.to[k]], m.turns[k], pin)
			}
			l.net[l.at[n]] = a.nets[n]
		}
	}
	own := make([]bool, len(a.pins)) // the vehicle's, whatever is made of the rest
	for k, o := range a.old.Parts {
		stays := stays(o.Kind())
		for _, pin := range o.Pins() {
			n := a.oldPins[pin]
			switch {
			case o.Kind() == harness.KindGround || o.Kind() == harness.KindBattery && pin.Name == "-":
				l.net[n] = a.ground
			case l.net[n] >= 0:
			case o == a.ctl:
				l.net[n] = -2 - n
				own[n] = !commands(o, pin.Name)
			case used[k]:
				l.net[n] = -2 - n // must stay empty
			case stays && a.inner[n] < 0:
				l.net[n], own[n] = -2-n, true
			}
		}
	}
	a.carryOn(l)
	sets := newSets(len(a.pins))
	body := -1
	for n := range a.pins {
		if l.net[n] == a.ground && (n < len(a.oldPins)) && a.bodyPin(n) {
			if body >= 0 {
				sets.join(body, n)
			}
			body = n
		}
	}
	for _, p := range a.old.OfKind(harness.KindConnector) { // each way carries on
		pins := p.Pins()
		for i := 0; i+1 < len(pins); i += 2 {
			sets.join(a.oldPins[pins[i]], a.oldPins[pins[i+1]])
		}
	}
	a.keepWires(l, own, sets)
	a.joinUp(l, sets)
	return l
}

// bodyPin tells whether an old pin is a joint of the body, or the battery's other post.
func (a *adopter) bodyPin(n int) bool {
	p := a.old.Part(a.pins[n].Part)
	return p.Kind() == harness.KindGround || p.Kind() == harness.KindBattery
}

// atPost tells whether a pin is a post of the battery that is there.
func (a *adopter) atPost(n int) bool {
	return n < len(a.oldPins) && a.old.Part(a.pins[n].Part).Kind() == harness.KindBattery
}

// stays tells whether parts of a kind stay where they are though the new circuit knows nothing of them.
func stays(k harness.Kind) bool {
	switch k {
	case harness.KindSensor, harness.KindController, harness.KindLamp, harness.KindConnector, harness.KindSplice, harness.KindGround,
		harness.KindBattery:
		return true
	}
	return false
}

// commands tells whether a controller's pin gives orders.
func commands(p *harness.Part, pin string) bool {
	return slices.ContainsFunc(p.Spec.(*harness.Controller).PinRoles, func(r *harness.PinRole) bool {
		return r.Name == pin && r.Command() != ""
	})
}

// carryOn gives each run of splices and connectors the net that most of the wires at it lead to.
func (a *adopter) carryOn(l *layout) {
	if a.inners == 0 {
		return
	}
	votes := make([]map[int]int, a.inners)
	for _, w := range a.old.Wires {
		ends := [2]int{a.oldPins[w.From], a.oldPins[w.To]}
		for i, n := range ends {
			if run, net := a.inner[n], l.net[ends[1-i]]; run >= 0 && a.inner[ends[1-i]] < 0 && net != -1 {
				if votes[run] == nil {
					votes[run] = map[int]int{}
				}
				votes[run][net]++
			}
		}
	}
	for n := range a.oldPins {
		run := a.inner[a.oldPins[n]]
		if run < 0 {
			continue
		}
		most, best := 0, -1
		for _, net := range slices.Sorted(maps.Keys(votes[run])) {
			if votes[run][net] > most {
				most, best = votes[run][net], net
			}
		}
		l.net[a.oldPins[n]] = best
	}
}

// keepWires sorts the old wires: those whose ends belong together stay, those that would join what does not are cut, those at a
// part that has gone are left.
func (a *adopter) keepWires(l *layout, own []bool, sets *sets) {
	for k, w := range a.old.Wires {
		x, y := a.oldPins[w.From], a.oldPins[w.To]
		nx, ny := l.net[x], l.net[y]
		switch {
		case a.unfit["wire "+w.String()]:
			l.cut = append(l.cut, k)
		case nx == -1 || ny == -1:
			l.left = append(l.left, k)
		case nx == ny, own[x] || own[y]:
			l.kept = append(l.kept, k)
			sets.join(x, y)
		default:
			l.cut = append(l.cut, k)
		}
	}
}

// joinUp brings together what the new circuit has together: by a wire that is moved, where one would have to be cut anyway, else by
// one that is tapped or laid.
func (a *adopter) joinUp(l *layout, sets *sets) {
	wired := make([]bool, len(a.pins)) // pins with a wire that is there
	for _, k := range l.kept {
		wired[a.oldPins[a.old.Wires[k].From]], wired[a.oldPins[a.old.Wires[k].To]] = true, true
	}
	spare := slices.Clone(l.cut)
	for k, w := range a.made.Wires {
		x, y := l.at[a.newPins[w.From]], l.at[a.newPins[w.To]]
		if sets.of(x) == sets.of(y) {
			continue
		}
		if foreignWire(a.made, w) {
			l.joined = append(l.joined, joint{k, x, y, false, true})
			sets.join(x, y)
			continue
		}
		if from, i := a.movable(l, spare, joint{wire: k, a: x, b: y}, sets); i >= 0 {
			end := x
			if sets.of(from.from) == sets.of(x) {
				end = y
			}
			l.moved = append(l.moved, movedTo{from.wire, from.to, end, k})
			spare = slices.Delete(spare, i, i+1)
			sets.join(x, y)
			wired[x], wired[y] = true, true
			l.cost += costMoved
			continue
		}
		// A ring under a nut, at the body or at the battery's post, is no tap.
		tapped := l.net[x] != a.ground && !a.atPost(x) && !a.atPost(y) && wired[x] != wired[y]
		l.joined = append(l.joined, joint{k, x, y, tapped, false})
		sets.join(x, y)
		if tapped {
			l.cost += costTapped
		} else {
			l.cost += costLaid
		}
	}
	l.cut = spare
	l.cost += costCut * float64(len(spare))
}

// movable finds an old wire of which one end hangs where a new wire is to begin or end, and the other has to go.
func (a *adopter) movable(l *layout, spare []int, to joint, sets *sets) (movedTo, int) {
	for _, exact := range []bool{true, false} { // a pin itself before another that hangs together with it
		for i, k := range spare {
			o := a.old.Wires[k]
			if a.unfit["wire "+o.String()] || o.Size.Given() && a.may(o.Size.SquareMM()) < a.amps[to.wire] {
				continue
			}
			ends := [2]int{a.oldPins[o.From], a.oldPins[o.To]}
			for e, stay := range ends {
				if l.net[stay] != l.net[to.a] || a.inner[stay] >= 0 || exact && stay != to.a && stay != to.b {
					continue
				}
				if root := sets.of(stay); root == sets.of(to.a) || root == sets.of(to.b) {
					return movedTo{wire: k, from: stay, to: ends[1-e]}, i
				}
			}
		}
	}
	return movedTo{}, -1
}

// best finds the cheapest match: from a plain beginning and from some by chance, one change at a time for as long as it gets cheaper.
func (a *adopter) best() (*match, *layout) {
	chance := rand.New(rand.NewPCG(1, 1)) // the same harness gives the same answer
	var won *match
	var how *layout
	for begin := range beginnings {
		m := a.begin(chance, begin > 0)
		l := a.climb(m)
		if how == nil || l.cost < how.cost-1e-9 {
			won, how = m, l
		}
	}
	return won, how
}

// begin matches each new part with the first old one that can serve: of the same name where there is one, or by chance.
func (a *adopter) begin(chance *rand.Rand, shuffled bool) *match {
	m := &match{to: make([]int, len(a.made.Parts)), turns: make([]uint8, len(a.made.Parts))}
	taken := make([]bool, len(a.old.Parts))
	order := make([]int, len(a.old.Parts))
	for i := range order {
		order[i] = i
	}
	if shuffled {
		chance.Shuffle(len(order), func(i, j int) { order[i], order[j] = order[j], order[i] })
	}
	for k, p := range a.made.Parts {
		m.to[k] = -1
		for _, named := range []bool{!shuffled, false} {
			for _, i := range order {
				o := a.old.Parts[i]
				if m.to[k] < 0 && (!taken[i] || p.Kind() == harness.KindGround) && a.can(o, p) && (!named || o.Name == p.Name) {
					m.to[k], taken[i] = i, true
				}
			}
		}
	}
	return m
}

// climb changes a match one part at a time.
func (a *adopter) climb(m *match) *layout {
	now := a.lay(m)
	try := func(change func()) bool {
		before := match{slices.Clone(m.to), slices.Clone(m.turns)}
		change()
		if l := a.lay(m); l.cost < now.cost-1e-9 {
			now = l
			return true
		}
		copy(m.to, before.to)
		copy(m.turns, before.turns)
		return false
	}
	for range rounds {
		better := false
		for k, p := range a.made.Parts {
			if p.Kind() == harness.KindBattery || p.Kind() == harness.KindGround || p.Name == "ECU" {
				continue
			}
			for i, o := range a.old.Parts {
				if i == m.to[k] || !a.can(o, p) {
					continue
				}
				better = try(func() {
					if j := slices.Index(m.to, i); j >= 0 { // they change places
						m.to[j] = -1
						if m.to[k] >= 0 && a.can(a.old.Parts[m.to[k]], a.made.Parts[j]) {
							m.to[j] = m.to[k]
						}
					}
					m.to[k] = i
				}) || better
			}
			if m.to[k] >= 0 {
				better = try(func() { m.to[k] = -1 }) || better
			}
			if m.to[k] < 0 {
				continue
			}
			for _, turn := range []uint8{turnCoil, turnContact} {
				if turnable(a.old.Parts[m.to[k]])&turn != 0 {
					better = try(func() { m.turns[k] ^= turn }) || better
				}
			}
		}
		if !better {
			break
		}
	}
	return now
}

// sets are pins that hang together.
type sets struct{ up []int }

func newSets(n int) *sets {
	s := &sets{make([]int, n)}
	for i := range s.up {
		s.up[i] = i
	}
	return s
}

func (s *sets) of(i int) int {
	for s.up[i] != i {
		s.up[i] = s.up[s.up[i]]
		i = s.up[i]
	}
	return i
}

func (s *sets) join(i, j int) { s.up[s.of(i)] = s.of(j) }
