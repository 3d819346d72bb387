package run

import (
	"context"
	"fmt"
	"net"
	"net/url"
	"strings"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/deployed"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/site"
)

// Live reads a live origin, and gives a server that answers as it does.
func (w *Work) Live(ctx context.Context, address string, access *crawl.Access) (*crawl.Result, *site.Server, error) {
	step, end := w.progress("Fetching")
	limits := crawl.Usual
	limits.Access, limits.Missing = access, true
	res, err := crawl.Take(ctx, address, limits, step)
	end()
	if err != nil {
		return nil, nil, fitted(err)
	}
	if res.Report.Stopped != "" {
		w.say("only a part was read, because of %s; tachyform survey %s says what was left out", res.Report.Stopped, address)
	}
	server, err := w.serverOf(res)
	if err != nil {
		res.Close()
		return nil, nil, err
	}
	server.Beyond = res.Beyond(ctx)
	return res, server, nil
}

// serverOf gives a server that answers as a live origin was seen to.
func (w *Work) serverOf(res *crawl.Result) (*site.Server, error) {
	configured, err := w.Config.SiteRules()
	if err != nil {
		return nil, input(err)
	}
	if len(configured.Headers)+len(configured.Redirects) > 0 {
		w.say("[[server.header]] and [[server.redirect]] are not used: the server itself was asked")
	}
	rules := site.Rules{Answers: configured.Answers} // of its data the server is not asked
	for _, f := range res.Site.Files {
		for k, list := range res.Headers[f.URL] {
			rules.Headers = append(rules.Headers, site.HeaderRule{Path: f.URL, Name: k, Value: strings.Join(list, ", ")})
		}
	}
	server := site.NewServer(res.Site, rules)
	server.Absent = res.Missing
	return server, nil
}

// deployed compares what a live address answers with the release that was to be there.
func (w *Work) deployed(ctx context.Context, at Address) (*deployed.Report, error) {
	u, err := url.Parse(at.URL)
	if err != nil {
		return nil, input(err)
	}
	base := at.Base
	if base == "" {
		base = w.Config.Base
	}
	s, err := site.Open(at.Release, base)
	if err != nil {
		return nil, input(fmt.Errorf("--release: %w", err))
	}
	defer s.Close()
	s.Record = w.Config.RecordFolder()
	if b := fitting.RecordedBase(s); base == "" && b != "" {
		s.Rebase(b)
	} else if base == "" {
		s.Rebase(u.EscapedPath()[:strings.LastIndexByte(u.EscapedPath(), '/')+1])
	}
	plan, err := w.Hosting(ctx, s, false)
	if err != nil {
		return nil, err
	}
	fetch := func(ctx context.Context, urlPath string, fresh bool) (deployed.Answer, error) {
		status, header, body, err := crawl.Fetch(ctx, at.Access, u.Scheme+"://"+u.Host+urlPath, fresh, site.MaxFile)
		return deployed.Answer{Status: status, Header: header, Body: body}, err
	}
	step, end := w.progress("Asking")
	defer end()
	r, err := deployed.Compare(ctx, fetch, s, plan, deployed.Usual, step)
	if err != nil {
		return nil, err
	}
	return r, nil
}

// shown asks a live server what only it can show.
func shown(ctx context.Context, access *crawl.Access, address string, res *crawl.Result) *audit.Live {
	l := &audit.Live{Entry: address, Headers: res.Headers, Failed: map[string]string{}}
	u, err := url.Parse(address)
	if err != nil {
		return l
	}
	host := u.Hostname()
	ip := net.ParseIP(host)
	l.Secure = u.Scheme == "https" || host == "localhost" || strings.HasSuffix(host, ".localhost") || ip != nil && ip.IsLoopback()
	for _, f := range res.Report.Failed {
		l.Failed[f.URL] = f.Why
	}
	l.MissingStatus, _ = crawl.Ask(ctx, access, u.Scheme+"://"+u.Host+"/"+crawl.Nowhere+".css")
	if u.Scheme == "https" && u.Port() == "" {
		plain := "http://" + u.Host + "/"
		if status, to := crawl.Ask(ctx, access, plain); to != "" {
			l.Insecure = to
		} else if status > 0 {
			l.Insecure = plain
		}
	}
	return l
}
