package circuits

import (
	"net/http"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"

	"ironthread/core/family"
	"ironthread/core/units"
	"ironthread/web/room"
)

// newPage asks for a new circuit.
type newPage struct {
	room.Frame
	Answers   family.Answers
	Amps      string
	Lows      []family.Low
	Switchers []family.Switcher
}

func (a *Circuits) newHarness(c *gin.Context) {
	a.ask(c, http.StatusOK, family.Answers{Volts: 12, Fans: 2, Low: family.Series, Switched: family.Controller}, "16", nil)
}

func (a *Circuits) ask(c *gin.Context, status int, answers family.Answers, amps string, wrong error) {
	p := &newPage{Frame: a.Frame(c, "New circuit", "library"), Answers: answers, Amps: amps, Lows: family.Lows, Switchers: family.Switchers}
	if wrong != nil {
		p.Notice, p.Bad = room.Capitalise(wrong.Error())+".", true
	}
	a.Render(c, status, "new.html", p)
}

// addHarness writes the circuit that was asked for into the library and opens it for editing.
func (a *Circuits) addHarness(c *gin.Context) {
	number := func(key string) int {
		n, _ := strconv.Atoi(c.PostForm(key)) // what is no number is refused by Check
		return n
	}
	amps, _ := units.Figure(c.PostForm("amps")) // what is no figure is refused by Check
	title, long := room.Field(c, "title", "the title", room.MaxTitle)
	answers := family.Answers{
		Title: title, Volts: number("volts"), Fans: number("fans"), Amps: amps,
		Low: family.Low(c.PostForm("low")), Switched: family.Switcher(c.PostForm("switched")),
		NoLink: c.PostForm("no-link") != "", GroundRelay: c.PostForm("ground-relay") != "", Inverted: c.PostForm("inverted") != "",
		Sources: c.PostForm("sources") != "",
	}
	text, err := family.Write(answers)
	if long != nil {
		err = long
	}
	if err != nil {
		a.ask(c, http.StatusUnprocessableEntity, answers, c.PostForm("amps"), err)
		return
	}
	if title == "" {
		title = "New fan circuit"
	}
	added, err := a.keep.AddHarness(c.Request.Context(), room.Slug(title), title, text)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.taken(c, added, "/harnesses/"+url.PathEscape(added.Name)+"/edit")
}
