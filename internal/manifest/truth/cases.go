// Package truth holds manifests and page heads of many kinds, and what Chromium made of them: testdata/chromium.json,
// recorded by the program in record.
package truth

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"strings"
)

// Case is a page's head and the manifest beside it.
type Case struct {
	Name     string
	Head     string // "" for a plain link to m.webmanifest
	Manifest string // bytes
	Type     string // the Content-Type that it is sent with, "" for a manifest's
}

// Link is the plain link.
const Link = `<link rel="manifest" href="m.webmanifest">`

// Recorded is what Chromium made of a case. URLs are those of [Origin].
type Recorded struct {
	Name       string          `json:"name"`
	URL        string          `json:"url"`        // of the manifest that it took
	Lost       bool            `json:"lost"`       // an error cost the whole manifest
	Hindrances []string        `json:"hindrances"` // to an installation
	Errors     []string        `json:"errors"`     // line:column: text, as the browser words it
	Manifest   json.RawMessage `json:"manifest"`   // as processed
}

// Origin stands for the origin that a case was served from.
const Origin = "http://ferry.example"

//go:embed testdata/chromium.json
var recorded []byte

// Load gives what was recorded, in the order of [Cases].
func Load() ([]Recorded, error) {
	var out []Recorded
	return out, json.Unmarshal(recorded, &out)
}

// Path is the folder of the URLs of a case.
func Path(i int) string { return fmt.Sprintf("/c%03d/", i) }

const icon = `{"src": "/i/192.png", "sizes": "192x192", "type": "image/png"}`

// base are the members of a manifest that installs.
var base = []string{`"name": "Skerry Line"`, `"start_url": "./"`, `"display": "standalone"`, `"icons": [` + icon + `]`}

func key(member string) string { return member[:strings.Index(member, ":")] }

// with gives the base with members put in or replaced; a member that ends in a colon is left out.
func with(members ...string) string {
	var list []string
	for _, b := range base {
		replaced := false
		for _, m := range members {
			replaced = replaced || key(m) == key(b)
		}
		if !replaced {
			list = append(list, b)
		}
	}
	for _, m := range members {
		if !strings.HasSuffix(m, ":") {
			list = append(list, m)
		}
	}
	return "{\n  " + strings.Join(list, ",\n  ") + "\n}\n"
}

func icons(list ...string) string { return with(`"icons": [` + strings.Join(list, ", ") + `]`) }

func utf16le(s string) string {
	b := "\xff\xfe"
	for _, c := range s {
		b += string([]byte{byte(c), byte(c >> 8)})
	}
	return b
}

