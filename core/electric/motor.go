package electric

import (
	"math"

	"ironthread/core/harness"
)

// machine is a permanent-magnet motor that turns a fan, at rest or at steady speed:
//
//	V_j = I_j·R_j + k_j·ω   for each winding j
//	Σ k_j·I_j = T0·sign(ω) + c·ω·|ω|
//
// with volts, amps, ohms, V·s/rad (= N·m/A), rad/s, N·m and N·m·s². One shaft, one or more
// windings. It stands still while the torque at standstill does not exceed T0.
type machine struct {
	windings []winding
	friction float64 // T0
	air      float64 // c
	seized   bool
}

type winding struct{ ohms, k float64 }

// newMachine fits the machine to the motor's rated point.
func newMachine(m *harness.Motor) machine {
	if len(m.Windings) > 0 {
		return newWoundMachine(m)
	}
	ohms := m.Ohms
	if ohms == 0 {
		inrush := m.Inrush
		if inrush == 0 {
			inrush = defaultInrushFold * m.Amps
		}
		ohms = m.Volts / inrush
	}
	rpm := m.RPM
	if rpm == 0 {
		rpm = defaultRPM
	}
	omega := rpm * math.Pi / 30
	k := (m.Volts - m.Amps*ohms) / omega
	torque := k * m.Amps
	share := frictionOf(m, ohms)
	return machine{
		windings: []winding{{ohms: ohms, k: k}},
		friction: share * torque,
		air:      (1 - share) * torque / (omega * omega),
	}
}

// frictionOf is the share of the rated torque that is friction: by the fan's own points, where it was measured at other volts, by
// least squares; else the usual share. With i the amps and s the speed as shares of the rated ones, i = f + (1−f)·s².
func frictionOf(m *harness.Motor, ohms float64) float64 {
	above, below := 0.0, 0.0
	for _, p := range m.Points {
		speed := (p.Volts - p.Amps*ohms) / (m.Volts - m.Amps*ohms)
		rest := 1 - speed*speed
		above += (p.Amps/m.Amps - speed*speed) * rest
		below += rest * rest
	}
	if below == 0 {
		return frictionShare
	}
	return math.Max(leastFriction, math.Min(mostFriction, above/below))
}

// FollowingRPM is the speed at which each further winding of a motor turns the shaft alone, by its amps and the load that
// the first winding with an rpm gives; empty for one winding.
func FollowingRPM(m *harness.Motor) map[string]float64 {
	follows := map[string]float64{}
	if len(m.Windings) == 0 {
		return follows
	}
	fitted := newWoundMachine(m)
	for i, w := range m.Windings {
		follows[w.Name] = (m.Volts - w.Amps*fitted.windings[i].ohms) / fitted.windings[i].k * 30 / math.Pi
	}
	return follows
}

// newWoundMachine fits a motor with several windings on one shaft: the load from the first
// winding that has an rpm, each other winding so that alone it draws its rated amps.
func newWoundMachine(m *harness.Motor) machine {
	armature := func(w *harness.Winding) float64 {
		if w.Inrush > 0 {
			return m.Volts / w.Inrush
		}
		return m.Volts / (defaultInrushFold * w.Amps)
	}
	lead := m.Windings[0]
	for _, w := range m.Windings {
		if w.RPM > 0 {
			lead = w
			break
		}
	}
	rpm := lead.RPM
	if rpm == 0 {
		rpm = defaultRPM
	}
	omega := rpm * math.Pi / 30
	torque := (m.Volts - lead.Amps*armature(lead)) / omega * lead.Amps
	load := machine{friction: frictionShare * torque, air: (1 - frictionShare) * torque / (omega * omega)}
	for _, w := range m.Windings {
		ohms := armature(w)
		at := omega
		if w != lead {
			at = load.speedAtPower((m.Volts - w.Amps*ohms) * w.Amps)
		}
		load.windings = append(load.windings, winding{ohms: ohms, k: (m.Volts - w.Amps*ohms) / at})
	}
	return load
}

// inertia is the rotor's, in kg·m², such that the first winding at so many volts brings it to
// nine tenths of its speed in so many seconds: t = J·∫dω/M(ω), summed in small steps.
func (m *machine) inertia(volts, spinUp float64) float64 {
	if spinUp == 0 {
		spinUp = defaultSpinUp
	}
	w := m.windings[0]
	end, _ := (&machine{windings: m.windings[:1], friction: m.friction, air: m.air}).speed(w.k * volts / w.ohms)
	const steps = 400
	sum := 0.0
	for i := range steps {
		omega := 0.9 * end * (float64(i) + 0.5) / steps
		sum += 0.9 * end / steps / (w.k*(volts-w.k*omega)/w.ohms - m.friction - m.air*omega*omega)
	}
	if !(sum > 0) {
		return math.Inf(1) // a motor that cannot start stands
	}
	return spinUp / sum
}

// speedAtPower is the speed in rad/s at which friction and air take so many watts, by
// halving.
func (m *machine) speedAtPower(watts float64) float64 {
	low, high := 0.0, 1e5
	for range 100 {
		if middle := (low + high) / 2; (m.friction+m.air*middle*middle)*middle < watts {
			low = middle
		} else {
			high = middle
		}
	}
	return high
}

// speed gives ω in rad/s for the torque at standstill Σ k_j·V_j/R_j, and dω/dtorque.
func (m *machine) speed(torque float64) (omega, slope float64) {
	excess := math.Abs(torque) - m.friction
	if m.seized || excess <= 0 {
		return 0, 0
	}
	brake := 0.0
	for _, w := range m.windings {
		brake += w.k * w.k / w.ohms
	}
	omega = (-brake + math.Sqrt(brake*brake+4*m.air*excess)) / (2 * m.air)
	slope = 1 / (brake + 2*m.air*omega)
	return math.Copysign(omega, torque), slope
}

// torque is Σ k_j·V_j/R_j for the given winding volts.
func (m *machine) torque(volts []float64) float64 {
	sum := 0.0
	for j, w := range m.windings {
		sum += w.k * volts[j] / w.ohms
	}
	return sum
}

// side tells which piece of the machine's characteristic holds: turning backwards, standing,
// turning forwards.
func (m *machine) side(torque float64) int {
	switch {
	case m.seized || math.Abs(torque) <= m.friction:
		return 0
	case torque > 0:
		return 1
	}
	return -1
}

// step gives the winding volts to linearise at next, between old and found: a step into
// another piece of the characteristic stops just inside it, else Newton's method can jump to
// and fro across the kink for ever.
func (m *machine) step(old, found, next []float64) {
	from, to := m.torque(old), m.torque(found)
	a, b := m.side(from), m.side(to)
	share := 1.0
	if a != b {
		kink := m.friction
		if a < 0 || (a == 0 && b < 0) {
			kink = -kink
		}
		const inside = 1e-9
		share = math.Min(1, math.Max(0, (kink-from)/(to-from))+inside)
	}
	for j := range next {
		next[j] = old[j] + share*(found[j]-old[j])
	}
}
