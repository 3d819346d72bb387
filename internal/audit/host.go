package audit

import (
	"bytes"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// Live is what a live origin's server showed while it was read.
type Live struct {
	Entry         string                 // the address that was asked for
	Secure        bool                   // https, or the visitor's own machine
	Insecure      string                 // where http leads to for an https origin: an address, "" when it was not asked or does not answer
	MissingStatus int                    // status of a page that cannot be there, 0 when it was not asked
	Headers       map[string]http.Header // of answers, by root-relative URL
	Failed        map[string]string      // what could not be read, by root-relative URL, and why
}

// why says why something could not be read of a live site; "" when it could.
func (l *Live) why(url string) string {
	if l == nil {
		return ""
	}
	return l.Failed[withoutQuery(url)]
}

var (
	foreignImport = regexp.MustCompile(`importScripts\s*\(\s*["'` + "`" + `](https?://[^"'` + "`" + `]+)`)
	maxAge        = regexp.MustCompile(`(?i)max-age\s*=\s*"?(\d+)`)
	refused       = regexp.MustCompile(`with 40[13]|another origin|sign`)
)

func position(src []byte, at int) (line, column int) { return markup.Position(src, at) }

// header gives a header of the answer to a URL, "" when it has none or the server is not known.
func (f *facts) header(url, name string) string {
	if f.live != nil {
		if h, ok := f.live.Headers[url]; ok {
			return h.Get(name)
		}
	}
	return f.server.Answer("GET", url).Header.Get(name)
}

// lifetime is for how many seconds an answer may be kept without asking; -1 when nothing is said.
func (f *facts) lifetime(url string) int {
	v := f.header(url, "Cache-Control")
	if v == "" {
		return -1
	}
	if strings.Contains(strings.ToLower(v), "no-cache") || strings.Contains(strings.ToLower(v), "no-store") {
		return 0
	}
	if m := maxAge.FindStringSubmatch(v); m != nil {
		if n, err := strconv.Atoi(m[1]); err == nil {
			return n
		}
	}
	return 0
}

// policies gives findings for policies of pages that forbid something; of the start page only, where only that counts.
func (f *facts) policies(what string, start bool) ([]Finding, bool) {
	applies := false
	var out []Finding
	for _, p := range f.inv.Pages {
		first := p.File.Path == f.inv.StartFile.Path
		if start && !first {
			continue
		}
		list := p.CSP
		if first {
			list = append(slices.Clip(list), f.sent()...)
		}
		for _, policy := range list {
			applies = true
			for _, x := range survey.Forbidden(policy) {
				if strings.HasPrefix(x, what) {
					out = append(out, Finding{File: p.File.Path, Line: 1, Column: 1, URL: p.File.URL, Message: fmt.Sprintf("the page's policy forbids %s", x)})
				}
			}
		}
	}
	return out, applies
}

// sent gives the policies that come with the start page.
func (f *facts) sent() []string {
	if f.start.file.URL == "" {
		return nil
	}
	var out []string
	for _, p := range strings.Split(f.header(f.start.file.URL, "Content-Security-Policy"), ",") {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return out
}

var sandboxed = regexp.MustCompile(`(?i)(?:^|;)\s*sandbox\b([^;]*)`)

var hostChecks = []Check{
	{
		ID: "host/not-secure", Level: Blocker, Title: "The site is served from a secure origin",
		Why:  "Browsers install apps and run service workers only from https addresses and from the visitor's own machine.",
		Mend: "serve the site over https", Spec: "W3C Secure Contexts", Example: "http://skerry.example/", Blocks: everyApp,
		run: func(f *facts) ([]Finding, bool) {
			if f.live == nil {
				return nil, false
			}
			if f.live.Secure {
				return nil, true
			}
			return []Finding{{URL: f.live.Entry, Message: f.live.Entry + " is not served over https"}}, true
		},
	},
	{
		ID: "host/http-stays-http", Level: Warning, Title: "http leads to https",
		Why:  "Visitors who type the address without https get a page without a worker, and anybody between can change it.",
		Mend: "redirect http to https",
		Spec: "W3C Secure Contexts; RFC 9110, section 15.4", Example: "http://skerry.example/ answers with 200",
		run: func(f *facts) ([]Finding, bool) {
			if f.live == nil || f.live.Insecure == "" {
				return nil, false
			}
			if strings.HasPrefix(f.live.Insecure, "https://") {
				return nil, true
			}
			return []Finding{{URL: f.live.Insecure, Message: f.live.Insecure + " answers, and leads to no https address"}}, true
		},
	},
	{
		ID: "host/missing-is-a-page", Level: Warning, Title: "What is missing is answered as missing",
		Why:  "A missing file answered with 200 and a page is stored as if it were the file: a style sheet that is HTML, for as long as the worker lives.",
		Mend: "answer missing files with 404, and the fallback only for navigations",
		Spec: "RFC 9110, section 15.5.5", Example: "GET /gone.css is answered with 200 and index.html",
		run: func(f *facts) ([]Finding, bool) {
			if f.live == nil || f.live.MissingStatus == 0 {
				return nil, false
			}
			if ours, _ := worker.Released(f.server.Answer("GET", f.rehearsal.Worker.URL).Body); f.live.MissingStatus < 400 && len(f.inv.Applications) > 0 && len(ours) > 0 {
				return nil, true // a plain fallback, and a worker that checks what it stores
			}
			if f.live.MissingStatus < 400 {
				return []Finding{{URL: f.live.Entry, Message: fmt.Sprintf("a file that cannot be there is answered with status %d", f.live.MissingStatus)}}, true
			}
			return nil, true
		},
	},
	{
		ID: "host/record-served", Level: Advice, Title: "What fit remembers of the site is not served",
		Why:  "It names files of yours that visitors have no business with, and what stood in them before.",
		Mend: "leave " + site.OwnDir + "/ out of what is deployed, or have the server refuse it (tachyform headers)",
		Spec: "RFC 9110, section 15.5.5", Example: "GET /" + site.OwnDir + "/record.json is answered with 200",
		run: func(f *facts) ([]Finding, bool) {
			if f.live == nil {
				return nil, false
			}
			u := f.site.Base + site.OwnDir + "/record.json"
			if a := f.server.Answer("GET", u); a.Status == 200 && bytes.Contains(a.Body, []byte(`"tachyform.record/`)) {
				return []Finding{{URL: u, Message: u + " is answered with what fit wrote into the site"}}, true
			}
			return nil, true
		},
	},
	{
		ID: "host/behind-sign-in", Level: Blocker, Title: "Manifest and icons can be had without signing in",
		Why:  "Browsers fetch the manifest and its icons without cookies: behind a sign-in they get its page, and there is no app.",
		Mend: "let the server answer them to everybody, or write crossorigin=\"use-credentials\" on the link",
		Spec: "W3C Web Application Manifest, \"Obtaining the manifest\"", Example: "GET /manifest.webmanifest is answered with 401", Blocks: everyApp,
		run: func(f *facts) ([]Finding, bool) {
			if f.live == nil || f.linkURL == "" {
				return nil, false
			}
			var out []Finding
			if why := f.live.Failed[f.linkURL]; refused.MatchString(why) {
				out = append(out, Finding{URL: f.linkURL, Message: f.linkURL + " was " + why})
			}
			return out, true
		},
	},
	{
		ID: "host/worker-type", Level: Blocker, Title: "The worker is served as a script",
		Why:  "Browsers register no worker of another media type.",
		Mend: "serve it with Content-Type: text/javascript",
		Spec: "Service Workers, \"Update\"", Example: "Content-Type: text/plain on /sw.js",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			applies := false
			places := slices.Clone(f.inv.Registrations)
			if u := f.rehearsal.Worker.URL; u != "" && !slices.ContainsFunc(places, func(r survey.Registration) bool { return r.URL == u }) {
				places = append(places, survey.Registration{URL: u})
			}
			for _, r := range places {
				u, _, _ := strings.Cut(r.URL, "?")
				if r.URL == "" || f.server.Answer("GET", u).Status != http.StatusOK {
					continue
				}
				t := strings.ToLower(f.header(u, "Content-Type"))
				if applies = true; t != "" && !strings.Contains(t, "javascript") && !strings.Contains(t, "ecmascript") {
					out = append(out, Finding{URL: r.URL, File: r.File, Line: r.Line, Column: r.Column, Message: fmt.Sprintf("%s is served as %s", u, t)})
				}
			}
			return out, applies
		},
	},
	{
		ID: "host/manifest-type", Level: Advice, Title: "The manifest is served as one",
		Why:  "Some browsers and tools take only JSON for a manifest.",
		Mend: "serve it with Content-Type: application/manifest+json",
		Spec: "W3C Web Application Manifest, \"Media type registration\"", Example: "Content-Type: text/plain on /manifest.webmanifest",
		run: func(f *facts) ([]Finding, bool) {
			if f.file == nil || f.file.URL == "" {
				return nil, false
			}
			t := strings.ToLower(f.header(f.file.URL, "Content-Type"))
			if t != "" && !strings.Contains(t, "json") {
				return []Finding{{File: f.file.Path, URL: f.file.URL, Message: fmt.Sprintf("%s is served as %s", f.file.URL, t)}}, true
			}
			return nil, t != ""
		},
	},
	{
		ID: "host/policy-forbids-manifest", Level: Blocker, Title: "The policy allows the manifest",
		Why:  "A Content-Security-Policy that forbids the manifest makes browsers ignore it.",
		Mend: "add manifest-src 'self'",
		Spec: "Content Security Policy Level 3, \"manifest-src\"", Example: "Content-Security-Policy: default-src 'none'", Blocks: chromium,
		run: func(f *facts) ([]Finding, bool) { return f.policies("a manifest", true) },
	},
	{
		ID: "host/policy-forbids-icons", Level: Blocker, Title: "The policy allows the icons",
		Why:  "Browsers load the app's icon as the start page would: under a policy that forbids it there is no icon, and nothing is offered.",
		Mend: "add img-src 'self', and allow-same-origin to a sandbox",
		Spec: "Content Security Policy Level 3, \"img-src\" and \"sandbox\"; measured in Chromium", Example: "Content-Security-Policy: img-src 'none'", Blocks: chromium,
		run: func(f *facts) ([]Finding, bool) {
			out, applies := f.policies("the icons", true)
			for _, p := range f.sent() { // in a meta element a sandbox is ignored
				if m := sandboxed.FindStringSubmatch(p); m != nil && !strings.Contains(strings.ToLower(m[1]), "allow-same-origin") {
					out = append(out, Finding{File: f.start.file.Path, Line: 1, Column: 1, URL: f.start.file.URL, Message: "the page is sent with a sandbox that has no allow-same-origin"})
				}
			}
			return out, applies
		},
	},
	{
		ID: "host/policy-forbids-worker", Level: Warning, Title: "The policy allows the worker",
		Why:  "A Content-Security-Policy that forbids the worker makes register() fail.",
		Mend: "add worker-src 'self'",
		Spec: "Content Security Policy Level 3, \"worker-src\"", Example: "Content-Security-Policy: script-src 'none'",
		run: func(f *facts) ([]Finding, bool) { return f.policies("a service worker", false) },
	},
	{
		ID: "host/mixed-content", Level: Warning, Title: "Pages ask for nothing over http",
		Why:  "On an https site browsers block scripts and styles over http, and the page is broken.",
		Mend: "write https",
		Spec: "W3C Mixed Content", Example: `<script src="http://cdn.example/lib.js">`,
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, o := range f.summary.Foreign {
				if strings.HasPrefix(o.Origin, "http://") && !strings.HasPrefix(o.Origin, "http://localhost") {
					out = append(out, Finding{URL: o.Origin, Message: fmt.Sprintf("%d pages ask %s for %s", o.Pages, o.Origin, strings.Join(o.Uses, ", "))})
				}
			}
			return out, len(f.inv.Pages) > 0
		},
	},
}
