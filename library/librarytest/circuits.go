package librarytest

// Returning is a circuit of kinds that the library has none of: a fan behind a breaker that closes again by itself, switched by a
// solid-state relay. Its figures are those of the tests that work them by hand.
const Returning = `harness: 1
title: a fan behind a breaker, switched by a solid-state relay
parts:
  BAT: {kind: battery}
  CB1: {kind: breaker, amps: 25}
  Q1: {kind: solid-state-relay, amps: 40, ohms: 0.01, leak: 0.001}
  SW: {kind: switch, closed-when: key}
  M1: {kind: motor, volts: 12.6, amps: 18}
wires:
  BAT.+ - CB1.a: RD 6mm2
  CB1.b - Q1.in: RD 4mm2
  Q1.out - M1.+: BK 4mm2
  M1.- - BAT.-: BN 4mm2
  BAT.+ - SW.a: RD
  SW.b - Q1.c+: GN
  Q1.c- - BAT.-: BN
states:
  off: {key: off}
  run: {key: on}
`

// OneFan is the least circuit there is: a fuse, a relay, a key switch and a fan.
const OneFan = `harness: 1
title: one fan
parts:
  BAT: {kind: battery}
  F1: {kind: fuse, amps: 40}
  K1: {kind: relay, contacts: make, coil-ohms: 85}
  SW: {kind: switch, closed-when: key}
  M1: {kind: motor, volts: 12.6, amps: 20}
wires:
  BAT.+ - F1.a: RD 6mm2
  F1.b - K1.30: RD 4mm2
  K1.87 - M1.+: BK 4mm2
  M1.- - BAT.-: BN 4mm2
  BAT.+ - SW.a: RD
  SW.b - K1.86: GN
  K1.85 - BAT.-: BN
states:
  off: {key: off}
  run: {key: on}
`
