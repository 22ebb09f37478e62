// Package rewire is where people state what they have and want, and get a circuit: the wish as a form, the ways that can do
// it side by side, each drawn and broken on purpose, and the build sheets to print.
//
// All of a wish is in the address, so that a page can be kept, handed on and printed again. What a wish comes to is worked out
// once for all who ask, in the background; a page that would have to wait says how far it is.
package rewire

import (
	"context"
	"embed"
	"fmt"

	"github.com/gin-gonic/gin"

	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// Keeper is what this room needs of the store.
type Keeper interface {
	Harnesses(ctx context.Context) ([]store.Harness, error)
	HarnessNamed(ctx context.Context, name string) (store.Harness, error)
	AddHarness(ctx context.Context, name, title, source string) (store.Harness, error)
	PutVehicle(ctx context.Context, name, notes string) (int64, error)
	OpenJob(ctx context.Context, n store.NewJob) (int64, error)
}

// Rewire serves the pages of a rewire.
type Rewire struct {
	*room.Room
	keep     Keeper
	circuits *worked.Circuits
	plans    *plans
}

//go:embed templates/*.html
var templates embed.FS

// New reads the room's templates.
func New(s *room.Shared, keep Keeper, circuits *worked.Circuits) (*Rewire, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("rewire: %w", err)
	}
	return &Rewire{r, keep, circuits, newPlans()}, nil
}

// Routes adds the room's addresses.
func (a *Rewire) Routes(r gin.IRouter) {
	r.GET("/rewire", a.wish)
	r.GET("/rewire/whatif", a.whatIf)
	r.GET("/rewire/wish", a.wishFile)
	r.GET("/rewire/build", a.build)
	r.GET("/rewire/build/:form", a.buildFile)
	r.GET("/rewire/built", a.asBuilt)
	r.POST("/rewire/built", a.keepBuilt)
	r.POST("/rewire/keep", a.keepHarness)
	r.POST("/rewire/read", a.readWish)
}
