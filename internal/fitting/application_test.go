package fitting

import (
	"context"
	"errors"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/survey"
)

// TestApplicationChosen says what is made of the applications that were found: which document answers at once, what is left to the server, and what is said.
func TestApplicationChosen(t *testing.T) {
	route := func(patterns ...string) (out []survey.Route) {
		for _, p := range patterns {
			out = append(out, survey.Route{Pattern: p, Address: strings.ReplaceAll(p, ":id", "7"), Seen: 1})
		}
		return out
	}
	boats := survey.Application{Shell: "/", Main: true, Known: "it draws", Routes: route("/boats", "/boats/:id", "/account", "/odd*")}
	boats.Routes[1].Data = []survey.Data{{Method: "GET", URL: "/api/boats/7"}, {Method: "POST", URL: "/api/seen"}, {Method: "GET", URL: "https://tides.example/now"}}
	boats.Dead = []string{"/gone"}
	page := "<title>Boats</title><p>x"
	for name, c := range map[string]struct {
		files          map[string]string
		toml           string
		found          []survey.Application
		shell, offline string
		atOnce, server []string
		said           string
	}{
		"alone":              {found: []survey.Application{boats}, shell: "/", offline: "/", atOnce: []string{"/boats", "/boats/12", "/odd*"}, server: []string{"/account", "/gone", "/api/boats/7", "/admin", "/oddity"}, said: "no rule keeps /api/boats/:id (asked for by /boats/:id)"},
		"beside pages":       {files: map[string]string{"about/index.html": page}, found: []survey.Application{boats}, shell: "/", offline: "/offline.html", atOnce: []string{"/boats"}, server: []string{"/admin"}},
		"with an error page": {files: map[string]string{"404.html": page}, found: []survey.Application{boats}, shell: "/", offline: "/"},
		"behind the #":       {found: []survey.Application{{Shell: "/", Hash: true, Routes: route("/#/boats")}}, offline: "/offline.html"},
		"only a hint":        {found: []survey.Application{{Shell: "/", Main: true, Known: "_redirects"}}, shell: "/", offline: "/", server: []string{"/boats"}},
		"in a folder":        {files: map[string]string{"depot/index.html": page}, found: []survey.Application{{Shell: "/depot/", Known: "it draws", Routes: route("/depot/x")}}, offline: "/offline.html", said: "--base /depot/"},
		"two beside each other": {files: map[string]string{"desk.html": page}, found: []survey.Application{boats, {Shell: "/desk.html", Known: "it draws", Routes: route("/desk/:id", "/boats")}}, shell: "/", offline: "/offline.html", atOnce: []string{"/boats"},
			server: []string{"/desk/7"}, said: "its routes, /desk/*, come from the server"},
		"one that is not the start page": {files: map[string]string{"desk.html": page}, found: []survey.Application{{Shell: "/desk.html", Below: "/desk/", Known: "it draws", Routes: route("/desk/:id", "/other")}}, offline: "/offline.html", server: []string{"/desk/7", "/desk/a/b", "/other"},
			said: "its routes, /desk/**, /other, come"},
		"a page is wanted":    {toml: "[offline]\npage = \"/offline.html\"\n", found: []survey.Application{boats}, offline: "/offline.html"},
		"a shell of its own":  {toml: "[offline]\nshell = \"/index.html\"\n", found: []survey.Application{boats}, shell: "/", offline: "/", atOnce: []string{"/boats", "/anything"}, server: []string{"/api/boats/9", "/api/other", "/gone"}},
		"routes of their own": {toml: "[offline]\nshell = \"/index.html\"\nroutes = [\"/tides/**\"]\n", found: []survey.Application{boats}, shell: "/", offline: "/", atOnce: []string{"/tides/a/b"}, server: []string{"/boats", "/api/boats/9"}},
		"none":                {offline: "/offline.html"},
	} {
		t.Run(name, func(t *testing.T) {
			files := map[string]string{"index.html": page}
			for n, data := range c.files {
				files[n] = data
			}
			cfg, err := config.Parse("tachyform.toml", []byte("[icons]\neffort = \"quick\"\n"+c.toml))
			require.NoError(t, err)
			p, err := plan(t, write(t, t.TempDir(), files), cfg, Options{RulesOnly: true, Applications: func(context.Context, *survey.Inventory) ([]survey.Application, []string, error) {
				return c.found, nil, nil
			}})
			require.NoError(t, err)
			assert.Equal(t, c.shell, p.Caching.Shell)
			assert.Equal(t, c.offline, p.Caching.Offline)
			if p.Caching.Routes != "" || c.shell != "" {
				re := regexp.MustCompile(p.Caching.Routes)
				for _, u := range c.atOnce {
					assert.True(t, re.MatchString(u), u)
				}
			}
			for _, u := range c.server {
				table, err := p.Answers([]string{u}, "", "document")
				require.NoError(t, err)
				assert.Contains(t, []string{"network", "network-only"}, table.Explains[0].Answer, u)
			}
			if c.said != "" {
				assert.Contains(t, strings.Join(p.Remarks, " "), c.said)
			}
			assert.Equal(t, c.shell != "" && c.toml == "", slicesContains(p.Inferences, "shell"))
		})
	}
	broken := errors.New("the engine ended")
	_, err := plan(t, write(t, t.TempDir(), map[string]string{"index.html": page}), nil, Options{RulesOnly: true, Applications: func(context.Context, *survey.Inventory) ([]survey.Application, []string, error) {
		return nil, nil, broken
	}})
	assert.ErrorIs(t, err, broken)
}

func slicesContains(all []Inference, what string) bool {
	for _, i := range all {
		if i.What == what {
			return true
		}
	}
	return false
}
