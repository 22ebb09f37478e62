package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/people"
)

const (
	leadSecret = "salt spray on the quay"
	techSecret = "four gritters in a row"
)

// door is an application in which people sign in, and the code of its first lead.
type door struct {
	t    *testing.T
	keep *store.Store
	app  *web.App
	code string
}

func openDoor(t *testing.T) *door {
	t.Helper()
	return newDoor(t, demotest.Open(t))
}

// newDoor is an instance on a database that is there.
func newDoor(t *testing.T, keep *store.Store) *door {
	t.Helper()
	accounts, code, err := people.NewAccounts(t.Context(), keep, keep, false)
	require.NoError(t, err)
	t.Cleanup(accounts.Close)
	app, err := web.New(keep, web.Options{Hosts: testHosts, Circuits: testCircuits, Workshop: demo.Workshop, Accounts: accounts,
		Address: "https://127.0.0.1:8443"})
	require.NoError(t, err)
	t.Cleanup(app.Close)
	return &door{t, keep, app, code}
}

// device is a browser with its cookies.
type device struct {
	*door
	handler http.Handler
	cookies map[string]*http.Cookie
}

func (d *door) device() *device { return &device{d, d.app.Handler(), map[string]*http.Cookie{}} }

func (b *device) do(method, path string, form ...string) *httptest.ResponseRecorder {
	b.t.Helper()
	q := url.Values{}
	for i := 0; i+1 < len(form); i += 2 {
		q.Add(form[i], form[i+1])
	}
	r := httptest.NewRequestWithContext(b.t.Context(), method, path, strings.NewReader(q.Encode()))
	r.Host = testHosts[0]
	if method == http.MethodPost {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for _, c := range b.cookies {
		r.AddCookie(c)
	}
	w := httptest.NewRecorder()
	b.handler.ServeHTTP(w, r)
	for _, c := range w.Result().Cookies() {
		b.cookies[c.Name] = c
	}
	return w
}

func (b *device) signIn(name, secret string) int {
	b.t.Helper()
	return b.do(http.MethodPost, "/signin", "name", name, "secret", secret).Code
}

// techHash is worked out once: it takes long.
var techHash = sync.OnceValues(func() (string, error) { return argon2id.CreateHash(techSecret, argon2id.DefaultParams) })

// staffed is a workshop with a lead and a technician, each at a device.
func staffed(t *testing.T) (lead, tech *device) {
	t.Helper()
	d := openDoor(t)
	lead, tech = d.device(), d.device()
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, "/signin", "code", d.code, "name", "Maud", "secret", leadSecret).Code)
	secret, err := techHash()
	require.NoError(t, err)
	id, err := d.keep.AddPerson(t.Context(), "Finn", store.Technician, secret)
	require.NoError(t, err)
	require.NoError(t, d.keep.SetSecret(t.Context(), id, secret, false)) // it is his own
	require.Equal(t, http.StatusSeeOther, tech.signIn("finn", techSecret))
	return lead, tech
}

// unhurried leaves a test out where the race detector looks: passphrases take long there, and share nothing.
func unhurried(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("takes long")
	}
}

// The first lead begins with the terminal's code, once; a weak passphrase is refused.
func TestTheFirstLead(t *testing.T) {
	d := openDoor(t)
	b := d.device()
	r := b.do(http.MethodGet, "/jobs/1")
	assert.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/signin?back=%2Fjobs%2F1", r.Header().Get("Location"))
	says(t, b.do(http.MethodGet, "/signin").Body.String(), "The terminal in which the application was started shows a code")
	assert.Equal(t, http.StatusUnauthorized, b.do(http.MethodPost, "/signin", "code", "AAAA", "name", "Maud", "secret", leadSecret).Code)
	for secret, want := range map[string]string{"short": "12 to 128 characters", "my name is maud": "must not hold the name"} {
		r := b.do(http.MethodPost, "/signin", "code", d.code, "name", "Maud", "secret", secret)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		says(t, r.Body.String(), want)
	}
	r = b.do(http.MethodPost, "/signin?back=/jobs/1", "code", strings.ToLower(d.code), "name", "Maud", "secret", leadSecret)
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/jobs/1", r.Header().Get("Location"))
	c := b.cookies["session"]
	assert.True(t, c.HttpOnly)
	assert.Equal(t, http.SameSiteLaxMode, c.SameSite)
	assert.Equal(t, http.StatusOK, b.do(http.MethodGet, "/jobs/1").Code)
	r = d.device().do(http.MethodPost, "/signin", "code", d.code, "name", "Eve", "secret", leadSecret)
	assert.Equal(t, http.StatusUnauthorized, r.Code, "the code is of no use any more")
	says(t, b.do(http.MethodGet, "/people").Body.String(), "Maud")
	says(t, b.do(http.MethodGet, "/join?back=/jobs/1").Body.String(), "https://127.0.0.1:8443/jobs/1")
}

