package fitting

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// Answers says how the worker of the plan answers the site, and single URLs. method and destination are those of the
// URLs' requests; without a destination it is guessed.
func (p *Plan) Answers(urls []string, method, destination string) (*caching.Table, error) {
	f := p.fitter
	k := caching.Known{Places: f.places}
	for _, file := range f.site.Files {
		if _, ours := f.ours[file.Path]; ours || f.rec.Files[file.Path].SHA256 != "" && f.kinds[file.Path] == "" {
			continue
		}
		if n, ok := f.sizes[file.Path]; ok {
			file.Size = n
		}
		k.Files = append(k.Files, file)
	}
	for name, data := range f.ours {
		k.Files = append(k.Files, site.File{Path: name, URL: f.site.PageURL(name), Size: int64(len(data)), Type: site.TypeOf(path.Base(name))})
	}
	slices.SortFunc(k.Files, func(a, b site.File) int { return strings.Compare(a.Path, b.Path) })
	for _, e := range f.inv.Endpoints {
		if e.URL != "" && f.inv.FileOf(e.URL) == nil {
			k.Asked = append(k.Asked, caching.Asked{Method: e.Method, Address: e.URL})
		}
	}
	st := p.Stowed
	t := &caching.Table{Format: caching.Format, Site: f.site.Dir, Scope: f.site.Base, First: caching.Weight{Files: st.Now, Bytes: st.NowBytes},
		Later: caching.Weight{Files: st.Later, Bytes: st.LaterBytes}, Ceiling: st.Ceiling, Takeover: p.Caching.Takeover, StandIn: p.Caching.Offline, Image: p.Caching.Image,
		Rows: caching.Tabulate(p.Caching, k), Groups: caching.Groups(p.Caching, k.Files), Explains: []caching.Explanation{}}
	for _, u := range urls {
		if !strings.HasPrefix(u, "/") && !strings.HasPrefix(u, "https://") && !strings.HasPrefix(u, "http://") {
			return nil, fmt.Errorf("%s: an address begins with a slash, or is a whole URL", u)
		}
		as := destination
		if as == "" {
			as = f.guess(u, method)
		}
		u, _, _ = strings.Cut(u, "#")
		if written, ok := survey.Resolve(f.site.Base, u); ok { // as browsers write an address before they ask for it
			u = written
		}
		t.Explains = append(t.Explains, caching.Explain(p.Caching, worker.Asked{Address: u, Method: method, Destination: as}, k.Places))
	}
	return t, nil
}

// guess says what an address is asked for as.
func (f *fitter) guess(u, method string) string {
	if method != "" && method != "GET" {
		return "empty"
	}
	bare, _, _ := strings.Cut(u, "?")
	if file := f.inv.FileOf(bare); file != nil {
		return caching.DestinationOf(*file)
	}
	for _, e := range f.inv.Endpoints {
		if at, _, _ := strings.Cut(e.URL, "?"); at == bare && !e.Form {
			return "empty"
		}
	}
	if ext := path.Ext(bare); ext != "" {
		return caching.DestinationOf(site.File{Path: bare, Type: site.TypeOf(path.Base(bare))})
	}
	if strings.HasPrefix(u, "http") || strings.HasPrefix(bare, "/api/") {
		return "empty"
	}
	return "document"
}
