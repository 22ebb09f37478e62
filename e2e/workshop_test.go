package e2e

import (
	"context"
	"fmt"
	"net/http/httptest"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/people"
	"ironthread/web/webtest"
)

// Two people at one job: what one writes is told at the other's page at once, without asking again and again.
func TestNewsOfTheOther(t *testing.T) {
	s := open(t)
	one, other := s.tab(t), s.tabSized(t, 390, 844)
	one.visit(s.url + "/jobs/7")
	other.visit(s.url + "/jobs/7")
	other.sees("h1", "Gritter 6")
	other.waits(`document.documentElement.hasAttribute("data-listening")`)
	one.eval(`fetch("/jobs/7/note", {method: "POST", body: new URLSearchParams({text: "heard it too", token: "news-1"})}).then(() => ""), ""`)
	other.sees("#newer", "Somebody wrote an entry")
	other.click("#newer a")
	other.sees(".thread", "heard it too")
}

// openWithPeople is an application in which people sign in, and the code of its first lead.
func openWithPeople(t *testing.T) (s *site, code string) {
	t.Helper()
	t.Parallel()
	keep := demotest.Open(t)
	accounts, code, err := people.NewAccounts(t.Context(), keep, keep, false)
	require.NoError(t, err)
	require.NoError(t, accounts.HashAt(webtest.LightHash))
	t.Cleanup(accounts.Close)
	app, err := web.New(keep, web.Options{Workshop: demo.Workshop, Patience: time.Minute, Circuits: circuits, Loopback: true,
		Accounts: accounts,
		Address:  "https://yard.local:8443", Fingerprint: "AB:CD"})
	require.NoError(t, err)
	server := httptest.NewServer(app.Handler())
	t.Cleanup(server.Close)
	t.Cleanup(app.Close)
	return &site{url: server.URL, keep: keep, app: app}, code
}

// A workshop in which people sign in, on a phone: the first lead by the terminal's code, a technician added, a PIN on the
// device, an entry signed by who has signed in, and the way to another device.
func TestPeopleSignIn(t *testing.T) {
	s, code := openWithPeople(t)
	lead := s.tabSized(t, 390, 844)
	lead.visit(s.url + "/jobs/7")
	lead.sees("h1", "The first lead")
	lead.accessible()
	lead.fill("#code", code)
	lead.fill("#name", "Maud")
	lead.fill("#secret", "passwordpassword")
	lead.click(".form-check-input")
	assert.Equal(t, "text", lead.eval(`document.querySelector("#secret").type`))
	lead.click(".form-check-input")
	assert.Equal(t, "password", lead.eval(`document.querySelector("#secret").type`))
	lead.sees("#strength", "among those that are tried first")
	lead.fill("#secret", "salt spray on the quay")
	lead.sees("#strength", "hard to guess")
	lead.click("main .btn-primary")
	lead.sees("h1", "Gritter 6")
	lead.visit(s.url + "/people")
	lead.accessible()
	lead.fill("#name", "Finn")
	lead.fill("#secret", "four gritters in a row")
	lead.click("main form:last-of-type .btn-primary")
	lead.sees("h2", "Finn")
	lead.visit(s.url)
	lead.click("details summary:has(+ .inside a[href='/join'])")
	lead.sees(".start .joins", "https://yard.local:8443")
	lead.sees(".start .joins code", "AB:CD")
	lead.visit(s.url + "/join?back=/jobs/7")
	lead.sees("main", "https://yard.local:8443/jobs/7")
	lead.accessible()

	tech := s.tabSized(t, 390, 844)
	tech.visit(s.url + "/jobs/7")
	tech.sees("h1", "Sign in")
	tech.accessible()
	tech.fill("#name", "finn")
	tech.fill("#secret", "four gritters in a row")
	tech.click("main .btn-primary")
	tech.sees(".alert", "Choose a passphrase of your own")
	tech.fill("#new", "heron lathe pumice")
	tech.fill("#secret-new", "four gritters in a row")
	tech.click(`form:has(#new) .btn-primary`)
	tech.sees("#notice", "Done.")
	tech.click(".alert-warning .btn") // the change is told
	tech.waits(`!document.querySelector("form.alert-warning")`)
	tech.visit(s.url + "/jobs/7")
	tech.sees("h1", "Gritter 6")
	tech.visit(s.url + "/me")
	tech.accessible()
	tech.fill("#pin", "4821")
	tech.fill("#secret-pin", "heron lathe pumice")
	tech.click("main form:first-of-type .btn-primary")
	tech.sees("#notice", "Done.")
	tech.sees(".alert-warning", "a PIN was kept on a device")
	tech.click(".alert-warning .btn")
	tech.waits(`!document.querySelector("form.alert-warning")`)
	tech.fill("#secret-second", "heron lathe pumice")
	tech.click(`form:has(#secret-second) .btn`)
	tech.sees("main", "Let the app on your phone")
	tech.accessible()
	tech.narrow()
	assert.Equal(t, "true", tech.eval(`String(document.documentElement.scrollWidth <= 390)`))
	tech.click(".person .dropdown-toggle")
	tech.click(`form[action="/signout"] button`)
	tech.sees("label", "Finn, with the PIN of this")
	tech.fill(`input[name="pin"]`, "4821")
	tech.click("main form:first-of-type .btn-primary")
	tech.sees("h1", "In the bay")
	tech.eval(`fetch("/jobs/7/note", {method: "POST", body: new URLSearchParams({text: "cap looked at", token: "who-1"})})
		.then(() => { document.body.dataset.sent = "yes"; }), ""`)
	_, err := chromedp.Run(tech.ctx, holds(`document.body.dataset.sent === "yes"`))
	require.NoError(t, err)
	tech.visit(s.url + "/jobs/7")
	tech.sees(".thread", "cap looked at")
	tech.sees(".thread", "Finn")
}

