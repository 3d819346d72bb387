package survey

import (
	"fmt"
	"regexp"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/shell"
	"tachyform.dev/tachyform/internal/site"
)

// Kind is the files of one kind.
type Kind struct {
	Kind  string `json:"kind"`
	Files int    `json:"files"`
	Bytes int64  `json:"bytes"`
}

// Sized is a file with its weight.
type Sized struct {
	Path  string `json:"path"`
	Bytes int64  `json:"bytes"`
}

// Nowhere is a reference to a file that the site does not have.
type Nowhere struct {
	URL   string   `json:"url"`
	Use   string   `json:"use"`
	Pages int      `json:"pages"` // that need it
	Chain []string `json:"chain"` // from the first of them to what refers to it
}

// Foreign is another origin and what comes from it.
type Foreign struct {
	Origin string   `json:"origin"`
	Uses   []string `json:"uses"`
	Pages  int      `json:"pages"`
}

// Sent is an address that pages or scripts send to.
type Sent struct {
	URL    string `json:"url"`
	Method string `json:"method"`
	File   string `json:"file"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Form   bool   `json:"form"`
	InSite bool   `json:"in_site"` // a file of the site answers
}

// Registered is a call that registers a worker.
type Registered struct {
	URL   string `json:"url"`
	Scope string `json:"scope"`
	File  string `json:"file"`
	Line  int    `json:"line"`
}

// Named is a file or page with a remark.
type Named struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// Step is something to do next.
type Step struct {
	Command string `json:"command"`
	Why     string `json:"why"`
}

// Summary is what a person or a machine wants to know of a site; its JSON form is tachyform.survey/1.
type Summary struct {
	Format        string        `json:"format"`
	Site          string        `json:"site"`
	Base          string        `json:"base"`
	BaseHint      string        `json:"base_hint"` // base path that references point to, "" when it is the one in use
	Pages         int           `json:"pages"`
	Start         string        `json:"start"`
	Title         string        `json:"title"`
	Kinds         []Kind        `json:"kinds"`
	Bytes         int64         `json:"bytes"`
	Biggest       []Sized       `json:"biggest"`
	StartWeight   int64         `json:"start_weight"` // the start page and everything it needs, in bytes
	Links         Links         `json:"links"`
	Hashed        int           `json:"hashed"`         // files with a digest in their name
	Unneeded      []string      `json:"unneeded"`       // source maps and other files that visitors do not ask for
	ServerScripts []string      `json:"server_scripts"` // that a server runs, so that visitors get what they make and not what lies in the folder
	Nowhere       []Nowhere     `json:"nowhere"`
	Foreign       []Foreign     `json:"foreign"`
	Endpoints     []Sent        `json:"endpoints"`
	Personal      []Named       `json:"personal"`
	Manifest      string        `json:"manifest"`       // URL, "" for none
	ManifestPages int           `json:"manifest_pages"` // pages that link one
	Workers       []Registered  `json:"workers"`
	WorkerPages   int           `json:"worker_pages"`     // pages that register one
	Fitted        int           `json:"fitted"`           // pages that hold what fit inserts
	Record        string        `json:"record,omitempty"` // the folder apart from the site that remembers what fit wrote
	CSP           []Named       `json:"csp"`              // policies that forbid what fit adds
	Storage       []string      `json:"storage"`
	Device        []Device      `json:"device"` // what scripts ask of a device
	Applications  []Application `json:"applications"`
	NotFound      []string      `json:"not_found"` // what running pages could not tell, and why
	Skipped       []Named       `json:"skipped"`
	Doubt         *Doubt        `json:"doubt,omitempty"` // why the folder is probably not what was meant
	Next          []Step        `json:"next"`
}

// NotForVisitors matches files that servers and tools read, and visitors never ask for.
var NotForVisitors = regexp.MustCompile(`(?i)(\.map|\.py|\.rb|\.ts|\.tsx|\.scss|\.less|\.gz|\.br|\.zip|\.tar|\.bak|~)$|(^|/)(_headers|_redirects|CNAME|LICENSE|README(\.(md|txt))?|robots\.txt|sitemap[^/]*\.xml|humans\.txt|package(-lock)?\.json|objects\.inv)$`)

// ServerRuns matches files that a server runs: visitors get what they make.
var ServerRuns = regexp.MustCompile(`(?i)\.(php\d?|phtml|cgi|aspx?|jsp)$`)

// Summarize draws up what the inventory means.
func (inv *Inventory) Summarize() *Summary {
	s := &Summary{Format: "tachyform.survey/1", Site: inv.Site.Dir, Base: inv.Site.Base, Record: inv.Site.Record, Pages: len(inv.Pages), Start: inv.StartFile.URL, Title: inv.Start.Title.Value,
		Biggest: []Sized{}, Unneeded: []string{}, ServerScripts: []string{}, Nowhere: []Nowhere{}, Foreign: []Foreign{}, Endpoints: []Sent{}, Personal: []Named{}, Workers: []Registered{},
		CSP: []Named{}, Storage: append([]string{}, inv.Stores...), Device: inv.devices(), Skipped: []Named{}, Next: []Step{}, Applications: append([]Application{}, inv.Applications...), NotFound: []string{}}
	inv.files(s)
	inv.references(s)
	for _, e := range inv.Endpoints {
		s.Endpoints = append(s.Endpoints, Sent{e.URL, e.Method, e.File, e.Line, e.Column, e.Form, inv.FileOf(e.URL) != nil})
	}
	sort.SliceStable(s.Endpoints, func(i, j int) bool { return s.Endpoints[i].URL < s.Endpoints[j].URL })
	for _, p := range inv.Pages {
		if p.Personal != "" {
			s.Personal = append(s.Personal, Named{p.File.Path, p.Personal})
		}
		if p.Fitted {
			s.Fitted++
		}
		if p.Manifest != "" {
			s.ManifestPages++
			if s.Manifest == "" || p.File.Path == inv.StartFile.Path {
				s.Manifest = p.Manifest
			}
		}
		for _, c := range p.CSP {
			for _, what := range Forbidden(c) {
				s.CSP = append(s.CSP, Named{p.File.Path, "its Content-Security-Policy forbids " + what})
			}
		}
	}
	s.Links, s.BaseHint = inv.Links, inv.Hint
	inv.workers(s)
	for _, k := range append(append([]site.Skipped{}, inv.Site.Skipped...), inv.Unread...) {
		s.Skipped = append(s.Skipped, Named{k.Path, k.Why})
	}
	s.Doubt = inv.Doubt()
	inv.next(s)
	return s
}

func (inv *Inventory) files(s *Summary) {
	kinds := map[string]*Kind{}
	for _, f := range inv.Site.Files {
		k := f.Kind()
		if kinds[k] == nil {
			kinds[k] = &Kind{Kind: k}
		}
		kinds[k].Files++
		kinds[k].Bytes += f.Size
		s.Bytes += f.Size
		s.Biggest = append(s.Biggest, Sized{f.Path, f.Size})
		page := f.IsPage()
		if !page && inv.Site.HasDigest(f.Path) {
			s.Hashed++
		}
		switch {
		case page:
		case NotForVisitors.MatchString(f.Path):
			s.Unneeded = append(s.Unneeded, f.Path)
		case ServerRuns.MatchString(f.Path):
			s.ServerScripts = append(s.ServerScripts, f.Path)
		}
	}
	for _, k := range kinds {
		s.Kinds = append(s.Kinds, *k)
	}
	sort.Slice(s.Kinds, func(i, j int) bool {
		return s.Kinds[i].Bytes > s.Kinds[j].Bytes || s.Kinds[i].Bytes == s.Kinds[j].Bytes && s.Kinds[i].Kind < s.Kinds[j].Kind
	})
	sort.SliceStable(s.Biggest, func(i, j int) bool { return s.Biggest[i].Bytes > s.Biggest[j].Bytes })
	s.Biggest = s.Biggest[:min(5, len(s.Biggest))]
	for u := range inv.Closure(inv.StartFile.URL) {
		if f := inv.FileOf(u); f != nil {
			s.StartWeight += f.Size
		}
	}
}

// references finds what leads nowhere, what comes from elsewhere, and the base path that references point to.
func (inv *Inventory) references(s *Summary) {
	nowhere := map[string]*Nowhere{}
	foreign := map[string]*Foreign{}
	endpoint := map[string]bool{}
	for _, e := range inv.Endpoints {
		endpoint[e.URL] = true
	}
	weight := 1 // pages that need the same as the one that is looked at
	var visit func(needs []Need, chain []string, seen map[string]bool)
	visit = func(needs []Need, chain []string, seen map[string]bool) {
		for _, n := range needs {
			if strings.HasPrefix(n.URL, "http") {
				o := origin(n.URL)
				if seen[o+string(n.Use)] {
					continue
				}
				seen[o+string(n.Use)] = true
				f := foreign[o]
				if f == nil {
					f = &Foreign{Origin: o}
					foreign[o] = f
				}
				if !seen[o] {
					seen[o] = true
					f.Pages += weight
				}
				if !contains(f.Uses, string(n.Use)) {
					f.Uses = append(f.Uses, string(n.Use))
				}
				continue
			}
			if seen[n.URL] {
				continue
			}
			seen[n.URL] = true
			file := inv.FileOf(n.URL)
			if file == nil {
				if n.Spare {
					delete(seen, n.URL)
					continue // nobody misses it
				}
				if endpoint[n.URL] {
					continue // named with the endpoints
				}
				w := nowhere[n.URL]
				if w == nil {
					w = &Nowhere{URL: n.URL, Use: string(n.Use), Chain: append([]string{}, chain...)}
					nowhere[n.URL] = w
				}
				w.Pages += weight
				continue
			}
			visit(inv.Needs[file.URL], append(chain[:len(chain):len(chain)], file.Path), seen)
		}
	}
	same := map[uint64]int{}
	for i := range inv.Pages {
		same[inv.Pages[i].shape]++
	}
	for i := range inv.Pages {
		p := &inv.Pages[i]
		if weight = same[p.shape]; weight > 0 {
			same[p.shape] = 0
			visit(p.Needs, []string{p.File.Path}, map[string]bool{})
		}
	}
	for _, n := range nowhere {
		s.Nowhere = append(s.Nowhere, *n)
	}
	sort.Slice(s.Nowhere, func(i, j int) bool {
		return s.Nowhere[i].Pages > s.Nowhere[j].Pages || s.Nowhere[i].Pages == s.Nowhere[j].Pages && s.Nowhere[i].URL < s.Nowhere[j].URL
	})
	for _, f := range foreign {
		sort.Strings(f.Uses)
		s.Foreign = append(s.Foreign, *f)
	}
	sort.Slice(s.Foreign, func(i, j int) bool { return s.Foreign[i].Origin < s.Foreign[j].Origin })
}

// base finds the base path under which most references that lead nowhere would lead to files.
func (inv *Inventory) base() {
	hints := map[string]int{}
	total, own := 0, map[string]bool{}
	seen := map[Need]bool{}
	for i := range inv.Pages {
		p := &inv.Pages[i]
		for _, n := range p.Needs {
			if strings.HasPrefix(n.URL, "http") || seen[n] || inv.FileOf(n.URL) != nil {
				continue
			}
			seen[n] = true
			total++
			if h := inv.hint(n.URL); h != "" {
				hints[h]++
			}
		}
	}
	for h, n := range hints {
		if n > hints[inv.Hint] || n == hints[inv.Hint] && h < inv.Hint {
			inv.Hint = h
		}
	}
	if inv.Hint == "" {
		return
	}
	for i := range inv.Pages {
		if p := &inv.Pages[i]; p.File.Path == inv.StartFile.Path {
			for _, n := range p.Needs {
				own[inv.hint(n.URL)] = true
			}
		}
	}
	inv.Sure = own[inv.Hint] && 2*hints[inv.Hint] > total
}

// hint gives the base path under which a reference that leads nowhere would lead to a file, "" for none.
func (inv *Inventory) hint(u string) string {
	if strings.HasPrefix(u, "http") || inv.FileOf(u) != nil {
		return ""
	}
	u, _, _ = strings.Cut(u, "?")
	rest := strings.TrimPrefix(u, inv.Site.Base)
	for i := range len(rest) {
		if rest[i] == '/' {
			if p, ok := site.UnescapePath(rest[i+1:]); ok && p != "" {
				if _, ok := inv.Site.File(p); ok {
					return inv.Site.Base + rest[:i+1]
				}
			}
		}
	}
	return ""
}

func origin(u string) string {
	i := strings.Index(u, "://")
	if j := strings.IndexByte(u[i+3:], '/'); j >= 0 {
		return u[:i+3+j]
	}
	return u
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

func (inv *Inventory) workers(s *Summary) {
	scripts := map[string]bool{}
	for _, r := range inv.Registrations {
		s.Workers = append(s.Workers, Registered{r.URL, r.Scope, r.File, r.Line})
		scripts[r.File] = true
	}
	by := map[uint64]bool{} // pages that need the same register the same
	for _, p := range inv.Pages {
		registers := scripts[p.File.Path]
		if known, ok := by[p.shape]; ok {
			registers = registers || known
		} else if !registers && len(scripts) > 0 {
			for u := range inv.Closure(p.File.URL) {
				if f := inv.FileOf(u); f != nil && scripts[f.Path] && !f.IsPage() {
					registers = true
					break
				}
			}
			by[p.shape] = registers
		}
		if registers {
			s.WorkerPages++
		}
	}
}

// Forbidden names what of fit's additions a Content-Security-Policy forbids (CSP Level 3, "fetch directives").
func Forbidden(policy string) []string {
	directives := map[string][]string{}
	for _, d := range strings.Split(policy, ";") {
		f := strings.Fields(d)
		if len(f) > 0 {
			if name := strings.ToLower(f[0]); directives[name] == nil {
				directives[name] = append([]string{}, f[1:]...)
				if len(f) == 1 {
					directives[name] = []string{"'none'"}
				}
			}
		}
	}
	allowed := func(names ...string) bool {
		for _, n := range names {
			sources, ok := directives[n]
			if !ok {
				continue
			}
			for _, src := range sources {
				switch strings.ToLower(src) {
				case "'self'", "*", "https:", "http:":
					return true
				}
				if !strings.HasPrefix(src, "'") {
					return true // a host, which may be the site's own
				}
			}
			return false
		}
		return true
	}
	var out []string
	for _, c := range []struct {
		what  string
		names []string
	}{
		{"a manifest", []string{"manifest-src", "default-src"}},
		{"a service worker", []string{"worker-src", "child-src", "script-src", "default-src"}},
		{"the icons", []string{"img-src", "default-src"}},
		{"the page script", []string{"script-src-elem", "script-src", "default-src"}},
	} {
		if !allowed(c.names...) {
			out = append(out, fmt.Sprintf("%s (%s)", c.what, c.names[0]))
		}
	}
	return out
}

// next says what to do, in order.
func (inv *Inventory) next(s *Summary) {
	step := func(command, why string) {
		s.Next = append(s.Next, Step{command, why})
	}
	dir := " " + shell.Quote(inv.Site.Dir)
	switch {
	case inv.Ours:
		dir = ""
	case inv.Site.IsLive():
		dir = " FOLDER" // an origin is only read: what is to be done is done to the folder that is deployed there
	}
	if s.BaseHint != "" {
		step("tachyform survey"+dir+" --base "+s.BaseHint, "references point to "+s.BaseHint+", as if the site were served from there")
	}
	foreign := len(s.Workers) // ours is not among them
	switch {
	case s.Fitted > 0:
		if s.Fitted < s.Pages {
			step("tachyform fit"+dir, fmt.Sprintf("%d of %d pages hold nothing of ours yet", s.Pages-s.Fitted, s.Pages))
		}
		step("tachyform rehearse"+dir, "see every page without a network")
	case s.Manifest == "" && foreign == 0:
		step("tachyform fit"+dir+" --dry-run", "see what would make it an app that works offline")
		step("tachyform fit"+dir, "do it")
	case foreign > 0:
		step("tachyform rehearse"+dir, "see what the site's own worker does when there is no network")
		step("tachyform fit"+dir, "complete manifest, icons and tags, and leave the worker alone")
	default: // there is a manifest, and nothing that answers without a network
		step("tachyform fit"+dir+" --dry-run", "see what would make it work offline, and complete its manifest")
		why := "do it"
		if s.ManifestPages < s.Pages {
			why += fmt.Sprintf("; %d of %d pages link no manifest so far", s.Pages-s.ManifestPages, s.Pages)
		}
		step("tachyform fit"+dir, why)
	}
	step("tachyform audit"+dir, "see whether it installs, and where")
}
