package circuits

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"ironthread/web/drawing"

	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/probe"
	"ironthread/core/socket"
	"ironthread/store"
	"ironthread/web/room"
	"ironthread/web/worked"
)

// boxesPage shows the boxes of a circuit, or one socket of one of them: as seen, with what each
// cavity should read in the set-up chosen.
type boxesPage struct {
	room.Frame
	Harness store.Harness
	Boxes   []boxView

	// Of one socket.
	Part    *harness.Part
	Slot    socket.Slot
	Card    drawing.Picture
	Given   bool // the arrangement is the file's own
	Setup   []string
	Changes []string // what opening the card takes as done
	Notes   []string
	Shown   string
	States  []room.Button
	Turns   []room.Button
	Views   []room.Button
	Places  []room.Button // part out, part in
	Others  []string      // relays and fuses there are
}

type boxView struct {
	Name      string
	Map       drawing.Picture // empty where the file tells no grid
	Loose     []*harness.Part
	Photo     drawing.Picture
	HasPhoto  bool
	Parts     []string // that may be tagged
	Landmarks []string
}

// boxes lists the boxes; one part's socket where the address names it.
func (a *Circuits) boxes(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	p := &boxesPage{Frame: a.Frame(c, "Sockets: "+h.Title, "library"), Harness: h}
	status := http.StatusOK
	refuse := func(err error) {
		if err != nil {
			p.Notice, p.Bad, status = room.Sentence(err), true, http.StatusUnprocessableEntity
		}
	}
	q := c.Request.URL.Query()
	cond, err := p.condition(b, q, c.Param("part"))
	refuse(err)
	point, err := b.Model.Solve(cond)
	if err != nil {
		refuse(err)
		point, err = b.Model.Solve(electric.Condition{State: cond.State})
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	look := &drawing.CardLook{Point: point, Reads: expectedShort(point), Wires: wiresAt(b.Drawn), Title: "Cavities in " + p.Shown}
	base := "/harnesses/" + url.PathEscape(h.Name) + "/boxes"
	for i, s := range b.Drawn.States {
		p.States = append(p.States, room.Button{
			Name: s.Name, URL: boxAddress(q, c.Request.URL.Path, "state", s.Name), Key: i + 1, On: s.Name == p.Shown,
		})
	}
	if name := c.Param("part"); name != "" {
		if p.Part = b.Drawn.Part(name); p.Part == nil {
			a.Fail(c, http.StatusNotFound, "There is no part "+room.Clip(name, 30)+" in this circuit.")
			return
		}
		if err := p.lay(b, q, base, look); err != nil {
			a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
			return
		}
		for _, w := range point.Warnings {
			if w.Kind == "back-feed" {
				p.Notes = append(p.Notes, w.Text)
			}
		}
	}
	if err := a.fillBoxes(c, p, b, base, look); err != nil {
		a.FailWith(c, err)
		return
	}
	a.Render(c, status, "boxes.html", p)
}

// condition reads the state and set-up; the part looked at is out, unless it is said to be in.
func (p *boxesPage) condition(b *worked.File, q url.Values, part string) (electric.Condition, error) {
	sp := &sheetPage{}
	cond, err := sp.condition(b, q)
	p.Shown, p.Setup = cond.State.Name, sp.Setup
	out := electric.Action{Verb: electric.Out, Part: part}
	known := b.Drawn.Part(part)
	if q.Get("in") == "" && known != nil && electric.DetachVerb(known.Kind()) == electric.Out && !slices.Contains(cond.Setup, out) {
		cond.Setup = append(cond.Setup, out)
		p.Changes = []string{out.String()}
	}
	return cond, err
}

// lay draws the card of the part.
func (p *boxesPage) lay(b *worked.File, q url.Values, base string, look *drawing.CardLook) error {
	turn, _ := strconv.Atoi(q.Get("turn")) // anything else is not turned
	view := socket.View{Under: q.Get("under") != "", Turn: turn}
	card, err := socket.Lay(p.Part, view)
	if err != nil {
		return err
	}
	p.Slot, p.Given = socket.SlotOf(b.Drawn, p.Part), card.Given || p.Part.Kind() == harness.KindFuse
	look.Title = fmt.Sprintf("%s in %s", p.Part.Name, p.Shown)
	p.Card = drawing.Card(card, look)
	set := func(key, value string) string { return boxAddress(q, base+"/"+url.PathEscape(p.Part.Name), key, value) }
	for k, word := range []string{"as it is", "90°", "180°", "270°"} {
		p.Turns = append(p.Turns, room.Button{Name: word, URL: set("turn", strconv.Itoa(k)), On: (turn%4+4)%4 == k})
	}
	p.Views = []room.Button{
		{Name: "into the socket", URL: set("under", ""), On: !view.Under},
		{Name: "the part's underside", URL: set("under", "1"), On: view.Under},
	}
	p.Places = []room.Button{
		{Name: "part out", URL: set("in", ""), On: q.Get("in") == ""},
		{Name: "part in", URL: set("in", "1"), On: q.Get("in") != ""},
	}
	for _, other := range b.Drawn.Parts {
		if kind := other.Kind(); kind == harness.KindRelay || kind == harness.KindFuse {
			p.Others = append(p.Others, other.Name)
		}
	}
	return nil
}

// boxAddress is the address of a page of the boxes with one thing changed.
func boxAddress(q url.Values, at, key, value string) string {
	next := url.Values{}
	for _, k := range []string{"state", "turn", "under", "in", "setup"} {
		for _, v := range q[k] {
			next.Add(k, v)
		}
	}
	if next.Set(key, value); value == "" {
		next.Del(key)
	}
	return at + "?" + next.Encode()
}

// fillBoxes draws the boxes: all of them, or the one the part sits in.
func (a *Circuits) fillBoxes(c *gin.Context, p *boxesPage, b *worked.File, base string, look *drawing.CardLook) error {
	photos, err := a.keep.Photos(c.Request.Context(), p.Harness.ID)
	if err != nil {
		return err
	}
	for _, box := range socket.Boxes(b.Drawn) {
		chosen := ""
		if p.Part != nil {
			if box.Name != p.Slot.Box {
				continue
			}
			chosen = p.Part.Name
		}
		v := boxView{Name: box.Name, Loose: box.Loose, Landmarks: box.Landmarks}
		for _, s := range box.Placed {
			v.Parts = append(v.Parts, s.Part.Name)
		}
		for _, part := range box.Loose {
			v.Parts = append(v.Parts, part.Name)
		}
		if box.Rows > 0 {
			v.Map = drawing.Box(box, chosen, base+"/")
		}
		for i := range photos {
			if photos[i].Box == box.Name {
				v.HasPhoto = true
				v.Photo = photoView(b, &photos[i], base, look)
			}
		}
		p.Boxes = append(p.Boxes, v)
	}
	return nil
}

// photoView lays the tagged sockets over a box's photograph.
func photoView(b *worked.File, photo *store.Photo, base string, look *drawing.CardLook) drawing.Picture {
	var tags []drawing.Tagged
	for _, t := range photo.Tags {
		part := b.Drawn.Part(t.Part)
		if part == nil {
			continue // no longer in the circuit
		}
		card, err := socket.Lay(part, socket.View{Turn: t.Turn})
		if err != nil {
			continue
		}
		tags = append(tags, drawing.Tagged{Card: card, Name: t.Part, X: t.X, Y: t.Y, Wide: t.Wide})
	}
	over := *look
	over.Title = "Photograph of " + photo.Box
	return drawing.Photo(photo.Width, photo.Height, base+"/photo?box="+url.QueryEscape(photo.Box), tags, &over)
}

// expectedShort words every pin's volts for a small place.
func expectedShort(point *electric.Point) map[string]string {
	words := map[string]string{}
	for pin, v := range point.Pins {
		words[pin] = "floats"
		if v != nil {
			words[pin] = probe.FormatVolts(*v)
		}
	}
	return words
}

// wiresAt says what is joined to each pin: colour, size, far end.
func wiresAt(circuit *harness.Circuit) map[string]string {
	words := map[string]string{}
	add := func(pin, far harness.Pin, w *harness.Wire) {
		s := strings.TrimSpace(w.ColourAt(pin) + " " + far.String())
		if words[pin.String()] != "" {
			s = words[pin.String()] + ", " + s
		}
		if runes := []rune(s); len(runes) > 19 {
			s = string(runes[:18]) + "…"
		}
		words[pin.String()] = s
	}
	for _, w := range circuit.Wires {
		add(w.From, w.To, w)
		add(w.To, w.From, w)
	}
	return words
}

// takePhoto keeps a photograph of a box: made smaller, turned upright, written anew, so that
// nothing the camera put beside the picture stays.
func (a *Circuits) takePhoto(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	box := c.PostForm("box")
	if !slices.ContainsFunc(socket.Boxes(b.Drawn), func(x *socket.Box) bool { return x.Name == box }) {
		a.Fail(c, http.StatusUnprocessableEntity, "There is no such box in this circuit.")
		return
	}
	photo, err := room.ReadPhoto(c)
	if err != nil {
		a.Fail(c, http.StatusUnprocessableEntity, room.Sentence(err))
		return
	}
	photo.Box = box
	if err := a.keep.PutPhoto(c.Request.Context(), h.ID, *photo); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/boxes")
}

// picture hands a box's photograph out.
func (a *Circuits) picture(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err == nil {
		var b []byte
		if b, err = a.keep.Picture(c.Request.Context(), h.ID, c.Query("box")); err == nil {
			c.Data(http.StatusOK, "image/jpeg", b)
			return
		}
	}
	a.FailWith(c, err)
}

// tagPhoto says where on a photograph a socket is.
func (a *Circuits) tagPhoto(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	tag := store.Tag{Part: c.PostForm("part")}
	part := b.Drawn.Part(tag.Part)
	var err error
	for key, at := range map[string]*int{"x": &tag.X, "y": &tag.Y, "wide": &tag.Wide, "turn": &tag.Turn} {
		if *at, err = strconv.Atoi(c.PostForm(key)); err != nil || *at < 0 || *at > 1000 {
			a.Fail(c, http.StatusUnprocessableEntity, "A place on the photograph is in thousandths of its width and height, a turn in quarters.")
			return
		}
	}
	if part == nil || part.Kind() != harness.KindRelay && part.Kind() != harness.KindFuse {
		a.Fail(c, http.StatusUnprocessableEntity, "Only relays and fuses of this circuit are marked on the photograph.")
		return
	}
	if err := a.keep.TagPhoto(c.Request.Context(), h.ID, c.PostForm("box"), tag); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/boxes")
}
