package jobs

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/job"
	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// jobFile is a job as one file, which another Iron Thread can take in.
type jobFile struct {
	Format   string      `json:"iron-thread-job"`
	Origin   string      `json:"origin,omitempty"` // the same in every workshop that takes the job in
	Vehicle  string      `json:"vehicle"`
	Title    string      `json:"title"`
	OpenedAt time.Time   `json:"opened-at"`
	Harness  string      `json:"harness"` // the harness file
	Name     string      `json:"harness-name"`
	Entries  []fileEntry `json:"entries"`
	// JPEGs by the number that entries call them by.
	Photographs map[int64][]byte `json:"photographs,omitempty"`
	// Harness files that the job has been moved to, by the number that entries call them by.
	Revisions map[int64]fileRevision `json:"revisions,omitempty"`
	// Pages of the circuit, and where its pins stand on them.
	Pages   []filePage     `json:"pages,omitempty"`
	Places  printed.Places `json:"places,omitempty"`
	Verdict any            `json:"verdict,omitempty"`
	Checks  any            `json:"checks,omitempty"`
}

type fileRevision struct {
	Name   string `json:"name"`
	Source string `json:"harness"`
}

type fileEntry struct {
	Seq  int             `json:"seq"`
	At   time.Time       `json:"at"`
	Who  string          `json:"who"`
	Kind job.Kind        `json:"kind"`
	Body json.RawMessage `json:"body"` // as package job writes it
}

const jobFormat = "1"

// jobFileOf writes a job with its log, its photographs, the harness files it has gone by and what its
// report concludes.
func (a *Jobs) jobFileOf(ctx context.Context, j *jobAt, p *reportPage) ([]byte, error) {
	opened, err := a.keep.Revision(ctx, j.OpenedWith)
	if err != nil {
		return nil, err
	}
	f := jobFile{
		Format: jobFormat, Origin: j.Origin, Vehicle: j.Vehicle, Title: j.Title, OpenedAt: j.OpenedAt, Harness: opened.Source, Name: opened.Name,
		Verdict: p.Verdict, Checks: p.Verified, Photographs: map[int64][]byte{}, Revisions: map[int64]fileRevision{},
	}
	for _, e := range j.entries {
		body, err := json.Marshal(e.Body)
		if err != nil {
			return nil, err
		}
		f.Entries = append(f.Entries, fileEntry{e.Seq, e.At, e.Who, e.Kind(), body})
		if to, ok := e.Body.(job.Move); ok {
			h, err := a.keep.Revision(ctx, to.Revision)
			if err != nil {
				return nil, err
			}
			f.Revisions[to.Revision] = fileRevision{h.Name, h.Source}
		}
	}
	for _, id := range j.photographs() {
		jpeg, err := a.keep.JobPhoto(ctx, j.ID, id)
		if err != nil {
			return nil, err
		}
		f.Photographs[id] = jpeg
	}
	if err := a.addPages(ctx, j, &f); err != nil {
		return nil, err
	}
	return json.MarshalIndent(f, "", " ")
}

// Limits of a job file.
const (
	maxJobEntries = 2000
	maxJobPhotos  = 200 // of a job, so that its file can be taken in elsewhere
	MaxJobFile    = 128 << 20
	maxRevisions  = 40
	maxComplaint  = 200
	maxShown      = 120 // characters of a foreign text in a sentence

	earliestYear = 1990
	clockSkew    = 48 * time.Hour // by which another workshop's clock may be ahead
)

