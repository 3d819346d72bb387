package present

import (
	_ "embed"
	"encoding/base64"
	"html/template"
	"io"
	"net/url"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/rehearsal"
)

//go:embed audit.html
var auditTemplate string

var auditHTML = template.Must(template.Must(template.New("audit").Funcs(likenessFuncs(nil)).Funcs(template.FuncMap{
	"listed":  listed,
	"since":   func(c *audit.Comparison) string { return sinceBaseline(c, "") },
	"picture": pictureURL,
	"kb":      func(n int64) int64 { return (n + 1023) / 1024 },
	"join":    strings.Join,
}).Parse(auditTemplate)).New("likeness").Parse(likenessTemplate)).Lookup("audit")

// pictureURL writes a picture into a page. Only decoded pictures come here, and an SVG runs nothing as an image.
func pictureURL(data []byte, kind string) template.URL {
	return template.URL("data:" + kind + ";base64," + base64.StdEncoding.EncodeToString(data)) //nolint:gosec // base64 of a known type
}

// uriOf writes a path as a relative URI reference.
func uriOf(p string) string { return (&url.URL{Path: p}).EscapedPath() }

// entry is what the page says of one place, or of several of which the same is to be said.
type entry struct {
	audit.Finding
	Places []string
	More   int
}

// maxPlaces is how many places of an entry are named.
const maxPlaces = 30

// listed joins findings that say the same and have no lines of their own to show.
func listed(findings []audit.Finding) []entry {
	var out []entry
	var plain []audit.Finding
	for _, f := range findings {
		if f.Source != "" {
			out = append(out, entry{f, []string{place(f)}, 0})
			continue
		}
		plain = append(plain, f)
	}
	for _, g := range together(plain) {
		n := min(len(g.where), maxPlaces)
		out = append(out, entry{g.Finding, g.where[:n], len(g.where) - n})
	}
	return out
}

// matrixRow is a page in every network state.
type matrixRow struct {
	URL   string
	Cells []string
}

// maxRows is how many pages the report lists; the others are counted.
const maxRows = 100

// auditPage writes one self-contained page.
func auditPage(w io.Writer, r *audit.Report, shots *Shots) error {
	data := struct {
		*audit.Report
		Failed   map[string][]audit.Result
		Levels   []string
		Networks []string
		Rows     []matrixRow
		More     int
		Passed   int
		Left     int
		Stored   int64
		Release  *rehearsal.Comeback
		Arrival  string
		Shots    []pictureRow
		Drawn    []string
		Drawing  *drawing
	}{Report: r, Failed: map[string][]audit.Result{}, Levels: []string{"blocker", "warning", "advice"}}
	for _, c := range r.Checks {
		switch c.State {
		case "failed":
			data.Failed[string(c.Level)] = append(data.Failed[string(c.Level)], c)
		case "passed":
			data.Passed++
		default:
			data.Left++
		}
	}
	rows, order := map[string][]string{}, []string{}
	for _, p := range r.Rehearsal.Pages {
		if len(data.Networks) == 0 || data.Networks[len(data.Networks)-1] != p.Network {
			data.Networks = append(data.Networks, p.Network)
		}
		if rows[p.URL] == nil {
			order = append(order, p.URL)
		}
		rows[p.URL] = append(rows[p.URL], string(p.Outcome))
	}
	for i, u := range order {
		if i == maxRows {
			data.More = len(order) - maxRows
			break
		}
		data.Rows = append(data.Rows, matrixRow{u, rows[u]})
	}
	if data.Release = r.Rehearsal.Worst(); data.Release != nil {
		data.Arrival = arrivals(r.Rehearsal)
	}
	for _, s := range r.Rehearsal.Stores {
		data.Stored += s.Bytes
	}
	if shots != nil {
		data.Shots, data.Drawn = shots.rows(), shots.networks()
	}
	var on []platform.Platform
	for _, v := range r.Platforms {
		if i := slices.IndexFunc(platform.All, func(p platform.Platform) bool { return p.ID == v.ID }); i >= 0 {
			on = append(on, platform.All[i])
		}
	}
	data.Drawing = draw(r.App, on)
	t, err := auditHTML.Clone()
	if err != nil {
		return err
	}
	return t.Funcs(likenessFuncs(data.Drawing)).Execute(w, data)
}
