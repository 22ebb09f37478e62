package electric

// Figures the harness file leaves out: the format's own defaults (harness file, version 1),
// for 12 V; ohms of coils scale with the square of the nominal volts, volts in proportion.
const (
	batteryOhms = 0.012
	groundOhms  = 0.002 // a chassis joint to the battery's negative post
	fuseVolts   = 0.09  // a fuse's ohms are 0.09 / rated amps
	coilOhms    = 85.0
	pullInVolts = 7.5 // across the nominal coil: the current counts, not the volts
	dropVolts   = 2.0
	contactOhms = 0.003
	ratedMake   = 40.0
	ratedRest   = 20.0
	driverOhms  = 0.25
	moduleOhms  = 0.005 // each way of a module's own switches
	closedOhms  = 0.002 // switch, connector way, splice
	jumperOhms  = 0.010 + fuseVolts/jumperFuseAmps
	meterOhms   = 10e6

	jumperFuseAmps = 15.0 // of a fused lead
	packVolts      = 12.6 // a battery pack for direct power, open circuit
	packOhms       = 0.15

	loadJointOhms = 0.5 // a resistance fault without a figure, fan circuit
	coilJointOhms = 50  // the same, coil circuit
	shortOhms     = 0.010
	shortedCoil   = 2.0  // a coil whose turns are shorted
	wornFriction  = 4.0  // times the friction
	shortedTurns  = 0.25 // of a winding
	wrongFuse     = 0.5  // of the right rating
	flatVolts     = 10.5 // open circuit, engine off

	// A module or controller counts as fed from this share of the nominal volts; it lets go
	// a little below (common practice: electronics run down to about half the supply).
	poweredShare, unpoweredShare = 0.5, 0.4

	// Leak to ground at every node. Smaller breaks the matrix, larger invents volts on a
	// floating part read by a meter (measured in the feasibility study).
	leakSiemens = 1e-11

	// Currents above this in some state make a wire part of a fan circuit.
	loadAmps = 1.0

	// Limits that make a warning (common practice): drop on a fan's feed and ground, and
	// what a module's low-side relay driver stands.
	feedDropVolts   = 0.5
	groundDropVolts = 0.2
	driverAmps      = 1.0
	fuseLoadShare   = 0.8
)
