package rewire

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
)

// A design is broken on purpose: every single fault of every part and wire, in every state. What the fans then do is
// compared with what they should, and what it means is put in order of how bad it is.

// Severity is how bad an effect is.
type Severity string

// Severities, the worst first.
const (
	NoCooling   Severity = "no cooling"
	Overload    Severity = "overload"
	RunsOn      Severity = "runs on (battery)"
	HalfCooling Severity = "half cooling"
	WrongSpeed  Severity = "wrong speed"
	NoEffect    Severity = "none"
)

var severities = []Severity{NoCooling, Overload, RunsOn, HalfCooling, WrongSpeed, NoEffect}

// Effect is what a fault does in a state.
type Effect struct {
	Fault    string            `json:"fault"`
	State    string            `json:"state"`
	Fans     map[string]string `json:"fans"`
	Cooling  float64           `json:"cooling"` // share of the healthy air; 1 where none is asked for
	Severity Severity          `json:"severity"`
	Why      string            `json:"why,omitempty"`   // of an overload
	Hours    float64           `json:"hours,omitempty"` // until what runs on with the key off has emptied half the battery
	weight   float64
	dead     bool // no cooling is left where it is asked for
}

// Bounds between severities.
const (
	asksForAir = 0.05 // share of a fan's full speed from which a state counts as asking for air
	noAir      = 0.06 // of the healthy air
	halfAir    = 0.8
	sameAir    = 0.03
)

// conditions are the states in which a design is tried, the engine running where the key is on.
func (d *design) conditions() []*harness.State {
	var list []*harness.State
	for _, s := range d.c.States {
		at := *s
		at.Running = s.Key && !s.Cranking
		list = append(list, &at)
	}
	return list
}

// effects breaks the design; lost is the share of single faults, by how often they come, that leave no cooling in some state
// that asks for it, and hot of those that do so in the state in which all ask (in the highest speed's where only one asks).
func (d *design) effects(ctx context.Context) (list []Effect, lost, hot float64, err error) {
	states := d.conditions()
	fans := len(d.w.Fans)
	healthy := make([][]float32, len(states))
	normal := make([]map[string]bool, len(states))
	well, err := d.m.Network(nil, nil)
	if err != nil {
		return nil, 0, 0, fmt.Errorf("rewire: %w", err)
	}
	for k, s := range states {
		well.Rest()
		well.Enter(s)
		healthy[k] = make([]float32, fans)
		well.FanShares(healthy[k])
		normal[k] = map[string]bool{}
		for _, x := range well.Point(s).Warnings {
			normal[k][x.Kind+x.At] = true
		}
	}
	total, hottest := 0.0, d.full()
	charge, err := d.w.ampHours()
	if err != nil {
		return nil, 0, 0, err
	}
	half := charge / 2
	if d.c.State(hotState) != nil {
		hottest = hotState
	}
	shares := make([]float32, fans)
	for _, suspect := range fault.All(d.c) {
		if err := ctx.Err(); err != nil {
			return nil, 0, 0, err
		}
		if d.elsewhere(suspect.Fault) {
			continue
		}
		broken, opened, err := d.broken(suspect.Fault, states)
		if err != nil {
			return nil, 0, 0, err
		}
		n, err := d.m.Network(nil, broken)
		if err != nil {
			continue // such a fault cannot be here
		}
		total += suspect.Weight
		dead := false
		for k, s := range states {
			n.Restore()
			n.Rest()
			n.Enter(s)
			n.FanShares(shares)
			e := Effect{Fault: suspect.Fault.String(), State: s.Name, Cooling: 1, weight: suspect.Weight}
			point := n.Point(s)
			e.judge(healthy[k], shares, point, normal[k])
			if suspect.Fault.Words == fault.ToBattery && strings.HasPrefix(e.Why, "a dead short") {
				// Nothing live lies beside it here but wires that have their fuse at the post, and that is what opens.
				e.Why = "the live wire that it rubs against blows its fuse"
			}
			if opened != "" && e.Severity != NoEffect && e.Why == "" {
				e.Why = opened
			}
			if amps := math.Abs(d.fromBattery(point)); e.Severity == RunsOn && !s.Key && amps > 0 {
				e.Hours = round(half/amps, 1) // until half its charge is gone (common practice)
			}
			if e.Severity == NoEffect {
				continue
			}
			dead = dead || e.dead
			if e.dead && s.Name == hottest {
				hot += suspect.Weight
			}
			list = append(list, e)
		}
		if dead {
			lost += suspect.Weight
		}
	}
	slices.SortStableFunc(list, func(a, b Effect) int {
		return cmp.Or(cmp.Compare(slices.Index(severities, a.Severity), slices.Index(severities, b.Severity)), cmp.Compare(b.weight,
			a.weight))
	})
	total = max(total, 1e-9)
	return list, lost / total, hot / total, nil
}

