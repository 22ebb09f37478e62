package web

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/diagnose"
	"ironthread/core/probe"
)

// What a technician has and how they like to work is kept in a cookie, by person.
const kitCookie = "kit"

// toolBox is one tool that may be at hand.
type toolBox struct {
	Name, Label string
	Here        bool
}

type toolsPage struct {
	frame
	Scan    probe.ScanTool
	Scans   []choice
	Tools   []toolBox
	School  probe.School
	Schools []choice
	Back    string
}

type choice struct {
	Value, Label string
	Chosen       bool
}

// kitOf reads the person's tools and school; without any, everything is at hand.
func kitOf(c *gin.Context) (probe.Kit, probe.School) {
	raw, err := c.Cookie(kitCookie)
	if err != nil {
		return probe.Kit{}, probe.PlainBest
	}
	return parseKit(raw)
}

func parseKit(raw string) (kit probe.Kit, school probe.School) {
	q, err := url.ParseQuery(clip(raw, maxText))
	if err != nil {
		return kit, school
	}
	if scan := probe.ScanTool(q.Get("scan")); scan == probe.BasicTool || scan == probe.NoTool {
		kit.Scan = scan
	}
	for _, t := range tools(&kit) {
		*t.missing = q.Get("without-"+t.name) != ""
	}
	if s := probe.School(q.Get("school")); slices.Contains(probe.Schools, s) {
		school = s
	}
	return kit, school
}

type tool struct {
	name, label string
	missing     *bool
}

func tools(k *probe.Kit) []tool {
	return []tool{
		{"meter", "Multimeter", &k.NoMeter}, {"lamp", "Test lamp", &k.NoLamp}, {"clamp", "Clamp ammeter", &k.NoClamp},
		{"decade", "Decade box or resistors for a sensor's place", &k.NoDecade}, {"jumper", "Fused jumper lead", &k.NoJumper},
	}
}

func (a *App) tools(c *gin.Context) {
	kit, school := kitOf(c)
	p := toolsPage{frame: a.frame(c, "Tools and way of working", ""), Back: cameFrom(c)}
	for _, scan := range []choice{
		{Value: string(probe.CommandTool), Label: "commands each state"},
		{Value: string(probe.BasicTool), Label: "reads codes and live data only"}, {Value: string(probe.NoTool), Label: "none"},
	} {
		scan.Chosen = scan.Value == string(kit.Scan)
		p.Scans = append(p.Scans, scan)
	}
	for _, t := range tools(&kit) {
		p.Tools = append(p.Tools, toolBox{t.name, t.label, !*t.missing})
	}
	for _, s := range probe.Schools {
		label := string(s)
		if s == probe.PlainBest {
			label = "plain best: most told per minute"
		}
		p.Schools = append(p.Schools, choice{string(s), label, s == school})
	}
	a.render(c, http.StatusOK, "tools.html", p)
}

func (a *App) setTools(c *gin.Context) {
	q := url.Values{"scan": {clip(c.PostForm("scan"), maxWho)}, "school": {clip(c.PostForm("school"), maxWho)}}
	var kit probe.Kit
	for _, t := range tools(&kit) {
		if c.PostForm("tool-"+t.name) == "" {
			q.Set("without-"+t.name, "1")
		}
	}
	http.SetCookie(c.Writer, &http.Cookie{ //nolint:gosec // served on loopback over plain HTTP, where Secure would lose it
		Name: kitCookie, Value: url.QueryEscape(q.Encode()), Path: "/", MaxAge: whoAge, HttpOnly: true, SameSite: http.SameSiteStrictMode,
	})
	c.Redirect(http.StatusSeeOther, backTo(c.PostForm("back")))
}

// backTo keeps an address within the application: a path with its query, or the bay.
func backTo(path string) string {
	if strings.HasPrefix(path, "/") && !strings.Contains(path, "//") && !strings.Contains(path, "\\") {
		return path
	}
	return "/"
}

// cameFrom is the page of this application on which a person was before: the one named in the
// query, else the one that the browser names.
func cameFrom(c *gin.Context) string {
	if named := c.Query("back"); named != "" {
		return backTo(named)
	}
	before, err := url.Parse(c.GetHeader("Referer"))
	if err != nil || before.Host != c.Request.Host || before.Path == c.Request.URL.Path {
		return "/"
	}
	return backTo(before.RequestURI())
}

// nowOf is how the car stands, with the person's tools.
func nowOf(c *gin.Context, j *jobAt) diagnose.Now {
	now := j.state.Now
	now.Kit, now.School = kitOf(c)
	now.Learnt = j.learnt
	return now
}
