package people

import (
	"encoding/base64"
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"
	"rsc.io/qr"

	"ironthread/web/room"
)

// joinPage shows where a second device finds the application, or a job of it.
type joinPage struct {
	room.Frame
	Place
	Image template.URL
}

func (a *People) join(c *gin.Context) {
	p := joinPage{Frame: a.Frame(c, "Join with another device", ""), Place: a.place}
	if p.Address != "" {
		if back := room.BackTo(c.Query("back")); back != "/" {
			p.Address += back
		}
		code, err := qr.Encode(p.Address, qr.M)
		if err != nil {
			a.FailWith(c, err)
			return
		}
		p.Image = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(code.PNG())) //nolint:gosec // our own picture
	}
	a.Render(c, http.StatusOK, "join.html", p)
}