// Cases gives all cases in order.
func Cases() []Case {
	var out []Case
	add := func(name, manifest string) { out = append(out, Case{Name: name, Head: Link, Manifest: manifest}) }
	head := func(name, head string) { out = append(out, Case{Name: name, Head: head, Manifest: with()}) }
	each := func(what string, members ...string) {
		for _, m := range members {
			add(what+" "+m, with(m))
		}
	}
	add("good", with())
	syntax(add)
	for _, h := range heads {
		head(h[0], h[1])
	}
	each("name", `"name": ""`, `"name": "  "`, `"name": " \tSkerry \n Line  "`, `"name": "\u00a0"`, `"name": "\u200b"`, `"name": "\u3000"`, `"name": 3`, `"name": null`, `"name": ["a"]`, `"name": "a\rb\tc"`, `"name":`)
	add("short name alone", with(`"name":`, `"short_name": "Skerry"`))
	add("short name blank and no name", with(`"name":`, `"short_name": " "`))
	each("short name", `"short_name": 7`, `"short_name": " S\n"`, `"short_name": true`)
	each("description", `"description": " Ferries\nto islands "`, `"description": 4`, `"description": ""`)
	each("start", `"start_url":`, `"start_url": ""`, `"start_url": " "`, `"start_url": "."`, `"start_url": "/"`, `"start_url": "?from=home"`, `"start_url": "#a"`, `"start_url": "../x/y?z#w"`, `"start_url": "https://other.example/"`,
		`"start_url": "http://[bad"`, `"start_url": 5`, `"start_url": null`, `"start_url": "a b\\c"`, `"start_url": "/a/./b/../c"`, `"start_url": "//other.example/"`, `"start_url": "\u00fcber/"`, `"start_url": "data:text/html,x"`, `"start_url": "/%7Ea/%zz"`, `"start_url": "http:"`, `"start_url": "javascript:1"`)
	each("scope", `"scope": "/"`, `"scope": "."`, `"scope": ""`, `"scope": "/?q#f"`, `"scope": "https://other.example/"`, `"scope": 3`, `"scope": "http://[bad"`, `"scope": "/elsewhere/"`, `"scope": "/c"`, `"scope": "../"`, `"scope": "/C/"`, `"scope": null`)
	add("scope is a prefix", with(`"start_url": "/apple/x"`, `"scope": "/app"`))
	add("scope with a file", with(`"start_url": "/app/x.html"`, `"scope": "/app/x.html"`))
	add("scope escaped otherwise", with(`"start_url": "/%61pp/"`, `"scope": "/app/"`))
	add("start in a folder, no scope", with(`"start_url": "/a/b/c.html?d#e"`))
	each("id", `"id": ""`, `"id": "/"`, `"id": "ferry"`, `"id": "."`, `"id": "  "`, `"id": "#x"`, `"id": "/x?y#z"`, `"id": "https://other.example/x"`, `"id": 3`, `"id": null`, `"id": "http://[bad"`, `"id": "../a/../b"`, `"id": "?v=1"`)
	add("id from a start with a query and fragment", with(`"start_url": "?from=home#top"`))
	each("display", `"display":`, `"display": "fullscreen"`, `"display": "minimal-ui"`, `"display": "browser"`, `"display": " Standalone "`, `"display": "standalon"`, `"display": "tabbed"`, `"display": "window-controls-overlay"`, `"display": "borderless"`, `"display": "unframed"`, `"display": "picture-in-picture"`, `"display": 4`, `"display": ["standalone"]`, `"display": ""`)
	each("override", `"display_override": ["minimal-ui"]`, `"display_override": []`, `"display_override": ["tabbed", "browser"]`, `"display_override": ["borderless", "window-controls-overlay"]`, `"display_override": [3, null, "fullscreen"]`, `"display_override": "fullscreen"`,
		`"display_override": [" Minimal-UI ", "minimal-ui", "browser"]`, `"display_override": ["picture-in-picture"]`, `"display_override": ["unframed"]`, `"display_override": ["nonsense"]`, `"display_override": {"a": 1}`)
	add("override from browser", with(`"display": "browser"`, `"display_override": ["standalone"]`))
	add("override without display", with(`"display":`, `"display_override": ["tabbed", "standalone"]`))
	each("orientation", `"orientation": "any"`, `"orientation": "natural"`, `"orientation": " Portrait "`, `"orientation": "landscape"`, `"orientation": "landscape-primary"`, `"orientation": "portrait-secondary"`, `"orientation": "up"`, `"orientation": 90`, `"orientation": ["any"]`)
	for _, c := range colours {
		add("colour "+c, with(`"theme_color": `+quote(c)))
	}
	each("colour", `"theme_color": 3`, `"theme_color": null`, `"background_color": "#0b4f6c80"`, `"background_color": "var(--sea)"`, `"background_color": ["red"]`)
	each("lang", `"lang": "en-GB"`, `"lang": " de "`, `"lang": 3`, `"lang": ""`)
	each("dir", `"dir": "rtl"`, `"dir": " LTR "`, `"dir": "auto"`, `"dir": "up"`, `"dir": 3`)
	images(add)
	each("prefer", `"prefer_related_applications": true`, `"prefer_related_applications": false`, `"prefer_related_applications": "true"`, `"prefer_related_applications": 1`)
	each("related", `"related_applications": [{"platform": "play", "id": "a.b"}]`, `"related_applications": [{"platform": "play"}]`, `"related_applications": [{"id": "a"}]`, `"related_applications": [{"platform": "webapp", "url": "https://x.example/m"}]`, `"related_applications": ["a", 3]`, `"related_applications": {}`,
		`"related_applications": [{"platform": "play", "url": "http://[bad"}]`, `"related_applications": [{"platform": " ", "id": "x"}, {"platform": "play", "url": "", "id": " x "}]`)
	incubating(each)
	add("unknown members", with(`"author": "x"`, `"$schema": "s"`, `"categories": ["travel"]`, `"iarc_rating_id": "e"`, `"shortName": "x"`, `"theme-color": "red"`, `"_comment": "c"`, `"gcm_sender_id": "1"`))
	add("permissions", with(`"permissions_policy": {"geolocation": ["self"], "nonsense": ["*"]}`))
	add("permissions as a string", with(`"permissions_policy": "geolocation"`))
	add("permissions with a string", with(`"permissions_policy": {"geolocation": "self"}`))
	add("permissions with a number in the list", with(`"permissions_policy": {"geolocation": [3]}`))
	add("twice", "{"+strings.Join(base, ", ")+`, "name": "Second"}`)
	more(add, each)
	for _, t := range sent {
		out = append(out, Case{Name: "sent as " + t[0], Head: Link, Manifest: t[1], Type: t[0]})
	}
	add("twice, the last wrong", "{"+strings.Join(base, ", ")+`, "name": 3}`)
	return out
}

