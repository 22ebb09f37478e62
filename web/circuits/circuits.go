// Package circuits is where people are with a circuit but without a car: the library, a harness's sheet with its
// states, faults and leads, its sockets, a start in time, the editor, a new circuit, and the study.
package circuits

import (
	"context"
	"embed"
	"fmt"
	"time"

	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	Harnesses(ctx context.Context) ([]store.Harness, error)
	Titles(ctx context.Context) ([]store.Harness, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	Revision(ctx context.Context, id int64) (store.Harness, error)
	ReviseAs(ctx context.Context, by store.Reviser, to store.Revised) error
	AddHarness(ctx context.Context, name, title, source string) (store.Harness, error)
	SetAside(ctx context.Context, name string) error
	SetAsides(ctx context.Context) ([]store.Aside, error)
	PutBack(ctx context.Context, id int64) error
	JobsOn(ctx context.Context) (map[int64]int, error)
	MakeRecord(ctx context.Context, name string, revision int64, who string, at time.Time) error
	KeepDraft(ctx context.Context, sum, text string) error
	Draft(ctx context.Context, sum string) (string, error)
	StudyOf(ctx context.Context, sum string) (store.Study, error)
	BeginStudy(ctx context.Context, sum, kind string) error
	KeepStudy(ctx context.Context, sum string, at store.Study) (stop bool, err error)
	StopStudy(ctx context.Context, sum string) error
	PutPhoto(ctx context.Context, harness int64, p store.Photo) error
	Photos(ctx context.Context, harness int64) ([]store.Photo, error)
	Picture(ctx context.Context, harness int64, box string) ([]byte, error)
	TagPhoto(ctx context.Context, harness int64, box string, tag store.Tag) error
	Printed(ctx context.Context, harness, revision int64) (*store.Printing, error)
}

// Circuits serves the pages of circuits.
type Circuits struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
	playing  chan struct{} // one study at a time: it takes a whole core
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits) (*Circuits, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("circuits: %w", err)
	}
	return &Circuits{r, keep, circuits, make(chan struct{}, 1)}, nil
}
