package present

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/likeness"
	"tachyform.dev/tachyform/internal/rehearsal"
)

// hostile is a report whose every text tries to be markup.
func hostile() *audit.Report {
	const evil = "<script>alert(1)</script>|`\n]]>"
	return &audit.Report{Format: audit.Format, Site: evil,
		Platforms: []audit.Verdict{{ID: "chromium-desktop", Name: "Chromium, desktop", How: "offered", Blockers: []string{"manifest/name-missing"}}, {ID: "safari-macos", Name: "Safari", Installable: true, How: "by the menu"}},
		Checks: []audit.Result{
			{ID: "manifest/name-missing", Level: audit.Blocker, State: "failed", Title: "named", Why: "why " + evil, Findings: []audit.Finding{{File: "a b/m.json", Line: 3, Column: 5, Message: "no name " + evil, Mend: "add it", Source: evil}, {URL: "/x", Message: "nor here"}}},
			{ID: "manifest/not-json", Level: audit.Blocker, State: "passed", Findings: []audit.Finding{}},
			{ID: "icons/faint", Level: audit.Advice, State: "not-applicable", Skipped: "not ours", Findings: []audit.Finding{}}},
		Rehearsal: &rehearsal.Report{Pages: []rehearsal.PageResult{{URL: "/" + evil, Network: "offline", Outcome: rehearsal.Whole}, {URL: "/" + evil, Network: "slow", Outcome: rehearsal.Lost}}},
		App: &likeness.App{Name: evil, Short: evil, Description: evil, Host: evil, Theme: "red; } body { display: none", Page: "red; } body { display: none", Any: &likeness.Picture{Data: []byte("<svg onload=alert(1)>"), Type: "image/svg+xml"},
			Shortcuts: []likeness.Shortcut{{Name: evil}}, Wide: []*likeness.Picture{{Data: []byte("x"), Type: "image/png"}}}}
}

// TestABaselineIsNamedInEveryFormat compares with an earlier report that had another finding and not this one.
func TestABaselineIsNamedInEveryFormat(t *testing.T) {
	failed := func(id string, messages ...string) audit.Result {
		r := audit.Result{ID: id, Level: audit.Warning, State: "failed"}
		for _, m := range messages {
			r.Findings = append(r.Findings, audit.Finding{File: "index.html", Line: 1, Message: m})
		}
		return r
	}
	earlier := &audit.Report{Checks: []audit.Result{failed("icons/faint", "as faint as before"), failed("pages/title-missing", "no title")}}
	for format, want := range map[string][]string{
		"text":     {"1 new: manifest/name-missing; 1 gone: pages/title-missing; 1 as before"},
		"markdown": {"1 new: `manifest/name-missing`; 1 gone: `pages/title-missing`; 1 as before"},
		"html":     {"1 new: manifest/name-missing; 1 gone: pages/title-missing; 1 as before"},
		"junit":    {`value="1 new: manifest/name-missing; 1 gone: pages/title-missing; 1 as before"`, "new: index.html:1:0 no name", "index.html:1:0 as faint"},
		"sarif":    {`"baselineState": "new"`, `"baselineState": "unchanged"`, `"baselineState": "absent"`},
	} {
		now := &audit.Report{Checks: []audit.Result{failed("icons/faint", "as faint as before"), failed("manifest/name-missing", "no name")}, Rehearsal: &rehearsal.Report{}}
		now.Against(earlier)
		var b bytes.Buffer
		require.NoError(t, New(&b, false).AuditAs(format, now, nil))
		for _, w := range want {
			assert.Contains(t, strings.ReplaceAll(b.String(), "&#xA;", "\n"), w, format)
		}
	}
}

// TestTheHeadlineTellsTheWorst says what somebody gets who was there before.
func TestTheHeadlineTellsTheWorst(t *testing.T) {
	comeback := func(changes string, shows ...string) rehearsal.Comeback {
		c := rehearsal.Comeback{Changes: changes, Changed: []string{"/"}}
		for _, s := range shows {
			c.Visits = append(c.Visits, rehearsal.ComebackVisit{Shows: s})
		}
		return c
	}
	const old, fresh = "old", "new"
	for want, list := range map[string][]rehearsal.Comeback{
		"never seen when only styles and scripts change; seen at the second visit when files and worker do": {
			comeback(rehearsal.PageChange, fresh, fresh), comeback(rehearsal.PartsChange, old, old), comeback(rehearsal.WorkerChange, old, fresh)},
		"never seen": {comeback(rehearsal.PageChange, old, old), comeback(rehearsal.WorkerChange, old, old)},
		"seen at the first visit": {
			comeback(rehearsal.PageChange, fresh, fresh), comeback(rehearsal.WorkerChange, fresh, fresh)},
		"seen at the second visit; parts of the old one are shown beside parts of the new when only a page changes; seen at the second visit when files and worker do": {
			comeback(rehearsal.PageChange, "mix", fresh), comeback(rehearsal.WorkerChange, old, fresh)},
	} {
		var b bytes.Buffer
		require.NoError(t, New(&b, false).AuditAs("text", &audit.Report{Rehearsal: &rehearsal.Report{Comebacks: list}}, nil))
		assert.Contains(t, strings.Join(strings.Fields(b.String()), " "), "the next one is "+want)
	}
}

func as(t *testing.T, format string) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, New(&b, false).AuditAs(format, hostile(), nil))
	return b.String()
}

