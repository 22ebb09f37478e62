package probe

// All figures that this package rests on, so that a technician can check them in one sitting. Minutes are
// those of a practised hand, chances are how surely a person sees, hears and feels. Unless another source
// stands beside them they are common practice and unmeasured.

// Minutes by what is done; a part's own access in the harness file comes before.
const (
	minutesCommand  = 0.3 // give another command
	minutesLook     = 0.5 // look at every fan
	minutesRelay    = 0.5 // pull or refit a relay or a fuse
	minutesPlug     = 2.0 // part or join a plug
	minutesLead     = 0.5 // put in or take out a jumper or lead
	minutesBackside = 3.0 // more, for a cavity behind a relay that is in
	minutesRead     = 0.3 // read the meter
	minutesCodes    = 1.0 // read the codes
	minutesTurn     = 0.5 // turn a fan by hand
	minutesBench    = 0.8 // a relay or a sensor on the bench
	minutesFeel     = 0.4 // a finger on a relay
	minutesClamp    = 0.3 // round one wire, zeroed
	minutesSwap     = 1.0 // two parts change places
	minutesStandIn  = 1.5 // a resistor on a sensor's plug

	// minutesUntooled is what bringing a state on takes more without a scan tool that commands: a stand-in
	// on the sensor's plug, A/C on, a warm-up waited for.
	minutesUntooled = 1.5

	likes = 0.4 // how much cheaper a school feels the tests that it likes
)

// hardPlaces makes a part take longer to get at where its place says so; a part's own access in the
// harness file comes before kind and place.
var hardPlaces = []struct {
	word string
	fold float64
}{
	{"behind", 1.6}, {"under", 1.6}, {"heater", 1.4}, {"dash", 1.4}, {"column", 1.4}, {"kick panel", 1.4},
	{"engine", 1.3}, {"chassis", 1.3}, {"frame", 1.2}, {"cross-member", 1.2},
}

const (
	leadOhms     = 0.1  // an ohmmeter tells nothing below
	leastLeads   = 0.1  // two leads that nobody has nulled have from this (common practice)
	usualLeads   = 1.0  // to this
	meterOhms    = 0.2  // an ohmmeter's tolerance: so much,
	meterShare   = 0.01 // and this share of the figure (common practice)
	nulledOhms   = 0.03 // what is left of the first once the leads are nulled (common practice)
	clampShare   = 0.04 // a clamp's tolerance, of its figure (common practice)
	unknownLeads = 6    // values at which unknown leads are weighed

	buzzSurely = 10.0  // ohms below which every buzzer sounds, and
	buzzNever  = 100.0 // above which none does (common practice)
	buzzHeard  = 0.98
	openDecade = 8.0 // the logarithm of ohms at which an open line is put

)

// The edges of what a lamp and an LED tester show, volts across them at a 12 V supply, and how soft an eye
// makes each edge.
const (
	lampGlows, lampGlowsWidth   = 2, 0.35
	lampBright, lampBrightWidth = 9, 0.6
	ledLights, ledLightsWidth   = 2.3, 0.2
)

// How sharply an eye tells the words for a fan's speed apart, as a share of the highest speed.
const (
	edgeSlow = 0.015
	edgeFast = 0.03
)

// What a person sees, hears and feels, and how surely.
const (
	surelyHeard   = 0.96  // a relay's click
	sureOfHand    = 0.95  // a fan turned by hand, free or stuck
	dragsFelt     = 0.7   // a worn fan's drag is noticed
	stuckFelt     = 0.02  // a worn fan is taken for stuck
	dragsAnyway   = 0.06  // a sound fan is taken for dragging
	stuckAnyway   = 0.002 // or for stuck
	wiggleShows   = 0.6   // tapping brings on what comes and goes
	changesAnyway = 0.02  // tapping changes something that means nothing
	heatSeen      = 0.3   // a burnt contact has left its mark
	corrodedSeen  = 0.3   // a bad joint is green
	seenAnyway    = 0.04  // old heat or corrosion that means nothing
	brokenSeen    = 0.9   // what is cut, backed out or blown is seen for it
	openHidden    = 0.25  // a blown fuse in a housing that hides its element looks whole
	hiddenSeen    = 0.5   // of an element in a cartridge or behind a cap
	brokenAnyway  = 0.0001
	cutSeen       = 0.5    // an open wire is seen to be cut
	meltedSeen    = 0.4    // a wire that is open, lies against something or has a bad joint has melted
	meltedAnyway  = 0.0002 // a wire that has melted some time ago and still carries what it should
	ownMark       = 0.15   // any fault of a part has left heat or corrosion on it
	freed         = 0.2    // a stuck or worn fan moves otherwise when it is tapped
	roughAnyway   = 0.02   // a sound fan feels rough
	codeSet       = 0.85   // a coil-side fault has set a code
	codeAnyway    = 0.06   // an old code

	// CodeVolts is how far a driver's pin must be from what the command asks for, as a share of the
	// supply, for the controller to notice.
	CodeVolts = 0.4
)

// Free is the word for a fan that turns as it should.
const Free = "free"

// The words of answers that are no figure.
var (
	lampWords  = []string{"off", "dim", "bright"}
	ledWords   = []string{"off", "lights"}
	clickWords = []string{"click", "nothing"}
	buzzWords  = []string{"beeps", Silent}
	codeWords  = []string{"none", "some"}

	turnedWords  = []string{Free, "drags", "rough", "stuck"}
	wiggledWords = []string{"steady", "changes"}
)

// Two lamps, and what is said where there are no codes.
const (
	heavy   = "heavy"
	light   = "light"
	noCodes = "no codes"
	nulled  = "nulled" // leads

	energised = "energised" // a relay on the bench
)

// Bounds of what a file or a form may hold.
const (
	maxObservations = 5000 // of a file; no job has as many
	maxKey          = 40   // characters of a word that is repeated in a sentence
	maxListed       = 64   // entries of a list
	maxWords        = 200  // bytes of a text
	mostLeads       = 10   // ohms of two leads
)

// Cautions, said where they apply.
const (
	FansStart   = "Fans start without warning, key off too: hands and clothes clear."
	LeadsClear  = "Fans start without warning: keep hands and leads clear of the blades."
	moduleMeter = "Module pin: a high-impedance meter only, no lamp."
	backProbe   = "Back-probe from the wire side with the relay in; do not spread the terminal."
	powerOff    = "Power off: an ohmmeter on a live circuit reads nonsense and may be spoilt."
	diodeCoil   = "The coil has a diode: observe the polarity, the wrong way round is a dead short."
	lampDraws   = "A filament lamp draws current: never on a module pin that is not known to stand it."
	notContact  = "A click proves the coil, not the contact."
	hotSystem   = "Hot coolant and pressure: never open a hot system."
	mirrored    = "Seen from below the numbers are mirrored: go by the print on the part."
)
