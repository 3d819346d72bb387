package present

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
)

func text(t *testing.T, f func(*Style) error) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, f(New(&b, false)))
	assert.NotContains(t, b.String(), "\x1b", "no colours when they are not wanted")
	for _, line := range strings.Split(b.String(), "\n") {
		assert.LessOrEqual(t, len([]rune(line)), 139, "lines fit a terminal: %s", line)
	}
	return b.String()
}

func TestCounts(t *testing.T) {
	assert.Equal(t, "1 page", count(1, "page"))
	assert.Equal(t, "12,000 pages", count(12000, "page"))
	assert.Equal(t, "7 entries", count(7, "entry"))
	assert.Equal(t, "ab…", clip("abcdef", 3))
	assert.Equal(t, "a b\n  c d", wrap("a b c d", 4, 2))
	assert.Equal(t, "a, b", brief([]string{"a", "b"}))
	assert.Equal(t, "1, 2, 3, 4, 5, 6, 7, 8 and 2 more", brief(strings.Split("1 2 3 4 5 6 7 8 9 10", " ")))
	assert.Equal(t, "a/b/** (3), a/b/x/** (2), a/c/** (3), d.js", brief(strings.Split("a/b/1 a/b/2 a/b/3 a/b/x/4 a/b/x/5 a/c/1 a/c/2 a/c/3 d.js", " ")))
	assert.Equal(t, "/docs/** (9), /about.html", brief(strings.Split("/docs/1 /docs/2 /docs/3 /docs/4 /docs/5 /docs/6 /docs/7 /docs/8 /docs/9 /about.html", " ")), "addresses, too")
	assert.Equal(t, "/h/** (4), /a/, /b/, /c/, /d/, /e/, /f/, /g/ and 1 more", brief(strings.Split("/a/ /b/ /c/ /d/ /e/ /f/ /g/ /i/ /h/1/ /h/2/ /h/3/ /h/4/", " ")))
	var many []string
	for i := range 12 {
		many = append(many, strings.Split(strings.Repeat(string(rune('a'+i))+"/x.js ", i+1), " ")[:i+1]...)
	}
	assert.Equal(t, "l/** (12), k/** (11), j/** (10), i/** (9), h/** (8), g/** (7), f/** (6), e/** (5) and 10 more", brief(many), "the largest folders, and what is left")
}

func TestFitSummary(t *testing.T) {
	dir := t.TempDir()
	for name, data := range map[string]string{"index.html": "<title>Kelda Mail</title><script>navigator.serviceWorker.register('/own.js')</script>", "own.js": "1", "t.html": "{% x %}", "e.html": ""} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(data), 0o644))
	}
	require.NoError(t, os.Symlink("gone", filepath.Join(dir, "broken")))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	p, err := fitting.Make(context.Background(), s, &config.Config{}, fitting.Options{})
	require.NoError(t, err)
	out := text(t, func(st *Style) error { return st.Fit(p, false) })
	for _, part := range []string{"8 files written", "1 page edited", "1 page: empty (e.html)", "1 page: a template", "1 entry: symbolic link that leads nowhere (broken)",
		"No worker was written.", "index.html (line 1) registers /own.js", "Kelda Mail", "a drawn letter"} {
		assert.Contains(t, out, part)
	}
	assert.Contains(t, text(t, func(st *Style) error { return st.Fit(p, true) }), "would be written; nothing was")
	j := FitOf(p, true)
	assert.Equal(t, "tachyform.fit/1", j.Format)
	assert.Len(t, j.Written, 8)
	assert.Len(t, j.Left, 2)
	require.NoError(t, p.Apply(context.Background(), nil))
	require.NoError(t, s.Rescan())
	p, err = fitting.Make(context.Background(), s, &config.Config{}, fitting.Options{})
	require.NoError(t, err)
	assert.Contains(t, text(t, func(st *Style) error { return st.Fit(p, false) }), "nothing to do, every file is as it should be")
}

func report(pages int) *rehearsal.Report {
	r := &rehearsal.Report{Site: "dist", Stage: "embedded", Worker: rehearsal.Worker{State: "activated", URL: "/sw.js", Scope: "/"},
		Visits:   []rehearsal.PageResult{{URL: "/", Outcome: rehearsal.Whole, AnsweredBy: "network"}},
		Stores:   []rehearsal.Store{{Name: "v1", URLs: []string{"/", "/a"}, Bytes: 2048}},
		Findings: []rehearsal.Finding{{Kind: "install", Level: "blocker", Message: "it broke", Mend: "mend it", File: "/sw.js", Line: 3, Column: 4}}}
	for i := range pages {
		p := rehearsal.PageResult{URL: "/p" + itoa(i) + "/", Network: "offline", Outcome: rehearsal.Whole, Title: "Page"}
		switch i % 4 {
		case 1:
			p.Outcome, p.Missing = rehearsal.Partial, []rehearsal.Missing{{URL: "/a.css"}, {URL: "/b.css"}, {URL: "/c.css"}, {URL: "/d.css"}}
			p.Why = "/a.css: not stored"
		case 2:
			p.Outcome, p.Why = rehearsal.StandIn, "another document is shown instead"
		case 3:
			p.Outcome, p.Why, p.File, p.Line = rehearsal.Lost, "the worker's answer failed", "/sw.js", 9
		}
		r.Pages = append(r.Pages, p)
	}
	return r
}

