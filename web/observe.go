package web

import (
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
)

// Tests a technician may choose for themselves: with leads, and of a part.
var (
	leadTests = []choice{
		{Value: string(probe.Volts), Label: "Volts"}, {Value: string(probe.Lamp), Label: "Test lamp"},
		{Value: "heavy", Label: "Heavy test lamp"}, {Value: string(probe.LED), Label: "LED tester"},
		{Value: string(probe.Amps), Label: "Clamp, amps"}, {Value: string(probe.Ohms), Label: "Ohms (power off)"},
	}
	partTests = []choice{
		{Value: string(probe.Relay), Label: "Relay felt or heard"}, {Value: "swap", Label: "Relay swapped with its neighbour, then a look"},
		{Value: "bridge", Label: "Relay out, 30–87 bridged fused, then a look"},
		{Value: "coil", Label: "Relay on the bench: coil"}, {Value: "make", Label: "Relay on the bench: 30–87 energised"},
		{Value: "welded", Label: "Relay on the bench: 30–87 at rest"}, {Value: "rest", Label: "Relay on the bench: 30–87a at rest"},
		{Value: "curve", Label: "Sensor unplugged: ohms against its curve"},
		{Value: string(probe.Turned), Label: "Fan turned by hand (unplugged)"}, {Value: "direct", Label: "Fan fed directly (unplugged)"},
		{Value: string(probe.Looked), Label: "Looked at closely"}, {Value: string(probe.Wiggled), Label: "Tapped and wiggled"},
	}
)

// ownTest is the test a technician chose, from the page's address.
func ownTest(c *harness.Circuit, state *harness.State, ledger []electric.Action, q url.Values) (probe.Test, error) {
	t := probe.Test{Do: probe.Do(q.Get("do")), State: state, Setup: ledger, Part: q.Get("part")}
	if q.Get("as") == "move" {
		return wholeTest(c, state, q)
	}
	if q.Get("look") != "" {
		t.Do = probe.LookAtFans
		return t, nil
	}
	if t.Do == probe.Codes {
		return t, nil
	}
	if t.Part != "" {
		return partTest(c, t)
	}
	switch {
	case q.Get("do") == "":
		t.Do = probe.Volts
	case q.Get("do") == "heavy":
		t.Do, t.With = probe.Lamp, "heavy"
	}
	if !slices.Contains([]probe.Do{probe.Volts, probe.Lamp, probe.LED, probe.Amps, probe.Ohms}, t.Do) {
		return t, fmt.Errorf("there is no test %q", q.Get("do"))
	}
	var err error
	if t.At, err = c.FindPin(q.Get("pin")); err != nil {
		return t, err
	}
	if from := q.Get("from"); from != "" && t.Do != probe.Amps {
		if t.From, err = c.FindPin(from); err != nil {
			return t, err
		}
	}
	if t.At.Inner && t.Do != probe.Ohms {
		return t, fmt.Errorf("%s are read at the cavity; choose %s", t.Do, t.At.Cavity())
	}
	if t.Do == probe.Ohms && t.From.Part == "" {
		return t, errors.New("ohms need a second pin")
	}
	if t.Do == probe.Ohms && !t.At.Inner && !t.From.Inner {
		t.Setup = probe.PowerOff(c, ledger)
	}
	return t, nil
}

// wholeTest is a test with a set-up of its own, all of it in the address.
func wholeTest(c *harness.Circuit, state *harness.State, q url.Values) (probe.Test, error) {
	do := probe.Do(q.Get("do"))
	o := probe.Observation{
		State: state.Name, Setup: q["setup"], At: q.Get("pin"), From: q.Get("from"), With: q.Get("with"),
		Bench: q.Get("bench"), Between: q["between"], Energised: q.Get("energised") != "",
	}
	o.Stand(do)
	o.About(do, q.Get("part"))
	if do == probe.LookAtFans {
		setup, err := electric.ParseSetup(c, o.Setup)
		return probe.Test{Do: do, State: state, Setup: setup}, err
	}
	return o.Test(c)
}

// partTest is a test of one part; some of them are looks with a set-up of their own.
func partTest(c *harness.Circuit, t probe.Test) (probe.Test, error) {
	part := c.Part(t.Part)
	if part == nil {
		return t, fmt.Errorf("there is no part %s", t.Part)
	}
	want := string(t.Do)
	for _, made := range append([]probe.Test{
		{Do: probe.Looked, State: t.State, Setup: t.Setup, Part: t.Part}, {Do: probe.Wiggled, State: t.State, Setup: t.Setup, Part: t.Part},
	}, probe.Around(c, t.Setup, part)...) {
		if partWord(c, made) == want && (made.State == t.State || !needsState(c, made)) {
			return made, nil
		}
	}
	return t, fmt.Errorf("this cannot be done with %s now (%s)", t.Part, part.Kind())
}

