package config

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"tachyform/internal/site"
)

// SiteRules turns the [server] tables into what answers like the real server.
func (c *Config) SiteRules() (site.Rules, error) {
	r := site.Rules{Fallback: c.Server.Fallback}
	for _, h := range c.Server.Header {
		r.Headers = append(r.Headers, site.HeaderRule{Path: h.Path, Name: h.Name, Value: h.Value})
	}
	for _, x := range c.Server.Redirect {
		r.Redirects = append(r.Redirects, site.RedirectRule{From: x.From, To: x.To, Status: x.Status})
	}
	for _, a := range c.Server.Answer {
		rule := site.AnswerRule{Path: a.Path, Method: strings.ToUpper(a.Method), Status: a.Status, Type: a.Type, Body: []byte(a.Body)}
		if a.File != "" {
			data, err := os.ReadFile(c.path(a.File))
			if err != nil {
				return r, fmt.Errorf("%s: the answer for %s: %w", c.File, a.Path, err)
			}
			rule.Body = data
			if rule.Type == "" {
				rule.Type = site.TypeOf(a.File)
			}
		}
		if rule.Type == "" {
			rule.Type = "text/plain; charset=utf-8"
			if strings.HasPrefix(strings.TrimSpace(a.Body), "{") || strings.HasPrefix(strings.TrimSpace(a.Body), "[") {
				rule.Type = "application/json"
			}
		}
		r.Answers = append(r.Answers, rule)
	}
	return r, nil
}

// Origins opens the stand-ins for other origins.
func (c *Config) Origins() (map[string]*site.Server, error) {
	out := map[string]*site.Server{}
	for _, o := range c.Server.Origin {
		s, err := site.Open(c.path(o.Dir), "/")
		if err != nil {
			return nil, fmt.Errorf("%s: the stand-in for %s: %w", c.File, o.URL, err)
		}
		out[strings.TrimSuffix(o.URL, "/")] = site.NewServer(s, site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Access-Control-Allow-Origin", Value: "*"}}})
	}
	return out, nil
}

// path gives the file or folder that the configuration names, which lies beside it unless its path is absolute.
func (c *Config) path(name string) string {
	p := filepath.FromSlash(name)
	if filepath.IsAbs(p) {
		return p
	}
	return filepath.Join(c.Dir(), p)
}