// importJob takes a job file in: the vehicle by name, the harness by its text, the log as it
// was. One that is here already is shown, not taken in again.
func (a *Jobs) importJob(c *gin.Context) {
	wrong := func(err error) {
		a.showBay(c, http.StatusUnprocessableEntity, startForm{}, room.Sentence(err))
	}
	f, err := readJobFile(c)
	if err != nil {
		wrong(err)
		return
	}
	in := store.Imported{
		By: room.Who(c), Vehicle: f.Vehicle, Title: f.Title, OpenedAt: f.OpenedAt, Origin: f.origin(), Photos: f.Photographs,
		Revisions: map[int64]store.Harness{},
	}
	if in.Entries, err = f.entries(a.Now()); err != nil {
		wrong(err)
		return
	}
	if in.Harness, err = a.importedHarness(f.Name, f.Harness); err != nil {
		wrong(err)
		return
	}
	for id, r := range f.Revisions {
		if in.Revisions[id], err = a.importedHarness(r.Name, r.Source); err != nil {
			wrong(err)
			return
		}
	}
	if err := f.rewritePhotographs(c.Request.Context()); err != nil {
		wrong(err)
		return
	}
	pages, err := f.pages(c.Request.Context())
	if err != nil {
		wrong(err)
		return
	}
	id, err := a.keep.ImportJob(c.Request.Context(), in)
	if err == nil {
		err = a.takePages(c.Request.Context(), id, pages, f.Places)
	}
	switch {
	case errors.Is(err, store.ErrAlready):
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d?here=1", id))
	case err != nil:
		a.FailWith(c, err)
	default:
		a.learnt.Forget()
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/jobs/%d", id))
	}
}

// importedHarness reads a harness file that a job file carries.
func (a *Jobs) importedHarness(name, source string) (store.Harness, error) {
	b, err := a.circuits.Get(source)
	if err != nil {
		return store.Harness{}, fmt.Errorf("the job file's harness cannot be read: %w", err)
	}
	return store.Harness{Name: room.Slug(name), Title: b.Drawn.Title, Source: source}, nil
}

// origin names the job wherever it is: by its own name, or in files from before they had one by what it
// began with.
func (f *jobFile) origin() string {
	if f.Origin != "" {
		return f.Origin
	}
	first := f.Entries[0]
	return "file " + worked.SumOf(strings.Join([]string{f.Vehicle, f.Title, f.OpenedAt.UTC().Format(time.RFC3339Nano),
		first.At.UTC().Format(time.RFC3339Nano), f.Harness}, "\x00"))
}