// The network is cut while two phones record fifteen entries each: all are kept on their devices, shown as kept, and once it
// is back they are there, each once, each phone's in its order.
func TestANetworkGap(t *testing.T) {
	s := open(t)
	s.gaps = true
	const entries = 15
	phones := []*tab{s.tabSized(t, 390, 844), s.tabSized(t, 390, 844)}
	for _, b := range phones {
		b.visit(s.url + "/jobs/7/more")
		b.sees("label", "A note")
	}
	before, err := s.keep.LastSeq(t.Context(), 7)
	require.NoError(t, err)
	s.down.Store(true)
	began := time.Now()
	for n := range entries {
		pause(t, gapFor(t)/entries)
		for k, b := range phones {
			b.eval(fmt.Sprintf(`(document.querySelector("#text").value = "phone %d, entry %02d", "")`, k, n))
			b.click(`form[action$="/note"] .btn-primary`)
			b.sees("#kept", fmt.Sprintf("%d %s kept on this device", n+1, map[bool]string{true: "entry is", false: "entries are"}[n == 0]))
		}
	}
	phones[0].sees("#kept", "phone 0, entry 14")
	t.Logf("the network was cut for %v", time.Since(began).Round(time.Second))
	now, err := s.keep.LastSeq(t.Context(), 7)
	require.NoError(t, err)
	require.Equal(t, before, now, "nothing has got through")
	s.down.Store(false)
	for _, b := range phones {
		_, err := chromedp.Run(b.ctx, holds(`document.querySelector("#kept").hidden`))
		require.NoError(t, err)
	}
	log, err := s.keep.Entries(context.WithoutCancel(t.Context()), 7)
	require.NoError(t, err)
	require.Len(t, log, before+2*entries)
	next := map[string]int{}
	for _, e := range log[before:] {
		text := e.Body.(job.Note).Text
		phone := text[:len("phone 0")]
		assert.Equal(t, fmt.Sprintf("%s, entry %02d", phone, next[phone]), text, "in order, and once")
		next[phone]++
	}
	// What the server will not take is said, and stays until it has been read.
	b := phones[0]
	s.down.Store(true)
	b.eval(`(document.querySelector("#text").value = "too late", "")`)
	b.click(`form[action$="/note"] .btn-primary`)
	b.sees("#kept", "1 entry is kept")
	_, err = s.keep.Append(context.WithoutCancel(t.Context()), 7, 0, "", func(*store.Log) ([]job.Entry, error) {
		return []job.Entry{{Who: "Maud", At: time.Now(), Body: job.Closing{Text: "done"}}}, nil
	})
	require.NoError(t, err)
	s.down.Store(false)
	b.sees("#kept", "This job is closed")
	b.accessible()
	b.click("#kept button")
	assert.Equal(t, "true", b.eval(`String(document.querySelector("#kept").hidden)`))
}

// pause lets a measured gap last; without a measurement there is none.
func pause(t *testing.T, long time.Duration) {
	t.Helper()
	if long > 0 {
		<-time.After(long)
	}
}

// gapFor is how long the network is cut: no longer than it takes, or as long as IRONTHREAD_GAP says for a measurement.
func gapFor(t *testing.T) time.Duration {
	t.Helper()
	words := os.Getenv("IRONTHREAD_GAP")
	if words == "" {
		return 0
	}
	d, err := time.ParseDuration(words)
	require.NoError(t, err)
	return d
}

// A job seen before is there without the server, and says that it is as it was last seen.
func TestAPageSeenBefore(t *testing.T) {
	s := open(t)
	s.gaps = true
	b := s.tab(t)
	b.visit(s.url + "/jobs/7")
	b.eval(`navigator.serviceWorker.ready.then(() => ""), ""`)
	_, err := chromedp.Run(b.ctx, holds(`navigator.serviceWorker.controller !== null`))
	require.NoError(t, err)
	b.visit(s.url + "/jobs/7")
	b.sees("h1", "Gritter 6")
	b.waits(`(async () => !!(await caches.match(location.href)))()`)
	s.down.Store(true)
	b.visit(s.url + "/jobs/7")
	b.sees("h1", "Gritter 6")
	b.sees("[role=status]", "as it was last seen here")
}
