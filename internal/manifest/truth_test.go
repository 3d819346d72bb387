package manifest_test

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/manifest/truth"
)

// shown is a processed manifest as Chromium's protocol shows it, as far as it shows it in full: it says nothing of short_name,
// lang, dir, purposes, file handlers and notes.
type shown struct {
	Name, Description                string
	ID, StartURL, Scope              string
	Display                          string
	DisplayOverrides                 []string
	Orientation                      string
	ThemeColor, BackgroundColor      string
	Icons, Screenshots               []string
	Shortcuts, Protocols, Extensions []string
	Share, Launch                    string
	Prefer                           bool
	Related                          []string
}

// theirs reads what was recorded.
func theirs(t *testing.T, raw json.RawMessage) shown {
	t.Helper()
	type image struct{ URL, Sizes, Type string }
	var m struct {
		Name, Description, ID, StartURL, Scope, Display, Orientation, ThemeColor, BackgroundColor string
		DisplayOverrides                                                                          []string
		PreferRelatedApplications                                                                 bool
		Icons                                                                                     []image
		Screenshots                                                                               []struct {
			Image             image
			FormFactor, Label string
		}
		Shortcuts           []struct{ Name, URL string }
		ProtocolHandlers    []struct{ Protocol, URL string }
		ScopeExtensions     []struct{ Origin string }
		RelatedApplications []struct{ ID, URL string }
		ShareTarget         *struct{ Action, Method string }
		LaunchHandler       *struct{ ClientMode string }
	}
	require.NoError(t, json.Unmarshal(raw, &m))
	s := shown{Name: m.Name, Description: m.Description, ID: m.ID, StartURL: m.StartURL, Scope: m.Scope, Display: kebab(m.Display),
		Orientation: strings.ReplaceAll(strings.ToLower(m.Orientation), "_", "-"), ThemeColor: hex(t, m.ThemeColor), BackgroundColor: hex(t, m.BackgroundColor), Prefer: m.PreferRelatedApplications}
	for _, d := range m.DisplayOverrides {
		s.DisplayOverrides = append(s.DisplayOverrides, kebab(d))
	}
	for _, i := range m.Icons {
		s.Icons = append(s.Icons, i.URL+" "+strings.ReplaceAll(i.Sizes, "0x0", "any")+" "+i.Type)
	}
	for _, i := range m.Screenshots {
		s.Screenshots = append(s.Screenshots, i.Image.URL+" "+strings.TrimPrefix(kebab(i.FormFactor), "unknown")+" "+i.Label)
	}
	for _, i := range m.Shortcuts {
		s.Shortcuts = append(s.Shortcuts, i.Name+" "+i.URL)
	}
	for _, i := range m.ProtocolHandlers {
		s.Protocols = append(s.Protocols, i.Protocol+" "+i.URL)
	}
	for _, i := range m.ScopeExtensions {
		s.Extensions = append(s.Extensions, i.Origin)
	}
	for _, i := range m.RelatedApplications {
		s.Related = append(s.Related, i.ID+" "+i.URL)
	}
	if m.ShareTarget != nil {
		s.Share = m.ShareTarget.Action + " " + strings.ToUpper(strings.TrimPrefix(m.ShareTarget.Method, "k"))
	}
	if m.LaunchHandler != nil {
		s.Launch = strings.TrimPrefix(kebab(m.LaunchHandler.ClientMode), "auto")
	}
	return s
}

// kebab turns kMinimalUi into minimal-ui; kUndefined and DEFAULT are browser and nothing.
func kebab(s string) string {
	var b strings.Builder
	for i, c := range strings.TrimPrefix(s, "k") {
		if c >= 'A' && c <= 'Z' {
			if i > 0 {
				b.WriteByte('-')
			}
			c += 'a' - 'A'
		}
		b.WriteRune(c)
	}
	if b.String() == "undefined" {
		return "browser"
	}
	return b.String()
}

func hex(t *testing.T, s string) string {
	t.Helper()
	if s == "" {
		return ""
	}
	f := strings.Split(strings.TrimSuffix(strings.TrimPrefix(s, "rgba("), ")"), ",")
	require.Len(t, f, 4, s)
	out := "#"
	for _, n := range f[:3] {
		v, err := strconv.Atoi(n)
		require.NoError(t, err)
		out += fmt.Sprintf("%02x", v)
	}
	a, err := strconv.ParseFloat(f[3], 64)
	require.NoError(t, err)
	if a < 1 {
		out += fmt.Sprintf("%02x", int(a*255+0.5))
	}
	return out
}

