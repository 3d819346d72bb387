package survey

import (
	"bytes"
	"context"
	"maps"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"
)

// maxText is how much text is read for the names of files that scripts put together, in bytes.
const maxText = 64 << 20

// Wanted gives the URLs of the site's files that somebody who looks at its pages may ask for, as far as their text tells: the pages, what
// current browsers ask for when they show them, and what a page, script, style sheet or data file among these names, in whole or in the
// parts that a script puts a name together from. The second result is false where that is too much to read: then nothing is known. What
// cannot be read names nothing, and neither do manifests, whose icons no worker answers, nor files of which not says so.
func (inv *Inventory) Wanted(ctx context.Context, not func(path string) bool) (map[string]bool, bool, error) {
	pages := make([]string, 0, len(inv.Pages))
	for i := range inv.Pages {
		pages = append(pages, inv.Pages[i].File.URL)
	}
	wanted := inv.Closure(pages...)
	var left []named // nobody has asked for them yet
	var text int64
	for _, f := range inv.Site.Files {
		if names(f) {
			text += f.Size
		}
		if !wanted[f.URL] {
			left = append(left, nameOf(f))
		}
	}
	if text > maxText {
		return nil, false, nil
	}
	spare := inv.spares()
	manifests := map[string]bool{}
	for i := range inv.Pages {
		manifests[inv.Pages[i].Manifest] = true
	}
	read, words := map[string]bool{}, map[string]bool{}
	for {
		var found []string
		for _, f := range inv.Site.Files {
			if !wanted[f.URL] || read[f.URL] || !names(f) || manifests[f.URL] || not(f.Path) {
				continue
			}
			if err := ctx.Err(); err != nil {
				return nil, false, err
			}
			read[f.URL] = true
			src, err := inv.Site.Read(f.Path)
			if err != nil {
				continue
			}
			if clean, marked, err := pagehead.Part(src, nil); err == nil && len(marked) > 0 && f.IsPage() {
				src = clean
			}
			t := textOf(f, src)
			maps.Copy(words, t.words)
			rest := left[:0]
			for _, n := range left {
				if !t.mentions(n, spare[f.URL]) {
					rest = append(rest, n)
					continue
				}
				found = append(found, n.url)
			}
			left = rest
		}
		for _, n := range left { // names of scripts are put together in many ways: it is enough when all parts are somewhere
			if n.code && len(n.words) > 0 && !slices.ContainsFunc(n.words, func(w string) bool { return !words[w] }) {
				found = append(found, n.url)
			}
		}
		if found == nil {
			return wanted, true, nil
		}
		for u := range inv.Closure(found...) {
			wanted[u] = true
		}
		rest := left[:0]
		for _, n := range left {
			if !wanted[n.url] {
				rest = append(rest, n)
			}
		}
		left = rest
	}
}

// spares gives, by URL, what files name only behind a format that every current browser takes, or for characters that no text has.
func (inv *Inventory) spares() map[string]map[string]bool {
	out := map[string]map[string]bool{}
	note := func(from string, needs []Need) {
		for _, n := range needs {
			if n.Spare || !inv.Characters.In(n.Range) {
				if out[from] == nil {
					out[from] = map[string]bool{}
				}
				out[from][n.URL] = true
				if f := inv.FileOf(n.URL); f != nil {
					out[from][f.URL] = true
				}
			}
		}
	}
	for i := range inv.Pages {
		note(inv.Pages[i].File.URL, inv.Pages[i].Needs)
	}
	for u, needs := range inv.Needs {
		note(u, needs)
	}
	return out
}

// names says whether a file's text may name others.
func names(f site.File) bool {
	switch path.Ext(f.Path) {
	case ".json", ".geojson", ".svg", ".xml", ".csv", ".vtt", ".wasm", ".m3u8", ".mpd", ".gltf":
		return true
	}
	kind := f.Kind()
	return kind == "page" || kind == "script" || kind == "style"
}

// named is a file by what a text may call it.
type named struct {
	url    string
	whole  [][]byte // its name, as it stands and as addresses write it
	stem   []byte   // its name without what follows the last dot
	digest []byte   // the part of the name that changes with the content, nil for none
	code   bool     // scripts load it by a name that they may put together
	words  []string // of its stem
	folder []byte   // the last folder above it with its slash, nil for none
	loaded bool     // it is of a kind that pages load, and not only one that visitors read or fetch by hand
}

// digestWord is a part of a name that looks like a digest: eight hexadecimal digits or more, or letters and digits mixed.
var digestWord = regexp.MustCompile(`^([0-9a-f]{8,}|[0-9A-Za-z]{6,})$`)

func nameOf(f site.File) named {
	base := path.Base(f.Path)
	n := named{url: f.URL, whole: [][]byte{[]byte(base)}, stem: []byte(strings.TrimSuffix(base, path.Ext(base)))}
	if e := url.PathEscape(base); e != base {
		n.whole = append(n.whole, []byte(e))
	}
	for _, word := range strings.FieldsFunc(string(n.stem), func(r rune) bool { return !isNameRune(r) || r == '-' || r == '_' || r == '.' }) {
		if digestWord.MatchString(word) && strings.ContainsAny(word, "0123456789") && strings.ContainsAny(word, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ") {
			n.digest = []byte(word)
		}
	}
	if dir := path.Base(path.Dir(f.Path)); dir != "." {
		n.folder = []byte(dir + "/")
	}
	kind := f.Kind()
	n.code = kind == "script" || kind == "style" || path.Ext(f.Path) == ".wasm"
	n.words = strings.FieldsFunc(string(n.stem), func(r rune) bool { return r >= 0x80 || !isWord(byte(r)) })
	n.loaded = kind == "script" || kind == "style" || kind == "image" || kind == "font" || kind == "media" || names(f)
	return n
}

