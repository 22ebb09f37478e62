// Package circuits is where people are with a circuit but without a car: the library, a harness's sheet with its
// states, faults and leads, its sockets, a start in time, the editor, a new circuit, and the study.
package circuits

import (
	"context"
	"embed"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	Harnesses(ctx context.Context) ([]store.Harness, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	Revision(ctx context.Context, id int64) (store.Harness, error)
	ReviseHarness(ctx context.Context, name string, saw int64, title, source string) error
	AddHarness(ctx context.Context, name, title, source string) (store.Harness, error)
	DeleteHarness(ctx context.Context, name string) error
	PutPhoto(ctx context.Context, harness int64, p store.Photo) error
	Photos(ctx context.Context, harness int64) ([]store.Photo, error)
	Picture(ctx context.Context, harness int64, box string) ([]byte, error)
	TagPhoto(ctx context.Context, harness int64, box string, tag store.Tag) error
}

// Circuits serves the pages of circuits.
type Circuits struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
	studies  *studies
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits) (*Circuits, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("circuits: %w", err)
	}
	return &Circuits{r, keep, circuits, newStudies()}, nil
}

// Routes adds the room's addresses.
func (a *Circuits) Routes(r gin.IRouter) {
	r.GET("/library", a.library)
	r.POST("/library", a.importHarness)
	r.GET("/library/new", a.newHarness)
	r.POST("/library/new", a.addHarness)
	r.GET("/harnesses/:name", a.sheet)
	r.GET("/harnesses/:name/study", a.study)
	r.POST("/harnesses/:name/study", a.beginStudy)
	r.GET("/harnesses/:name/export/:form", a.export)
	r.GET("/harnesses/:name/start", a.start)
	r.GET("/harnesses/:name/edit", a.edit)
	r.POST("/harnesses/:name/edit", a.saveHarness)
	r.POST("/harnesses/:name/copy", a.copyHarness)
	r.POST("/harnesses/:name/delete", a.deleteHarness)
	r.GET("/harnesses/:name/boxes", a.boxes)
	r.GET("/harnesses/:name/boxes/:part", a.boxes)
	r.GET("/harnesses/:name/boxes/photo", a.picture)
	r.POST("/harnesses/:name/boxes/photo", a.takePhoto)
	r.POST("/harnesses/:name/boxes/tag", a.tagPhoto)
	r.POST("/harnesses/:name/place", a.place)
	r.POST("/harnesses/:name/tidy", a.tidy)
	r.POST("/drafts", a.readDraft)
	r.GET("/drafts/:sum", a.draftDrawing)
	r.GET("/harness.schema.json", func(c *gin.Context) { c.Data(http.StatusOK, "application/schema+json", harness.Schema()) })
}
