package jobs

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/fault"
	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/probe"
	"ironthread/web/worked"
)

// reportOf gathers a job's report. A closed job's is what its record keeps, whatever has become of the
// harness, the guide or the workshop since; of an open one what the evidence leaves is waited for: ready
// is false while it is being worked out.
func (a *Jobs) reportOf(c *gin.Context, j *jobAt, patience time.Duration) (p *reportPage, ready bool, err error) {
	p = &reportPage{jobSide: a.side(c, j, "report"), Workshop: a.Workshop, Found: j.state.Repairs, Printed: a.Now()}
	p.readings(j)
	for _, action := range j.state.Ledger {
		if action.Verb == electric.Cleaned {
			p.Cleaned = append(p.Cleaned, action.Part)
		}
	}
	if kept := j.state.Conclusion; kept != nil {
		p.Verdict, p.Verified, p.Causes, p.Owner, p.Printed = kept.Verdict, kept.Checks, kept.Causes, kept.Owner, j.closedAt()
		p.Also = kept.Also
		return p, true, nil
	}
	as, ready, err := j.file.Assess(c.Request.Context(), j.state.Seen, nowOf(c, j), patience)
	if err != nil || !ready {
		return p, false, err
	}
	v, err := j.verification()
	if err != nil {
		return nil, false, err
	}
	now := j.concluded(v, as)
	p.Verdict, p.Also, p.Verified, p.Causes, p.Owner = now.Verdict, now.Also, now.Checks, now.Causes, now.Owner
	return p, true, nil
}

// closedAt is when the job was closed.
func (j *jobAt) closedAt() time.Time {
	for _, b := range slices.Backward(j.state.Beads) {
		if b.Kind() == job.Closed {
			return b.At
		}
	}
	return j.OpenedAt
}

// readings lists the log.
func (p *reportPage) readings(j *jobAt) {
	for i, b := range j.state.Beads {
		line := readingLine{Seq: b.Seq, At: b.At, Who: b.Who, What: b.Title, Struck: b.StruckOut, Telling: b.Telling, Notes: b.Notes,
			Photos: b.Photos}
		if r, ok := b.Body.(job.Reading); ok {
			line.Expected, line.Setup = r.Expected, probe.SaidSetup(r.Seen.Setup)
			if r.Good.Given() {
				line.Expected = r.Good.String()
			}
			bare := r.Seen
			bare.Setup = nil
			line.What = bare.String()
		} else if b.Detail != "" {
			line.What += ": " + b.Detail
		}
		p.Readings = append(p.Readings, line)
		if i == len(j.state.Beads)-1 && i > 0 {
			p.Minutes = b.At.Sub(j.state.Beads[0].At).Minutes()
		}
	}
}

// onPage shows on the circuit's printed page where the fault is: of a closed job as it was kept, of an open one as the page is now.
func (p *reportPage) onPage(ctx context.Context, a *Jobs, j *jobAt, excerpt bool) (err error) {
	if j.state.Closed {
		p.AtFault, p.PageKept = j.state.Closing.Shows, j.state.Closing.Page
		if excerpt && p.PageKept != 0 {
			p.Excerpt, err = a.keep.JobPhoto(ctx, j.ID, p.PageKept)
		}
		return err
	}
	words := ""
	if p.Verdict != nil {
		words = p.Verdict.Faults[0]
	}
	pages, places, err := a.printedAt(ctx, j, words)
	if err != nil || len(places) == 0 {
		return err
	}
	p.AtFault, p.OnPage = strings.Join(places, ", "), pages.Crop(places...)
	if excerpt {
		p.Excerpt, err = pages.CutOut(ctx, a.keep, places...)
	}
	return err
}

// printedAt finds the places of the fault that was repaired last, or else of the one that is given, on the pages of a job's circuit; none
// where it stands on none.
func (a *Jobs) printedAt(ctx context.Context, j *jobAt, words string) (*worked.Pages, []string, error) {
	for _, r := range j.state.Repairs {
		words = cmp.Or(r.Fault, words)
	}
	f, err := fault.Parse(j.file.Drawn, words)
	if err != nil {
		return nil, nil, nil // there is nothing to be shown
	}
	pages, err := worked.PagesOf(ctx, a.keep, j.Sheet, j.Revision)
	if err != nil || pages.Crop(f.Places()...) == "" {
		return pages, nil, err
	}
	return pages, f.Places(), nil
}

func (a *Jobs) report(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p, ready, err := a.reportOf(c, j, a.Patience)
	if err == nil && ready {
		err = p.onPage(c.Request.Context(), a, j, false)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if !ready {
		p.Pending = pendingOf(c, j)
	}
	a.Render(c, http.StatusOK, "report.html", p)
}

// fileFor is how long a file waits for what the evidence leaves: it is never written without.
const fileFor = 30 * time.Second

// reportAs hands the report out as PDF, JSON (the job file) or CSV (the log).
func (a *Jobs) reportAs(c *gin.Context) {
	j, ok := a.open(c)
	if !ok {
		return
	}
	p, ready, err := a.reportOf(c, j, fileFor)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if !ready {
		c.Header("Retry-After", "10")
		a.Fail(c, http.StatusServiceUnavailable, "What the evidence leaves is still being worked out; ask for the file again in a moment.")
		return
	}
	name := fmt.Sprintf("job-%d", j.ID)
	give := func(kind, suffix string, b []byte) {
		c.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+suffix))
		c.Data(http.StatusOK, kind, b)
	}
	switch c.Param("form") {
	case "pdf":
		err := p.onPage(c.Request.Context(), a, j, true)
		var b []byte
		if err == nil {
			b, err = reportPDF(p)
		}
		if err != nil {
			a.FailWith(c, err)
			return
		}
		give("application/pdf", ".pdf", b)
	case "csv":
		give("text/csv; charset=utf-8", ".csv", reportCSV(p))
	case "json":
		b, err := a.jobFileOf(c.Request.Context(), j, p)
		if err != nil {
			a.FailWith(c, err)
			return
		}
		give("application/json", ".json", b)
	default:
		a.Fail(c, http.StatusNotFound, "A report comes as pdf, csv or json.")
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
		write(strconv.Itoa(r.Seq), r.At.Format(time.RFC3339), harness.Cell(p.signed(r)), harness.Cell(r.What), harness.Cell(r.Expected),
			harness.Cell(r.Setup), struck,
			harness.Cell(strings.Join(r.Notes, "; ")))
	}
	w.Flush()
	return b.Bytes()
}

// signed is who an entry is signed by, and by whom it was taken in where it was written elsewhere.
func (p *reportPage) signed(r readingLine) string {
	if mark := p.Job.Imported.Mark(r.Seq); mark != "" {
		return r.Who + ", " + mark
	}
	return r.Who
}
