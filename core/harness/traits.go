package harness

import "slices"

// What a kind of part is to whoever works at it: how it comes off, what is seen at it, how long it takes to get at, what it is
// called, whether a current goes straight through it. All of it stands here, beside the kinds; what asks for it need not know one
// kind from another. Only the law by which its current flows (package electric) and how it is drawn stand elsewhere.

// Removal is how a part comes off its cavities, as a set-up says it.
type Removal string

// Ways of taking a part off; empty: it cannot be.
const (
	PulledOut Removal = "out"       // "K1 out"
	Unplugged Removal = "unplugged" // "M1 unplugged"
	TakenOff  Removal = "apart"     // "BAT apart"
)

// Traits are those of a kind. Minutes and prices are common practice and unmeasured: a part's own access and price in the harness
// file come before them.
type Traits struct {
	Off     Removal
	Reach   float64 // minutes to get a lead onto it
	Price   float64 // to renew it, in the workshop's money: invented round figures
	Minutes float64 // to renew it

	Looks   []string // the words for one that is looked at closely; the first is that of a sound one
	Ohms    bool     // an ohmmeter on one in the hand says something of it
	Cool    bool     // one that is as it should be stays cool, so that warmth means a bad joint
	Airflow bool     // it overheats within seconds outside its airflow
	Spreads bool     // its terminals can spread or back out
	Crosses bool     // two wires can be changed over in its plug

	Ends    [2]string // of a part with two: a current that goes in at one comes out at the other
	Joins   [2]string // of a part with more: the two between which it switches a load
	Passes  bool      // pulses and the current of a load go through it as they are
	Returns bool      // it opens from too much current, and closes again by itself

	Called []string // in what people type
	Spoken string   // on a page, where that is another word than in the file
	Usual  string   // settings that one is usually given
	Taps   string   // the pins that are asked for when one is traced, in their order
}

var (
	jointLooks = []string{"clean", "heat", "corrosion", "loose", "backed out"}
	boxLooks   = []string{"clean", "heat", "water", "corrosion"}
	cardLooks  = []string{"clean", "broken", "heat", "corrosion"}
	anyLooks   = []string{"clean", "heat", "corrosion"}

	endsAB = [2]string{"a", "b"}
)

