package circuits

import (
	"net/http"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
)

// Routes adds the room's addresses.
func (a *Circuits) Routes(r gin.IRouter) {
	r.GET("/library", a.library)
	r.POST("/library", a.importHarness)
	r.GET("/library/kinds", a.kinds)
	r.GET("/library/new", a.newHarness)
	r.POST("/library/new", a.addHarness)
	r.POST("/library/new/from", a.beginFrom)
	r.GET("/harnesses/:name", a.sheet)
	r.GET("/harnesses/:name/study", a.study)
	r.POST("/harnesses/:name/study", a.beginStudy)
	r.GET("/harnesses/:name/export/:form", a.export)
	r.GET("/harnesses/:name/start", a.start)
	r.GET("/harnesses/:name/logic", a.logic)
	r.POST("/harnesses/:name/logic", a.keepTied)
	r.GET("/harnesses/:name/pins", a.pins)
	r.POST("/harnesses/:name/pins", a.readPins)
	r.GET("/harnesses/:name/pins/list", a.pinsList)
	r.GET("/harnesses/:name/edit", a.edit)
	r.POST("/harnesses/:name/edit", a.saveHarness)
	r.GET("/harnesses/:name/parts/:part", a.settings)
	r.POST("/harnesses/:name/parts/:part", a.saveSettings)
	r.POST("/harnesses/:name/copy", a.copyHarness)
	r.POST("/harnesses/:name/delete", a.setAside)
	r.POST("/library/back", a.putBack)
	r.POST("/harnesses/:name/record", a.makeRecord)
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
