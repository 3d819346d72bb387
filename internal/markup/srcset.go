package markup

import (
	"encoding/json"
	"slices"
	"sort"
	"strconv"
	"strings"
)

// Candidate is one image of a srcset attribute.
type Candidate struct {
	URL     string
	Width   float64 // in px, 0 when not given
	Density float64 // 0 when not given
}

// Candidates splits a srcset attribute as the HTML Standard does (section 4.8.4.2.2): commas inside URLs stay.
func Candidates(srcset string) []Candidate {
	var out []Candidate
	s := srcset
	for {
		s = strings.TrimLeft(s, " \t\r\n\f,")
		if s == "" {
			return out
		}
		end := strings.IndexAny(s, " \t\r\n\f")
		if end < 0 {
			end = len(s)
		}
		u := s[:end]
		s = s[end:]
		c := Candidate{URL: strings.TrimRight(u, ",")}
		if c.URL == u {
			rest := s
			if comma := strings.IndexByte(s, ','); comma >= 0 {
				rest, s = s[:comma], s[comma+1:]
			} else {
				s = ""
			}
			for _, d := range strings.Fields(rest) {
				v, err := strconv.ParseFloat(d[:len(d)-1], 64)
				if err != nil {
					continue
				}
				switch d[len(d)-1] {
				case 'w':
					c.Width = v
				case 'x':
					c.Density = v
				}
			}
		}
		if c.URL != "" {
			out = append(out, c)
		}
	}
}

// Pick tells the candidates of a slot of the given width in CSS px apart (HTML Standard, "select an image source"): the first is what a screen of one
// pixel each takes, the smallest that is dense enough, or the densest; the others are what screens of more take. Of candidates that are told by
// their widths only the first is given, since how wide the slot is on a small screen is not known here. src is that of the img element, "" for none.
func Pick(srcset, src string, slot float64) []string {
	cs := Candidates(srcset)
	density := func(c Candidate) float64 {
		switch {
		case c.Width > 0:
			return c.Width / slot
		case c.Density > 0:
			return c.Density
		}
		return 1
	}
	if src != "" && !slices.ContainsFunc(cs, func(c Candidate) bool { return c.Width > 0 || density(c) == 1 }) {
		cs = append(cs, Candidate{URL: src, Density: 1})
	}
	sort.SliceStable(cs, func(i, j int) bool { return density(cs[i]) < density(cs[j]) })
	var out []string
	for _, c := range cs {
		if density(c) >= 1 && (len(out) == 0 || c.Width == 0) && !slices.Contains(out, c.URL) {
			out = append(out, c.URL)
		}
	}
	if len(out) == 0 && len(cs) > 0 {
		out = []string{cs[len(cs)-1].URL}
	}
	return out
}

// Imported gives the address that an import map has for the name of a module (HTML, "resolve an imports match"), "" for none.
func Imported(imports map[string]string, name string) string {
	if u, ok := imports[name]; ok {
		return u
	}
	best, found := "", ""
	for k, u := range imports {
		if rest, ok := strings.CutPrefix(name, k); ok && strings.HasSuffix(k, "/") && strings.HasSuffix(u, "/") && len(k) > len(best) {
			best, found = k, u+rest
		}
	}
	return found
}

// importMap gives the addresses of an import map, and by which names modules are asked for, also in scopes. They are only fetched when a module asks for
// them.
func importMap(src []byte, offset int) ([]Ref, map[string]string, map[string]map[string]string) {
	var m struct {
		Imports map[string]string            `json:"imports"`
		Scopes  map[string]map[string]string `json:"scopes"`
	}
	if json.Unmarshal(src, &m) != nil {
		return nil, nil, nil
	}
	at := quotedAt(src)
	var out []Ref
	add := func(imports map[string]string) {
		for _, u := range imports {
			if strings.HasSuffix(u, "/") {
				continue
			}
			out = append(out, Ref{URL: u, Use: UseModule, Offset: offset + at[u], Lazy: true})
		}
	}
	add(m.Imports)
	for _, s := range m.Scopes {
		add(s)
	}
	sort.Slice(out, func(i, j int) bool {
		return out[i].Offset < out[j].Offset || out[i].Offset == out[j].Offset && out[i].URL < out[j].URL
	})
	return out, m.Imports, m.Scopes
}

// quotedAt gives where each quoted text stands first that has no escapes.
func quotedAt(src []byte) map[string]int {
	out := map[string]int{}
	for i := 0; i < len(src); i++ {
		if src[i] != '"' {
			continue
		}
		end := i + 1
		for end < len(src) && src[end] != '"' {
			if src[end] == '\\' {
				end++
			}
			end++
		}
		if end >= len(src) {
			return out
		}
		if text := string(src[i+1 : end]); !strings.Contains(text, "\\") {
			if _, known := out[text]; !known {
				out[text] = i
			}
		}
		i = end
	}
	return out
}

func (r *pageReader) image(t *Token) {
	from := len(r.p.Refs)
	src, _ := r.get(t, "src")
	if !r.srcset(t, src) {
		r.ref(t, "src", UseImage)
	}
	for i := range r.p.Refs[from:] {
		r.p.Refs[from+i].Spare = r.picture && r.taken
	}
}

// formats are the types of pictures that every current browser draws.
var formats = map[string]bool{"": true, "image/avif": true, "image/webp": true, "image/jpeg": true, "image/png": true, "image/gif": true, "image/svg+xml": true}

// source reads a source of a picture: what follows one that all current browsers take, and what few of them do, is spare (HTML Standard,
// "update the source set").
func (r *pageReader) source(t *Token) {
	from := len(r.p.Refs)
	if !r.srcset(t, Tag{}) {
		return
	}
	kind, _ := r.get(t, "type")
	media, _ := r.get(t, "media")
	essence, _, _ := strings.Cut(strings.ToLower(kind.Value), ";")
	known := formats[strings.TrimSpace(essence)]
	for i := range r.p.Refs[from:] {
		r.p.Refs[from+i].Spare = r.taken || !known
	}
	r.taken = r.taken || known && (media.Value == "" || strings.EqualFold(media.Value, "all"))
}

// srcset adds the candidates that a desktop window of 1280 CSS px takes, at one device pixel each and at more.
func (r *pageReader) srcset(t *Token, src Tag) bool {
	v, ok := r.get(t, "srcset")
	if !ok {
		return false
	}
	l, _ := r.get(t, "loading")
	picked := Pick(v.Value, strings.TrimSpace(src.Value), 1280)
	for i, u := range picked {
		ref := Ref{URL: u, Use: UseImage, Offset: v.Offset, Lazy: strings.EqualFold(l.Value, "lazy"), Dense: i > 0}
		if u == strings.TrimSpace(src.Value) {
			ref.Offset = src.Offset
		}
		r.p.Refs = append(r.p.Refs, ref)
	}
	return len(picked) > 0
}
