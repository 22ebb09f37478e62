package trace

// Every figure this package is tuned by stands here, with where it comes from: the harness file's own format, a
// standard, *common practice* of the trade, a measurement of this project, or bounds that keep a computation finite.
// What one file alone works by stands under that file's name.

// Of protection.go.

// lostShare is how far a load's current must fall to count as dead.
const lostShare = 0.05

// UsedAmps is the current from which a part or wire counts as used.
const UsedAmps = 0.02

// Of roles.go.

// Shares of the supply at which a potential counts as the battery's or as ground.
const (
	batteryFrom = 0.93
	groundTo    = 0.045
)

// Of trace.go.

// leastAmps is the current that counts as flowing.
const leastAmps = 1e-3

// Of doubts.go.

// wrongWayVolts is across a coil what tells which way round it is fed.
const wrongWayVolts = 2

// windingShare is how far a winding's drawn speed may be from what follows before it is doubted.
const windingShare = 0.12
