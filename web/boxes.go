package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"html/template"
	"image"
	_ "image/jpeg" // photographs come as JPEG or PNG
	_ "image/png"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/disintegration/imaging"
	"github.com/gin-gonic/gin"

	"ironthread/core/electric"
	"ironthread/core/harness"
	"ironthread/core/socket"
	"ironthread/store"
	"ironthread/web/drawing"
)

// boxesPage shows the boxes of a circuit, or one socket of one of them: as seen, with what each
// cavity should read in the set-up chosen.
type boxesPage struct {
	frame
	Harness store.Harness
	Boxes   []boxView

	// Of one socket.
	Part    *harness.Part
	Slot    socket.Slot
	Card    template.HTML
	Given   bool // the arrangement is the file's own
	Setup   []string
	Changes []string // what opening the card takes as done
	Notes   []string
	Shown   string
	States  []stateButton
	Turns   []stateButton
	Views   []stateButton
	Places  []stateButton // part out, part in
	Others  []string      // relays and fuses there are
}

type boxView struct {
	Name      string
	Map       template.HTML // empty where the file tells no grid
	Loose     []*harness.Part
	Photo     template.HTML
	HasPhoto  bool
	Parts     []string // that may be tagged
	Landmarks []string
}

// boxes lists the boxes; one part's socket where the address names it.
func (a *App) boxes(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	p := &boxesPage{frame: a.frame(c, "Sockets: "+h.Title, "library"), Harness: h}
	status := http.StatusOK
	refuse := func(err error) {
		if err != nil {
			p.Notice, p.Bad, status = capitalise(err.Error())+".", true, http.StatusUnprocessableEntity
		}
	}
	q := c.Request.URL.Query()
	cond, err := p.condition(b, q, c.Param("part"))
	refuse(err)
	point, err := b.model.Solve(cond)
	if err != nil {
		refuse(err)
		point, err = b.model.Solve(electric.Condition{State: cond.State})
	}
	if err != nil {
		a.failWith(c, err)
		return
	}
	look := &drawing.CardLook{Point: point, Reads: expectedShort(point), Wires: wiresAt(b.circuit), Title: "Cavities in " + p.Shown}
	base := "/harnesses/" + url.PathEscape(h.Name) + "/boxes"
	for i, s := range b.circuit.States {
		p.States = append(p.States, stateButton{s.Name, boxAddress(q, c.Request.URL.Path, "state", s.Name), i + 1, s.Name == p.Shown})
	}
	if name := c.Param("part"); name != "" {
		if p.Part = b.circuit.Part(name); p.Part == nil {
			a.fail(c, http.StatusNotFound, "There is no part "+clip(name, 30)+" in this circuit.")
			return
		}
		if err := p.lay(b, q, base, look); err != nil {
			a.fail(c, http.StatusUnprocessableEntity, capitalise(err.Error())+".")
			return
		}
		for _, w := range point.Warnings {
			if w.Kind == "back-feed" {
				p.Notes = append(p.Notes, w.Text)
			}
		}
	}
	if err := a.fillBoxes(c, p, b, base, look); err != nil {
		a.failWith(c, err)
		return
	}
	a.render(c, status, "boxes.html", p)
}

// condition reads the state and set-up; the part looked at is out, unless it is said to be in.
func (p *boxesPage) condition(b *bench, q url.Values, part string) (electric.Condition, error) {
	sp := &sheetPage{}
	cond, err := sp.condition(b, q)
	p.Shown, p.Setup = cond.State.Name, sp.Setup
	out := electric.Action{Verb: electric.Out, Part: part}
	known := b.circuit.Part(part)
	if q.Get("in") == "" && known != nil && electric.DetachVerb(known.Kind()) == electric.Out && !slices.Contains(cond.Setup, out) {
		cond.Setup = append(cond.Setup, out)
		p.Changes = []string{out.String()}
	}
	return cond, err
}

