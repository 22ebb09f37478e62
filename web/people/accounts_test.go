package people_test

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

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/demo/demotest"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/people"
	"ironthread/web/webtest"
)

// The first lead begins with the terminal's code, once; a weak passphrase is refused.
func TestTheFirstLead(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	d := webtest.OpenDoor(t)
	b := d.Device()
	r := b.Do(http.MethodGet, "/jobs/1")
	assert.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/signin?back=%2Fjobs%2F1", r.Header().Get("Location"))
	webtest.Says(t, b.Do(http.MethodGet, "/signin").Body.String(), "The terminal in which the application was started shows a code")
	assert.Equal(t, http.StatusUnauthorized, b.Do(http.MethodPost, "/signin", "code", "AAAA", "name", "Maud", "secret",
		webtest.LeadSecret).Code)
	for secret, want := range map[string]string{"short": "12 to 128 characters", "my name is maud": "must not hold the name"} {
		r := b.Do(http.MethodPost, "/signin", "code", d.Code, "name", "Maud", "secret", secret)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		webtest.Says(t, r.Body.String(), want)
	}
	r = b.Do(http.MethodPost, "/signin?back=/jobs/1", "code", strings.ToLower(d.Code), "name", "Maud", "secret", webtest.LeadSecret)
	require.Equal(t, http.StatusSeeOther, r.Code)
	assert.Equal(t, "/jobs/1", r.Header().Get("Location"))
	c := b.Cookies["session"]
	assert.True(t, c.HttpOnly)
	assert.Equal(t, http.SameSiteLaxMode, c.SameSite)
	assert.Equal(t, http.StatusOK, b.Do(http.MethodGet, "/jobs/1").Code)
	r = d.Device().Do(http.MethodPost, "/signin", "code", d.Code, "name", "Eve", "secret", webtest.LeadSecret)
	assert.Equal(t, http.StatusUnauthorized, r.Code, "the code is of no use any more")
	webtest.Says(t, b.Do(http.MethodGet, "/people").Body.String(), "Maud")
	webtest.Says(t, b.Do(http.MethodGet, "/join?back=/jobs/1").Body.String(), "https://127.0.0.1:8443/jobs/1")
}

// Every address, for nobody, a technician and a lead: generated from the routes, so that none is forgotten.
func TestWhoMayGoWhere(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	nobody := lead.Device()
	free := map[string]bool{"/static/:version/*file": true, "/healthz": true, "/readyz": true, "/signin": true, "/strength": true,
		"/sw.js":                true,
		"/manifest.webmanifest": true, "/icon-192.png": true, "/icon-512.png": true}
	routes := lead.App.Addresses()
	require.Greater(t, len(routes), 80)
	reserved := 0
	for _, r := range routes {
		path := r.Path
		for from, to := range map[string]string{":id": "999", ":name": "none", ":part": "X", ":form": "none", ":photo": "1", ":sum": "0",
			":version": "0", "*file": "x.css"} {
			path = strings.ReplaceAll(path, from, to)
		}
		name := r.Method + " " + r.Path
		got := nobody.Do(r.Method, path)
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
		byTech := tech.Do(r.Method, path).Code
		if people.LeadOnly(r.Method, r.Path) {
			reserved++
			assert.Equal(t, http.StatusForbidden, byTech, name)
			assert.NotEqual(t, http.StatusForbidden, lead.Do(r.Method, path).Code, name)
			continue
		}
		assert.NotContains(t, []int{http.StatusForbidden, http.StatusUnauthorized}, byTech, "%s: both may", name)
	}
	assert.Equal(t, 10, reserved, "people seen, added, changed; a circuit deleted, one of record; a job reopened, archived; what was "+
		"learnt set back; settings seen, changed")
}

