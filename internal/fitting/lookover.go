package fitting

import (
	"cmp"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// warn notes something in the configuration that does not do what it seems to.
func (f *fitter) warn(line, column int, format string, args ...any) {
	f.plan.Conflicts = append(f.plan.Conflicts, Conflict{cmp.Or(f.cfg.File, "the inferred rules"), line, column, fmt.Sprintf(format, args...)})
}

// lookOver finds what in the rules and lists does not do what it seems to. Nothing is written by then.
func (f *fitter) lookOver(plan *worker.Plan, now, later []site.File) {
	f.lookOverRules(plan)
	f.lookOverLists(now, later)
	f.lookOverPages(plan)
}

// known are the addresses that the site has and its scripts ask for.
func (f *fitter) known() []string {
	var out []string
	for _, file := range f.site.Files {
		out = append(out, file.URL)
	}
	for _, e := range f.inv.Endpoints {
		out = append(out, e.URL)
	}
	return out
}

// lookOverRules looks at the rules of the configuration.
func (f *fitter) lookOverRules(plan *worker.Plan) {
	known := f.known()
	answered := map[int][]site.File{} // by the number of the rule that answers
	for _, file := range f.site.Files {
		if at := plan.Decide(worker.Asked{Address: file.URL, Destination: caching.DestinationOf(file)}).Rule; at >= 0 && !f.isOurs(file.Path) {
			answered[at] = append(answered[at], file)
		}
	}
	for i := range f.cfg.Rules {
		at := f.ruleAt[i]
		r := &plan.Rules[at]
		line, column := f.cfg.RulePlace(i)
		if by := worker.HiddenBy(plan.Rules, at, known); by >= 0 {
			f.warn(line, column, "the rule for %q can never be reached: %q before it answers everything that it matches. Move it up, or remove one of them", r.Source, plan.Rules[by].Source)
			continue
		}
		f.lookOverRule(plan, at, line, column, known, answered[at])
	}
}

// lookOverRule looks at one rule that is reached, and that answers some files of the site.
func (f *fitter) lookOverRule(plan *worker.Plan, at, line, column int, known []string, answers []site.File) {
	r := &plan.Rules[at]
	hit := slices.ContainsFunc(known, func(u string) bool { return r.MatchesAddress(u) })
	if !hit && !strings.Contains(r.Source, "://") && path.Ext(strings.TrimRight(r.Source, "*")) != "" {
		f.warn(line, column, "the rule for %q matches no file of the site, and nothing that its scripts ask for; is it spelt right?", r.Source)
	}
	var wasted, code []string
	for _, file := range answers {
		switch kind := file.Kind(); {
		case r.Answer == worker.NetworkOnly && r.Method == "":
			if _, now := plan.Now[file.URL]; now || plan.Later[file.URL].Digest != "" {
				wasted = append(wasted, file.URL)
			}
		case (kind == "script" || kind == "style") && (r.Answer == worker.NetworkFirst || r.Answer == worker.StaleWhileRevalidate || r.Answer == worker.CacheFirst):
			code = append(code, file.URL)
		}
	}
	if len(wasted) > 0 {
		f.warn(line, column, "the rule for %q always asks the network, and yet [stow] stores %s: it costs the first visit and is never shown. Name it in never, or drop the rule", r.Source, listed(wasted))
	}
	if len(code) > 0 {
		f.warn(line, column, "the rule for %q takes %s out of the release: after a release, pages may get code that does not fit them. Leave scripts and style sheets to [stow]", r.Source, listed(code))
	}
	if !r.Stores() {
		return
	}
	for _, h := range f.cfg.Server.Header {
		matched := slices.ContainsFunc(known, func(u string) bool {
			ok, _ := doublestar.Match(h.Path, u)
			return ok && r.MatchesAddress(u)
		})
		if !matched {
			continue
		}
		value := strings.ToLower(h.Value)
		switch {
		case strings.EqualFold(h.Name, "Vary") && (strings.Contains(value, "cookie") || strings.Contains(value, "authorization")) && r.Vary != worker.VaryIgnore:
			f.warn(line, column, "the rule for %q stores nothing of %s: the server says that it varies by %s, so that one visitor's answer could be shown to another. If it is the same for everybody, say vary = \"ignore\"", r.Source, h.Path, h.Value)
		case strings.EqualFold(h.Name, "Cache-Control") && strings.Contains(value, "no-store"):
			f.warn(line, column, "the rule for %q stores nothing of %s: the server forbids it (Cache-Control: %s)", r.Source, h.Path, h.Value)
		}
	}
}

// lookOverLists looks at the lists of [stow] and [offline].
func (f *fitter) lookOverLists(now, later []site.File) {
	stored := map[string]string{}
	for _, file := range f.site.Files {
		if f.keptByRule(file) {
			stored[file.Path] = "kept by a rule"
		}
	}
	for _, file := range later {
		stored[file.Path] = "later"
	}
	for _, file := range now {
		stored[file.Path] = "now"
	}
	if f.plan.Rendered != nil {
		for _, u := range f.plan.Rendered.Chosen {
			stored[u] = "now"
		}
		for _, p := range f.plan.Rendered.Unkept {
			stored[p.Path] = "never kept: " + p.Why
		}
	}
	for _, list := range []struct {
		key   string
		globs []string
	}{{"now", f.cfg.Stow.Now}, {"later", f.cfg.Stow.Later}, {"never", f.cfg.Stow.Never}, {"except", f.cfg.Offline.Except}} {
		for _, g := range list.globs {
			line, column := f.cfg.Place(list.key, g)
			var all, elsewhere []string
			other := ""
			for _, file := range f.site.Files {
				if !globMatches(g, file, f.site.Base) {
					continue
				}
				all = append(all, file.URL)
				if where := stored[file.Path]; where != list.key && (list.key == "now" || list.key == "later") && f.kinds[file.Path] == "" {
					elsewhere = append(elsewhere, file.URL)
					other = cmp.Or(where, "never")
				}
			}
			switch {
			case len(all) == 0:
				f.warn(line, column, "%s: %q matches no file of the site", list.key, g)
			case len(elsewhere) == len(all):
				f.warn(line, column, "%s: %q has no effect: what it matches (%s) is %s", list.key, g, listed(elsewhere), cmp.Or(elsewhereIs[other], other))
			}
		}
	}
}

// elsewhereIs says what becomes of a file by another list.
var elsewhereIs = map[string]string{"never": "stored never by another list", "now": "stored now by another list", "later": "stored later by another list"}

func globMatches(glob string, file site.File, base string) bool {
	for _, name := range []string{file.URL, base + file.Path} {
		if ok, _ := doublestar.Match(glob, name); ok {
			return true
		}
	}
	return false
}

// lookOverPages looks at pages that contradict what they are used for.
func (f *fitter) lookOverPages(plan *worker.Plan) {
	if d := plan.Decide(worker.Asked{Address: plan.Offline, Destination: "document"}); plan.Offline != "" && d.Answer == "past" {
		line, column := f.cfg.Place("except", "")
		f.warn(line, column, "[offline] shows %s, and except keeps the worker away from it", plan.Offline)
	}
	if d := plan.Decide(worker.Asked{Address: f.app.startURL, Destination: "document"}); d.Answer == "past" || d.Answer == worker.NetworkOnly {
		f.warn(0, 0, "the app starts at %s, which always comes from the network: the installed app shows %s when there is none", f.app.startURL, cmp.Or(d.StandIn, "the browser's error page"))
	}
	var personal []string
	for _, p := range f.inv.Pages {
		_, now := plan.Now[p.File.URL]
		if _, later := plan.Later[p.File.URL]; p.Personal != "" && (now || later) {
			personal = append(personal, p.File.URL)
		}
	}
	if len(personal) > 0 {
		line, column := f.cfg.Place("now", "")
		f.warn(line, column, "pages that look as if they belonged to one person are stored (%s): whoever uses the browser next can see them. Name them in never, unless they are the same for everybody", listed(personal))
	}
}

// beside looks at the site's own worker that is to be loaded beside ours, and gives its URL.
func (f *fitter) beside(workerPath string) (string, error) {
	u, err := f.named("[worker] beside", f.cfg.Worker.Beside)
	if err != nil || u == "" {
		return "", err
	}
	file := f.inv.FileOf(u)
	if file.Path == workerPath {
		return "", fmt.Errorf("%s: [worker] beside names %s, which ours is written over; give the site's own worker another name and name that", f.cfg.File, u)
	}
	src, err := f.site.Read(file.Path)
	if err != nil {
		return "", err
	}
	does := markup.ReadWorker(src)
	if at, ok := does["caches.delete"]; ok {
		if _, all := does["caches.keys"]; all {
			line, _ := markup.Position(src, at)
			return "", fmt.Errorf("%s:%d: this worker deletes stores that it goes through with caches.keys(); it would delete ours at every visit. Let it delete its own by name, or choose between the two: without [worker] beside it stays alone, with --replace-worker ours does: %w", file.Path, line, ErrBeside)
		}
	}
	if at, ok := does["fetch"]; ok && f.cfg.Worker.First != "ours" {
		line, _ := markup.Position(src, at)
		return "", fmt.Errorf("%s:%d: this worker answers requests itself. Both would be asked for every request, and only the first answer counts: ours answers what the site's files and rules cover, this one what is left. Say first = \"ours\" under [worker] if that is right; otherwise leave it alone (no [worker] beside) or replace it (--replace-worker): %w", file.Path, line, ErrBeside)
	}
	for _, call := range []struct{ name, effect string }{{"skipWaiting", "a new release takes over at once, whatever [update] says"}, {"addRoutes", "the browser may answer requests past both workers"}} {
		if at, ok := does[call.name]; ok {
			line, column := markup.Position(src, at)
			f.plan.Conflicts = append(f.plan.Conflicts, Conflict{file.Path, line, column, fmt.Sprintf("calls %s(): loaded beside ours, it means that %s. Remove the call if that is not wanted", call.name, call.effect)})
		}
	}
	return u, nil
}

// ErrBeside says that a site's own worker cannot be loaded beside ours as it is configured.
var ErrBeside = errors.New("the site's own worker cannot be loaded beside ours")
