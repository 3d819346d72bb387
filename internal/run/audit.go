package run

import (
	"bytes"
	"context"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/routes"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

// manyPages is from how many pages on a site is audited without a network only, and not in the other states.
const manyPages = 2000

// AuditFolder surveys, rehearses and checks a folder. The pages of merged shares are not opened again; nil opens all.
func (w *Work) AuditFolder(ctx context.Context, s *site.Site, opts audit.Options, scripts string, merged *rehearsal.Merged) (*audit.Report, *site.Server, error) {
	var err error
	if opts.Inventory, err = survey.Take(ctx, s, survey.Options{}); err != nil {
		return nil, nil, err
	}
	r, server, err := w.rehearseFor(ctx, s, &opts, scripts, nil, merged)
	if err != nil {
		return nil, nil, err
	}
	if err := w.watch(server, r, scripts, &opts); err != nil {
		return nil, nil, err
	}
	if opts.Others, err = w.Config.Origins(); err != nil {
		return nil, nil, input(err)
	}
	report, err := audit.Run(ctx, server, r, opts)
	if err != nil {
		return nil, nil, err
	}
	return report, server, nil
}

// rehearseFor rehearses a folder for an audit: all of it, a share, or what shares have left.
func (w *Work) rehearseFor(ctx context.Context, s *site.Site, opts *audit.Options, scripts string, share *rehearsal.Share, merged *rehearsal.Merged) (*rehearsal.Report, *site.Server, error) {
	pages := len(opts.Inventory.Pages)
	if opts.Sample > 0 {
		pages = min(pages, opts.Sample)
	}
	networks := NetworksOf(pages)
	if len(networks) == 1 {
		w.say("%d pages: rehearsed without a network only, not on a slow or failing one (tachyform rehearse --network slow,failing does)", len(opts.Inventory.Pages))
	}
	opts.Private = Private(w.Config, s)
	step, end := w.progress("Rehearsing")
	defer end()
	o := rehearsal.Options{Progress: step, Networks: networks, Fetches: fetched(*opts), Forms: opts.Inventory.Posted(), Comeback: true, Share: share, Merged: merged}
	return w.Rehearse(ctx, s, Rehearsal{Options: o, Named: []string{"none"}, How: scripts, Reading: true, Sample: opts.Sample, Inventory: opts.Inventory})
}

// ofAPlace is what conditions ask for that are meant to differ between one server and another.
var ofAPlace = regexp.MustCompile(`\b(?:location|host|hostname|origin|protocol|domain)\b`)

// watch runs the start page's scripts for what cannot be read from them: whether a call that registers a worker, as they are written, is come to,
// and which manifest they link. It is left out where neither can be.
func (w *Work) watch(server *site.Server, r *rehearsal.Report, scripts string, opts *audit.Options) error {
	inv := opts.Inventory
	unsure := r.Worker.State != "none" && len(inv.Registrations) > 0 && !slices.ContainsFunc(inv.Registrations, func(r survey.Registration) bool { return r.When == "" || ofAPlace.MatchString(r.When) })
	if scripts == "read" || r.Worker.State == "not known" || !unsure && !mayLink(inv) {
		return nil
	}
	others, err := w.Config.Origins()
	if err != nil {
		return input(err)
	}
	seen, err := rehearsal.Watch(server, others, w.limits(), inv.StartFile.URL)
	if err != nil {
		return err
	}
	opts.Linked = seen.Manifest
	if unsure && seen.Sure && !seen.Registers {
		opts.Unmet = &inv.Registrations[0]
	}
	return nil
}

// mayLink says whether a script of the start page may link a manifest: none does without the word.
func mayLink(inv *survey.Inventory) bool {
	src, err := inv.Site.Read(inv.StartFile.Path)
	if err != nil {
		return false
	}
	m := markup.ReadPage(src)
	says := func(source []byte) bool { return bytes.Contains(bytes.ToLower(source), []byte("manifest")) }
	for _, s := range m.Scripts {
		if says(s.Source) {
			return true
		}
	}
	for _, p := range inv.Pages {
		if p.File.Path != inv.StartFile.Path {
			continue
		}
		for _, n := range p.Needs {
			f := inv.FileOf(n.URL)
			if f == nil || f.Kind() != "script" {
				continue
			}
			if source, err := inv.Site.Read(f.Path); err == nil && says(source) {
				return true
			}
		}
	}
	return false
}

// maxAsked bounds the addresses without a file that are fetched in an audit.
const maxAsked = 20

// fetched lists what scripts get: files of the site, and some of the other addresses. What belongs to one visitor is left out.
func fetched(opts audit.Options) []string {
	asked := opts.Inventory.Asked()
	return slices.DeleteFunc(slices.Concat(opts.Inventory.Data, asked[:min(maxAsked, len(asked))]), opts.Private)
}

// Mending is what came of fitting a site to mend what an audit found.
type Mending struct {
	Report   *audit.Report // after it
	Server   *site.Server
	Changed  bool     // the site was fitted; else nothing that was found is safe to mend
	NoWorker bool     // nothing here asked for a worker, and none was put in
	Mended   []string // ids of checks
	Left     []string // ids of checks that go on failing
}

// Mend fits a site when that mends something that an audit found, and audits it again.
func (w *Work) Mend(ctx context.Context, s *site.Site, opts audit.Options, before *audit.Report, server *site.Server, scripts string) (*Mending, error) {
	safe, area := map[string]bool{}, map[string]string{}
	for _, k := range audit.Checks() {
		safe[k.ID], area[k.ID] = k.Safe, k.Area()
	}
	failed := func(r *audit.Report) (out []string) {
		for _, k := range r.Checks {
			if k.State == "failed" {
				out = append(out, k.ID)
			}
		}
		return out
	}
	first := failed(before)
	if !slices.ContainsFunc(first, func(id string) bool { return safe[id] }) {
		return &Mending{Report: before, Server: server, Left: first}, nil
	}
	worker := slices.ContainsFunc(first, func(id string) bool { return safe[id] && area[id] == "worker" })
	plan, err := fitting.Make(ctx, s, w.Config, fitting.Options{NoWorker: !worker, Applications: w.Applications(s)})
	if err != nil {
		return nil, fitted(err)
	}
	if err := plan.Apply(ctx, nil); err != nil {
		return nil, err
	}
	if err := s.Rescan(); err != nil {
		return nil, err
	}
	m := &Mending{Changed: true, NoWorker: !worker && plan.Worker == ""}
	if m.Report, m.Server, err = w.AuditFolder(ctx, s, opts, scripts, nil); err != nil {
		return nil, err
	}
	m.Left = failed(m.Report)
	m.Mended = slices.DeleteFunc(first, func(id string) bool { return slices.Contains(m.Left, id) })
	return m, nil
}

// NetworksOf gives the states in which a site of so many pages is audited.
func NetworksOf(pages int) []stage.Network {
	networks := []stage.Network{stage.Offline, stage.Slow, stage.Failing}
	if pages > manyPages {
		return networks[:1]
	}
	return networks
}

// Address is what is asked of an audit of a live address.
type Address struct {
	URL     string
	Base    string        // URL path of the release, "" for what is configured or the folder of the address
	Release string        // folder of what is to be live, "" when that is not asked
	Access  *crawl.Access // how it is reached; nil for as everybody does
}

// AuditAddress audits a live origin: what survey reads of it, and what only its server can show.
func (w *Work) AuditAddress(ctx context.Context, at Address, opts audit.Options) (*audit.Report, error) {
	var err error
	if at.Release != "" {
		if opts.Deployed, err = w.deployed(ctx, at); err != nil {
			return nil, err
		}
	}
	res, server, err := w.Live(ctx, at.URL, at.Access)
	if err != nil {
		return nil, err
	}
	defer res.Close()
	opts.Live = shown(ctx, at.Access, at.URL, res)
	return w.auditRead(ctx, res, server, opts)
}

// AuditServed audits a site whose pages come from a server, by what it was seen to send, and by what it sends now when live is set.
func (w *Work) AuditServed(ctx context.Context, live bool, access *crawl.Access, opts audit.Options) (*audit.Report, error) {
	res, err := w.Kept(ctx, live, access)
	if err != nil {
		return nil, err
	}
	defer res.Close()
	server, err := w.serverOf(res)
	if err != nil {
		return nil, err
	}
	if live {
		server.Beyond = res.Beyond(ctx)
		opts.Live = shown(ctx, access, w.Config.Address, res)
	}
	return w.auditRead(ctx, res, server, opts)
}

// auditRead audits what was read of a live origin.
func (w *Work) auditRead(ctx context.Context, res *crawl.Result, server *site.Server, opts audit.Options) (*audit.Report, error) {
	c := w.Config
	var err error
	if opts.Inventory, err = res.Survey(ctx, survey.Options{}); err != nil {
		return nil, fitted(err)
	}
	others, err := c.Origins()
	if err != nil {
		return nil, input(err)
	}
	st := rehearsal.NewEmbedded(server, others, w.limits())
	defer st.Close()
	opts.Private = Private(c, res.Site)
	var seen []string // pages that are kept as they are visited
	asVisited := c.IsRendered() && opts.Deployed == nil
	ro := rehearsal.Options{Networks: []stage.Network{stage.Offline, stage.Slow, stage.Failing}, Fetches: fetched(opts), Forms: opts.Inventory.Posted(), Comeback: true, Private: opts.Private}
	step, end := w.progress("Running")
	found, err := routes.Find(ctx, server, others, opts.Inventory, routes.Options{Fallback: c.Server.Fallback, Limits: w.limits(), Progress: step})
	end()
	if err != nil {
		return nil, err
	}
	opts.Inventory.Applications = found.Applications
	for _, p := range visible(res) {
		ro.Pages = append(ro.Pages, p.URL)
		if asVisited && len(seen) < maxRoutes {
			seen = append(seen, p.URL)
		}
	}
	for i := range found.Applications {
		for _, route := range found.Applications[i].Routes {
			if ro.Scripts = true; len(ro.Revisit) < maxRoutes && !slices.Contains(ro.Pages, route.Address) {
				ro.Revisit = append(ro.Revisit, route.Address)
			}
		}
	}
	ro.Pages = append(ro.Pages, ro.Revisit...)
	ro.Revisit = append(ro.Revisit, seen...)
	for _, x := range res.Report.Redirects {
		if p, query, _ := strings.Cut(x.From, "?"); query == "" && strings.TrimSuffix(p, "/") != strings.TrimSuffix(x.To, "/") {
			ro.Led = append(ro.Led, p)
		}
	}
	ro.Entrances = entrancesOf(res.Site)
	ro.Progress, end = w.progress("Rehearsing")
	r, err := rehearsal.Run(ctx, st, server, ro)
	end()
	if err != nil {
		return nil, err
	}
	if err := w.watch(server, r, "", &opts); err != nil {
		return nil, err
	}
	if opts.Others, err = c.Origins(); err != nil {
		return nil, input(err)
	}
	return audit.Run(ctx, server, r, opts)
}
