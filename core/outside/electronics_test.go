package outside

import (
	"slices"
	"strings"

	"ironthread/core/fault"
	"ironthread/core/harness"
)

// Controllers, modules and speed controllers, by the words of the format.

// rails joins pins to a rail inside.
func (s *sheet) rail(p *harness.Part, pins []string, without string) string {
	if len(pins) == 0 {
		return without
	}
	rail := s.prefix + "r_" + spelled.Replace(p.Name) + "_" + spelled.Replace(strings.Join(pins, "_"))
	s.line("R%sleak %s 0 %g", rail, rail, s.leak)
	for _, pin := range pins {
		s.resist(s.terminal(p, pin), rail, railR)
	}
	return rail
}

// rails of a controller: its power and ground pins.
func rolesOf(spec *harness.Controller) (power, ground []string) {
	for _, role := range spec.PinRoles {
		if role.Power {
			power = append(power, role.Name)
		}
		if role.Ground {
			ground = append(ground, role.Name)
		}
	}
	return power, ground
}

func (s *sheet) roleFault(p *harness.Part, pin, words string) bool {
	return s.fault.On == fault.OnRole && s.fault.Pin == harness.Pin{Part: p.Name, Name: pin} && s.fault.Words == words
}

func (s *sheet) writeController(p *harness.Part, spec *harness.Controller) {
	power, ground := rolesOf(spec)
	plus := s.rail(p, power, s.cavity(harness.Pin{Part: s.battery().Name, Name: "+"}))
	minus := s.rail(p, ground, "0")
	if len(power) > 0 && len(ground) > 0 {
		s.resist(plus, minus, innardsR)
	}
	works := s.guess.alive[p.Name] && !s.has(p, fault.Dead)
	for _, role := range spec.PinRoles {
		at := s.terminal(p, role.Name)
		if role.PullUp > 0 {
			s.resist(at, plus, role.PullUp)
		}
		if role.Command() == "" {
			continue
		}
		commanded := slices.Contains(s.guess.commands, role.Command())
		closed := works && !s.roleFault(p, role.Name, fault.Dead)
		switch {
		case s.roleFault(p, role.Name, fault.AlwaysOn):
			closed = true
		case role.PWMOn != "":
			closed = closed && s.closed[p.Name+"."+role.Name]
		case role.SinksUnless != "":
			closed = closed && !commanded
		default:
			closed = closed && commanded
		}
		if !closed {
			continue
		}
		to := minus
		if role.SourcesOn != "" {
			to = plus
		}
		s.resist(at, to, driverR)
	}
}

// module writes a module's rails and gives them: its load's feed, its ground, and what its electronics live on.
func (s *sheet) module(p *harness.Part, feeds, grounds, logic []string) (feed, ground, alive string) {
	feed, ground = s.rail(p, feeds, ""), s.rail(p, grounds, "0")
	alive = feed
	if len(logic) > 0 {
		alive = s.rail(p, logic, "")
	}
	s.resist(alive, ground, innardsR)
	return feed, ground, alive
}

// output is an average-value switch: the output has its share of the rail's volts behind a resistance, and
// the feed gives its share of the output's amps. It carries current one way: the guess says where it is
// pushed back, and then gives no share.
func (s *sheet) output(feed, ground, out string, share float64) {
	if share == 0 {
		return
	}
	id := s.id()
	inside, behind := s.fresh(), s.fresh()
	s.line("E%s %s %s %s %s %.12g", id, inside, ground, feed, ground, share)
	s.line("V%s %s %s 0", id, inside, behind)
	s.resist(behind, out, outputR)
	s.line("F%s %s %s V%s %.12g", id, feed, ground, id, share)
}

func (s *sheet) writeFanModule(p *harness.Part, spec *harness.FanModule) {
	feed, ground, alive := s.module(p, spec.Feeds, spec.Grounds, spec.Logic)
	for _, pin := range spec.Inputs {
		s.resist(s.terminal(p, pin), alive, inputR)
	}
	for _, pin := range spec.Outputs() {
		s.output(feed, ground, s.terminal(p, pin), s.guess.shares[p.Name+"."+pin])
	}
}

func (s *sheet) writePWMModule(p *harness.Part, spec *harness.PWMModule) {
	feed, ground, alive := s.module(p, spec.Feeds, spec.Grounds, spec.Logic)
	s.resist(s.terminal(p, spec.Control), alive, inputR)
	for _, o := range spec.Outputs {
		s.output(feed, ground, s.terminal(p, o.Plus), s.guess.shares[p.Name+"."+o.Plus])
		if o.Minus != "" {
			s.resist(s.terminal(p, o.Minus), ground, railR)
		}
	}
}

// writeSpeedController: on the low side the load hangs between the feed and the output.
func (s *sheet) writeSpeedController(p *harness.Part, spec *harness.SpeedController) {
	share := spec.ShareIn(s.state, p.Name)
	switch {
	case s.has(p, fault.Dead):
		share = 0
	case s.has(p, fault.StuckFull):
		share = 1
	}
	if s.guess.pushed[p.Name+".out"] {
		share = 0
	}
	feed, ground, out := s.terminal(p, "+"), s.terminal(p, "-"), s.terminal(p, "out")
	for _, ends := range [2][2]string{{out, feed}, {ground, out}} { // the transistor's own diode and the motor's
		behind := s.fresh()
		s.junction(ends[0], behind)
		s.resist(behind, ends[1], outputR)
	}
	if spec.Side == harness.High {
		s.resist(feed, out, 100e3)
	} else {
		s.resist(out, ground, 100e3)
	}
	switch {
	case share == 0:
		return
	case share == 1 && spec.Side != harness.High: // a closed switch
		s.resist(out, ground, outputR)
		return
	}
	if spec.Side == harness.High {
		s.output(feed, ground, out, share)
		return
	}
	id := s.id()
	inside, behind := s.fresh(), s.fresh()
	s.line("E%s %s %s %s %s %.12g", id, feed, inside, feed, ground, share)
	s.line("V%s %s %s 0", id, behind, inside)
	s.resist(out, behind, outputR)
	s.line("F%s %s %s V%s %.12g", id, feed, ground, id, share)
}