// sent are manifests that come with a charset.
var sent = func() [][2]string {
	latin, utf8 := strings.Replace(with(), "Skerry", "Sk\xe9rry", 1), strings.Replace(with(), "Skerry", "Sk\u00e9rry", 1)
	return [][2]string{
		{"application/json; charset=iso-8859-1", latin}, {"application/json; charset=Windows-1252", latin}, {"application/json; charset=utf-8", latin}, {"application/json; charset=nonsense", latin},
		{"application/json; charset=\"iso-8859-1\"", latin}, {"text/plain; charset=iso-8859-1", latin}, {"application/json; charset=iso-8859-1", utf8}, {"application/json; charset=iso-8859-1", "\ufeff" + utf8},
		{"application/json; charset=utf-16le", utf16le(with())[2:]}, {"application/json; charset=utf-16", with()}, {"application/json; charset=utf-8", utf16le(with())}, {"application/json; charset=koi8-r", latin}, {"application/json; charset=shift_jis", strings.Replace(with(), "Skerry", "\x93\x8c", 1)},
		{"text/html", with()}, {"image/png", with()},
	}
}()

// more are manifests in which people's tools put what is seldom seen.
func more(add func(name, manifest string), each func(what string, members ...string)) {
	for _, c := range []string{"red /* a */", "rgb(1, /* a */ 2, 3)", "rgb(1/**/ 2 3)", "r/**/ed", "/**/red", "red/* a", "rgb(/* a */1 2 3)", "hsl(198/**/ 81% 23%)", "#0b4f6c/* a */", "#0b4f6c /* a */", "#abc/**/", "/* a */#0b4f6c", "rgb(1 2 3)/* a */", "rgb(1 2 3) /* a */", "#0b4f6c/* a", "#0b4f6c/**//**/", "#0b4f6c x", "transparent/**/", "rgb/**/(1, 2, 3)",
		"hwb(0 0% 0%)", "hwb(90 10% 10%)", "hwb(90deg 10% 10% / 0.5)", "hwb(33.3 12.5% 37.5%)", "hwb(120 33% 33%)", "hwb(210 20% 40%)", "hwb(270.5 5% 45%)", "hwb(0 100% 100%)", "hwb(0, 10%, 10%)", "hwb(45 50% 50%)", "hwb(300 1% 2%)", "hwb(none 10% 10%)", "hwb(1turn 10% 20%)", "hwb(198 4 58)",
		"hsl(33.3 12.5% 37.5%)", "hsl(-30 50% 50%)", "hsl(0 120% 50%)", "hsl(0 50% -10%)", "hsl(90 33% 33%)", "rgb(0.5 0.49 254.5)", "rgb(12.5% 37.5% 99.9%)", "rgba(0,0,0,0.501)", "rgb(1 2 3 / 1.5)", "#0B4F6C", "#00000000"} {
		add("colour "+c, with(`"theme_color": `+quote(c)))
	}
	for _, m := range []string{"{\n  \"name\": \"a\"\n  \"short_name\": \"b\"\n}", "{\"name\": \"a\",, \"b\": 1}", "{\n\t\"name\": tru\n}", "{\n  name: 1\n}", "{\"a\": 01}", "{\"a\": .5}", "{\"a\": +1}", "{\"a\": 1.}", "{\"a\": \"x\ny\"}", "{\"a\": \"\\q\"}", "{\"a\": \"\\u12\"}", "[1, 2", "{\"a\": [1, ]}", "{\"a\": }", "{\"a\" 1}", "{\"é\": x}", "{} {}", "\t\n ", "{\"a\": \"", "{\"a\": /* b */ 1, // c\n}", strings.Repeat("[", 300) + strings.Repeat("]", 300)} {
		add("syntax "+m, m)
	}
	each("launch", `"launch_handler": {"client_mode": "auto"}`, `"launch_handler": {"client_mode": ["auto", "focus-existing"]}`, `"launch_handler": null`, `"launch_handler": {"client_mode": null}`, `"launch_handler": {"client_mode": ["navigate-new"], "x": 1}`, `"launch_handler": {"route_to": "existing-client"}`)
	each("seldom", `"start_url": "\u0000"`, `"name": "a\u0000b"`, `"name": "\u202eabc"`, `"scope": ".."`, `"display": "standalone\u0000"`, `"icons": [{"src": "/i/192.png", "sizes": "192x192 any"}]`, `"icons": [{"src": "/i/192.png", "sizes": "192×192"}]`, `"icons": [[{"src": "/i/192.png", "sizes": "192x192"}]]`)
}

