package typed

import "ironthread/core/harness"

// usual is what a part of each kind is usually given; a technician overtypes the figures.
var usual = map[harness.Kind]string{
	harness.KindFuse: "amps: 30, style: cartridge", harness.KindRelay: "contacts: make",
	harness.KindMotor: "volts: 12.6, amps: 15", harness.KindResistor: "ohms: 0.5", harness.KindSwitch: "closed-when: key",
	harness.KindResistorCard: "steps: [0.4, 0.6], limiter: {opens: 180}", harness.KindLimiter: "opens: 180",
	harness.KindSelector: "positions: {off: [], low: [1], high: [1, 2]}", harness.KindThermoswitch: `stages: {"1": {closes: 92, opens: 87}}`,
	harness.KindPressureSwitch: `stages: {"1": {closes: 17, opens: 14}}`, harness.KindSensor: "curve: {beta: 3500, r25: 2500}",
	harness.KindController: `pins: {"1": {sinks-on: low}, "2": {ground: true}}`, harness.KindConnector: "ways: 2",
	harness.KindFanModule: "inputs: [a], feeds: [\"+\"], grounds: [\"-\"], table: [{when: [a], drive: {out: 1}}]",
	harness.KindPWMModule: `control: c, feeds: ["+"], grounds: ["-"], outputs: {fan: {+: out, -: ret}}`,
	harness.KindLamp:      "volts: 12, watts: 5",
}

// Usual is what a part of a kind is usually given, as in a harness file; empty where it needs nothing.
func Usual(kind harness.Kind) string { return usual[kind] }
