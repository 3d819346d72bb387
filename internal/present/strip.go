package present

import (
	"strings"

	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/shell"
)

// StripResult is the JSON form of a strip, tachyform.strip/1.
type StripResult struct {
	Format   string    `json:"format"`
	Site     string    `json:"site"`
	DryRun   bool      `json:"dry_run"`
	Pages    int       `json:"pages"`
	Deleted  []string  `json:"deleted"`
	Restored []string  `json:"restored"`
	Kept     []FitLeft `json:"kept"`
	Left     []string  `json:"interrupted,omitempty"` // what a run of fit left that was interrupted, which is removed
	Layouts  []string  `json:"layouts,omitempty"`     // templates whose tags are taken out
	Worker   string    `json:"worker"`                // that visitors keep, "" for none
	Farewell string    `json:"farewell"`              // what takes it from them, deployed under its name
}

// StripOf makes the JSON form of a removal.
func StripOf(dir string, r *fitting.Removal, dryRun bool) StripResult {
	out := StripResult{Format: "tachyform.strip/1", Site: dir, DryRun: dryRun, Pages: r.Pages, Deleted: append([]string{}, r.Deleted...),
		Restored: append([]string{}, r.Restored...), Kept: []FitLeft{}, Worker: r.Worker, Farewell: r.Farewell}
	out.Left = r.Leftovers
	for _, l := range r.Layouts {
		out.Layouts = append(out.Layouts, l.File)
	}
	for _, k := range r.Kept {
		out.Kept = append(out.Kept, FitLeft(k))
	}
	return out
}

// Strip writes what was taken out.
func (s *Style) Strip(dir string, r *fitting.Removal, dryRun bool) error {
	switch {
	case r.Nothing():
		s.sayf("%s nothing of ours is in it\n", s.title.Render(dir+":"))
		return s.err
	case dryRun:
		s.sayf("%s nothing was written; this would be taken out\n\n", s.title.Render("Dry run of strip "+dir+":"))
	default:
		s.sayf("%s\n\n", s.title.Render("Stripped "+dir))
	}
	if r.Pages > 0 {
		s.row("restored", s.good.Render(pad(count(r.Pages, "page"), 18))+" "+s.faint.Render("our lines taken out, all other bytes as they are"))
	}
	for _, l := range r.Layouts {
		s.row("restored", s.good.Render(pad(l.File, 18))+" "+s.faint.Render("our lines taken out, all other bytes as they are"))
	}
	if len(r.Restored) > 0 {
		s.row("", s.good.Render(pad(count(len(r.Restored), "file"), 18))+" "+lines(s.faint, s.wrap(brief(r.Restored), 82, 37)))
	}
	if len(r.Deleted) > 0 {
		s.row("removed", s.good.Render(pad(count(len(r.Deleted), "file"), 18))+" "+lines(s.faint, s.wrap(brief(r.Deleted), 82, 37)))
	}
	if len(r.Leftovers) > 0 {
		s.row("removed", s.good.Render(pad("what was left", 18))+" "+lines(s.faint, s.wrap("by a run that was interrupted: "+strings.Join(r.Leftovers, ", "), 82, 37)))
	}
	for i, k := range r.Kept {
		if i == maxListed {
			s.sayf("  and %s; --format json has all\n", count(len(r.Kept)-i, "more file"))
			break
		}
		label := "kept"
		if i > 0 {
			label = ""
		}
		s.row(label, s.warn.Render(k.Path)+" "+s.faint.Render(k.Why))
	}
	if r.Worker != "" {
		s.sayf("\n  %s\n", s.wrap("Visitors who were here while the worker was deployed keep it, and with it the release that they have, for ever: taking the file away does not take it from them. tachyform retire puts a worker in its place that removes it and what it stored; leave that there until they have been back:", 110, 2))
		return s.Next("tachyform retire "+shell.Quote(dir)+" --worker "+shell.Quote(r.Worker), "writes it")
	}
	return s.err
}