func quote(s string) string {
	b, err := json.Marshal(s)
	if err != nil {
		panic(err) // a string
	}
	return string(b)
}

func syntax(add func(name, manifest string)) {
	add("empty object", "{}")
	add("empty object and a newline", "{}\n")
	add("empty", "")
	add("list", "[]")
	add("string", `"name"`)
	add("null", "null")
	add("trailing comma", strings.Replace(with(), "]\n}", "],\n}", 1))
	add("comments", "// a\n"+strings.Replace(with(), ",", ", /* b */", 1))
	add("byte order mark", "\ufeff"+with())
	add("utf-16", utf16le(with()))
	add("broken utf-8", strings.Replace(with(), "Skerry", "Sk\xffrry", 1))
	add("escapes", strings.Replace(with(), "Skerry", `Sk\u00e9\ud83d\udea2`, 1))
	add("lone surrogate", strings.Replace(with(), "Skerry", `Sk\ud83d`, 1))
	add("control character", strings.Replace(with(), "Skerry", "Sk\x01", 1))
	add("single quotes", "{'name': 'a'}")
	add("something behind", with()+"x")
	add("not closed", strings.TrimSuffix(with(), "}\n"))
	add("nan", with(`"x": NaN`))
	add("huge number", with(`"x": 1e999`))
	add("html", "<!doctype html><title>404</title>")
}

var heads = [][2]string{
	{"no link", ""}, {"link in upper case", `<LINK REL="x MANIFEST" HREF=m.webmanifest>`}, {"link in the body", "<body>" + Link}, {"link in noscript", "<noscript>" + Link + "</noscript>"},
	{"link in a template", "<template>" + Link + "</template>"}, {"empty link", `<link rel=manifest href="">` + Link}, {"link without href", `<link rel=manifest>` + Link}, {"two links", `<link rel=manifest href=gone.webmanifest>` + Link},
	{"base", `<base href="sub/"><link rel=manifest href="../m.webmanifest">`}, {"base behind", `<link rel=manifest href="../m.webmanifest"><base href="sub/">`}, {"rel with others", `<link rel="icon manifest" href="m.webmanifest">`},
	{"media and type", `<link rel=manifest href=m.webmanifest media=print type=text/css>`}, {"spaces around", "<link rel=' manifest ' href='\n m.webmanifest '>"}, {"disabled", `<link rel=manifest disabled href=m.webmanifest>`},
	{"fragment", `<link rel=manifest href="m.webmanifest#x">`}, {"query", `<link rel=manifest href="m.webmanifest?v=2">`}, {"script in between", `<script>1</script><style>a{}</style>` + Link}, {"a paragraph before", `<p>` + Link},
	{"link behind the head", `</head>` + Link}, {"svg before", `<svg></svg>` + Link}, {"in a comment", `<!-- ` + Link + ` -->`}, {"missing file", `<link rel=manifest href=gone.webmanifest>`}, {"the page itself", `<link rel=manifest href="#x">`},
	{"misspelt", `<link rel=manifests href=m.webmanifest>`},
}