// text is a file that may name others.
type text struct {
	all     []byte
	scripts [][]byte // what of it is a script or data, where names are put together
	words   map[string]bool
}

var (
	inScripts     = regexp.MustCompile(`(?is)<script\b[^>]*>(.*?)</script`) // of every type: data blocks, too
	dataAttribute = regexp.MustCompile(`(?i)\sdata-[\w-]+\s*=\s*(?:"[^"]*"|'[^']*')`)
)

func textOf(f site.File, src []byte) text {
	t := text{all: src, words: map[string]bool{}}
	for i := 0; i < len(src); i++ {
		if !isWord(src[i]) {
			continue
		}
		from := i
		for i < len(src) && isWord(src[i]) {
			i++
		}
		if !t.words[string(src[from:i])] {
			t.words[string(src[from:i])] = true
		}
	}
	switch f.Kind() {
	case "style":
	case "page":
		for _, m := range inScripts.FindAllSubmatch(src, -1) {
			t.scripts = append(t.scripts, m[1])
		}
		t.scripts = append(t.scripts, dataAttribute.FindAll(src, -1)...)
	default:
		t.scripts = [][]byte{src}
	}
	return t
}

// mentions says whether a text names a file. not are URLs that it names for others than current browsers.
func (t text) mentions(n named, not map[string]bool) bool {
	if not[n.url] {
		return false
	}
	for _, name := range n.whole {
		if t.has(name) && occurs(t.all, name, func(before, after byte) bool {
			return n.loaded && !isName(before) && !isName(after) || strings.IndexByte("\"'`/=(>", before) >= 0 && strings.IndexByte("\"'`)?#&>< ", after) >= 0 && after != 0
		}) {
			return true
		}
	}
	switch {
	case n.code: // the parts may come from several files: see Wanted
		return false
	case n.digest != nil:
		return t.words[string(n.digest)]
	case !n.loaded:
		return false
	case len(n.stem) > 1 && t.has(n.stem) && occurs(t.all, n.stem, func(before, after byte) bool { return quotes(before) && quotes(after) }):
		return true
	}
	return slices.ContainsFunc(t.scripts, func(src []byte) bool {
		return n.folder != nil && begins(src, n.folder, n.whole[0]) || counted(src, n.whole[0])
	})
}

// counted says whether a text has a string that the name begins with, up to where a number or another part begins: "boat" or "boat-" of
// boat-1.jpg.
func counted(src, name []byte) bool {
	for end := len(name) - 1; end > 2; end-- {
		if isLetter(name[end]) && isLetter(name[end-1]) {
			continue
		}
		if occurs(src, name[:end], func(before, after byte) bool {
			return (quotes(before) || before == '/') && (quotes(after) || after == '$')
		}) {
			return true
		}
	}
	return false
}

// has says whether a text has all words of a name: most names are done with here.
func (t text) has(name []byte) bool {
	for _, w := range bytes.FieldsFunc(name, func(r rune) bool { return r >= 0x80 || !isWord(byte(r)) }) {
		if !t.words[string(w)] {
			return false
		}
	}
	return true
}

// begins says whether a text has a string that ends inside of the file's name, after the name of its folder: "photos/" or "photos/img_".
func begins(src, folder, name []byte) bool {
	for at := 0; ; {
		i := bytes.Index(src[at:], folder)
		if i < 0 {
			return false
		}
		i += at
		at = i + len(folder)
		if i > 0 && isName(src[i-1]) {
			continue
		}
		end := at
		for end < len(src) && isName(src[end]) {
			end++
		}
		if end < len(src) && (quotes(src[end]) || src[end] == '$') && end-at < len(name) && bytes.HasPrefix(name, src[at:end]) {
			return true
		}
	}
}

// occurs says whether a name stands in a text, between characters that fit. Beyond the ends stands 0.
func occurs(src, name []byte, fits func(before, after byte) bool) bool {
	for at := 0; ; {
		i := bytes.Index(src[at:], name)
		if i < 0 {
			return false
		}
		i += at
		at = i + 1
		var before, after byte
		if i > 0 {
			before = src[i-1]
		}
		if i+len(name) < len(src) {
			after = src[i+len(name)]
		}
		if fits(before, after) {
			return true
		}
	}
}

func quotes(b byte) bool { return b == '"' || b == '\'' || b == '`' }

func isLetter(b byte) bool { return b|0x20 >= 'a' && b|0x20 <= 'z' }

func isWord(b byte) bool {
	return b >= '0' && b <= '9' || b|0x20 >= 'a' && b|0x20 <= 'z'
}

func isName(b byte) bool { return isWord(b) || b == '-' || b == '_' || b == '.' || b >= 0x80 }

func isNameRune(r rune) bool { return r < 0x80 && isName(byte(r)) }
