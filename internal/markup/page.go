package markup

import (
	"bytes"
	"encoding/binary"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Use says for what a page asks for a URL; the values are the Fetch Standard's request destinations where
// there is one.
type Use string

// The uses of a reference.
const (
	UseStyle    Use = "style"
	UseScript   Use = "script"
	UseModule   Use = "module" // a script fetched as a module
	UseImage    Use = "image"
	UseFont     Use = "font"
	UseAudio    Use = "audio"
	UseVideo    Use = "video"
	UseTrack    Use = "track"
	UseFrame    Use = "iframe"
	UseObject   Use = "object"
	UseWorker   Use = "worker"
	UseFetch    Use = "fetch" // by a script
	UseIcon     Use = "icon"
	UseManifest Use = "manifest"
	UsePreload  Use = "preload"
	UsePrefetch Use = "prefetch" // for a page that may come next: the page itself does without
	UseLink     Use = "link"     // a hyperlink: not needed by the page itself
	UseRefresh  Use = "refresh"  // meta refresh: where the page goes next
)

// Ref is one reference to a URL, as written.
type Ref struct {
	URL    string
	Use    Use
	Offset int    // of the value in the file that was read
	Method string // of a literal fetch, "" for GET
	Lazy   bool   // asked for only when the visitor gets near it
	Digest string // the integrity attribute
	Media  string // for which media a linked style sheet is, as written; "not all" for one that stands for another
	CORS   string // the crossorigin attribute: "", "anonymous" or "use-credentials"
	Spare  bool   // it stands behind another that every current browser takes: the second format of a picture or a font
	Dense  bool   // only screens with more than one pixel for each CSS px ask for it: one of several candidates
	Range  string // the unicode-range of a font: it is asked for when a text has one of these characters
}

// Tag is a value in a page's head with its place.
type Tag struct {
	Value  string
	Media  string
	Offset int
}

// Script is a script inside a page.
type Script struct {
	Offset int
	Source []byte
	Module bool
	Media  string // of a style element, as written
}

// Link is a hyperlink with its text.
type Link struct {
	URL, Text string
}

// Form is a form that sends what a visitor entered.
type Form struct {
	Action, Method string
	Offset         int
}

// Page is what a page's HTML says. All strings are UTF-8 with character references resolved.
type Page struct {
	Encoding     string // name by the Encoding Standard
	Lang         string
	Dir          string
	Title        Tag
	Description  Tag
	AppNames     []Tag // application-name and og:site_name
	ThemeColors  []Tag
	Viewport     Tag
	TouchIcons   []Tag
	Robots       string
	Base         Tag // href of the first base element
	CSP          []Tag
	Refs         []Ref
	Imports      map[string]string            // of import maps, without their scopes: addresses by names, or by beginnings of names that end with a slash
	Scopes       map[string]map[string]string // the same by beginnings of importers' addresses, of the first import map
	Forms        []Form
	Scripts      []Script
	Styles       []Script
	Headings     []string // text of h1 elements
	Nav          []Link   // of the first nav element that has any
	Brand        string   // alternative text or text of the first link to the start page
	BodyStyle    string
	HTMLStyle    string
	HasPassword  bool
	HasDoctype   bool
	HasStructure bool // an html, head, body or title tag
}

// maxPage bounds how much of a page is read, in bytes.
const maxPage = 64 << 20

// ReadPage reads HTML bytes. It accepts anything; a page over 64 MB is read in part.
func ReadPage(src []byte) *Page { return readPage(src, true) }

// ReadNeeds is ReadPage without hyperlinks and headings, which most of a page's tags are.
func ReadNeeds(src []byte) *Page { return readPage(src, false) }

func readPage(src []byte, links bool) *Page {
	src = src[:min(len(src), maxPage)]
	p := &Page{}
	var dec *encoding.Decoder
	if le, be := bytes.HasPrefix(src, []byte("\xff\xfe")), bytes.HasPrefix(src, []byte("\xfe\xff")); le || be {
		p.Encoding = "utf-16le"
		if be {
			p.Encoding = "utf-16be"
		}
		if out, _, err := transform.Bytes(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder(), src); err == nil {
			src = out
		}
	} else {
		var e encoding.Encoding
		e, p.Encoding = declared(src)
		if p.Encoding != "utf-8" && !ascii(src) {
			dec = e.NewDecoder()
		}
	}
	r := pageReader{p: p, src: src, dec: dec, links: links}
	r.read()
	return p
}

// Decode gives the text of a document as browsers read it (HTML Standard, "determining the character encoding"): by its byte order mark, else by the charset of
// its Content-Type, else by what its head declares, else as windows-1252.
func Decode(src []byte, contentType string) string {
	e, name, certain := charset.DetermineEncoding(src[:min(len(src), 3)], contentType)
	if !certain {
		e, name = declared(src)
	}
	if name != "utf-8" {
		if text, err := e.NewDecoder().Bytes(src); err == nil {
			return string(bytes.TrimPrefix(text, []byte("\ufeff")))
		}
	}
	return strings.ToValidUTF8(string(bytes.TrimPrefix(src, []byte("\ufeff"))), "\ufffd")
}

// declared gives the encoding that a page without a UTF-16 byte order mark declares, in its first 1024 bytes or later in its head. Browsers do
// not take UTF-8 for granted: only what is declared counts, so that bytes which could be guessed from are masked.
func declared(src []byte) (encoding.Encoding, string) {
	head := src[:min(len(src), 1024)]
	// The usual case needs no parser: the first meta element says UTF-8.
	if i := bytes.Index(head, []byte("<meta ")); i >= 0 && !bytes.Contains(head[:i], []byte("<!--")) {
		for _, usual := range []string{`charset="utf-8"`, `charset="UTF-8"`, `charset=utf-8>`} {
			if bytes.HasPrefix(head[i+len("<meta "):], []byte(usual)) {
				return nil, "utf-8"
			}
		}
	}
	head = bytes.Clone(head)
	for i, c := range head {
		if c >= 0x80 && !bytes.HasPrefix(src, []byte("\xef\xbb\xbf")) {
			head[i] = 0xff
		}
	}
	e, name, _ := charset.DetermineEncoding(head, "text/html")
	if name == "windows-1252" && len(src) > len(head) {
		if late, lateName := declaredLate(src); late != nil {
			return late, lateName
		}
	}
	return e, name
}

// declaredLate gives the encoding that a meta element of the head declares, wherever it stands: browsers read the page again then (HTML
// Standard, "changing the encoding while parsing").
func declaredLate(src []byte) (encoding.Encoding, string) {
	if !bytes.Contains(bytes.ToLower(src), []byte("charset")) {
		return nil, ""
	}
	z := html.NewTokenizer(bytes.NewReader(src))
	for {
		switch z.Next() {
		case html.ErrorToken:
			return nil, ""
		case html.EndTagToken:
			if name, _ := z.TagName(); string(name) == "head" {
				return nil, ""
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			raw := bytes.Clone(z.Raw()) // reading the name changes its case
			name, _ := z.TagName()
			switch string(name) {
			case "html", "head", "title", "base", "link", "script", "style", "noscript", "template":
			case "meta":
				if !bytes.Contains(bytes.ToLower(raw), []byte("charset")) {
					continue
				}
				if e, name, _ := charset.DetermineEncoding(raw, ""); name != "windows-1252" {
					return e, name
				}
			default:
				return nil, ""
			}
		}
	}
}

func ascii(b []byte) bool {
	for len(b) >= 8 {
		if binary.LittleEndian.Uint64(b)&0x8080808080808080 != 0 {
			return false
		}
		b = b[8:]
	}
	for _, c := range b {
		if c >= 0x80 {
			return false
		}
	}
	return true
}

type pageReader struct {
	p        *Page
	src      []byte
	dec      *encoding.Decoder
	template int
	links    bool
	heading  int // offset of an open h1's content, 0 when none
	brandAt  int // offset of the content of a link to the start page
	nav      int // nav elements that are open
	navAt    int // offset of the content of a link in one
	navURL   string
	navDone  bool // a nav element with links is closed
	picture  bool // a picture element is open
	taken    bool // and one of its sources is for every current browser
}

// text decodes bytes of the page to UTF-8 text.
func (r *pageReader) text(b []byte) string {
	if r.dec != nil {
		if out, err := r.dec.Bytes(b); err == nil {
			b = out
		}
	}
	return unescape(b)
}

func (r *pageReader) get(t *Token, name string) (Tag, bool) {
	for i := range t.Attrs {
		if a := &t.Attrs[i]; a.Name == name {
			return Tag{Value: strings.Trim(r.text(r.src[a.ValStart:a.ValEnd]), " \t\r\n\f"), Offset: a.ValStart}, true
		}
	}
	return Tag{}, false
}

func (r *pageReader) ref(t *Token, attr string, use Use) {
	v, ok := r.get(t, attr)
	if !ok || v.Value == "" {
		return
	}
	ref := Ref{URL: v.Value, Use: use, Offset: v.Offset}
	if c, ok := r.get(t, "crossorigin"); ok {
		ref.CORS = "anonymous"
		if strings.EqualFold(c.Value, "use-credentials") {
			ref.CORS = "use-credentials"
		}
	}
	if d, ok := r.get(t, "integrity"); ok {
		ref.Digest = d.Value
	}
	if l, ok := r.get(t, "loading"); ok && strings.EqualFold(l.Value, "lazy") {
		ref.Lazy = true
	}
	r.p.Refs = append(r.p.Refs, ref)
}

func (r *pageReader) read() {
	toks := NewTokens(r.src)
	toks.only = wantedForNeeds
	if r.links {
		toks.only = wantedForPage
	}
	var rawOf string // raw text element that is open, "" when none is of interest
	var rawTok Script
	for {
		t, ok := toks.Next()
		if !ok {
			return
		}
		switch t.Kind {
		case Doctype:
			r.p.HasDoctype = true
		case Text:
			if t.Raw && rawOf != "" {
				r.raw(rawOf, rawTok, t)
			}
		case EndTag:
			r.end(t)
		case StartTag:
			rawOf = ""
			if t.Name == "template" {
				r.template++
				continue
			}
			if r.template > 0 {
				continue
			}
			rawOf, rawTok = r.start(&t)
		}
	}
}

var (
	neededTags = []string{"html", "head", "body", "title", "base", "meta", "link", "script", "style", "img", "source", "video", "audio", "track",
		"iframe", "frame", "embed", "object", "image", "use", "feimage", "form", "input", "template", "picture"}
	wantedForNeeds = want(neededTags, []string{"template", "picture"})
	wantedForPage  = want(append([]string{"a", "area", "h1", "nav"}, neededTags...), []string{"template", "picture", "h1", "a", "nav"})
)

func (r *pageReader) end(t Token) {
	switch t.Name {
	case "template":
		r.template = max(0, r.template-1)
	case "h1":
		if r.heading > 0 && len(r.p.Headings) < 4 {
			r.p.Headings = append(r.p.Headings, r.plain(r.heading, t.Start))
		}
		r.heading = 0
	case "a":
		if r.brandAt > 0 && r.p.Brand == "" {
			r.p.Brand = r.plain(r.brandAt, t.Start)
		}
		r.brandAt = 0
		if r.navAt > 0 && len(r.p.Nav) < 40 {
			r.p.Nav = append(r.p.Nav, Link{r.navURL, r.plain(r.navAt, t.Start)})
		}
		r.navAt = 0
	case "picture":
		r.picture = false
	case "nav":
		r.nav = max(0, r.nav-1)
		r.navDone = r.navDone || r.nav == 0 && len(r.p.Nav) > 0
	}
}

// plain is the text between two offsets without tags; an image counts by its alternative text.
func (r *pageReader) plain(from, to int) string {
	if to-from > 4000 {
		return ""
	}
	var b strings.Builder
	toks := NewTokens(r.src[from:to])
	for {
		t, ok := toks.Next()
		if !ok {
			break
		}
		part := r.src[from:to]
		switch {
		case t.Kind == Text && (!t.Raw || t.Name == "title"):
			b.WriteString(r.text(part[t.Start:t.End]))
		case t.Kind == StartTag && t.Name == "img":
			if a, ok := t.Attr("alt"); ok {
				b.WriteString(" " + r.text(part[a.ValStart:a.ValEnd]) + " ")
			}
		}
	}
	return Words(b.String())
}

func (r *pageReader) raw(name string, s Script, t Token) {
	switch name {
	case "title":
		if r.p.Title.Offset == 0 {
			r.p.Title = Tag{Value: Words(r.text(r.src[t.Start:t.End])), Offset: t.Start}
		}
	case "script":
		s.Offset, s.Source = t.Start, r.src[t.Start:t.End]
		r.p.Scripts = append(r.p.Scripts, s)
	case "style":
		s.Offset, s.Source = t.Start, r.src[t.Start:t.End]
		r.p.Styles = append(r.p.Styles, s)
	case "importmap":
		s.Offset, s.Source = t.Start, r.src[t.Start:t.End]
		refs, imports, scopes := importMap(s.Source, t.Start)
		r.p.Refs = append(r.p.Refs, refs...)
		if r.p.Imports == nil {
			r.p.Imports = imports
		}
		if r.p.Scopes == nil {
			r.p.Scopes = scopes
		}
		for name, u := range imports { // of several maps the first that names something counts
			if _, known := r.p.Imports[name]; !known {
				r.p.Imports[name] = u
			}
		}
	}
}

// start reads a start tag and says which raw text it is interested in.
func (r *pageReader) start(t *Token) (raw string, s Script) {
	if style, ok := r.get(t, "style"); ok && strings.Contains(style.Value, "url(") {
		r.p.Refs = append(r.p.Refs, StyleRefs([]byte(style.Value), style.Offset)...)
	}
	switch t.Name {
	case "html":
		r.p.HasStructure = true
		if v, ok := r.get(t, "lang"); ok && r.p.Lang == "" {
			r.p.Lang = v.Value
		} else if v, ok := r.get(t, "xml:lang"); ok && r.p.Lang == "" {
			r.p.Lang = v.Value
		}
		if v, ok := r.get(t, "dir"); ok {
			r.p.Dir = strings.ToLower(v.Value)
		}
		if v, ok := r.get(t, "style"); ok {
			r.p.HTMLStyle = v.Value
		}
		r.ref(t, "manifest", UseManifest)
	case "head":
		r.p.HasStructure = true
	case "body":
		r.p.HasStructure = true
		r.ref(t, "background", UseImage)
		if v, ok := r.get(t, "style"); ok {
			r.p.BodyStyle = v.Value
		}
		if v, ok := r.get(t, "bgcolor"); ok {
			r.p.BodyStyle += ";background-color:" + v.Value
		}
	case "title":
		r.p.HasStructure = true
		return "title", s
	case "base":
		if v, ok := r.get(t, "href"); ok && r.p.Base.Value == "" {
			r.p.Base = v
		}
	case "meta":
		r.meta(t)
	case "link":
		r.link(t)
	case "script":
		return r.script(t)
	case "style":
		if m, ok := r.get(t, "media"); ok {
			s.Media = m.Value
		}
		return "style", s
	case "img":
		r.image(t)
	case "picture":
		r.picture, r.taken = true, false
	case "source":
		if r.picture {
			r.source(t)
			break
		}
		r.ref(t, "src", UseVideo)
	case "video", "audio":
		use := Use(t.Name)
		r.ref(t, "src", use)
		r.ref(t, "poster", UseImage)
	case "track":
		r.ref(t, "src", UseTrack)
	case "iframe", "frame":
		r.ref(t, "src", UseFrame)
	case "embed":
		r.ref(t, "src", UseObject)
	case "object":
		r.ref(t, "data", UseObject)
	case "image", "use", "feimage":
		r.svgRef(t)
	case "a", "area":
		r.anchor(t)
	case "form":
		f := Form{Method: "GET", Offset: t.Start}
		if v, ok := r.get(t, "action"); ok {
			f.Action, f.Offset = v.Value, v.Offset
		}
		if v, ok := r.get(t, "method"); ok {
			f.Method = strings.ToUpper(v.Value)
		}
		r.p.Forms = append(r.p.Forms, f)
	case "input":
		if v, _ := r.get(t, "type"); strings.EqualFold(v.Value, "password") {
			r.p.HasPassword = true
		} else if strings.EqualFold(v.Value, "image") {
			r.ref(t, "src", UseImage)
		}
	case "h1":
		r.heading = t.End
	case "nav":
		r.nav++
	}
	return "", s
}

func (r *pageReader) anchor(t *Token) {
	v, ok := r.get(t, "href")
	if !ok || v.Value == "" {
		return
	}
	r.p.Refs = append(r.p.Refs, Ref{URL: v.Value, Use: UseLink, Offset: v.Offset})
	if r.nav > 0 && !r.navDone && t.Name == "a" {
		r.navAt, r.navURL = t.End, v.Value
	}
	switch v.Value {
	case "/", "./", "index.html", "/index.html", "../", "../index.html":
		if r.p.Brand == "" {
			r.brandAt = t.End
		}
	}
}

func (r *pageReader) svgRef(t *Token) {
	for _, name := range []string{"href", "xlink:href"} {
		if v, ok := r.get(t, name); ok && !strings.HasPrefix(v.Value, "#") && v.Value != "" {
			r.p.Refs = append(r.p.Refs, Ref{URL: v.Value, Use: UseImage, Offset: v.Offset})
			return
		}
	}
}

func (r *pageReader) link(t *Token) {
	rel, _ := r.get(t, "rel")
	if _, disabled := r.get(t, "disabled"); disabled && TokenList(rel.Value, "stylesheet") {
		return
	}
	alternate := TokenList(rel.Value, "alternate")
	switch {
	case TokenList(rel.Value, "stylesheet"):
		media, _ := r.get(t, "media")
		before := len(r.p.Refs)
		if r.ref(t, "href", UseStyle); len(r.p.Refs) > before {
			if r.p.Refs[before].Media = media.Value; alternate {
				r.p.Refs[before].Media = "not all"
			}
		}
	case TokenList(rel.Value, "manifest"):
		r.ref(t, "href", UseManifest)
	case TokenList(rel.Value, "apple-touch-icon"), TokenList(rel.Value, "apple-touch-icon-precomposed"):
		if v, ok := r.get(t, "href"); ok {
			r.p.TouchIcons = append(r.p.TouchIcons, v)
		}
		r.ref(t, "href", UseIcon)
	case TokenList(rel.Value, "icon"), TokenList(rel.Value, "mask-icon"):
		r.ref(t, "href", UseIcon)
	case TokenList(rel.Value, "modulepreload"):
		r.ref(t, "href", UseModule)
	case TokenList(rel.Value, "preload"):
		r.ref(t, "href", UsePreload)
	case TokenList(rel.Value, "prefetch"):
		r.ref(t, "href", UsePrefetch)
	case TokenList(rel.Value, "next"), TokenList(rel.Value, "prev"), TokenList(rel.Value, "canonical"), alternate:
		r.ref(t, "href", UseLink)
	}
}

func (r *pageReader) script(t *Token) (string, Script) {
	typ, has := r.get(t, "type")
	kind := strings.ToLower(typ.Value)
	module := kind == "module"
	switch {
	case kind == "importmap":
		return "importmap", Script{}
	case has && kind != "" && !module && !strings.Contains(kind, "javascript") && !strings.Contains(kind, "ecmascript"):
		return "", Script{}
	}
	if _, ok := r.get(t, "src"); ok {
		use := UseScript
		if module {
			use = UseModule
		} else if _, nomodule := r.get(t, "nomodule"); nomodule {
			return "", Script{}
		}
		r.ref(t, "src", use)
		return "", Script{}
	}
	return "script", Script{Module: module}
}