var colours = []string{"#0b4f6c", "#abc", "#abcd", "#0b4f6c80", "#12345", "0b4f6c", "", " teal ", "Teal", "transparent", "currentcolor", "inherit", "none", "canvas", "var(--sea)", "red;", "rgb(11,79,108)", "rgb(11 79 108)", "rgba(11, 79, 108, .5)", "rgb(11 79 108 / 50%)",
	"rgb(300, -20, 10)", "rgb(10%, 20%, 30%)", "rgb(10%, 20, 30)", "rgb(10% 20 30)", "rgb(1.5 2.5 3.49)", "rgb(none 20 30)", "hsl(198, 81%, 23%)", "hsl(198deg 81% 23% / 0.3)", "hsl(0.55turn 81% 23%)", "hsl(198 81 23)", "hsl(198, 81, 23)", "hwb(198 4% 58%)", "hwb(198 60% 70%)",
	"lab(30% -10 -20)", "lab(30 -10 -20 / 0.5)", "lch(50% 40 200)", "oklab(0.5 -0.05 -0.1)", "oklch(60% 0.1 220deg)", "oklch(0.7 0.4 30)", "color(srgb 0.1 0.5 1)", "color(display-p3 0 1 0)", "color(srgb-linear 0.2 0.2 0.2)", "color(a98-rgb 0.2 0.4 0.6)", "color(prophoto-rgb 0.2 0.4 0.6)", "color(rec2020 0.2 0.4 0.6)",
	"color(xyz 0.2 0.3 0.4)", "color(xyz-d50 0.2 0.3 0.4)", "color(nonsense 1 1 1)", "color-mix(in srgb, red, blue)", "light-dark(red, blue)", "/* a */ red", "rebeccapurple", "rgb(1 2)", "rgb(1,2,3,4,5)", "rgb(1, 2 3)", "rgb(calc(1 + 2) 3 4)", "rgb(1 2 3 / none)", "rgb(1e1 2 3)", "rgb( 1 , 2 , 3 )", "RGB(1,2,3)", "red blue", "#GGG"}

func images(add func(name, manifest string)) {
	for _, list := range [][]string{
		{`{"sizes": "192x192"}`, icon}, {`{"src": "", "sizes": "192x192"}`, icon}, {`{"src": 3}`, icon}, {`"icon.png"`, icon}, {`null`, icon}, {`{"src": "http://[bad"}`, icon},
		{`{"src": "/i/192.png"}`}, {`{"src": "/i/192.png", "sizes": "192X192"}`}, {`{"src": "/i/192.png", "sizes": "0192x192"}`}, {`{"src": "/i/192.png", "sizes": "96x96, 192x192"}`}, {`{"src": "/i/192.png", "sizes": " 48x48\n192x192 "}`}, {`{"src": "/i/192.png", "sizes": "any"}`}, {`{"src": "/i/192.png", "sizes": "ANY 16x16"}`},
		{`{"src": "/i/192.png", "sizes": 192}`}, {`{"src": "/i/192.png", "sizes": ""}`}, {`{"src": "/i/192.png", "sizes": "192"}`}, {`{"src": "/i/192.png", "sizes": "99999999999x99999999999"}`}, {`{"src": "/i/192.png", "sizes": "192x192 192x192"}`}, {`{"src": "/i/192.png", "sizes": "-1x5 192x192"}`}, {`{"src": "/i/192.png", "sizes": "+192x192"}`},
		{`{"src": "/i/192.png", "sizes": "192x192", "type": "image/jpeg"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "type": " image/png "}`}, {`{"src": "/i/192.png", "sizes": "192x192", "type": "IMAGE/PNG"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "type": 3}`}, {`{"src": "/i/192.png", "sizes": "192x192", "type": "image/png;a=b"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "type": ""}`},
		{`{"src": "/i/192.png", "sizes": "192x192", "purpose": "maskable"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "purpose": "any maskable"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "purpose": "MONOCHROME Any"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "purpose": "badge"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "purpose": "badge any"}`}, {`{"src": "/i/192.png", "sizes": "192x192", "purpose": ""}`}, {`{"src": "/i/192.png", "sizes": "192x192", "purpose": 3}`},
		{`{"src": "/i/192.png", "sizes": "144x143"}`}, {`{"src": "/i/192.png", "sizes": "1x144"}`}, {`{"src": "/i/512.png", "sizes": "1025x1024"}`}, {`{"src": "/i/512.png", "sizes": "2048x2048"}`, icon}, {`{"src": "/i/100.png", "sizes": "192x192"}`}, {`{"src": "/i/gone.png", "sizes": "192x192"}`}, {`{"src": "/i/gone.png", "sizes": "144x144"}`, icon}, {`{"src": "/i/m.svg", "sizes": "any", "type": "image/svg+xml"}`}, {`{"src": "/i/m.svg", "sizes": "any"}`},
		{}, {`{"src": "data:image/png;base64,iVBORw0KGgo=", "sizes": "192x192"}`}, {`{"src": "/i/192.png?x=.svg", "sizes": "192x192"}`}, {`{"src": " /i/a b.png ", "sizes": "192x192"}`, icon},
	} {
		add("icons "+strings.Join(list, ", "), icons(list...))
	}
	for _, m := range []string{`"icons": {}`, `"icons": "a.png"`, `"icons": null`, `"icons":`} {
		add(m, with(m))
	}
	for _, m := range []string{`[{"src": "s.png", "sizes": "1280x720", "type": "image/png", "form_factor": "wide", "label": " The pier "}]`, `[{"src": "s.png", "form_factor": "Narrow"}]`, `[{"src": "s.png", "form_factor": "tall"}]`, `[{"src": "s.png", "form_factor": 3, "label": 4}]`,
		`[{"sizes": "1x1"}, 3, "x"]`, `{}`, `[{"src": "s.png", "platform": "windows"}]`} {
		add("screenshots "+m, with(`"screenshots": `+m))
	}
	for _, m := range []string{`[{"name": "Tides", "url": "tides/"}]`, `[{"name": " Ti\ndes ", "short_name": "T", "description": "d", "url": "?x#y", "icons": [{"src": "t.png", "sizes": "96x96"}]}]`, `[{"name": " ", "url": "tides/"}]`, `[{"url": "tides/"}]`, `[{"name": "T"}]`, `[{"name": "T", "url": "/elsewhere/"}]`, `[{"name": "T", "url": 3}]`, `[{"name": 3, "url": "a"}]`,
		`[{"name": "T", "url": ""}]`, `[{"name": "T", "url": "https://other.example/"}]`, `{}`, `[3, "a"]`, `[` + strings.TrimSuffix(strings.Repeat(`{"name": "T", "url": "a"}, `, 12), ", ") + `]`, `[{"name": "T", "url": "http://[bad"}]`} {
		add("shortcuts "+m, with(`"shortcuts": `+m))
	}
}

