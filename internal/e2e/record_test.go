package e2e

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// boatsApp draws routes and the data of two origins.
const boatsApp = `const app = document.getElementById("app"), show = (t) => { app.innerHTML = t; };
const get = (u, o) => fetch(u, o).then((r) => { if (!r.ok) throw new Error(r.status); return r.json(); });
const m = /^\/boats\/(\d+)$/.exec(location.pathname);
if (m) get("/api/boats/" + m[1]).then((b) => show("<h1>" + b.name + "</h1>"), (e) => show("No boat: " + e.message));
else get("/api/boats?sort=name&token=s3cr3tvalue").then(async (list) => {
	const w = await get(WEATHER + "/v1/now?at=staffin&key=abcdef").catch(() => ({wind: "unknown"}));
	show("<h1>Boats</h1>" + list.map((b) => "<a href=/boats/" + b.id + ">" + b.name + "</a>").join(" ") + "<p>Wind " + w.wind + "</p><a href=/account></a>");
	get("/api/me").catch(() => {});
	get("/api/broken").catch(() => {});
	get("/private/list").catch(() => {});
	fetch("/api/seen", {method: "POST", body: "1"});
}, (e) => show("No boats: " + e.message));`

// TestRecord records a live application with an API and another origin, and rehearses its folder with what was kept.
func TestRecord(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	var posted, foreign int
	var authorised []string
	weather := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		foreign++
		authorised = append(authorised, r.Header.Get("Authorization"))
		w.Header().Set("Content-Type", "application/json")
		w.Header().Set("Access-Control-Allow-Origin", "*")
		_, _ = w.Write([]byte(`{"wind": "fresh from the west", "api_key": "12345"}`))
	}))
	t.Cleanup(weather.Close)
	write(t, dir, map[string]string{"dist/index.html": "<!doctype html><html lang=en><head><meta charset=utf-8><title>Boats</title></head><body><div id=app></div><script src=/app.js></script></body></html>",
		"dist/app.js":    strings.ReplaceAll(boatsApp, "WEATHER", `"`+weather.URL+`"`),
		"tachyform.toml": "site = \"dist\"\n[server]\nfallback = \"/index.html\"\n[record]\nsecrets = [\"captain\"]\nexcept = [\"/private/**\"]\n"})
	files := http.FileServer(http.Dir(filepath.Join(dir, "dist")))
	live := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answers := map[string]string{
			"/api/boats":   `[{"id": 7, "name": "Merganser", "captain": "Ada"}, {"id": 9, "name": "Eider", "session_token": "zzz"}]`,
			"/api/boats/7": `{"name": "Merganser", "next": "/api/boats/9?access_token=hidden&page=2"}`, "/api/boats/9": `{"name": "Eider"}`,
			"/api/me": `{"email": "ada@example.invalid"}`, "/private/list": "[]"}
		switch a, ok := answers[r.URL.Path]; {
		case r.Method != http.MethodGet:
			posted++
		case r.URL.Path == "/account":
			http.Redirect(w, r, "https://sign-in.example/authorize?state=once-only&client=7", http.StatusFound)
		case r.URL.Path == "/api/broken":
			http.Error(w, "no", http.StatusServiceUnavailable)
		case ok && r.Header.Get("Authorization") != "Bearer let-me-in":
			http.Error(w, "who are you", http.StatusUnauthorized)
		case ok:
			w.Header().Set("Content-Type", "application/json")
			w.Header().Set("Set-Cookie", "sid=very-secret")
			_, _ = w.Write([]byte(a))
		case strings.Contains(filepath.Base(r.URL.Path), ".") || r.URL.Path == "/":
			files.ServeHTTP(w, r)
		default:
			http.ServeFile(w, r, filepath.Join(dir, "dist/index.html"))
		}
	}))
	t.Cleanup(live.Close)

	out := fine(t, dir, "record", live.URL+"/", "--header", "Authorization: Bearer let-me-in")
	assert.Zero(t, foreign, "another origin is asked only when it is allowed")
	assert.Contains(t, out, "--origin "+weather.URL)
	out = fine(t, dir, "record", live.URL+"/", "--header", "Authorization: Bearer let-me-in", "--origin", weather.URL)
	for _, want := range []string{"/api/boats?sort=name&token=*", "/api/boats/7", "/v1/now?at=staffin&key=*", "POST /api/seen", "it sends something", "/api/broken", "status 503", "captain", "session_token"} {
		assert.Contains(t, out, want)
	}
	assert.Zero(t, posted, "nothing is sent")
	assert.Equal(t, []string{""}, authorised, "a header for the site goes to nobody else")
	all := func() string {
		kept := ""
		require.NoError(t, filepath.WalkDir(filepath.Join(dir, "recorded"), func(p string, d os.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			data, err := os.ReadFile(p)
			kept += p + "\n" + string(data) + "\n"
			return err
		}))
		return kept
	}
	kept := all()
	assert.Contains(t, kept, "to = 'https://sign-in.example/authorize'", "where the server leads, without what is for one sign-in")
	for _, secret := range []string{"once-only", "s3cr3tvalue", "abcdef", "Ada", "zzz", "hidden", "12345", "let-me-in", "very-secret", "ada@example"} {
		assert.NotContains(t, kept, secret)
	}
	assert.Contains(t, kept, "/api/boats/9?access_token=removed&page=2", "what is no secret stays as it was")

	assert.Contains(t, fine(t, dir, "record", live.URL+"/", "--header", "Authorization: Bearer let-me-in", "--origin", weather.URL), "the same as before")
	assert.Equal(t, kept, all())

	live.Close()
	weather.Close()
	var r struct {
		Pages []struct {
			URL, Network, Text, Outcome string
		}
		Findings []struct{ Kind string }
	}
	out = fine(t, dir, "rehearse", "--network", "online", "--format", "json", "--detail", "text", "--page", "/", "--page", "/boats/9")
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.Len(t, r.Pages, 2)
	assert.Equal(t, "Boats Merganser Eider Wind fresh from the west", r.Pages[0].Text)
	assert.Equal(t, "Eider", r.Pages[1].Text)
	assert.Empty(t, r.Findings, "every origin is known")

	// A draft has rules for what the routes ask for, of both origins, and with them they are there without a network.
	fine(t, dir, "draft", "dist", "--force")
	drafted, err := os.ReadFile(filepath.Join(dir, "tachyform.toml"))
	require.NoError(t, err)
	assert.Contains(t, string(drafted), `/v1/now"  # asked for by the route / when it ran; another origin's`)
	assert.NotContains(t, string(drafted), `match = "/api/me"`)
	assert.Contains(t, string(drafted), `except = ["/account"]`, "a sign-in is left to the server")
	fine(t, dir, "fit")
	out = fine(t, dir, "rehearse", "--network", "offline", "--format", "json", "--story", "none")
	var seen struct {
		Pages []struct{ URL, Outcome, Seen string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &seen))
	routes := 0
	for _, p := range seen.Pages {
		if strings.HasPrefix(p.URL, "/boats/") {
			routes++
			assert.Equal(t, "whole", p.Seen, p.URL)
		}
	}
	assert.Positive(t, routes)

	write(t, dir, map[string]string{"recorded/mine.txt": "x"})
	require.NoError(t, os.Remove(filepath.Join(dir, "recorded/answers.toml")))
	_, text, code := run(t, dir, "record", "http://127.0.0.1:1/")
	assert.Equal(t, 2, code, text)
}