// An entry bears the name of whoever has signed in, whatever a cookie or a form says.
func TestEntriesAreSignedByTheSession(t *testing.T) {
	_, tech := webtest.Staffed(t)
	tech.Cookies["who"] = &http.Cookie{Name: "who", Value: "Eve"}
	r := tech.Do(http.MethodPost, "/jobs/7/note", "text", "looked at the cap", "who", "Eve", "token", "t1")
	require.Equal(t, http.StatusSeeOther, r.Code)
	entries, err := tech.Keep.Entries(context.WithoutCancel(t.Context()), 7)
	require.NoError(t, err)
	assert.Equal(t, "Finn", entries[len(entries)-1].Who)
	assert.Equal(t, http.StatusNotFound, tech.Do(http.MethodPost, "/who", "who", "Eve").Code)

	// The job is handed over: the log says to whom, the Bay says with whom, and not to oneself.
	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/jobs/7/hand", "to", "Maud", "token", "t2").Code)
	webtest.Says(t, tech.Do(http.MethodGet, "/").Body.String(), "· with Maud")
	webtest.Says(t, tech.Do(http.MethodGet, "/jobs/7").Body.String(), "Handed over to Maud")
	assert.Equal(t, http.StatusUnprocessableEntity, tech.Do(http.MethodPost, "/jobs/7/hand", "to", "Finn", "token", "t3").Code)
}

// Sessions end: signed out, signed out everywhere, let in no longer, another passphrase.
func TestSessionsEnd(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	second := lead.Device()
	require.Equal(t, http.StatusSeeOther, second.SignIn("Finn", webtest.TechSecret))
	in := func(b *webtest.Device) bool { return b.Do(http.MethodGet, "/").Code == http.StatusOK }
	require.True(t, in(tech) && in(second))
	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/signout").Code)
	assert.False(t, in(tech))
	assert.True(t, in(second), "only this session")
	require.Equal(t, http.StatusSeeOther, tech.SignIn("Finn", webtest.TechSecret))

	assert.Equal(t, http.StatusUnprocessableEntity, tech.Do(http.MethodPost, "/me", "secret", "wrong", "out", "1").Code)
	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/me", "secret", webtest.TechSecret, "out", "1").Code)
	assert.False(t, in(tech) || in(second))

	require.Equal(t, http.StatusSeeOther, tech.SignIn("Finn", webtest.TechSecret))
	require.Equal(t, http.StatusSeeOther, second.SignIn("Finn", webtest.TechSecret))
	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/me", "secret", webtest.TechSecret, "new", "a new one every winter").Code)
	assert.True(t, in(tech))
	assert.False(t, in(second))
	assert.Equal(t, http.StatusUnauthorized, second.SignIn("Finn", webtest.TechSecret))

	finn, err := lead.Keep.PersonNamed(t.Context(), "FINN")
	require.NoError(t, err)
	person := fmt.Sprintf("/people/%d", finn.ID)
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, person, "role", "technician").Code) // no longer let in
	assert.False(t, in(tech))
	assert.Equal(t, http.StatusUnauthorized, tech.SignIn("Finn", "a new one every winter"))

	maud, err := lead.Keep.PersonNamed(t.Context(), "Maud")
	require.NoError(t, err)
	r := lead.Do(http.MethodPost, fmt.Sprintf("/people/%d", maud.ID), "role", "technician", "active", "1")
	assert.Equal(t, http.StatusConflict, r.Code)
	webtest.Says(t, r.Body.String(), "must remain who leads")
	assert.Equal(t, http.StatusConflict, lead.Do(http.MethodPost, "/people", "name", "maud", "role", "lead", "secret",
		webtest.TechSecret).Code)
}

