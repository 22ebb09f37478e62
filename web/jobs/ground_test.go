package jobs_test

import (
	"context"
	"math/rand/v2"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/demo/demotest"
	"ironthread/library"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/webtest"
)

// A plug that goes back on its part takes along what rested on the part's own pins, and says so; a log of old in which only
// the plug was taken back opens all the same.
func TestWhatRestsOnAPartGoesWithIt(t *testing.T) {
	w := webtest.Open(t)
	j := w.NewJobOn("f5-two-windings", "no low")
	for _, action := range []string{"M1 unplugged", "pack M1.L' M1.C'"} {
		require.Equal(t, http.StatusSeeOther, w.Post(j+"/setup", "action", action).Code, action)
	}
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/setup", "action", "M1 unplugged", "undo", "1").Code)
	page := w.Get(j)
	require.Equal(t, http.StatusOK, page.Code)
	webtest.Says(t, page.Body.String(), "the battery pack is off M1")
	webtest.Says(t, page.Body.String(), "it rested on M1 unplugged")

	old := w.NewJobOn("f5-two-windings", "no low")
	_, err := w.Keep.Append(t.Context(), webtest.ID(t, old), 1, "", func(*store.Log) ([]job.Entry, error) {
		var list []job.Entry
		for _, e := range []job.Entry{{Body: job.Done{Action: "M1 unplugged"}},
			{Body: job.Done{Action: "pack M1.L' M1.C'"}}, {Body: job.PutBack{Action: "M1 unplugged"}}} {
			e.Who = "Oda"
			list = append(list, e)
		}
		return list, nil
	})
	require.NoError(t, err)
	for _, path := range []string{"", "/why", "/verify", "/drive", "/report", "/more", "/scan"} {
		assert.Equal(t, http.StatusOK, w.Get(old+path).Code, path)
	}
	require.Equal(t, http.StatusSeeOther, w.Post(old+"/setup", "action", "M1 unplugged").Code, "and it goes on")
}

// counting counts what pages have written.
type counting struct {
	*store.Store
	written atomic.Int64
}

func (k *counting) PutStanding(ctx context.Context, id int64, seq int, s store.Standing) error {
	k.written.Add(1)
	return k.Store.PutStanding(ctx, id, seq, s)
}

func (k *counting) Append(ctx context.Context, id int64, saw int, token string, d store.Decide) ([]job.Entry, error) {
	k.written.Add(1)
	return k.Store.Append(ctx, id, saw, token, d)
}

// What is read is not written: pages that are looked at, again and again, leave the database as it is. An entry has it
// worked out how the job stands, once.
func TestWhatIsReadIsNotWritten(t *testing.T) {
	keep := &counting{Store: demotest.Open(t)}
	app, err := web.New(keep, webtest.Options())
	require.NoError(t, err)
	t.Cleanup(app.Close)
	w := &webtest.Workshop{T: t, App: app, Handler: app.Handler(), Keep: keep.Store}
	j := w.JobNamed("Gritter 6")
	for range 2 {
		for _, path := range []string{"/", j, j + "/why", j + "/verify", j + "/report", j + "/drive", j + "?state=low"} {
			require.Equal(t, http.StatusOK, w.Get(path).Code, path)
		}
	}
	assert.Zero(t, keep.written.Load())
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/note", "text", "salt").Code)
	soak.Await(t, "the entry, and how the job stands", func() bool { return keep.written.Load() == 2 })
}

// Whatever is done to a car and taken back, in whatever order, the job's pages answer, and in the end everything can be put
// back: seeded sequences of set-up actions, undos, bench tests and strikes on each circuit of the library, with all pages of the job
// every twentieth step and at the end. In the soak a hundred sequences of two hundred steps each; in every run one, of a hundred
// steps on the circuit with most kinds of part to take off, and of twenty on the others.
func TestTheLedgerCanAlwaysBePutBack(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	entries, err := library.All()
	require.NoError(t, err)
	sequences := 1
	if soak.Whole() {
		sequences = 100
	}
	w := webtest.Open(t)
	for _, e := range entries {
		t.Run(e.Name, func(t *testing.T) {
			t.Parallel() // each on a job of its own, in the same workshop
			model, err := electric.New(e.Circuit)
			require.NoError(t, err)
			for n := range sequences {
				own := *w
				own.T = t
				at := rand.New(rand.NewPCG(uint64(n), uint64(len(e.Name))))
				steps := 20
				switch {
				case soak.Whole():
					steps = 200
				case e.Name == "f3-twin-series-parallel":
					steps = 100
				}
				(&walk{&own, t, at, e.Circuit, model, own.NewJobOn(e.Name, "a long day")}).walk(steps)
			}
		})
	}
}

