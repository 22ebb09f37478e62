package web

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
)

// jobFile is a job as one file, which another Iron Thread can take in.
type jobFile struct {
	Format   string      `json:"iron-thread-job"`
	Vehicle  string      `json:"vehicle"`
	Title    string      `json:"title"`
	OpenedAt time.Time   `json:"opened-at"`
	Harness  string      `json:"harness"` // the harness file
	Name     string      `json:"harness-name"`
	Entries  []fileEntry `json:"entries"`
	// JPEGs by the number that entries call them by.
	Photographs map[int64][]byte `json:"photographs,omitempty"`
	Verdict     any              `json:"verdict,omitempty"`
	Checks      any              `json:"checks,omitempty"`
}

type fileEntry struct {
	Seq  int       `json:"seq"`
	At   time.Time `json:"at"`
	Who  string    `json:"who"`
	Kind job.Kind  `json:"kind"`
	Body job.Body  `json:"body"`
}

const jobFormat = "1"

// jobFileOf writes a job with its log, its photographs and what its report concludes.
func (a *App) jobFileOf(ctx context.Context, j *jobAt, p *reportPage) ([]byte, error) {
	f := jobFile{
		Format: jobFormat, Vehicle: j.Vehicle, Title: j.Title, OpenedAt: j.OpenedAt, Harness: j.Source, Name: j.Sheet,
		Verdict: p.Verdict, Checks: p.Verified, Photographs: map[int64][]byte{},
	}
	for _, e := range j.entries {
		f.Entries = append(f.Entries, fileEntry{e.Seq, e.At, e.Who, e.Kind, e.Body})
	}
	for _, id := range j.photographs() {
		jpeg, err := a.keep.JobPhoto(ctx, j.ID, id)
		if err != nil {
			return nil, err
		}
		f.Photographs[id] = jpeg
	}
	return json.MarshalIndent(f, "", " ")
}

// Limits of a job file.
const (
	maxJobEntries = 2000
	maxJobPhotos  = 200 // of a job, so that its file can be taken in elsewhere
	maxJobFile    = 128 << 20
)

// importJob takes a job file in: the vehicle by name, the harness by its text, the log as it
// was.
func (a *App) importJob(c *gin.Context) {
	f, err := readJobFile(c)
	if err != nil {
		a.showBay(c, http.StatusUnprocessableEntity, startForm{}, capitalise(err.Error())+".")
		return
	}
	ctx := c.Request.Context()
	b, err := a.circuits.get(f.Harness)
	if err != nil {
		a.showBay(c, http.StatusUnprocessableEntity, startForm{}, "The job file's harness cannot be read: "+err.Error()+".")
		return
	}
	list, err := a.keep.Harnesses(ctx)
	if err != nil {
		a.failWith(c, err)
		return
	}
	var harnessID int64
	for _, h := range list {
		if h.Source == f.Harness {
			harnessID = h.ID
		}
	}
	if harnessID == 0 { // this workshop's own stays as it is beside it
		name, err := a.keep.AddHarness(ctx, slug(f.Name), b.circuit.Title, f.Harness)
		if err != nil {
			a.failWith(c, err)
			return
		}
		h, err := a.keep.HarnessNamed(ctx, name)
		if err != nil {
			a.failWith(c, err)
			return
		}
		harnessID = h.ID
	}
	vehicle, err := a.keep.PutVehicle(ctx, f.Vehicle, "")
	if err != nil {
		a.failWith(c, err)
		return
	}
	entries := make([]job.Entry, 0, len(f.Entries))
	for k, e := range f.Entries {
		if e.Kind == job.Pictured && f.Photographs[e.Body.Photo] == nil { // its words are left
			e.Kind, e.Body.Photo, e.Body.Text = job.Noted, 0, strings.TrimSpace("photograph: "+e.Body.Text)
		}
		entries = append(entries, job.Entry{Seq: k + 1, At: e.At, Who: clip(e.Who, maxWho), Kind: e.Kind, Body: renumbered(f.Entries, e.Body)})
	}
	id, err := a.keep.ImportJob(ctx, vehicle, harnessID, f.Title, f.OpenedAt, entries, f.Photographs)
	if err != nil {
		a.failWith(c, err)
		return
	}
	a.forget()
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
}

// renumbered points a struck or noted entry at the same entry under its new number.
func renumbered(entries []fileEntry, b job.Body) job.Body {
	for k, e := range entries {
		if b.Seq != 0 && e.Seq == b.Seq {
			b.Seq = k + 1
			return b
		}
	}
	return b
}

func readJobFile(c *gin.Context) (*jobFile, error) {
	file, err := c.FormFile("file")
	if err != nil {
		return nil, fmt.Errorf("choose a job file, as another Iron Thread's report gave it out (JSON)")
	}
	r, err := file.Open()
	if err != nil {
		return nil, fmt.Errorf("the job file could not be read")
	}
	defer r.Close()
	raw, err := io.ReadAll(io.LimitReader(r, maxJobFile))
	if err != nil {
		return nil, fmt.Errorf("the job file could not be read")
	}
	var f jobFile
	if err := json.Unmarshal(raw, &f); err != nil {
		return nil, fmt.Errorf("this is no job file: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	f.Vehicle, f.Title = strings.TrimSpace(clip(f.Vehicle, 80)), strings.TrimSpace(clip(f.Title, 200))
	switch {
	case f.Format != jobFormat:
		return nil, fmt.Errorf("this is no job file of version %s", jobFormat)
	case f.Vehicle == "" || f.Title == "" || len(f.Harness) > harness.MaxBytes:
		return nil, fmt.Errorf("the job file lacks its vehicle, its complaint or its harness")
	case len(f.Entries) == 0 || len(f.Entries) > maxJobEntries || f.Entries[0].Kind != job.Opened:
		return nil, fmt.Errorf("the job file's log does not begin with the complaint, or is longer than %d entries", maxJobEntries)
	}
	for k, e := range f.Entries {
		switch {
		case !slices.Contains(job.Kinds, e.Kind):
			return nil, fmt.Errorf("entry %d of the job file is of no known kind: %q", k+1, clip(string(e.Kind), maxWho))
		case e.Kind == job.Seen && e.Body.Seen == nil:
			return nil, fmt.Errorf("entry %d of the job file carries no observation", k+1)
		}
	}
	return &f, f.rewritePhotographs()
}

// rewritePhotographs writes every photograph of a file anew, so that nothing but the picture
// comes in.
func (f *jobFile) rewritePhotographs() error {
	if len(f.Photographs) > maxJobPhotos {
		return fmt.Errorf("the job file carries more than %d photographs", maxJobPhotos)
	}
	for id, raw := range f.Photographs {
		photo, err := rewritten(raw, keptPixels*keptPixels)
		if err != nil {
			return fmt.Errorf("photograph %d of the job file: %w", id, err)
		}
		f.Photographs[id] = photo.JPEG
	}
	return nil
}