// Too many wrong passphrases, and even the right one waits.
func TestAttemptsAreThrottled(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	b := lead.Device()
	for range 8 {
		assert.Equal(t, http.StatusUnauthorized, b.SignIn("Finn", "not the passphrase"))
	}
	assert.Equal(t, http.StatusTooManyRequests, b.SignIn("Finn", webtest.TechSecret))
	assert.Equal(t, http.StatusSeeOther, b.SignIn("Maud", webtest.LeadSecret), "others come in")

	// The stranger keeps Finn out where the guesses came from, and nowhere else: not on the device on which he signs in, not
	// from his own account, not at another address.
	tech.Do(http.MethodPost, "/signout")
	assert.Equal(t, http.StatusSeeOther, tech.SignIn("Finn", webtest.TechSecret), "on a device that knows him")
	elsewhere := lead.Device()
	elsewhere.Address = "192.0.2.77:4000"
	assert.Equal(t, http.StatusSeeOther, elsewhere.SignIn("Finn", webtest.TechSecret), "from another address")
	assert.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/me", "secret", webtest.TechSecret, "out", "1").Code, "signed in")

	// Let in at the machine, he comes in where the stranger is, too.
	passphrase, err := people.LetIn(t.Context(), lead.Keep, "Finn", time.Now())
	require.NoError(t, err)
	assert.Equal(t, http.StatusSeeOther, lead.Device().SignIn("Finn", passphrase))
}

// However many guesses come at the same moment, no more are judged than the limit lets through: passphrases, PINs, codes of a
// second step, and the passphrase that is asked for whatever is changed. The right one among them is let in by luck alone.
func TestGuessesAtOnce(t *testing.T) {
	keep, _ := demotest.Bare(t)
	lead, tech := webtest.NewDoor(t, keep).Staff()
	finn, err := lead.Keep.PersonNamed(t.Context(), "Finn")
	require.NoError(t, err)
	guesses := soak.Count(60, 200)
	atOnce := func(ask func(n int) int) map[int]int {
		var mu sync.Mutex
		var all sync.WaitGroup
		codes := map[int]int{}
		for n := range guesses {
			all.Go(func() {
				code := ask(n)
				mu.Lock()
				codes[code]++
				mu.Unlock()
			})
		}
		all.Wait()
		return codes
	}
	within := func(what string, codes map[int]int, most int) {
		t.Logf("%s: %d guesses at once, answered %v", what, guesses, codes)
		judged := 0
		for code, n := range codes {
			if code != http.StatusTooManyRequests {
				judged += n
			}
		}
		assert.LessOrEqual(t, judged, most, "%s: %v", what, codes)
		assert.Positive(t, judged, what)
	}
	strangers := make([]*webtest.Device, guesses)
	for n := range strangers {
		strangers[n] = lead.Device()
		strangers[n].Address = fmt.Sprintf("192.0.2.%d:4000", n%4+1) // four addresses
	}
	within("passphrases", atOnce(func(n int) int { return strangers[n].SignIn("Finn", fmt.Sprintf("guess number %d", n)) }), 4*8)

	require.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/me", "secret", webtest.TechSecret, "pin", "4821").Code)
	device := tech.Cookies["device"]
	within("PINs", atOnce(func(n int) int {
		b := lead.Device()
		b.Cookies["device"] = device
		return b.Do(http.MethodPost, "/signin", "person", fmt.Sprint(finn.ID), "pin", fmt.Sprint(1000+n)).Code
	}), 8)
	session := tech.Cookies["session"]
	within("one's own passphrase", atOnce(func(n int) int {
		b := lead.Device()
		b.Cookies["session"] = session
		return b.Do(http.MethodPost, "/me", "secret", fmt.Sprintf("guess %d", n), "out", "1").Code
	}), 8)
}

// Sixty names that nobody has, tried at once from one address, hold nobody up who comes from another.
func TestMadeUpNamesHoldNobodyUp(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	lead, _ := webtest.Staffed(t)
	begun := make(chan struct{})
	var all sync.WaitGroup
	for n := range 60 {
		b := lead.Device()
		b.Address = "192.0.2.9:4000"
		all.Go(func() {
			if n == 0 {
				close(begun)
			}
			b.SignIn(fmt.Sprintf("nobody %d", n), "guess after guess")
		})
	}
	<-begun
	assert.Equal(t, http.StatusSeeOther, lead.Device().SignIn("Maud", webtest.LeadSecret), "no more than three hashes stand before her")
	all.Wait()
}

