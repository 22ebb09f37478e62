package circuits_test

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ironthread/web/webtest"
)

const twinBoxes = twinSheet + "/boxes"

func TestSocketCard(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	page := w.Get(twinBoxes + "/K3?state=low").Body.String()
	webtest.Says(t, page, "Taken as done: K3 out")
	webtest.Says(t, page, "TQ/BN F3.a")
	webtest.Says(t, page, "It sits at bonnet box, D4")
	webtest.Says(t, page, "only the print on the part counts")
	webtest.Says(t, w.Get(twinBoxes+"/K3?state=low&in=1").Body.String(), "6.2 V") // the rest contact's side, in series
	webtest.Says(t, w.Get(twinBoxes+"/F3?state=low&in=1").Body.String(), "6.2 V")
	webtest.Says(t, w.Get(twinBoxes+"/K2?state=off&setup=ground+K2.85").Body.String(), "also pulls in K3")
	assert.Equal(t, http.StatusNotFound, w.Get(twinBoxes+"/K9").Code)
	assert.Equal(t, http.StatusUnprocessableEntity, w.Get(twinBoxes+"/M1").Code)
	r := w.Get(twinBoxes + "/K1?state=flying")
	assert.Equal(t, http.StatusUnprocessableEntity, r.Code)
	webtest.Says(t, r.Body.String(), "no state")
	list, err := w.Keep.Harnesses(t.Context())
	require.NoError(t, err)
	for _, h := range list { // every library circuit, those at 24 V too
		assert.Equal(t, http.StatusOK, w.Get("/harnesses/"+h.Name+"/boxes").Code, h.Name)
		assert.Equal(t, http.StatusOK, w.Get("/harnesses/"+h.Name+"/boxes/F1?turn=3&under=1").Code, h.Name)
	}
	webtest.Says(t, w.Get("/harnesses/f11-equipment-fans/boxes/F1").Body.String(), "25.")
}

// upload posts a photograph.
func upload(w *webtest.Workshop, box string, picture []byte) *httptest.ResponseRecorder {
	return w.Send(twinBoxes+"/photo", "photo", "box.jpg", picture, "box", box)
}

// withOrientation puts an EXIF block that says "turned a quarter" into a JPEG.
func withOrientation(plain []byte) []byte {
	exif := []byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00\x06\x00\x00\x00\x00\x00\x00secret " +
		"place")
	segment := append([]byte{0xFF, 0xE1, byte((len(exif) + 2) >> 8), byte(len(exif) + 2)}, exif...)
	return append(append(append([]byte{}, plain[:2]...), segment...), plain[2:]...)
}

func TestAPhotographIsTakenInAndTagged(t *testing.T) {
	if testing.Short() {
		t.Skip("takes long")
	}
	w := webtest.Open(t)
	img := image.NewRGBA(image.Rect(0, 0, 3000, 2000))
	for x := range 3000 {
		img.Set(x, x%2000, color.White)
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, nil))
	require.Equal(t, http.StatusSeeOther, upload(w, "bonnet box", withOrientation(b.Bytes())).Code)
	r := w.Get(twinBoxes + "/photo?box=bonnet+box")
	require.Equal(t, http.StatusOK, r.Code)
	kept, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	assert.NotContains(t, string(kept), "secret place", "what the camera put beside the picture is gone")
	config, err := jpeg.DecodeConfig(bytes.NewReader(kept))
	require.NoError(t, err)
	assert.Equal(t, [2]int{1066, 1600}, [2]int{config.Width, config.Height}, "upright, and no larger than is needed")

	b.Reset()
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 40, 30))))
	require.Equal(t, http.StatusSeeOther, upload(w, "bonnet box", b.Bytes()).Code)
	for box, picture := range map[string][]byte{"bonnet box": []byte("no picture"), "no box": b.Bytes(), "": nil} {
		assert.Equal(t, http.StatusUnprocessableEntity, upload(w, box, picture).Code, box)
	}
	h, err := w.Keep.HarnessNamed(t.Context(), "f3-twin-series-parallel")
	require.NoError(t, err)
	before, err := w.Keep.Photos(t.Context(), h.ID)
	require.NoError(t, err)
	tag := func(form ...string) int { return w.Post(twinBoxes+"/tag", append(form, "box", "bonnet box")...).Code }
	assert.Equal(t, http.StatusSeeOther, tag("part", "K1", "x", "500", "y", "400", "wide", "100", "turn", "1"))
	assert.Equal(t, http.StatusSeeOther, tag("part", "K2", "x", "1", "y", "1", "wide", "0", "turn", "0"), "taken off")
	photos, err := w.Keep.Photos(t.Context(), h.ID)
	require.NoError(t, err)
	require.Len(t, photos, 1)
	assert.Len(t, photos[0].Tags, len(before[0].Tags)-1)
	assert.Equal(t, 500, photos[0].Tags[len(photos[0].Tags)-1].X)
	for _, bad := range [][]string{{"part", "M1", "x", "1", "y", "1", "wide", "9", "turn", "0"},
		{"part", "K1", "x", "a", "y", "1", "wide", "9", "turn", "0"}, {"part", "K1", "x", "1", "y", "4000", "wide", "9", "turn", "0"}} {
		assert.Equal(t, http.StatusUnprocessableEntity, tag(bad...), "%v", bad)
	}
	assert.Equal(t, http.StatusNotFound, w.Post(twinBoxes+"/tag", "box", "attic", "part", "K1", "x", "1", "y", "1", "wide", "9",
		"turn", "0").Code)
	assert.Equal(t, http.StatusNotFound, w.Get(twinBoxes+"/photo?box=attic").Code)
}
