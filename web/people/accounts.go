package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"

	"ironthread/store"
	"ironthread/web/room"
)

// Where others than this machine's own user can reach the application, people sign in. Sessions are in the database, so that
// any instance knows them; a session holds the person's number and the epoch it began in, and is over once that has been
// raised. Who signs an entry is the session's person, whatever a form says.

// Keeper is what accounts need of the store.
type Keeper interface {
	People(ctx context.Context) ([]store.Person, error)
	Person(ctx context.Context, id int64) (store.Person, error)
	PersonNamed(ctx context.Context, name string) (store.Person, error)
	AddPerson(ctx context.Context, name string, role store.Role, secret string) (int64, error)
	AddFirst(ctx context.Context, name, secret string) (int64, error)
	ChangePerson(ctx context.Context, id int64, c store.Change) error
	SetSecret(ctx context.Context, id int64, secret string, given bool) error
	SignOut(ctx context.Context, id int64) error
	SetSecond(ctx context.Context, id int64, secret string) error
	UseStep(ctx context.Context, id, step int64) (bool, error)
	Tell(ctx context.Context, id int64, line string) error
	Told(ctx context.Context, id int64) error
	Setting(ctx context.Context, name string, value any) (bool, error)
	Attempt(ctx context.Context, limits []store.Limit, since time.Duration) ([]int64, bool, error)
	Forgive(ctx context.Context, noted []int64) error
	ClearAttempts(ctx context.Context, prefix string) error
	KnowDevice(ctx context.Context, token string, person int64) error
	KnowsDevice(ctx context.Context, token, name string) (bool, error)
	KeepPIN(ctx context.Context, token string, person int64, pin string) error
	Devices(ctx context.Context, token string) ([]store.Device, error)
	WrongPIN(ctx context.Context, token string, person int64, most int) error
	RightPIN(ctx context.Context, token string, person int64) error
}

// Bounds of signing in (OWASP ASVS 4: 2.1.1, 2.2.1, 3.3.2).
const (
	leastSecret   = 12 // characters of a passphrase
	mostSecret    = 128
	leastPIN      = 4
	mostPIN       = 12
	wrongPINs     = 5
	mostByName    = 8  // wrong guesses at a name from one address, or on a device that knows its person, before one waits
	mostOfName    = 60 // at a name from everywhere, on devices that do not know its person
	mostByAddress = 30
	attemptsOf    = 15 * time.Minute
	sessionFor    = 12 * time.Hour
	idleFor       = 4 * time.Hour
	notedEvery    = 5 * time.Minute // that a session is in use: not at every page, which would be a write each
	hashesAtOnce  = 2               // each takes 64 MB for a moment
	hashesEach    = 3               // of one address, those that wait their turn included
	deviceCookie  = "device"
	personKey     = "person"
	epochKey      = "epoch"
	usedKey       = "used" // when it was noted last that the session is in use
)

// Accounts signs people in.
type Accounts struct {
	keep     Keeper
	sessions *scs.SessionManager
	secure   bool
	turn     chan struct{}
	cost     *argon2id.Params

	mu    sync.Mutex
	hands map[string]int // of each address: how many hashes it has on their way
	code  string         // with which the first lead is made; empty once there is somebody
	dummy string         // a passphrase's hash that nobody has, so that an unknown name takes as long as a known one
}

// NewAccounts makes the door. secure says that the application is reached by TLS. Code is what the first lead signs in with,
// to be shown in the terminal alone; empty where there are people already.
func NewAccounts(ctx context.Context, keep Keeper, s *store.Store, secure bool) (a *Accounts, code string, err error) {
	a = &Accounts{keep: keep, secure: secure, sessions: scs.New(), turn: make(chan struct{}, hashesAtOnce), hands: map[string]int{},
		cost: argon2id.DefaultParams}
	a.sessions.Store = s.Sessions()
	a.sessions.Lifetime = sessionFor // how long it may idle is kept in the session: see person
	a.sessions.Cookie.Name, a.sessions.Cookie.HttpOnly, a.sessions.Cookie.Secure = "session", true, secure
	a.sessions.Cookie.SameSite = http.SameSiteLaxMode // a device may come by a QR code
	if err := a.HashAt(argon2id.DefaultParams); err != nil {
		return nil, "", err
	}
	list, err := keep.People(ctx)
	if err != nil {
		return nil, "", err
	}
	if len(list) == 0 {
		a.code = randomCode()
	}
	return a, a.code, nil
}

// HashAt sets what a passphrase's hash costs whoever tries one: argon2id's recommended 64 MB where nothing is said. Tests, which
// sign hundreds of devices in, take less.
func (a *Accounts) HashAt(cost *argon2id.Params) error {
	dummy, err := argon2id.CreateHash("nobody has this passphrase", cost)
	if err != nil {
		return fmt.Errorf("people: %w", err)
	}
	a.cost, a.dummy = cost, dummy
	return nil
}

