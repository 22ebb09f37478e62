package people

import (
	"encoding/base64"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
	"rsc.io/qr"

	"ironthread/store"
)

// A second step at signing in: six figures that an app on a phone shows, and that change every half minute (RFC 6238). Whoever
// signs in by a PIN has shown the device already, and is not asked. A code is of use once.

const (
	halfKey      = "half" // who has given the passphrase and owes the second step
	halfAtKey    = "half-at"
	pendingKey   = "pending-second" // a secret that no code has been shown for yet
	halfFor      = 5 * time.Minute
	stepSeconds  = 30
	skewSteps    = 1 // clocks of phones are off by a little
	secondIssuer = "Iron Thread"
)

var codes = totp.ValidateOpts{Period: stepSeconds, Skew: 0, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

// beginHalf notes that somebody has given the passphrase.
func (a *Accounts) beginHalf(c *gin.Context, p store.Person) error {
	ctx := c.Request.Context()
	if err := a.sessions.RenewToken(ctx); err != nil {
		return fmt.Errorf("people: %w", err)
	}
	a.sessions.Remove(ctx, personKey)
	a.sessions.Put(ctx, halfKey, p.ID)
	a.sessions.Put(ctx, halfAtKey, time.Now().Unix())
	return nil
}

// half is who owes the second step at this session; zero for nobody.
func (a *Accounts) half(c *gin.Context) int64 {
	ctx := c.Request.Context()
	if time.Since(time.Unix(a.sessions.GetInt64(ctx, halfAtKey), 0)) > halfFor {
		return 0
	}
	return a.sessions.GetInt64(ctx, halfKey)
}

// bySecond ends signing in with the code of the second step.
func (a *Accounts) bySecond(c *gin.Context, f signInForm) (store.Person, error) {
	ctx := c.Request.Context()
	p, err := a.keep.Person(ctx, a.half(c))
	if err != nil {
		return p, err
	}
	right, err := a.codeFits(c, p.ID, p.Second, f.Second)
	switch {
	case err != nil:
		return p, err
	case !right || !p.Active || p.Second == "":
		return p, refusal(http.StatusUnauthorized, "that is not the code that the app shows now, or it has been used")
	}
	a.sessions.Remove(ctx, halfKey)
	return p, nil
}

// codeFits tells whether a code is of now or of the half minute beside it, and uses it up.
func (a *Accounts) codeFits(c *gin.Context, id int64, secret, code string) (bool, error) {
	now := time.Now()
	for skew := -skewSteps; skew <= skewSteps; skew++ {
		at := now.Add(time.Duration(skew*stepSeconds) * time.Second)
		if ok, err := totp.ValidateCustom(code, secret, at, codes); err != nil || !ok {
			continue // a code that is no code fits nowhere
		}
		return a.keep.UseStep(c.Request.Context(), id, at.Unix()/stepSeconds)
	}
	return false, nil
}

// lacksSecond tells whether the workshop wants a second step of its leads and this one has none. Where the setting cannot be
// read nobody passes.
func (a *Accounts) lacksSecond(c *gin.Context, p store.Person) bool {
	if p.Second != "" {
		return false
	}
	set, err := SetOf(c.Request.Context(), a.keep)
	return err != nil || set.LeadsSecond
}

// secondPage shows the secret to the app, and asks for a code of it.
type secondPage struct {
	Secret string
	Image  template.URL
}

// pending is a second step that is being set up at this session; nil where none is.
func (a *Accounts) pending(c *gin.Context, p store.Person) (*secondPage, error) {
	secret := a.sessions.GetString(c.Request.Context(), pendingKey)
	if secret == "" {
		return nil, nil
	}
	address := fmt.Sprintf("otpauth://totp/%s:%s?secret=%s&issuer=%s", template.URLQueryEscaper(secondIssuer),
		template.URLQueryEscaper(p.Name), secret, template.URLQueryEscaper(secondIssuer))
	code, err := qr.Encode(address, qr.M)
	if err != nil {
		return nil, fmt.Errorf("people: %w", err)
	}
	picture := "data:image/png;base64," + base64.StdEncoding.EncodeToString(code.PNG())
	return &secondPage{secret, template.URL(picture)}, nil //nolint:gosec // our own picture
}

// setSecond begins, ends or takes away the second step of whoever asks; the passphrase has been checked.
func (a *People) setSecond(c *gin.Context, p store.Person, f meForm) {
	ctx := c.Request.Context()
	sessions := a.accounts.sessions
	switch f.Second {
	case "begin":
		key, err := totp.Generate(totp.GenerateOpts{Issuer: secondIssuer, AccountName: p.Name, Period: stepSeconds, Digits: codes.Digits,
			Algorithm: codes.Algorithm})
		if err != nil {
			a.FailWith(c, fmt.Errorf("people: %w", err))
			return
		}
		sessions.Put(ctx, pendingKey, key.Secret())
		c.Redirect(http.StatusSeeOther, "/me")
	case "off":
		if err := a.accounts.keep.SetSecond(ctx, p.ID, ""); err != nil {
			a.FailWith(c, err)
			return
		}
		a.changed(c, p, "the second step at signing in was taken away")
	default:
		a.showMe(c, http.StatusUnprocessableEntity, errors.New("nothing was to be changed"))
	}
}

// endSecond takes the first code of a second step that is being set up.
func (a *People) endSecond(c *gin.Context, p store.Person, code string) {
	ctx := c.Request.Context()
	secret := a.accounts.sessions.GetString(ctx, pendingKey)
	fits, err := a.accounts.codeFits(c, p.ID, secret, code)
	switch {
	case err != nil:
		a.FailWith(c, err)
	case secret == "" || !fits:
		a.showMe(c, http.StatusUnprocessableEntity, errors.New("that is not the code that the app shows now; nothing was changed"))
	default:
		if err := a.accounts.keep.SetSecond(ctx, p.ID, secret); err != nil {
			a.FailWith(c, err)
			return
		}
		a.accounts.sessions.Remove(ctx, pendingKey)
		a.changed(c, p, "a second step at signing in was set up")
	}
}

// changed keeps a line for whoever's account was changed, and goes to their page.
func (a *People) changed(c *gin.Context, p store.Person, what string) {
	if err := a.tell(c, p.ID, what); err != nil {
		a.FailWith(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/me?done=1")
}

// tell keeps a line of what was changed of somebody's account.
func (a *People) tell(c *gin.Context, id int64, what string) error {
	return a.accounts.keep.Tell(c.Request.Context(), id, a.line(c, what))
}

// line is what somebody is told was changed, when and from where.
func (a *People) line(c *gin.Context, what string) string {
	return a.Now().Format("2 Jan 2006 15:04") + ": " + what + ", from " + c.ClientIP()
}
