package manifest

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func process(t testing.TB, src string) *Manifest {
	t.Helper()
	m, err := Process([]byte(src), "m.json", "https://ferry.example/app/m.json", "https://ferry.example/app/page.html")
	require.NoError(t, err)
	return m
}

func TestSyntax(t *testing.T) {
	for src, want := range map[string]string{
		"{}": "1:1", "": "1:1", "[1,2]": "", "{\"a\":1,}": "1:8", "{'a':1}": "1:2", "{\n \"a\": tru }": "2:7", "{\"a\":\"\x01\"}": "1:7",
		"{\"a\":1e999}": "1:6", "{\"a\":\"\\ud800\"}": "1:7", "{\"a\":1} x": "1:9", "{\"a\":01}": "1:6", "{\"a\":\"\\x\"}": "1:7", "{\"a\" 1}": "1:6", "{\"a\":[1,]}": "1:9",
		"{\"\U0001F6A2\":x}": "1:7", "{\"a\":1": "1:7", "{\"a\":/*": "1:6", strings.Repeat("[", 1002): "1:1002",
	} {
		m := process(t, src)
		require.True(t, m.Lost, src)
		if want != "" {
			p := m.Problems[0]
			assert.Equal(t, want, itoa(p.Line)+":"+itoa(p.Column), "%s: %s", src, p.Message)
		}
	}
	for _, src := range []string{"{ }", "{}\n", "// c\n{\"name\":\"a\"/* c */}", "\ufeff{\"name\":\"a\"}", "{\"a\":-1.5e+3,\"b\":null,\"c\":[true,false]}", "{\"a\":\"\\u00e9\\ud83d\\udea2\\n\"}"} {
		assert.False(t, process(t, src).Lost, src)
	}
	assert.Equal(t, "a", process(t, "\xff\xfe{\x00\"\x00n\x00a\x00m\x00e\x00\"\x00:\x00\"\x00a\x00\"\x00}\x00").Processed.Name, "UTF-16 with a byte order mark")
}

func itoa(n int) string { b, _ := json.Marshal(n); return string(b) }

func TestMembers(t *testing.T) {
	for _, c := range []struct {
		src      string
		get      func(*Processed) any
		want     any
		problems string // members with problems beside the usual ones
	}{
		{`{"name":" a\tb\n "}`, func(p *Processed) any { return p.Name }, "ab", ""},
		{`{"name":"\u00a0"}`, func(p *Processed) any { return p.Name }, "\u00a0", ""},
		{`{"name":3}`, func(p *Processed) any { return p.Name }, "", "name"},
		{`{"name":"x","name":4}`, func(p *Processed) any { return p.Name }, "", "name name"},
		{`{"start_url":""}`, func(p *Processed) any { return p.StartURL }, "https://ferry.example/app/m.json", ""},
		{`{"start_url":"."}`, func(p *Processed) any { return p.StartURL }, "https://ferry.example/app/", ""},
		{`{"start_url":" /a b\\c "}`, func(p *Processed) any { return p.StartURL }, "https://ferry.example/a%20b/c", ""},
		{`{"start_url":"https://other.example/"}`, func(p *Processed) any { return p.StartURL }, "https://ferry.example/app/page.html", "start_url"},
		{`{"start_url":5}`, func(p *Processed) any { return p.StartURLGiven }, false, "start_url"},
		{`{"start_url":"/app/x?y#z"}`, func(p *Processed) any { return p.Scope }, "https://ferry.example/app/", ""},
		{`{"start_url":"/apple/","scope":"/app"}`, func(p *Processed) any { return p.Scope }, "https://ferry.example/app", ""},
		{`{"start_url":"/a/","scope":"/b/"}`, func(p *Processed) any { return p.Scope }, "https://ferry.example/a/", "scope"},
		{`{"start_url":"/a/","scope":"/?q#f"}`, func(p *Processed) any { return p.Scope }, "https://ferry.example/", ""},
		{`{"start_url":"/a/","scope":"https://other.example/"}`, func(p *Processed) any { return p.Scope }, "https://ferry.example/a/", "scope"},
		{`{"start_url":"/a/?from=home#x"}`, func(p *Processed) any { return p.ID }, "https://ferry.example/a/?from=home", ""},
		{`{"start_url":"/a/","id":"ferry"}`, func(p *Processed) any { return p.ID }, "https://ferry.example/ferry", ""},
		{`{"start_url":"/a/","id":"#x"}`, func(p *Processed) any { return p.ID }, "https://ferry.example/", ""},
		{`{"start_url":"/a/","id":"https://other.example/"}`, func(p *Processed) any { return p.ID }, "https://ferry.example/a/", "id"},
		{`{"display":" Standalone "}`, func(p *Processed) any { return p.Display }, "standalone", ""},
		{`{"display":"standalon"}`, func(p *Processed) any { return p.Display }, "browser", "display"},
		{`{"display_override":["tabbed",3,"window-controls-overlay"]}`, func(p *Processed) any { return p.DisplayMode() }, "window-controls-overlay", "display_override display_override"},
		{`{"display_override":"standalone"}`, func(p *Processed) any { return p.DisplayMode() }, "browser", "display_override"},
		{`{"orientation":"Portrait"}`, func(p *Processed) any { return p.Orientation }, "portrait", ""},
		{`{"theme_color":"rgb(11 79 108 / 50%)"}`, func(p *Processed) any { return p.ThemeColor }, "#0b4f6c80", ""},
		{`{"theme_color":"0b4f6c"}`, func(p *Processed) any { return p.ThemeColor }, "", "theme_color"},
		{`{"prefer_related_applications":"true"}`, func(p *Processed) any { return p.PreferRelatedApplications }, false, "prefer_related_applications"},
		{`{"icons":{}}`, func(p *Processed) any { return len(p.Icons) }, 0, "icons"},
		{`{"icons":[{"src":"a.png","sizes":"96x96, 192x192 0x0 any","purpose":"maskable Any foo"},3,{"sizes":"1x1"},{"src":""}]}`, func(p *Processed) any { return p.Icons[0].Sizes }, []string{"192x192", "any"},
			"icons[0].purpose icons[0].sizes icons[0].sizes icons[1] icons[2].src icons[3].src"},
		{`{"icons":[{"src":"a.png","purpose":"badge"}]}`, func(p *Processed) any { return len(p.Icons) }, 0, "icons[0].purpose icons[0].purpose"},
		{`{"start_url":"/a/","shortcuts":[{"name":"A","url":"x"},{"name":"B","url":"/a/y"},{"name":" ","url":"/a/"}]}`, func(p *Processed) any { return p.Shortcuts }, []Shortcut{{Name: "B", URL: "https://ferry.example/a/y"}}, "shortcuts[0].url shortcuts[2].name"},
		{`{"dsplay":"standalone","whatever":1,"_note":1}`, func(p *Processed) any { return p.Display }, "browser", "dsplay whatever"},
	} {
		m := process(t, c.src)
		assert.Equal(t, c.want, c.get(&m.Processed), c.src)
		var found []string
		for _, p := range m.Problems {
			if (p.Member != "name" || strings.Contains(c.src, `"name"`)) && (p.Member != "start_url" || m.Has("start_url")) && !strings.Contains(p.Message, "neither name") {
				found = append(found, p.Member)
			}
		}
		want := strings.Fields(c.problems)
		assert.ElementsMatch(t, want, found, c.src)
	}
}

