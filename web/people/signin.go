package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"ironthread/store"
	"ironthread/web/room"
)

// Signing in: by the terminal's code the first time, then by name and passphrase, with a second step where there is one, or by
// a PIN on a device that knows it. Whatever goes wrong is counted, by name and by address, and too many make one wait.

// signInPage asks who somebody is.
type signInPage struct {
	room.Frame
	First   bool // nobody is here yet: the code of the terminal makes the first lead
	Half    bool // the passphrase was right, and the second step is asked for
	Name    string
	Back    string
	Devices []store.Device
}

// Heading is what the page asks for now.
func (p *signInPage) Heading() string {
	switch {
	case p.First:
		return "The first lead"
	case p.Half:
		return "The second step"
	}
	return "Sign in"
}

func (a *People) signIn(c *gin.Context) { a.askWho(c, http.StatusOK, "", nil) }

func (a *People) askWho(c *gin.Context, status int, name string, wrong error) {
	p := signInPage{Frame: a.Frame(c, "Sign in", ""), Name: name, Back: room.BackTo(c.Query("back")),
		First: a.accounts.first(c.Request.Context()) != ""}
	p.Who = ""
	p.Half = a.accounts.half(c) != 0
	if token, err := c.Cookie(deviceCookie); err == nil && !p.Half {
		p.Devices, _ = a.accounts.keep.Devices(c.Request.Context(), hashed(token)) // without it the passphrase is asked for
	}
	if wrong != nil {
		p.Refuse(wrong)
	}
	a.Render(c, status, "signin.html", &p)
}

// signInForm is what the page of signing in posts.
type signInForm struct {
	Name   string `form:"name" says:"the name" binding:"max=40"`
	Secret string `form:"secret" says:"the passphrase" binding:"max=128" keep:"as typed"`
	Code   string `form:"code" says:"the code" binding:"max=40"`
	Second string `form:"second" says:"the code" binding:"max=12"`
	PIN    string `form:"pin" says:"the PIN" binding:"max=12"`
	Person int64  `form:"person"`
}

var errNoEntry = errors.New("that name and that passphrase do not belong together")

func (a *People) doSignIn(c *gin.Context) {
	var f signInForm
	if err := room.Bind(c, &f); err != nil {
		a.askWho(c, http.StatusUnprocessableEntity, f.Name, err)
		return
	}
	p, err := a.accounts.enter(c, f)
	var known *entryError
	switch {
	case errors.As(err, &known):
		a.askWho(c, known.status, f.Name, known)
		return
	case err != nil:
		a.FailWith(c, err)
		return
	}
	if p.Second != "" && f.Person == 0 && f.Second == "" {
		if err := a.accounts.beginHalf(c, p); err != nil {
			a.FailWith(c, err)
			return
		}
		c.Redirect(http.StatusSeeOther, "/signin?back="+url.QueryEscape(room.BackTo(c.Query("back"))))
		return
	}
	err = a.accounts.begin(c, p)
	if err == nil {
		err = a.accounts.know(c, p)
	}
	if err != nil {
		a.FailWith(c, err)
		return
	}
	if p.Notice != "" { // told before anything else
		c.Redirect(http.StatusSeeOther, "/me")
		return
	}
	c.Redirect(http.StatusSeeOther, room.BackTo(c.Query("back")))
}

// know notes that a person has signed in on this device.
func (a *Accounts) know(c *gin.Context, p store.Person) error {
	token, err := a.deviceOf(c)
	if err != nil {
		return err
	}
	return a.keep.KnowDevice(c.Request.Context(), hashed(token), p.ID)
}

// deviceOf is what this device keeps to be known by; it is given something where it has nothing.
func (a *Accounts) deviceOf(c *gin.Context) (string, error) {
	token, err := c.Cookie(deviceCookie)
	if err == nil && len(token) == 64 {
		return token, nil
	}
	b := make([]byte, 32)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("people: a device's token: %w", err)
	}
	token = hex.EncodeToString(b)
	http.SetCookie(c.Writer, &http.Cookie{ //nolint:gosec // on loopback over plain HTTP Secure would lose it
		Name: deviceCookie, Value: token, Path: "/", MaxAge: 365 * 24 * 3600, HttpOnly: true, Secure: a.secure, SameSite: http.SameSiteLaxMode})
	return token, nil
}

// entryError is why somebody may not come in, for them to read.
type entryError struct {
	error
	status int
}

func refusal(status int, format string, args ...any) error {
	return &entryError{fmt.Errorf(format, args...), status}
}

// enter finds who signs in, or says why not.
func (a *Accounts) enter(c *gin.Context, f signInForm) (store.Person, error) {
	ctx := c.Request.Context()
	if f.Second != "" { // the name is that of whoever gave the passphrase
		p, err := a.keep.Person(ctx, a.half(c))
		if errors.Is(err, store.ErrNotFound) {
			return p, refusal(http.StatusUnauthorized, "that took too long; sign in again")
		}
		if err != nil {
			return p, err
		}
		f.Name = p.Name
	}
	limits, err := a.limits(c, f)
	if err != nil {
		return store.Person{}, err
	}
	noted, ok, err := a.keep.Attempt(ctx, limits, attemptsOf)
	if err != nil {
		return store.Person{}, err
	}
	if !ok {
		return store.Person{}, refusal(http.StatusTooManyRequests, "that went wrong too often; wait a quarter of an hour")
	}
	p, err := a.match(c, f)
	var known *entryError
	if errors.As(err, &known) && known.status == http.StatusUnauthorized {
		return p, err // it stays noted
	}
	if gone := a.keep.Forgive(ctx, noted); gone != nil {
		return p, errors.Join(err, gone)
	}
	return p, err
}