// walk is somebody who does this and that to a car.
type walk struct {
	w       *webtest.Workshop
	t       *testing.T
	r       *rand.Rand
	circuit *harness.Circuit
	model   *electric.Model
	job     string
}

func (x *walk) walk(steps int) {
	x.t.Helper()
	for n := range steps {
		x.step()
		if n%20 == 19 {
			x.pages()
		}
	}
	for _, lasts := range [2]bool{false, true} { // what lasts (a part renewed) is taken back, too
		for holds := x.holds(); len(holds) > 0; holds = x.holds() {
			action := holds[0]
			if lasts != action.Lasts() {
				break
			}
			r := x.w.Post(x.job+"/setup", "action", action.String(), "undo", "1")
			require.Equal(x.t, http.StatusSeeOther, r.Code, "%s: %s: %s", x.job, action, webtest.Notice(r.Body.String()))
		}
	}
	for holds := x.holds(); len(holds) > 0; holds = x.holds() {
		r := x.w.Post(x.job+"/setup", "action", holds[0].String(), "undo", "1")
		require.Equal(x.t, http.StatusSeeOther, r.Code, "%s: %s: %s", x.job, holds[0], webtest.Notice(r.Body.String()))
	}
	x.pages()
}

// folded is how the job stands, by its log.
func (x *walk) folded() *job.State {
	entries, err := x.w.Keep.Entries(x.t.Context(), webtest.ID(x.t, x.job))
	require.NoError(x.t, err)
	return job.Fold(x.circuit, entries)
}

func (x *walk) holds() []electric.Action { return x.folded().Ledger }

func (x *walk) pick(n int) int { return x.r.IntN(n) }

// action is some set-up action, one that cannot be among them.
func (x *walk) action() string {
	part := x.circuit.Parts[x.pick(len(x.circuit.Parts))]
	pin := func() string {
		pins := part.Pins()
		if len(pins) == 0 {
			return part.Name
		}
		return pins[x.pick(len(pins))].String()
	}
	other := x.circuit.Parts[x.pick(len(x.circuit.Parts))]
	switch x.pick(9) {
	case 0, 1, 2:
		if verb := electric.DetachVerb(part.Kind()); verb != "" {
			return part.Name + " " + string(verb)
		}
		return "engine running"
	case 3:
		return "jumper " + pin() + " " + pin()
	case 4:
		return "pack " + pin() + "' " + pin() + "'"
	case 5:
		return []string{"ground ", "feed "}[x.pick(2)] + pin()
	case 6:
		return "swapped " + part.Name + " " + other.Name
	case 7:
		return []string{part.Name + " cleaned", "sensor " + part.Name + " replaced 330", "engine off", "engine cranking", "coolant 96"}[x.pick(5)]
	}
	if x.pick(8) > 0 { // a repair has the evidence weighed
		return "key on"
	}
	return part.Name + " " + []string{"renewed", "renewed used"}[x.pick(2)]
}

func (x *walk) step() {
	post := func(path string, form ...string) {
		r := x.w.Post(x.job+path, form...)
		require.Contains(x.t, []int{http.StatusSeeOther, http.StatusUnprocessableEntity}, r.Code, "%s%s %v: %.300s", x.job, path, form,
			webtest.Notice(r.Body.String()))
	}
	switch k := x.pick(100); {
	case k < 45:
		action, holds := x.action(), x.holds()
		for range 60 { // mostly one that can be: what is refused has the whole page shown again
			if x.pick(40) == 0 || x.canBe(holds, action) {
				break
			}
			action = x.action()
		}
		post("/setup", "action", action)
	case k < 80:
		if holds := x.holds(); len(holds) > 0 {
			post("/setup", "action", holds[x.pick(len(holds))].String(), "undo", "1")
		}
	case k < 98:
		list := slices.DeleteFunc(x.folded().Beads, func(b job.Bead) bool { return b.StruckOut || b.Kind() == job.Opened })
		if len(list) > 0 {
			post("/strike", "seq", strconv.Itoa(list[x.pick(len(list))].Seq))
		}
	default:
		post("/seen", x.seen()...)
	}
}

// canBe tells whether an action can be done to the car as it stands, and says something new.
func (x *walk) canBe(holds []electric.Action, action string) bool {
	a, err := electric.ParseAction(x.circuit, action)
	if err != nil || slices.Contains(holds, a) {
		return false
	}
	_, err = x.model.Network(append(slices.Clone(holds), a), nil)
	return err == nil
}

