package electric

import "math"

// coupling is one place of the matrix where two windings on a shaft act on each other.
type coupling struct {
	i, j int // windings
	a, b node
	slot int32
	sign float64
}

// couple lays out the places of winding j against the windings before it.
func (m *motor) couple(j int, slotOf func(a, b node) int32) {
	for i := range j {
		for _, a := range []struct {
			at   node
			sign float64
		}{{m.from[i], 1}, {m.to[i], -1}} {
			for _, b := range []struct {
				at   node
				sign float64
			}{{m.from[j], 1}, {m.to[j], -1}} {
				if a.at != post && b.at != post {
					m.couplings = append(m.couplings, coupling{i, j, a.at, b.at, slotOf(a.at, b.at), a.sign * b.sign})
				}
			}
		}
	}
}

// stampMotor adds the tangent of a motor's characteristic at the volts it is linearised at;
// least is how much of the armature's conductance it keeps at the least.
func (n *Network) stampMotor(m *motor, least float64) {
	if n.spinning { // an armature's resistance behind the volts its speed makes
		for j, w := range m.tuned.windings {
			stamp(n.diagN, n.offN, m.places[j], 1/w.ohms)
			inject(n.rhsN, m.from[j], m.to[j], -w.k*m.omega/w.ohms)
		}
		return
	}
	omega, slope := m.tuned.speed(m.tuned.torque(m.at))
	brake := 0.0
	for _, w := range m.tuned.windings {
		brake += w.k * w.k / w.ohms
	}
	slope = math.Min(slope, (1-least)/brake)
	turned := 0.0 // Σ pull·volts at the point
	for j, w := range m.tuned.windings {
		turned += w.k / w.ohms * m.at[j]
	}
	for j, w := range m.tuned.windings {
		pull := w.k / w.ohms
		amps := (m.at[j] - w.k*omega) / w.ohms
		stamp(n.diagN, n.offN, m.places[j], 1/w.ohms-pull*pull*slope)
		inject(n.rhsN, m.from[j], m.to[j], amps-m.at[j]/w.ohms+pull*slope*turned)
	}
	for _, c := range m.couplings {
		w, v := m.tuned.windings[c.i], m.tuned.windings[c.j]
		g := -c.sign * slope * (w.k / w.ohms) * (v.k / v.ohms)
		if c.a == c.b {
			n.diagN[c.a] += 2 * g
		} else {
			n.offN[c.slot] += g
		}
	}
}

// followMotors moves the points of linearisation to the volts just found; true when all of
// them were there already.
func (n *Network) followMotors() bool {
	settled := true
	if n.spinning {
		for i := range n.motors {
			m := &n.motors[i]
			for j, w := range m.tuned.windings {
				m.found[j] = n.at(m.from[j]) - n.at(m.to[j])
				m.amps[j] = (m.found[j] - w.k*m.omega) / w.ohms
			}
		}
		return true
	}
	for i := range n.motors {
		m := &n.motors[i]
		for j := range m.from {
			m.found[j] = n.at(m.from[j]) - n.at(m.to[j])
			if math.Abs(m.found[j]-m.at[j]) > newtonVolts {
				settled = false
			}
		}
		m.tuned.step(m.at, m.found, m.at)
	}
	if settled {
		for i := range n.motors {
			m := &n.motors[i]
			m.omega, _ = m.tuned.speed(m.tuned.torque(m.found))
			for j, w := range m.tuned.windings {
				m.amps[j] = (m.found[j] - w.k*m.omega) / w.ohms
			}
		}
	}
	return settled
}
