package crawl

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"os"
	"path/filepath"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// Result is a crawled origin. Close removes the temporary folder.
type Result struct {
	Site    *site.Site
	Report  *Report
	Headers map[string]http.Header // of the answers, by root-relative URL; only those of keptHeaders
	Start   string                 // URL of the start page
	Aliases map[string]string      // URLs that redirect to another, by theirs
	Missing *site.Answer           // to an address that cannot be there; nil when it was not asked for
	dir     string
	access  *Access
}

// keptHeaders are the headers of answers that say how a site is served.
var keptHeaders = []string{"Content-Type", "Cache-Control", "Content-Security-Policy", "Service-Worker-Allowed", "Vary"}

// Survey takes the inventory of what was read. Policies that came as headers count like those in pages.
func (r *Result) Survey(ctx context.Context, opts survey.Options) (*survey.Inventory, error) {
	inv, err := survey.Take(ctx, r.Site, opts)
	if err != nil {
		return nil, err
	}
	for _, p := range r.Report.Policies {
		for i := range inv.Pages {
			if inv.Pages[i].File.URL == p.URL {
				inv.Pages[i].CSP = append(inv.Pages[i].CSP, p.Value)
			}
		}
	}
	return inv, nil
}

// Add takes in an answer that was asked for apart, in the place of an earlier one.
func (r *Result) Add(address string, h http.Header, body []byte) {
	if r.dir == "" {
		return // what was kept of another day
	}
	mediaType := h.Get("Content-Type")
	if mediaType == "" {
		mediaType = site.TypeOf(address)
	}
	sum := sha256.Sum256([]byte(address))
	f := site.File{Path: address, URL: address, Real: hex.EncodeToString(sum[:]), Size: int64(len(body)), Mode: 0o644, Type: mediaType}
	if err := os.WriteFile(filepath.Join(r.dir, f.Real), body, 0o600); err != nil {
		return
	}
	kept := http.Header{}
	for _, k := range keptHeaders {
		if v := h.Values(k); len(v) > 0 {
			kept[k] = v
		}
	}
	r.Headers[address] = kept
	r.Site.Put(f)
}

// Close gives everything back.
func (r *Result) Close() error {
	err := r.Site.Close()
	if e := os.RemoveAll(r.dir); err == nil {
		err = e
	}
	return err
}
