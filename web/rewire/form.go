package rewire

import (
	"fmt"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/rewire"
	"ironthread/core/units"
	"ironthread/web/room"
)

// wishForm is the wish as a page asks for it. Figures are texts, so that what cannot be read is said and stays.
type wishForm struct {
	Title     string `form:"title" says:"the title" binding:"max=80"`
	Volts     string `form:"volts"`
	Fans      string `form:"fans"`
	Amps      string `form:"amps"`
	Inrush    string `form:"inrush"`
	Half      string `form:"half"`
	Points    string `form:"points" says:"the clamp's readings" binding:"max=200"`
	OtherAmps string `form:"other-amps"`
	OtherRush string `form:"other-inrush"`
	OtherHalf string `form:"other-half"`
	Third     string `form:"third-amps"`
	Fourth    string `form:"fourth-amps"`
	Never     string `form:"never"` // never alone: the first fan, all
	Own       string `form:"own"`   // electronics of its own: the first fan, all
	OwnOpen   string `form:"own-open"`
	OwnLevel  string `form:"own-level"`
	OwnHertz  string `form:"own-hertz"`
	OwnRunOn  string `form:"own-run-on"`
	Speeds    string `form:"speeds"`

	Name  []string `form:"name"`
	Gives []string `form:"gives"`
	Asks  []string `form:"asks"`
	Limit []string `form:"limit"`

	Closes []string `form:"closes"`
	Opens  []string `form:"opens"`

	ToBox, ToFans, ToController, ToGround string // lengths, by their own names in the address

	Heat    string `form:"heat"`
	Drop    string `form:"drop"`
	Budget  string `form:"budget"`
	Make    string `form:"make"`
	Rest    string `form:"rest"`
	Coil    string `form:"coil"`
	Across  string `form:"across"`
	Cathode string `form:"cathode"`
	Module  string `form:"module"`
	Hertz   string `form:"hertz"`
	Gauge   string `form:"gauge"`

	Pulses     string `form:"pulses"` // Hz of the line that pulses
	OpenLine   string `form:"open-line"`
	RunOn      string `form:"run-on"`
	Protection string `form:"protection"`
	Insulation string `form:"insulation"`
	Battery    string `form:"battery"`
	Poles      string `form:"poles"`
	HasRelays  string `form:"has-relays"` // on the shelf
	HasFuses   string `form:"has-fuses"`
	HasWires   string `form:"has-wires"`

	Keep string `form:"keep" says:"the harness that is there" binding:"max=80"`
}

// rows is how many requesters a form takes; it shows those that have a name and some empty ones.
const (
	rows      = 10
	emptyRows = 2
	leastRows = 4
)

// gives are what a requester's line can do, as a form asks it.
var gives = []room.Choice{
	{Value: "ground", Label: "output: closes to ground"},
	{Value: "inverted", Label: "output: closes to ground to keep the fans off"},
	{Value: "supply", Label: "line that becomes hot (A/C clutch)"},
	{Value: "pwm", Label: "output: pulses"},
	{Value: "switch", Label: "thermal switch in the coolant"},
	{Value: "pressure", Label: "pressure switch of the A/C"},
	{Value: "toggle", Label: "switch by hand: fans on"},
	{Value: "add-on", Label: "electronic controller of its own"},
	{Value: "kill", Label: "switch by hand: fans never"},
}

var halves = []room.Choice{
	{Value: "unknown", Label: "nobody knows"}, {Value: "ok", Label: "it runs"}, {Value: "no", Label: "it stalls"},
}

// sensible answers to begin from; every figure invented or common practice.
func sensible() wishForm {
	return wishForm{
		Title: "Rewired fans", Volts: "12", Fans: "2", Amps: "14", Half: "unknown", OtherHalf: "unknown", Speeds: "2",
		Name: []string{"fan low", "fan high"}, Gives: []string{"ground", "ground"}, Asks: []string{"low", "high"}, Limit: []string{"", ""},
		ToBox: "1.2", ToFans: "1.1", ToController: "2", ToGround: "0.6", Heat: "85", Drop: "0.5", Rest: "20", Across: "resistor",
		Cathode: "86", Gauge: string(rewire.EachRun),
	}
}

// lengths are the runs that a form asks for, with the names that the wish's file gives them.
func (f *wishForm) lengths() map[string]*string {
	return map[string]*string{
		"battery to box": &f.ToBox, "box to fans": &f.ToFans, "box to controller": &f.ToController, "fans to ground": &f.ToGround,
	}
}

