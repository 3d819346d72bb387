package config

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
)

// RecordedDir is the folder beside the configuration in which "tachyform record" keeps answers when nothing is said.
const RecordedDir = "recorded"

// RecordedName is the file in that folder that lists them, in the form of a configuration.
const RecordedName = "answers.toml"

// Recorded gives the folder of recorded answers, whether it is there or not; "" when the configuration wants none.
func (c *Config) Recorded() string {
	if c.Server.Recorded == nil {
		return c.path(RecordedDir)
	}
	if *c.Server.Recorded == "" {
		return ""
	}
	return c.path(*c.Server.Recorded)
}

// withRecorded gives the configurations whose [server] tables count: this one, and the list of recorded answers, if there is one. What comes
// first stands before what comes later.
func (c *Config) withRecorded() ([]*Config, error) {
	dir := c.Recorded()
	if dir == "" {
		return []*Config{c}, nil
	}
	file := filepath.Join(dir, RecordedName)
	r, err := Read(file)
	switch {
	case errors.Is(err, os.ErrNotExist) && c.Server.Recorded == nil:
		return []*Config{c}, nil
	case err != nil:
		return nil, fmt.Errorf("recorded answers: %w", err)
	}
	for _, a := range r.Server.Answer {
		if !filepath.IsLocal(filepath.FromSlash(a.File)) {
			return nil, &Error{File: file, Message: fmt.Sprintf("the answer for %s names %q, which does not lie in this folder", a.Path, a.File)}
		}
	}
	return []*Config{c, r}, nil
}

// RecordedAnswers says how many recorded answers count, and the file that lists them.
func (c *Config) RecordedAnswers() (int, string) {
	all, err := c.withRecorded()
	if err != nil || len(all) < 2 {
		return 0, ""
	}
	return len(all[1].Server.Answer) + len(all[1].Server.Redirect), all[1].File
}

// SiteRules turns the [server] tables, and what was recorded, into what answers like the real server.
func (c *Config) SiteRules() (site.Rules, error) {
	r := site.Rules{Fallback: c.Server.Fallback, Clean: c.Server.Clean || c.Server.CleanOnly, CleanOnly: c.Server.CleanOnly}
	for _, h := range c.Server.Header {
		r.Headers = append(r.Headers, site.HeaderRule{Path: h.Path, Name: h.Name, Value: h.Value})
	}
	all, err := c.withRecorded()
	if err != nil {
		return r, err
	}
	for _, from := range all {
		for _, x := range from.Server.Redirect {
			r.Redirects = append(r.Redirects, site.RedirectRule{From: x.From, To: x.To, Status: x.Status, Spare: from != c})
		}
	}
	own, err := c.answers("")
	r.Answers = own
	return r, err
}

// answers gives what is answered for an origin, "" for the site's own.
func (c *Config) answers(origin string) ([]site.AnswerRule, error) {
	var out []site.AnswerRule
	all, err := c.withRecorded()
	if err != nil {
		return nil, err
	}
	for _, from := range all {
		for _, a := range from.Server.Answer {
			if strings.TrimSuffix(a.Origin, "/") != origin {
				continue
			}
			rule, err := from.answer(a)
			if err != nil {
				return nil, err
			}
			rule.Spare = from != c
			out = append(out, rule)
		}
	}
	return out, nil
}

func (c *Config) answer(a ServerAnswer) (site.AnswerRule, error) {
	rule := site.AnswerRule{Path: a.Path, Query: a.Query, Method: strings.ToUpper(a.Method), Status: a.Status, Type: a.Type, Body: []byte(a.Body)}
	if a.File != "" {
		data, err := regular.ReadFile(c.path(a.File), regular.Large)
		if err != nil {
			return rule, fmt.Errorf("%s: the answer for %s: %w", c.File, a.Path, err)
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
	return rule, nil
}

// Origins opens the stand-ins for other origins: folders, and single answers, which stand before the files.
func (c *Config) Origins() (map[string]*site.Server, error) {
	out := map[string]*site.Server{}
	all, err := c.withRecorded()
	if err != nil {
		return nil, err
	}
	add := func(origin string, s *site.Site) error {
		answers, err := c.answers(origin)
		if err != nil {
			return err
		}
		out[origin] = site.NewServer(s, site.Rules{Answers: answers, Headers: []site.HeaderRule{{Path: "/**", Name: "Access-Control-Allow-Origin", Value: "*"}}})
		return nil
	}
	for _, from := range all {
		for _, o := range from.Server.Origin {
			s, err := site.Open(from.path(o.Dir), "/")
			if err != nil {
				return nil, fmt.Errorf("%s: the stand-in for %s: %w", from.File, o.URL, err)
			}
			if err := add(strings.TrimSuffix(o.URL, "/"), s); err != nil {
				return nil, err
			}
		}
		for _, a := range from.Server.Answer {
			origin := strings.TrimSuffix(a.Origin, "/")
			if origin == "" || out[origin] != nil {
				continue
			}
			if err := add(origin, site.Empty(origin)); err != nil {
				return nil, err
			}
		}
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
