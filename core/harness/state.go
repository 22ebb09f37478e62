package harness

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// State is a named condition of the vehicle: key, engine, temperatures, commands.
type State struct {
	Name     string
	Key      bool
	Running  bool // engine
	Cranking bool // the starter turns it
	AC       bool
	Coolant  *float64           // °C
	Pressure *float64           // bar, high side of the refrigerant
	Speed    *float64           // km/h
	Commands []string           // nil: the strategy decides; empty: none
	Duty     *float64           // per cent, of what is commanded by pulses
	Duties   map[string]float64 // per cent by command, where the state tells them apart
	Hertz    float64            // of pulsed lines; 0: not said
	Words    map[string]string
	Line     int
}

func (s *State) fields(c *Circuit) []field {
	fields := []field{
		onOff("key", &s.Key),
		s.engineField(),
		onOff("ac", &s.AC),
		optional("coolant", &s.Coolant, -60, 200),
		optional("pressure", &s.Pressure, 0, 100),
		optional("speed", &s.Speed, 0, 400),
		words("commands", &s.Commands),
		s.dutyField(c),
		number("hertz", &s.Hertz, 1, 1e5),
	}
	for _, word := range c.stateWords() {
		fields = append(fields, s.wordField(word))
	}
	return fields
}

// stateWords lists the further keys a state may carry: switches by name, and the words by
// which switches close.
func (c *Circuit) stateWords() []string {
	var found []string
	for _, p := range c.Parts {
		words := []string{p.Name}
		switch spec := p.Spec.(type) {
		case *Switch:
			words = append(words, spec.ClosedWhen)
		case *Selector, *Switch2, *SpeedController:
		default:
			continue
		}
		for _, word := range words {
			known := slices.Contains([]string{"key", "engine", "ac", "coolant", "pressure", "speed", "commands", "duty", "hertz", ""}, word)
			if !known && !slices.Contains(found, word) {
				found = append(found, word)
			}
		}
	}
	return found
}

func (s *State) wordField(word string) field {
	return field{
		key: word, schema: anyScalar,
		read: func(r *reader, n *yaml.Node, where string) {
			if v, ok := r.scalar(n, where+": "+word, "on or off"); ok {
				if s.Words == nil {
					s.Words = map[string]string{}
				}
				s.Words[word] = v
			}
		},
		node: func() *yaml.Node {
			if v, ok := s.Words[word]; ok {
				return scalar(v)
			}
			return nil
		},
	}
}

// Closes tells whether a switch is closed in this state.
func (s *State) Closes(part *Part) bool {
	sw := part.Spec.(*Switch)
	for _, word := range []string{part.Name, sw.ClosedWhen} {
		if v, ok := s.Words[word]; ok {
			return isYes(v) || v == "closed"
		}
	}
	switch sw.ClosedWhen {
	case "key":
		return s.Key
	case "engine":
		return s.Running
	case "ac":
		return s.AC
	}
	return sw.ClosedWhen == s.Name
}

// Position is the word a state gives a selector, a centre-off switch or a knob; empty where
// it says nothing.
func (s *State) Position(part string) string { return s.Words[part] }

// Rule is one line of the strategy: when the controller gives a command, left to itself.
// OnAbove and OffBelow are °C; nil means temperature does not matter.
type Rule struct {
	Command           string
	OnAbove, OffBelow *float64
	PressureAbove     *float64 // bar at which "pressure" in Or holds
	Or                []string
	Unless            []string // inputs that hold the command off while they are asserted: a kill
	With              []string
	Line              int

	// A command with a duty that follows the temperature between two points; holding from the first on. Nil: none.
	From, To *DutyPoint
}

// DutyPoint is a temperature, °C, and the duty in per cent that belongs to it.
type DutyPoint struct{ At, Duty float64 }

func (d *DutyPoint) fields() []field {
	return []field{number("at", &d.At, -60, 200).must(), number("duty", &d.Duty, 0, 100).must()}
}

// dutyPoint binds one end of a duty that follows the temperature.
func dutyPoint(key string, at **DutyPoint) field {
	return field{
		key: key, schema: objectSchema(new(DutyPoint).fields()),
		read: func(r *reader, n *yaml.Node, where string) {
			d := &DutyPoint{}
			r.fields(n, where+": "+key, d.fields())
			*at = d
		},
		node: func() *yaml.Node {
			if *at == nil {
				return nil
			}
			return flow((*at).fields())
		},
	}
}

// duty is what the rule gives its command at a temperature; known is false where its duty follows none.
func (r *Rule) duty(coolant *float64) (duty float64, known bool) {
	if r.From == nil || r.To == nil || coolant == nil {
		return 0, false
	}
	share := min(1, max(0, (*coolant-r.From.At)/(r.To.At-r.From.At)))
	return r.From.Duty + share*(r.To.Duty-r.From.Duty), true
}

