package jobs

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/bench"
	"ironthread/core/shorthand"
	"ironthread/store"
	"ironthread/web/room"
)

// Going somewhere by name: a few letters of a vehicle, a circuit, a page, a bench sheet; on a job also a part or a terminal of its
// circuit, as printed. The layout's dialog asks it while one types; without scripts it is a page of its own.

// mostGone bounds how many places of one kind are listed.
const mostGone = 6

type goPage struct {
	room.Frame
	Words string
	Found []gone
}

// gone is a place that fits what was typed.
type gone struct{ Title, Kind, URL string }

// rooms are the pages that are always there.
var rooms = []gone{
	{"Bay", "page", "/"}, {"Library", "page", "/library"}, {"New circuit", "page", "/library/new"}, {"Rewire", "page", "/rewire"},
	{"Bench", "page", "/bench"}, {"Drills", "page", "/drills"}, {"Logbook", "page", "/logbook"},
	{"Tools and way of working", "page", "/tools"}, {"Settings of the workshop", "page", "/settings"},
	{"Join with another device", "page", "/join"},
}

func (a *Jobs) goTo(c *gin.Context) {
	p := goPage{Frame: a.Frame(c, "Go to", ""), Words: strings.TrimSpace(room.Clip(c.Query("q"), room.MaxFind))}
	if id, err := strconv.ParseInt(c.Query("job"), 10, 64); err == nil && id > 0 {
		j, ok := a.openJob(c, id)
		if !ok {
			return
		}
		p.inJob(j)
	}
	list := slices.Clone(rooms)
	for _, s := range bench.Sheets {
		list = append(list, gone{s.Title, "bench sheet", "/bench/" + url.PathEscape(s.Name)})
	}
	p.take(list)
	circuits, err := a.keep.Titles(c.Request.Context())
	if err != nil {
		a.FailWith(c, err)
		return
	}
	list = nil
	for _, h := range circuits {
		list = append(list, gone{h.Title, "circuit", "/harnesses/" + url.PathEscape(h.Name)})
	}
	p.take(list)
	jobs, _, err := a.keep.Jobs(c.Request.Context(), store.Find{Anywhere: true, Words: p.Words, Limit: mostGone})
	if err != nil {
		a.FailWith(c, err)
		return
	}
	for _, l := range jobs {
		p.Found = append(p.Found, gone{l.Vehicle + ": " + l.Title, "job", fmt.Sprintf("/jobs/%d", l.ID)})
	}
	a.Render(c, http.StatusOK, "goto.html", p)
}

// take adds the first of a list that hold all words.
func (p *goPage) take(list []gone) {
	found := 0
	for _, g := range list {
		fits := true
		for _, word := range strings.Fields(strings.ToLower(p.Words)) {
			fits = fits && strings.Contains(strings.ToLower(g.Title+" "+g.Kind), word)
		}
		if fits && found < mostGone {
			p.Found, found = append(p.Found, g), found+1
		}
	}
}

// inJob adds what there is in a job: a place of its circuit, its pages, and what can be recorded there.
func (p *goPage) inJob(j *jobAt) {
	if place := shorthand.Place(j.file.Drawn, p.Words); place != "" {
		p.Found = append(p.Found, gone{place, "measure there", placeURL(j, place, "")})
	}
	var list []gone
	for _, t := range tabs {
		list = append(list, gone{t.Label, "of this job", fmt.Sprintf("/jobs/%d%s", j.ID, t.Path)})
	}
	for path, title := range map[string]string{"?do=codes": "Fault codes", "?table=1": "Command every state"} {
		list = append(list, gone{title, "of this job", fmt.Sprintf("/jobs/%d%s", j.ID, path)})
	}
	p.take(list)
}
