package harness

// Usual prices and minutes to renew a part by its kind: invented round figures, meant to be
// replaced by the part's own price and access in the harness file.
var usual = map[Kind]struct{ price, minutes float64 }{
	KindFuse: {3, 1}, KindRelay: {12, 1}, KindMotor: {140, 45}, KindSwitch: {25, 20}, KindResistor: {30, 20},
	KindResistorCard: {45, 20}, KindLimiter: {15, 15}, KindSelector: {35, 30}, KindThermoswitch: {30, 25},
	KindPressureSwitch: {40, 60}, KindSensor: {22, 20}, KindController: {380, 40}, KindFanModule: {190, 40},
	KindPWMModule: {180, 40}, KindSpeedController: {60, 20}, KindConnector: {18, 20}, KindGround: {2, 10},
	KindBattery: {110, 10}, KindDiode: {4, 10}, KindLamp: {3, 5}, KindSplice: {2, 15},
}

// Price of the part in the workshop's money: its own, or what is usual for its kind.
func (p *Part) Price() float64 {
	if p.Cost > 0 {
		return p.Cost
	}
	return usual[p.Kind()].price
}

// RenewMinutes is how long renewing it usually takes, reaching it included.
func (p *Part) RenewMinutes() float64 { return usual[p.Kind()].minutes + p.Access }