// burns tells whether a part is overloaded and nothing ends it, which is worse than fans that stand.
func (e *Effect) burns() bool { return e.Why != "" && !strings.HasPrefix(e.Why, "a dead short") }

// elsewhere tells whether a fault is none of this design: on a wire of the vehicle's own.
func (d *design) elsewhere(f fault.Fault) bool {
	if f.On != fault.OnWire {
		return false
	}
	w := d.c.Wire(f.Wire[0], f.Wire[1])
	if w == nil {
		return false
	}
	return d.foreign(w)
}

// broken is a fault with what it brings about: a limiter that opens since its resistor gets hotter than it stands in some state.
// opened says so.
func (d *design) broken(f fault.Fault, states []*harness.State) (list []fault.Fault, opened string, err error) {
	list = []fault.Fault{f}
	limiters := d.c.OfKind(harness.KindLimiter)
	if len(limiters) == 0 {
		return list, "", nil
	}
	n, err := d.m.Network(nil, list)
	if err != nil {
		return list, "", nil //nolint:nilerr // such a fault cannot be here, as whoever asks finds too
	}
	for _, s := range states {
		n.Restore()
		n.Rest()
		n.Enter(s)
		heat := n.Point(s).Heat
		for k, limiter := range limiters {
			resistor := d.part(fmt.Sprintf("R%d", k+1))
			if resistor == nil || heat[resistor.Name].Watts <= resistor.Spec.(*harness.Resistor).Watts || opened != "" {
				continue
			}
			open, err := fault.Parse(d.c, limiter.Name+" open")
			if err != nil {
				return nil, "", fmt.Errorf("rewire: %w", err)
			}
			list = append(list, open)
			opened = fmt.Sprintf("%s would turn %.0f W into heat: %s opens at %.0f °C, for good", resistor.Name, heat[resistor.Name].Watts,
				limiter.Name, limiter.Spec.(*harness.Limiter).Opens)
		}
	}
	return list, opened, nil
}

// judge compares what the fans do with what they should.
func (e *Effect) judge(should, do []float32, p *electric.Point, normal map[string]bool) {
	e.Fans = fansOf(p)
	air := func(shares []float32) (sum float64) {
		for _, s := range shares {
			sum += max(0, float64(s))
		}
		return sum
	}
	asked, given := air(should), air(do)
	if asked > asksForAir {
		e.Cooling = round(given/asked, 2)
	}
	for _, x := range p.Warnings {
		over := slices.Contains([]string{"short", "contact", "driver", "rating", "heat"}, x.Kind)
		if over && !normal[x.Kind+x.At] && e.Why == "" {
			e.Why = x.Text
		}
	}
	differs := false
	for k := range should {
		if d := should[k] - do[k]; d > sameAir || d < -sameAir {
			differs = true
		}
	}
	e.dead = asked > asksForAir && given < noAir*asked
	switch {
	case e.dead && !e.burns():
		e.Severity = NoCooling
	case e.Why != "":
		e.Severity = Overload
	case asked <= asksForAir && given > asksForAir:
		e.Severity = RunsOn
	case asked > asksForAir && given < halfAir*asked:
		e.Severity = HalfCooling
	case differs:
		e.Severity = WrongSpeed
	default:
		e.Severity = NoEffect
	}
}
