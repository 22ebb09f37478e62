package people

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"ironthread/store"
	"ironthread/web/room"
)

// staffPage is what a lead sees: who may come in.
type staffPage struct {
	room.Frame
	People []store.Person
	Roles  []room.Choice
	Name   string
}

func (a *People) staff(c *gin.Context) { a.showStaff(c, http.StatusOK, "", nil) }

func (a *People) showStaff(c *gin.Context, status int, name string, wrong error) {
	p := staffPage{Frame: a.Frame(c, "People", "people"), Name: name,
		Roles: []room.Choice{{Value: string(store.Technician), Label: "technician"}, {Value: string(store.Lead), Label: "lead"}}}
	var err error
	if p.People, err = a.accounts.keep.People(c.Request.Context()); err != nil {
		a.FailWith(c, err)
		return
	}
	if wrong != nil {
		p.Refuse(wrong)
	}
	a.Render(c, status, "people.html", p)
}

// personForm is what a lead says of somebody.
type personForm struct {
	Name   string `form:"name" says:"the name" binding:"max=40"`
	Role   string `form:"role" says:"the role" binding:"oneof=technician lead"`
	Secret string `form:"secret" says:"the passphrase" binding:"max=128" keep:"as typed"`
	Active string `form:"active"`
}

func (a *People) addPerson(c *gin.Context) {
	var f personForm
	err := room.Bind(c, &f)
	if err == nil {
		err = fit(f.Name, f.Secret)
	}
	if err != nil {
		a.showStaff(c, http.StatusUnprocessableEntity, f.Name, err)
		return
	}
	ctx := c.Request.Context()
	secret, err := a.accounts.hash(c, f.Secret)
	if err == nil {
		_, err = a.accounts.keep.AddPerson(ctx, f.Name, store.Role(f.Role), secret)
	}
	switch {
	case errors.Is(err, store.ErrTaken):
		a.showStaff(c, http.StatusConflict, f.Name, errors.New("somebody of that name is here already"))
	case err != nil:
		a.FailWith(c, err)
	default:
		c.Redirect(http.StatusSeeOther, "/people")
	}
}