var traits = map[Kind]*Traits{
	KindBattery: {Off: TakenOff, Reach: 0.3, Price: 110, Minutes: 10, Looks: jointLooks, Called: []string{"battery"}, Taps: "+"},
	KindGround:  {Off: TakenOff, Reach: 1.2, Price: 2, Minutes: 10, Looks: jointLooks, Called: []string{"ground", "earth"}},
	KindSplice:  {Reach: 6, Price: 2, Minutes: 15, Looks: jointLooks, Passes: true},
	KindFuse: {Off: PulledOut, Reach: 0.5, Price: 3, Minutes: 1, Looks: []string{"clean", "blown", "looks whole", "heat", "corrosion"},
		Ohms: true, Cool: true, Ends: endsAB, Passes: true, Called: []string{"fuse"}, Usual: "amps: 30, style: cartridge",
		Taps: "a b"},
	KindRelay: {Off: PulledOut, Reach: 0.4, Price: 12, Minutes: 1, Looks: []string{"clean", "heat", "corrosion", "wet"}, Ohms: true,
		Cool: true, Spreads: true, Called: []string{"relay"}, Usual: "contacts: make", Taps: "30 87 87a 86 85"},
	KindMotor: {Off: Unplugged, Reach: 1.5, Price: 140, Minutes: 45, Looks: []string{"clean", "heat", "water"}, Ohms: true, Spreads: true,
		Called: []string{"fan", "motor"}, Spoken: "fan", Usual: "volts: 12.6, amps: 15", Taps: "+ -"},
	KindResistor: {Off: Unplugged, Reach: 2, Price: 30, Minutes: 20, Looks: cardLooks, Ohms: true, Airflow: true, Ends: endsAB,
		Passes: true, Called: []string{"resistor"}, Usual: "ohms: 0.5", Taps: "a b"},
	KindSwitch: {Off: Unplugged, Reach: 4, Price: 25, Minutes: 20, Ohms: true, Cool: true, Ends: endsAB, Passes: true,
		Called: []string{"switch"}, Usual: "closed-when: key", Taps: "a b"},
	KindController: {Off: Unplugged, Reach: 4, Price: 380, Minutes: 40, Looks: boxLooks, Spreads: true, Crosses: true,
		Called: []string{"controller", "ecu"}, Spoken: "controller", Usual: `pins: {"1": {sinks-on: low}, "2": {ground: true}}`},
	KindConnector: {Off: TakenOff, Reach: 2, Price: 18, Minutes: 20, Looks: jointLooks, Passes: true, Crosses: true,
		Called: []string{"connector", "plug"}, Usual: "ways: 2", Taps: "a1 b1 a2 b2"},

	KindResistorCard: {Off: Unplugged, Reach: 2.5, Price: 45, Minutes: 20, Looks: cardLooks, Ohms: true, Airflow: true,
		Spoken: "resistor card", Usual: "steps: [0.4, 0.6], limiter: {opens: 180}", Taps: "in 1 2"},
	KindLimiter: {Off: Unplugged, Reach: 2, Price: 15, Minutes: 15, Ohms: true, Airflow: true, Ends: endsAB, Passes: true,
		Usual: "opens: 180", Taps: "a b"},
	KindSelector: {Off: Unplugged, Reach: 4, Price: 35, Minutes: 30, Ohms: true,
		Usual: "positions: {off: [], low: [1], high: [1, 2]}", Taps: "c 1 2"},
	KindSwitch2: {Off: Unplugged, Reach: 4, Spoken: "centre-off switch", Taps: "c a b"},
	KindThermoswitch: {Off: Unplugged, Reach: 2.5, Price: 30, Minutes: 25, Ohms: true, Spoken: "thermal switch",
		Usual: `stages: {"1": {closes: 92, opens: 87}}`, Taps: "c 1 2"},
	KindPressureSwitch: {Off: Unplugged, Reach: 2, Price: 40, Minutes: 60, Ohms: true, Spoken: "pressure switch",
		Usual: `stages: {"1": {closes: 17, opens: 14}}`, Taps: "c 1 2"},
	KindSensor: {Off: Unplugged, Reach: 2, Price: 22, Minutes: 20, Ohms: true, Called: []string{"sensor"},
		Usual: "curve: {beta: 3500, r25: 2500}", Taps: "a b"},
	KindFanModule: {Off: Unplugged, Reach: 3, Price: 190, Minutes: 40, Looks: boxLooks, Spreads: true, Crosses: true,
		Spoken: "fan module", Usual: `inputs: [a], feeds: ["+"], grounds: ["-"], table: [{when: [a], drive: {out: 1}}]`, Taps: "+ - a out"},
	KindPWMModule: {Off: Unplugged, Reach: 3, Price: 180, Minutes: 40, Looks: boxLooks, Spreads: true, Called: []string{"module"},
		Spoken: "PWM module", Usual: `control: c, feeds: ["+"], grounds: ["-"], outputs: {fan: {+: out, -: ret}}`, Taps: "+ - c out"},
	KindSpeedController: {Off: Unplugged, Reach: 3, Price: 60, Minutes: 20, Looks: boxLooks, Crosses: true, Spoken: "knob", Taps: "+ - out"},
	KindDiode: {Off: Unplugged, Reach: 2, Price: 4, Minutes: 10, Ohms: true, Ends: [2]string{"a", "k"}, Passes: true,
		Called: []string{"diode"}, Taps: "a k"},
	KindSolidState: {Off: Unplugged, Reach: 2, Price: 35, Minutes: 15, Looks: boxLooks, Spreads: true,
		Joins: [2]string{"in", "out"}, Spoken: "solid-state relay", Usual: "amps: 40", Taps: "in out c+ c-"},
	KindBreaker: {Off: PulledOut, Reach: 0.5, Price: 9, Minutes: 2, Ohms: true, Cool: true, Ends: endsAB, Passes: true,
		Returns: true, Called: []string{"breaker"}, Usual: "amps: 30", Taps: "a b"},
	KindLamp: {Off: Unplugged, Reach: 3, Price: 3, Minutes: 5, Usual: "volts: 12, watts: 5", Taps: "a b"},
}

// Traits are those of the kind; never nil.
func (k Kind) Traits() *Traits {
	if t := traits[k]; t != nil {
		return t
	}
	return &Traits{Looks: anyLooks}
}

// Traits are those of the part's kind.
func (p *Part) Traits() *Traits { return p.Kind().Traits() }

// LooksOf are the words for a part of the kind that is looked at closely; the first is that of a sound one.
func (t *Traits) LooksOf() []string {
	if t.Looks != nil {
		return t.Looks
	}
	return anyLooks
}

// SpokenOf is the kind as a page says it.
func (k Kind) SpokenOf() string {
	if spoken := k.Traits().Spoken; spoken != "" {
		return spoken
	}
	return string(k)
}

// KindCalled is the kind that people call so; empty where they call none so.
func KindCalled(word string) Kind {
	for _, k := range Kinds() {
		if slices.Contains(k.Traits().Called, word) {
			return k
		}
	}
	return ""
}

// OpensAt is the rating of a part that opens from too much current, a fuse or a breaker; false for one that does not.
func (p *Part) OpensAt() (amps float64, opens bool) {
	switch spec := p.Spec.(type) {
	case *Fuse:
		return spec.Amps, true
	case *Breaker:
		return spec.Amps, true
	}
	return 0, false
}