// With the database stalled, a request of somebody who has signed in ends within the deadline with the page that says so; with
// it gone at once. Static files and health need no session, and every answer carries the policy.
func TestTheDatabaseStandsStill(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	keep, line := demotest.OnALine(t)
	keep.Hurry(300 * time.Millisecond) // the deadline of a call, for the test: eight seconds are the usual one
	d := webtest.NewDoor(t, keep)
	b := d.Device()
	require.Equal(t, http.StatusSeeOther, b.Do(http.MethodPost, "/signin", "code", d.Code, "name", "Maud", "secret", webtest.LeadSecret).Code)
	require.Equal(t, http.StatusOK, b.Do(http.MethodGet, "/").Code)
	refused := func() {
		for _, path := range []string{"/", "/jobs/7", "/me", "/library"} {
			r := b.Do(http.MethodGet, path)
			assert.Equal(t, http.StatusServiceUnavailable, r.Code, path)
			webtest.Says(t, r.Body.String(), "Try again in a moment")
			assert.Contains(t, r.Header().Get("Content-Type"), "text/html", path)
			headed(t, r)
		}
		r := b.Do(http.MethodGet, "/healthz")
		assert.Equal(t, http.StatusServiceUnavailable, r.Code)
		assert.Equal(t, "the database does not answer", r.Body.String())
		assert.Equal(t, http.StatusOK, b.Do(http.MethodGet, "/sw.js").Code)
	}
	line.Stall()
	refused()
	line.Cut()
	refused()
	line.Mend()
	assert.Equal(t, http.StatusOK, b.Do(http.MethodGet, "/").Code, "the session is there as it was")
}

// headed checks that an answer carries the policy.
func headed(t *testing.T, r *httptest.ResponseRecorder) {
	t.Helper()
	assert.Contains(t, r.Header().Get("Content-Security-Policy"), "default-src 'self'")
	assert.Equal(t, "nosniff", r.Header().Get("X-Content-Type-Options"))
	assert.Equal(t, "same-origin", r.Header().Get("Referrer-Policy"))
}

// Whatever answers, and however it refuses, carries the policy: a foreign name, a foreign origin, a way round, nobody signed in.
func TestEveryAnswerCarriesThePolicy(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	ask := func(host, origin, method, path string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), method, path, nil)
		r.Host = host
		if origin != "" {
			r.Header.Set("Origin", origin)
			r.Header.Set("Sec-Fetch-Site", "cross-site")
		}
		rec := httptest.NewRecorder()
		lead.Handler.ServeHTTP(rec, r)
		return rec
	}
	for code, r := range map[int]*httptest.ResponseRecorder{
		http.StatusMisdirectedRequest: ask("evil.test", "", http.MethodGet, "/"),
		http.StatusForbidden:          ask(webtest.Hosts[0], "https://evil.test", http.MethodPost, "/jobs"),
		http.StatusMovedPermanently:   ask(webtest.Hosts[0], "", http.MethodGet, "/library/"),
		http.StatusSeeOther:           ask(webtest.Hosts[0], "", http.MethodGet, "/"),
		http.StatusNotFound:           tech.Do(http.MethodGet, "/no/such/page"),
	} {
		assert.Equal(t, code, r.Code)
		headed(t, r)
	}
}

