package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"rsc.io/qr"
)

// door is how the application is reached: where it listens, by which names, with which certificate, behind which proxy.
type door struct {
	listen        string
	names         []string
	cert, key     string
	state         string
	proxies       []string
	accounts      bool
	certificate   *tls.Certificate
	fingerprint   string
	announcedName string
}

// certificateFor is how long a certificate made here lasts.
const certificateFor = 2 * 365 * 24 * time.Hour

// open decides what is needed: accounts and TLS as soon as others can reach the application; TLS may be a trusted proxy's.
func (d *door) open() error {
	host, port, err := net.SplitHostPort(d.listen)
	if err != nil {
		return badInput("--listen %s: %w", d.listen, err)
	}
	ip := net.ParseIP(host)
	loop := host == "localhost" || ip != nil && ip.IsLoopback()
	d.accounts = d.accounts || !loop
	for _, p := range d.proxies {
		if net.ParseIP(p) == nil {
			if _, _, err := net.ParseCIDR(p); err != nil {
				return badInput("--proxy %s: an address in figures, or a range of them", p)
			}
		}
	}
	if len(d.names) == 0 {
		d.names = hostNames(host)
	}
	d.names = append(d.names, "127.0.0.1", "localhost", "::1")
	d.announcedName = d.names[0]
	if loop && d.cert == "" || len(d.proxies) > 0 {
		return nil
	}
	if (d.cert == "") != (d.key == "") {
		return badInput("--tls-cert and --tls-key belong together")
	}
	cert, err := d.load()
	if err != nil {
		return err
	}
	d.certificate = cert
	sum := sha256.Sum256(cert.Certificate[0])
	var pairs []string
	for _, b := range sum {
		pairs = append(pairs, fmt.Sprintf("%02X", b))
	}
	d.fingerprint = strings.Join(pairs, ":")
	if port != "443" {
		d.announcedName = net.JoinHostPort(d.announcedName, port)
	}
	return nil
}

// hostNames are the names and addresses of this machine that others could use.
func hostNames(host string) []string {
	var list []string
	if ip := net.ParseIP(host); ip != nil && !ip.IsUnspecified() {
		list = append(list, host)
	} else if ip == nil && host != "" {
		list = append(list, strings.ToLower(host))
	}
	if addresses, err := net.InterfaceAddrs(); err == nil {
		for _, a := range addresses {
			if n, ok := a.(*net.IPNet); ok && n.IP.IsPrivate() && n.IP.To4() != nil && !slices.Contains(list, n.IP.String()) {
				list = append(list, n.IP.String())
			}
		}
	}
	if name, err := os.Hostname(); err == nil {
		list = append(list, strings.ToLower(name), strings.ToLower(name)+".local")
	}
	if len(list) == 0 {
		list = []string{"localhost"}
	}
	return list
}

// load reads the certificate that is given, or the one made here before, or makes one.
func (d *door) load() (*tls.Certificate, error) {
	cert, key := d.cert, d.key
	if cert == "" {
		if d.state == "" {
			return nil, badInput("--state names the folder in which the certificate made here is kept; or give --tls-cert and --tls-key")
		}
		cert, key = filepath.Join(d.state, "tls-cert.pem"), filepath.Join(d.state, "tls-key.pem")
		if err := makeCertificate(cert, key, d.names, time.Now()); err != nil {
			return nil, err
		}
	}
	pair, err := tls.LoadX509KeyPair(cert, key)
	if err != nil {
		return nil, badInput("the certificate: %w", err)
	}
	return &pair, nil
}

// makeCertificate makes a certificate of these names that signs itself, unless there is one that holds.
func makeCertificate(cert, key string, names []string, now time.Time) error {
	if pair, err := tls.LoadX509KeyPair(cert, key); err == nil && pair.Leaf != nil && now.Before(pair.Leaf.NotAfter.Add(-24*time.Hour)) {
		return nil
	} else if err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("the certificate made here before cannot be read; take %s away for a new one: %w", cert, err)
	}
	if err := os.MkdirAll(filepath.Dir(cert), 0o700); err != nil {
		return err
	}
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return err
	}
	t := &x509.Certificate{SerialNumber: serial, Subject: pkix.Name{CommonName: "Iron Thread"}, NotBefore: now.Add(-time.Hour),
		NotAfter: now.Add(certificateFor), KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
		BasicConstraintsValid: true}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, n)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &private.PublicKey, private)
	if err != nil {
		return err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		return err
	}
	if err := os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600); err != nil {
		return err
	}
	return os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600)
}

// address is where others find the application; empty where nobody else can.
func (d *door) address() string {
	switch {
	case d.certificate != nil:
		return "https://" + d.announcedName
	case len(d.proxies) > 0:
		return "https://" + d.names[0]
	}
	return ""
}

// announce says in the terminal where the application is, by which fingerprint its certificate is known, and the code with
// which the first lead begins.
func (d *door) announce(out io.Writer, code string) {
	if d.fingerprint != "" {
		fmt.Fprintf(out, "Its certificate's SHA-256 fingerprint: %s\n", d.fingerprint)
	}
	if address := d.address(); address != "" {
		fmt.Fprintf(out, "Others find it at %s\n", address)
		if picture, err := blocks(address); err == nil {
			fmt.Fprint(out, picture)
		}
	}
	if code != "" {
		fmt.Fprintf(out, "Nobody is here yet. The first lead begins with this code: %s\n", code)
	}
}

// blocks draws a QR code with half blocks, two rows a line, light on dark as a terminal is.
func blocks(text string) (string, error) {
	code, err := qr.Encode(text, qr.L)
	if err != nil {
		return "", err
	}
	const margin = 2
	var b strings.Builder
	for y := -margin; y < code.Size+margin; y += 2 {
		for x := -margin; x < code.Size+margin; x++ {
			upper, lower := !code.Black(x, y), !code.Black(x, y+1)
			switch {
			case upper && lower:
				b.WriteString("█")
			case upper:
				b.WriteString("▀")
			case lower:
				b.WriteString("▄")
			default:
				b.WriteString(" ")
			}
		}
		b.WriteString("\n")
	}
	return b.String(), nil
}