// NoSensor is the word of a strategy's "or" that holds while the sensor reads what no
// temperature reads: open or shorted. Many controllers then run the fans fully (common practice).
const NoSensor = "no-sensor"

// listensTo tells whether a word of "or" is one the strategy knows.
func (c *Circuit) listensTo(or string) bool {
	if or == "ac" || or == "pressure" || or == NoSensor {
		return true
	}
	return len(c.inputPins(or)) > 0
}

// inputPins are the controllers' pins that a word of the strategy means: a pin, or the name of an input.
func (c *Circuit) inputPins(word string) []string {
	var pins []string
	for _, p := range c.OfKind(KindController) {
		for _, role := range p.Spec.(*Controller).PinRoles {
			pin := Pin{Part: p.Name, Name: role.Name}.String()
			if role.Input != "" && (word == pin || word == role.Input) {
				pins = append(pins, pin)
			}
		}
	}
	return pins
}

// unread lists the inputs that no rule of the strategy reads. One that is pulled up and wired to a sensor is read as the
// temperature.
func (c *Circuit) unread() []string {
	var list []string
	for _, p := range c.OfKind(KindController) {
		for _, role := range p.Spec.(*Controller).PinRoles {
			pin := Pin{Part: p.Name, Name: role.Name}.String()
			read := slices.ContainsFunc(c.Strategy, func(r *Rule) bool {
				return slices.ContainsFunc(append(slices.Clone(r.Or), r.Unless...), func(w string) bool { return w == pin || w == role.Input })
			})
			if role.Input != "" && role.PullUp == 0 && !read {
				list = append(list, pin+" ("+role.Input+")")
			}
		}
	}
	return list
}

// Bar above which "or: [pressure]" holds when the rule says nothing (common practice: high
// refrigerant pressure asks for high from about 17 bar).
const defaultPressureAbove = 17

func (r *Rule) fields() []field {
	return []field{
		optional("on-above", &r.OnAbove, -60, 200),
		optional("off-below", &r.OffBelow, -60, 200),
		optional("pressure-above", &r.PressureAbove, 0, 100),
		words("or", &r.Or),
		words("unless", &r.Unless),
		dutyPoint("from", &r.From),
		dutyPoint("to", &r.To),
		words("with", &r.With),
	}
}

// Heard is what the controller makes of its own wires: the temperature by its sensor, the
// inputs that are asserted. The zero Heard has no sensor and no input: the state's own
// temperature counts.
type Heard struct {
	Sensor  bool     // a sensor is wired to it
	Coolant *float64 // °C by that sensor; nil where what it reads can be no temperature
	Inputs  []string // pins asserted, as "ECU.12"
}

// coolant is the temperature that counts: by the sensor, where there is one.
func (h Heard) coolant(s *State) *float64 {
	if h.Sensor {
		return h.Coolant
	}
	return s.Coolant
}

// DutyIn is the duty in per cent that a command has in a state: the state's own, or the one that the strategy gives it at
// the temperature; known is false where neither says any.
func (c *Circuit) DutyIn(s *State, command string, heard Heard) (duty float64, known bool) {
	if duty, known = s.DutyOf(command); known {
		return duty, true
	}
	for _, rule := range c.Strategy {
		if rule.Command == command {
			if duty, known = rule.duty(heard.coolant(s)); known {
				return duty, true
			}
		}
	}
	return 0, false
}

// CommandsIn lists the commands that hold in a state, given those that held before it (a
// command once given stays until its off-below) and what the controller hears on its own
// wires. Commands written in the state hold as they are; without the key nothing is commanded.
func (c *Circuit) CommandsIn(s *State, before []string, heard Heard) []string {
	if s.Commands != nil {
		return s.Commands
	}
	if !s.Key {
		return nil
	}
	var given []string
	add := func(command string) {
		if !slices.Contains(given, command) {
			given = append(given, command)
		}
	}
	for _, rule := range c.Strategy {
		if rule.holds(c, s, slices.Contains(before, rule.Command), heard) {
			add(rule.Command)
			for _, also := range rule.With {
				add(also)
			}
		}
	}
	return given
}

