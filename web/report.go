package web

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/repair"
)

// reportPage is a job on paper: what was found, how, what was done, what was verified; and
// half a page in plain words for the owner.
type reportPage struct {
	jobSide
	Workshop string
	Found    []job.Body
	Verdict  *diagnose.Verdict
	Verified []repair.Ticked
	Causes   []repair.Ticked
	Owner    []string
	Readings []readingLine
	Minutes  float64
	Printed  time.Time
}

// readingLine is one entry of the log as the report lists it.
type readingLine struct {
	Seq      int
	At       time.Time
	Who      string
	What     string
	Expected string
	Setup    string
	Struck   bool
	Telling  bool
	Notes    []string
	Photos   []int64
}

// reportOf gathers a job's report; the verdict is left out while it is being worked out.
func (a *App) reportOf(c *gin.Context, j *jobAt) (*reportPage, error) {
	v, err := j.verification()
	if err != nil {
		return nil, err
	}
	p := &reportPage{
		jobSide: a.side(c, j, "report"), Workshop: a.opts.Workshop, Found: j.state.Repairs, Verified: v.list, Causes: v.causes, Printed: a.opts.Now(),
	}
	as, ready, err := j.bench.assess(j.state.Seen, nowOf(c, j), a.opts.Patience*4)
	if err != nil {
		return nil, err
	}
	if ready {
		p.Verdict = as.Verdict
	}
	for i, b := range j.state.Beads {
		line := readingLine{Seq: b.Seq, At: b.At, Who: b.Who, What: b.Title, Struck: b.StruckOut, Telling: b.Telling, Notes: b.Notes, Photos: b.Photos}
		switch {
		case b.Kind == job.Seen && b.Body.Seen != nil:
			line.Expected, line.Setup = b.Body.Expected, strings.Join(b.Body.Seen.Setup, ", ")
			bare := *b.Body.Seen
			bare.Setup = nil
			line.What = bare.String()
		case b.Detail != "":
			line.What += ": " + b.Detail
		}
		p.Readings = append(p.Readings, line)
		if i == len(j.state.Beads)-1 && i > 0 {
			p.Minutes = b.At.Sub(j.state.Beads[0].At).Minutes()
		}
	}
	p.Owner = ownerWords(j, p)
	return p, nil
}

// ownerWords is the half page for the owner: plain words, nothing technical that is not
// needed.
func ownerWords(j *jobAt, p *reportPage) []string {
	c := j.bench.circuit
	list := []string{fmt.Sprintf("You told us: “%s”.", j.Title)}
	for _, r := range j.state.Repairs {
		f, err := fault.Parse(c, r.Fault)
		if err != nil {
			list = append(list, fmt.Sprintf("We replaced %s.", strings.TrimSuffix(r.Action, " renewed")))
			continue
		}
		if !r.Proven {
			list = append(list, fmt.Sprintf("We suspected %s and renewed it: %s.", plainPlace(c, f), plainDone(c, r)))
			continue
		}
		list = append(list, fmt.Sprintf("We found the trouble at %s. We measured it, and put it right: %s.", plainPlace(c, f), plainDone(c, r)))
	}
	proven := slices.ContainsFunc(j.state.Repairs, func(r job.Body) bool { return r.Proven })
	switch {
	case j.state.Closed:
	case proven:
		list = append(list, "We are still checking that nothing else is wrong.")
	case p.Verdict != nil && p.Verdict.Faults[0] != diagnose.NoFault:
		if f, err := fault.Parse(c, p.Verdict.Faults[0]); err == nil {
			list = append(list, fmt.Sprintf("The trouble is very likely at %s; it is not mended yet.", plainPlace(c, f)))
		}
	default:
		list = append(list, "We are still looking for the cause.")
	}
	switch j.state.Reason {
	case job.Verified:
		list = append(list, "Afterwards we ran every fan at every speed, measured what each draws, and watched the engine through a full warm-up: all as it should be.")
	case job.NotReproduced:
		list = append(list, "We could not make the trouble appear while the vehicle was here. Should it come back, note when, how hot, and how fast you were going, and come again.")
	case job.Declined, job.PassedOn, job.OtherReason:
		list = append(list, "The work was not finished here: "+string(j.state.Reason)+".")
	}
	if !j.state.Closed {
		list = append(list, "Until it is mended: watch the temperature, keep out of standing traffic, and never open a hot cooling system.")
	}
	return append(list, "The fans can start by themselves, even with the key off: keep hands and clothes away from them.")
}

