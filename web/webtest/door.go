package webtest

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"

	"github.com/alexedwards/argon2id"
	"github.com/stretchr/testify/require"

	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/store"
	"ironthread/web"
	"ironthread/web/people"
)

// Passphrases of the two who are there.
const (
	LeadSecret = "salt spray on the quay" //nolint:gosec // of nobody, in tests
	TechSecret = "four gritters in a row"
)

// Door is an application in which people sign in, and the code of its first lead.
type Door struct {
	T    *testing.T
	Keep *store.Store
	App  *web.App
	Code string
}

// OpenDoor is one on the demo workshop.
func OpenDoor(t *testing.T) *Door {
	t.Helper()
	return NewDoor(t, demotest.Open(t))
}

// NewDoor is an instance on a database that is there.
func NewDoor(t *testing.T, keep *store.Store) *Door {
	t.Helper()
	accounts, code, err := people.NewAccounts(t.Context(), keep, keep, false)
	require.NoError(t, err)
	require.NoError(t, accounts.HashAt(LightHash))
	t.Cleanup(accounts.Close)
	app, err := web.New(keep, web.Options{Hosts: Hosts, Circuits: Circuits, Workshop: demo.Workshop, Accounts: accounts, Loopback: true,
		Address: "https://127.0.0.1:8443"})
	require.NoError(t, err)
	t.Cleanup(app.Close)
	return &Door{t, keep, app, code}
}

// Device is a browser with its cookies.
type Device struct {
	*Door
	Handler http.Handler
	Cookies map[string]*http.Cookie
	Address string // from which it asks; empty: the test's usual one
}

// Device is one that has never been here.
func (d *Door) Device() *Device {
	return &Device{Door: d, Handler: d.App.Handler(), Cookies: map[string]*http.Cookie{}}
}

// Do asks for a page, or sends a form.
func (b *Device) Do(method, path string, form ...string) *httptest.ResponseRecorder {
	b.T.Helper()
	q := url.Values{}
	for i := 0; i+1 < len(form); i += 2 {
		q.Add(form[i], form[i+1])
	}
	r := httptest.NewRequestWithContext(b.T.Context(), method, path, strings.NewReader(q.Encode()))
	r.Host = Hosts[0]
	if b.Address != "" {
		r.RemoteAddr = b.Address
	}
	if method == http.MethodPost {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for _, c := range b.Cookies {
		r.AddCookie(c)
	}
	w := httptest.NewRecorder()
	b.Handler.ServeHTTP(w, r)
	for _, c := range w.Result().Cookies() {
		b.Cookies[c.Name] = c
	}
	return w
}

// SignIn signs in with a passphrase, and gives the status.
func (b *Device) SignIn(name, secret string) int {
	b.T.Helper()
	return b.Do(http.MethodPost, "/signin", "name", name, "secret", secret).Code
}

// LightHash is a passphrase's hash that costs little to make, and as little to guess at.
var LightHash = &argon2id.Params{Memory: 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// TechHash is the technician's.
var TechHash = sync.OnceValues(func() (string, error) { return argon2id.CreateHash(TechSecret, LightHash) })

// Staffed is the demo workshop with a lead and a technician, each at a device.
func Staffed(t *testing.T) (lead, tech *Device) {
	t.Helper()
	return OpenDoor(t).Staff()
}

// Staff adds a lead and a technician, each at a device.
func (d *Door) Staff() (lead, tech *Device) {
	t := d.T
	t.Helper()
	lead, tech = d.Device(), d.Device()
	require.Equal(t, http.StatusSeeOther, lead.Do(http.MethodPost, "/signin", "code", d.Code, "name", "Maud", "secret", LeadSecret).Code)
	secret, err := TechHash()
	require.NoError(t, err)
	id, err := d.Keep.AddPerson(t.Context(), "Finn", store.Technician, secret)
	require.NoError(t, err)
	require.NoError(t, d.Keep.SetSecret(t.Context(), id, secret, false)) // it is his own
	require.Equal(t, http.StatusSeeOther, tech.SignIn("finn", TechSecret))
	return lead, tech
}
