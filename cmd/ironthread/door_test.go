package main

import (
	"crypto/tls"
	"crypto/x509"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A certificate made here is of the names that others use, is kept, and is made anew when it is about to end.
func TestACertificateMadeHere(t *testing.T) {
	dir := t.TempDir()
	cert, key := filepath.Join(dir, "tls-cert.pem"), filepath.Join(dir, "tls-key.pem")
	now := time.Now()
	require.NoError(t, makeCertificate(cert, key, []string{"yard.local", "127.0.0.1"}, now))
	pair, err := tls.LoadX509KeyPair(cert, key)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(pair.Leaf)
	for _, name := range []string{"yard.local", "127.0.0.1"} {
		_, err := pair.Leaf.Verify(x509.VerifyOptions{DNSName: name, Roots: pool, CurrentTime: now})
		require.NoError(t, err, name)
	}
	info, err := os.Stat(key)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	first, err := os.ReadFile(cert)
	require.NoError(t, err)
	require.NoError(t, makeCertificate(cert, key, nil, now))
	again, err := os.ReadFile(cert)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	require.NoError(t, makeCertificate(cert, key, []string{"yard.local"}, now.Add(certificateFor)))
	again, err = os.ReadFile(cert)
	require.NoError(t, err)
	assert.NotEqual(t, first, again)
	require.NoError(t, os.WriteFile(cert, []byte("no certificate"), 0o600))
	require.ErrorContains(t, makeCertificate(cert, key, nil, now), "take "+cert+" away")
}

// What is needed is decided by where it listens.
func TestTheDoor(t *testing.T) {
	d := &door{listen: "127.0.0.1:8080"}
	require.NoError(t, d.open())
	assert.False(t, d.accounts)
	assert.Empty(t, d.address())
	d = &door{listen: "0.0.0.0:8443", state: t.TempDir(), names: []string{"yard.local"}}
	require.NoError(t, d.open())
	assert.True(t, d.accounts, "others can reach it")
	assert.Equal(t, "https://yard.local:8443", d.address())
	assert.Len(t, strings.Split(d.fingerprint, ":"), 32)
	d = &door{listen: "0.0.0.0:8080", proxies: []string{"127.0.0.1"}, names: []string{"yard.local"}}
	require.NoError(t, d.open())
	assert.True(t, d.accounts)
	assert.Equal(t, "https://yard.local", d.address())
	for want, d := range map[string]*door{
		"missing port":    {listen: "nowhere"},
		"belong together": {listen: "0.0.0.0:1", cert: "a.pem"},
		"--state names":   {listen: "0.0.0.0:1"},
		"in figures":      {listen: "0.0.0.0:1", proxies: []string{"somebody"}},
	} {
		require.ErrorContains(t, d.open(), want)
	}
	picture, err := blocks("https://yard.local:8443")
	require.NoError(t, err)
	assert.Greater(t, strings.Count(picture, "\n"), 10)
}

// Served with TLS and accounts on loopback: the terminal shows fingerprint and code, the certificate is the one of the
// fingerprint, pages want somebody, and the policy says to come by TLS alone.
func TestServedWithTLS(t *testing.T) {
	dir := t.TempDir()
	cert, key := filepath.Join(dir, "c.pem"), filepath.Join(dir, "k.pem")
	require.NoError(t, makeCertificate(cert, key, []string{"127.0.0.1"}, time.Now()))
	db := aDatabase(t)
	url, out, stop := startedWith(t, "serve", "--dsn", db, "--listen", "127.0.0.1:0", "--accounts", "--tls-cert", cert, "--tls-key", key)
	require.True(t, strings.HasPrefix(url, "https://"))
	text := out.String()
	assert.Regexp(t, `fingerprint: ([0-9A-F]{2}:){31}[0-9A-F]{2}`, text)
	assert.Regexp(t, regexp.MustCompile(`begins with this code: [A-Z2-7]{16}`), text)
	pair, err := tls.LoadX509KeyPair(cert, key)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	pool.AddCert(pair.Leaf)
	client := &http.Client{Transport: &http.Transport{ForceAttemptHTTP2: true,
		TLSClientConfig: &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}}}
	r, err := client.Get(url + "/") //nolint:noctx // the server ends with the test
	require.NoError(t, err)
	body, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	assert.Equal(t, http.StatusOK, r.StatusCode)
	assert.Equal(t, "HTTP/2.0", r.Proto)
	assert.Contains(t, string(body), "The first lead")
	assert.Equal(t, "max-age=31536000", r.Header.Get("Strict-Transport-Security"))
	for _, c := range r.Cookies() {
		assert.True(t, c.Secure, c.Name)
	}
	client.CloseIdleConnections()
	assert.Zero(t, stop())
}

// Whoever runs it sees each request as a line with its number, and figures by route; neither holds what was typed.
func TestItIsWatched(t *testing.T) {
	port := freePort(t)
	url, _, stop := startedWith(t, "serve", "--dsn", aDatabase(t), "--listen", "127.0.0.1:0", "--metrics", "127.0.0.1:"+port, "--log", "json")
	seen(t, url+"/library?q=salt")
	// A request is counted once it is over, which its reader may know before the counter does: so it is waited for.
	var figures string
	require.Eventually(t, func() bool {
		figures = seen(t, "http://127.0.0.1:"+port+"/metrics")
		return strings.Contains(figures, `ironthread_request_seconds_count{method="GET",route="/library",status="200"}`)
	}, 3*time.Minute, 10*time.Millisecond)
	assert.Contains(t, figures, "go_sql_open_connections")
	assert.NotContains(t, figures, "salt")
	assert.Equal(t, "ok", seen(t, url+"/readyz"))
	r, err := http.Get(url + "/library") //nolint:noctx // the server ends with the test
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	assert.Regexp(t, `^[0-9a-f]{16}$`, r.Header.Get("X-Request-Id"))
	assert.Zero(t, stop())
	code, _, errs := command("", "serve", "--dsn", "postgres://x", "--log", "loud")
	assert.NotZero(t, code)
	assert.NotEmpty(t, errs)
}