func TestProblemsPointAtTheValue(t *testing.T) {
	m := process(t, "{\n  \"name\": \"a\",\n  \"start_url\": \"/\",\n  \"display\": \"standalon\"\n}\n")
	require.Len(t, m.Problems, 1)
	assert.Equal(t, 4, m.Problems[0].Line)
	assert.Equal(t, 14, m.Problems[0].Column)
	assert.Contains(t, m.Problems[0].Message, "do you mean \"standalone\"?")
}

func TestIconsForInstalling(t *testing.T) {
	icon := func(s string) Processed { return process(t, `{"icons":[`+s+`]}`).Processed }
	for s, want := range map[string]bool{
		`{"src":"a.png","sizes":"192x192"}`: true, `{"src":"a.png"}`: false, `{"src":"a.png","sizes":"143x143"}`: false, `{"src":"a.png","sizes":"1x144"}`: true,
		`{"src":"a.png","sizes":"144x143"}`: false, `{"src":"a.png","sizes":"1025x1024"}`: false, `{"src":"a.svg","sizes":"any"}`: true, `{"src":"a.jpg","sizes":"192x192"}`: false,
		`{"src":"a","sizes":"192x192","type":"image/webp"}`: true, `{"src":"a.png","sizes":"192x192","type":"IMAGE/PNG"}`: false, `{"src":"a.PNG?x","sizes":"192x192"}`: true,
		`{"src":"a.png","sizes":"192x192","purpose":"maskable"}`: false, `{"src":"data:image/png;base64,AA","sizes":"192x192"}`: false,
	} {
		p := icon(s)
		assert.Equal(t, want, len(p.SuitableIcons()) > 0, s)
	}
	p := icon(`{"src":"512.png","sizes":"512x512"},{"src":"192.png","sizes":"192x192"},{"src":"192b.png","sizes":"192x192"},{"src":"m.png","sizes":"144x144","purpose":"maskable"}`)
	c, ok := p.Chosen()
	require.True(t, ok)
	assert.Contains(t, c.Src, "192b.png", "the later of equals")
	p = icon(`{"src":"512.png","sizes":"512x512"},{"src":"any.svg","sizes":"any"}`)
	c, _ = p.Chosen()
	assert.Contains(t, c.Src, "any.svg")
}

