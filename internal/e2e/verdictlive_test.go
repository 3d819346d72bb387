package e2e

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
)

// TestLiveVerdicts audits small apps from a server, each with something that only a server does, and compares with what Chromium
// made of them when it was asked; with --all it is asked again.
func TestLiveVerdicts(t *testing.T) {
	t.Parallel()
	const link = `<link rel="manifest" href="m.webmanifest">`
	manifest := func(icon string) string {
		return `{"name": "Skerry", "start_url": ".", "display": "standalone", "icons": [{"src": "` + icon + `", "sizes": "192x192", "type": "image/png"}]}`
	}
	picture := plain(t, 192)
	// answer is what is sent instead of the file that an address names.
	type answer struct {
		status  int
		headers []string // name, value, …
	}
	foreign := "" // scheme and host of another origin, which has the same files
	at := ""      // the app's address
	cases := []struct {
		name    string
		head    func() string // nil for a link
		icon    string        // "" for 192.png
		answers map[string]answer
		want    string // "yes", "no" or "not known", which Chromium alone finds out
	}{
		{name: "sound", want: "yes"},
		{name: "icon is moved", icon: "moved.png", answers: map[string]answer{"moved.png": {status: 302, headers: []string{"Location", "192.png"}}}, want: "yes"},
		{name: "icon is moved for ever", icon: "moved.png", answers: map[string]answer{"moved.png": {status: 302, headers: []string{"Location", "moved.png"}}}, want: "no"},
		{name: "icon is moved to a page", icon: "moved.png", answers: map[string]answer{"moved.png": {status: 301, headers: []string{"Location", "./"}}}, want: "no"},
		{name: "icon behind a sign-in", answers: map[string]answer{"192.png": {status: 401}}, want: "no"},
		{name: "icon with 203", answers: map[string]answer{"192.png": {status: 203}}, want: "no"},
		{name: "icon with 404 and a picture", answers: map[string]answer{"192.png": {status: 404}}, want: "no"},
		{name: "icon with 500 and a picture", answers: map[string]answer{"192.png": {status: 500}}, want: "no"},
		{name: "icon sent as text", answers: map[string]answer{"192.png": {headers: []string{"Content-Type", "text/plain"}}}, want: "yes"},
		{name: "icon sent as text, not to be guessed", answers: map[string]answer{"192.png": {headers: []string{"Content-Type", "text/plain", "X-Content-Type-Options", "nosniff"}}}, want: "yes"},
		{name: "icon for the same site only", answers: map[string]answer{"192.png": {headers: []string{"Cross-Origin-Resource-Policy", "same-origin"}}}, want: "yes"},
		{name: "manifest with 203", answers: map[string]answer{"m.webmanifest": {status: 203}}, want: "yes"},
		{name: "manifest with 201", answers: map[string]answer{"m.webmanifest": {status: 201}}, want: "yes"},
		{name: "manifest with 404", answers: map[string]answer{"m.webmanifest": {status: 404}}, want: "no"},
		{name: "manifest with 500", answers: map[string]answer{"m.webmanifest": {status: 500}}, want: "no"},
		{name: "manifest with 204", answers: map[string]answer{"m.webmanifest": {status: 204}}, want: "no"},
		{name: "manifest with 401", answers: map[string]answer{"m.webmanifest": {status: 401}}, want: "no"},
		{name: "manifest is moved", answers: map[string]answer{"m.webmanifest": {status: 302, headers: []string{"Location", "m2.webmanifest"}}}, want: "yes"},
		{name: "manifest sent as a page", answers: map[string]answer{"m.webmanifest": {headers: []string{"Content-Type", "text/html"}}}, want: "yes"},
		{name: "manifest sent as text", answers: map[string]answer{"m.webmanifest": {headers: []string{"Content-Type", "text/plain", "X-Content-Type-Options", "nosniff"}}}, want: "yes"},
		{name: "manifest with a version", head: func() string { return `<link rel=manifest href="m.webmanifest?v=3">` }, want: "yes"},
		{name: "manifest in a script", head: func() string {
			return `<script>const l = document.createElement("link"); l.rel = "manifest"; l.href = "m.webmanifest"; document.head.append(l)</script>`
		}, want: "yes"},
		{name: "manifest's address from a script", head: func() string {
			return link + `<script>document.querySelector("link").href = "gone.webmanifest"</script>`
		}, want: "no"},
		{name: "manifest in its address, nothing absolute", head: func() string {
			return `<link rel=manifest href="data:application/manifest+json,` + url.PathEscape(manifest("192.png")) + `">`
		}, want: "yes"},
		{name: "manifest in its address", head: func() string {
			return `<link rel=manifest href="data:application/manifest+json;base64,` + base64.StdEncoding.EncodeToString([]byte(strings.NewReplacer(`"."`, `"`+at+`"`).Replace(manifest(at+"192.png")))) + `">`
		}, want: "yes"},
		{name: "manifest in its address, lost", head: func() string { return `<link rel=manifest href="data:application/json,{">` }, want: "no"},
		{name: "icon in its address", icon: "data:image/png;base64," + base64.StdEncoding.EncodeToString([]byte(picture)), want: "yes"},
		{name: "manifest elsewhere", head: func() string { return `<link rel=manifest href="` + foreign + `m.webmanifest">` }, want: "not known"},
		{name: "manifest elsewhere for nobody", head: func() string { return `<link rel=manifest href="` + foreign + `shut.webmanifest">` }, want: "not known"},
		{name: "icon elsewhere", icon: "FOREIGN192.png", want: "not known"},
		{name: "icon elsewhere for its own origin", icon: "FOREIGNshut.png", want: "not known"},
		{name: "icon moved elsewhere", icon: "moved.png", answers: map[string]answer{"moved.png": {status: 302, headers: []string{"Location", "FOREIGN192.png"}}}, want: "not known"},
		{name: "icon moved elsewhere, for its own origin", icon: "moved.png", answers: map[string]answer{"moved.png": {status: 302, headers: []string{"Location", "FOREIGNshut.png"}}}, want: "not known"},
		{name: "manifest forbidden by a header", answers: map[string]answer{"": {headers: []string{"Content-Security-Policy", "manifest-src 'none'"}}}, want: "no"},
		{name: "icons forbidden by a header", answers: map[string]answer{"": {headers: []string{"Content-Security-Policy", "img-src 'none'"}}}, want: "no"},
		{name: "page with 203", answers: map[string]answer{"": {status: 203}}, want: "yes"},
	}
	files := map[string]string{"192.png": picture, "m2.webmanifest": manifest("192.png")}
	handler := func(w http.ResponseWriter, r *http.Request) {
		var n int
		var name string
		if k, err := fmt.Sscanf(r.URL.Path, "/v%d/%s", &n, &name); k < 1 || n >= len(cases) || err != nil && k < 1 {
			if strings.HasPrefix(r.URL.Path, "/other/") {
				if !strings.Contains(r.URL.Path, "shut") {
					w.Header().Set("Access-Control-Allow-Origin", "*")
				}
				if strings.HasSuffix(r.URL.Path, ".png") {
					if strings.Contains(r.URL.Path, "shut") {
						w.Header().Set("Cross-Origin-Resource-Policy", "same-origin")
					}
					_, _ = w.Write([]byte(picture))
					return
				}
				w.Header().Set("Content-Type", "application/manifest+json")
				_, _ = w.Write([]byte(strings.Replace(manifest(at+"192.png"), `"."`, `"`+at+`"`, 1)))
				return
			}
			http.NotFound(w, r)
			return
		}
		c := cases[n]
		if c.icon == "" {
			c.icon = "192.png"
		}
		body, there := files[name]
		kind := "image/png"
		switch {
		case name == "":
			head := link
			if c.head != nil {
				head = c.head()
			}
			body, there, kind = "<!doctype html><title>App</title>"+head+"<h1>App</h1>", true, "text/html"
		case strings.HasSuffix(name, ".webmanifest"):
			kind = "application/manifest+json"
			if name == "m.webmanifest" {
				body, there = manifest(strings.Replace(c.icon, "FOREIGN", foreign, 1)), true
			}
		}
		a, special := c.answers[name]
		if !there && !special {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", kind)
		for i := 0; i < len(a.headers); i += 2 {
			w.Header().Set(a.headers[i], strings.Replace(a.headers[i+1], "FOREIGN", foreign, 1))
		}
		if a.status > 0 {
			w.WriteHeader(a.status)
		}
		if a.status != 204 && a.status/100 != 3 {
			_, _ = w.Write([]byte(body))
		}
	}
	server := httptest.NewServer(http.HandlerFunc(handler))
	t.Cleanup(server.Close)
	elsewhere := httptest.NewServer(http.HandlerFunc(handler))
	t.Cleanup(elsewhere.Close)
	foreign = elsewhere.URL + "/other/"
	all := os.Getenv("TACHYFORM_ALL") != ""
	tab := t.Context()
	if all {
		tab = chrome(t)
	}
	for i, c := range cases {
		at = fmt.Sprintf("%s/v%d/", server.URL, i)
		if all {
			_, err := chromedp.Run(tab, chromedp.Navigate(at))
			require.NoError(t, err)
			found, err := chromedp.Call(tab, page.GetInstallabilityErrors, cdp.Empty{})
			require.NoError(t, err)
			var ids []string
			for _, e := range found.InstallabilityErrors {
				ids = append(ids, e.ErrorID)
			}
			if c.want != "not known" {
				assert.Equal(t, c.want == "yes", len(ids) == 0, "%s: Chromium says %v", c.name, ids)
			} else {
				t.Log(c.name, ids)
			}
		}
		out, errs, _ := run(t, t.TempDir(), "audit", at, "--format", "json")
		var r audit.Report
		require.NoError(t, json.Unmarshal([]byte(out), &r), "%s: %s", c.name, errs)
		got := map[bool]string{true: "yes", false: "no"}[r.Platforms[0].Installable]
		if len(r.Platforms[0].NotKnown) > 0 {
			got = "not known"
		}
		assert.Equal(t, c.want, got, "%s: we say %v", c.name, r.Platforms[0].Blockers)
		for name, says := range map[string]string{"icon with 203": "192.png is answered with status 203", "icon is moved for ever": "moved.png leads elsewhere without end", "manifest with 401": "let the server answer it to everybody"} {
			if c.name == name {
				assert.Contains(t, out, says)
			}
		}
	}
}

// TestIconsElsewhere audits folders whose icon lies on another origin, of which the configuration says something or nothing.
func TestIconsElsewhere(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	icons := map[string]string{"held": "https://cdn.example/192.png", "lost": "https://cdn.example/gone.png", "small": "https://cdn.example/small.png", "plain": "http://cdn.example/192.png",
		"unsaid": "https://other.example/192.png", "unsaid-plain": "http://other.example/192.png"}
	for name, src := range icons {
		write(t, dir, map[string]string{name + "/index.html": "<!doctype html><title>App</title><link rel=manifest href=m.json><h1>App</h1>",
			name + "/m.json": `{"name": "Skerry", "start_url": ".", "display": "standalone", "icons": [{"src": "` + src + `", "sizes": "192x192", "type": "image/png"}]}`})
	}
	write(t, dir, map[string]string{"cdn/192.png": plain(t, 192), "cdn/small.png": plain(t, 96), "known.toml": "[[server.origin]]\nurl = \"https://cdn.example/\"\ndir = \"cdn\"\n"})
	for _, c := range []struct{ site, want, says string }{
		{"held", "yes", ""},
		{"lost", "no", "gone.png is answered with status 404 there"},
		{"small", "no", "small.png is really 96 x 96 px"},
		{"plain", "yes", ""}, // it is asked for by https
		{"unsaid", "not known", "192.png is on another origin, which is not asked"},
		{"unsaid-plain", "not known", "without TLS: browsers ask for it by https instead"},
	} {
		out, errs, _ := run(t, dir, "audit", c.site, "--format", "json", "--config", "known.toml")
		var r audit.Report
		require.NoError(t, json.Unmarshal([]byte(out), &r), "%s: %s", c.site, errs)
		got := map[bool]string{true: "yes", false: "no"}[r.Platforms[0].Installable]
		if len(r.Platforms[0].NotKnown) > 0 {
			got = "not known"
		}
		assert.Equal(t, c.want, got, "%s: %v", c.site, r.Platforms[0].Blockers)
		assert.Contains(t, out, c.says, c.site)
	}
}

// TestManifestsInLinks audits folders whose manifest stands in the link's address, comes from a script or from another origin.
func TestManifestsInLinks(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	m := "{\"name\": \"Sk\xe9rry\", " + `"start_url": ".", "display": "standalone", "icons": [{"src": "192.png", "sizes": "192x192", "type": "image/png"}]}`
	page := func(head string) string {
		return "<!doctype html>\n<title>App</title>\n" + head + "<h1>App</h1>"
	}
	foreign := page(`<link rel=manifest href="https://cdn.example/m.json">`)
	write(t, dir, map[string]string{
		"held/index.html": page(`<link rel=manifest href="data:application/json;charset=windows-1252;base64,` + base64.StdEncoding.EncodeToString([]byte(m)) + `">`), "held/192.png": plain(t, 192),
		"lost/index.html":    page(`<link rel=manifest href="data:application/json,{'name'">`),
		"foreign/index.html": foreign, "known/index.html": foreign,
		"cdn/m.json": strings.NewReplacer("\xe9", "e", `"."`, `"https://site.invalid/"`).Replace(m), "cdn/192.png": plain(t, 192),
		"known.toml":      "[[server.origin]]\nurl = \"https://cdn.example/\"\ndir = \"cdn\"\n",
		"lone/index.html": page(`<script>document.head.innerHTML += "<link rel=manifest href=m.json>"</script>`), "lone/m.json": m, "lone/192.png": plain(t, 192),
	})
	for _, c := range []struct {
		site, want string
		args       []string
		finding    string // FILE:LINE:COLUMN and the check
	}{
		{"held", "yes", nil, ""},
		{"lost", "no", nil, "index.html:3:26 manifest/not-json"},
		{"foreign", "not known", nil, "index.html:3:26 manifest/elsewhere"},
		{"known", "yes", []string{"--config", "known.toml"}, ""},
		{"lone", "yes", nil, ""},
		{"lone", "no", []string{"--scripts", "read"}, "index.html:1:1 manifest/not-linked"},
	} {
		out, errs, _ := run(t, dir, append([]string{"audit", c.site, "--format", "json"}, c.args...)...)
		var r audit.Report
		require.NoError(t, json.Unmarshal([]byte(out), &r), "%s: %s", c.site, errs)
		got := map[bool]string{true: "yes", false: "no"}[r.Platforms[0].Installable]
		if len(r.Platforms[0].NotKnown) > 0 {
			got = "not known"
		}
		assert.Equal(t, c.want, got, "%s %v: %v", c.site, c.args, r.Platforms[0].Blockers)
		var found []string
		for _, k := range r.Checks {
			for _, x := range k.Findings {
				found = append(found, fmt.Sprintf("%s:%d:%d %s", x.File, x.Line, x.Column, k.ID))
			}
		}
		if c.finding != "" {
			assert.Contains(t, found, c.finding, c.site)
		}
	}
	out, _, _ := run(t, dir, "manifest", "held")
	assert.Contains(t, out, "Skérry", "the charset of its media type counts")
}
