package web_test

import (
	"html"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

var (
	unseen = regexp.MustCompile(`(?s)<script.*?</script>|<style.*?</style>|<datalist.*?</datalist>|<[^>]*>`)
	spaces = regexp.MustCompile(`\s+`)
)

// never are the words of docs/words.md that no page says.
func never(t *testing.T) []string {
	t.Helper()
	text, err := os.ReadFile("../docs/words.md")
	require.NoError(t, err)
	var words []string
	for line := range strings.Lines(string(text)) {
		cells := strings.Split(line, "|")
		if len(cells) < 4 || strings.Contains(cells[2], "---") || strings.TrimSpace(cells[2]) == "never" {
			continue
		}
		for word := range strings.SplitSeq(cells[2], ",") {
			words = append(words, strings.ToLower(strings.TrimSpace(word)))
		}
	}
	require.Greater(t, len(words), 15)
	return words
}

// Every page of the demo, the report and its PDF use the one word that docs/words.md has for a thing.
func TestPagesUseTheOneWord(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	words := never(t)
	w := webtest.Open(t)
	said := func(where, text string) {
		text = strings.ToLower(spaces.ReplaceAllString(text, " "))
		for _, word := range words {
			if at := regexp.MustCompile(`(?:^|\W)` + regexp.QuoteMeta(word)).FindStringIndex(text); at != nil {
				t.Errorf("%s says %q: …%s…", where, word, text[max(0, at[0]-40):min(len(text), at[1]+40)])
			}
		}
	}
	paths := []string{"/", "/library", "/library/new", "/drills", "/logbook", "/tools", "/bench", "/rewire",
		"/harnesses/f3-twin-series-parallel",
		"/harnesses/f3-twin-series-parallel/logic", "/harnesses/f8-pwm-module/pins", "/rewire?fans=2&speeds=2&volts=12&title=Mower&half=ok&" +
			"amps=14&name=low+line&gives=ground&asks=low&limit=&name=high+line&gives=ground&asks=high&limit="}
	begun := w.NewJobOn("f1-one-relay", "no fan")
	require.Equal(t, http.StatusSeeOther, w.Post(begun+"/setup", "action", "BAT apart").Code)
	require.Equal(t, http.StatusSeeOther, w.Post(begun+"/setup", "action", "BAT apart", "undo", "1").Code)
	for _, j := range []string{begun, w.JobNamed("Gritter 6"), "/jobs/1", "/jobs/2", "/jobs/3", "/jobs/4", "/jobs/5"} {
		for _, page := range []string{"", "/why", "/believe", "/verify", "/drive", "/report", "/more", "/first", "?table=1",
			"?do=ohms&at=F1.a&from=F1.b"} {
			paths = append(paths, j+page)
		}
		pdf := webtest.PDFText(t, w.Get(j+"/report/pdf").Body.Bytes())
		require.Contains(t, pdf, "Found and done", "its words can be read")
		said(j+"/report/pdf", pdf)
	}
	pages := 0
	for _, path := range paths {
		r := w.Get(path)
		if r.Code != http.StatusOK {
			continue // a closed job has no list to verify
		}
		pages++
		said(path, html.UnescapeString(unseen.ReplaceAllString(r.Body.String(), " ")))
	}
	assert.Greater(t, pages, 50)
}
