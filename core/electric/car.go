package electric

import (
	"math"
	"math/rand/v2"

	"ironthread/core/harness"
)

// Car is how one real vehicle departs from the drawing. The zero Car is the drawing itself.
// Factors are per part, by the part's place in Circuit.Parts; a missing one is 1.
type Car struct {
	Supply    float64 // added to the battery's open-circuit volts, engine off
	Charging  float64 // added to its volts with the engine running
	Cranking  float64 // added to its volts while the starter turns
	Armature  []float64
	Friction  []float64
	Coil      []float64
	FaultOhms float64 // of a resistance fault that carries no figure; 0 means 1
	FaultWear float64 // of a worn motor's friction that carries no figure; 0 means 1
	Dormant   bool    // an intermittent fault is not showing now; the caller leaves it out
}

// RandomCar draws a car within the tolerances; equal seeds draw equal cars.
func RandomCar(c *harness.Circuit, seed uint64) Car {
	r := rand.New(rand.NewPCG(seed, 0x1707))
	between := func(low, high float64) float64 { return low + (high-low)*r.Float64() }
	around := func(fold float64) float64 { return math.Exp(between(-math.Log(fold), math.Log(fold))) }
	n := len(c.Parts)
	car := Car{
		Supply:   between(strayBatteryLow, strayBatteryHigh) * c.Nominal() / 12,
		Armature: make([]float64, n), Friction: make([]float64, n), Coil: make([]float64, n),
		FaultOhms: strayOhmsLow * math.Pow(strayOhmsTop/strayOhmsLow, math.Mod(float64(seed)*math.Phi*math.Sqrt2, 1)),
		FaultWear: around(strayWear),
		Dormant:   seed%2 == 1,
	}
	// Charging volts are spread evenly over any row of seeds, so that a few cars cover their band.
	car.Charging = chargingAt(math.Mod(float64(seed)*math.Phi, 1)) * c.Nominal() / 12
	car.Cranking = (2*math.Mod(float64(seed)*math.Sqrt2, 1) - 1) * strayCranking * c.Nominal() / 12
	for i := range n {
		car.Armature[i] = between(1-strayArmature, 1+strayArmature)
		car.Friction[i] = math.Exp(between(math.Log(strayFrictionLow), math.Log(strayFrictionTop)))
		car.Coil[i] = between(1-strayCoil, 1+strayCoil)
	}
	return car
}

// chargingAt is how far a 12 V system's charging volts stray from the drawing's, at a share of all cars.
func chargingAt(share float64) float64 {
	if share < smartShare { // an alternator that rests between brakings
		return smartLowest + (strayChargingLow-smartLowest)*share/smartShare
	}
	return strayChargingLow + (strayChargingTop-strayChargingLow)*(share-smartShare)/(1-smartShare)
}

func factor(list []float64, part int) float64 {
	if part < 0 || part >= len(list) {
		return 1
	}
	return list[part]
}

func orOne(f float64) float64 {
	if f == 0 {
		return 1
	}
	return f
}
