package fitting

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/site"
)

// folder is what lies in one folder of the site, and below it; "" is the site's own folder without those in it.
type folder struct {
	name  string
	files []site.File
	pages int
	bytes int64
}

// glob matches what is in the folder.
func (x *folder) glob(base string) string {
	if x.name == "" {
		return base + "*"
	}
	return globEscape(base+x.name) + "/**"
}

func (x *folder) String() string { return fmt.Sprintf("%s (%d files)", size(x.bytes), len(x.files)) }

// folders divides files by the site's own folders, the heaviest first.
func folders(files []site.File) []*folder {
	all := map[string]*folder{}
	for _, file := range files {
		name, _, inside := strings.Cut(file.Path, "/")
		if !inside {
			name = ""
		}
		x := all[name]
		if x == nil {
			x = &folder{name: name}
			all[name] = x
		}
		x.files = append(x.files, file)
		x.bytes += file.Size
		if file.IsPage() {
			x.pages++
		}
	}
	out := slices.Collect(maps.Values(all))
	sort.Slice(out, func(i, j int) bool {
		if out[i].bytes != out[j].bytes {
			return out[i].bytes > out[j].bytes
		}
		return out[i].name < out[j].name
	})
	return out
}

// byFolder writes what the heaviest folders weigh.
func (f *fitter) byFolder(files []site.File) string {
	const shown = 5
	var out []string
	all := folders(files)
	for _, x := range all[:min(shown, len(all))] {
		out = append(out, x.glob(f.site.Base)+" "+x.String())
	}
	return strings.Join(out, ", ")
}

// proposal is a list for [stow] now that stays under the ceiling.
type proposal struct {
	now   []string
	pages int
	bytes int64
}

// maxGlobs bounds the globs of a proposal, and what pages of one folder may need elsewhere.
const maxGlobs, maxElsewhere = 24, 8

// room proposes what could be stored at the first visit under the ceiling: the start page, and whole folders of pages with what they need, those
// with most pages for their weight first; nil when not even one more folder has room.
func (f *fitter) room(candidates []site.File, ceiling int64) *proposal {
	known := map[string]site.File{}
	for _, file := range candidates {
		known[file.URL] = file
	}
	p, chosen := &proposal{}, map[string]bool{}
	take := func(urls map[string]bool) {
		for u := range urls {
			if file, ok := known[u]; ok && !chosen[u] {
				chosen[u] = true
				p.bytes += file.Size
				if file.IsPage() {
					p.pages++
				}
			}
		}
	}
	name := func(urls map[string]bool) {
		for _, u := range slices.Sorted(maps.Keys(urls)) {
			if g := globEscape(site.WithoutDigest(u)); known[u].Path != "" && !slices.Contains(p.now, g) {
				p.now = append(p.now, g)
			}
		}
	}
	start := f.inv.Closure(f.inv.StartFile.URL)
	take(start)
	name(start)
	type unit struct {
		*folder
		set, elsewhere map[string]bool
		weight         int64
	}
	var units []unit
	for _, x := range folders(candidates) {
		if x.pages == 0 {
			continue
		}
		u := unit{folder: x, set: map[string]bool{}, elsewhere: map[string]bool{}}
		inside := map[string]bool{}
		var pages []string
		for _, file := range x.files {
			inside[file.URL], u.set[file.URL] = true, true
			if file.IsPage() {
				pages = append(pages, file.URL)
			}
		}
		for need := range f.inv.Closure(pages...) {
			u.set[need] = true
			if !inside[need] && !start[need] {
				u.elsewhere[need] = true
			}
		}
		for need := range u.set {
			u.weight += known[need].Size
		}
		units = append(units, u)
	}
	sort.SliceStable(units, func(i, j int) bool { // pages for their weight
		return int64(units[i].pages)*units[j].weight > int64(units[j].pages)*units[i].weight
	})
	more := false
	for _, u := range units {
		var adds int64
		for need := range u.set {
			if !chosen[need] {
				adds += known[need].Size
			}
		}
		if p.bytes+adds > ceiling || len(u.elsewhere) > maxElsewhere || len(p.now)+len(u.elsewhere) >= maxGlobs {
			continue
		}
		take(u.set)
		p.now = append(p.now, u.glob(f.site.Base))
		name(u.elsewhere)
		more = true
	}
	if !more || len(p.now) > maxGlobs {
		return nil
	}
	return p
}

// roomFor says what there is room for, "" when there is for nothing more.
func (f *fitter) roomFor(candidates []site.File, ceiling int64) string {
	p := f.room(candidates, ceiling)
	if p == nil {
		return ""
	}
	return fmt.Sprintf("now = %s with later = %s has %d pages there at the first visit, with %s", quoteList(p.now), quoteList([]string{f.site.Base + "**"}), p.pages, size(p.bytes))
}