func plainPlace(c *harness.Circuit, f fault.Fault) string {
	name := func(part string) string {
		p := c.Part(part)
		if p == nil {
			return part
		}
		kind := map[harness.Kind]string{
			harness.KindMotor: "the fan motor", harness.KindRelay: "the fan relay", harness.KindFuse: "the fuse", harness.KindGround: "the ground connection",
			harness.KindController: "the control unit", harness.KindFanModule: "the fan control module", harness.KindPWMModule: "the fan control module",
		}[p.Kind()]
		if kind == "" {
			kind = "the " + strings.ReplaceAll(string(p.Kind()), "-", " ")
		}
		if p.At != "" {
			return fmt.Sprintf("%s %s (%s)", kind, part, p.At)
		}
		return kind + " " + part
	}
	switch f.On {
	case fault.OnWire, fault.OnWires:
		return fmt.Sprintf("the wire between %s and %s", f.Wire[0].Part, f.Wire[1].Part)
	case fault.OnPin, fault.OnRole:
		return "a terminal of " + name(f.Pin.Part)
	}
	return name(f.Part)
}

func plainDone(c *harness.Circuit, r job.Body) string {
	if r.Text != "" {
		return r.Text
	}
	a, err := electric.ParseAction(c, r.Action)
	if err == nil && a.Part == "" {
		return "the connection was renewed"
	}
	return "the part was renewed"
}

func (a *App) report(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p, err := a.reportOf(c, j)
	if err != nil {
		a.failWith(c, err)
		return
	}
	a.render(c, http.StatusOK, "report.html", p)
}

// reportAs hands the report out as PDF, JSON (the job file) or CSV (the log).
func (a *App) reportAs(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p, err := a.reportOf(c, j)
	if err != nil {
		a.failWith(c, err)
		return
	}
	name := fmt.Sprintf("job-%d", j.ID)
	give := func(kind, suffix string, b []byte) {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+suffix))
		c.Data(http.StatusOK, kind, b)
	}
	switch c.Param("form") {
	case "pdf":
		b, err := reportPDF(p)
		if err != nil {
			a.failWith(c, err)
			return
		}
		give("application/pdf", ".pdf", b)
	case "csv":
		give("text/csv; charset=utf-8", ".csv", reportCSV(p))
	case "json":
		b, err := a.jobFileOf(c.Request.Context(), j, p)
		if err != nil {
			a.failWith(c, err)
			return
		}
		give("application/json", ".json", b)
	default:
		a.fail(c, http.StatusNotFound, "A report comes as pdf, csv or json.")
	}
}

func reportCSV(p *reportPage) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	write := func(cells ...string) { _ = w.Write(cells) } // a buffer takes all
	write("nr", "time", "who", "what", "if all were well", "set-up", "struck out", "notes")
	for _, r := range p.Readings {
		struck := ""
		if r.Struck {
			struck = "struck out"
		}
		write(strconv.Itoa(r.Seq), r.At.Format(time.RFC3339), cell(r.Who), cell(r.What), cell(r.Expected), r.Setup, struck, cell(strings.Join(r.Notes, "; ")))
	}
	w.Flush()
	return b.Bytes()
}

// cell keeps a spreadsheet from taking a text for a formula.
func cell(s string) string {
	if s != "" && strings.ContainsAny(s[:1], "=+-@\t\r") {
		return "'" + s
	}
	return s
}
