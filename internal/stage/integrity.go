package stage

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"
)

// fits says whether an answer is one that the integrity metadata of a request names; what the page may not read is not.
func (r *response) fits(metadata string) bool {
	asked := false
	return Fits(func() []byte { asked = true; return r.bytes() }, metadata) && !(asked && r.kind == "opaque")
}

// Fits says whether a body is one that integrity metadata names (Subresource Integrity, "do bytes match metadata list"): of the strongest
// digests that are given, one has to match. Without any that is understood everything fits, and the body is not asked for.
func Fits(body func() []byte, metadata string) bool {
	best, matched := 0, false
	for _, m := range strings.Fields(metadata) {
		name, want, _ := strings.Cut(m, "-")
		want, _, _ = strings.Cut(want, "?")
		strength := map[string]int{"sha256": 1, "sha384": 2, "sha512": 3}[strings.ToLower(name)]
		if strength == 0 || want == "" || strength < best {
			continue
		}
		if strength > best {
			best, matched = strength, false
		}
		var sum []byte
		switch strength {
		case 1:
			s := sha256.Sum256(body())
			sum = s[:]
		case 2:
			s := sha512.Sum384(body())
			sum = s[:]
		default:
			s := sha512.Sum512(body())
			sum = s[:]
		}
		want = strings.TrimRight(strings.NewReplacer("-", "+", "_", "/").Replace(want), "=")
		matched = matched || base64.RawStdEncoding.EncodeToString(sum) == want
	}
	return best == 0 || matched
}