func needsState(c *harness.Circuit, t probe.Test) bool {
	return t.Do == probe.Relay || slices.Contains([]string{"swap", "bridge", "curve"}, partWord(c, t))
}

// partWord names a test of a part as the list of partTests does.
func partWord(c *harness.Circuit, t probe.Test) string {
	has := func(v electric.Verb) bool {
		return slices.ContainsFunc(t.Setup, func(a electric.Action) bool { return a.Verb == v })
	}
	switch t.Do {
	case probe.LookAtFans:
		switch {
		case has(electric.Pack):
			return "direct"
		case has(electric.Jumper):
			return "bridge"
		case has(electric.Swapped):
			return "swap"
		}
	case probe.Ohms:
		switch {
		case c.Part(t.At.Part).Kind() == harness.KindSensor:
			return "curve"
		case t.At.Name == "86":
			return "coil"
		case t.From.Name == "87a":
			return "rest"
		case has(electric.Pack):
			return "make"
		}
		return "welded"
	}
	return string(t.Do)
}

// readObservation reads what was seen from the page's form.
func readObservation(c *gin.Context, circuit *harness.Circuit) (probe.Observation, error) {
	do := probe.Do(c.PostForm("do"))
	o := probe.Observation{
		State: c.PostForm("state"), Setup: c.PostFormArray("setup"), At: c.PostForm("at"), From: c.PostForm("from"),
		With: c.PostForm("with"), Bench: c.PostForm("bench"), Between: c.PostFormArray("between"), Energised: c.PostForm("energised") != "",
	}
	if c.PostForm("unreachable") != "" && o.At != "" {
		return probe.Observation{State: o.State, Setup: o.Setup, At: o.At, Unreachable: true}, nil
	}
	part, word := c.PostForm("part"), c.PostForm("word")
	reading := c.PostForm("reading")
	var err error
	figure := func(u probe.Unit) *probe.Reading {
		var r probe.Reading
		r, err = u.Parse(reading)
		return &r
	}
	switch do {
	case probe.LookAtFans:
		o.Fans = map[string]string{}
		for _, fan := range circuit.Fans() {
			if word := c.PostForm("fan-" + fan.Name); word != "" {
				o.Fans[fan.Name] = word
			}
		}
		if len(o.Fans) == 0 {
			return o, errors.New("say what at least one fan did")
		}
	case probe.Volts:
		o.Volts = figure(probe.InVolts)
	case probe.Amps:
		o.Amps = figure(probe.InAmps)
	case probe.Ohms:
		o.Ohms = figure(probe.InOhms)
	case probe.Codes:
		o.Codes, err = readCodes(reading)
	case probe.Lamp, probe.LED, probe.Relay, probe.Turned, probe.Looked, probe.Wiggled:
		if word == "" {
			return o, errors.New("choose what was seen, then record it")
		}
		o.Say(do, word)
	default:
		return o, errors.New("it is not clear what was read; choose a test and record it again")
	}
	o.About(do, part)
	return o, err
}

var codeForm = regexp.MustCompile(`^[PCBU][0-9A-F]{4}$`)

// readCodes reads a list of fault codes as people type it; "none" is an answer, nothing typed is not.
func readCodes(text string) (*[]string, error) {
	codes := []string{}
	if strings.TrimSpace(text) == "" {
		return nil, errors.New("type the codes, as P0480, several with commas; or none, which is an answer too")
	}
	for _, word := range strings.FieldsFunc(strings.ToUpper(text), func(r rune) bool { return r == ',' || r == ' ' || r == ';' }) {
		switch {
		case word == "NONE":
		case codeForm.MatchString(word):
			codes = append(codes, word)
		default:
			return nil, fmt.Errorf("%q is no fault code; type it as P0480, several with commas, or none", harness.Clipped(word, 30))
		}
	}
	return &codes, nil
}

// record writes what was seen or read. What the set-up of the test differs from the ledger
// by is entered first: the reading was taken with it.
func (a *App) record(c *gin.Context) {
	a.write(c, func(j *jobAt) ([]job.Entry, error) {
		o, err := readObservation(c, j.bench.circuit)
		if err != nil {
			return nil, refusedFor(err)
		}
		test, err := o.Test(j.bench.circuit)
		if err == nil && o.Unreachable {
			return []job.Entry{{Kind: job.Seen, Body: job.Body{Seen: &o}}}, nil
		}
		if err == nil {
			_, err = j.bench.model.Network(test.Setup, nil)
		}
		if err != nil {
			return nil, refusedFor(err)
		}
		good := j.bench.guide.Healthy(test)
		entries := ledgerEntries(j.state.Ledger, test.OnTheCar())
		return append(entries, job.Entry{Kind: job.Seen, Body: job.Body{Seen: &o, Good: &good}}), nil
	})
}
