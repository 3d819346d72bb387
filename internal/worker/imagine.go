package worker

import (
	"bytes"
	"regexp"
)

var (
	releaseInTable = regexp.MustCompile(`(release:\s*")([0-9a-f]+)(")`)
	digestInTable  = `"\s*:\s*")([A-Za-z0-9_-]+)(")`
)

// Imagine gives the text that one of our workers would have if files had other digests, by their URLs, and the digests that it has
// now. ok is false for a worker that is not ours.
func Imagine(src []byte, digests map[string]string) (out []byte, now map[string]string, ok bool) {
	m := releaseInTable.FindSubmatchIndex(src)
	if !bytes.HasPrefix(src, []byte(Mark)) || m == nil {
		return nil, nil, false
	}
	id := bytes.Clone(src[m[4]:m[5]])
	for i := range id { // another id of the same form
		id[i] = "fedcba9876543210"[bytes.IndexByte([]byte("0123456789abcdef"), id[i])]
	}
	out, now = bytes.ReplaceAll(src, src[m[4]:m[5]], id), map[string]string{}
	for u, d := range digests {
		re := regexp.MustCompile(`("` + regexp.QuoteMeta(u) + digestInTable)
		if m := re.FindSubmatch(out); m != nil {
			now[u] = string(m[2])
			out = re.ReplaceAll(out, []byte("${1}"+d+"${3}"))
		}
	}
	return out, now, true
}
