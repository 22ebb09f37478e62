package rewire

import (
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"go.yaml.in/yaml/v3"

	"ironthread/core/harness"
	"ironthread/core/rewire"
	"ironthread/core/units"
	"ironthread/web/room"
)

// What else a wish may say, into the form and out of it: and a wish's file that is read into the form.

// moreFans adds the third and the fourth fan, and says what is said of all.
func (f *wishForm) moreFans(w *rewire.Wish, first rewire.Fan, read func(*float64, string, string)) {
	for i, amps := range []string{f.Third, f.Fourth} {
		if n, err := strconv.Atoi(f.Fans); err != nil || n < i+3 {
			continue
		}
		fan := first
		fan.Name = []string{"third fan", "fourth fan"}[i]
		if strings.TrimSpace(amps) != "" {
			fan.Points, fan.Inrush = nil, 0
			read(&fan.Amps, "the "+fan.Name+"'s amps", amps)
		}
		w.Fans = append(w.Fans, fan)
	}
	for i := range w.Fans {
		w.Fans[i].NeverAlone = f.Never == "all" || f.Never == "first" && i == 0
		if f.Own == "all" || f.Own == "first" && i == 0 {
			b := &rewire.Brushless{OpenLine: rewire.OpenLine(f.OwnOpen), Level: f.OwnLevel, RunOn: minutesOf(f.OwnRunOn)}
			if from, to, both := strings.Cut(strings.ReplaceAll(f.OwnHertz, "–", "-"), "-"); both {
				b.Hertz = make([]float64, 2)
				read(&b.Hertz[0], "what the fan listens to", from)
				read(&b.Hertz[1], "what the fan listens to", to)
			}
			w.Fans[i].Brushless = b
		}
	}
}

func minutesOf(text string) string {
	if text = strings.TrimSpace(text); text == "" || strings.HasSuffix(text, "min") {
		return text
	}
	return text + "min"
}

// moreWishes are those that are no fan's.
func (f *wishForm) moreWishes(w *rewire.Wish, read func(*float64, string, string)) {
	w.OpenLine, w.Protection = rewire.OpenLine(f.OpenLine), rewire.Protection(f.Protection)
	w.RunOn = minutesOf(f.RunOn)
	read(&w.Insulation, "the insulation", f.Insulation)
	if w.Battery = strings.TrimSpace(f.Battery); w.Battery != "" && !strings.HasSuffix(w.Battery, "Ah") {
		w.Battery += "Ah"
	}
	if f.Poles == "2" {
		w.Relays.Poles = 2
	}
}

// readWish reads a wish's file into the form, which then stands in the address as if somebody had filled it in.
func (a *Rewire) readWish(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, 2*rewire.MostBytes)
	file, err := c.FormFile("file")
	if err != nil {
		a.Refuse(c, errors.New("choose the file of a wish, of at most 64 KiB"))
		return
	}
	in, err := file.Open()
	if err != nil {
		a.Refuse(c, errors.New("that file could not be read; choose it again"))
		return
	}
	defer in.Close()                                                // it was only read
	text, err := io.ReadAll(io.LimitReader(in, rewire.MostBytes+1)) // one more than may be, so that it is seen to be too large
	if err != nil {
		a.Refuse(c, errors.New("that file could not be read; choose it again"))
		return
	}
	w, err := rewire.Read(text)
	if err != nil {
		a.Refuse(c, err)
		return
	}
	q, lost := queryOf(w)
	if len(lost) > 0 {
		a.Refuse(c, fmt.Errorf("the form cannot hold all of that wish (%s); \"ironthread plan\" answers it on the command line",
			strings.Join(lost[:min(len(lost), 3)], "; ")))
		return
	}
	c.Redirect(http.StatusSeeOther, "/rewire?"+q.Encode())
}

