package web_test

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"net/http"
	"net/http/httptest"
	"regexp"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/core/job"
	"ironthread/core/predict"
	"ironthread/library/librarytest"
	"ironthread/soak"
	"ironthread/web"
	"ironthread/web/webtest"
	"ironthread/web/worked"
)

// regexpTime finds the times of a job file.
var regexpTime = regexp.MustCompile(`"at": "[^"]*"`)

// Only the configured names are served: a page elsewhere whose name points here gets nothing.
func TestOnlyConfiguredHostsAreServed(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	for host, code := range map[string]int{"example.com": 200, "example.com:8080": 200, "EXAMPLE.com": 200, "evil.test": 421,
		"127.0.0.1": 421, "": 421} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.Host = host
		assert.Equal(t, code, w.Do(r).Code, "%q", host)
	}
	options := webtest.Options()
	options.Hosts = nil
	app, err := web.New(w.Keep, options)
	require.NoError(t, err)
	for host, code := range map[string]int{"127.0.0.1:8080": 200, "localhost:9090": 200, "[::1]:8080": 200, "example.com": 421} {
		r := httptest.NewRequest(http.MethodGet, "/tools", nil)
		r.Host = host
		rec := httptest.NewRecorder()
		app.Handler().ServeHTTP(rec, r)
		assert.Equal(t, code, rec.Code, host)
	}
}

// What is no text, no form or too much is refused with a sentence and its right number; nothing is cut in
// silence, nothing echoed at length.
func TestWhatIsNotTakenIn(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	j := w.NewJobOn("f1-one-relay", "limits")
	for path, code := range map[string]int{
		j + "?pin=%00": 400, j + "?state=%ff": 400, "/harnesses/%00": 400, "/harnesses/%ff%fe": 400, "/?find=" + strings.Repeat("x", 20000): 400,
		j + "/report/json": 200,
	} {
		assert.Equal(t, code, w.Get(path).Code, "%.60q", path)
	}
	for _, c := range []struct {
		form []string
		code int
		says string
	}{
		{[]string{"/note", "text", "a\x00b"}, 400, "no text"},
		{[]string{"/note", "text", "broken \xff"}, 400, "no text"},
		{[]string{"/note", "text", strings.Repeat("x", 1_100_000)}, 413, "more than the 1 MB"},
		{[]string{"/note", "text", strings.Repeat("é", 2001)}, 422, "has 2001 characters, and at most 2000 are kept"},
		{[]string{"/note", "text", "   "}, 422, "An empty note was not written"},
		{[]string{"/seen", "do", "codes", "state", "hot"}, 422, "or none, which is an answer too"},
		{[]string{"/seen", "do", "lamp", "state", "hot", "at", "F1.b", "word", "bright", "with", "junk"}, 422, "light or heavy"},
		{[]string{"/seen", "do", "volts", "state", "hot", "at", "F1.b", "reading", strings.Repeat("9", 5000)}, 422, "is not a reading in volts"},
		{[]string{"/setup", "action", strings.Repeat("jumper ", 280)}, 422, "no set-up's words are as long as that"},
		{[]string{"/setup", "action", "jumper BAT.+ BAT.-"}, 422, "a dead short"},
		{[]string{"/setup", "action", "ground BAT.+"}, 422, "a dead short"},
		{[]string{"/repair", "action", "F1 renewed", "minutes", "1e308"}, 422, "are no minutes"},
	} {
		r := w.Post(j+c.form[0], c.form[1:]...)
		assert.Equal(t, c.code, r.Code, "%.60q", c.form)
		webtest.Says(t, r.Body.String(), c.says)
		assert.Less(t, len(webtest.Notice(r.Body.String())), 600, "%.60q is echoed at length", c.form)
	}
	entries, err := w.Keep.Entries(t.Context(), webtest.ID(t, j))
	require.NoError(t, err)
	assert.Len(t, entries, 1, "nothing of it was recorded")
	require.Equal(t, http.StatusSeeOther, w.Post(j+"/note", "text", strings.Repeat("é", 2000)).Code)
	entries, err = w.Keep.Entries(t.Context(), webtest.ID(t, j))
	require.NoError(t, err)
	assert.Len(t, []rune(entries[1].Body.(job.Note).Text), 2000, "all of it is kept")

	r := httptest.NewRequest(http.MethodPost, j+"/note", strings.NewReader(`{"text":"x"}`))
	r.Header.Set("Content-Type", "application/json")
	assert.Equal(t, http.StatusUnsupportedMediaType, w.Do(r).Code)
	head := httptest.NewRequest(http.MethodHead, "/", nil)
	assert.Equal(t, http.StatusOK, w.Do(head).Code)
	assert.Equal(t, http.StatusOK, w.Get("/healthz").Code)
}

