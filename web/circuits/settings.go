package circuits

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
	"ironthread/core/typed"
	"ironthread/store"
	"ironthread/web/room"
)

// The settings of a controller or a module as fields: what takes several lines in the text is a list here, each setting by
// its name. Saving makes a new revision, as the editor does.

// newSettings is how many further settings the form has room for.
const newSettings = 4

// furtherSettings are those that a kind of part can have, for what is added; N stands for a pin's name.
var furtherSettings = map[harness.Kind][]string{
	harness.KindController: {"pins.N.sinks-on", "pins.N.sinks-unless", "pins.N.sources-on", "pins.N.pwm-on", "pins.N.input", "pins.N.asserted",
		"pins.N.pull-up", "pins.N.power", "pins.N.ground", "pins.N.label"},
	harness.KindFanModule: {"inputs", "feeds", "grounds", "logic", "rating.amps", "rating.watts", "ramp", "table.1.when", "table.1.drive.out"},
	harness.KindPWMModule: {"control", "feeds", "grounds", "logic", "outputs.N.+", "outputs.N.-", "duty.min", "duty.max", "on-level",
		"hertz.from", "hertz.to", "open", "grounded", "ramp", "rating.amps", "rating.watts"},
}

type settingsPage struct {
	room.Frame
	Harness store.Harness
	Part    *harness.Part
	List    []typed.Setting
	More    []string
	Room    []int
	Saw     int64
}

// settings shows a part's settings.
func (a *Circuits) settings(c *gin.Context) { a.showSettings(c, http.StatusOK, nil) }

func (a *Circuits) showSettings(c *gin.Context, status int, wrong error) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	p := settingsPage{Frame: a.Frame(c, "Settings", "library"), Harness: h, Part: b.Drawn.Part(c.Param("part")),
		Room: make([]int, newSettings), Saw: h.Newest}
	if p.Part == nil {
		a.Fail(c, http.StatusNotFound, fmt.Sprintf("There is no part %s in this harness.", harness.Clipped(c.Param("part"), room.MaxWho)))
		return
	}
	var err error
	if p.List, err = typed.SettingsOf(h.Source, p.Part.Name); err != nil {
		a.Refuse(c, err)
		return
	}
	for i := range p.Room {
		p.Room[i] = i
	}
	p.More = furtherSettings[p.Part.Kind()]
	if wrong != nil {
		p.Refuse(wrong)
		for i, s := range p.List { // what was typed stays
			if typed, ok := c.GetPostForm("set-" + s.Path); ok {
				p.List[i].Value = room.Clip(typed, room.MaxText)
			}
		}
	}
	a.Render(c, status, "settings.html", p)
}

// saveSettings writes what the form says into the harness.
func (a *Circuits) saveSettings(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	part := b.Drawn.Part(c.Param("part"))
	if part == nil {
		a.Fail(c, http.StatusNotFound, "There is no such part in this harness.")
		return
	}
	refuse := func(err error) { a.showSettings(c, http.StatusUnprocessableEntity, err) }
	list, err := typed.SettingsOf(h.Source, part.Name)
	if err != nil {
		refuse(err)
		return
	}
	var changed []typed.Setting
	for _, s := range list {
		if value, ok := c.GetPostForm("set-" + s.Path); ok && strings.TrimSpace(value) != s.Value {
			changed = append(changed, typed.Setting{Path: s.Path, Value: room.Clip(value, room.MaxText)})
		}
	}
	for i := range newSettings {
		path, value := strings.TrimSpace(c.PostForm(fmt.Sprintf("path-%d", i))), c.PostForm(fmt.Sprintf("value-%d", i))
		if path != "" && strings.TrimSpace(value) != "" {
			changed = append(changed, typed.Setting{Path: room.Clip(path, room.MaxText), Value: room.Clip(value, room.MaxText)})
		}
	}
	text, err := typed.Set(h.Source, part.Name, changed)
	if err == nil {
		_, err = harness.Read([]byte(text))
	}
	if err != nil {
		refuse(err)
		return
	}
	if a.revise(c, h, h.Title, text) {
		c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/edit")
	}
}