// queryOf is the form that comes to a wish, and what of the wish it cannot hold.
func queryOf(w *rewire.Wish) (url.Values, []string) {
	q := url.Values{"title": {w.Title}, "volts": {"12"}, "fans": {strconv.Itoa(len(w.Fans))}, "speeds": {strconv.Itoa(len(w.Speeds))},
		"across": {w.Relays.Suppression}, "gauge": {string(w.Gauge)}, "protection": {string(w.Protection)}, "open-line": {string(w.OpenLine)},
		"run-on": {w.RunOn}, "battery": {w.Battery}, "keep": {strings.TrimSuffix(w.Keep, ".harness.yaml")}, "cathode": {w.Relays.Cathode}}
	if w.Supply.Off > 18 {
		q.Set("volts", "24")
	}
	figure := func(key string, v float64) {
		if v != 0 {
			q.Set(key, strconv.FormatFloat(v, 'g', 6, 64))
		}
	}
	figure("heat", w.Heat)
	figure("drop", w.Limits.Drop)
	figure("rest", w.Limits.RestContact)
	figure("budget", w.Limits.Budget)
	figure("make", w.Relays.Make)
	figure("coil", w.Relays.Coil)
	figure("insulation", w.Insulation)
	figure("module", w.Module.Amps)
	figure("poles", float64(w.Relays.Poles))
	if hz := w.Module.Hertz; len(hz) == 2 {
		q.Set("hertz", fmt.Sprintf("%g-%g", hz[0], hz[1]))
	}
	for key, list := range map[string][]float64{"has-relays": w.Shelf.Relays, "has-fuses": w.Shelf.Fuses, "has-wires": w.Shelf.Wires} {
		var words []string
		for _, v := range list {
			words = append(words, strconv.FormatFloat(v, 'g', 6, 64))
		}
		if len(words) > 0 {
			q.Set(key, strings.Join(words, " "))
		}
	}
	never, own := 0, 0
	for i, fan := range w.Fans {
		figure([]string{"amps", "other-amps", "third-amps", "fourth-amps"}[i], fan.Amps)
		if i < 2 {
			figure([]string{"inrush", "other-inrush"}[i], fan.Inrush)
			q.Set([]string{"half", "other-half"}[i], string(fan.HalfVolts))
		}
		if fan.NeverAlone {
			never++
		}
		if b := fan.Brushless; b != nil {
			own++
			q.Set("own-open", string(b.OpenLine))
			q.Set("own-level", b.Level)
			q.Set("own-run-on", b.RunOn)
			q.Set("own-hertz", fmt.Sprintf("%g-%g", b.Hertz[0], b.Hertz[1]))
		}
	}
	q.Set("never", whose(never, len(w.Fans)))
	q.Set("own", whose(own, len(w.Fans)))
	for _, r := range w.Requesters {
		gives := string(r.Gives)
		if r.Inverted {
			gives = "inverted"
		}
		asks := "high"
		if len(w.Speeds) == 2 && string(r.Asks) == w.Speeds[0] {
			asks = "low"
		}
		q["name"], q["gives"], q["asks"] = append(q["name"], r.Name), append(q["gives"], gives), append(q["asks"], asks)
		for key, v := range map[string]float64{"limit": r.Limit, "closes": r.Closes, "opens": r.Opens} {
			text := ""
			if v != 0 {
				text = strconv.FormatFloat(v, 'g', 6, 64)
			}
			q[key] = append(q[key], text)
		}
		if r.Gives == rewire.Pulses {
			figure("pulses", r.Hertz)
		}
	}
	for name, text := range w.Runs {
		q.Set(strings.ReplaceAll(name, " ", "-"), strings.TrimSuffix(text, "m"))
	}
	return q, lostIn(w, q)
}

// whose says of how many of all fans something is said.
func whose(n, all int) string {
	switch n {
	case 0:
		return ""
	case all:
		return "all"
	}
	return "first"
}

// lostIn is what a wish says and the form does not: the two are read, completed and compared line by line, names of fans and speeds
// aside.
func lostIn(w *rewire.Wish, q url.Values) []string {
	f := formFrom(q)
	back, err := f.wish()
	if err != nil {
		return []string{err.Error()}
	}
	plain := func(w *rewire.Wish) []string {
		with := *w
		with.Fans = slices.Clone(w.Fans)
		for i := range with.Fans {
			with.Fans[i].Name, with.Fans[i].Points = "", nil // what they fit is in the amps
		}
		with.Speeds, with.Supply.Running = nil, math.Round(10*with.Supply.Running)/10
		with.Runs = map[string]string{}
		for name, text := range w.Runs {
			if m, err := units.Metres(text); err == nil {
				with.Runs[name] = fmt.Sprintf("%.3g m", m)
			}
		}
		with.Requesters = slices.Clone(w.Requesters)
		for i := range with.Requesters {
			with.Requesters[i].Asks = rewire.Asked(strconv.Itoa(slices.Index(w.Speeds, string(with.Requesters[i].Asks))))
		}
		text, err := yaml.Marshal(&with)
		if err != nil {
			return []string{err.Error()}
		}
		return strings.Split(string(text), "\n")
	}
	has := plain(back)
	var lost []string
	for _, line := range plain(w) {
		if !slices.Contains(has, line) {
			lost = append(lost, harness.Clipped(strings.TrimSpace(line), 40))
		}
	}
	return lost
}

// formFrom reads the form out of a query that was made here.
func formFrom(q url.Values) wishForm {
	c := &gin.Context{Request: &http.Request{URL: &url.URL{RawQuery: q.Encode()}}}
	f, _, err := formOf(c)
	if err != nil {
		return sensible()
	}
	return f
}

// choices of the form's further fields.
var (
	openLines = []room.Choice{{Value: "", Label: "as it is drawn"}, {Value: "runs", Label: "the fans run"}, {Value: "stops",
		Label: "the fans stop"}}
	protections = []room.Choice{{Value: "fuses", Label: "fuses"}, {Value: "breakers", Label: "breakers"}}
	insulations = []room.Choice{{Value: "105", Label: "105 °C"}, {Value: "125", Label: "125 °C"}, {Value: "150", Label: "150 °C"}}
	ofWhich     = []room.Choice{{Value: "", Label: "no fan"}, {Value: "first", Label: "the first fan"}, {Value: "all", Label: "every fan"}}
	levels      = []room.Choice{{Value: "low", Label: "the low part"}, {Value: "high", Label: "the high part"}}
)

// More are the choices that the form offers beyond the usual ones.
func (p *wishPage) More() map[string][]room.Choice {
	return map[string][]room.Choice{"open-line": openLines, "protection": protections, "insulation": insulations, "of-which": ofWhich,
		"level": levels, "own-open": openLines[1:]}
}

// Numbers are how many fans there may be.
func (p *wishPage) Numbers() []string { return []string{"1", "2", "3", "4"} }