// Every address, for nobody, a technician and a lead: generated from the routes, so that none is forgotten.
func TestWhoMayGoWhere(t *testing.T) {
	lead, tech := staffed(t)
	nobody := lead.device()
	free := map[string]bool{"/static/:version/*file": true, "/healthz": true, "/readyz": true, "/signin": true, "/strength": true,
		"/sw.js":                true,
		"/manifest.webmanifest": true, "/icon-192.png": true, "/icon-512.png": true}
	routes := lead.app.Addresses()
	require.Greater(t, len(routes), 80)
	reserved := 0
	for _, r := range routes {
		path := r.Path
		for from, to := range map[string]string{":id": "999", ":name": "none", ":part": "X", ":form": "none", ":photo": "1", ":sum": "0",
			":version": "0", "*file": "x.css"} {
			path = strings.ReplaceAll(path, from, to)
		}
		name := r.Method + " " + r.Path
		got := nobody.do(r.Method, path)
		switch {
		case free[r.Path]:
			assert.NotContains(t, got.Header().Get("Location"), "/signin", name)
		case r.Method == http.MethodGet:
			assert.Equal(t, http.StatusSeeOther, got.Code, name)
			assert.True(t, strings.HasPrefix(got.Header().Get("Location"), "/signin?back="), name)
		default:
			assert.Equal(t, http.StatusUnauthorized, got.Code, name)
		}
		if r.Path == "/signout" || r.Path == "/signin" {
			continue
		}
		byTech := tech.do(r.Method, path).Code
		if people.LeadOnly(r.Method, r.Path) {
			reserved++
			assert.Equal(t, http.StatusForbidden, byTech, name)
			assert.NotEqual(t, http.StatusForbidden, lead.do(r.Method, path).Code, name)
			continue
		}
		assert.NotContains(t, []int{http.StatusForbidden, http.StatusUnauthorized}, byTech, "%s: both may", name)
	}
	assert.Equal(t, 10, reserved, "people seen, added, changed; a circuit deleted, one of record; a job reopened, archived; what was "+
		"learnt set back; settings seen, changed")
}

// An entry bears the name of whoever has signed in, whatever a cookie or a form says.
func TestEntriesAreSignedByTheSession(t *testing.T) {
	_, tech := staffed(t)
	tech.cookies["who"] = &http.Cookie{Name: "who", Value: "Eve"}
	r := tech.do(http.MethodPost, "/jobs/7/note", "text", "looked at the cap", "who", "Eve", "token", "t1")
	require.Equal(t, http.StatusSeeOther, r.Code)
	entries, err := tech.keep.Entries(context.WithoutCancel(t.Context()), 7)
	require.NoError(t, err)
	assert.Equal(t, "Finn", entries[len(entries)-1].Who)
	assert.Equal(t, http.StatusNotFound, tech.do(http.MethodPost, "/who", "who", "Eve").Code)

	// The job is handed over: the log says to whom, the Bay says with whom, and not to oneself.
	require.Equal(t, http.StatusSeeOther, tech.do(http.MethodPost, "/jobs/7/hand", "to", "Maud", "token", "t2").Code)
	says(t, tech.do(http.MethodGet, "/").Body.String(), "· with Maud")
	says(t, tech.do(http.MethodGet, "/jobs/7").Body.String(), "Handed over to Maud")
	assert.Equal(t, http.StatusUnprocessableEntity, tech.do(http.MethodPost, "/jobs/7/hand", "to", "Finn", "token", "t3").Code)
}