// pngHeader is the beginning of a PNG of a size, seven kilobytes of nothing behind it.
func pngHeader(width, height uint32) []byte {
	var b bytes.Buffer
	b.WriteString("\x89PNG\r\n\x1a\n")
	body := binary.BigEndian.AppendUint32([]byte("IHDR"), width)
	body = append(binary.BigEndian.AppendUint32(body, height), 8, 0, 0, 0, 0)
	_ = binary.Write(&b, binary.BigEndian, uint32(13))
	b.Write(body)
	_ = binary.Write(&b, binary.BigEndian, crc32.ChecksumIEEE(body))
	b.Write(make([]byte, 7000))
	return b.Bytes()
}

// A picture is judged by its sides and its area before any of it is unpacked.
func TestAPictureTooLargeIsRefused(t *testing.T) {
	if testing.Short() {
		t.Skip("holds a time that the race detector is too slow for")
	}
	w := webtest.Open(t)
	j := w.NewJobOn("f1-one-relay", "pictures")
	for _, c := range []struct {
		width, height uint32
		says          string
	}{{60_000_000, 1, "no side may be longer than 9000"}, {11000, 4500, "no side may be longer than 9000"},
		{8000, 4500, "more than 16 million pixels, as a PNG"}, {1, 2_000_000_000, "no side may be longer"}, {8900, 8900,
			"more than 16 million pixels"}} {
		r := w.Send(j+"/photo", "photo", "big.png", pngHeader(c.width, c.height))
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
		webtest.Says(t, r.Body.String(), c.says)
	}
}

// A job file from elsewhere is held against what a page would have taken.
func TestAJobFileIsValidated(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	j := w.ClosedJob(1)
	file := webtest.Elsewhere.ReplaceAllString(w.Get(j+"/report/json").Body.String(), `"origin": "far away"`)
	for _, c := range []struct{ old, now, says string }{
		{`"volts": 12.2`, `"volts": 1e308`, "is no reading"},
		{`"minutes": 6`, `"minutes": 1e300`, "are no minutes"},
		{`"who": "Technician"`, `"who": "` + strings.Repeat("x", 300) + `"`, "longer than may be kept"},
		{`"kind": "opened"`, `"kind": "wished"`, "does not begin with the complaint"},
		{`"seq": 2`, `"seq": -2`, "is no number"},
		{`"at": "F3.a"`, `"at": "` + strings.Repeat("F", 999) + `"`, "longer than anybody types"},
	} {
		changed := strings.Replace(file, c.old, c.now, 1)
		require.NotEqual(t, file, changed, c.old)
		r := w.Send("/jobs/import", "file", "job.json", []byte(changed))
		assert.Equal(t, http.StatusUnprocessableEntity, r.Code, c.now)
		webtest.Says(t, r.Body.String(), c.says)
	}
	old := regexpTime.ReplaceAllString(file, `"at": "12000-01-01T00:00:00Z"`)
	assert.NotEqual(t, http.StatusSeeOther, w.Send("/jobs/import", "file", "job.json", []byte(old)).Code)
	first := w.Send("/jobs/import", "file", "job.json", []byte(file))
	require.Equal(t, http.StatusSeeOther, first.Code, webtest.Notice(first.Body.String()))
	for range 3 { // the same job again is the same job
		r := w.Send("/jobs/import", "file", "job.json", []byte(file))
		require.Equal(t, http.StatusSeeOther, r.Code)
		assert.Equal(t, first.Header().Get("Location")+"?here=1", r.Header().Get("Location"))
	}
	record, again := w.Record(j), w.Record(strings.Split(first.Header().Get("Location"), "?")[0])
	mark := `"Technician, imported by Technician, ` + time.Now().Format("2 Jan 2006") + `"`
	assert.Contains(t, again["/csv"], mark, "each entry says that it was taken in, by whom and when")
	assert.Equal(t, record["/csv"], strings.ReplaceAll(again["/csv"], mark, "Technician"), "but for that the log is the same here")
}

