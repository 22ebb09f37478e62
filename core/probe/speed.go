package probe

import (
	"math"

	"ironthread/core/electric"
)

// SpeedWords is the order in which chances of words for a speed are kept.
var SpeedWords = []string{string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards)}

// SpeedChances gives the chance of each of [SpeedWords] for a speed share: the words' edges made
// soft.
func SpeedChances(share float64) [4]float64 {
	backwards := soft(-share, electric.SlowFrom, edgeSlow)
	moving := soft(share, electric.SlowFrom, edgeSlow)
	fast := soft(share, electric.FastFrom, edgeFast)
	return [4]float64{(1 - moving) * (1 - backwards), moving * (1 - fast), moving * fast, backwards}
}

func soft(x, edge, width float64) float64 { return 1 / (1 + math.Exp(-(x-edge)/width)) }

// FanWords are the words for what a fan does; an ear cannot tell slow from fast, so that
// "running" is allowed.
var FanWords = []string{
	string(electric.Stopped), string(electric.Slow), string(electric.Fast), string(electric.Backwards), Running, Cycling,
}

// Running is a fan that turns, slow or fast; Cycling one that starts and stops quickly.
const (
	Running = "running"
	Cycling = string(electric.Cycling)
)
