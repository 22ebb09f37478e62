package harness

import "math"

const absoluteZero = -273.15

// Ohms is the sensor's resistance at a temperature in °C. Points are joined log-linearly over
// the reciprocal of the absolute temperature, as an NTC behaves between them; beta and the
// Steinhart–Hart equation are the published forms.
func (c *Curve) Ohms(celsius float64) float64 {
	t := celsius - absoluteZero
	switch {
	case c.Beta > 0:
		return c.R25 * math.Exp(c.Beta*(1/t-1/(25-absoluteZero)))
	case c.A > 0:
		// Closed solution of 1/T = A + B·ln R + C·ln³ R for ln R.
		x := (c.A - 1/t) / (2 * c.C)
		z := c.B / (3 * c.C)
		y := math.Sqrt(z*z*z + x*x)
		return math.Exp(math.Cbrt(y-x) - math.Cbrt(y+x))
	}
	i := 1
	for i < len(c.Points)-1 && celsius > c.Points[i].Celsius {
		i++
	}
	p, q := c.Points[i-1], c.Points[i]
	share := (1/t - 1/(p.Celsius-absoluteZero)) / (1/(q.Celsius-absoluteZero) - 1/(p.Celsius-absoluteZero))
	return math.Exp(math.Log(p.Ohms) + share*math.Log(q.Ohms/p.Ohms))
}

// Celsius is the temperature at which the sensor has so many ohms, by halving; curves fall or
// rise throughout.
func (c *Curve) Celsius(ohms float64) float64 {
	low, high := -60.0, 220.0
	falls := c.Ohms(low) > c.Ohms(high)
	for range 80 {
		if middle := (low + high) / 2; (c.Ohms(middle) > ohms) == falls {
			low = middle
		} else {
			high = middle
		}
	}
	return (low + high) / 2
}