func ours(p *manifest.Processed) shown {
	s := shown{Name: p.Name, Description: p.Description, ID: p.ID, StartURL: p.StartURL, Scope: p.Scope, Display: p.Display, Orientation: p.Orientation,
		DisplayOverrides: p.DisplayOverride, ThemeColor: p.ThemeColor, BackgroundColor: p.BackgroundColor, Prefer: p.PreferRelatedApplications}
	if s.Orientation == "" {
		s.Orientation = "default"
	}
	for _, i := range p.Icons {
		s.Icons = append(s.Icons, i.Src+" "+strings.Join(i.Sizes, " ")+" "+i.Type)
	}
	for _, i := range p.Screenshots {
		s.Screenshots = append(s.Screenshots, i.Src+" "+i.FormFactor+" "+i.Label)
	}
	for _, i := range p.Shortcuts {
		s.Shortcuts = append(s.Shortcuts, i.Name+" "+i.URL)
	}
	for _, i := range p.ProtocolHandlers {
		s.Protocols = append(s.Protocols, i.Protocol+" "+i.URL)
	}
	for _, i := range p.ScopeExtensions {
		s.Extensions = append(s.Extensions, i.Origin)
	}
	for _, i := range p.RelatedApplications {
		s.Related = append(s.Related, i.ID+" "+i.URL)
	}
	if p.ShareTarget != nil {
		s.Share = p.ShareTarget.Action + " " + p.ShareTarget.Method
	}
	if len(p.LaunchHandler) > 0 {
		s.Launch = strings.TrimPrefix(p.LaunchHandler[0], "auto")
	}
	return s
}

// lost compares the place where the text ceases to be a manifest: on the same line, and not further from where Chromium noticed it than a string's first half.
func lost(t *testing.T, name string, theirs []string, ours []manifest.Problem) {
	t.Helper()
	var line, column int
	if len(theirs) == 0 || len(ours) == 0 {
		return
	}
	if n, _ := fmt.Sscanf(theirs[0], "%d:%d:", &line, &column); n < 2 || line == 0 { // it names no place
		return
	}
	assert.Equal(t, line, ours[0].Line, "%s: %s, ours: %s", name, theirs[0], ours[0].Message)
	assert.InDelta(t, column, ours[0].Column, 3, "%s: %s, ours: %s", name, theirs[0], ours[0].Message)
}

// TestProcessedAsInChromium compares with what a real Chromium made of the same manifests.
func TestProcessedAsInChromium(t *testing.T) {
	recorded, err := truth.Load()
	require.NoError(t, err)
	cases := truth.Cases()
	require.Len(t, recorded, len(cases), "record again: go run ./internal/manifest/truth/record")
	require.Greater(t, len(cases), 450)
	compared := 0
	for i, c := range cases {
		r := recorded[i]
		require.Equal(t, c.Name, r.Name, "record again: go run ./internal/manifest/truth/record")
		if c.Head != truth.Link {
			continue // which manifest a head leads to is tested with heads
		}
		document := truth.Origin + truth.Path(i)
		m, err := manifest.Process(manifest.FromHeader([]byte(c.Manifest), c.Type), "m.webmanifest", document+"m.webmanifest", document)
		require.NoError(t, err)
		if !assert.Equal(t, r.Lost, m.Lost, "%s: lost\n%v", c.Name, r.Errors) || m.Lost {
			lost(t, c.Name, r.Errors, m.Problems)
			continue
		}
		assert.Equal(t, theirs(t, r.Manifest), ours(&m.Processed), "%s\n%s\n%v", c.Name, c.Manifest, r.Errors)
		warned := 0
		for _, p := range m.Problems {
			if p.Level != manifest.Advice {
				warned++
			}
			assert.Positive(t, p.Line, c.Name)
			assert.Positive(t, p.Column, c.Name)
		}
		assert.LessOrEqual(t, min(len(r.Errors), 1), warned+len(m.Problems), "%s: Chromium complains and we do not: %v", c.Name, r.Errors)
		compared++
	}
	t.Logf("%d manifests compared", compared)
}
