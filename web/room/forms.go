package room

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"ironthread/core/harness"
)

// Bounds of what is typed, in characters.
const (
	MaxText = 2000
	MaxWho  = 40
	MaxFind = 200
	// MaxTitle is that of a vehicle's name, and of a circuit's.
	MaxTitle = 80
)

// PlainText tells whether a text is text: whole characters, no NUL.
func PlainText(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }

// OneLine tells whether a text can stand in a line as it was typed: a name, a place.
func OneLine(s string) bool { return harness.Printable(s) && !strings.ContainsAny(s, "\n\t") }

// Field is a posted text without blanks around it; one that is too long is refused, never cut.
func Field(c *gin.Context, name, what string, most int) (string, error) {
	text := strings.TrimSpace(strings.ReplaceAll(c.PostForm(name), "\r\n", "\n"))
	if n := utf8.RuneCountInString(text); n > most {
		return "", fmt.Errorf("%s has %d characters, and at most %d are kept; make it shorter", what, n, most)
	}
	return text, nil
}

// Clip shortens a text to so many characters and drops what cannot be shown.
func Clip(s string, most int) string {
	s = strings.ToValidUTF8(s, "")
	s = strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' {
			return -1
		}
		return r
	}, s)
	if runes := []rune(s); len(runes) > most {
		return string(runes[:most])
	}
	return s
}

// Choice is one of several things to choose from.
type Choice struct {
	Value, Label string
	Chosen       bool
}

// Button leads to the same page with something else shown.
type Button struct {
	Name, URL string
	Key       int // the digit that presses it; 0: none
	On        bool
}

// PinChoice is a pin to choose.
type PinChoice struct {
	Name, Label string
	Chosen      bool
}

// The technician's name is kept in a cookie; it signs log entries.
const (
	whoCookie  = "who"
	defaultWho = "Technician"
	cookieAge  = 365 * 24 * 3600
)

// What the door puts into a request: who has signed in, and whether they lead.
const (
	signedKey = "signed"
	leadKey   = "lead"
)

// SignedIn notes who has signed in: their name signs entries, whatever a cookie says.
func SignedIn(c *gin.Context, name string, lead bool) {
	c.Set(signedKey, name)
	c.Set(leadKey, lead)
}

// SignedHere tells whether people sign in here, and somebody has.
func SignedHere(c *gin.Context) bool { return c.GetString(signedKey) != "" }

// Leads tells whether somebody may do what is a lead's: a lead, or anybody where nobody signs in.
func Leads(c *gin.Context) bool { return c.GetString(signedKey) == "" || c.GetBool(leadKey) }

// Who is the name that the person at this browser signs with: that of whoever has signed in, where people do.
func Who(c *gin.Context) string {
	if name := c.GetString(signedKey); name != "" {
		return name
	}
	name, err := c.Cookie(whoCookie)
	if err != nil || strings.TrimSpace(name) == "" {
		return defaultWho
	}
	return Clip(name, MaxWho)
}

// SignAs keeps the name that the person at this browser signs with.
func SignAs(c *gin.Context, name string) { Keep(c, whoCookie, name) }

// Keep puts a setting of the person at this browser into a cookie for a year.
func Keep(c *gin.Context, name, value string) {
	http.SetCookie(c.Writer, &http.Cookie{ //nolint:gosec // served on loopback over plain HTTP, where Secure would lose it
		Name: name, Value: url.QueryEscape(value), Path: "/", MaxAge: cookieAge, HttpOnly: true, SameSite: http.SameSiteStrictMode,
	})
}

// Whether a person reads in large type is kept in a cookie at their browser.
const typeCookie = "type"

// Large tells whether the person at this browser wants large type.
func Large(c *gin.Context) bool {
	v, err := c.Cookie(typeCookie)
	return err == nil && v == "large"
}

// KeepType keeps whether the person at this browser wants large type.
func KeepType(c *gin.Context) {
	kept := ""
	if c.PostForm("type") == "large" {
		kept = "large"
	}
	Keep(c, typeCookie, kept)
}

// How the pages look is kept in a cookie at a person's browser; without one, the system's own setting decides.
const lookCookie = "look"

// Looks are the ways the pages can look: by the system's setting, on light paper or on dark, and each with strong contrast, for glare
// and for the night.
var Looks = []Choice{{Value: "", Label: "as the system"}, {Value: "light", Label: "light"}, {Value: "dark", Label: "dark"},
	{Value: "strong-light", Label: "strong contrast, light"}, {Value: "strong-dark", Label: "strong contrast, dark"}}

// LookOf is how the person at this browser wants the pages to look.
func LookOf(c *gin.Context) string {
	v, err := c.Cookie(lookCookie)
	if err != nil || !slices.ContainsFunc(Looks, func(x Choice) bool { return x.Value == v }) {
		return ""
	}
	return v
}

// KeepLook keeps it.
func KeepLook(c *gin.Context) { Keep(c, lookCookie, Clip(c.PostForm("look"), MaxWho)) }

// BackTo keeps an address within the application: a path with its query, or the bay.
func BackTo(path string) string {
	if to, err := url.Parse(path); err == nil && strings.HasPrefix(path, "/") && to.Host == "" && to.Scheme == "" &&
		!strings.Contains(path, "//") && !strings.Contains(path, "\\") &&
		harness.Printable(to.Path) && !strings.ContainsAny(to.Path, "\t\n\\") && !strings.Contains(to.Path, "//") {
		return path
	}
	return "/"
}

// CameFrom is the page of this application on which a person was before: the one named in the query, else the
// one that the browser names.
func CameFrom(c *gin.Context) string {
	if named := c.Query("back"); named != "" {
		return BackTo(named)
	}
	before, err := url.Parse(c.GetHeader("Referer"))
	if err != nil || before.Host != c.Request.Host || before.Path == c.Request.URL.Path {
		return "/"
	}
	return BackTo(before.RequestURI())
}

// Slug makes a name for an address out of a title.
func Slug(title string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(title) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	name := strings.Trim(b.String(), "-")
	if name == "" {
		name = "circuit"
	}
	return name[:min(len(name), 60)]
}
