package electric

import "math"

// settle solves until contacts, modules and fuses agree with the currents. Each round all
// that should move moves at once; where that comes back to a position it has been in, one
// moves at a time; where that cycles too, the relays in the cycle buzz.
func (n *Network) settle() {
	n.seen = n.seen[:0]
	oneByOne := false
	for range maxRounds {
		n.relax()
		if !n.move(oneByOne) {
			if n.spinning || !n.blow() {
				return
			}
			n.seen, oneByOne = n.seen[:0], false
			continue
		}
		position := n.position()
		for i, seen := range n.seen {
			if seen != position {
				continue
			}
			if oneByOne {
				n.markBuzzing(i)
				n.relax() // so that volts and positions belong together
				return
			}
			oneByOne = true
			n.seen = n.seen[:0]
			break
		}
		n.seen = append(n.seen, position)
	}
	for i := range n.relays {
		n.buzzing[i] = n.flipped[i]
	}
	n.markRestless()
	n.relax()
}

// move brings relays and modules where the currents want them; it reports whether any moved.
func (n *Network) move(oneByOne bool) bool {
	moved := false
	clear(n.flipped)
	for i := range n.relays {
		r := &n.relays[i]
		if r.stuck {
			continue
		}
		amps := 0.0
		if r.coil >= 0 {
			amps = math.Abs(n.current(r.coil))
		}
		want := n.pulledIn[i]
		switch {
		case amps >= r.pullIn:
			want = true
		case amps < r.dropOut:
			want = false
		}
		if want != n.pulledIn[i] {
			n.pulledIn[i], n.flipped[i], moved = want, true, true
			if oneByOne {
				return true
			}
		}
	}
	nominal := n.model.Circuit.Nominal()
	for i := range n.controllers {
		ctl := &n.controllers[i]
		if !ctl.hasPower {
			continue
		}
		volts := n.at(ctl.power) - n.at(ctl.ground)
		want := volts > poweredShare*nominal || (n.powered[i] && volts > unpoweredShare*nominal)
		if want != n.powered[i] {
			n.powered[i], moved = want, true
			if oneByOne {
				return true
			}
		}
	}
	moved = n.moveSolids() || moved
	return n.moveModules() || moved
}

// position packs all that can move into one word (64 movers are more than any fan circuit
// has; the rest share bits).
func (n *Network) position() uint64 {
	w := n.moduleBits()
	for i, in := range n.pulledIn {
		if in {
			w ^= 1 << (i % 48)
		}
	}
	for i := range n.solids {
		if n.solids[i].on {
			w ^= 1 << (47 - i%16)
		}
	}
	for i, on := range n.powered {
		if on {
			w ^= 1 << (48 + i%16)
		}
	}
	return w
}

// markBuzzing names the relays that differ between the positions of the cycle.
func (n *Network) markBuzzing(from int) {
	var differ uint64
	for _, p := range n.seen[from:] {
		differ |= p ^ n.seen[from]
	}
	for i := range n.relays {
		n.buzzing[i] = differ&(1<<(i%48)) != 0
	}
	n.markRestless()
}

// blow opens the fuse that would open first, if any would within the time that the state is held.
func (n *Network) blow() bool {
	first, soonest := -1, float64(latchSeconds)
	if n.complaining {
		soonest = historySeconds
	}
	for i := range n.fuses {
		if n.opened[i] {
			continue
		}
		f := &n.fuses[i]
		load := math.Abs(n.current(f.branch)) / f.amps
		if load < 1.1 {
			continue
		}
		t := OpensInSeconds(f.style, load)
		if f.returns > 0 && t <= historySeconds { // nothing is lost by waiting for it: it is met however long it takes
			t = math.Min(t, latchSeconds)
		}
		if t <= soonest {
			first, soonest = i, t
		}
	}
	if first < 0 {
		return false
	}
	n.noteChoppers()
	n.keepRunning(first)
	n.opened[first] = true
	return true
}
