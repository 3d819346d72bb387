// Package linked finds the manifest that a page links, as browsers look for it, and processes it.
package linked

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
)

// maxBytes is how much of an answer is read at most.
const maxBytes = 8 << 20

// Found is a manifest with the place that leads to it.
type Found struct {
	Origin       string // scheme and host of its URLs
	Page         string // path or URL of the page that links it, "" when it was named itself
	Line, Column int    // of the link's address
	URL          string // root-relative on weburl.Origin, absolute elsewhere
	File         string // as problems name it
	Data         []byte
	Manifest     *manifest.Manifest // nil when it is not there
	Missing      string             // why not
	Head         platform.Page
}

// ErrNone says that a page links no manifest.
var ErrNone = errors.New("links no manifest")

// Site finds the manifest of a site's start page. Its error wraps [ErrNone] when that links none.
func Site(s *site.Site) (*Found, error) {
	start, err := s.StartPage()
	if err != nil {
		return nil, err
	}
	src, err := s.Read(start.Path)
	if err != nil {
		return nil, err
	}
	f, link, err := page(weburl.Origin, start.Path, start.URL, src)
	if err != nil {
		return nil, err
	}
	if f.inline() {
		return f, f.hold(weburl.Origin + start.URL)
	}
	file, ok := s.Find(link)
	if !ok {
		f.Missing = link + " is not in the site"
		if strings.HasPrefix(link, "http") {
			f.Missing = link + " is on another origin, which is not asked"
		}
		return f, nil
	}
	data, err := s.Read(file.Path)
	if err != nil {
		return nil, err
	}
	f.File = file.Path
	if err := f.process(data, weburl.Origin+file.URL, weburl.Origin+start.URL); err != nil {
		return nil, err
	}
	for i, img := range f.Manifest.Processed.Icons {
		own, ok := strings.CutPrefix(img.Src, weburl.Origin)
		if _, there := s.Find(own); ok && !there {
			f.Manifest.Problems = append(f.Manifest.Problems, manifest.Problem{Member: fmt.Sprintf("icons[%d].src", i), Level: manifest.Warning, File: f.File, Line: img.Line, Column: img.Column,
				Message: own + " is not in the site; another icon is taken, or a letter", Mend: "put the file there, or correct the entry"})
		}
	}
	return f, nil
}

// page reads the head of a page. The link is root-relative for its own origin.
func page(origin, name, address string, src []byte) (f *Found, link string, err error) {
	head, err := pagehead.Read(name, src)
	if err != nil {
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	f = &Found{Origin: origin, Page: name}
	base := survey.BaseOf("", address, head.Base)
	var tag *pagehead.Tag
	for i := range head.Tags {
		switch t := &head.Tags[i]; {
		case t.Kind == "manifest" && tag == nil:
			tag = t
		case t.Kind == "touch-icon":
			f.Head.TouchIcon = true
		case t.Kind == "theme-color":
			f.Head.ThemeColor = true
		}
	}
	if tag == nil || tag.Value == "" {
		return f, "", fmt.Errorf("%s %w", name, ErrNone)
	}
	f.Line, f.Column = markup.Position(src, tag.Offset)
	if _, _, inline := site.DataURL(strings.TrimSpace(tag.Value)); inline {
		f.URL = strings.TrimSpace(tag.Value)
		return f, f.URL, nil
	}
	link, ok := survey.Resolve(base, tag.Value)
	if !ok {
		return f, "", fmt.Errorf("%s:%d:%d: %q is no address of a manifest: the page %w", name, f.Line, f.Column, tag.Value, ErrNone)
	}
	f.URL = link
	return f, link, nil
}

func (f *Found) process(data []byte, manifestURL, documentURL string) error {
	m, err := manifest.Process(data, f.File, manifestURL, documentURL)
	if err != nil {
		return err
	}
	f.Data, f.Manifest = data, m
	return nil
}

// File processes a manifest file as if its folder were the origin's root, and a page there linked it.
func File(name string) (*Found, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, err
	}
	if info.Size() > maxBytes {
		return nil, fmt.Errorf("%s: %d bytes are more than a manifest has", name, info.Size())
	}
	data, err := regular.ReadFile(name, regular.Small)
	if err != nil {
		return nil, err
	}
	f := &Found{Origin: weburl.Origin, File: filepath.ToSlash(name), URL: site.FileURL("/", filepath.Base(name))}
	return f, f.process(data, weburl.Origin+f.URL, weburl.Origin+"/")
}