// formOf reads the form out of an address; asked tells whether there is one.
func formOf(c *gin.Context) (f wishForm, asked bool, err error) {
	if c.Query("fans") == "" {
		f = sensible()
		for key, into := range map[string]*string{"amps": &f.Amps, "inrush": &f.Inrush, "other-amps": &f.OtherAmps, "volts": &f.Volts,
			"points": &f.Points, "title": &f.Title} { // what a sheet of the bench brings along
			if value := c.Query(key); value != "" {
				*into = room.Clip(value, room.MaxTitle)
			}
		}
		return f, false, nil
	}
	err = room.Bind(c, &f)
	for name, to := range f.lengths() {
		*to = room.Clip(strings.TrimSpace(c.Query(strings.ReplaceAll(name, " ", "-"))), 12)
	}
	for _, list := range []*[]string{&f.Name, &f.Gives, &f.Asks, &f.Limit, &f.Closes, &f.Opens} {
		*list = (*list)[:min(len(*list), rows)]
	}
	return f, true, err
}

// row is one requester of the form.
type row struct{ Name, Gives, Asks, Limit, Closes, Opens string }

// Rows are the requesters, with some empty rows after them.
func (f wishForm) Rows() []row {
	named := 0
	for i, name := range f.Name {
		if strings.TrimSpace(name) != "" {
			named = i + 1
		}
	}
	list := make([]row, min(max(named+emptyRows, leastRows), rows))
	at := func(from []string, i int) string {
		if i < len(from) {
			return strings.TrimSpace(from[i])
		}
		return ""
	}
	for i := range list {
		list[i] = row{at(f.Name, i), at(f.Gives, i), at(f.Asks, i), at(f.Limit, i), at(f.Closes, i), at(f.Opens, i)}
	}
	return list
}

// figure reads a text as a figure: empty is nought, a comma counts as a point.
func figure(what, text string) (float64, error) {
	if strings.TrimSpace(text) == "" {
		return 0, nil
	}
	v, err := units.Figure(text)
	if err != nil {
		return 0, fmt.Errorf("%s: %q is no figure", what, harness.Clipped(text, 20))
	}
	return v, nil
}

// wish makes the wish of the form. The error is a sentence.
func (f wishForm) wish() (*rewire.Wish, error) {
	w := &rewire.Wish{Plan: 1, Title: f.Title, Speeds: []string{"low", "high"}, Runs: map[string]string{}, Gauge: rewire.Gauge(f.Gauge),
		Keep: f.Keep}
	var wrong error
	read := func(into *float64, what, text string) {
		v, err := figure(what, text)
		if err != nil && wrong == nil {
			wrong = err
		}
		*into = v
	}
	w.Supply.Off = 12.6
	if f.Volts == "24" {
		w.Supply.Off = 25.2
	}
	if f.Speeds == "1" {
		w.Speeds = []string{"high"}
	}
	fan, err := f.fans(w, read)
	if err != nil && wrong == nil {
		wrong = err
	}
	f.moreFans(w, fan, read)
	f.moreWishes(w, read)
	f.requesters(w, read)
	for name, text := range f.lengths() {
		if *text == "" {
			continue
		}
		words := strings.ReplaceAll(*text, ",", ".")
		if _, err := units.Figure(words); err == nil {
			words += "m"
		}
		w.Runs[name] = words
	}
	if err := f.limits(w, read); err != nil {
		wrong = err
	}
	f.shelf(w, read)
	if wrong != nil {
		return nil, wrong
	}
	return w, w.Complete()
}

// reader reads a figure; what is its name in a sentence.
type reader func(into *float64, what, text string)

// fans reads the first two; the first is given back.
func (f wishForm) fans(w *rewire.Wish, read reader) (rewire.Fan, error) {
	fan := rewire.Fan{Name: "first fan", HalfVolts: rewire.HalfVolts(f.Half)}
	read(&fan.Amps, "the first fan's amps", f.Amps)
	read(&fan.Inrush, "the first fan's inrush", f.Inrush)
	points, err := pointsOf(f.Points)
	fan.Points = points
	w.Fans = append(w.Fans, fan)
	if f.Fans != "1" {
		other := rewire.Fan{Name: "second fan", HalfVolts: rewire.HalfVolts(f.OtherHalf)}
		read(&other.Amps, "the second fan's amps", f.OtherAmps)
		read(&other.Inrush, "the second fan's inrush", f.OtherRush)
		if other.Amps == 0 { // of the same type as the first
			name, half := other.Name, other.HalfVolts
			other = fan
			if other.Name = name; half == rewire.Starts || half == rewire.Stalls {
				other.HalfVolts = half
			}
		}
		w.Fans = append(w.Fans, other)
	}
	return fan, err
}

