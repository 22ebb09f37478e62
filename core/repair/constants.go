package repair

// Every figure this package is tuned by stands here, with where it comes from: the harness file's own format, a
// standard, *common practice* of the trade, a measurement of this project, or bounds that keep a computation finite.
// What one file alone works by stands under that file's name.

// Of drive.go.

// Airs below which nothing worth having is left, and from which a slow drive in traffic is
// bearable (common practice).
const (
	noAir     = 0.1
	enoughAir = 0.45
)

// gains is how much more air an aid must bring to be worth naming, of the best in health.
const gains = 0.15

// Of verify.go.

// verifyCars is how many random cars the bands of the clamp readings are taken over.
const (
	verifyCars = 24
	verifySeed = 101
	bandMargin = 0.06 // of the current, for the clamp itself
	warmBand   = 4    // °C about a threshold: sensor, gauge and the reading of it (common practice)
)

// Of warmup.go.

// How far a warm-up goes, °C.
const (
	coldest = 60
	hottest = 120

	speedSeen = 0.05 // of the highest speed: a step that is seen or heard (common practice)
)