// Address finds the manifest of a live page, or processes the one that the address itself gives. Only its origin is asked.
func Address(ctx context.Context, address string) (*Found, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return nil, fmt.Errorf("%s: no http(s) address", address)
	}
	origin := u.Scheme + "://" + u.Host
	data, kind, final, err := get(ctx, address)
	if err != nil {
		return nil, err
	}
	if site.Essence(kind) != "text/html" && site.Essence(kind) != "application/xhtml+xml" {
		f := &Found{Origin: origin, File: final, URL: strings.TrimPrefix(final, origin)}
		return f, f.process(manifest.FromHeader(data, kind), final, origin+"/")
	}
	name := "page.html"
	if site.Essence(kind) == "application/xhtml+xml" {
		name = "page.xhtml"
	}
	f, link, err := page(origin, name, strings.TrimPrefix(final, origin), data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", final, err)
	}
	f.Page = final
	switch {
	case f.inline():
		return f, f.hold(final)
	case strings.HasPrefix(link, "http"):
		f.Missing = link + " is on another origin, which is not asked"
		return f, nil
	}
	body, kind, at, err := get(ctx, origin+link)
	if err != nil {
		f.Missing = err.Error()
		return f, nil //nolint:nilerr // said to the user
	}
	f.File = at
	return f, f.process(manifest.FromHeader(body, kind), at, final)
}

// inline says whether the link's address holds the manifest.
func (f *Found) inline() bool { return len(f.URL) > 5 && strings.EqualFold(f.URL[:5], "data:") }

// hold processes a manifest that stands in the link's address; its problems have their places there.
func (f *Found) hold(documentURL string) error {
	kind, body, _ := site.DataURL(f.URL)
	f.File = f.Page + " (the manifest in its link)"
	return f.process(manifest.FromHeader(body, kind), f.URL, documentURL)
}

// get fetches from one origin, following redirects that stay on it.
func get(ctx context.Context, address string) (data []byte, kind, final string, err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, "", "", err
	}
	req.Header.Set("User-Agent", "tachyform (look at a manifest by its developer)")
	client := &http.Client{CheckRedirect: func(next *http.Request, via []*http.Request) error {
		if len(via) > 10 {
			return errors.New("redirects without end")
		}
		if next.URL.Scheme != req.URL.Scheme || next.URL.Host != req.URL.Host {
			return fmt.Errorf("redirects to another origin; name %s itself", next.URL)
		}
		return nil
	}}
	res, err := client.Do(req)
	if err != nil {
		var ue *url.Error
		if errors.As(err, &ue) {
			err = ue.Err
		}
		if strings.HasPrefix(err.Error(), "redirects") {
			return nil, "", "", fmt.Errorf("%s %w", address, err)
		}
		return nil, "", "", fmt.Errorf("%s does not answer: %w", address, err)
	}
	defer res.Body.Close()
	if res.StatusCode/100 != 2 {
		return nil, "", "", fmt.Errorf("%s answered with %d %s", address, res.StatusCode, http.StatusText(res.StatusCode))
	}
	data, err = io.ReadAll(io.LimitReader(res.Body, maxBytes+1))
	if err == nil && len(data) > maxBytes {
		err = fmt.Errorf("%s: more than %d bytes", address, maxBytes)
	}
	return data, res.Header.Get("Content-Type"), res.Request.URL.String(), err
}
