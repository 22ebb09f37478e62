package jobs

import "github.com/gin-gonic/gin"

// Routes adds the room's addresses.
func (a *Jobs) Routes(r gin.IRouter) {
	r.GET("/", a.bay)
	r.POST("/jobs", a.startJob)
	r.POST("/jobs/import", a.importJob)
	r.GET("/jobs/:id", a.job)
	r.GET("/jobs/:id/since", a.since)
	r.GET("/jobs/:id/more", a.more)
	r.GET("/jobs/:id/paper", a.paper)
	r.POST("/jobs/:id/seen", a.record)
	r.POST("/jobs/:id/setup", a.setUp)
	r.POST("/jobs/:id/setup/all", a.setUpAll)
	r.POST("/jobs/:id/engine", a.setEngine)
	r.POST("/jobs/:id/strike", a.strike)
	r.POST("/jobs/:id/note", a.note)
	r.POST("/jobs/:id/close", a.closeJob)
	r.POST("/jobs/:id/repair", a.repair)
	r.POST("/jobs/:id/check", a.check)
	r.POST("/jobs/:id/move", a.moveJob)
	r.POST("/jobs/:id/photo", a.addPhoto)
	r.GET("/jobs/:id/photo/:photo", a.jobPhoto)
	r.GET("/jobs/:id/why", a.why)
	r.GET("/jobs/:id/believe", a.believe)
	r.GET("/jobs/:id/drive", a.drive)
	r.GET("/jobs/:id/verify", a.verify)
	r.GET("/jobs/:id/report", a.report)
	r.GET("/jobs/:id/report/:form", a.reportAs)
}
