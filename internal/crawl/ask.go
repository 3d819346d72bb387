package crawl

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"tachyform.dev/tachyform/internal/site"
)

// probe is how long a single question to a server may take.
const probe = 10 * time.Second

// Ask gives the status of a GET request, and where a redirect leads to, without following it; 0 when nothing answers.
func Ask(ctx context.Context, access *Access, address string) (status int, location string) {
	ctx, cancel := context.WithTimeout(ctx, probe)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return 0, ""
	}
	req.Header.Set("User-Agent", "tachyform (audit by its developer)")
	res, err := access.client(probe).Do(req)
	if err != nil {
		return 0, ""
	}
	res.Body.Close()
	if to, err := res.Location(); err == nil {
		location = to.String()
	}
	return res.StatusCode, location
}

// maxBeyond bounds the requests for what a crawl has not read.
const maxBeyond = 500

// Beyond asks the origin for what was not read, such as files that only a worker's list names. Each is asked for once.
func (r *Result) Beyond(ctx context.Context) func(urlPath, query string) (site.Answer, bool) {
	u, err := url.Parse(r.Report.Entry)
	if err != nil {
		return nil
	}
	var mu sync.Mutex
	known := map[string]site.Answer{}
	client := r.access.client(probe)
	return func(urlPath, query string) (site.Answer, bool) {
		if query != "" {
			urlPath += "?" + query
		}
		mu.Lock()
		defer mu.Unlock()
		if a, ok := known[urlPath]; ok {
			return a, a.Status > 0
		}
		if len(known) >= maxBeyond || !strings.HasPrefix(urlPath, "/") || strings.HasPrefix(urlPath, "//") {
			return site.Answer{}, false
		}
		known[urlPath] = site.Answer{}
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, u.Scheme+"://"+u.Host+urlPath, nil)
		if err != nil {
			return site.Answer{}, false
		}
		req.Header.Set("User-Agent", "tachyform (audit by its developer)")
		res, err := client.Do(req)
		if err != nil {
			return site.Answer{}, false
		}
		defer res.Body.Close()
		body, err := io.ReadAll(io.LimitReader(res.Body, Usual.File))
		if err != nil {
			return site.Answer{}, false
		}
		a := site.Answer{Status: res.StatusCode, Header: http.Header{}, Body: body}
		for _, k := range append([]string{"Location"}, keptHeaders...) {
			if v := res.Header.Values(k); len(v) > 0 {
				a.Header[k] = v
			}
		}
		known[urlPath] = a
		return a, true
	}
}

// Fetch asks an origin for one address and follows no redirect. fresh asks past every cache on the way, by a query that nobody has asked before.
// The body is read up to max bytes.
func Fetch(ctx context.Context, access *Access, address string, fresh bool, max int64) (status int, header http.Header, body []byte, err error) {
	if fresh {
		address += "?tachyform-asks=" + strconv.FormatInt(time.Now().UnixNano(), 36)
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return 0, nil, nil, err
	}
	req.Header.Set("User-Agent", "tachyform (audit by its developer)")
	res, err := access.client(maxPatience).Do(req)
	if err != nil {
		return 0, nil, nil, errors.New(reason(err))
	}
	defer res.Body.Close()
	body, err = io.ReadAll(io.LimitReader(res.Body, max))
	return res.StatusCode, res.Header, body, err
}
