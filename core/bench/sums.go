package bench

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/sensor"
	"ironthread/core/size"
	"ironthread/core/units"
)

// The sheets that are sums from tables.

var wireSheet = &Sheet{
	Name: "wire", Title: "Wire: drop and ampacity", About: "What a wire loses and may carry, and the thinnest that will do.",
	Fields: []Field{
		{Key: "amps", Label: "It carries", Unit: "A", Usual: "15", Least: 0.01, Most: 400},
		{Key: "length", Label: "Length one way", Unit: "m", Usual: "2.5", Least: 0.01, Most: 50},
		{Key: "size", Label: "Cross-section: mm², or AWG as 12AWG", Text: true, Usual: "2.5"},
		{Key: "warm", Label: "About it", Unit: "°C", Usual: "85", Least: -40, Most: 104},
		{Key: "drop", Label: "It may lose", Unit: "V", Usual: "0.5", Least: 0.01, Most: 5}},
	work: func(v Values) (*Result, error) {
		text := strings.ReplaceAll(strings.TrimSpace(v.Word("size")), " ", "")
		if strings.TrimLeft(text, "0123456789.,") == "" {
			text += "mm2"
		}
		mm2, err := units.SquareMillimetres(strings.ReplaceAll(text, ",", "."))
		if err != nil || mm2 < 0.35 || mm2 > 35 {
			return nil, fmt.Errorf("cross-section: %q is no wire's of the tables here, from 0.35 to 35 mm²", harness.Clipped(v.Word("size"), 20))
		}
		amps, metres, warm := v.Of("amps"), v.Of("length"), v.Of("warm")
		r := &Result{Curve: &Curve{Title: "Lost over its amps", XUnit: "A", Unit: "V", At: amps, Mark: "yours"}}
		loses := func(mm2, amps float64) float64 { return amps * size.Ohms(mm2, metres, amps, warm) }
		r.say("It loses", size.OwnDropWords(amps, metres, mm2, warm), "", "%.3f V one way", loses(mm2, amps))
		r.say("It may carry", size.HotWords(mm2, warm, size.Insulation), "", "%.0f A",
			size.Hot(mm2, warm, size.Insulation))
		r.say("Its ohms, cold", "a metre's at 20 °C, at most, times its length", "ISO 6722-1, from memory", "%.2f mΩ",
			1000*size.Ohms(mm2, metres, 0, 20))
		for _, m := range size.Metric {
			if size.Hot(m, warm, size.Insulation) >= amps && loses(m, amps) <= v.Of("drop") {
				r.say("The thinnest that will do", "carries it at that heat, and loses no more than it may", "ISO 19642 sizes", "%g mm²%s", m,
					orGauge(m))
				break
			}
		}
		if size.Hot(mm2, warm, size.Insulation) < amps {
			r.Cautions = append(r.Cautions, "It would get too hot.")
		}
		for k := 0; k <= 40; k++ {
			x := amps * float64(k) / 20
			r.Curve.X, r.Curve.Y = append(r.Curve.X, x), append(r.Curve.Y, loses(mm2, x))
		}
		return r, nil
	},
}

// orGauge adds the gauge that is sold for a cross-section, where there is one.
func orGauge(mm2 float64) string {
	if awg := size.AWG(mm2); awg > 0 {
		return fmt.Sprintf(" (AWG %d)", awg)
	}
	return ""
}

var sensorSheet = &Sheet{
	Name: "sensor", Title: "Temperature sensor", About: "A curve through readings, and the resistor that stands in for a temperature.",
	Fields: []Field{
		{Key: "points", Label: "Readings: °C and ohms", Text: true, Usual: "20 2500; 60 600; 90 240"},
		{Key: "want", Label: "Stand in for", Unit: "°C", Usual: "105", Least: -50, Most: 200}},
	work: func(v Values) (*Result, error) {
		var points []sensor.Point
		for _, part := range strings.FieldsFunc(v.Word("points"), func(r rune) bool { return r == ';' || r == '\n' }) {
			list, err := numbers(strings.NewReplacer("°C", " ", "Ω", " ").Replace(part))
			if err != nil || len(list) != 2 {
				return nil, fmt.Errorf("readings are pairs such as \"20 2500\" (°C and ohms), not %q", strings.TrimSpace(part))
			}
			points = append(points, sensor.Point{Celsius: list[0], Ohms: list[1]})
		}
		curve, err := sensor.Fit(points)
		if err != nil {
			return nil, err
		}
		want := v.Of("want")
		ohms := curve.Ohms(want)
		if math.IsNaN(ohms) || ohms < 0.5 {
			return nil, fmt.Errorf("stand in for: this curve does not reach %g °C", want)
		}
		r := &Result{Curve: &Curve{Title: "Ohms over temperature", XUnit: "°C", Unit: "Ω", At: want, Mark: "stands in"}}
		form := "Steinhart and Hart: 1/T = A + B ln R + C (ln R)³"
		if curve.Beta > 0 {
			form = fmt.Sprintf("beta: R = R25 · e^(β (1/T − 1/298.15)), β = %.0f", curve.Beta)
		}
		r.say("Curve", form, "Steinhart and Hart 1968; beta form of data sheets", "%d readings", len(points))
		for _, p := range points {
			r.say(fmt.Sprintf("At %g °C", p.Celsius), "the curve, against the reading", "", "%.0f Ω, read %.0f Ω", curve.Ohms(p.Celsius),
				p.Ohms)
		}
		r.say(fmt.Sprintf("For %g °C", want), "the curve", "", "%.0f Ω; sold as %g Ω, which is %.1f °C", ohms, sensor.Nearest(ohms),
			curve.Celsius(sensor.Nearest(ohms)))
		for t := min(20, want-40); t <= max(110, want+5); t += 2 {
			r.Curve.X, r.Curve.Y = append(r.Curve.X, t), append(r.Curve.Y, curve.Ohms(t))
		}
		r.Cautions = append(r.Cautions, "A stand-in blinds gauge and controller to the real heat: engine off where it can be, else a "+
			"second thermometer and a time "+
			"limit; it comes out before the job closes.")
		return r, nil
	},
}