// TestLiveApplication audits an application on a host that answers its routes, and on one that does not.
func TestLiveApplication(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": "<!doctype html><html lang=en><head><meta charset=utf-8><title>Boats</title></head><body><div id=app></div><script src=/app.js></script></body></html>",
		"dist/app.js": `const m = /^\/boats\/(\d+)$/.exec(location.pathname), app = document.getElementById("app");
if (m) fetch("/api/boats/" + m[1]).then((r) => r.json()).then((b) => { app.innerHTML = "<h1>" + b.name + "</h1>"; });
else { app.innerHTML = "<h1>Boats of the company</h1><a href=/boats/7>Merganser</a> <a href=/account>Account</a>"; addEventListener("popstate", () => {}); history.replaceState({}, ""); }`})
	fine(t, dir, "fit", "dist")
	serve := func(fallback bool) string {
		files := http.FileServer(http.Dir(filepath.Join(dir, "dist")))
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			_, err := os.Stat(filepath.Join(dir, "dist", r.URL.Path))
			switch {
			case r.URL.Path == "/account":
				http.Redirect(w, r, "https://sign-in.example/", http.StatusFound)
			case r.URL.Path == "/api/boats/7":
				w.Header().Set("Content-Type", "application/json")
				_, _ = w.Write([]byte(`{"name": "Merganser, with a bar and a deck for bicycles"}`))
			case err != nil && fallback:
				http.ServeFile(w, r, filepath.Join(dir, "dist/index.html"))
			default:
				files.ServeHTTP(w, r)
			}
		}))
		t.Cleanup(s.Close)
		return s.URL + "/"
	}
	for name, c := range map[string]struct {
		fallback bool
		has, not string
	}{"with a fallback": {true, "offline/route-data", "host/route-not-answered"}, "without one": {false, "host/route-not-answered", "host/missing-is-a-page"}} {
		t.Run(name, func(t *testing.T) {
			address := serve(c.fallback)
			out, errs, code := run(t, dir, "audit", address, "--format", "json", "--fail-on", "never")
			require.Zero(t, code, errs)
			var r struct {
				Checks []struct {
					ID, State string
					Findings  []struct{ URL string }
				}
				Rehearsal struct {
					Pages []struct{ URL, Network, Outcome, Seen string }
				}
			}
			require.NoError(t, json.Unmarshal([]byte(out), &r))
			states := map[string]string{}
			for _, k := range r.Checks {
				states[k.ID] = k.State
			}
			assert.Equal(t, "failed", states[c.has])
			assert.NotEqual(t, "failed", states[c.not])
			assert.NotEqual(t, "failed", states["host/missing-is-a-page"], "a plain fallback is no mistake of an application with our worker")
			opened := false
			for _, p := range r.Rehearsal.Pages {
				opened = opened || p.URL == "/boats/7" && p.Network == "offline"
			}
			assert.True(t, opened, "routes are rehearsed")
			assert.Contains(t, fine(t, dir, "survey", address), "/boats/:id")
		})
	}
}
