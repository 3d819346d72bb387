// Package snapshot keeps what a server sent in a folder, without secrets, so that rehearsals need no server.
package snapshot

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/record"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
)

const (
	// Format names the shape of the file that lists a snapshot.
	Format = "tachyform.snapshot/1"
	// Name is the file that lists a snapshot.
	Name = "snapshot.json"
	// Dir is the folder of a snapshot beside the configuration, when nothing is said.
	Dir = "snapshot"

	bodies = "bodies"
)

// ErrOther is wrapped when a folder holds something else than a snapshot.
var ErrOther = errors.New("holds something else than a snapshot, so nothing was written")

// list is the file that lists a snapshot. Nothing in it depends on when it was made.
type list struct {
	Format    string            `json:"format"`
	Origin    string            `json:"origin"`
	Start     string            `json:"start"`
	Files     []file            `json:"files"`
	Missing   *file             `json:"missing,omitempty"` // the answer to what is not there
	Aliases   map[string]string `json:"aliases"`
	Redirects []crawl.Redirect  `json:"redirects"`
	Failed    []crawl.Failure   `json:"failed"`
	Policies  []crawl.Policy    `json:"policies"`
	Outside   int               `json:"outside,omitempty"`
	Stopped   string            `json:"stopped,omitempty"`
	Sources   map[string]string `json:"sources"` // SHA-256 of the files it was made with, by their paths beside the configuration
}

// file is one answer.
type file struct {
	URL     string      `json:"url"`
	Body    string      `json:"body"` // its file below bodies/
	Size    int64       `json:"size"`
	Status  int         `json:"status,omitempty"` // when it is not 200
	Type    string      `json:"type"`
	Headers http.Header `json:"headers,omitempty"`
}

