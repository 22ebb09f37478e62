package circuits

import (
	"cmp"
	"errors"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/family"
	"ironthread/core/harness"
	"ironthread/core/units"
	"ironthread/store"
	"ironthread/web/room"
)

// newPage asks for a new circuit.
type newPage struct {
	room.Frame
	Answers   family.Answers
	Amps      string
	Lows      []family.Low
	Switchers []family.Switcher
	Library   []store.Harness // any of them can be the beginning, instead of answers
	From      string          // the name of the one that was chosen
	Copy      string          // what the copy was to be called
}

func (a *Circuits) newHarness(c *gin.Context) {
	a.ask(c, http.StatusOK, firstAnswers, firstAmps, nil)
}

// What the page is filled with at first.
var firstAnswers = family.Answers{Volts: 12, Fans: 2, Low: family.Series, Switched: family.Controller}

const firstAmps = "16"

func (a *Circuits) ask(c *gin.Context, status int, answers family.Answers, amps string, wrong error) {
	p := &newPage{
		Frame: a.Frame(c, "New circuit", "library"), Answers: answers, Amps: amps, Lows: family.Lows, Switchers: family.Switchers,
		From: cmp.Or(c.PostForm("from"), c.Query("from")),
	}
	var err error
	if p.Library, err = a.keep.Titles(c.Request.Context()); err != nil {
		a.FailWith(c, err)
		return
	}
	if c.PostForm("from") != "" {
		p.Copy = c.PostForm("title")
	}
	if wrong != nil {
		p.Notice, p.Bad = room.Capitalise(wrong.Error())+".", true
	}
	a.Render(c, status, "new.html", p)
}

// titleLine is the line of a harness file that names it.
var titleLine = regexp.MustCompile(`(?m)^title:.*$`)

// beginFrom puts a circuit of the library into it once more, under a title of its own, and opens it for editing.
func (a *Circuits) beginFrom(c *gin.Context) {
	title, err := room.Field(c, "title", "the title", room.MaxTitle)
	if err == nil && title == "" {
		err = errors.New("say what the new circuit is called")
	}
	if err != nil {
		a.ask(c, http.StatusUnprocessableEntity, firstAnswers, firstAmps, err)
		return
	}
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.PostForm("from"))
	if errors.Is(err, store.ErrNotFound) {
		a.ask(c, http.StatusUnprocessableEntity, firstAnswers, firstAmps, errors.New("choose the circuit that it begins from"))
		return
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.addCopy(c, h, room.Slug(title), title)
}

// addCopy puts a circuit into the library once more, under a name and a title of its own, and opens it for editing.
func (a *Circuits) addCopy(c *gin.Context, h store.Harness, name, title string) {
	line := titleLine.FindString(h.Source)
	text := strings.Replace(h.Source, line, "title: "+strconv.Quote(title), 1)
	if _, err := harness.Read([]byte(text)); line == "" || err != nil { // a title over several lines stays as it is in the file
		text = h.Source
	}
	added, err := a.keep.AddHarness(c.Request.Context(), name, title, text)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.taken(c, added, "/harnesses/"+url.PathEscape(added.Name)+"/edit")
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
