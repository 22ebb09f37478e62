package sheet

// Every figure this package is tuned by stands here, with where it comes from: the harness file's own format, a
// standard, *common practice* of the trade, a measurement of this project, or bounds that keep a computation finite.
// What one file alone works by stands under that file's name.

// Of anneal.go.

const (
	hottest = 15.0
	coldest = 0.8
)

// Of items.go.

// Sizes in grid units.
const (
	runGap       = 2 // between two parts of a run
	twoPinHeight = 5
	motorHeight  = 7
	relayHeight  = 8
	boxHeight    = 7
	pinPitch     = 5 // least distance of two pins on a box
	boxMargin    = 3 // from a box's outermost pin to its side
)

// Places of a relay's pins, from the middle of its box.
const (
	coilAt      = -4
	makeAlone   = 4
	changeLeft  = 2 // 87
	changeFeed  = 5 // 30
	changeRight = 8 // 87a
	poleWidth   = 12
)

// Of label.go.

const clearance = 2 // pixels between a text and anything else

// Of place.go.

// While items are being placed every channel has one height; what it really needs comes with
// routing.
const (
	channelHeight = 5
	channelRise   = 2 // a row's channel lies this far above its top
	railRise      = 5
)

// Units between two bodies, and between a label and what it does not name.
const (
	bodiesApart = 2
	labelsApart = 1
)

// Weights of the cost, in the units of one bend being three (measured on seven circuits).
const (
	costCrossing   = 10
	costBend       = 3
	costAcross     = 0.35
	costDown       = 0.15
	costThrough    = 16 // a wire through a part
	costTight      = 6  // along its side
	costLabelZone  = 14
	costSameColumn = 12
	costOverlap    = 40
	costOverlapBy  = 10
	costWrongSide  = 60
	costSize       = 1.0 // of the larger of width and height, the height stretched by aspect
	costWidth      = 0.15
	costHeight     = 0.15
	costJog        = 4 // more, for a sidestep of less than jogUnits
	jogUnits       = 4
	costLowFeed    = 1.8 // a battery-fed part, a row below the first
	costLocal      = 5   // a ground symbol in place of a drop to the rail
)

// aspect is how much wider than high the place for a sheet is.
const aspect = 1.15

// Of route.go.

// Costs of the router, a step being ten.
const (
	routeStep   = 10
	routeBend   = 40
	routeCross  = 70
	routeBeside = 6
	routeLabel  = 45
	routeTight  = 25 // along a part's side
)

// farthest is more steps than any sheet has.
const farthest = 1 << 24

// Of route_nets.go.

const (
	margin    = 9 // units left and right
	railSpace = 3
	channel   = 3 // a channel with no trunk in it
	perTrunk  = 2
	localSize = 4
)

// Of sheet.go.

// Unit and UnitY are the grid's pitch in pixels, across and down: a page is wider than high.
const (
	Unit  = 10
	UnitY = 8
)

// Options of a drawing.
const (
	tries      = 10
	stepsSmall = 20000
	stepsLarge = 60000
	stepsLeast = 800
	manyItems  = 40 // from here on the steps grow fewer
)

// From nothing many sketches are made in a part of the steps; the best are gone on with from a lower heat. Measured over the
// library and a circuit of 40 parts: fewer crossings, bends and pixels of line than eight full tries, in a sixth of the time.
const (
	sketchShare = 4
	workedOut   = 4
	workShare   = 3
	workHottest = 4.0
)

// Of squeeze.go.

// keepFree is how many empty lines stay between what stands or runs across a sheet: room for
// a wire's colour.
const keepFree = 2

// Of text.go.

// Text sizes in pixels, as the style sheet draws them.
const (
	nameSize   = 16
	noteSize   = 13
	pinSize    = 11
	colourSize = pinSize
)

// Of warm.go.

// What leaving home costs, in the units of the other weights; a part put by hand does not
// leave it.
const (
	costMovedAtAll  = 16
	costMovedAcross = 1.5 // a unit
	costMovedRow    = 12
	costMovedMirror = 9
	costMovedPin    = 0.5 // a unit along a box's side
	costMovedPut    = 1000
)

// A drawing that begins from the one before needs little: it is to stay as it was.
const (
	warmSteps   = 5000
	warmTries   = 2
	warmHottest = 6.0
	warmColdest = 0.3
)

// rowPixels is about a row's height: further below the last one a new row begins.
const rowPixels = 90
