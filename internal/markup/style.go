package markup

import (
	"bytes"
	"slices"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// StyleRefs lists what a style sheet asks for: @import, url() and image-set strings. offset is where src begins
// in its file, for the offsets of the references. @namespace names are not references.
func StyleRefs(src []byte, offset int) []Ref {
	if !bytes.Contains(src, []byte("url(")) && !bytes.Contains(src, []byte("@import")) &&
		!bytes.Contains(src, []byte("image-set(")) && !bytes.Contains(src, []byte("URL(")) {
		return nil
	}
	in := parse.NewInputBytes(bytes.Clone(src))
	lex := css.NewLexer(in)
	var out []Ref
	var rule string        // the at-rule whose prelude we are in
	inFont := false        // inside @font-face { }
	inURL := false         // inside url( with a quoted string
	imageSets := 0         // nesting of image-set( )
	var set []dense        // the candidates of the image-set we are in
	parens := 0            // parentheses open since the first image-set
	format := false        // inside a function whose string or word is no URL
	var font face          // the @font-face rule we are in
	property := ""         // the declaration we are in
	var ident string       // last identifier, which becomes the property at a colon
	var media []byte       // the query of the @media rule whose prelude we are in
	depth, printed := 0, 0 // open blocks, and which of them is for paper alone
	pos := 0
	add := func(u string, at int) {
		u = strings.TrimSpace(u)
		if u == "" || strings.HasPrefix(u, "#") || strings.HasPrefix(strings.ToLower(u), "data:") {
			if inFont {
				font.add(-1)
			}
			return
		}
		r := Ref{URL: u, Use: UseImage, Offset: offset + at, Spare: printed > 0}
		switch {
		case rule == "@import":
			r.Use = UseStyle
		case inFont:
			r.Use = UseFont
			font.add(len(out))
		}
		if imageSets > 0 {
			set = append(set, dense{len(out), 1})
		}
		out = append(out, r)
	}
	for {
		tt, data := lex.Next()
		if tt == css.ErrorToken {
			font.end(out)
			return out
		}
		at := pos
		pos += len(data)
		if inFont && property == "unicode-range" && tt != css.SemicolonToken && tt != css.RightBraceToken {
			if tt != css.CommentToken {
				font.span += string(data)
			}
			continue
		}
		if rule == "@media" && tt != css.LeftBraceToken && tt != css.CommentToken {
			media = append(media, data...)
		}
		switch tt {
		case css.AtKeywordToken:
			rule, media = strings.ToLower(string(data)), nil
		case css.SemicolonToken:
			rule, property = "", ""
		case css.LeftBraceToken:
			if depth++; rule == "@media" && printed == 0 && paper(string(media)) {
				printed = depth
			}
			inFont = rule == "@font-face"
			rule, property = "", ""
		case css.RightBraceToken:
			if depth == printed {
				printed = 0
			}
			depth = max(0, depth-1)
			font.end(out)
			inFont, rule, property, font = false, "", "", face{}
		case css.IdentToken:
			ident = strings.ToLower(string(data))
			if inFont && format {
				font.is(ident)
			}
		case css.ColonToken:
			property = ident
			if inFont && property == "src" {
				font.sources = append(font.sources, nil)
			}
		case css.URLToken:
			if rule != "@namespace" {
				u, skip := urlToken(data)
				add(u, at+skip)
			}
		case css.FunctionToken:
			name := strings.ToLower(string(data))
			parens++
			switch {
			case name == "url(" || name == "src(":
				inURL = true
			case strings.HasSuffix(name, "image-set("):
				imageSets = max(imageSets, 1)
				parens = 1
			case name == "type(" || name == "format(":
				format = true
			}
		case css.LeftParenthesisToken:
			parens++
		case css.RightParenthesisToken:
			inURL, format = false, false
			if parens--; parens <= 0 {
				if imageSets > 0 {
					candidates(out, set)
				}
				imageSets, parens, set = 0, 0, nil
			}
		case css.DimensionToken:
			if n := len(set); imageSets > 0 && n > 0 && parens == 1 {
				set[n-1].density = resolution(string(data))
			}
		case css.StringToken:
			if inFont && format {
				font.is(strings.ToLower(cssString(data)))
			}
			if (inURL || rule == "@import" || imageSets > 0 && !format) && rule != "@namespace" && property != "content" {
				add(cssString(data), at+1)
			}
		}
	}
}

// paper says whether a media query is for nothing that is shown on a screen.
func paper(query string) bool {
	for q := range strings.SplitSeq(strings.ToLower(query), ",") {
		first, _, _ := strings.Cut(strings.TrimSpace(q), " ")
		if first != "print" && first != "speech" {
			return false
		}
	}
	return true
}

// dense is a candidate of an image-set.
type dense struct {
	at      int // in the list of references
	density float64
}

// candidates says which one of an image-set a screen of one pixel for each CSS px takes: the others are for screens of more (CSS Images 4, "image-set()").
func candidates(refs []Ref, set []dense) {
	best := -1
	for i, c := range set {
		if best < 0 || c.density >= 1 && c.density < set[best].density || set[best].density < 1 && c.density > set[best].density {
			best = i
		}
	}
	for i, c := range set {
		refs[c.at].Dense = i != best && c.density != set[best].density
		refs[c.at].Spare = i != best && c.density == set[best].density // another format
	}
}

// resolution reads a resolution in dots per px; 1 for what is none.
func resolution(s string) float64 {
	s = strings.ToLower(s)
	for unit, per := range map[string]float64{"dppx": 1, "x": 1, "dpi": 96, "dpcm": 96 / 2.54} {
		if n, ok := strings.CutSuffix(s, unit); ok {
			if v, err := strconv.ParseFloat(n, 64); err == nil && v > 0 {
				return v / per
			}
		}
	}
	return 1
}

// face is an @font-face rule.
type face struct {
	sources [][]source // of each src descriptor
	span    string     // its unicode-range, as written
}

// source is a font file that a rule names.
type source struct {
	at     int    // in the list of references, -1 when it stands in the style sheet itself
	format string // as it is hinted, in lower case
}

func (f *face) add(at int) {
	if n := len(f.sources); n > 0 {
		f.sources[n-1] = append(f.sources[n-1], source{at: at})
	}
}

// is notes the format of the file that was named last.
func (f *face) is(format string) {
	if n := len(f.sources); n > 0 && len(f.sources[n-1]) > 0 {
		f.sources[n-1][len(f.sources[n-1])-1].format = format
	}
}

// end says of each file of the rule whether browsers take it: the first of the last descriptor whose format they know (CSS Fonts 4,
// "src descriptor").
func (f *face) end(refs []Ref) {
	taken := -2
	if n := len(f.sources); n > 0 {
		for _, s := range f.sources[n-1] {
			if s.format != "embedded-opentype" && s.format != "svg" {
				taken = s.at
				break
			}
		}
	}
	for _, list := range f.sources {
		for _, s := range list {
			if s.at < 0 {
				continue
			}
			refs[s.at].Spare, refs[s.at].Range = s.at != taken, strings.TrimSpace(f.span)
		}
	}
}

// urlToken gives the URL inside an unquoted or quoted url() and where it begins.
func urlToken(data []byte) (string, int) {
	i := bytes.IndexByte(data, '(') + 1
	for i < len(data) && isSpace(data[i]) {
		i++
	}
	body := bytes.TrimRight(bytes.TrimSuffix(data[i:], []byte(")")), " \t\r\n\f")
	if n := len(body); n >= 2 && (body[0] == '"' || body[0] == '\'') && body[n-1] == body[0] {
		return cssString(body), i + 1
	}
	return cssUnescape(body), i
}

func cssString(data []byte) string {
	if len(data) < 2 {
		return ""
	}
	return cssUnescape(data[1 : len(data)-1])
}

// cssUnescape resolves backslash escapes of CSS.
func cssUnescape(b []byte) string {
	if bytes.IndexByte(b, '\\') < 0 {
		return string(b)
	}
	var out strings.Builder
	for i := 0; i < len(b); i++ {
		if b[i] != '\\' || i+1 >= len(b) {
			out.WriteByte(b[i])
			continue
		}
		i++
		n, digits := rune(0), 0
		for i < len(b) && digits < 6 && hexValue(b[i]) >= 0 {
			n = n<<4 | rune(hexValue(b[i]))
			i++
			digits++
		}
		switch {
		case digits > 0:
			out.WriteRune(n)
			if i >= len(b) || !isSpace(b[i]) {
				i--
			}
		case b[i] != '\n':
			out.WriteByte(b[i])
		}
	}
	return out.String()
}

func hexValue(c byte) int {
	switch {
	case c >= '0' && c <= '9':
		return int(c - '0')
	case c|0x20 >= 'a' && c|0x20 <= 'f':
		return int(c|0x20-'a') + 10
	}
	return -1
}

// StyleRule is a rule of a style sheet, as far as it says something about colours of backgrounds.
type StyleRule struct {
	Selectors  string            // the list of them, as written
	Layered    bool              // it stands in a cascade layer
	Background string            // as written, "" when it sets none
	Properties map[string]string // custom properties by name, with the leading dashes
}

// StyleRules gives the rules of a style sheet that set a background or custom properties, in order, those in layers and conditions that hold on a screen
// with light colours among them, or with dark ones. Rules inside of rules are left out.
func StyleRules(src []byte, dark bool) []StyleRule {
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	elsewhere := func(rule string) bool { return elsewhere(rule, scheme) }
	var out []StyleRule
	p := css.NewParser(parse.NewInputBytes(bytes.Clone(src)), false)
	selectors := ""
	var around []string // the at-rules, as written
	depth := 0
	rule := StyleRule{}
	for {
		gt, _, data := p.Next()
		switch gt {
		case css.ErrorGrammar:
			return out
		case css.BeginAtRuleGrammar:
			around = append(around, strings.ToLower(string(data)+" "+written(p.Values())))
		case css.EndAtRuleGrammar:
			around = around[:max(0, len(around)-1)]
		case css.QualifiedRuleGrammar:
			selectors += written(p.Values()) + ","
		case css.BeginRulesetGrammar:
			if depth++; depth == 1 {
				rule = StyleRule{Selectors: selectors + written(p.Values()), Properties: map[string]string{}, Layered: slices.ContainsFunc(around, func(a string) bool { return strings.HasPrefix(a, "@layer") })}
			}
			selectors = ""
		case css.EndRulesetGrammar:
			selectors = ""
			if depth--; depth == 0 && (rule.Background != "" || len(rule.Properties) > 0) && !slices.ContainsFunc(around, elsewhere) {
				out = append(out, rule)
			}
		case css.CustomPropertyGrammar, css.DeclarationGrammar:
			if depth != 1 {
				continue
			}
			var value strings.Builder
			for _, v := range p.Values() {
				value.Write(v.Data)
			}
			v := strings.TrimSpace(value.String())
			switch name := strings.ToLower(string(data)); {
			case strings.HasPrefix(name, "--"):
				rule.Properties[string(data)] = v
			case name == "background" || name == "background-color":
				rule.Background = v
			}
		}
	}
}

// elsewhere says whether an at-rule's condition does not hold on a screen with a colour scheme, or is not understood.
func elsewhere(rule, scheme string) bool {
	name, condition, _ := strings.Cut(rule, " ")
	switch name {
	case "@layer", "@supports", "@scope":
		return false
	case "@media":
		condition = strings.ReplaceAll(strings.TrimPrefix(condition, "screen and "), " ", "")
		return condition != "screen" && condition != "all" && condition != "(prefers-color-scheme:"+scheme+")"
	}
	return true
}

func written(values []css.Token) string {
	var b strings.Builder
	for _, v := range values {
		b.Write(v.Data)
	}
	return strings.TrimSpace(b.String())
}
