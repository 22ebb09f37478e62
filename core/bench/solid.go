package bench

import "math"

// What a solid-state relay makes of the current that goes through it: heat, for as long as it is on.
var solidSheet = &Sheet{
	Name: "solid", Title: "Solid-state relay: heat and leak",
	About: "How warm one gets that is on, and what a meter reads behind one that is off.",
	Fields: []Field{supplyField,
		{Key: "amps", Label: "It carries", Unit: "A", Usual: "18", Least: 0.1, Most: 300},
		{Key: "on", Label: "On, it has", Unit: "mΩ", Usual: "8", Least: 0.1, Most: 1000},
		{Key: "leak", Label: "Off, it leaks", Unit: "mA", Usual: "1", Least: 0, Most: 100},
		{Key: "sink", Label: "Its heat sink", Unit: "°C a watt", Usual: "3", Least: 0.05, Most: 60},
		{Key: "warm", Label: "About it", Unit: "°C", Usual: "60", Least: -40, Most: 150}},
	work: func(v Values) (*Result, error) {
		amps, ohms, sink := v.Of("amps"), v.Of("on")/1000, v.Of("sink")
		gets := func(amps float64) float64 { return v.Of("warm") + sink*amps*amps*ohms }
		r := &Result{Curve: &Curve{Title: "How warm it gets over its amps", XUnit: "A", Unit: "°C", At: amps, Mark: "yours"}}
		r.say("It drops", "I · R", ohmsLaw, "%.2f V", amps*ohms)
		r.say("It makes", "I² · R", ohmsLaw, "%.1f W for as long as it is on", amps*amps*ohms)
		r.say("It gets", "what is about it, and its heat sink's degrees a watt times the watts", practice, "%.0f °C", gets(amps))
		r.say("A meter behind it reads, off and with nothing connected",
			"the supply over its leak is some kilohms, against the meter's 10 MΩ", ohmsLaw, "%.1f V", behind(v.Of("supply"), v.Of("leak")/1000))
		if gets(amps) > hotSolid {
			r.Cautions = append(r.Cautions, "Above 125 °C it destroys itself, and most then stay on: a larger heat sink, or a larger relay.")
		}
		r.Cautions = append(r.Cautions, "Off is not dead: it leaks. Whoever works behind it takes its fuse out.")
		for k := range 41 {
			x := amps * float64(k) / 20
			r.Curve.X, r.Curve.Y = append(r.Curve.X, x), append(r.Curve.Y, gets(x))
		}
		return r, nil
	},
}

// hotSolid is what a semiconductor's case stands, °C (common practice).
const hotSolid = 125

// behind is what a meter of 10 MΩ reads behind one that leaks so many amps at its supply.
func behind(supply, leak float64) float64 {
	const meter = 1e7
	return supply * meter / (meter + supply/math.Max(leak, 1e-9))
}