// lay draws the card of the part.
func (p *boxesPage) lay(b *bench, q url.Values, base string, look *drawing.CardLook) error {
	turn, _ := strconv.Atoi(q.Get("turn")) // anything else is not turned
	view := socket.View{Under: q.Get("under") != "", Turn: turn}
	card, err := socket.Lay(p.Part, view)
	if err != nil {
		return err
	}
	p.Slot, p.Given = socket.SlotOf(b.circuit, p.Part), card.Given || p.Part.Kind() == harness.KindFuse
	look.Title = fmt.Sprintf("%s in %s", p.Part.Name, p.Shown)
	var s strings.Builder
	if err := drawing.WriteCard(&s, card, look); err != nil {
		return err
	}
	p.Card = template.HTML(s.String()) //nolint:gosec // drawing escapes every text it writes
	set := func(key, value string) string { return boxAddress(q, base+"/"+url.PathEscape(p.Part.Name), key, value) }
	for k, word := range []string{"as it is", "90°", "180°", "270°"} {
		p.Turns = append(p.Turns, stateButton{word, set("turn", strconv.Itoa(k)), 0, (turn%4+4)%4 == k})
	}
	p.Views = []stateButton{{"into the socket", set("under", ""), 0, !view.Under}, {"the part's underside", set("under", "1"), 0, view.Under}}
	p.Places = []stateButton{{"part out", set("in", ""), 0, q.Get("in") == ""}, {"part in", set("in", "1"), 0, q.Get("in") != ""}}
	for _, other := range b.circuit.Parts {
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
func (a *App) fillBoxes(c *gin.Context, p *boxesPage, b *bench, base string, look *drawing.CardLook) error {
	photos, err := a.keep.Photos(c.Request.Context(), p.Harness.ID)
	if err != nil {
		return err
	}
	for _, box := range socket.Boxes(b.circuit) {
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
			var s strings.Builder
			if err := drawing.WriteBox(&s, box, chosen, base+"/"); err != nil {
				return err
			}
			v.Map = template.HTML(s.String()) //nolint:gosec // drawing escapes every text it writes
		}
		for i := range photos {
			if photos[i].Box == box.Name {
				v.HasPhoto = true
				if v.Photo, err = photoView(b, &photos[i], base, look); err != nil {
					return err
				}
			}
		}
		p.Boxes = append(p.Boxes, v)
	}
	return nil
}

// photoView lays the tagged sockets over a box's photograph.
func photoView(b *bench, photo *store.Photo, base string, look *drawing.CardLook) (template.HTML, error) {
	var tags []drawing.Tagged
	for _, t := range photo.Tags {
		part := b.circuit.Part(t.Part)
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
	var s strings.Builder
	if err := drawing.WritePhoto(&s, photo.Width, photo.Height, base+"/photo?box="+url.QueryEscape(photo.Box), tags, &over); err != nil {
		return "", err
	}
	return template.HTML(s.String()), nil //nolint:gosec // drawing escapes every text it writes
}

// expectedShort words every pin's volts for a small place.
func expectedShort(point *electric.Point) map[string]string {
	words := map[string]string{}
	for pin, v := range point.Pins {
		words[pin] = "floats"
		if v != nil {
			words[pin] = fmt.Sprintf("%.1f V", unsigned(*v))
		}
	}
	return words
}

// wiresAt says what is joined to each pin: colour, size, far end.
func wiresAt(circuit *harness.Circuit) map[string]string {
	words := map[string]string{}
	add := func(pin, far harness.Pin, w *harness.Wire) {
		s := strings.TrimSpace(w.Colour + " " + far.String())
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

// Limits on a photograph.
const (
	maxPhotoBytes  = 12 << 20
	maxPhotoPixels = 50e6
	maxPhotoSide   = 12000
	keptPixels     = 1600 // of the longer side
	photoQuality   = 82
)

// takePhoto keeps a photograph of a box: made smaller, turned upright, written anew, so that
// nothing the camera put beside the picture stays.
func (a *App) takePhoto(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	box := c.PostForm("box")
	if !slices.ContainsFunc(socket.Boxes(b.circuit), func(x *socket.Box) bool { return x.Name == box }) {
		a.fail(c, http.StatusUnprocessableEntity, "There is no such box in this circuit.")
		return
	}
	photo, err := readPhoto(c)
	if err != nil {
		a.fail(c, http.StatusUnprocessableEntity, capitalise(err.Error())+".")
		return
	}
	photo.Box = box
	if err := a.keep.PutPhoto(c.Request.Context(), h.ID, *photo); err != nil {
		a.failWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/boxes")
}

func readPhoto(c *gin.Context) (*store.Photo, error) {
	file, err := c.FormFile("photo")
	if err != nil {
		return nil, fmt.Errorf("choose a photograph, JPEG or PNG, of at most %d MB", maxPhotoBytes>>20)
	}
	f, err := file.Open()
	if err != nil {
		return nil, errors.New("the photograph could not be read")
	}
	defer f.Close()
	raw, err := io.ReadAll(io.LimitReader(f, maxPhotoBytes))
	if err != nil {
		return nil, errors.New("the photograph could not be read")
	}
	return rewritten(c.Request.Context(), raw, maxPhotoPixels)
}

// photoSlot lets one photograph be decoded at a time: unpacked, one takes up to a fifth of a gigabyte.
var photoSlot = make(chan struct{}, 1)

// rewritten makes a photograph small and writes it anew, without what it carried beside the
// picture. It ends with the request.
func rewritten(ctx context.Context, raw []byte, mostPixels int) (*store.Photo, error) {
	config, format, err := image.DecodeConfig(bytes.NewReader(raw))
	switch {
	case err != nil || format != "jpeg" && format != "png":
		return nil, errors.New("this is no photograph that can be read; JPEG and PNG can")
	case config.Width > maxPhotoSide || config.Height > maxPhotoSide:
		return nil, fmt.Errorf("the photograph is %d by %d pixels, and no side may be longer than %d", config.Width, config.Height, maxPhotoSide)
	case config.Width*config.Height > mostPixels:
		return nil, fmt.Errorf("the photograph has more than %.1f million pixels; make it smaller", float64(mostPixels)/1e6)
	}
	select {
	case photoSlot <- struct{}{}:
		defer func() { <-photoSlot }()
	case <-ctx.Done():
		return nil, errors.New("too many photographs are being taken in just now; try again in a moment")
	}
	if ctx.Err() != nil {
		return nil, errors.New("the photographs took too long to take in; send fewer at once")
	}
	picture, err := imaging.Decode(bytes.NewReader(raw), imaging.AutoOrientation(true))
	if err != nil {
		return nil, errors.New("the photograph is damaged")
	}
	picture = imaging.Fit(picture, keptPixels, keptPixels, imaging.Lanczos)
	var out bytes.Buffer
	if err := imaging.Encode(&out, picture, imaging.JPEG, imaging.JPEGQuality(photoQuality)); err != nil {
		return nil, errors.New("the photograph could not be kept")
	}
	size := picture.Bounds().Size()
	return &store.Photo{JPEG: out.Bytes(), Width: size.X, Height: size.Y}, nil
}

// picture hands a box's photograph out.
func (a *App) picture(c *gin.Context) {
	h, err := a.keep.HarnessNamed(c.Request.Context(), c.Param("name"))
	if err == nil {
		var b []byte
		if b, err = a.keep.Picture(c.Request.Context(), h.ID, c.Query("box")); err == nil {
			c.Data(http.StatusOK, "image/jpeg", b)
			return
		}
	}
	a.failWith(c, err)
}

// tagPhoto says where on a photograph a socket is.
func (a *App) tagPhoto(c *gin.Context) {
	h, b, ok := a.harnessAt(c)
	if !ok {
		return
	}
	tag := store.Tag{Part: c.PostForm("part")}
	part := b.circuit.Part(tag.Part)
	var err error
	for key, at := range map[string]*int{"x": &tag.X, "y": &tag.Y, "wide": &tag.Wide, "turn": &tag.Turn} {
		if *at, err = strconv.Atoi(c.PostForm(key)); err != nil || *at < 0 || *at > 1000 {
			a.fail(c, http.StatusUnprocessableEntity, "A place on the photograph is in thousandths of its width and height, a turn in quarters.")
			return
		}
	}
	if part == nil || part.Kind() != harness.KindRelay && part.Kind() != harness.KindFuse {
		a.fail(c, http.StatusUnprocessableEntity, "Only relays and fuses of this circuit are marked on the photograph.")
		return
	}
	if err := a.keep.TagPhoto(c.Request.Context(), h.ID, c.PostForm("box"), tag); err != nil {
		a.failWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/harnesses/"+url.PathEscape(h.Name)+"/boxes")
}