// Sessions end: signed out, signed out everywhere, let in no longer, another passphrase.
func TestSessionsEnd(t *testing.T) {
	unhurried(t)
	lead, tech := staffed(t)
	second := lead.device()
	require.Equal(t, http.StatusSeeOther, second.signIn("Finn", techSecret))
	in := func(b *device) bool { return b.do(http.MethodGet, "/").Code == http.StatusOK }
	require.True(t, in(tech) && in(second))
	require.Equal(t, http.StatusSeeOther, tech.do(http.MethodPost, "/signout").Code)
	assert.False(t, in(tech))
	assert.True(t, in(second), "only this session")
	require.Equal(t, http.StatusSeeOther, tech.signIn("Finn", techSecret))

	assert.Equal(t, http.StatusUnprocessableEntity, tech.do(http.MethodPost, "/me", "secret", "wrong", "out", "1").Code)
	require.Equal(t, http.StatusSeeOther, tech.do(http.MethodPost, "/me", "secret", techSecret, "out", "1").Code)
	assert.False(t, in(tech) || in(second))

	require.Equal(t, http.StatusSeeOther, tech.signIn("Finn", techSecret))
	require.Equal(t, http.StatusSeeOther, second.signIn("Finn", techSecret))
	require.Equal(t, http.StatusSeeOther, tech.do(http.MethodPost, "/me", "secret", techSecret, "new", "a new one every winter").Code)
	assert.True(t, in(tech))
	assert.False(t, in(second))
	assert.Equal(t, http.StatusUnauthorized, second.signIn("Finn", techSecret))

	finn, err := lead.keep.PersonNamed(t.Context(), "FINN")
	require.NoError(t, err)
	person := fmt.Sprintf("/people/%d", finn.ID)
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, person, "role", "technician").Code) // no longer let in
	assert.False(t, in(tech))
	assert.Equal(t, http.StatusUnauthorized, tech.signIn("Finn", "a new one every winter"))

	maud, err := lead.keep.PersonNamed(t.Context(), "Maud")
	require.NoError(t, err)
	r := lead.do(http.MethodPost, fmt.Sprintf("/people/%d", maud.ID), "role", "technician", "active", "1")
	assert.Equal(t, http.StatusConflict, r.Code)
	says(t, r.Body.String(), "must remain who leads")
	assert.Equal(t, http.StatusConflict, lead.do(http.MethodPost, "/people", "name", "maud", "role", "lead", "secret", techSecret).Code)
}

// Too many wrong passphrases, and even the right one waits.
func TestAttemptsAreThrottled(t *testing.T) {
	unhurried(t)
	lead, _ := staffed(t)
	b := lead.device()
	for range 8 {
		assert.Equal(t, http.StatusUnauthorized, b.signIn("Finn", "not the passphrase"))
	}
	assert.Equal(t, http.StatusTooManyRequests, b.signIn("Finn", techSecret))
	assert.Equal(t, http.StatusSeeOther, b.signIn("Maud", leadSecret), "others come in")
}

