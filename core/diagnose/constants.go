package diagnose

import "ironthread/core/predict"

// All figures that the guide rests on, so that they can be checked in one sitting. Chances are common
// practice and unmeasured where no other source is named; thresholds were tuned by playing every fault of
// the library through the guide (package study), which measures ranking, not truth.

// cars is how many random cars each suspect is foretold on.
const cars = predict.Cars

// What is believed before anything is seen.
const (
	priorNothing = 0.05 // that no fault is there
	priorUnknown = 0.01 // that it is something the drawing does not show
	priorTwo     = 0.08 // that two things are wrong
	weightOfBook = 40   // closed jobs of a workshop's own that count for as much as the priors by kind
)

// What a repair does to what is believed.
const (
	newPart      = 0.02 // of its prior: that a new part is at fault
	usedPart     = 0.5  // of its prior: that a used part is
	allMended    = 0.5  // that a repair has mended all there was
	stillMended  = 0.2  // the belief in "no fault" down to which a repair counts as good so far
	olderFloor   = 0.15 // how far an observation from before a repair may still speak against a suspect
	olderHealthy = 0.5  // how well it must have fitted a car with nothing wrong to speak at all

	// How often swapping a part, and how often cleaning it, mends a bad joint at it for good (common practice).
	mendedByChance   = 0.2
	surelyCured      = 0.8 // from which on such a fault is taken for mended
	mendedByCleaning = 0.6
	mendedByTouching = 0.45 // the same for a contact in the part: it was moved, or drew its arc anew

	mendedAt    = 0.4 // of the belief: it is said that an intervention has mended it
	mendedNamed = 0.2 // of that: an intervention is named
	foundAt     = 0.8 // of what direct tests leave: a defect is named beside the verdict; the same for how a job stands
	shownFold   = 3   // how much better a direct test must fit a part's fault than a sound part to have shown it
	followsAt   = 0.5 // of the belief: what does such a thing to a part explains what was found at it

	clearedFit   = 0.2 // how well a part's faults fit where a healthy car fits, against it: the evidence is about the part
	clearedShare = 0.5 // of a part's faults, by how often they are met, that must fit so badly
)

// How predictions are made soft, so that nothing is ever impossible.
const (
	misread       = 0.02   // a reading is taken wrong (from the feasibility study)
	gross         = 0.12   // of that: a fan is said to do what it should not, and does not
	misreadDirect = 0.0005 // the same of what is seen, felt or measured at a part itself
	misreadSeen   = 0.0002 // the same of what is seen at a part: nobody takes a whole wire for a cut one
	secondDefect  = 0.002  // a part that is not the complaint's cause has a defect of its own
	likelyUnknown = 0.15   // how well "something else" explains any one reading
	surelyNot     = 0.05   // a word that is foretold less often than this is out of the question
	oftenCycles   = 0.5    // a fan starts and stops quickly where the fault comes and goes
	resistCycles  = 0.1    // or where its feed cannot carry it
	seldomCycles  = 0.02   // or otherwise
)

// When something is said.
const (
	// VerdictAt is the belief in one group from which on it is a verdict.
	VerdictAt = 0.95

	stillStanding   = 0.001 // of the belief: a suspect stands
	clearedBelow    = 0.002 // of the belief: a part is cleared
	clearedFold     = 0.25  // and it fell to this share of its prior
	leadingAt       = 0.1   // of the belief: what such a suspect explains is no surprise
	surprisingBelow = 0.06  // the chance below which an answer surprises
	worthNaming     = 0.02  // of the belief: named in one breath with others that no test tells apart
	oneOfTwoAt      = 0.85  // the belief from which on one of two faults is a verdict
	worthProving    = 0.4   // and from which on it is worth proving
	backedAt        = 0.5   // the belief that the leader must keep without any single answer
	backedAtOnce    = 0.5   // the same where one test of the part itself is its proof
	moneyAMinute    = 2.0   // what a minute of a technician costs, against the price of a part (common practice)
	leastTest       = 1.5   // minutes of a test, laying it out and writing it down
	movesOffered    = 3
	leavesNamed     = 6    // suspects named that an answer would leave
	leavesAtLeast   = 0.05 // of what it leaves
)

// Telling suspects apart.
const (
	apartShare    = 0.4  // some test gives them different answers this much of the time
	harmlessBelow = 0.2  // a difference in the chance of a word for any fan that is taken for none
	asGood        = 0.3  // how well "no fault" must explain what was seen, against the best of its group
	rivalFit      = 0.25 // a rival explains what was seen this well, against the leader
	rivalBits     = 0.2  // and a test that tells it apart says this much
	stillTelling  = 0.4  // a fault shows in a state, compared with where it shows most
	manyRelays    = 6    // from how many relays on only those near two suspects are thought of being pulled
	keptApart     = 60000
)

// Choosing a test.
const (
	leastLeft     = 0.002 // the same where nothing better is left
	leastBits     = 0.03  // the information below which a test is not worth offering
	negligible    = 1e-4  // the belief below which a suspect does not count
	closeBelief   = 0.003 // the same for tests at one part
	leadingBelief = 0.04  // tests at a part itself are thought of once its faults hold this together
	leadingParts  = 4     // at how many parts and wires
	leadingWires  = 2
	tied          = 0.02 // scores this near each other, as a share, are a tie

	// mostForetold bounds what is foretold for one choice, in suspects times states times pins: a few
	// seconds of work at most on a circuit that nothing is known of. Small circuits stay far below.
	mostForetold = 600_000
)

// How figures fall into classes of answers.
const (
	bins       = predict.Number // up to 33 V, or a drop of 12 V
	gapBins    = 3              // an edge lies in a gap of at least this many nearly empty bins
	emptyShare = 0.002          // a bin with less of the belief than this is nearly empty
	maxClasses = 6
)

// Words of many fans at once: of all combinations only the likely ones are followed, for with twelve fans
// there are sixteen million.
const (
	likelyCombos  = 48   // followed for a car
	nextToNothing = 2e-5 // of a combination on a car
	leastOfClass  = 0.002
)

// How pairs of faults are searched: among the suspects that alone explain most, on some of the cars.
const (
	pairOf       = 22   // suspects paired with each other
	morePaired   = 6    // more for each reading that they leave unexplained
	mostPaired   = 48   // and no more than these
	pairCars     = 5    // cars
	poorlyFits   = 0.05 // the leader is contradicted by a reading that fits it less than this
	forgiving    = 0.1  // in choosing whom to pair, no reading counts against a suspect by more
	explainsWell = 0.3
	pairExplains = 0.2 // the belief in a pair from which on it counts as a leading one
	pairsListed  = 5
	pairsAsked   = 8  // the likeliest pairs, in choosing a test between them
	testsOfTwo   = 40 // the tests looked at so, the best by single faults first
	leastPair    = 0.01
	keptPairs    = 1000 // how many are remembered, and fits of how many answers to each
	keptFits     = 60
)
