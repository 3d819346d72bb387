package present

import (
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/pictures"
	"tachyform.dev/tachyform/internal/rehearsal"
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

// Shots are pictures of pages with what a rehearsal said of each.
type Shots struct {
	Set  *pictures.Set
	Seen *rehearsal.Report // on the stage that was pictured
	Left int               // pages that there are no pictures of
}

// networks gives the states of the network, in their order.
func (s *Shots) networks() []string {
	var out []string
	for _, p := range s.Seen.Pages {
		if !slices.Contains(out, p.Network) {
			out = append(out, p.Network)
		}
	}
	return out
}

// rows gives a row for each page, the most different first.
func (s *Shots) rows() []pictureRow {
	outcomes := map[[2]string]rehearsal.PageResult{}
	for _, p := range s.Seen.Pages {
		outcomes[[2]string{p.URL, p.Network}] = p
	}
	var rows []pictureRow
	for _, page := range s.Set.Pages() {
		row := pictureRow{Page: page}
		for _, n := range s.networks() {
			p := outcomes[[2]string{page, n}]
			c := pictureCell{Class: strings.ReplaceAll(string(p.Outcome), " ", "-"), Outcome: string(p.Outcome)}
			if p.Outcome != rehearsal.Whole {
				c.Why = clip(p.Why, 160)
			}
			most := 0.0
			for _, width := range pictures.Widths {
				if x := s.Set.Find(page, n, width.Name); x != nil {
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
	return rows
}

// Pictures writes the contact sheet as one page of HTML: a row for each page, a column for each network state, the outcomes below.
func Pictures(w io.Writer, s *Shots) error {
	left := ""
	if s.Left > 0 {
		left = count(s.Left, "more page") + " not shown; --pictured says how many are."
	}
	rows := s.rows()
	return picturesHTML.Execute(w, map[string]any{"Site": s.Seen.Site, "Pages": count(len(rows), "page"), "Networks": s.networks(), "Rows": rows, "Left": left})
}
