package fitting

import (
	"context"
	"io/fs"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/weburl"
)

// Sides of icons that are drawn under names of the site's own, in px; an icon without a size gets the one that is asked for most.
const (
	absentLeast, absentMost = 16, 1024
	absentUsual             = 512
)

// absentIcons draws the icons that the site's own manifest names and that are not there, or that an earlier fit drew, under these names.
func (f *fitter) absentIcons(ctx context.Context, existing *manifest.Manifest, key string) error {
	if existing == nil {
		return nil
	}
	vector := (f.app.master == "" || strings.HasSuffix(strings.ToLower(f.app.master), ".svg")) && (f.cfg.Icons.Square == "" || f.cfg.Icons.Square == icon.Squares[0])
	var wants []icon.Want
	var others []string
	for _, x := range existing.Processed.Icons {
		p := f.absent(x.Src)
		if p == "" || slices.ContainsFunc(wants, func(w icon.Want) bool { return w.File == p }) || slices.Contains(others, p) {
			continue
		}
		switch ext := strings.ToLower(path.Ext(p)); {
		case ext == ".svg" && vector:
			wants = append(wants, icon.Want{File: p, Purpose: icon.Vector})
			continue
		case ext != ".png" || x.Type != "" && x.Type != "image/png":
			others = append(others, p)
			continue
		}
		w := icon.Want{File: p, Purpose: icon.Any, Sizes: []int{absentUsual}}
		for i, s := range x.Sizes {
			if n, err := strconv.Atoi(strings.SplitN(strings.ToLower(s), "x", 2)[0]); err == nil && (i == 0 || n > w.Sizes[0]) {
				w.Sizes[0] = min(max(n, absentLeast), absentMost)
			}
		}
		switch {
		case slices.Contains(x.Purpose, "maskable"):
			w.Purpose = icon.Maskable
		case slices.Contains(x.Purpose, "monochrome"):
			w.Purpose = icon.Mono
		}
		wants = append(wants, w)
	}
	if len(others) > 0 {
		f.remark("named by the manifest and not there, in a form that is not drawn: %s; put them there, or take the entries out", strings.Join(others, ", "))
	}
	if len(wants) == 0 {
		return nil
	}
	if f.rec.Icons == key && !slices.ContainsFunc(wants, func(w icon.Want) bool { return !f.isOurs(w.File) }) {
		for _, w := range wants {
			data, err := f.site.Read(w.File)
			if err != nil {
				return err
			}
			f.write("icon", w.File, data)
		}
		return nil
	}
	name, data, err := f.masterData()
	if err != nil {
		return err
	}
	opts, _, err := f.iconOptions(ctx)
	if err != nil {
		return err
	}
	master, err := f.load(ctx, name, data, opts)
	if err != nil {
		return err
	}
	made, _, err := icon.Make(ctx, master, wants, opts)
	if err != nil {
		return err
	}
	names := []string{}
	for _, i := range made {
		f.write("icon", i.File, i.Data)
		names = append(names, i.File)
	}
	if fresh := slices.DeleteFunc(names, func(p string) bool { _, known := f.rec.Files[p]; return known }); len(fresh) > 0 {
		f.remark("named by the manifest and not there, so drawn from %s: %s", name, strings.Join(fresh, ", "))
	}
	return nil
}

// absent gives the path in the site of a picture by its address when it is not there, or was drawn by an earlier fit; "" otherwise.
func (f *fitter) absent(src string) string {
	u, _, _ := strings.Cut(strings.TrimPrefix(src, weburl.Origin), "?")
	rest, within := strings.CutPrefix(u, f.site.Base)
	p, err := url.PathUnescape(rest)
	if !within || err != nil || !fs.ValidPath(p) || p == "." || strings.ContainsAny(p, "\\\x00") || strings.HasPrefix(p, ".") {
		return ""
	}
	if rules, err := f.cfg.SiteRules(); err != nil || site.NewServer(f.site, rules).Declares("GET", u) {
		return "" // the server has it
	}
	if f.inv.FileOf(u) == nil {
		if _, there := f.site.File(p); !there {
			return p
		}
		return ""
	}
	if f.isOurs(p) && f.ours[p] == nil && f.rec.Files[p].Original == "" {
		return p
	}
	return ""
}
