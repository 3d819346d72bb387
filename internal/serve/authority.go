package serve

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
	"io/fs"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Authority signs certificates for what is served on this machine. Devices have to trust it once.
type Authority struct {
	PEM  []byte // of its certificate, which devices are given
	Made bool   // it is new: no device trusts it yet

	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

const (
	authorityFile = "authority.pem"
	keyFile       = "authority-key.pem"
	authorityLife = 10 * 365 * 24 * time.Hour
	leafLife      = 90 * 24 * time.Hour // browsers take at most 825 days, and some fewer
)

// private are the only addresses for which the authority can sign: whoever gets its key can stand in for nobody else (RFC 5280, section
// 4.2.1.10).
var private = []string{"127.0.0.0/8", "::1/128", "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "fd00::/8", "fe80::/10"}

// OpenAuthority reads the authority in a folder, or makes one there, whose key only the user can read.
func OpenAuthority(dir string) (*Authority, error) {
	data, err := os.ReadFile(filepath.Join(dir, authorityFile))
	if errors.Is(err, fs.ErrNotExist) {
		return makeAuthority(dir)
	}
	if err != nil {
		return nil, err
	}
	secret, err := os.ReadFile(filepath.Join(dir, keyFile))
	if err != nil {
		return nil, err
	}
	pair, err := tls.X509KeyPair(data, secret)
	if err != nil {
		return nil, fmt.Errorf("%s: %w; remove %s and %s, and a new one is made", dir, err, authorityFile, keyFile)
	}
	key, ok := pair.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return nil, fmt.Errorf("%s: its key is of another kind", dir)
	}
	cert, err := x509.ParseCertificate(pair.Certificate[0])
	if err != nil {
		return nil, err
	}
	if time.Now().After(cert.NotAfter) {
		return makeAuthority(dir)
	}
	return &Authority{PEM: data, cert: cert, key: key}, nil
}

func makeAuthority(dir string) (*Authority, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	name, _ := os.Hostname() // a machine without a name has one without
	t := &x509.Certificate{SerialNumber: serial(), Subject: pkix.Name{CommonName: strings.TrimSpace("Tachyform on " + name), Organization: []string{"Tachyform, for this machine's own sites"}},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(authorityLife), IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true,
		KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign, PermittedDNSDomainsCritical: true, PermittedDNSDomains: []string{"localhost", "local"}}
	if n := label(name); n != "" {
		t.PermittedDNSDomains = append(t.PermittedDNSDomains, n)
	}
	for _, p := range private {
		_, network, err := net.ParseCIDR(p)
		if err != nil {
			return nil, err
		}
		t.PermittedIPRanges = append(t.PermittedIPRanges, network)
	}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	a := &Authority{PEM: pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), Made: true, key: key}
	if a.cert, err = x509.ParseCertificate(der); err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(dir, keyFile), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600); err != nil {
		return nil, err
	}
	return a, os.WriteFile(filepath.Join(dir, authorityFile), a.PEM, 0o644)
}

func serial() *big.Int {
	n, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		panic(err) // the system has no randomness
	}
	return n
}

// label gives a machine's name as one that certificates can name, "" for one that cannot be.
func label(name string) string {
	name = strings.ToLower(name)
	if name == "" || strings.ContainsFunc(name, func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') && r != '-' && r != '.' }) {
		return ""
	}
	return name
}

// Fingerprint is the SHA-256 of the certificate, as devices show it.
func (a *Authority) Fingerprint() string {
	sum := sha256.Sum256(a.cert.Raw)
	return strings.ToUpper(strings.Join(slices.Collect(pairs(sum[:])), ":"))
}

func pairs(b []byte) func(func(string) bool) {
	return func(yield func(string) bool) {
		for _, x := range b {
			if !yield(fmt.Sprintf("%02x", x)) {
				return
			}
		}
	}
}

// For makes a certificate for names and addresses. The error says for which the authority may not sign.
func (a *Authority) For(hosts []string) (tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, err
	}
	t := &x509.Certificate{SerialNumber: serial(), Subject: pkix.Name{CommonName: hosts[0]}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(leafLife),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			if !slices.ContainsFunc(a.cert.PermittedIPRanges, func(n *net.IPNet) bool { return n.Contains(ip) }) {
				return tls.Certificate{}, fmt.Errorf("%s is an address of the open internet, and for those no certificate is made here", h)
			}
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, h)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, t, a.cert, &key.PublicKey, a.key)
	if err != nil {
		return tls.Certificate{}, err
	}
	return tls.Certificate{Certificate: [][]byte{der, a.cert.Raw}, PrivateKey: key}, nil
}

// Names gives the names and addresses by which a browser can reach what listens on a host of this machine: on every address of it when the host
// is none of them in particular.
func Names(host string) []string {
	ip := net.ParseIP(host)
	switch {
	case ip != nil && ip.IsLoopback(), host == "localhost":
		return []string{"127.0.0.1", "localhost", "::1"}
	case host != "" && (ip == nil || !ip.IsUnspecified()):
		return []string{host}
	}
	out := []string{"127.0.0.1", "localhost", "::1"}
	if addresses, err := net.InterfaceAddrs(); err == nil {
		for _, a := range addresses {
			if n, ok := a.(*net.IPNet); ok && !n.IP.IsLoopback() && (n.IP.IsPrivate() || n.IP.IsLinkLocalUnicast()) {
				out = append(out, n.IP.String())
			}
		}
	}
	if name, err := os.Hostname(); err == nil && label(name) != "" {
		out = append(out, label(name), label(name)+".local")
	}
	return out
}

// Reachable picks the address by which another device in the network reaches this machine, "" when there is none.
func Reachable(host string) string {
	for _, n := range Names(host) {
		if ip := net.ParseIP(n); ip != nil && ip.To4() != nil && ip.IsPrivate() {
			return n
		}
	}
	return ""
}
