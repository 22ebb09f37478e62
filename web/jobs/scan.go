package jobs

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/core/units"
	"ironthread/scan"
	"ironthread/scan/describe"
	"ironthread/scan/uds"
	"ironthread/web/drawing"
	"ironthread/web/room"
)

// Known is a vehicle that is known to answer, as a simulated one does.
type Known struct {
	Name    string
	Harness string // its data description is that of a simulated vehicle with this harness
	Address string
	Meter   string
}

// scanPage is the link to the vehicle: what it is, its values, its codes, what is commanded, and what came of it.
type scanPage struct {
	jobSide
	Known   []Known
	Address string
	Watch   *scan.Watch
	Rows    []commandRow
	Table   bool
	Codes   []codeLine
	Asked   bool
	Live    *livePart
	Keys    []string // what outputs ask for, and whether it can be made here
	Outputs []string // in their order
	Others  []string // relays that follow another command than they are drawn for
	Meter   string   // the name of the meter that is connected
	ClampAt string   // where its clamp was last put
	MeterAt string   // an address that is known to answer
	Holder  string   // who commands the same vehicle from another page
	Found   []foundVehicle
	Looked  string // where was asked who is there
	Doubt   *doubt // a command that is not given yet
}

// foundVehicle is who answers on a network.
type foundVehicle struct{ Address, VIN string }

// doubt is a command whose conditions are not met.
type doubt struct {
	State, Hold string
	Leave       []string
	Unmet       []string
}

// codeLine is a stored code and what it says about this circuit.
type codeLine struct {
	Name, Failure, Status, Says string
	Beside                      string // what was kept beside it
	Now                         bool
}

// livePart is what is read anew every moment.
type livePart struct {
	JobID    int64
	Values   []liveValue
	Plot     *drawing.Plot
	Held     string
	Age      string
	Left     string
	Lost     string
	Loose    string // control that may not have been given back
	Expected []liveFan
	Preface  []condition
	Ready    []readiness
	Outputs  []liveOutput
	Truck    bool
	Fan      string   // the state of a truck's fan drive
	Active   []string // a truck's active codes
	Heard    bool
}

// liveOutput is one output: what it was told, for how long that holds, and what its control unit said.
type liveOutput struct{ Name, Told, Left, Says string }

// liveValue is a value as it is now; Stale is how long nobody has answered for it.
type liveValue struct{ Label, Figure, Unit, Stale string }

type liveFan struct{ Name, Label, Word string }

// readiness is one condition of a command, met or not.
type readiness struct {
	Text string
	Met  bool
}

// plotted is how far back the plot of the coolant goes, seconds.
const plotted = 300

func (a *Jobs) scan(c *gin.Context) {
	if j, ok := a.open(c); ok {
		a.showScan(c, j, http.StatusOK, "")
	}
}

func (a *Jobs) showScan(c *gin.Context, j *jobAt, status int, wrong string) {
	a.scanWith(c, j, status, wrong, nil)
}

// scanWith is the page with something more on it.
func (a *Jobs) scanWith(c *gin.Context, j *jobAt, status int, wrong string, more func(*scanPage)) {
	p := scanPage{jobSide: a.side(c, j, "scan"), Watch: a.watches.Of(j.ID)}
	if wrong != "" {
		p.Notice, p.Bad = wrong, true
	}
	for _, k := range a.Simulated {
		if k.Harness == j.Sheet {
			if j.state.Drill != nil { // it has a vehicle of its own
				continue
			}
			p.Known = append(p.Known, k)
			p.Address, p.MeterAt = firstOf(p.Address, k.Address), firstOf(p.MeterAt, k.Meter)
		}
	}
	if m := a.watches.Meter(j.ID); m != nil {
		p.Meter, p.ClampAt = m.Name(), room.Clip(c.Query("clamp"), room.MaxWho)
	}
	if p.Watch != nil && p.Watch.Truck != nil {
		p.Live = a.live(j)
	}
	if p.Watch != nil && p.Watch.Vehicle != nil {
		kit, _ := room.KitOf(c)
		p.Rows = j.commands(kit).Rows
		codes, asked := p.Watch.Codes()
		p.Asked = asked
		for _, code := range codes {
			p.Codes = append(p.Codes, codeLine{code.Name(), code.Failure(), code.StatusWords(), codeSays(j.file.Drawn, code.Name()),
				p.Watch.Beside(code).Words(), code.Status&uds.FailsNow != 0})
		}
		p.Live = a.live(j)
		p.Holder = a.holder(j, p.Watch)
		p.Others = otherwise(j)
		for _, name := range p.Watch.Data.InOrder() {
			p.Outputs = append(p.Outputs, name)
			if s := p.Watch.Data.Outputs[name].Security; s != nil {
				words := fmt.Sprintf("%s asks for the key %q: ", name, s.Key)
				if path, set := a.keyNames[s.Key]; set {
					words += fmt.Sprintf("the program %s is run for it when %s is commanded", path, name)
				} else {
					words += "nobody has set a program for it on this machine (--key-program), so that it cannot be commanded"
				}
				p.Keys = append(p.Keys, words)
			}
		}
	}
	if more != nil {
		more(&p)
	}
	a.Render(c, status, "scan.html", p)
}

