// Package people is where a person says who they are and what they work with: the name that signs entries, the
// tools at hand, the way of working. All of it is kept at the person's own browser.
package people

import (
	"embed"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"

	"ironthread/core/probe"
	"ironthread/web/room"
)

//go:embed templates/*.html
var templates embed.FS

// People serves the pages of persons.
type People struct {
	*room.Room
	keep     Settings
	accounts *Accounts // nil: nobody signs in, and a name is a cookie
	place    Place
}

// Place is where another device finds the application.
type Place struct {
	Address     string // empty: it cannot
	Fingerprint string // that of its certificate, as browsers show it; empty where it has none of its own
}

// New reads the room's templates. Accounts may be nil: nobody signs in then. Place is where another device finds the
// application.
func New(s *room.Shared, keep Settings, accounts *Accounts, place Place) (*People, error) {
	r, err := room.New(s, templates)
	if err != nil {
		return nil, fmt.Errorf("people: %w", err)
	}
	return &People{r, keep, accounts, place}, nil
}

// Routes adds the room's addresses.
func (a *People) Routes(r gin.IRouter) {
	r.GET("/tools", a.tools)
	r.POST("/tools", a.setTools)
	r.GET("/join", a.join)
	r.GET("/settings", a.settings)
	r.POST("/settings", a.setSettings)
	if a.accounts == nil {
		r.POST("/who", a.setWho)
		return
	}
	r.GET("/signin", a.signIn)
	r.POST("/strength", a.strength)
	r.POST("/signin", a.doSignIn)
	r.POST("/signout", a.signOut)
	r.GET("/me", a.me)
	r.POST("/me", a.setMe)
	r.GET("/people", a.staff)
	r.POST("/people", a.addPerson)
	r.POST("/people/:id", a.setPerson)
}

// toolBox is one tool that may be at hand.
type toolBox struct {
	Name, Label string
	Here        bool
}

type toolsPage struct {
	room.Frame
	Scan    probe.ScanTool
	Scans   []room.Choice
	Tools   []toolBox
	School  probe.School
	Schools []room.Choice
	Units   []room.UnitChoice
	Looks   []room.Choice
	Back    string
}

func (a *People) tools(c *gin.Context) {
	kit, school := room.KitOf(c)
	p := toolsPage{Frame: a.Frame(c, "Tools and way of working", ""), Back: room.CameFrom(c), Units: room.UnitChoices(room.UnitsOf(c))}
	for _, scan := range []room.Choice{
		{Value: string(probe.CommandTool), Label: "commands each state"},
		{Value: string(probe.BasicTool), Label: "reads codes and live data only"}, {Value: string(probe.NoTool), Label: "none"},
	} {
		scan.Chosen = scan.Value == string(kit.Scan)
		p.Scans = append(p.Scans, scan)
	}
	for _, t := range room.Tools(&kit) {
		p.Tools = append(p.Tools, toolBox{t.Name, t.Label, t.Has()})
	}
	for _, s := range probe.Schools {
		label := string(s)
		if s == probe.PlainBest {
			label = "fastest first (recommended)"
		}
		p.Schools = append(p.Schools, room.Choice{Value: string(s), Label: label, Chosen: s == school})
	}
	for _, look := range room.Looks {
		look.Chosen = look.Value == p.Look
		p.Looks = append(p.Looks, look)
	}
	a.Render(c, http.StatusOK, "tools.html", p)
}

// toolsForm is what the page of tools posts, beside a box for each tool.
type toolsForm struct {
	Scan   string `form:"scan" says:"the scan tool" binding:"max=40"`
	School string `form:"school" says:"the way of working" binding:"max=40"`
	Back   string `form:"back"`
}

func (a *People) setTools(c *gin.Context) {
	var f toolsForm
	if err := room.Bind(c, &f); err != nil {
		a.Refuse(c, err)
		return
	}
	room.KeepKit(c, f.Scan, f.School, func(tool string) bool { return c.PostForm("tool-"+tool) != "" })
	room.KeepUnits(c)
	room.KeepType(c)
	room.KeepLook(c)
	c.Redirect(http.StatusSeeOther, room.BackTo(f.Back))
}

// whoForm is the name that somebody signs with.
type whoForm struct {
	Who string `form:"who" says:"the name" binding:"max=40"`
}

func (a *People) setWho(c *gin.Context) {
	var f whoForm
	if err := room.Bind(c, &f); err != nil {
		a.Refuse(c, err)
		return
	}
	room.SignAs(c, f.Who)
	c.Redirect(http.StatusSeeOther, room.CameFrom(c))
}