func TestCompleteKeepsWhatIsThere(t *testing.T) {
	entries := []Entry{{"name", "Skerry"}, {"display", "standalone"}, {"icons", []map[string]string{{"src": "/a.png"}}}}
	for src, want := range map[string]string{
		"{\n  \"name\": \"Mine\", // kept\n  \"x\": 1\n}\n": "{\n  \"name\": \"Mine\", // kept\n  \"x\": 1,\n  \"display\": \"standalone\",\n  \"icons\": [\n    {\n      \"src\": \"/a.png\"\n    }\n  ]\n}\n",
		"{\"name\":\"Mine\"}":                               "{\"name\":\"Mine\", \"display\": \"standalone\", \"icons\": [{\"src\":\"/a.png\"}]}",
		"\ufeff{\r\n\t\"display\": 1\r\n}":                  "\ufeff{\r\n\t\"display\": 1,\r\n\t\"name\": \"Skerry\",\r\n\t\"icons\": [\r\n\t\t{\r\n\t\t\t\"src\": \"/a.png\"\r\n\t\t}\r\n\t]\r\n}",
	} {
		out, added, err := Complete([]byte(src), entries)
		require.NoError(t, err)
		assert.Equal(t, want, string(out))
		assert.NotEmpty(t, added)
		again, added, err := Complete(out, entries)
		require.NoError(t, err)
		assert.Empty(t, added)
		assert.Equal(t, out, again)
	}
	for _, bad := range []string{"[1]", "{\"a\":}", "\xff\xfe{\x00}\x00"} {
		_, _, err := Complete([]byte(bad), entries)
		assert.Error(t, err, bad)
	}
	out, _, err := Complete([]byte("{ }\n"), entries[:1])
	require.NoError(t, err)
	assert.True(t, json.Valid(out), string(out))
}

func TestWrite(t *testing.T) {
	out, err := Write([]Entry{{"name", "a<b>&\u2028"}, {"icons", []int{1}}})
	require.NoError(t, err)
	assert.True(t, json.Valid(out))
	assert.True(t, strings.HasPrefix(string(out), "{\n  \"name\": \"a<b>&"))
	assert.Equal(t, "a<b>&", process(t, string(out)).Processed.Name)
}

func TestWithin(t *testing.T) {
	assert.True(t, Within("https://a.example/apple/", "https://a.example/app"))
	assert.False(t, Within("https://a.example/App/", "https://a.example/app/"))
	assert.False(t, Within("https://b.example/app/", "https://a.example/app/"))
	assert.False(t, Within("::", "https://a.example/"))
}

func FuzzProcess(f *testing.F) {
	for _, s := range []string{`{"name":"a","icons":[{"src":"a","sizes":"1x1"}],"shortcuts":[{"name":"a","url":"b"}]}`, `{"display_override":[1]}`, "// x\n{}"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		m := process(t, s)
		for _, p := range m.Problems {
			assert.Positive(t, p.Line)
			assert.Positive(t, p.Column)
		}
		if json.Valid([]byte(s)) && len(s) > 2 && strings.HasPrefix(strings.TrimSpace(s), "{") && !strings.Contains(s, "\\u") && !strings.ContainsAny(s, "eE") {
			assert.False(t, m.Lost, s)
		}
	})
}

// TestPlaces compares places in any order with those that are counted from the beginning.
func TestPlaces(t *testing.T) {
	src := []byte(strings.Repeat("añ😀x\n", 700) + strings.Repeat("島€𝄞\xff", 4000) + "\n\n" + strings.Repeat("y", 5000))
	slow := func(offset int) (line, column int) {
		before := string(src[:offset])
		line = strings.Count(before, "\n") + 1
		for _, r := range before[strings.LastIndexByte(before, '\n')+1:] {
			column += max(1, utf16.RuneLen(r))
		}
		return line, column + 1
	}
	p := places{src: src}
	for i := range len(src) / 37 {
		at := (i * 7919 * 37) % len(src)
		if !utf8.RuneStart(src[at]) {
			continue // tokens begin at characters
		}
		line, column := p.of(at)
		wantLine, wantColumn := slow(at)
		require.Equal(t, [2]int{wantLine, wantColumn}, [2]int{line, column}, "at %d", at)
	}
}

// TestManyOfEverything holds manifests to what can be looked at, and says what is not.
func TestManyOfEverything(t *testing.T) {
	members := strings.Repeat(`"nonsense": 1, `, 5000)
	m, err := Process([]byte(`{`+members+`"start_url": "https://elsewhere.example/"}`), "m.json", "https://a.example/m.json", "https://a.example/")
	require.NoError(t, err)
	assert.LessOrEqual(t, len(m.Problems), maxProblems+10)
	assert.Contains(t, m.Problems[len(m.Problems)-1].Message, "more problems are not told one by one")
	assert.True(t, slices.ContainsFunc(m.Problems, func(p Problem) bool { return p.Level == Blocker && p.Member == "name" }), "what decides is told all the same")

	m, err = Process([]byte(`{"name": "x", "icons": [`+strings.Repeat(`{"src": "/a.png"}, `, 5000)+`{"src": "/b.png"}]}`), "m.json", "https://a.example/m.json", "https://a.example/")
	require.NoError(t, err)
	assert.Len(t, m.Processed.Icons, maxItems)
	assert.Contains(t, m.Problems[len(m.Problems)-1].Message, "only the first 2000 are looked at")
}