// randomCode is sixteen letters and figures that nobody guesses.
func randomCode() string {
	b := make([]byte, 10)
	_, _ = rand.Read(b) // never fails; see crypto/rand
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b)
}

// LetIn gives somebody who has lost the passphrase, or the phone of the second step, another passphrase, and ends every session
// of theirs: for whoever has the machine at hand. store.ErrNotFound: there is nobody of that name.
func LetIn(ctx context.Context, keep Keeper, name string, now time.Time) (passphrase string, err error) {
	p, err := keep.PersonNamed(ctx, name)
	if err != nil {
		return "", err
	}
	passphrase = randomCode()
	secret, err := argon2id.CreateHash(passphrase, argon2id.DefaultParams)
	if err != nil {
		return "", fmt.Errorf("people: %w", err)
	}
	err = keep.ChangePerson(ctx, p.ID, store.Change{Role: p.Role, Active: true, Secret: secret,
		Tell: now.Format("2 Jan 2006 15:04") + ": another passphrase was given at the machine itself"})
	if err == nil {
		err = keep.ClearAttempts(ctx, nameKey(p.Name))
	}
	return passphrase, err
}

// Close is for whoever ends the door; there is nothing to end.
func (a *Accounts) Close() {}

// saving keeps a session when its answer begins: its cookie goes out with the head.
type saving struct {
	gin.ResponseWriter
	save func()
}

func (w saving) Write(b []byte) (int, error) {
	w.save()
	return w.ResponseWriter.Write(b)
}

func (w saving) WriteString(s string) (int, error) {
	w.save()
	return w.ResponseWriter.WriteString(s)
}

func (w saving) WriteHeaderNow() {
	w.save()
	w.ResponseWriter.WriteHeaderNow()
}

func (w saving) Flush() {
	w.save()
	w.ResponseWriter.Flush()
}

// Session gives a request its session. What needs none has none: static files and health are there without the database.
func (a *Accounts) Session(front *room.Room) gin.HandlerFunc {
	return func(c *gin.Context) {
		if sessionless(c.Request.URL.Path) {
			return
		}
		token := ""
		if cookie, err := c.Request.Cookie(a.sessions.Cookie.Name); err == nil {
			token = cookie.Value
		}
		ctx, err := a.sessions.Load(c.Request.Context(), token)
		if err != nil {
			front.FailWith(c, err)
			return
		}
		c.Request = c.Request.WithContext(ctx)
		c.Header("Vary", "Cookie")
		w := saving{c.Writer, sync.OnceFunc(func() { a.save(ctx, front, c.Writer.Header()) })}
		under := c.Writer
		c.Writer = w
		c.Next()
		w.save()
		c.Writer = under
	}
}

// save keeps what a request has changed of its session.
func (a *Accounts) save(ctx context.Context, front *room.Room, head http.Header) {
	cookie := func(token string, until time.Time) {
		a.sessions.WriteSessionCookie(ctx, headOnly{head}, token, until)
	}
	switch a.sessions.Status(ctx) {
	case scs.Modified:
		token, until, err := a.sessions.Commit(context.WithoutCancel(ctx))
		if err != nil { // whoever signed in is asked again
			front.Log.Error("keeping a session", "error", err)
			return
		}
		cookie(token, until)
	case scs.Destroyed:
		cookie("", time.Time{})
	}
}

// headOnly is a writer of an answer's head alone.
type headOnly struct{ head http.Header }

func (h headOnly) Header() http.Header       { return h.head }
func (headOnly) Write(b []byte) (int, error) { return len(b), nil }
func (headOnly) WriteHeader(int)             {}

// sessionless are the addresses that ask for no session.
func sessionless(path string) bool {
	return strings.HasPrefix(path, "/static/") || slices.Contains(room.Named, path) || path == "/healthz" || path == "/readyz"
}

// open are the addresses that nobody need be signed in for.
func open(path string) bool {
	return sessionless(path) || path == "/signin" || path == "/strength"
}

// leadOnly are the addresses that a lead alone may post to, as they are routed.
var leadOnly = map[string]bool{
	"/people": true, "/people/:id": true, "/harnesses/:name/delete": true, "/logbook/reset": true, "/harnesses/:name/record": true,
	"/jobs/:id/reopen": true, "/jobs/:id/archive": true, "/settings": true,
}

// LeadOnly tells whether an address is a lead's alone.
func LeadOnly(method, route string) bool {
	return leadOnly[route] && (method == http.MethodPost || route == "/people" || route == "/settings")
}

// ownAffairs are the addresses that are open to somebody who has still to choose a passphrase of their own.
func ownAffairs(path string) bool { return path == "/me" || path == "/signout" }