func incubating(each func(what string, members ...string)) {
	var shares []string
	for _, s := range []string{`{"action": "share", "params": {"title": "t", "text": "x", "url": "u"}}`, `{"action": "share", "method": "post", "enctype": "multipart/form-data", "params": {"files": [{"name": "f", "accept": ["image/*", ".png"]}]}}`, `{"action": "/elsewhere/", "params": {}}`, `{"action": "share"}`, `{"params": {}}`, `{"action": 3, "params": {}}`, `"share"`, `[]`,
		`{"action": "share", "method": "PUT", "params": {}}`, `{"action": "share", "method": 3, "params": {}}`, `{"action": "share", "method": "POST", "params": {}}`, `{"action": "share", "method": "POST", "enctype": "text/plain", "params": {}}`, `{"action": "share", "method": "GET", "enctype": "multipart/form-data", "params": {}}`, `{"action": "share", "enctype": 3, "params": {}}`,
		`{"action": "share", "params": {"title": 3, "text": "x"}}`, `{"action": "share", "params": []}`, `{"action": "share", "method": "GET", "params": {"files": [{"name": "f", "accept": "image/png"}]}}`, `{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": {"name": "f", "accept": "image/png"}}}`,
		`{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": [{"accept": "image/png"}, {"name": "g", "accept": [".csv"]}]}}`, `{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": [{"name": "f", "accept": ["nonsense"]}]}}`, `{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": [{"name": "f"}]}}`,
		`{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": [{"name": "f", "accept": [3]}]}}`, `{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": "x"}}`, `{"action": "share", "method": "POST", "enctype": "multipart/form-data", "params": {"files": []}}`, `{"action": "share", "method": "POST", "enctype": "MULTIPART/FORM-DATA", "params": {"files": [{"name": " f ", "accept": [" IMAGE/PNG "]}]}}`} {
		shares = append(shares, `"share_target": `+s)
	}
	each("share", shares...)
	var files []string
	for _, f := range []string{`[{"action": "open", "accept": {"text/csv": [".csv"]}}]`, `[{"action": "open", "name": "N", "accept": {"text/csv": ".csv", "image/png": [".png", ".PNG"]}, "icons": [{"src": "a.png", "sizes": "any"}], "launch_type": "multiple-clients"}]`, `[{"action": "/elsewhere/", "accept": {"text/csv": [".csv"]}}]`, `[{"accept": {"text/csv": [".csv"]}}]`,
		`[{"action": "open"}]`, `[{"action": "open", "accept": {}}]`, `[{"action": "open", "accept": {"nonsense": [".csv"]}}]`, `[{"action": "open", "accept": {"nonsense/x": [".csv"]}}]`, `[{"action": "open", "accept": {"text/csv": ["csv"]}}]`, `[{"action": "open", "accept": {"text/csv": []}}]`, `[{"action": "open", "accept": {"text/csv": 3}}]`, `[{"action": "open", "accept": {"text/csv": [3, ".a"]}}]`,
		`[{"action": "open", "accept": [".csv"]}]`, `{}`, `[3]`, `[{"action": "open", "accept": {"text/csv": [".csv"]}, "launch_type": "many"}]`, `[{"action": "open", "accept": {"text/*": [".csv"]}}]`, `[{"action": "open", "accept": {"text/csv;x=y": [".csv"]}}]`, `[{"action": "open", "accept": {"TEXT/CSV": [".csv"]}}]`, `[{"action": "open", "accept": {"text/csv": [".csv", ".csv", ". x"]}}]`} {
		files = append(files, `"file_handlers": `+f)
	}
	each("files", files...)
	var protocols []string
	for _, f := range []string{`[{"protocol": "web+ferry", "url": "open?x=%s"}]`, `[{"protocol": " WEB+Ferry ", "url": "open?x=%s"}]`, `[{"protocol": "mailto", "url": "open?x=%s"}]`, `[{"protocol": "https", "url": "open?x=%s"}]`, `[{"protocol": "web+", "url": "open?x=%s"}]`, `[{"protocol": "web+a1", "url": "open?x=%s"}]`, `[{"protocol": "web+a", "url": "open"}]`, `[{"protocol": "web+a", "url": "/elsewhere/%s"}]`,
		`[{"protocol": "web+a"}]`, `[{"url": "open?x=%s"}]`, `[{"protocol": 3, "url": "open?x=%s"}]`, `{}`, `["web+a"]`, `[{"protocol": "web+a", "url": "%s"}, {"protocol": "web+a", "url": "%s"}]`, `[{"protocol": "tel", "url": "a%s"}, {"protocol": "geo", "url": "a%s"}, {"protocol": "did", "url": "a%s"}, {"protocol": "ftp", "url": "a%s"}, {"protocol": "nntp", "url": "a%s"}]`} {
		protocols = append(protocols, `"protocol_handlers": `+f)
	}
	each("protocol", protocols...)
	each("extension", `"scope_extensions": [{"type": "origin", "origin": "https://b.example"}]`, `"scope_extensions": [{"origin": "https://b.example"}]`, `"scope_extensions": ["https://b.example"]`, `"scope_extensions": [{"type": "origin", "origin": "https://*.b.example"}]`, `"scope_extensions": [{"type": "origin", "origin": "b.example"}]`, `"scope_extensions": {}`, `"scope_extensions": [{"type": "x", "origin": "https://b.example"}]`,
		`"scope_extensions": [{"type": "origin", "origin": "http://b.example:8080/path?q"}]`, `"scope_extensions": [{"type": "origin", "origin": 3}, 4]`, `"scope_extensions": [{"type": "origin", "origin": "https://*.example"}, {"type": "origin", "origin": "https://*.co.uk"}, {"type": "origin", "origin": "https://*"}]`)
	each("launch", `"launch_handler": {"client_mode": "focus-existing"}`, `"launch_handler": {"client_mode": ["nonsense", "navigate-new", "auto"]}`, `"launch_handler": {"client_mode": "nonsense"}`, `"launch_handler": {"client_mode": 3}`, `"launch_handler": {}`, `"launch_handler": "auto"`, `"launch_handler": {"client_mode": " Navigate-Existing "}`, `"launch_handler": {"client_mode": []}`, `"launch_handler": []`)
	each("note", `"note_taking": {"new_note_url": "new"}`, `"note_taking": {"new_note_url": "/elsewhere/"}`, `"note_taking": 3`)
}
