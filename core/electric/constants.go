package electric

// Every figure this package is tuned by stands here, with where it comes from: the harness file's own format, a
// standard, *common practice* of the trade, a measurement of this project, or bounds that keep a computation finite.
// What one file alone works by stands under that file's name.

// Of car.go.

// How far real cars stray: battery 11.9–12.8 V, armature ±15 %, friction ×0.6–1.7, coils
// ±15 % (the feasibility study's figures). A bad joint's resistance spreads over a decade.
const (
	strayBatteryLow  = -0.7
	strayBatteryHigh = 0.2
	strayChargingLow = -1.0 // running: 13.2 to 14.9 V about the format's 14.2 (common practice)
	strayChargingTop = 0.7
	smartLowest      = -2.0        // an alternator the engine's computer steers goes down to 12.2 V (common practice)
	smartShare       = 0.1         // of cars that are met resting
	crankingShare    = 9.75 / 12.6 // of the volts at rest while the starter turns: 9.75 V of 12.6 (common practice)
	strayCranking    = 1.75        // 8 to 11.5 V
	strayArmature    = 0.15
	strayFrictionLow = 0.6
	strayFrictionTop = 1.7
	strayCoil        = 0.15
	strayOhmsLow     = 0.1 // bad joints and burnt contacts are spread over decades, evenly in the logarithm:
	strayOhmsTop     = 40  // from 0.05 Ω, which slows no fan, to 20 Ω, which stops most
	strayWear        = 1.5 // ×/÷
)

// Of curve.go.

// A power diode: about 0.75 V at 0.1 A and 0.95 V at 10 A (common practice); the exponential
// law of a junction at 27 °C.
const (
	ledVolts = 1.8 // an LED tester: the format's defaults
	ledOhms  = 1000.0

	diodeSaturation = 1e-9 // A
	diodeIdeality   = 1.6
	thermalVolts    = 8.617333e-5 * 300.15
)

// A filament's current rises as volts to this power (from memory of a widely used rule); cold
// it has a twelfth of its hot ohms (the format's 3 Ω for 12 V 4 W).
const (
	filamentPower = 0.55
	filamentCold  = 12
)

// Of defaults.go.

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

	parkedAmpHours = 30.0 // that a usual battery gives before it starts no engine (common practice)
	jointOhms      = 0.1  // up to which a branch is wire and closed contact, no load
	reversedVolts  = 2.0  // at which electronics are fed the wrong way round
	diodeConducts  = 0.4  // volts from which on a coil's diode carries what its feed gives
)

// Of fuse.go.

// latchSeconds is how soon a fuse must open for a state to count as having blown it; historySeconds is how long each state has
// been held before somebody complained.
const (
	latchSeconds   = 10
	historySeconds = 1800
)

// Of listen.go.

const (
	// A pulled-up line that reads above or below these shares of the controller's supply has an
	// open or a shorted sensor, no temperature (common practice: a controller's range check).
	sensorOpenAbove, sensorShortBelow = 0.985, 0.005

	inputHighAbove = 2.0 / 3 // of the controller's supply
	inputLowBelow  = 1.0 / 3

	maxHearings = 6 // how often what is heard may change the commands in one state
)

// Of measure.go.

// Instruments' own figures (the format's defaults, for 12 V; lamps scale with the supply).
const (
	lampWatts      = 4.0
	heavyLampWatts = 21.0
	ohmmeterAmps   = 1e-3
	openAboveOhms  = 40e6
	liveVolts      = 0.01
	dimFrom        = 2.0 // volts across a 12 V lamp
	brightFrom     = 9.0
	ledFrom        = 0.5e-3 // amps from which an LED is seen to light
)

// Of module.go.

const (
	modulePullUp  = 1000.0 // ohms of an input to the feed
	assertedBelow = 1.0 / 3
	openAbove     = 0.985 // of the time high: nothing pulls the control wire
	groundedBelow = 0.015
	roomCelsius   = 20.0
	driveOhms     = 2 * moduleOhms

	electronicsOhms = 2000.0
)

// stageOhms is what leaks across a controller's open switch (common practice: the snubber and the gate's own resistors).
const stageOhms = 100e3

// boostVolts above what any battery gives, and a speed controller has its switch across the supply.
const boostVolts = 1.0

// pushBackVolts is how far an output must stand above what its drive would give before it is pushed back,
// volts: far above rounding, far below anything that a meter shows.
const pushBackVolts = 1e-6

// Of motor.go.

// The share of the rated torque that is friction, and what is assumed where the file is
// silent (the format's defaults).
const (
	frictionShare     = 0.15
	leastFriction     = 0.01 // that points can give
	mostFriction      = 0.7
	defaultRPM        = 2400
	defaultInrushFold = 5
)

// defaultSpinUp is how long a radiator fan takes to nine tenths of its speed, seconds: its
// inrush is over in a quarter to half a second (common practice).
const defaultSpinUp = 0.28

// Of motor_stamp.go.

// A fan that just begins to turn takes no more current for more volts: its tangent is level,
// and two such fans at one joint would leave its potential open. A steeper line through the
// same point leads to the same solution in smaller steps.
const (
	leastSlope   = 0.05 // of the armature's conductance
	carefulSlope = 0.4
)

// Of pulse.go.

// idleDuty is the on-time in per cent that a line shows while nothing is commanded, in the sense
// of the module it serves (the format's default). mostDuty keeps clear of what reads as a grounded line.
const idleDuty, mostDuty = 5.0, 98.0

// highAbove is the share of its feed above which a module takes its control pin for high (common
// practice: half the supply).
const highAbove = 0.5

// Of run.go.

// Runnable bounds.
const (
	runStep     = 0.001 // s while a rotor gathers speed
	runCoarse   = 0.02  // s once all is steady
	longestRun  = 300.0
	steadyOmega = 0.5  // rad/s²: slower than this counts as steady
	keptPoints  = 6000 // of a series
)

// Airflow of a resistor card, by its absence: figures of common practice, unmeasured, chosen so
// that a card of some eighty watts opens its limiter within seconds outside its air and never
// in it.
const (
	cardJoulesPerKelvin = 4.0
	cardKelvinPerWattIn = 0.9  // in the fan's air
	cardKelvinPerWattNo = 12.0 // without it
	ambientCelsius      = 25.0
)

// Of settle.go.

// maxRounds bounds how often contacts, modules and fuses are moved in one state.
const maxRounds = 60

// Of setup.go.

// maxShown bounds how much of a text that cannot be read is sent back.
const maxShown = 60

// What a decade box can be set to, ohms.
const leastStandIn, mostStandIn = 0.1, 1e7

// Of solve.go.

const (
	maxNewton   = 60
	newtonVolts = 1e-9
	newtonAmps  = 1e-9
	looseVolts  = 2e-4
)

// Of warn.go.

// deadShortAmps is a current that no set of fans draws and every dead short does.
const deadShortAmps = 300

// burnAmpsPerMM2 is a current density no automotive wire stands for long (common practice).
const burnAmpsPerMM2 = 30

// Of steps.go.
const (
	oneStep    = 0.97 // of the highest: speeds nearer to it are the same step
	besideEdge = 0.05 // a lower step this far below the usual edge leaves the edge where it is
)

// Of heat.go (common practice, by small controllers of a fan on a plate of aluminium).
const (
	leastWatts     = 0.5 // of which nobody takes notice
	diodeLoses     = 0.8 // V
	degreesPerWatt = 6.0 // °C above the air, of a housing with nothing behind it
	hotAbove       = 40.0
)
