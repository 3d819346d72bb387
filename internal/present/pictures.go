package present

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"strings"

	"tachyform/internal/pictures"
	"tachyform/internal/rehearsal"
)

//go:embed pictures.html
var picturesTemplate string

var picturesHTML = template.Must(template.New("pictures").Funcs(template.FuncMap{"picture": pictureURL}).Parse(picturesTemplate))

// differsFrom is the part of the pixels from which on a picture counts as another than online.
const differsFrom = 0.02

type pictureCell struct {
	Pictures            []*pictures.Picture
	Other               bool
	Class, Outcome, Why string
	Differs             string
}

type pictureRow struct {
	Page  string
	Cells []pictureCell
}

// Pictures writes the contact sheet of a set as one page of HTML: a row for each page, a column for each network state, the outcomes of a rehearsal below. left says
// what was left out, "" for nothing.
func Pictures(w io.Writer, set *pictures.Set, r *rehearsal.Report, left string) error {
	var networks []string
	outcomes := map[[2]string]rehearsal.PageResult{}
	for _, p := range r.Pages {
		if len(networks) == 0 || networks[len(networks)-1] != p.Network {
			networks = append(networks, p.Network)
		}
		outcomes[[2]string{p.URL, p.Network}] = p
	}
	var rows []pictureRow
	for _, page := range set.Pages() {
		row := pictureRow{Page: page}
		for _, n := range networks {
			p := outcomes[[2]string{page, n}]
			c := pictureCell{Class: strings.ReplaceAll(string(p.Outcome), " ", "-"), Outcome: string(p.Outcome)}
			if p.Outcome != rehearsal.Whole {
				c.Why = clip(p.Why, 160)
			}
			most := 0.0
			for _, width := range pictures.Widths {
				if x := set.Find(page, n, width.Name); x != nil {
					c.Pictures = append(c.Pictures, x)
					most = max(most, x.Differs)
				}
			}
			if most >= differsFrom {
				c.Other, c.Differs = true, fmt.Sprintf("%.0f%% of it differs", math.Round(most*100))
			}
			row.Cells = append(row.Cells, c)
		}
		rows = append(rows, row)
	}
	return picturesHTML.Execute(w, map[string]any{"Site": r.Site, "Pages": count(len(rows), "page"), "Networks": networks, "Rows": rows, "Left": left})
}
