package rehearsal

import (
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/sourcemap"
	"tachyform.dev/tachyform/internal/stage"
)

// errorOf is an exception as reports have it.
func errorOf(x stage.PageError) Error {
	return Error{Message: x.Message, File: x.File, Line: x.Line, Column: x.Column, Needs: x.Needs}
}

// located adds to every place in a built script where that was written, as far as source maps of the site tell.
func (r *Report) located(server *site.Server) *Report {
	maps := sourcemap.New(func(url string) ([]byte, bool) {
		a := server.Answer("GET", url)
		return a.Body, a.Status == 200
	})
	for i := range r.Findings {
		f := &r.Findings[i]
		f.Original = maps.Find(f.File, f.Line, f.Column)
	}
	for _, pages := range [][]PageResult{r.Visits, r.Pages} {
		for i := range pages {
			p := &pages[i]
			p.Original = maps.Find(p.File, p.Line, p.Column)
			for j := range p.Errors {
				e := &p.Errors[j]
				e.Original = maps.Find(e.File, e.Line, e.Column)
			}
		}
	}
	return r
}