func TestRehearsalText(t *testing.T) {
	out := text(t, func(st *Style) error { return st.Rehearsal(report(4)) })
	for _, part := range []string{"activated /sw.js, scope /", "2 answers, 2.0 kB", "Offline, 4 pages  1 whole, 1 partial, 1 stand-in, 1 lost",
		"missing /a.css, /b.css, /c.css and 1 more", "the worker's answer failed (/sw.js:9)", "blocker  /sw.js:3:4: it broke", "mend: mend it"} {
		assert.Contains(t, out, part)
	}
	out = text(t, func(st *Style) error { return st.Rehearsal(report(400)) })
	assert.Less(t, strings.Count(out, "\n"), 30, "many pages are grouped")
	assert.Contains(t, out, "100 pages      /p0/  /p4/  /p8/")
	r := report(1)
	r.Worker = rehearsal.Worker{State: "failed", URL: "/sw.js", Error: "no such file", File: "/sw.js", Line: 2}
	out = text(t, func(st *Style) error { return st.Rehearsal(r) })
	assert.Contains(t, out, "failed /sw.js: no such file")
	r.Worker = rehearsal.Worker{State: "none"}
	assert.Contains(t, text(t, func(st *Style) error { return st.Rehearsal(r) }), "after the visits none is registered")
}

func TestAuditText(t *testing.T) {
	r := &audit.Report{Site: "dist", Rehearsal: report(4), Platforms: []audit.Verdict{{ID: "a", Name: "A", Installable: true, How: "by menu"}, {ID: "b", Name: "B", Blockers: []string{"x/y"}}},
		Checks: []audit.Result{{ID: "p/advice", Level: audit.Advice, State: "failed", Why: "small", Findings: []audit.Finding{{URL: "/q", Message: "hm"}}},
			{ID: "x/y", Level: audit.Blocker, State: "failed", Why: "big", Findings: []audit.Finding{{File: "f", Line: 1, Column: 2, Message: "bad", Mend: "one"}, {File: "g", Message: "worse", Mend: "two"}}},
			{ID: "z/same", Level: audit.Warning, State: "failed", Why: "often", Findings: []audit.Finding{{URL: "/1", Message: "same"}, {URL: "/2", Message: "same"}, {URL: "/3", Message: "same"}}},
			{ID: "q/fine", Level: audit.Warning, State: "passed"}, {ID: "q/none", Level: audit.Warning, State: "not-applicable"}}}
	out := text(t, func(st *Style) error { return st.Audit(r) })
	for _, part := range []string{"installs  A", "does not  B", "x/y", "f:1:2  bad", "mend: one", "g  worse", "mend: two", "/1, /2, /3", "3 pages: same", "Of 5 checks 3 found something, 1 found nothing amiss, 1 had nothing to look at"} {
		assert.Contains(t, out, part)
	}
	assert.Less(t, strings.Index(out, "blocker"), strings.Index(out, "advice"), "the worst first")
}

func TestJSON(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, JSON(&b, map[string]string{"a": "<b>&"}))
	assert.Equal(t, "{\n  \"a\": \"<b>&\"\n}\n", b.String())
}

func TestLinesFit(t *testing.T) {
	for line, want := range map[string]string{
		"short": "short",
		"  label      one two three four five six seven":     "  label      one two three four\n             five six seven",
		"  no columns in this line of many words":            "  no columns in this line of\n    many words",
		"Of 175 checks 2 found something, 3 did not":         "Of 175 checks 2 found\n  something, 3 did not",
		"  x  averylongwordthatcannotbebrokenanywhereatall":  "  x  averylongwordthatcannotbebrokenanywhereatall",
		"  \x1b[1mlabel\x1b[0m      one two three four five": "  label      one two three four\n             five",
	} {
		assert.Equal(t, want, ansi.Strip(folded(line, 32)), "%q", line)
	}
	assert.Equal(t, "  no columns in this line of many words", folded("  no columns in this line of many words", 0), "where lines may have any width")
	var b strings.Builder
	t.Setenv("COLUMNS", "70")
	require.NoError(t, Help(&b, "One sentence that goes on\nover two lines of the source, since it is long enough.\n  a list   is\nNext.", "Usage:\n  x\n"))
	assert.Equal(t, "One sentence that goes on over two lines of the source, since it is\nlong enough.\n  a list   is\nNext.\n\nUsage:\n  x\n", b.String())
}