// A PIN is of use on its own device alone, and forgotten after five wrong ones.
func TestAPINOnADevice(t *testing.T) {
	unhurried(t)
	lead, tech := staffed(t)
	const refused = http.StatusUnprocessableEntity
	for pin, want := range map[string]int{"12": refused, "7777": refused, "48a2": refused, "4821": http.StatusSeeOther} {
		assert.Equal(t, want, tech.do(http.MethodPost, "/me", "secret", techSecret, "pin", pin).Code, pin)
	}
	finn, err := lead.keep.PersonNamed(t.Context(), "Finn")
	require.NoError(t, err)
	id := fmt.Sprint(finn.ID)
	byPIN := func(b *device, pin string) int {
		return b.do(http.MethodPost, "/signin", "person", id, "pin", pin).Code
	}
	tech.do(http.MethodPost, "/signout")
	says(t, strings.Join(strings.Fields(tech.do(http.MethodGet, "/signin").Body.String()), " "), "Finn, with the PIN of this device")
	assert.Equal(t, http.StatusSeeOther, byPIN(tech, "4821"))
	assert.Equal(t, http.StatusUnauthorized, byPIN(lead.device(), "4821"), "another device")
	tech.do(http.MethodPost, "/signout")
	for range 5 {
		assert.Equal(t, http.StatusUnauthorized, byPIN(tech, "1111"))
	}
	assert.Equal(t, http.StatusUnauthorized, byPIN(tech, "4821"), "forgotten")
	assert.Equal(t, http.StatusSeeOther, tech.signIn("Finn", techSecret))
}

// What is tried first is refused, whatever its length; what is being typed is judged only for whoever may set one.
func TestWeakPassphrases(t *testing.T) {
	unhurried(t)
	lead, _ := staffed(t)
	for _, weak := range []string{"passwordpassword", "qwertyuiop12345", "aaaaaaaaaaaaaaaa", "iloveyouiloveyou", "password1234567"} {
		r := lead.do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret", weak)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, weak)
		says(t, r.Body.String(), "among those that are tried first")
		says(t, lead.do(http.MethodPost, "/strength", "secret", weak).Body.String(), "tried first")
	}
	says(t, lead.do(http.MethodPost, "/strength", "secret", "wet rope").Body.String(), "4 more characters")
	says(t, lead.do(http.MethodPost, "/strength", "secret", "heron lathe pumice ferry").Body.String(), "hard to guess")
	assert.Equal(t, http.StatusNotFound, lead.device().do(http.MethodPost, "/strength", "secret", "heron lathe pumice").Code)
	long := strings.Repeat("ferry 7 heron ", 9)[:120]
	began := time.Now()
	lead.do(http.MethodPost, "/strength", "secret", long)
	assert.Less(t, time.Since(began), 2*time.Second, "a long one is judged by its beginning")
}