// Twelve fans, some forty parts: the first page comes, says how far it is, and then the whole.
// In every run of four fans, in the soak of twelve and twenty-five.
func TestTwelveFansOpen(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	sizes := soak.Of([]int{4}, []int{12, 25})
	for _, n := range sizes {
		options := webtest.Options()
		options.Circuits, options.Patience = worked.NewCircuits(predict.DefaultBytes, nil), 0
		w := webtest.OpenWith(t, options)
		j := w.Opened(librarytest.ManyFans(n))
		var before, after runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		r := w.Get(j)
		require.Equal(t, http.StatusOK, r.Code)
		soak.Await(t, "the whole page", func() bool {
			r = w.Get(j)
			return !strings.Contains(r.Body.String(), `class="card working"`)
		})
		webtest.Says(t, r.Body.String(), "look at each fan")
		runtime.GC()
		runtime.ReadMemStats(&after)
		grown := float64(after.HeapAlloc-before.HeapAlloc) / (1 << 20)
		t.Logf("%d fans, %d parts: %.0f MB kept", n, 3*n+3, grown)
		assert.Less(t, grown, 200.0*max(1, float64(n*n)/144))
	}
}

// A circuit beyond what can be foretold is set aside with the reason; its sheet works, it can be deleted,
// and every other page goes on.
func TestACircuitTooLargeIsSetAside(t *testing.T) {
	if testing.Short() {
		t.Skip("holds a time that the race detector is too slow for")
	}
	w := webtest.Open(t)
	text := strings.Replace(librarytest.ManyFans(24), "states: {off: {commands: []}, run: {commands: [run]}}\n", "states:\n", 1)
	for i := range 40 {
		text += fmt.Sprintf("  s%d: {commands: [run]}\n", i)
	}
	r := w.Post("/library", "text", text)
	require.Equal(t, http.StatusSeeOther, r.Code)
	webtest.Says(t, w.Get("/library").Body.String(), "too large to be diagnosed")
	j := w.NewJobOn("many-fans", "too much")
	page := w.Get(j)
	assert.Equal(t, http.StatusUnprocessableEntity, page.Code)
	webtest.Says(t, page.Body.String(), "too large to be diagnosed")
	webtest.Says(t, w.Get("/").Body.String(), "too large to be diagnosed")
	require.Equal(t, http.StatusSeeOther, w.Post("/harnesses/many-fans/delete").Code)
	webtest.Silent(t, w.Get("/library").Body.String(), "too large to be diagnosed")
}

// Many circuits, each looked at in many set-ups, sixty in fifteen in the soak: what is kept stays within its bytes.
func TestMemoryStaysWithinItsBytes(t *testing.T) {
	if testing.Short() {
		t.Skip("takes a minute")
	}
	const budget = 16 << 20
	options := webtest.Options()
	options.Circuits = worked.NewCircuits(budget, nil)
	w := webtest.OpenWith(t, options)
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	circuits, setups := 10, 6
	if soak.Whole() {
		circuits, setups = 60, 15
	}
	var most uint64
	for n := range circuits {
		j := w.Opened(strings.Replace(librarytest.ManyFans(1), "Many fans", fmt.Sprintf("Circuit %d", n), 1))
		for s := range setups {
			q := "?as=move&do=volts&state=run&pin=M1.%2B"
			for bit, action := range []string{"F1+out", "K1+out", "M1+unplugged", "jumper+F1.a+F1.b"} {
				if s>>bit&1 == 1 {
					q += "&setup=" + action
				}
			}
			r := w.Get(j + q)
			require.Equal(t, http.StatusOK, r.Code, webtest.Notice(r.Body.String()))
		}
		if n%5 == 4 {
			runtime.GC()
			runtime.ReadMemStats(&after)
			most = max(most, after.HeapAlloc)
		}
	}
	grown := (float64(most) - float64(before.HeapAlloc)) / (1 << 20)
	t.Logf("%d circuits in %d set-ups each: %.0f MB more on the heap at most, of them 16 for what is foretold", circuits, setups, grown)
	assert.Less(t, grown, 16.0+40)
}