var fuseSheet = &Sheet{
	Name: "fuse", Title: "How long a fuse holds", About: "Between which times a fuse of a style opens.",
	Fields: []Field{
		{Key: "style", Label: "Style", Choices: []string{string(harness.StyleBlade), string(harness.StyleMini),
			string(harness.StyleCartridge)},
			Usual: string(harness.StyleBlade)},
		{Key: "rating", Label: "Rating", Unit: "A", Usual: "30", Least: 1, Most: 150},
		{Key: "amps", Label: "It carries", Unit: "A", Usual: "60", Least: 0.1, Most: 1500},
		{Key: "mm2", Label: "Thinnest wire behind it", Unit: "mm²", Usual: "2.5", Least: 0.1, Most: 50}},
	work: func(v Values) (*Result, error) {
		style, load := harness.FuseStyle(v.Word("style")), v.Of("amps")/v.Of("rating")
		r := &Result{Curve: &Curve{Title: "Opens after, seconds as powers of ten", XUnit: "× rating", Unit: "log s", At: load, Mark: "yours"}}
		source := "ISO 8820-3, from memory"
		if style == harness.StyleCartridge {
			source = "ISO 8820-4, from memory and unsure"
		}
		r.say("Load", "I / rating", "", "%.2f times its rating", load)
		switch soonest, latest := electric.OpensBetween(style, load); {
		case load <= 0.75:
			r.say("It holds", "75 % of the rating run all day", practice, "all day")
		case math.IsInf(latest, 1):
			r.say("It holds", "below 110 % no fuse must open", source, "hours, but not for ever: a fuse is loaded to 75 %% at the most")
		default:
			r.say("It opens after", "between the standard's quickest and slowest fuse", source, "%s to %s", span(soonest), span(latest))
		}
		for x := 1.15; x <= 6; x += 0.05 {
			r.Curve.X, r.Curve.Y = append(r.Curve.X, x), append(r.Curve.Y, math.Log10(electric.OpensInSeconds(style, x)))
		}
		if size.Ampacity(v.Of("mm2")) < v.Of("rating") {
			r.Cautions = append(r.Cautions, fmt.Sprintf("%g mm² in an engine space may carry %.0f A (ABYC E-11, from memory): a fuse of %g A "+
				"does not protect it.",
				v.Of("mm2"), size.Ampacity(v.Of("mm2")), v.Of("rating")))
		}
		r.Cautions = append(r.Cautions, "Never a larger fuse, not even for a test.")
		return r, nil
	},
}

func span(seconds float64) string {
	switch {
	case seconds < 1:
		return fmt.Sprintf("%.2f s", seconds)
	case seconds < 120:
		return fmt.Sprintf("%.0f s", seconds)
	case seconds < 7200:
		return fmt.Sprintf("%.0f min", seconds/60)
	}
	return fmt.Sprintf("%.0f h", seconds/3600)
}

var batterySheet = &Sheet{
	Name: "battery", Title: "How long a battery lasts", About: "What a fan that runs on, or a drain, leaves of a battery.",
	Fields: []Field{
		{Key: "ah", Label: "Battery", Unit: "Ah", Usual: "60", Least: 1, Most: 500},
		{Key: "full", Label: "Charged to", Unit: "%", Usual: "80", Least: 5, Most: 100},
		{Key: "start", Label: "Left for a start", Unit: "%", Usual: "50", Least: 0, Most: 95},
		{Key: "amps", Label: "Drain", Unit: "A", Usual: "14", Least: 0.001, Most: 500}},
	work: func(v Values) (*Result, error) {
		usable := v.Of("ah") * (v.Of("full") - v.Of("start")) / 100
		if usable <= 0 {
			return nil, errors.New("charged to: it is below what is to be left for a start")
		}
		r := &Result{Curve: &Curve{Title: "Charge over time", XUnit: "h", Unit: "%", At: math.NaN()}}
		// A lead battery gives less the faster it is drained: Peukert's law, exponent 1.2 (common practice), from a 20 h rating.
		const exponent = 1.2
		rated := v.Of("ah") / 20
		hours := usable / v.Of("amps")
		if v.Of("amps") > rated {
			hours = usable / (v.Of("amps") * math.Pow(v.Of("amps")/rated, exponent-1))
		}
		r.say("Usable", "Ah · (charged to − left)", "", "%.1f Ah", usable)
		r.say("It lasts", "Ah / A, less by Peukert's law above the 20 h current, exponent 1.2", "Peukert 1897; exponent common practice",
			"%s",
			span(3600*hours))
		for k := 0; k <= 20; k++ {
			r.Curve.X = append(r.Curve.X, hours*float64(k)/20)
			r.Curve.Y = append(r.Curve.Y, v.Of("full")-(v.Of("full")-v.Of("start"))*float64(k)/20)
		}
		return r, nil
	},
}