// renumbered points an entry that speaks of another at the same entry under its new number.
func renumbered(entries []fileEntry, b job.Body) job.Body {
	of, pointed := job.Beside(b)
	if k := slices.IndexFunc(entries, func(e fileEntry) bool { return of != 0 && e.Seq == of }); k >= 0 {
		return pointed(k + 1)
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
	raw, err := io.ReadAll(io.LimitReader(r, MaxJobFile))
	if err != nil {
		return nil, fmt.Errorf("the job file could not be read")
	}
	return parseJobFile(raw)
}

func parseJobFile(raw []byte) (*jobFile, error) {
	var f jobFile
	if bytes.Contains(raw, []byte(`\u0000`)) {
		return nil, fmt.Errorf("the job file holds a NUL, which is no text")
	}
	if err := json.Unmarshal(raw, &f); err != nil {
		return nil, fmt.Errorf("this is no job file: %s", harness.Clipped(strings.TrimPrefix(err.Error(), "json: "), maxShown))
	}
	f.Vehicle, f.Title = strings.TrimSpace(f.Vehicle), strings.TrimSpace(f.Title)
	switch {
	case f.Format != jobFormat:
		return nil, fmt.Errorf("this is no job file of version %s", jobFormat)
	case f.Vehicle == "" || f.Title == "":
		return nil, fmt.Errorf("the job file lacks its vehicle or its complaint")
	case tooLong(f.Vehicle, room.MaxTitle) || tooLong(f.Title, maxComplaint) || tooLong(f.Origin, maxToken):
		return nil, fmt.Errorf("the job file's vehicle or complaint is longer than may be kept (%d and %d characters)", room.MaxTitle,
			maxComplaint)
	case len(f.Entries) == 0 || len(f.Entries) > maxJobEntries || f.Entries[0].Kind != job.Opened:
		return nil, fmt.Errorf("the job file's log does not begin with the complaint, or is longer than %d entries", maxJobEntries)
	case len(f.Revisions) > maxRevisions:
		return nil, fmt.Errorf("the job file carries more than %d harness files", maxRevisions)
	}
	return &f, nil
}

// entries holds the log against what a page would have taken, and gives it with its numbers in order. An
// error names the entry.
func (f *jobFile) entries(now time.Time) ([]job.Entry, error) {
	if !sensibleTime(f.OpenedAt, now) {
		return nil, fmt.Errorf("the job file says that the job was opened at %s", f.OpenedAt.Format(time.RFC3339))
	}
	list := make([]job.Entry, 0, len(f.Entries))
	for k, e := range f.Entries {
		body, err := f.body(k, e, now)
		if err != nil {
			return nil, fmt.Errorf("entry %d of the job file: %w", k+1, err)
		}
		if p, ok := body.(job.Picture); ok && f.Photographs[p.Photo] == nil { // its words are left
			body = job.Note{Text: strings.TrimSpace("photograph: " + p.Text), About: p.About}
		}
		list = append(list, job.Entry{Seq: k + 1, At: e.At, Who: e.Who, Body: renumbered(f.Entries, body)})
	}
	return list, nil
}

// body reads what an entry records; the error says why it cannot be taken in.
func (f *jobFile) body(k int, e fileEntry, now time.Time) (job.Body, error) {
	switch {
	case !job.Known(e.Kind):
		return nil, fmt.Errorf("there is no kind %q", harness.Clipped(string(e.Kind), room.MaxWho))
	case !sensibleTime(e.At, now):
		return nil, fmt.Errorf("its time is %s", e.At.Format(time.RFC3339))
	case e.Seq <= 0 || slices.ContainsFunc(f.Entries[:k], func(o fileEntry) bool { return o.Seq == e.Seq }):
		return nil, fmt.Errorf("its number %d is no number, or another entry's", e.Seq)
	case k > 0 && e.Kind == job.Opened:
		return nil, fmt.Errorf("a job is opened once")
	case tooLong(e.Who, room.MaxWho) || textTooLong(e.Body):
		return nil, fmt.Errorf("a text in it is longer than may be kept")
	}
	body, err := job.ReadBody(e.Kind, e.Body)
	if err != nil {
		return nil, err
	}
	switch b := body.(type) {
	case job.Unread:
		return nil, b.Why
	case job.Reading:
		return b, b.Seen.Sound()
	case job.Closing:
		if tooLong(string(b.Reason), room.MaxWho) {
			return nil, fmt.Errorf("a text in it is longer than may be kept")
		}
	case job.Move:
		if _, moves := f.Revisions[b.Revision]; !moves {
			return nil, fmt.Errorf("the harness that it moves to is not in the file")
		}
	case job.Repair:
		if !(b.Minutes >= 0 && b.Minutes <= mostMinutes) {
			return nil, fmt.Errorf("%g are no minutes", b.Minutes)
		}
	}
	return body, nil
}

// textTooLong tells whether a text of an entry's own is longer than a page would have taken.
func textTooLong(body []byte) bool {
	var fields map[string]any
	if json.Unmarshal(body, &fields) != nil {
		return false // which is said by whoever reads it
	}
	for _, field := range fields {
		if text, ok := field.(string); ok && tooLong(text, room.MaxText) {
			return true
		}
	}
	return false
}

func tooLong(s string, most int) bool { return !room.PlainText(s) || utf8.RuneCountInString(s) > most }

// sensibleTime tells whether something can have been recorded then.
func sensibleTime(at, now time.Time) bool {
	return at.Year() >= earliestYear && at.Before(now.Add(clockSkew))
}

// rewritePhotographs writes every photograph of a file anew, so that nothing but the picture
// comes in. It ends with the request.
func (f *jobFile) rewritePhotographs(ctx context.Context) error {
	if len(f.Photographs) > maxJobPhotos {
		return fmt.Errorf("the job file carries more than %d photographs", maxJobPhotos)
	}
	for id, raw := range f.Photographs {
		photo, err := room.Rewritten(ctx, raw, room.KeptPixels*room.KeptPixels)
		if err != nil {
			return fmt.Errorf("photograph %d of the job file: %w", id, err)
		}
		f.Photographs[id] = photo.JPEG
	}
	return nil
}