func (r *Rule) holds(c *Circuit, s *State, before bool, heard Heard) bool {
	asserted := func(word string) bool {
		return len(heard.Inputs) > 0 && slices.ContainsFunc(c.inputPins(word), func(pin string) bool {
			return slices.Contains(heard.Inputs,
				pin)
		})
	}
	if slices.ContainsFunc(r.Unless, asserted) {
		return false
	}
	coolant := heard.coolant(s)
	if coolant != nil && r.From != nil && *coolant >= r.From.At {
		return true
	}
	if coolant != nil && r.OnAbove != nil {
		if *coolant >= *r.OnAbove {
			return true
		}
		if before && r.OffBelow != nil && *coolant >= *r.OffBelow {
			return true
		}
	}
	for _, or := range r.Or {
		switch {
		case or == NoSensor && heard.Sensor && heard.Coolant == nil, asserted(or):
			return true
		case or == "ac" && s.AC:
			return true
		case or == "pressure" && s.Pressure != nil:
			limit := float64(defaultPressureAbove)
			if r.PressureAbove != nil {
				limit = *r.PressureAbove
			}
			if *s.Pressure >= limit {
				return true
			}
		}
	}
	return false
}

func isYes(s string) bool { return s == "on" || s == "yes" || s == "true" }
func isNo(s string) bool  { return s == "off" || s == "no" || s == "false" }

// Conditions names everything in which the state differs from a parked vehicle, in the order in
// which it is brought about: key, engine, A/C, temperature, pressure, speed, then switches and
// knobs by name. Commands are not among them.
func (s *State) Conditions() []string {
	list := []string{"key off"}
	if s.Key {
		list[0] = "key on"
	}
	switch {
	case s.Cranking:
		list = append(list, "engine cranking")
	case s.Running:
		list = append(list, "engine running")
	}
	if s.AC {
		list = append(list, "A/C on")
	}
	if s.Coolant != nil {
		list = append(list, "coolant at "+plain(*s.Coolant)+" °C")
	}
	if s.Pressure != nil {
		list = append(list, "refrigerant at "+plain(*s.Pressure)+" bar")
	}
	if s.Speed != nil {
		list = append(list, "at "+plain(*s.Speed)+" km/h")
	}
	for _, name := range sortedKeys(s.Words) {
		list = append(list, name+" "+s.Words[name])
	}
	return list
}

// DutyOf is the duty in per cent that the state gives a command; known is false where it gives
// none.
func (s *State) DutyOf(command string) (duty float64, known bool) {
	if duty, known = s.Duties[command]; known {
		return duty, true
	}
	if s.Duty != nil {
		return *s.Duty, true
	}
	return 0, false
}

// dutyField binds one duty for all commands, or one for each: "duty: 40" or
// "duty: {main: 30, side: 60}".
func (s *State) dutyField(c *Circuit) field {
	one, each := optional("duty", &s.Duty, 0, 100), figureMap("duty", &s.Duties, 0, 100)
	return field{
		key: "duty", schema: schema{"anyOf": []schema{one.schema, each.schema}},
		read: func(r *reader, n *yaml.Node, where string) {
			if n.Kind != yaml.MappingNode {
				one.read(r, n, where)
				return
			}
			each.read(r, n, where)
			for _, command := range sortedKeys(s.Duties) {
				if commands := c.Commands(); !slices.Contains(commands, command) {
					r.fail(n, where, "duty: no controller pin listens to the command %q (%s)", command, strings.Join(commands, ", "))
				}
			}
		},
		node: func() *yaml.Node {
			if s.Duty != nil {
				return one.node()
			}
			return each.node()
		},
	}
}

// onOff binds a word on or off; off means not given.
func onOff(key string, at *bool) field {
	f := flag(key, at)
	f.node = func() *yaml.Node {
		if !*at {
			return nil
		}
		return scalar("on")
	}
	return f
}

func (s *State) engineField() field {
	words := []string{"off", "running", "cranking"}
	return field{
		key: "engine", schema: schema{"enum": words},
		read: func(r *reader, n *yaml.Node, where string) {
			word, ok := r.scalar(n, where+": engine", strings.Join(words, ", "))
			switch {
			case !ok:
			case slices.Contains(words, word):
				s.Running, s.Cranking = word == "running", word == "cranking"
			default:
				r.fail(n, where, "engine cannot be %q (%s)", word, strings.Join(words, ", "))
			}
		},
		node: func() *yaml.Node {
			switch {
			case s.Cranking:
				return scalar("cranking")
			case s.Running:
				return scalar("running")
			}
			return nil
		},
	}
}

// optional binds a figure that may be absent and for which zero is a value.
func optional(key string, at **float64, low, high float64) field {
	return field{
		key: key, schema: numberSchema(low, high),
		read: func(r *reader, n *yaml.Node, where string) {
			var v float64
			f := number(key, &v, low, high)
			before := len(r.errs)
			f.read(r, n, where)
			if len(r.errs) == before {
				*at = &v
			}
		},
		node: func() *yaml.Node {
			if *at == nil {
				return nil
			}
			return scalar(plain(**at))
		},
	}
}
