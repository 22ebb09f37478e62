package webtest

import (
	"bytes"
	"compress/zlib"
	"io"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Elsewhere is what a job file says of where it comes from.
var Elsewhere = regexp.MustCompile(`"origin": "[^"]*"`)

// Tokens are of each page anew; nothing else of a record may change.
var Tokens = regexp.MustCompile(`name="token" value="[^"]*"`)

// PDFText unpacks what a PDF draws: its streams, in their order.
func PDFText(t *testing.T, pdf []byte) string {
	t.Helper()
	var text strings.Builder
	for {
		_, after, found := bytes.Cut(pdf, []byte("stream\n"))
		if !found {
			return text.String()
		}
		stream, rest, _ := bytes.Cut(after, []byte("\nendstream"))
		if r, err := zlib.NewReader(bytes.NewReader(stream)); err == nil {
			b, err := io.ReadAll(r)
			require.NoError(t, err)
			text.Write(b)
		}
		pdf = rest
	}
}

// Record is a closed job in every form in which it is handed out.
func (w *Workshop) Record(address string) map[string]string {
	w.T.Helper()
	forms := map[string]string{}
	for _, form := range []string{"", "/pdf", "/csv", "/json"} {
		r := w.Get(address + "/report" + form)
		require.Equal(w.T, http.StatusOK, r.Code, form)
		body := r.Body.Bytes()
		forms[form] = Tokens.ReplaceAllString(string(body), "")
		if form == "/pdf" {
			forms[form] = PDFText(w.T, body)
			require.Contains(w.T, forms[form], "F3 open")
		}
	}
	return forms
}
