package run

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/tested"
)

const page = `<!doctype html><html lang=en><head><meta charset=utf-8><title>Skerry Line</title><link rel=stylesheet href=/app.css></head><body><h1>Skerry Line</h1></body></html>`

func folder(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	return dir
}

// heard is work whose remarks and steps are written down.
func heard(c *config.Config) (*Work, *[]string, *int) {
	said, steps := []string{}, 0
	return &Work{Config: c, Say: func(text string) { said = append(said, text) }, Progress: func(string) (func(int, int), func()) {
		return func(int, int) { steps++ }, func() {}
	}}, &said, &steps
}

func TestOpen(t *testing.T) {
	var wrong *Input
	for _, dir := range []string{filepath.Join(t.TempDir(), "nowhere"), t.TempDir()} {
		_, err := Open(dir, "", "")
		require.Error(t, err)
		assert.ErrorAs(t, err, &wrong, "it is about what was given")
	}
	dir := folder(t, map[string]string{"index.html": page, "app.css": "a {}"})
	s, err := Open(dir, "/sub/", "")
	require.NoError(t, err)
	p, err := fitting.Make(context.Background(), s, &config.Config{Base: "/sub/"}, fitting.Options{})
	require.NoError(t, err)
	require.NoError(t, p.Apply(context.Background(), nil))
	require.NoError(t, s.Close())
	s, err = Open(dir, "", "")
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, "/sub/", s.Base, "the base that the fit worked with")
}

func TestErrorsOfFitting(t *testing.T) {
	var wrong *Input
	assert.NoError(t, fitted(nil))
	assert.ErrorAs(t, fitted(errors.New("no such thing")), &wrong)
	for _, err := range []error{fmt.Errorf("x: %w", context.Canceled), fmt.Errorf("x: %w", fitting.ErrBusy)} {
		assert.False(t, errors.As(fitted(err), &wrong), "%v is not about what was given", err)
	}
}

func TestRehearse(t *testing.T) {
	s, err := Open(folder(t, map[string]string{"index.html": page, "app.css": "a {}"}), "", "")
	require.NoError(t, err)
	defer s.Close()
	w, _, _ := heard(&config.Config{Stories: []config.Story{{Name: "mine", Steps: []string{"open /", "expect whole"}}}})
	r, server, err := w.Rehearse(context.Background(), s, Rehearsal{})
	require.NoError(t, err)
	assert.Same(t, s, server.Site)
	require.Len(t, r.Stories, 1, "without a worker nothing would come of the others")
	assert.True(t, r.Stories[0].Passed)
	var wrong *Input
	for _, o := range []Rehearsal{{Named: []string{"yours"}}, {NextDir: "nowhere"}} {
		_, _, err := w.Rehearse(context.Background(), s, o)
		assert.ErrorAs(t, err, &wrong)
	}
	_, _, err = w.Rehearse(context.Background(), s, Rehearsal{Options: rehearsal.Options{Pages: []string{"nope"}}})
	require.ErrorAs(t, err, &wrong)
	assert.Contains(t, err.Error(), "--page /nope: the site has no such page; pages are named by their addresses, such as /")
	ctx, end := context.WithCancel(context.Background())
	end()
	_, _, err = w.Rehearse(ctx, s, Rehearsal{Options: rehearsal.Options{Pages: []string{"/"}}})
	require.ErrorIs(t, err, context.Canceled)
	assert.False(t, errors.As(err, &wrong))
}

// TestMend fits a site when that mends something, and says what it did not mend.
func TestMend(t *testing.T) {
	s, err := Open(folder(t, map[string]string{"index.html": strings.Replace(page, "<h1>", `<img src="/gone.png"><h1>`, 1), "app.css": "a {}"}), "", "")
	require.NoError(t, err)
	defer s.Close()
	w, _, steps := heard(&config.Config{Icons: config.Icons{Effort: "quick"}})
	before, server, err := w.AuditFolder(context.Background(), s, audit.Options{}, "read", nil)
	require.NoError(t, err)
	assert.Positive(t, *steps, "long work says how far it is")
	m, err := w.Mend(context.Background(), s, audit.Options{}, before, server, "read")
	require.NoError(t, err)
	assert.True(t, m.Changed)
	assert.Contains(t, m.Mended, "manifest/not-linked")
	assert.NotEmpty(t, m.Left)
	assert.NotContains(t, m.Left, "manifest/not-linked")
	again, err := w.Mend(context.Background(), s, audit.Options{}, m.Report, m.Server, "read")
	require.NoError(t, err)
	assert.False(t, again.Changed && len(again.Mended) > 0, "what is left is not safe to mend")
}

// TestLive compares a live address with a folder, and says what is not used of the configuration.
func TestLive(t *testing.T) {
	old := folder(t, map[string]string{"index.html": page, "app.css": "a {}"})
	next := folder(t, map[string]string{"index.html": page, "app.css": "b {}"})
	server := httptest.NewServer(http.FileServer(http.Dir(old)))
	defer server.Close()
	c := &config.Config{}
	c.Server.Header = []config.ServerHeader{{Path: "/**", Name: "X-A", Value: "b"}}
	w, said, _ := heard(c)
	r, err := w.Compare(context.Background(), []string{server.URL + "/", next}, Comparison{Options: compare.Options{Sample: 2}})
	require.NoError(t, err)
	assert.Equal(t, []string{"/app.css"}, r.Steps[0].Files.Changed)
	assert.Contains(t, strings.Join(*said, "\n"), "the server itself was asked")
	report, err := w.AuditAddress(context.Background(), Address{URL: server.URL + "/", Release: next}, audit.Options{Only: []string{"deployed"}})
	require.NoError(t, err)
	assert.Contains(t, report.Deployed.Verdict, "1 file is not as in")
	var wrong *Input
	_, err = w.Compare(context.Background(), []string{old}, Comparison{})
	assert.ErrorAs(t, err, &wrong)
	_, err = w.AuditAddress(context.Background(), Address{URL: "http://127.0.0.1:1/"}, audit.Options{})
	assert.ErrorAs(t, err, &wrong)
}
