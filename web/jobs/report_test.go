package jobs_test

import (
	"bytes"
	"image"
	"image/color"
	_ "image/jpeg"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

// The report shows where the fault is on the circuit's printed page, and so does its PDF, whose picture is taken out of it again by
// poppler's pdfimages: there is a dark ring in it with a light rim, where the fuse stands. A circuit without pages has none.
func TestTheReportShowsTheFaultOnItsPage(t *testing.T) {
	w := webtest.Open(t)
	open := w.NewJobOn("f3-twin-series-parallel", "no low")
	require.Equal(t, http.StatusSeeOther, w.Post(open+"/repair", "action", "F3 renewed").Code)
	webtest.Says(t, w.Get(open+"/report").Body.String(), `on its page"`)

	twin := w.ClosedJob(0)
	body := w.Get(twin + "/report").Body.String()
	webtest.Says(t, body, "On its page")
	webtest.Says(t, body, `alt="F3 on its page"`)
	dir := t.TempDir()
	taken := func(job string) []string {
		name := filepath.Join(dir, "report.pdf")
		require.NoError(t, os.WriteFile(name, w.Get(job+"/report/pdf").Body.Bytes(), 0o600))
		out, err := exec.CommandContext(t.Context(), "pdfimages", "-j", name, filepath.Join(dir, "image")).CombinedOutput()
		require.NoError(t, err, "%s", out)
		list, err := filepath.Glob(filepath.Join(dir, "image-*.jpg"))
		require.NoError(t, err)
		return list
	}
	list := taken(twin)
	require.Len(t, list, 1)
	f, err := os.Open(list[0])
	require.NoError(t, err)
	defer f.Close()
	picture, _, err := image.Decode(f)
	require.NoError(t, err)
	size := picture.Bounds().Size()
	at := image.Point{X: size.X / 2, Y: size.Y / 2} // the fuse is in the middle: 130 units each way, its ring's radius 11
	radius := float64(size.X) / 260 * 11
	grey := func(x int) uint8 { return color.GrayModel.Convert(picture.At(x, at.Y)).(color.Gray).Y }
	assert.Less(t, grey(at.X+int(radius+0.5)), uint8(60), "the ring")
	assert.Greater(t, grey(at.X+int(radius*7/6-1)), uint8(180), "its rim")

	// It is kept as it was, whatever page is laid on the circuit afterwards, and travels in the job's file.
	h, err := w.Keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	shot, err := os.ReadFile(list[0])
	require.NoError(t, err)
	require.NoError(t, os.Remove(list[0]))
	require.NoError(t, w.Keep.PutPages(t.Context(), h, nil, nil))
	list = taken(twin)
	require.Len(t, list, 1)
	again, err := os.ReadFile(list[0])
	require.NoError(t, err)
	assert.True(t, bytes.Equal(shot, again), "the same picture")
	webtest.Silent(t, w.Get(open+"/report").Body.String(), "on its page")
	elsewhere := webtest.Open(t)
	r := elsewhere.Send("/jobs/import", "file", "job.json", w.Get(twin+"/report/json").Body.Bytes())
	require.Equal(t, http.StatusSeeOther, r.Code, webtest.Notice(r.Body.String()))
	there := r.Header().Get("Location")
	page := elsewhere.Get(there + "/report").Body.String()
	webtest.Says(t, page, `alt="F3 on its page"`)
	shown := regexp.MustCompile(`class="crop" src="([^"]+)"`).FindStringSubmatch(page)
	require.NotNil(t, shown)
	assert.Equal(t, "image/jpeg", elsewhere.Get(shown[1]).Header().Get("Content-Type"))

	require.NoError(t, os.Remove(list[0]))
	plain := w.JobNamed("Tide-gate pump truck")
	webtest.Silent(t, w.Get(plain+"/report").Body.String(), "On its page")
	assert.Empty(t, taken(plain))
}
