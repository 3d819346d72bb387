package site

import (
	"path"
	"regexp"
	"strings"
)

// Tails of names that may be a digest: so many characters after a point, a hyphen or a low line, or the whole name.
const (
	shortestTail = 6
	longestTail  = 40
	fewestAlike  = 3 // files of a folder whose tails are of one length, at least
)

var (
	tailCharacters = regexp.MustCompile(`^[0-9A-Za-z_-]+$`)
	secondEnding   = regexp.MustCompile(`\.(?:chunk|bundle|min|module|legacy)$`)
)

// stem is a file's name without its endings.
func stem(file string) string {
	name := strings.TrimSuffix(path.Base(file), ".map")
	name = strings.TrimSuffix(name, path.Ext(name))
	return secondEnding.ReplaceAllString(name, "")
}

// random says whether a text looks like one that a machine made: letters with numerals among them, or capitals in the midst of small letters and the other way round.
func random(s string) bool {
	if strings.ContainsAny(s, "-_") { // which digests may have, but so have names of several words
		return false
	}
	digit, letter, turns := false, false, 0
	for i := range len(s) {
		c := s[i]
		digit = digit || c >= '0' && c <= '9'
		lower, upper := c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z'
		letter = letter || lower || upper
		if i > 0 {
			p := s[i-1]
			if upper && p >= 'a' && p <= 'z' || lower && p >= 'A' && p <= 'Z' {
				turns++
			}
		}
	}
	return digit && letter || turns >= 3
}

// tail gives the last n characters of a stem when they may be a digest: the whole of it, or what stands behind a separator.
func tail(stem string, n int) string {
	at := len(stem) - n
	if at < 0 || at > 0 && strings.IndexByte(".-_", stem[at-1]) < 0 || !tailCharacters.MatchString(stem[at:]) {
		return ""
	}
	return stem[at:]
}

// hashed finds the files whose names hold a digest, judging by their neighbours too: in a folder where the tails of most names are of one length, all
// different, and many of them made by a machine, those that happen to look like a word are digests as well. Pages are left out.
func hashed(files []File) map[string]bool {
	out := map[string]bool{}
	byDir := map[string][]string{}
	for _, f := range files {
		if f.IsPage() {
			continue
		}
		if HasDigest(f.Path) {
			out[f.Path] = true
		}
		dir := path.Dir(f.Path)
		byDir[dir] = append(byDir[dir], f.Path)
	}
	for _, names := range byDir {
		for n := shortestTail; n <= longestTail && len(names) >= fewestAlike; n++ {
			tails, of, made := map[string]bool{}, []string{}, 0
			for _, f := range names {
				t := tail(stem(f), n)
				if t == "" {
					continue
				}
				if !tails[t] && random(t) { // a script and its source map have one
					made++
				}
				tails[t] = true
				of = append(of, f)
			}
			if len(tails) >= fewestAlike && 2*len(of) >= len(names) && 2*made >= len(tails) && 4*len(tails) >= len(of) {
				for _, f := range of {
					out[f] = true
				}
			}
		}
	}
	return out
}

// HasDigest says whether the name of one of the site's files seems to hold a digest of its content, by the name itself or by its neighbours.
func (s *Site) HasDigest(file string) bool {
	known := s.hashed.Load()
	if known == nil {
		m := hashed(s.Files)
		known = &m
		s.hashed.Store(known)
	}
	return (*known)[file]
}
