package caching

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

func plan(t *testing.T) *worker.Plan {
	rule := func(pattern string, r worker.Rule) worker.Rule {
		p, err := worker.ParsePattern(pattern)
		require.NoError(t, err)
		r.Source, r.Match = pattern, p.Match
		return r
	}
	return &worker.Plan{Base: "/", Offline: "/offline.html", Patience: 10_000, Now: map[string]worker.Entry{"/": {Digest: "a", Kind: worker.Pages}, "/a.css": {Digest: "b", Kind: worker.Code}}, Later: map[string]worker.Entry{"/pier.jpg": {Digest: "c", Kind: worker.Other}}, Rules: []worker.Rule{
		worker.Leave("/left/**"),
		rule("/api/*", worker.Rule{Answer: worker.CacheFirst, Destinations: []string{"image"}, Entries: 5}),
		rule("/api/*", worker.Rule{Answer: worker.NetworkFirst, Patience: 2500, Entries: 30, Age: 6 * 3600}),
		rule("/api/send", worker.Rule{Method: "POST", Answer: worker.Outbox, Entries: 9, Age: 3 * 24 * 3600}),
		rule("/stale", worker.Rule{Answer: worker.StaleWhileRevalidate, Entries: 1, Ignore: []string{"utm_*"}, Vary: worker.VaryObey}),
		rule("https://cdn.example/*", worker.Rule{Answer: worker.CacheOnly, Opaque: true}),
		worker.NetworkOnlyRule("/own/**"),
	}}
}

func TestTabulate(t *testing.T) {
	rows := Tabulate(plan(t), Known{
		Files: []site.File{{Path: "a.css", URL: "/a.css", Size: 10, Type: "text/css"}, {Path: "index.html", URL: "/", Size: 20, Type: "text/html"}, {Path: "own/index.html", URL: "/own/", Size: 5, Type: "text/html"},
			{Path: "pier.jpg", URL: "/pier.jpg", Size: 70, Type: "image/jpeg"}, {Path: "x/index.html", URL: "/x/", Size: 3, Type: "text/html"}, {Path: "x.txt", URL: "/x.txt", Size: 4, Type: "text/plain"}},
		Asked:  []Asked{{"POST", "/api/send"}, {"", "/api/now?x=1"}, {"", "/api/now?x=1"}, {"POST", "/api/else"}},
		Places: []Place{{"t.toml", 1}, {"t.toml", 2}},
	})
	got := map[string]Row{}
	var order []string
	for _, r := range rows {
		got[r.What] = r
		order = append(order, r.What)
	}
	assert.Equal(t, []string{"/left/**", "/api/* (image)", "/api/*", "POST /api/send", "/own/**", "stored at the first visit", "stored when first asked for", "other pages of the site", "everything else"}, order,
		"rules that nothing is known of are shown when they stand in a configuration")
	assert.Equal(t, []string{"/api/now?x=1"}, got["/api/*"].Asked)
	assert.Equal(t, []string{"POST /api/send"}, got["POST /api/send"].Asked)
	assert.Equal(t, []string{"POST /api/else"}, got["everything else"].Asked)
	assert.Equal(t, int64(30), got["stored at the first visit"].Bytes)
	assert.Equal(t, 1, got["/own/**"].Files)
	assert.Equal(t, "pages: /offline.html instead", got["/own/**"].Offline)
	assert.Equal(t, "/offline.html instead", got["other pages of the site"].Offline)
	assert.Equal(t, "waits 2.5\u00a0s for the network, keeps 30 answers for 6 hours", got["/api/*"].How)
	assert.Equal(t, "keeps up to 9 posts for 3 days", got["POST /api/send"].How)
	assert.Equal(t, "the last answer, up to 6 hours old", got["/api/*"].Offline)
}

func TestGroups(t *testing.T) {
	p := plan(t)
	p.Groups = []worker.Group{{Name: "guide", Match: worker.Glob("/pier*") + "|" + worker.Glob("/a.css")}}
	files := []site.File{{URL: "/pier.jpg", Size: 70}, {URL: "/a.css", Size: 10}, {URL: "/pier-2.jpg", Size: 5}, {URL: "/", Size: 1}}
	assert.Equal(t, []Group{{"guide", Weight{2, 80}}}, Groups(p, files), "what is not stored at all is no part of it")
}

func TestExplain(t *testing.T) {
	for name, c := range map[string]struct {
		asked                              worker.Asked
		answer, by, slow, offline, because string
	}{
		"release":        {worker.Asked{Address: "/", Destination: "document"}, "release", "stow now", "the same", "the same", ""},
		"later":          {worker.Asked{Address: "/pier.jpg", Destination: "image"}, "release", "stow later", "the same, if it was asked for before", "the same, if it was asked for before; else nothing: the request fails", ""},
		"another page":   {worker.Asked{Address: "/x/", Destination: "document"}, "network", "no list and no rule has it", "after 10\u00a0s /offline.html instead; waits as long as it takes when loaded again", "/offline.html instead", ""},
		"past":           {worker.Asked{Address: "/left/a", Destination: "document"}, "past", "rule 1: /left/**", "the network's", "the browser's error page", ""},
		"no rule":        {worker.Asked{Address: "/x", Method: "PUT", Destination: "empty"}, "past", "no rule is for PUT", "the network's", "nothing: the request fails", ""},
		"passed over":    {worker.Asked{Address: "/api/x", Destination: "empty"}, worker.NetworkFirst, "rule 3: /api/*", "after 2.5\u00a0s the stored answer, up to 6 hours old, else nothing: the request fails", "the stored answer, up to 6 hours old, else nothing: the request fails", "it is for [image], this is empty"},
		"by its method":  {worker.Asked{Address: "/api/send", Method: "POST", Destination: "empty"}, worker.Outbox, "rule 4: POST /api/send", "202 after 10\u00a0s: kept, and sent again", "202: kept, and sent when there is a network", "it is for GET, this is POST"},
		"stale":          {worker.Asked{Address: "/stale?utm_a=1", Destination: "empty"}, worker.StaleWhileRevalidate, "rule 5: /stale", "the stored answer", "the stored answer, else nothing: the request fails", ""},
		"another origin": {worker.Asked{Address: "https://cdn.example/a", Destination: "image"}, worker.CacheOnly, "rule 6: https://cdn.example/*", "the same", "the same", ""},
		"never stored":   {worker.Asked{Address: "/own/a", Destination: "document"}, worker.NetworkOnly, "rule 7: /own/**", "after 10\u00a0s /offline.html instead; waits as long as it takes when loaded again", "/offline.html instead", ""},
	} {
		e := Explain(plan(t), c.asked, []Place{{"t.toml", 7}})
		assert.Equal(t, []string{c.answer, c.by, c.slow, c.offline}, []string{e.Answer, e.By, e.Slow, e.Offline}, name)
		assert.NotEmpty(t, e.Online, name)
		if c.because != "" {
			require.NotEmpty(t, e.Passed, name)
			assert.Equal(t, c.because, e.Passed[len(e.Passed)-1].Why, name)
		}
		if name == "past" {
			assert.Equal(t, Place{"t.toml", 7}, e.Place)
		}
	}
}
