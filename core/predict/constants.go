package predict

// Every figure this package is tuned by stands here, with where it comes from: the harness file's own format, a
// standard, *common practice* of the trade, a measurement of this project, or bounds that keep a computation finite.
// What one file alone works by stands under that file's name.

// Of budget.go.

// DefaultBytes is how much is kept where nothing else is said.
const DefaultBytes = 512 << 20

// Of page.go.

// keptVariants bounds how many ways a suspect's fuses may have blown before are kept in a page.
const keptVariants = 6

// clearBins is how many bins of volts lie between readings that nobody takes for each other: more than a
// volt.
const clearBins = 6

// Number of bins, for every range.
const Number = 140

// Of predict.go.

// Cars is how many random cars each suspect is foretold on (from the feasibility study).
const Cars = 16

// firstSeed begins the seeds of the cars.
const firstSeed = 1

// mostPageBytes is the largest table of one set-up that is made.
const mostPageBytes = 192 << 20
