// Package release gives a set of site files its identity: a digest for each file, and one for the whole.
package release

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"sort"
)

// DigestLength is the length of a [Digest].
const DigestLength = 16

// Digest is the first 12 bytes of a SHA-256 sum in base64url, 16 characters.
func Digest(data []byte) string {
	sum := sha256.Sum256(data)
	return base64.URLEncoding.EncodeToString(sum[:12])
}

// ID is the identity of a release: a digest of its files and of whatever else decides what visitors get, in
// hexadecimal, 12 characters.
func ID(files map[string]string, more ...string) string {
	urls := make([]string, 0, len(files))
	for u := range files {
		urls = append(urls, u)
	}
	sort.Strings(urls)
	h := sha256.New()
	write := func(s string) {
		h.Write([]byte(s))
		h.Write([]byte{0})
	}
	for _, u := range urls {
		write(u)
		write(files[u])
	}
	write("")
	for _, m := range more {
		write(m)
	}
	return hex.EncodeToString(h.Sum(nil)[:6])
}