// Gate lets nobody pass who is not signed in, and nobody where a lead alone may go.
func (a *Accounts) Gate(front *room.Room) gin.HandlerFunc {
	return func(c *gin.Context) {
		if open(c.Request.URL.Path) {
			c.Next()
			return
		}
		p, ok, err := a.person(c)
		switch {
		case err != nil:
			front.FailWith(c, err)
		case !ok && c.Request.Method == http.MethodGet:
			c.Redirect(http.StatusSeeOther, "/signin?back="+url.QueryEscape(c.Request.URL.RequestURI()))
			c.Abort()
		case !ok:
			front.Fail(c, http.StatusUnauthorized, "You are signed out, so nothing was done. Sign in on another page, then send this again.")
		case p.FreshUntil != nil && !ownAffairs(c.Request.URL.Path) && c.Request.Method == http.MethodGet:
			c.Redirect(http.StatusSeeOther, "/me")
			c.Abort()
		case p.FreshUntil != nil && !ownAffairs(c.Request.URL.Path):
			front.Fail(c, http.StatusForbidden, "Choose a passphrase of your own first, on the page of your account. Nothing was done.")
		case LeadOnly(c.Request.Method, c.FullPath()) && p.Role != store.Lead:
			front.Fail(c, http.StatusForbidden, "Only a lead may do that; nothing was done.")
		case LeadOnly(c.Request.Method, c.FullPath()) && a.lacksSecond(c, p):
			front.Fail(c, http.StatusForbidden, "This workshop wants a second step of its leads at signing in, and you have none yet: set it "+
				"up on the page of your account. Nothing was done.")
		default:
			room.SignedIn(c, p.Name, p.Role == store.Lead)
			c.Next()
		}
	}
}

// person is who a request's session belongs to; false where it is over.
func (a *Accounts) person(c *gin.Context) (store.Person, bool, error) {
	ctx := c.Request.Context()
	id, used := a.sessions.GetInt64(ctx, personKey), a.sessions.GetInt64(ctx, usedKey)
	idle := time.Since(time.Unix(used, 0))
	if id == 0 || idle > idleFor {
		return store.Person{}, false, nil
	}
	if idle > notedEvery {
		a.sessions.Put(ctx, usedKey, time.Now().Unix())
	}
	p, err := a.keep.Person(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return p, false, nil
	}
	return p, err == nil && p.Active && p.Epoch == a.sessions.GetInt(ctx, epochKey), err
}

// begin begins a session, under a token of its own.
func (a *Accounts) begin(c *gin.Context, p store.Person) error {
	ctx := c.Request.Context()
	if err := a.sessions.RenewToken(ctx); err != nil {
		return fmt.Errorf("people: %w", err)
	}
	a.sessions.Remove(ctx, halfKey)
	a.sessions.Put(ctx, personKey, p.ID)
	a.sessions.Put(ctx, epochKey, p.Epoch)
	a.sessions.Put(ctx, usedKey, time.Now().Unix())
	return nil
}

// first is the code with which the first lead is made; empty once there is somebody, at whichever instance.
func (a *Accounts) first(ctx context.Context) string {
	a.mu.Lock()
	code := a.code
	a.mu.Unlock()
	if code == "" {
		return ""
	}
	if list, err := a.keep.People(ctx); err != nil || len(list) == 0 {
		return code // without an answer the code does no harm: the first lead is added where there is nobody, and nowhere else
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	a.code = ""
	return ""
}

// addressKey is how many attempts are counted of one place. Whoever has an IPv6 address mostly has a whole /64 of them.
func addressKey(ip string) string {
	if at, err := netip.ParseAddr(ip); err == nil && at.Is6() && !at.Is4In6() {
		if net, err := at.Prefix(64); err == nil {
			return net.String()
		}
	}
	return ip
}

// turned waits for a turn: a hash takes much memory for a moment. One address has few on their way, so that it holds nobody
// else up; the error then says so.
func (a *Accounts) turned(c *gin.Context) (done func(), err error) {
	from := addressKey(c.ClientIP())
	a.mu.Lock()
	if a.hands[from] >= hashesEach {
		a.mu.Unlock()
		return nil, refusal(http.StatusTooManyRequests, "too much is tried from there at once; try again in a moment")
	}
	a.hands[from]++
	a.mu.Unlock()
	left := func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		if a.hands[from]--; a.hands[from] == 0 {
			delete(a.hands, from)
		}
	}
	select {
	case a.turn <- struct{}{}:
		return func() { <-a.turn; left() }, nil
	case <-c.Request.Context().Done():
		left()
		return nil, c.Request.Context().Err()
	}
}

func (a *Accounts) hash(c *gin.Context, secret string) (string, error) {
	done, err := a.turned(c)
	if err != nil {
		return "", err
	}
	defer done()
	text, err := argon2id.CreateHash(secret, a.cost)
	if err != nil {
		return "", fmt.Errorf("people: %w", err)
	}
	return text, nil
}

func (a *Accounts) compare(c *gin.Context, secret, hash string) (bool, error) {
	done, err := a.turned(c)
	if err != nil {
		return false, err
	}
	defer done()
	same, err := argon2id.ComparePasswordAndHash(secret, hash)
	if err != nil {
		return false, fmt.Errorf("people: %w", err)
	}
	return same, nil
}

func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}