// seen is a test around some part, on the bench among others, with some answer.
func (x *walk) seen() []string {
	if relays := x.circuit.OfKind(harness.KindRelay); len(relays) > 0 && x.pick(2) == 0 {
		form := []string{"do", string(probe.Ohms), "bench", relays[x.pick(len(relays))].Name, "between", "86", "between", "85", "reading", "85"}
		if x.pick(2) == 0 {
			form = append(form, "energised", "1")
		}
		return form
	}
	var tests []probe.Test
	for len(tests) == 0 {
		tests = probe.Around(x.circuit, x.holds(), x.circuit.Parts[x.pick(len(x.circuit.Parts))])
	}
	t := tests[x.pick(len(tests))]
	form := []string{"do", string(t.Do), "state", t.State.Name}
	for _, f := range [][2]string{{"at", t.At.String()}, {"from", t.From.String()}, {"with", t.With}, {"part", t.Part}} {
		if f[1] != "" {
			form = append(form, f[0], f[1])
		}
	}
	for _, a := range t.Setup {
		form = append(form, "setup", a.String())
	}
	switch kind := probe.Of(t.Do).(type) {
	case probe.Worded:
		words := kind.Words(t)
		return append(form, "word", words[x.pick(len(words))])
	case probe.Looking:
		return append(form, "fan-M1", []string{"stopped", "slow", "fast"}[x.pick(3)])
	}
	return append(form, "reading", []string{"0.4", "12.1", "OL", "85"}[x.pick(4)])
}

func (x *walk) pages() {
	for _, path := range []string{"", "/why", "/verify", "/drive", "/report", "/more", "/believe", "/scan"} {
		r := x.w.Get(x.job + path)
		require.Equal(x.t, http.StatusOK, r.Code, "%s%s: %.300s", x.job, path, webtest.Notice(r.Body.String()))
	}
}

// Every page of a job while what it shows is being worked out, done, and empty: it answers, and says which.
func TestEveryPageOfAJobInEveryState(t *testing.T) {
	w := webtest.Impatient(t)
	begun, halfway := w.NewJobOn("f1-one-relay", "no fan"), w.JobNamed("Gritter 6")
	pages := []string{"", "/why", "/why?fault=F1+open", "/believe", "/believe?part=F1", "/drive", "/verify", "/report", "/report/pdf",
		"/more", "/scan",
		"?state=hot", "?look=1&state=hot", "?do=volts&pin=F1.a&state=hot", "?table=1", "/since?saw=0"}
	for _, j := range []string{begun, halfway} {
		for _, path := range pages {
			assert.Contains(t, []int{http.StatusOK, http.StatusNoContent, http.StatusAccepted, http.StatusUnprocessableEntity}, w.Get(j+path).Code,
				j+path)
		}
	}
	cold := webtest.Impatient(t)
	page := cold.Get(cold.JobNamed("Gritter 6") + "?move=1")
	require.Equal(t, http.StatusOK, page.Code)
	webtest.Says(t, page.Body.String(), "Working out what the evidence leaves")
	r := cold.Post(cold.JobNamed("Gritter 6")+"/repair", "action", "F3 renewed")
	assert.Equal(t, http.StatusAccepted, r.Code, "what is entered waits, and is sent again")
	soak.Await(t, "the whole page", func() bool { // the same page, done
		return !strings.Contains(w.Get(begun+"?move=1").Body.String(), "Working out")
	})
	assert.Equal(t, http.StatusNotFound, w.Get("/jobs/99999").Code)
	assert.Equal(t, http.StatusOK, w.Get("/?find=nothing+of+the+kind").Code, "an empty Bay")
}

// What the engine does is lit as it is solved: a state that runs it shows it running, what was entered goes before.
func TestTheEngineThatIsLitIsTheOneThatIsSolved(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	e, err := library.Open("f1-one-relay")
	require.NoError(t, err)
	text := strings.Replace(string(e.Text), "states:\n", "states:\n  warm: {key: on, engine: running}\n", 1)
	j := w.Opened(text)
	lit := regexp.MustCompile(`class="btn btn-outline-dark active" type="submit" name="engine" value="([^"]*)"`)
	for _, c := range []struct{ does, state, lit string }{{"", "warm", "running"}, {"engine off", "warm", "off"}, {"engine cranking", "warm",
		"cranking"}} {
		if c.does != "" {
			require.Equal(t, http.StatusSeeOther, w.Post(j+"/setup", "action", c.does).Code)
		}
		m := lit.FindStringSubmatch(w.Get(j + "?state=" + c.state + "&look=1").Body.String())
		require.NotNil(t, m, c.state)
		assert.Equal(t, c.lit, m[1], "%+v", c)
	}
}