// Where somebody goes after signing in is within the application, whatever an address says; names that cannot be printed are
// refused, and a passphrase keeps its blanks.
func TestWhatANameAndAWayBackMayBe(t *testing.T) {
	lead, _ := webtest.Staffed(t)
	for _, back := range []string{"/%09/evil.test", "//evil.test", "/\\evil.test", "https://evil.test", "/%0d%0aX: y", "/%2F/evil.test",
		"/%5Cevil.test"} {
		r := lead.Device().Do(http.MethodPost, "/signin?back="+url.QueryEscape(back), "name", "Maud", "secret", webtest.LeadSecret)
		require.Equal(t, http.StatusSeeOther, r.Code)
		assert.Equal(t, "/", r.Header().Get("Location"), back)
	}
	for _, name := range []string{"Ida\u202eadI", "Ida\nMaud", "Ida\x00", "Ida\x1b[2J"} {
		r := lead.Do(http.MethodPost, "/people", "name", name, "role", "technician", "secret", "heron lathe pumice")
		assert.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusBadRequest}, r.Code, "%q", name)
	}
	for _, weak := range []string{"correcthorsebatterystaple", "Correct Horse Battery Staple", "correct-horse-battery-staple"} {
		r := lead.Do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret", weak)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, weak)
	}
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret",
		"  heron lathe pumice ").Code)
	assert.Equal(t, http.StatusUnauthorized, lead.Device().SignIn("Ida", "heron lathe pumice"), "its blanks are part of it")
	assert.Equal(t, http.StatusSeeOther, lead.Device().SignIn("Ida", "  heron lathe pumice "))
}

// An entry that somebody left on a device says whose it is: another who signs in there cannot send it, and is told.
func TestALeftEntryIsItsWriters(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	r := lead.Do(http.MethodPost, "/jobs/7/note", "text", "green with salt", "token", "left-1", "writer", "Finn")
	assert.Equal(t, http.StatusForbidden, r.Code)
	webtest.Says(t, r.Body.String(), "That entry is Finn's")
	assert.Equal(t, http.StatusSeeOther, tech.Do(http.MethodPost, "/jobs/7/note", "text", "green with salt", "token", "left-1", "writer",
		"Finn").Code, "he sends it himself, with the form as it was")
	webtest.Says(t, tech.Do(http.MethodGet, "/jobs/7").Body.String(), "green with salt")
}

// What a lead changes of a person is changed whole or not at all: the last lead's passphrase stays with the lead's role.
func TestAChangeIsWholeOrNone(t *testing.T) {
	lead, _ := webtest.Staffed(t)
	maud, err := lead.Keep.PersonNamed(t.Context(), "Maud")
	require.NoError(t, err)
	r := lead.Do(http.MethodPost, fmt.Sprintf("/people/%d", maud.ID), "role", "technician", "active", "1", "secret", "heron lathe pumice")
	assert.Equal(t, http.StatusConflict, r.Code)
	assert.Equal(t, http.StatusSeeOther, lead.Device().SignIn("Maud", webtest.LeadSecret), "the passphrase is the old one")
}

// The code of the first lead is asked for while nobody is here, and at no instance once somebody is.
func TestTheSecondInstanceKnowsTheFirstLead(t *testing.T) {
	one := webtest.OpenDoor(t)
	other := webtest.NewDoor(t, one.Keep)
	webtest.Says(t, other.Device().Do(http.MethodGet, "/signin").Body.String(), "The first lead")
	require.Equal(t, http.StatusSeeOther, one.Device().Do(http.MethodPost, "/signin", "code", one.Code, "name", "Maud", "secret",
		webtest.LeadSecret).Code)
	webtest.Silent(t, other.Device().Do(http.MethodGet, "/signin").Body.String(), "The first lead")
	assert.Equal(t, http.StatusSeeOther, other.Device().SignIn("Maud", webtest.LeadSecret))
}