// requesters reads who asks for the speeds.
func (f wishForm) requesters(w *rewire.Wish, read reader) {
	for i, r := range f.Rows() {
		if r.Name == "" {
			continue
		}
		q := rewire.Requester{Name: r.Name, Gives: rewire.Gives(r.Gives), Asks: rewire.Asked(r.Asks)}
		if r.Gives == "inverted" {
			q.Gives, q.Inverted = rewire.Ground, true
		}
		if q.Gives == rewire.Kill {
			q.Asks = ""
		} else if f.Speeds == "1" {
			q.Asks = "high"
		}
		if q.Gives == rewire.Pulses {
			read(&q.Hertz, "what the line pulses at", f.Pulses)
		}
		read(&q.Limit, fmt.Sprintf("what requester %d can take", i+1), r.Limit)
		read(&q.Closes, fmt.Sprintf("where requester %d closes", i+1), r.Closes)
		read(&q.Opens, fmt.Sprintf("where requester %d opens", i+1), r.Opens)
		w.Requesters = append(w.Requesters, q)
	}
}

// limits reads what may be lost and spent, and what relays and a module are like.
func (f wishForm) limits(w *rewire.Wish, read reader) error {
	read(&w.Heat, "the heat under the bonnet", f.Heat)
	read(&w.Limits.Drop, "the drop", f.Drop)
	read(&w.Limits.Budget, "the budget", f.Budget)
	read(&w.Limits.RestContact, "the rest contact", f.Rest)
	read(&w.Relays.Make, "the make contact", f.Make)
	read(&w.Relays.Coil, "the coil", f.Coil)
	w.Relays.Suppression = f.Across
	if f.Across == "diode" {
		w.Relays.Cathode = f.Cathode
	}
	read(&w.Module.Amps, "the module's amps", f.Module)
	if f.Hertz != "" {
		from, to, both := strings.Cut(strings.ReplaceAll(f.Hertz, "–", "-"), "-")
		var low, high float64
		read(&low, "the module's frequency", from)
		read(&high, "the module's frequency", to)
		if !both || low >= high {
			return fmt.Errorf("the module's frequency is a range such as 100-500, not %q", harness.Clipped(f.Hertz, 20))
		}
		w.Module.Hertz = []float64{low, high}
	}
	return nil
}

// shelf reads what the workshop keeps.
func (f wishForm) shelf(w *rewire.Wish, read reader) {
	for _, kept := range []struct {
		to         *[]float64
		what, text string
	}{{&w.Shelf.Relays, "relays on the shelf", f.HasRelays}, {&w.Shelf.Fuses, "fuses on the shelf", f.HasFuses},
		{&w.Shelf.Wires, "wire on the shelf", f.HasWires}} {
		for _, word := range strings.FieldsFunc(kept.text, func(r rune) bool { return r == ' ' || r == ';' }) {
			v := 0.0
			read(&v, kept.what, strings.TrimSuffix(word, ","))
			*kept.to = append(*kept.to, v)
		}
	}
}

// pointsOf reads "6.1 V 5.0 A, 12.4 V 14 A": pairs of volts at the motor's plug and amps.
func pointsOf(text string) ([]rewire.At, error) {
	var list []rewire.At
	for _, pair := range strings.FieldsFunc(text, func(r rune) bool { return r == ';' || r == '\n' }) {
		words := strings.Fields(strings.NewReplacer("V", " ", "A", " ", ",", ".").Replace(pair))
		if len(words) == 0 {
			continue
		}
		if len(words) != 2 {
			return nil, fmt.Errorf("the clamp's readings are pairs such as \"6.1 V 5.0 A; 12.4 V 14 A\", not %q", harness.Clipped(pair, 30))
		}
		volts, err := figure("a reading's volts", words[0])
		if err != nil {
			return nil, err
		}
		amps, err := figure("a reading's amps", words[1])
		if err != nil {
			return nil, err
		}
		list = append(list, rewire.At{Volts: volts, Amps: amps})
	}
	return list, nil
}

// address is the form as a query, with a way and a state to show.
func address(c *gin.Context, change func(q url.Values)) string {
	q := url.Values{}
	for key, list := range c.Request.URL.Query() {
		q[key] = append([]string(nil), list...)
	}
	change(q)
	return q.Encode()
}
