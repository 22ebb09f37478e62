// Package jobs is where people are while they work on a car: the Bay, a job with its thread, its sheet and its
// next move, and the pages beside it: why, prove me wrong, driving, verifying, the report.
//
// A handler folds the job's log, asks the guide what it leaves, and fills one page. Whatever is written is
// decided under the job's row lock (see [Jobs.change]).
package jobs

import (
	"context"
	"embed"
	"fmt"
	"sync"

	"ironthread/core/diagnose"
	"ironthread/core/job"
	"ironthread/core/printed"
	"ironthread/scan"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	Jobs(ctx context.Context, find store.Find) ([]store.Line, int, error)
	Job(ctx context.Context, id int64) (store.Job, error)
	Before(ctx context.Context, id int64) ([]store.Line, error)
	Entries(ctx context.Context, id int64) ([]job.Entry, error)
	LastSeq(ctx context.Context, id int64) (int, error)
	Listen(ctx context.Context, told func(job int64), says func(err error))
	Append(ctx context.Context, id int64, saw int, token string, decide store.Decide) ([]job.Entry, error)
	PutStanding(ctx context.Context, id int64, seq int, standing store.Standing) error
	OpenJob(ctx context.Context, n store.NewJob) (int64, error)
	Archive(ctx context.Context, id int64, archived bool) error
	ImportJob(ctx context.Context, in store.Imported) (int64, error)
	Titles(ctx context.Context) ([]store.Harness, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	HarnessEver(ctx context.Context, name string) (store.Harness, error)
	Revision(ctx context.Context, id int64) (store.Harness, error)
	Vehicles(ctx context.Context) ([]store.Vehicle, error)
	PutVehicle(ctx context.Context, name, notes string) (int64, error)
	AddJobPhoto(ctx context.Context, jobID int64, jpeg []byte) (int64, error)
	JobPhoto(ctx context.Context, jobID, id int64) ([]byte, error)
	Printed(ctx context.Context, harness, revision int64) (*store.Printing, error)
	PageOf(ctx context.Context, harness, on int64, number int) (store.PrintedPage, error)
	PutPages(ctx context.Context, h store.Harness, pages []store.PrintedPage, places printed.Places) error
}

// Learnt is what the workshop's closed jobs teach.
type Learnt interface {
	Experience(ctx context.Context) (diagnose.Experience, error)
	Forget() // a job has just been closed, or taken in
}

// Jobs serves the pages of jobs.
type Jobs struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
	learnt   Learnt
	watches  *scan.Watches
	keyNames map[string]string // programs that make keys, by name
	news     *news
	settler  *settler
	pages    *seenPages
	drilling sync.Map // by job, the simulated vehicle that a drill is connected to

	Simulated []Known // vehicles that are known to answer
}

// SetKeyPrograms sets the programs that make keys, by name.
func (a *Jobs) SetKeyPrograms(programs map[string]string) {
	a.watches.Keys = scan.KeyPrograms(programs)
	a.keyNames = programs
}

// AllowLoopback lets a vehicle and a meter be on this machine itself.
func (a *Jobs) AllowLoopback(allowed bool) { a.watches.Loopback = allowed }

// Close leaves all vehicles, with what was commanded given back.
func (a *Jobs) Close() {
	a.settler.stop()
	a.news.end()
	a.watches.Close()
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits, learnt Learnt) (*Jobs, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("jobs: %w", err)
	}
	a := &Jobs{Room: r, keep: keep, circuits: circuits, learnt: learnt, watches: scan.NewWatches(), news: newNews(), pages: newSeenPages()}
	a.beginSettling()
	return a, nil
}