// The second step: set up with a code of it, asked for at signing in, of use once; a lead without one may not lead where the
// workshop wants it, and another passphrase by a lead takes it away.
func TestTheSecondStep(t *testing.T) {
	unhurried(t)
	lead, tech := staffed(t)
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, "/settings", "archive", "0", "second", "true").Code)
	r := lead.do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret", "heron lathe pumice")
	assert.Equal(t, http.StatusForbidden, r.Code)
	says(t, r.Body.String(), "wants a second step of its leads")

	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, "/me", "second", "begin", "secret", leadSecret).Code)
	page := lead.do(http.MethodGet, "/me").Body.String()
	_, secret, _ := strings.Cut(page, "<code>")
	secret, _, _ = strings.Cut(secret, "</code>")
	require.Len(t, secret, 32)
	code := func(at time.Time) string {
		c, err := totp.GenerateCode(secret, at)
		require.NoError(t, err)
		return c
	}
	now := time.Now()
	says(t, lead.do(http.MethodPost, "/me", "code", code(now.Add(time.Hour)), "secret", leadSecret).Body.String(), "nothing was changed")
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, "/me", "code", code(now), "secret", leadSecret).Code)
	says(t, lead.do(http.MethodGet, "/me").Body.String(), "a second step at signing in was set up")
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, "/me", "read", "1").Code)
	silent(t, lead.do(http.MethodGet, "/me").Body.String(), "Of your account there was changed")
	assert.Equal(t, http.StatusOK, lead.do(http.MethodGet, "/people").Code)

	other := lead.device()
	require.Equal(t, http.StatusSeeOther, other.signIn("Maud", leadSecret))
	assert.Equal(t, http.StatusSeeOther, other.do(http.MethodGet, "/").Code, "half is not in")
	says(t, other.do(http.MethodGet, "/signin").Body.String(), "The second step")
	assert.Equal(t, http.StatusUnauthorized, other.do(http.MethodPost, "/signin", "second", code(now)).Code, "used when it was set up")
	assert.Equal(t, http.StatusUnauthorized, other.do(http.MethodPost, "/signin", "second", code(now.Add(-time.Hour))).Code)
	assert.Equal(t, http.StatusUnauthorized, lead.device().do(http.MethodPost, "/signin", "second", code(now)).Code, "without the "+
		"passphrase")
	next := code(now.Add(30 * time.Second))
	require.Equal(t, http.StatusSeeOther, other.do(http.MethodPost, "/signin?back=/library", "second", next).Code)
	assert.Equal(t, http.StatusOK, other.do(http.MethodGet, "/library").Code)
	third := lead.device()
	require.Equal(t, http.StatusSeeOther, third.signIn("Maud", leadSecret))
	assert.Equal(t, http.StatusUnauthorized, third.do(http.MethodPost, "/signin", "second", next).Code, "used")

	// Finn's is taken away with another passphrase, and he is told.
	finn, err := lead.keep.PersonNamed(t.Context(), "Finn")
	require.NoError(t, err)
	require.NoError(t, lead.keep.SetSecond(t.Context(), finn.ID, secret))
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, fmt.Sprintf("/people/%d", finn.ID), "role", "technician", "active", "1",
		"secret", "heron lathe pumice").Code)
	r = tech.do(http.MethodPost, "/signin", "name", "Finn", "secret", "heron lathe pumice")
	assert.Equal(t, "/me", r.Header().Get("Location"))
	says(t, tech.do(http.MethodGet, "/me").Body.String(), "another passphrase was given by Maud")

	// Whoever has the machine at hand lets the lead in again.
	passphrase, err := people.LetIn(t.Context(), lead.keep, "maud", time.Now())
	require.NoError(t, err)
	assert.Equal(t, http.StatusSeeOther, lead.do(http.MethodGet, "/").Code)
	require.Equal(t, http.StatusSeeOther, lead.signIn("Maud", passphrase))
	assert.Equal(t, http.StatusOK, lead.do(http.MethodGet, "/me").Code)
}

// A passphrase that a lead gave is of use for choosing one's own, and for seven days.
func TestAPassphraseOfOnesOwn(t *testing.T) {
	unhurried(t)
	lead, _ := staffed(t)
	require.Equal(t, http.StatusSeeOther, lead.do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret",
		"heron lathe pumice").Code)
	ida := lead.device()
	require.Equal(t, http.StatusSeeOther, ida.signIn("Ida", "heron lathe pumice"))
	assert.Equal(t, "/me", ida.do(http.MethodGet, "/jobs/7").Header().Get("Location"))
	assert.Equal(t, http.StatusForbidden, ida.do(http.MethodPost, "/jobs/7/note", "text", "x", "token", "i1").Code)
	says(t, ida.do(http.MethodGet, "/me").Body.String(), "Choose a passphrase of your own")
	says(t, ida.do(http.MethodPost, "/me", "secret", "heron lathe pumice", "new", "heron lathe pumice").Body.String(), "choose one of "+
		"your own")
	require.Equal(t, http.StatusSeeOther, ida.do(http.MethodPost, "/me", "secret", "heron lathe pumice", "new", "ferry nettle anvil").Code)
	assert.Equal(t, http.StatusOK, ida.do(http.MethodGet, "/jobs/7").Code)

	p, err := lead.keep.PersonNamed(t.Context(), "Ida")
	require.NoError(t, err)
	secret, err := techHash()
	require.NoError(t, err)
	require.NoError(t, lead.keep.SetSecret(t.Context(), p.ID, secret, true))
	_, err = lead.keep.DB().ExecContext(t.Context(), `UPDATE people SET fresh_until = now() - interval '1 hour' WHERE id = $1`, p.ID)
	require.NoError(t, err)
	r := ida.do(http.MethodPost, "/signin", "name", "Ida", "secret", techSecret)
	assert.Equal(t, http.StatusUnauthorized, r.Code)
	says(t, r.Body.String(), "is too old now")
}