func (a *People) setPerson(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		a.Fail(c, http.StatusNotFound, "There is no such person.")
		return
	}
	var f personForm
	if err := room.Bind(c, &f); err != nil {
		a.showStaff(c, http.StatusUnprocessableEntity, "", err)
		return
	}
	ctx := c.Request.Context()
	change := store.Change{Role: store.Role(f.Role), Active: f.Active != ""}
	if f.Secret != "" { // whoever has lost the phone is let in by a lead
		p, err := a.accounts.keep.Person(ctx, id)
		if err == nil {
			if unfit := fit(p.Name, f.Secret); unfit != nil {
				a.showStaff(c, http.StatusUnprocessableEntity, "", unfit)
				return
			}
			change.Secret, err = a.accounts.hash(c, f.Secret)
			change.Tell = a.line(c, "another passphrase was given by "+room.Who(c)+", and a second step is no longer asked for")
		}
		if err != nil {
			a.failPerson(c, err)
			return
		}
	}
	if err := a.accounts.keep.ChangePerson(ctx, id, change); err != nil {
		a.failPerson(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}

func (a *People) failPerson(c *gin.Context, err error) {
	switch {
	case errors.Is(err, store.ErrLastLead):
		a.showStaff(c, http.StatusConflict, "", errors.New("somebody must remain who leads: make another a lead first"))
	case errors.Is(err, store.ErrNotFound):
		a.Fail(c, http.StatusNotFound, "There is no such person.")
	default:
		var busy *entryError
		if errors.As(err, &busy) {
			a.showStaff(c, busy.status, "", busy)
			return
		}
		a.FailWith(c, err)
	}
}

// mePage is a person's own: passphrase, PIN on this device, sessions.
type mePage struct {
	room.Frame
	Person store.Person
	HasPIN bool
	Told   []string    // what was changed since they were told last
	Second *secondPage // being set up
	Done   string
}

func (a *People) me(c *gin.Context) { a.showMe(c, http.StatusOK, nil) }

func (a *People) showMe(c *gin.Context, status int, wrong error) {
	p := mePage{Frame: a.Frame(c, "Your account", "")}
	var ok bool
	var err error
	if p.Person, ok, err = a.accounts.person(c); err != nil || !ok {
		a.FailWith(c, errors.Join(err, errNoEntry))
		return
	}
	if token, err := c.Cookie(deviceCookie); err == nil {
		list, err := a.accounts.keep.Devices(c.Request.Context(), hashed(token))
		if err != nil {
			a.FailWith(c, err)
			return
		}
		for _, d := range list {
			p.HasPIN = p.HasPIN || d.PersonID == p.Person.ID
		}
	}
	if p.Second, err = a.accounts.pending(c, p.Person); err != nil {
		a.FailWith(c, err)
		return
	}
	p.Told = strings.FieldsFunc(p.Person.Notice, func(r rune) bool { return r == '\n' })
	if wrong != nil {
		p.Refuse(wrong)
	} else if c.Query("done") != "" {
		p.Notice = "Done."
	}
	a.Render(c, status, "me.html", p)
}

// meForm is what a person changes; the passphrase that is theirs now is asked for whatever it is.
type meForm struct {
	Secret string `form:"secret" says:"the passphrase" binding:"max=128" keep:"as typed"`
	New    string `form:"new" says:"the new passphrase" binding:"max=128" keep:"as typed"`
	PIN    string `form:"pin" says:"the PIN" binding:"max=12"`
	Out    string `form:"out"`
	Read   string `form:"read"`                                          // what was told has been read
	Second string `form:"second" says:"the second step" binding:"max=8"` // begin or off
	Code   string `form:"code" says:"the code" binding:"max=12"`         // the first of a second step
}

func (a *People) setMe(c *gin.Context) {
	var f meForm
	if err := room.Bind(c, &f); err != nil {
		a.showMe(c, http.StatusUnprocessableEntity, err)
		return
	}
	ctx := c.Request.Context()
	p, ok, err := a.accounts.person(c)
	if err != nil || !ok {
		a.FailWith(c, errors.Join(err, errNoEntry))
		return
	}
	if f.Read != "" { // nothing of the account changes
		if err := a.accounts.keep.Told(ctx, p.ID); err != nil {
			a.FailWith(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, "/me")
		return
	}
	// Whoever is signed in counts their own guesses: no stranger keeps them from their account.
	noted, ok, err := a.accounts.keep.Attempt(ctx, []store.Limit{{Key: fmt.Sprintf("own %d", p.ID), Most: mostByName}}, attemptsOf)
	if err == nil && !ok {
		a.showMe(c, http.StatusTooManyRequests, errors.New("that went wrong too often; wait a quarter of an hour"))
		return
	}
	same := false
	if err == nil {
		same, err = a.accounts.compare(c, f.Secret, p.Secret)
	}
	if err == nil && same {
		err = a.accounts.keep.Forgive(ctx, noted)
	}
	var busy *entryError
	if errors.As(err, &busy) {
		a.showMe(c, busy.status, busy)
		return
	}
	switch {
	case err != nil:
		a.FailWith(c, err)
	case !same:
		a.showMe(c, http.StatusUnprocessableEntity, errors.New("that is not your passphrase; nothing was changed"))
	case f.New == f.Secret && p.FreshUntil != nil:
		a.showMe(c, http.StatusUnprocessableEntity, errors.New("that is the passphrase that was given to you; choose one of your own"))
	case f.New != "":
		a.setSecret(c, p, f.New)
	case f.PIN != "":
		a.setPIN(c, p, f.PIN)
	case f.Code != "":
		a.endSecond(c, p, f.Code)
	case f.Second != "":
		a.setSecond(c, p, f)
	case f.Out != "":
		if err := a.accounts.keep.SignOut(ctx, p.ID); err != nil {
			a.FailWith(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, "/signin")
	default:
		a.showMe(c, http.StatusUnprocessableEntity, errors.New("nothing was to be changed"))
	}
}

// setSecret changes a person's passphrase and ends all other sessions of theirs.
func (a *People) setSecret(c *gin.Context, p store.Person, secret string) {
	if err := fit(p.Name, secret); err != nil {
		a.showMe(c, http.StatusUnprocessableEntity, err)
		return
	}
	ctx := c.Request.Context()
	text, err := a.accounts.hash(c, secret)
	if err == nil {
		err = a.accounts.keep.SetSecret(ctx, p.ID, text, false)
	}
	if err == nil {
		p, err = a.accounts.keep.Person(ctx, p.ID)
	}
	if err == nil {
		err = a.accounts.begin(c, p)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.changed(c, p, "the passphrase was changed")
}

// setPIN lets a person sign in with a PIN on this device.
func (a *People) setPIN(c *gin.Context, p store.Person, pin string) {
	if len(pin) < leastPIN || len(pin) > mostPIN || strings.Trim(pin, "0123456789") != "" || strings.Count(pin, pin[:1]) == len(pin) {
		a.showMe(c, http.StatusUnprocessableEntity, fmt.Errorf("a PIN has %d to %d figures, not all the same", leastPIN, mostPIN))
		return
	}
	ctx := c.Request.Context()
	token, err := a.accounts.deviceOf(c)
	if err != nil {
		a.FailWith(c, err)
		return
	}
	hash, err := a.accounts.hash(c, pin)
	if err == nil {
		err = a.accounts.keep.KeepPIN(ctx, hashed(token), p.ID, hash)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	a.changed(c, p, "a PIN was kept on a device")
}

// signOut ends this session.
func (a *People) signOut(c *gin.Context) {
	if err := a.accounts.sessions.Destroy(c.Request.Context()); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/signin")
}