// What a technician saves is not what jobs go by until a lead has looked at it; a lead's own is, at once.
func TestARevisionIsOfRecordWhenALeadMakesItSo(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	save := func(by *webtest.Device, from, to string) {
		h, err := lead.Keep.HarnessNamed(t.Context(), "f1-one-relay")
		require.NoError(t, err)
		r := by.Do(http.MethodPost, "/harnesses/f1-one-relay/edit", "saw", fmt.Sprint(h.Newest), "text", strings.Replace(h.Source, from, to, 1))
		require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	}
	opened := func(by *webtest.Device) store.Job {
		h, err := lead.Keep.HarnessNamed(t.Context(), "f1-one-relay")
		require.NoError(t, err)
		r := by.Do(http.MethodPost, "/jobs", "vehicle", "Gritter 40", "harness", fmt.Sprint(h.ID), "complaint", "no fan", "token",
			webtest.Token())
		require.Equal(t, http.StatusSeeOther, r.Code)
		j, err := lead.Keep.Job(t.Context(), webtest.ID(t, r.Header().Get("Location")))
		require.NoError(t, err)
		return j
	}
	save(tech, "amps: 25,", "amps: 250,")
	j := opened(tech)
	assert.NotContains(t, j.Source, "amps: 250,")
	webtest.Says(t, tech.Do(http.MethodGet, fmt.Sprintf("/jobs/%d", j.ID)).Body.String(), "not yet looked at by a lead")
	save(lead, "amps: 250,", "amps: 40,")
	assert.Contains(t, opened(tech).Source, "amps: 40")
	r := tech.Do(http.MethodPost, "/library", "text",
		"harness: 1\ntitle: New one\nparts: {B: {kind: battery}, M: {kind: motor, volts: 12, amps: 5}}\n"+
			"wires: {B.+ - M.+: , M.- - B.-: }\nstates: {on: {}}\n", "token", webtest.Token())
	require.Equal(t, http.StatusSeeOther, r.Code)
	webtest.Says(t, tech.Do(http.MethodGet, "/library").Body.String(), "Not yet looked at by a lead")
}

// A PIN is of use on its own device alone, and forgotten after five wrong ones.
func TestAPINOnADevice(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	const refused = http.StatusUnprocessableEntity
	for pin, want := range map[string]int{"12": refused, "7777": refused, "48a2": refused, "4821": http.StatusSeeOther} {
		assert.Equal(t, want, tech.Do(http.MethodPost, "/me", "secret", webtest.TechSecret, "pin", pin).Code, pin)
	}
	finn, err := lead.Keep.PersonNamed(t.Context(), "Finn")
	require.NoError(t, err)
	id := fmt.Sprint(finn.ID)
	byPIN := func(b *webtest.Device, pin string) int {
		return b.Do(http.MethodPost, "/signin", "person", id, "pin", pin).Code
	}
	tech.Do(http.MethodPost, "/signout")
	webtest.Says(t, strings.Join(strings.Fields(tech.Do(http.MethodGet, "/signin").Body.String()), " "), "Finn, with the PIN of this device")
	assert.Equal(t, http.StatusSeeOther, byPIN(tech, "4821"))
	assert.Equal(t, http.StatusUnauthorized, byPIN(lead.Device(), "4821"), "another device")
	tech.Do(http.MethodPost, "/signout")
	for range 5 {
		assert.Equal(t, http.StatusUnauthorized, byPIN(tech, "1111"))
	}
	assert.Equal(t, http.StatusUnauthorized, byPIN(tech, "4821"), "forgotten")
	assert.Equal(t, http.StatusSeeOther, tech.SignIn("Finn", webtest.TechSecret))
}

// What is tried first is refused, whatever its length; what is being typed is judged only for whoever may set one.
func TestWeakPassphrases(t *testing.T) {
	lead, _ := webtest.Staffed(t)
	for _, weak := range []string{"passwordpassword", "qwertyuiop12345", "aaaaaaaaaaaaaaaa", "iloveyouiloveyou", "password1234567"} {
		r := lead.Do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret", weak)
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, weak)
		webtest.Says(t, r.Body.String(), "among those that are tried first")
		webtest.Says(t, lead.Do(http.MethodPost, "/strength", "secret", weak).Body.String(), "tried first")
	}
	webtest.Says(t, lead.Do(http.MethodPost, "/strength", "secret", "wet rope").Body.String(), "4 more characters")
	webtest.Says(t, lead.Do(http.MethodPost, "/strength", "secret", "heron lathe pumice ferry").Body.String(), "hard to guess")
	assert.Equal(t, http.StatusNotFound, lead.Device().Do(http.MethodPost, "/strength", "secret", "heron lathe pumice").Code)
	long := strings.Repeat("ferry 7 heron ", 9)[:120]
	assert.Equal(t, lead.Do(http.MethodPost, "/strength", "secret", long[:60]).Body.String(),
		lead.Do(http.MethodPost, "/strength", "secret", long).Body.String(), "a long one is judged by its beginning")
}

