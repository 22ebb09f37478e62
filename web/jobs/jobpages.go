package jobs

import (
	"context"
	"fmt"

	"ironthread/core/printed"
	"ironthread/store"
	"ironthread/web/room"
)

// The pages of a job's circuit travel in the job's file, so that whoever takes it in sees them as printed, too.

// filePage is a page of the circuit in a job file.
type filePage struct {
	Number int    `json:"number"`
	JPEG   []byte `json:"jpeg"`
}

// addPages puts the pages of the job's circuit into its file; none where it has none, or has been set aside. The record of a closed job is
// the same for ever, and pages can be laid anew: it goes without them.
func (a *Jobs) addPages(ctx context.Context, j *jobAt, f *jobFile) error {
	if j.Sheet == "" || j.state.Closed {
		return nil
	}
	h, err := a.keep.HarnessNamed(ctx, j.Sheet)
	if err != nil {
		return err
	}
	of, err := a.keep.Printed(ctx, h.ID, j.Revision)
	if err != nil {
		return err
	}
	f.Places = of.Places
	for _, p := range of.Pages {
		whole, err := a.keep.PageOf(ctx, h.ID, of.On, p.Number)
		if err != nil {
			return err
		}
		f.Pages = append(f.Pages, filePage{p.Number, whole.JPEG})
	}
	return nil
}

// pages reads the pages of a job file: each picture is written anew, as every one that comes from outside.
func (f *jobFile) pages(ctx context.Context) ([]store.PrintedPage, error) {
	if len(f.Pages) > printed.MostPages {
		return nil, fmt.Errorf("the job file has more than %d pages of its circuit", printed.MostPages)
	}
	var list []store.PrintedPage
	for _, p := range f.Pages {
		if p.Number < 1 || p.Number > printed.MostPages {
			return nil, fmt.Errorf("the job file has a page with the number %d", p.Number)
		}
		page, err := room.TakenPage(ctx, p.JPEG)
		if err != nil {
			return nil, fmt.Errorf("page %d of the job file: %w", p.Number, err)
		}
		page.Number = p.Number
		list = append(list, *page)
	}
	return list, nil
}

// takePages gives the circuit of a job that was taken in its pages, where it has none here.
func (a *Jobs) takePages(ctx context.Context, id int64, pages []store.PrintedPage, places printed.Places) error {
	if len(pages) == 0 {
		return nil
	}
	j, err := a.keep.Job(ctx, id)
	if err != nil || j.Sheet == "" {
		return err
	}
	h, err := a.keep.HarnessNamed(ctx, j.Sheet)
	if err != nil {
		return err
	}
	here, err := a.keep.Printed(ctx, h.ID, j.Revision)
	if err != nil || len(here.Pages) > 0 {
		return err
	}
	b, err := a.circuits.Get(j.Source)
	if err != nil {
		return err
	}
	h.Revision = j.Revision // which its pages were laid on
	return a.keep.PutPages(ctx, h, pages, places.Of(b.Drawn))
}
