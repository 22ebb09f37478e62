package harness

// SolidState is a relay without contacts: a semiconductor between in and out, switched by the volts between c+ and c-. It leaks a
// little when it is off, so that a meter reads nearly all the volts behind one with nothing connected, and what it loses when it is
// on warms it for as long as it is on.
type SolidState struct {
	Amps float64 // it is made for, with the cooling that it needs
	Ohms float64 // when it is on
	Leak float64 // amps when it is off, at the circuit's nominal volts
}

func (*SolidState) Kind() Kind       { return KindSolidState }
func (*SolidState) Pins() []string   { return []string{"c+", "c-", "in", "out"} }
func (*SolidState) describe() string { return "solid-state relay" }
func (s *SolidState) fields() []field {
	return []field{number("amps", &s.Amps, 0.1, 1000).must(), number("ohms", &s.Ohms, 1e-5, 10), number("leak", &s.Leak, 1e-7, 0.1)}
}

// Breaker is a circuit breaker with a strip of two metals that opens from too much current and closes again by itself once it has
// cooled (SAE J553, type I, from memory). Behind one a fan that takes too much runs in fits.
type Breaker struct {
	Amps    float64 // its rating
	Ohms    float64
	Returns float64 // seconds after which it closes again
}

func (*Breaker) Kind() Kind       { return KindBreaker }
func (*Breaker) Pins() []string   { return twoEnds }
func (*Breaker) describe() string { return "breaker" }
func (b *Breaker) fields() []field {
	return []field{number("amps", &b.Amps, 0.1, 1000).must(), number("ohms", &b.Ohms, 1e-5, 100),
		number("closes-after", &b.Returns, 1, 600)}
}