// The second step: set up with a code of it, asked for at signing in, of use once; a lead without one may not lead where the
// workshop wants it, and another passphrase by a lead takes it away.
func TestTheSecondStep(t *testing.T) {
	lead, tech := webtest.Staffed(t)
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/settings", "archive", "0", "second", "true").Code)
	r := lead.Do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret", "heron lathe pumice")
	assert.Equal(t, http.StatusForbidden, r.Code)
	webtest.Says(t, r.Body.String(), "wants a second step of its leads")

	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/me", "second", "begin", "secret", webtest.LeadSecret).Code)
	page := lead.Do(http.MethodGet, "/me").Body.String()
	_, secret, _ := strings.Cut(page, "<code>")
	secret, _, _ = strings.Cut(secret, "</code>")
	require.Len(t, secret, 32)
	code := func(at time.Time) string {
		c, err := totp.GenerateCode(secret, at)
		require.NoError(t, err)
		return c
	}
	now := time.Now()
	webtest.Says(t, lead.Do(http.MethodPost, "/me", "code", code(now.Add(time.Hour)), "secret", webtest.LeadSecret).Body.String(),
		"nothing was changed")
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/me", "code", code(now), "secret", webtest.LeadSecret).Code)
	webtest.Says(t, lead.Do(http.MethodGet, "/me").Body.String(), "a second step at signing in was set up")
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/me", "read", "1").Code)
	webtest.Silent(t, lead.Do(http.MethodGet, "/me").Body.String(), "Of your account there was changed")
	assert.Equal(t, http.StatusOK, lead.Do(http.MethodGet, "/people").Code)

	other := lead.Device()
	require.Equal(t, http.StatusSeeOther, other.SignIn("Maud", webtest.LeadSecret))
	assert.Equal(t, http.StatusSeeOther, other.Do(http.MethodGet, "/").Code, "half is not in")
	webtest.Says(t, other.Do(http.MethodGet, "/signin").Body.String(), "The second step")
	assert.Equal(t, http.StatusUnauthorized, other.Do(http.MethodPost, "/signin", "second", code(now)).Code, "used when it was set up")
	assert.Equal(t, http.StatusUnauthorized, other.Do(http.MethodPost, "/signin", "second", code(now.Add(-time.Hour))).Code)
	assert.Equal(t, http.StatusUnauthorized, lead.Device().Do(http.MethodPost, "/signin", "second", code(now)).Code, "without the "+
		"passphrase")
	next := code(now.Add(30 * time.Second))
	require.Equal(t, http.StatusSeeOther, other.Do(http.MethodPost, "/signin?back=/library", "second", next).Code)
	assert.Equal(t, http.StatusOK, other.Do(http.MethodGet, "/library").Code)
	third := lead.Device()
	require.Equal(t, http.StatusSeeOther, third.SignIn("Maud", webtest.LeadSecret))
	assert.Equal(t, http.StatusUnauthorized, third.Do(http.MethodPost, "/signin", "second", next).Code, "used")

	// Finn's is taken away with another passphrase, and he is told.
	finn, err := lead.Keep.PersonNamed(t.Context(), "Finn")
	require.NoError(t, err)
	require.NoError(t, lead.Keep.SetSecond(t.Context(), finn.ID, secret))
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, fmt.Sprintf("/people/%d", finn.ID), "role", "technician", "active", "1",
		"secret", "heron lathe pumice").Code)
	r = tech.Do(http.MethodPost, "/signin", "name", "Finn", "secret", "heron lathe pumice")
	assert.Equal(t, "/me", r.Header().Get("Location"))
	webtest.Says(t, tech.Do(http.MethodGet, "/me").Body.String(), "another passphrase was given by Maud")

	// Whoever has the machine at hand lets the lead in again.
	passphrase, err := people.LetIn(t.Context(), lead.Keep, "maud", time.Now())
	require.NoError(t, err)
	assert.Equal(t, http.StatusSeeOther, lead.Do(http.MethodGet, "/").Code)
	require.Equal(t, http.StatusSeeOther, lead.SignIn("Maud", passphrase))
	assert.Equal(t, http.StatusOK, lead.Do(http.MethodGet, "/me").Code)
}