// codeSays is what a code of SAE J2012 says about a fan circuit (names from memory).
func codeSays(c *harness.Circuit, code string) string {
	words := map[string]string{
		"P0480": "fan 1 control circuit: coil, its line or the driver", "P0481": "fan 2 control circuit: coil, its line or the driver",
		"P0482": "fan 3 control circuit: coil, its line or the driver", "P0483": "fan rationality: what was commanded did not follow",
		"P0484": "fan over-current", "P0485": "fan power or ground", "P0691": "fan 1 control low", "P0692": "fan 1 control high",
		"P0693": "fan 2 control low", "P0694": "fan 2 control high", "P0495": "fan speed high", "P0526": "fan speed sensor",
		"P0117": "coolant sensor low: shorted, or believed very hot", "P0118": "coolant sensor high: open, or believed very cold",
		"P0217": "engine over-temperature",
	}[code]
	if words == "" {
		return "not about the fans"
	}
	if strings.HasPrefix(words, "fan") && strings.Contains(words, "control circuit") && len(c.Commands()) > 0 {
		words += ". The controller sees the coil side only: contacts, fuses, motor and ground set no code"
	}
	return words
}

// connect lays the link. Its data description is the vehicle's own file, or that of a simulated vehicle.
func (a *Jobs) connect(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	refuse := func(err error) { a.showScan(c, j, http.StatusUnprocessableEntity, room.Sentence(err)) }
	address := strings.TrimSpace(room.Clip(c.PostForm("address"), room.MaxText))
	data := describe.For(j.Sheet, j.file.Drawn)
	if strings.HasPrefix(address, "can:") || strings.HasPrefix(address, "socketcand://") {
		data = nil // what nearly every car gives, unless its own file is given
	}
	if text := c.PostForm("data"); strings.TrimSpace(text) != "" {
		var err error
		if data, err = describe.Read([]byte(text)); err != nil {
			refuse(err)
			return
		}
		if data.Harness != "" && data.Harness != j.Sheet {
			refuse(fmt.Errorf("the data description belongs to the harness %q, and this job goes by %q: check the model and its year",
				harness.Clipped(data.Harness, room.MaxWho), j.Sheet))
			return
		}
	}
	var err error
	if c.PostForm("drill") != "" && j.state.Drill != nil {
		_, err = a.connectDrill(c.Request.Context(), j)
	} else {
		_, err = a.watches.Begin(c.Request.Context(), j.ID, address, data)
	}
	if err != nil {
		refuse(err)
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d/scan", j.ID))
}

// leave ends it.
func (a *Jobs) leave(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	a.watches.Leave(j.ID)
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d/scan", j.ID))
}

// linked is the job's link for an action; on failure it has answered.
func (a *Jobs) linked(c *gin.Context) (*jobAt, *scan.Watch, bool) {
	j, ok := a.open(c)
	if !ok {
		return nil, nil, false
	}
	w := a.watches.Of(j.ID)
	if w == nil || w.Vehicle == nil {
		a.showScan(c, j, http.StatusUnprocessableEntity, "No vehicle is connected.")
		return nil, nil, false
	}
	return j, w, true
}

// command brings the vehicle into a state of the harness.
func (a *Jobs) command(c *gin.Context) {
	j, w, ok := a.linked(c)
	if !ok {
		return
	}
	if c.PostForm("return") == "" && c.PostForm("anyway") == "" {
		if unmet := a.unmet(c.Request.Context(), w); len(unmet) > 0 {
			a.askAgain(c, j, unmet)
			return
		}
	}
	err := func() error {
		if c.PostForm("return") != "" {
			return w.Vehicle.Return()
		}
		done, claimed := a.watches.Claim(j.ID, w, room.Who(c))
		if !claimed {
			return errors.New(firstOf(a.holder(j, w), "Another page commands it") + ": two pages do not command one vehicle; give it back " +
				"there first")
		}
		defer done()
		s, err := j.file.Drawn.FindState(c.PostForm("state"))
		if err != nil {
			return err
		}
		commands := map[string]float64{}
		for _, command := range j.file.Drawn.CommandsIn(electric.Under(s, j.state.Ledger), nil, harness.Heard{}) {
			commands[command] = 100
			if duty, known := j.file.Drawn.DutyIn(s, command, harness.Heard{}); known {
				commands[command] = duty
			}
		}
		if v := a.drillCar(j.ID); v != nil {
			if err := setUpAs(v, j.state.Ledger); err != nil {
				return err
			}
		}
		if m := a.watches.Meter(j.ID); m != nil && m.Simulated() { // a simulated vehicle is set up as the ledger says
			if err := m.SetUp(doneTo(j.state.Ledger)); err != nil {
				return err
			}
		}
		hold, err := holdOf(c)
		if err != nil {
			return err
		}
		return w.Vehicle.CommandFor(s.Name, commands, hold, c.PostFormArray("leave")...)
	}()
	if err != nil {
		a.showScan(c, j, http.StatusUnprocessableEntity, room.Sentence(err))
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d/scan", j.ID))
}

// holdOf is how long a command is to hold: the usual time where nothing is said.
func holdOf(c *gin.Context) (time.Duration, error) {
	text := strings.TrimSpace(c.PostForm("hold"))
	if text == "" {
		return scan.CommandLasts, nil
	}
	v, err := units.Figure(text)
	if err != nil || !(v >= 1 && v <= scan.CommandLastsMost.Seconds()) {
		return 0, fmt.Errorf("a command holds for 1 to %.0f s, not %q", scan.CommandLastsMost.Seconds(), harness.Clipped(text, 20))
	}
	return time.Duration(v * float64(time.Second)), nil
}

// readCodes reads the vehicle's codes, and keeps them in the job's log before anybody clears them.
func (a *Jobs) readCodes(c *gin.Context) {
	j, w, ok := a.linked(c)
	if !ok {
		return
	}
	if c.PostForm("clear") != "" {
		a.clearCodes(c, j, w)
		return
	}
	codes, err := w.ReadCodes()
	if err != nil {
		a.showScan(c, j, http.StatusUnprocessableEntity, room.Sentence(err))
		return
	}
	names := probe.Codes{}
	for _, code := range codes {
		names = append(names, code.Name())
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d/scan", j.ID), func(j *jobAt, sentence string) {
		a.showScan(c, j, http.StatusUnprocessableEntity, sentence)
	}, func(j *jobAt) ([]job.Entry, error) {
		asked := probe.Question{Do: probe.TroubleCodes, State: j.file.Drawn.States[0].Name, Setup: probe.SetupWords(j.state.Ledger)}
		entries, err := j.seen([]probe.Observation{{Question: asked, Answer: names}})
		for _, code := range codes {
			if words := w.Beside(code).Words(); err == nil && words != "" {
				entries = append(entries, job.Entry{Body: job.Note{Text: "kept beside " + code.Name() + ": " + words}})
			}
		}
		return entries, err
	})
}

// clearCodes has the codes forgotten that are in the log: nothing unread is cleared, and the log comes first.
func (a *Jobs) clearCodes(c *gin.Context, j *jobAt, w *scan.Watch) {
	refuse := func(sentence string) { a.showScan(c, j, http.StatusUnprocessableEntity, sentence) }
	kept, asked := w.Codes()
	if !asked {
		refuse("Read the codes and keep them first: nothing that was not read is cleared.")
		return
	}
	now, err := w.Vehicle.Codes()
	if err != nil {
		refuse(room.Sentence(err))
		return
	}
	for _, code := range now {
		if !slices.ContainsFunc(kept, func(k uds.Code) bool { return k.Number == code.Number }) {
			refuse(fmt.Sprintf("%s has come since the codes were read: read them and keep them again, then clear.", code.Name()))
			return
		}
	}
	a.change(c, j, fmt.Sprintf("/jobs/%d/scan", j.ID), func(_ *jobAt, sentence string) { refuse(sentence) },
		func(_ *jobAt) ([]job.Entry, error) {
			text := "fault codes cleared, after they were kept"
			if w.Data.Emissions {
				text += "; readiness and freeze frames went with them"
			}
			if err := w.Vehicle.ClearCodes(); err != nil {
				return nil, refusedFor(err)
			}
			return []job.Entry{{Body: job.Note{Text: text}}}, nil
		})
}

// liveNow is what is read anew: a fragment that the page asks for again and again.
func (a *Jobs) liveNow(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	live := a.live(j)
	if live == nil {
		live = &livePart{JobID: j.ID, Lost: "The connection to the vehicle has ended; nothing is commanded any more."}
		if loose := a.watches.Ended(j.ID); loose != nil {
			live.Lost = "The connection to the vehicle has ended: " + loose.Error() + "."
		}
	}
	a.Part(c, http.StatusOK, "scan.html", "live", live)
}

// live words the link as it is now; nil where there is none.
func (a *Jobs) live(j *jobAt) *livePart {
	w := a.watches.Of(j.ID)
	if w != nil && w.Truck != nil {
		return liveTruck(j, w)
	}
	if w == nil || w.Vehicle == nil {
		return nil
	}
	p := &livePart{JobID: j.ID}
	if loose := w.Vehicle.MayRun(); loose != nil {
		p.Loose = room.Sentence(loose)
	}
	points := w.Points()
	held, at, until := w.Vehicle.Held()
	if held != "" {
		p.Held = held
		p.Age = fmt.Sprintf("%.0f s", time.Since(at).Seconds())
		p.Left = fmt.Sprintf("%.0f s", max(0, time.Until(until).Seconds()))
	}
	for _, x := range w.Vehicle.Outputs() {
		row := liveOutput{Name: x.Name, Says: x.Says, Told: told(x, w.Data.Outputs[x.Name].Percent)}
		if held != "" && !x.At.IsZero() && !x.Given {
			row.Left = p.Left
		}
		p.Outputs = append(p.Outputs, row)
	}
	if len(points) == 0 {
		return p
	}
	last := points[len(points)-1]
	for _, name := range w.Vehicle.Names() {
		v, there := last.Values[name]
		stale := ""
		for i := len(points) - 1; i >= 0 && !there && slices.Contains(points[i].Stale, name); i-- {
			if i > 0 {
				v, there = points[i-1].Values[name]
				stale = fmt.Sprintf("%.0f s", last.Seconds-points[i-1].Seconds)
			}
		}
		if !there {
			continue
		}
		described := w.Data.Values[name]
		figure := fmt.Sprintf("%.*f", decimals(described), v)
		if described.Unit == "" && described.Bytes == 1 && v <= 1 { // a switch
			figure = map[bool]string{true: "on", false: "off"}[v == 1]
		}
		p.Values = append(p.Values, liveValue{firstOf(described.Label, name), figure, described.Unit, stale})
	}
	p.Ready = ready(last.Values)
	if held != "" {
		p.Expected = a.expects(j, held, last.Values)
	}
	p.Plot = plotOf(points)
	return p
}

// told is what an output was told last, in a word.
func told(x scan.OutputState, percent bool) string {
	switch {
	case x.At.IsZero():
		return "nothing"
	case x.Given:
		return "to be its own again"
	case x.Duty <= 0:
		return "off"
	case percent:
		return fmt.Sprintf("%.0f %%", x.Duty)
	}
	return "on"
}

func decimals(v describe.Value) int {
	if v.Scale > 0 && v.Scale < 1 {
		return 1
	}
	return 0
}

// ready lists the conditions of a command that the vehicle's own values tell.
func ready(values map[string]float64) []readiness {
	var list []readiness
	if v, ok := values[describe.Speed]; ok {
		list = append(list, readiness{"stationary", v < 1})
	}
	if v, ok := values[describe.Coolant]; ok {
		list = append(list, readiness{"coolant below 115 °C", v < 115})
	}
	if v, ok := values[describe.AC]; ok {
		list = append(list, readiness{"A/C off", v == 0})
	}
	if v, ok := values[describe.Supply]; ok {
		list = append(list, readiness{"supply above 11 V", v > 11})
	}
	return list
}

// expects is what each fan should do in the state commanded, with the set-up as it is and the vehicle as it stands.
func (a *Jobs) expects(j *jobAt, state string, values map[string]float64) []liveFan {
	s := j.file.Drawn.State(state)
	if s == nil {
		return nil
	}
	now := *s
	if v, ok := values[describe.Supply]; ok && v > 13 {
		now.Running = true
	}
	point, err := j.file.Model.Solve(electric.Condition{State: &now, Setup: j.state.Ledger})
	if err != nil {
		return nil
	}
	var list []liveFan
	for _, fan := range j.file.Drawn.Fans() {
		list = append(list, liveFan{fan.Name, fan.Label, string(point.Motors[fan.Name].Speed)})
	}
	return list
}

// plotOf draws the coolant with the moments at which the command changed; nil before there is a line.
func plotOf(points []scan.Point) *drawing.Plot {
	if len(points) < 2 {
		return nil
	}
	to := points[len(points)-1].Seconds
	from := max(points[0].Seconds, to-plotted)
	line := drawing.PlotLine{}
	plot := &drawing.Plot{Title: "Coolant", Unit: "°C", From: from, To: max(to, from+10)}
	before := ""
	for _, at := range points {
		v, ok := at.Values[describe.Coolant]
		if at.Seconds < from || !ok {
			before = at.Command
			continue
		}
		line.Seconds, line.Values = append(line.Seconds, at.Seconds), append(line.Values, v)
		if at.Command != before {
			word := at.Command
			if word == "" {
				word = "given back"
			}
			plot.Marks = append(plot.Marks, drawing.PlotMark{At: at.Seconds, Text: word})
			before = at.Command
		}
	}
	if len(line.Values) < 2 {
		return nil
	}
	plot.Lines = []drawing.PlotLine{line}
	return plot
}

// recordSeen writes what was seen while a state was commanded: each fan's word, relays felt, volts at one pin; one command,
// many observations, one Record.
func (a *Jobs) recordSeen(c *gin.Context) {
	j, w, ok := a.linked(c)
	if !ok {
		return
	}
	held, _, _ := w.Vehicle.Held()
	show := func(j *jobAt, sentence string) { a.showScan(c, j, http.StatusUnprocessableEntity, sentence) }
	a.change(c, j, fmt.Sprintf("/jobs/%d/scan?recorded=1", j.ID), show, func(j *jobAt) ([]job.Entry, error) {
		state := firstOf(c.PostForm("state"), held)
		if j.file.Drawn.State(state) == nil {
			return nil, refused("Nothing is commanded now: command a state, look, then record.")
		}
		list, err := seenIn(c, j, state)
		if err != nil {
			return nil, refusedFor(err)
		}
		return j.seen(list)
	})
}

// seenIn reads what was seen in a state from the form.
func seenIn(c *gin.Context, j *jobAt, state string) ([]probe.Observation, error) {
	setup := probe.SetupWords(j.state.Ledger)
	var list []probe.Observation
	fans := map[string]string{}
	for k, fan := range j.file.Drawn.Fans() {
		if word := firstOf(c.PostForm(fmt.Sprintf("other-s-%d", k)), c.PostForm(fmt.Sprintf("fan-s-%d", k))); word != "" {
			fans[fan.Name] = word
		}
	}
	if len(fans) > 0 {
		list = append(list, probe.Seen(state, fans, setup...))
	}
	for _, relay := range j.file.Drawn.OfKind(harness.KindRelay) {
		if word := c.PostForm("relay-" + relay.Name); word != "" {
			list = append(list, probe.Observation{Question: probe.Question{Do: probe.Relay, State: state, Setup: setup, Part: relay.Name},
				Answer: probe.Word(word)})
		}
	}
	if typed := strings.TrimSpace(c.PostForm("volts")); typed != "" {
		o, err := probe.Question{Do: probe.Volts, State: state, Setup: setup, At: c.PostForm("pin")}.Answered(typed)
		if err != nil {
			return nil, err
		}
		list = append(list, o)
	}
	if len(list) == 0 {
		return nil, errors.New("say what a fan did, what a relay did, or what the meter reads")
	}
	return list, nil
}

// Cells are the fans of the form beside the command.
func (p scanPage) Cells() []commandCell {
	var cells []commandCell
	for k, fan := range p.drawn.Fans() {
		cells = append(cells, commandCell{Field: fmt.Sprintf("fan-s-%d", k), Other: fmt.Sprintf("other-s-%d", k), Fan: fan.Name,
			Label: fan.Label})
	}
	return cells
}

// Relays and Pins are what else can be seen while it is commanded.
func (p scanPage) Relays() []*harness.Part { return p.drawn.OfKind(harness.KindRelay) }

// Pins lists where the meter may lie.
func (p scanPage) Pins() []string {
	var names []string
	for _, part := range p.drawn.Parts {
		for _, pin := range part.Pins() {
			names = append(names, pin.String())
		}
	}
	return slices.Compact(names)
}

// Unplugged names fans that are not in their place: a run without them proves nothing of their load.
func (p scanPage) Unplugged() []string {
	var list []string
	for _, a := range p.State.Ledger {
		if a.Verb == electric.Unplugged {
			list = append(list, a.Part)
		}
	}
	return list
}