// Save writes what a crawl has read into a folder, in the place of an earlier snapshot. sources are files that the server made its answers from,
// as far as they are known: their SHA-256 by their paths. Its error wraps [ErrOther] when the folder is somebody else's.
func Save(dir string, res *crawl.Result, sources map[string]string) error {
	entries, err := os.ReadDir(dir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if len(entries) > 0 && !Is(dir) {
		return fmt.Errorf("%s: %w", dir, ErrOther)
	}
	if err := os.MkdirAll(filepath.Join(dir, bodies), 0o755); err != nil {
		return err
	}
	r := res.Report
	l := list{Format: Format, Origin: res.Site.Origin, Start: res.Start, Files: []file{}, Aliases: res.Aliases, Redirects: withoutQueries(r.Redirects), Failed: r.Failed, Policies: slices.Clone(r.Policies), Outside: r.Outside, Stopped: r.Stopped, Sources: sources}
	for i := range l.Policies {
		l.Policies[i].Value = nonce.ReplaceAllString(l.Policies[i].Value, "'nonce-"+record.Removed+"'")
	}
	kept := map[string]bool{}
	put := func(u, mediaType string, data []byte) (file, error) {
		data = Clean(mediaType, data)
		sum := sha256.Sum256(data)
		name := hex.EncodeToString(sum[:8]) + extension(u, mediaType)
		f := file{URL: u, Body: name, Size: int64(len(data)), Type: mediaType}
		if kept[name] {
			return f, nil
		}
		kept[name] = true
		target := filepath.Join(dir, bodies, name)
		if old, err := regular.ReadFile(target, regular.Large); err == nil && sha256.Sum256(old) == sum {
			return f, nil
		}
		return f, os.WriteFile(target, data, 0o644)
	}
	for _, f := range res.Site.Files {
		data, err := res.Site.Read(f.Path)
		if err != nil {
			return err
		}
		x, err := put(f.URL, f.Type, data)
		if err != nil {
			return err
		}
		x.Status = f.Status
		if h := res.Headers[f.URL].Clone(); len(h) > 0 {
			delete(h, "Content-Type")
			for i, v := range h["Content-Security-Policy"] {
				h["Content-Security-Policy"][i] = nonce.ReplaceAllString(v, "'nonce-"+record.Removed+"'")
			}
			x.Headers = h
		}
		l.Files = append(l.Files, x)
	}
	sort.Slice(l.Files, func(i, j int) bool { return l.Files[i].URL < l.Files[j].URL })
	if m := res.Missing; m != nil {
		x, err := put(crawl.Nowhere, m.Header.Get("Content-Type"), m.Body)
		if err != nil {
			return err
		}
		x.Status = m.Status
		l.Missing = &x
	}
	data, err := json.MarshalIndent(l, "", "  ")
	if err != nil {
		return err
	}
	temp := filepath.Join(dir, Name+".tmp")
	if err := os.WriteFile(temp, append(data, '\n'), 0o644); err != nil {
		return err
	}
	if err := os.Rename(temp, filepath.Join(dir, Name)); err != nil {
		return err
	}
	old, err := os.ReadDir(filepath.Join(dir, bodies))
	if err != nil {
		return err
	}
	for _, e := range old {
		if !kept[e.Name()] {
			_ = os.Remove(filepath.Join(dir, bodies, e.Name())) // of an earlier snapshot; it does no harm where it stays
		}
	}
	return nil
}

// withoutQueries leaves out what addresses outside of the site hold behind their question mark.
func withoutQueries(all []crawl.Redirect) []crawl.Redirect {
	out := slices.Clone(all)
	for i := range out {
		out[i].To, _, _ = strings.Cut(out[i].To, "?")
	}
	return out
}

// Is says whether a folder holds a snapshot.
func Is(dir string) bool {
	data, err := regular.ReadFile(filepath.Join(dir, Name), regular.Large)
	return err == nil && strings.Contains(string(data), `"`+Format+`"`)
}

// Taken is a snapshot that was read.
type Taken struct {
	*crawl.Result
	Sources map[string]string // SHA-256 of the files it was made with, by their paths beside the configuration
}

// Read reads a snapshot. Its site has to be closed.
func Read(dir string) (*Taken, error) {
	data, err := regular.ReadFile(filepath.Join(dir, Name), regular.Large)
	if err != nil {
		var pe *fs.PathError
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return nil, fmt.Errorf("%s: %w", path.Join(filepath.ToSlash(dir), Name), err)
	}
	var l list
	if err := json.Unmarshal(data, &l); err != nil || l.Format != Format {
		return nil, fmt.Errorf("%s: no snapshot that this version of Tachyform reads; take it anew with --live", path.Join(filepath.ToSlash(dir), Name))
	}
	r := &crawl.Result{Start: l.Start, Aliases: l.Aliases, Headers: map[string]http.Header{},
		Report: &crawl.Report{Entry: l.Origin + l.Start, Robots: "not asked: this is a snapshot", Disallowed: []string{}, Redirects: l.Redirects, Failed: l.Failed, Policies: l.Policies, Outside: l.Outside, Stopped: l.Stopped}}
	var files []site.File
	for _, f := range l.Files {
		if !strings.HasPrefix(f.URL, "/") || path.Base(f.Body) != f.Body || !fs.ValidPath(f.Body) {
			return nil, fmt.Errorf("%s: it names %q, which no snapshot has", path.Join(filepath.ToSlash(dir), Name), f.URL)
		}
		files = append(files, site.File{Path: f.URL, URL: f.URL, Real: f.Body, Size: f.Size, Mode: 0o644, Type: f.Type, Status: f.Status})
		h := f.Headers.Clone()
		if h == nil {
			h = http.Header{}
		}
		h["Content-Type"] = []string{f.Type}
		r.Headers[f.URL] = h
	}
	if r.Site, err = site.Live(filepath.Join(dir, bodies), l.Origin+l.Start, l.Origin, l.Start, files, l.Aliases); err != nil {
		return nil, fmt.Errorf("%s: %w", dir, err)
	}
	if m := l.Missing; m != nil && fs.ValidPath(m.Body) {
		body, err := regular.ReadIn(r.Site.Root(), path.Base(m.Body), regular.Large)
		if err != nil {
			r.Site.Close()
			return nil, fmt.Errorf("%s: %w", dir, err)
		}
		r.Missing = &site.Answer{Status: m.Status, Header: http.Header{"Content-Type": {m.Type}}, Body: body}
	}
	return &Taken{r, l.Sources}, nil
}

var (
	input  = regexp.MustCompile(`(?i)<(?:input|meta)\b[^>]*>`)
	valued = regexp.MustCompile(`(?i)(\b(?:value|content)\s*=\s*)("[^"]*"|'[^']*'|[^\s>]+)`)
	nonced = regexp.MustCompile(`(?i)(\bnonce\s*=\s*)("[^"]*"|'[^']*'|[^\s>]+)`)
	nonce  = regexp.MustCompile(`'nonce-[^']+'`)
)

// Clean takes out of an answer what is another one for each visitor or each time: tokens of forms, nonces, and what looks like a secret.
func Clean(mediaType string, data []byte) []byte {
	if strings.Contains(mediaType, "html") || strings.Contains(mediaType, "/json") { // scripts and styles are checked byte for byte
		data, _ = record.Redact(mediaType, data, nil)
	}
	if !strings.Contains(mediaType, "html") {
		return data
	}
	data = input.ReplaceAllFunc(data, func(tag []byte) []byte {
		if !markup.TokenName.MatchString(markup.FieldName(tag)) {
			return tag
		}
		return valued.ReplaceAll(tag, []byte(`${1}"`+record.Removed+`"`))
	})
	return nonced.ReplaceAll(data, []byte(`${1}"`+record.Removed+`"`))
}

// extension gives a body's file an ending that says what it is.
func extension(u, mediaType string) string {
	if e := path.Ext(u); len(e) > 1 && len(e) < 14 && !strings.ContainsAny(e, "%;") {
		return e
	}
	if strings.Contains(mediaType, "html") {
		return ".html"
	}
	return ""
}