// A passphrase that a lead gave is of use for choosing one's own, and for seven days.
func TestAPassphraseOfOnesOwn(t *testing.T) {
	lead, _ := webtest.Staffed(t)
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/people", "name", "Ida", "role", "technician", "secret",
		"heron lathe pumice").Code)
	ida := lead.Device()
	require.Equal(t, http.StatusSeeOther, ida.SignIn("Ida", "heron lathe pumice"))
	assert.Equal(t, "/me", ida.Do(http.MethodGet, "/jobs/7").Header().Get("Location"))
	assert.Equal(t, http.StatusForbidden, ida.Do(http.MethodPost, "/jobs/7/note", "text", "x", "token", "i1").Code)
	webtest.Says(t, ida.Do(http.MethodGet, "/me").Body.String(), "Choose a passphrase of your own")
	webtest.Says(t, ida.Do(http.MethodPost, "/me", "secret", "heron lathe pumice", "new", "heron lathe pumice").Body.String(),
		"choose one of "+
			"your own")
	require.Equal(t, http.StatusSeeOther, ida.Do(http.MethodPost, "/me", "secret", "heron lathe pumice", "new", "ferry nettle anvil").Code)
	assert.Equal(t, http.StatusOK, ida.Do(http.MethodGet, "/jobs/7").Code)

	p, err := lead.Keep.PersonNamed(t.Context(), "Ida")
	require.NoError(t, err)
	secret, err := webtest.TechHash()
	require.NoError(t, err)
	require.NoError(t, lead.Keep.SetSecret(t.Context(), p.ID, secret, true))
	_, err = lead.Keep.DB().ExecContext(t.Context(), `UPDATE people SET fresh_until = now() - interval '1 hour' WHERE id = $1`, p.ID)
	require.NoError(t, err)
	r := ida.Do(http.MethodPost, "/signin", "name", "Ida", "secret", webtest.TechSecret)
	assert.Equal(t, http.StatusUnauthorized, r.Code)
	webtest.Says(t, r.Body.String(), "is too old now")
}

// Where nothing else is said, a passphrase's hash costs whoever tries one what argon2id recommends.
func TestWhatAHashCosts(t *testing.T) {
	keep := demotest.Open(t)
	accounts, code, err := people.NewAccounts(t.Context(), keep, keep, false)
	require.NoError(t, err)
	t.Cleanup(accounts.Close)
	app, err := web.New(keep, web.Options{Hosts: webtest.Hosts, Circuits: webtest.Circuits, Accounts: accounts})
	require.NoError(t, err)
	t.Cleanup(app.Close)
	d := &webtest.Door{T: t, Keep: keep, App: app, Code: code}
	require.Equal(t, http.StatusSeeOther,
		d.Device().Do(http.MethodPost, "/signin", "code", code, "name", "Maud", "secret", webtest.LeadSecret).Code)
	maud, err := keep.PersonNamed(t.Context(), "Maud")
	require.NoError(t, err)
	assert.Contains(t, maud.Secret, "$m=65536,")
}