func TestAuditAsPage(t *testing.T) {
	page := as(t, "html")
	doc, err := html.Parse(strings.NewReader(page))
	require.NoError(t, err)
	var walk func(*html.Node)
	seen := map[string]int{}
	walk = func(n *html.Node) {
		if n.Type == html.ElementNode {
			seen[n.Data]++
			for _, a := range n.Attr {
				if a.Key == "src" || a.Key == "href" {
					assert.True(t, strings.HasPrefix(a.Val, "data:"), "nothing is asked for: %s", a.Val)
				}
				assert.False(t, strings.HasPrefix(a.Key, "on"), "no handler: %s", a.Key)
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(doc)
	assert.Zero(t, seen["script"])
	assert.Zero(t, seen["svg"])
	assert.Equal(t, 2, seen["details"], "one for each failed check, and the one of what a browser offers nothing for")
	assert.NotContains(t, page, "display: none", "a colour that is none is not taken over")
	for _, text := range []string{"does not install", "a b/m.json:3:5", "add it", "whole", "lost"} {
		assert.Contains(t, page, text)
	}
}

func TestAuditAsJUnit(t *testing.T) {
	var s junitSuites
	require.NoError(t, xml.Unmarshal([]byte(as(t, "junit")), &s))
	assert.Equal(t, [2]int{3, 1}, [2]int{s.Tests, s.Failures})
	require.Len(t, s.Suites, 2)
	assert.Equal(t, "manifest", s.Suites[0].Name)
	assert.Contains(t, s.Suites[0].Cases[0].Failure.Text, "a b/m.json:3:5 no name")
	assert.Nil(t, s.Suites[0].Cases[1].Failure)
	assert.Equal(t, "not ours", s.Suites[1].Cases[0].Skipped.Message)
}

// TestJUnitFollowsTheGate holds the failures against what makes the exit status 1.
func TestJUnitFollowsTheGate(t *testing.T) {
	failed := func(id string, l audit.Level) audit.Result {
		return audit.Result{ID: id, Level: l, State: "failed", Why: "why", Findings: []audit.Finding{{Message: "seen"}}}
	}
	checks := []audit.Result{failed("manifest/a", audit.Blocker), failed("pages/b", audit.Warning), failed("icons/c", audit.Advice)}
	for on, want := range map[audit.Level][]string{"blocker": {"manifest/a"}, "warning": {"manifest/a", "pages/b"}, "advice": {"manifest/a", "pages/b", "icons/c"}, "never": nil, "": {"manifest/a", "pages/b", "icons/c"}} {
		r := &audit.Report{FailOn: on, Checks: checks, Rehearsal: &rehearsal.Report{}}
		assert.Equal(t, want, r.Failing(), on)
		var b bytes.Buffer
		require.NoError(t, New(&b, false).AuditAs("junit", r, nil))
		var s junitSuites
		require.NoError(t, xml.Unmarshal(b.Bytes(), &s))
		var got []string
		for _, suite := range s.Suites {
			for _, c := range suite.Cases {
				if c.Failure != nil {
					got = append(got, c.Name)
				} else {
					assert.Contains(t, c.Out, "seen", "it is told all the same")
				}
			}
		}
		assert.Equal(t, want, got, on)
		assert.Equal(t, len(want), s.Failures)
	}
	r := &audit.Report{FailOn: audit.Warning, Checks: checks, Baseline: &audit.Comparison{New: []string{"pages/b"}}}
	assert.Equal(t, []string{"pages/b"}, r.Failing(), "only what is new")
}

func TestPathsInARepository(t *testing.T) {
	for site, want := range map[string]string{"dist": "dist/a b.html", ".": "a b.html", "public/site/": "public/site/a b.html", "../dist": "a b.html", "/srv/dist": "a b.html", "https://skerry-line.example/": "a b.html"} {
		assert.Equal(t, want, inRepository(site, "a b.html"), site)
	}
}

func TestAuditAsSARIF(t *testing.T) {
	var log struct {
		Version string
		Runs    []struct {
			Tool struct {
				Driver struct{ Rules []struct{ ID string } }
			}
			Results []struct {
				RuleID    string
				Level     string
				Locations []struct {
					PhysicalLocation struct {
						ArtifactLocation struct{ URI string }
						Region           struct{ StartLine, StartColumn int }
					}
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(as(t, "sarif")), &log))
	assert.Equal(t, "2.1.0", log.Version)
	require.Len(t, log.Runs, 1)
	assert.Len(t, log.Runs[0].Tool.Driver.Rules, 3)
	require.Len(t, log.Runs[0].Results, 2)
	first := log.Runs[0].Results[0]
	assert.Equal(t, "error", first.Level)
	assert.Equal(t, "%3Cscript%3Ealert%281%29%3C/script%3E%7C%60%0A%5D%5D%3E/a%20b/m.json", first.Locations[0].PhysicalLocation.ArtifactLocation.URI)
	assert.Equal(t, 3, first.Locations[0].PhysicalLocation.Region.StartLine)
}

func TestAuditAsMarkdown(t *testing.T) {
	text := as(t, "markdown")
	assert.NotContains(t, text, "<script>")
	assert.Contains(t, text, "**does not install** | manifest/name-missing")
	assert.Contains(t, text, "`a b/m.json:3:5` no name")
}

func TestEveryCheckIsInTheReference(t *testing.T) {
	doc, err := os.ReadFile("../../docs/checks.md")
	require.NoError(t, err)
	for _, c := range audit.Checks() {
		assert.Contains(t, string(doc), "### "+c.ID+"\n")
	}
}