// nameKey is under what guesses at a name are counted, wherever they come from.
func nameKey(name string) string { return "name " + strings.ToLower(name) + " " }

// limits are what an attempt is counted against. A device on which that person has signed in counts its own, so that no
// stranger keeps them out there; elsewhere guesses are counted by the name and the address together, by the address, and by the
// name from everywhere.
func (a *Accounts) limits(c *gin.Context, f signInForm) ([]store.Limit, error) {
	token, _ := c.Cookie(deviceCookie) // without one nothing is known
	device := ""
	if token != "" {
		device = hashed(token)
	}
	if f.Person != 0 { // the PIN is that of this device
		return []store.Limit{{Key: fmt.Sprintf("pin %d on %s", f.Person, device), Most: mostByName},
			{Key: "pins from " + addressKey(c.ClientIP()), Most: mostByAddress}}, nil
	}
	if device != "" {
		known, err := a.keep.KnowsDevice(c.Request.Context(), device, f.Name)
		if err != nil {
			return nil, err
		}
		if known {
			return []store.Limit{{Key: nameKey(f.Name) + "on " + device, Most: mostByName}}, nil
		}
	}
	from := addressKey(c.ClientIP())
	return []store.Limit{{Key: "address " + from, Most: mostByAddress}, {Key: nameKey(f.Name) + "from " + from, Most: mostByName},
		{Key: nameKey(f.Name) + "from anywhere", Most: mostOfName}}, nil
}

func (a *Accounts) match(c *gin.Context, f signInForm) (store.Person, error) {
	ctx := c.Request.Context()
	switch {
	case f.Second != "":
		return a.bySecond(c, f)
	case f.Person != 0:
		return a.byPIN(c, f)
	case a.first(ctx) != "":
		return a.makeFirst(c, f)
	}
	p, err := a.keep.PersonNamed(ctx, f.Name)
	secret := p.Secret
	switch {
	case errors.Is(err, store.ErrNotFound):
		secret = a.dummy
	case err != nil:
		return p, err
	}
	same, matchErr := a.compare(c, f.Secret, secret)
	if matchErr != nil {
		return p, matchErr
	}
	if !same || err != nil || !p.Active {
		return p, &entryError{errNoEntry, http.StatusUnauthorized}
	}
	if p.FreshUntil != nil && time.Now().After(*p.FreshUntil) {
		return p, refusal(http.StatusUnauthorized, "that passphrase was given to begin with, and is too old now; a lead gives another")
	}
	return p, nil
}

// makeFirst makes the first lead of the code that the terminal shows.
func (a *Accounts) makeFirst(c *gin.Context, f signInForm) (store.Person, error) {
	ctx := c.Request.Context()
	typed := strings.ToUpper(strings.NewReplacer("-", "", " ", "").Replace(f.Code))
	if subtle.ConstantTimeCompare([]byte(typed), []byte(a.first(ctx))) != 1 {
		return store.Person{}, refusal(http.StatusUnauthorized, "that is not the code which the terminal shows")
	}
	if err := fit(f.Name, f.Secret); err != nil {
		return store.Person{}, &entryError{err, http.StatusUnprocessableEntity}
	}
	secret, err := a.hash(c, f.Secret)
	if err != nil {
		return store.Person{}, err
	}
	id, err := a.keep.AddFirst(ctx, f.Name, secret)
	if errors.Is(err, store.ErrTaken) {
		return store.Person{}, refusal(http.StatusConflict, "somebody was quicker: sign in by name and passphrase")
	}
	if err != nil {
		return store.Person{}, err
	}
	a.mu.Lock()
	a.code = ""
	a.mu.Unlock()
	return a.keep.Person(ctx, id)
}

// byPIN signs in on a device that knows a person's PIN.
func (a *Accounts) byPIN(c *gin.Context, f signInForm) (store.Person, error) {
	ctx := c.Request.Context()
	token, err := c.Cookie(deviceCookie)
	if err != nil {
		return store.Person{}, refusal(http.StatusUnauthorized, "this device knows no PIN; sign in by name and passphrase")
	}
	list, err := a.keep.Devices(ctx, hashed(token))
	if err != nil {
		return store.Person{}, err
	}
	for _, d := range list {
		if d.PersonID != f.Person {
			continue
		}
		same, err := a.compare(c, f.PIN, d.PIN)
		if err != nil {
			return store.Person{}, err
		}
		if !same {
			if err := a.keep.WrongPIN(ctx, d.Token, d.PersonID, wrongPINs); err != nil {
				return store.Person{}, err
			}
			return store.Person{}, refusal(http.StatusUnauthorized, "that is not %s's PIN on this device; after %d wrong ones it is forgotten",
				d.Name, wrongPINs)
		}
		if err := a.keep.RightPIN(ctx, d.Token, d.PersonID); err != nil {
			return store.Person{}, err
		}
		return a.keep.Person(ctx, d.PersonID)
	}
	return store.Person{}, refusal(http.StatusUnauthorized, "this device has forgotten that PIN; sign in by name and passphrase")
}
