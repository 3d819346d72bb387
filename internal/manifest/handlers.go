package manifest

import (
	"fmt"
	"slices"
	"strings"

	"golang.org/x/net/publicsuffix"

	"tachyform.dev/tachyform/internal/weburl"
)

// ShareTarget says how the app takes what other apps share (Web Share Target text).
type ShareTarget struct {
	Action  string       `json:"action"` // absolute
	Method  string       `json:"method"` // GET or POST
	Enctype string       `json:"enctype"`
	Title   string       `json:"title,omitempty"` // names of the parameters
	Text    string       `json:"text,omitempty"`
	URL     string       `json:"url,omitempty"`
	Files   []FileFilter `json:"files,omitempty"`
}

// FileFilter names kinds of files: for a share target Name is that of the form field, for a file handler the media type.
type FileFilter struct {
	Name   string   `json:"name"`
	Accept []string `json:"accept"`
}

// FileHandler opens files of some kinds (Manifest Incubations, "file_handlers").
type FileHandler struct {
	Action     string       `json:"action"` // absolute
	Name       string       `json:"name,omitempty"`
	Accept     []FileFilter `json:"accept"` // in the order of the media types
	Icons      []Image      `json:"icons,omitempty"`
	LaunchType string       `json:"launch_type"` // single-client or multiple-clients
}

// ProtocolHandler opens links of a scheme (Manifest Incubations, "protocol_handlers").
type ProtocolHandler struct {
	Protocol string `json:"protocol"`
	URL      string `json:"url"` // absolute, with %s
}

// ScopeExtension is another origin that belongs to the app (Manifest Incubations, "scope_extensions").
type ScopeExtension struct {
	Origin   string `json:"origin"`
	Wildcard bool   `json:"wildcard,omitempty"` // and those below it
}

// RelatedApplication is an app of another kind (App Information text, "related_applications").
type RelatedApplication struct {
	Platform string `json:"platform"`
	URL      string `json:"url,omitempty"`
	ID       string `json:"id,omitempty"`
}

// object gives an object member, with a problem for another type.
func (p *processor) object(o *Value, key string) *Value {
	v := o.get(key)
	if v == nil {
		return nil
	}
	if v.kind != object {
		p.problem(v, key, Warning, fmt.Sprintf("%s is %s; an object is expected, so it is ignored", key, kindNames[v.kind]), "write { … }")
		return nil
	}
	return v
}

func (p *processor) shareTarget(o *Value, scope *weburl.URL) {
	v := p.object(o, "share_target")
	if v == nil {
		return
	}
	action := p.inScope(v, "action", "share_target", scope, "nothing can be shared with the app")
	if action == nil {
		return
	}
	params := v.get("params")
	if params == nil || params.kind != object {
		p.problem(v, "share_target.params", Warning, "params is missing or no object; nothing can be shared with the app", `add "params": {"title": "title", "text": "text", "url": "url"}`)
		return
	}
	t := &ShareTarget{Action: action.Href(false), Method: "GET", Enctype: "application/x-www-form-urlencoded",
		Title: p.textAs(params, "title", "share_target.params.title"), Text: p.textAs(params, "text", "share_target.params.text"), URL: p.textAs(params, "url", "share_target.params.url")}
	switch m := v.get("method"); {
	case m == nil:
		p.problem(v, "share_target.method", Advice, "method is not given; GET is taken, which cannot share files", `write "method": "GET" or "POST"`)
	case m.kind == text && strings.EqualFold(m.str, "POST"):
		t.Method = "POST"
	case m.kind != text || !strings.EqualFold(m.str, "GET"):
		p.problem(m, "share_target.method", Warning, "method is GET or POST; nothing can be shared with the app", `write "method": "POST"`)
		return
	}
	switch e := v.get("enctype"); {
	case e == nil && t.Method == "POST":
		p.problem(v, "share_target.enctype", Advice, "enctype is not given; application/x-www-form-urlencoded is taken, which cannot share files", `write "enctype": "multipart/form-data"`)
	case e == nil:
	case e.kind == text && strings.EqualFold(e.str, "multipart/form-data") && t.Method == "POST":
		t.Enctype = "multipart/form-data"
	case e.kind != text || !strings.EqualFold(e.str, "application/x-www-form-urlencoded"):
		p.problem(e, "share_target.enctype", Warning, "enctype is application/x-www-form-urlencoded, or with POST multipart/form-data; nothing can be shared with the app", "")
		return
	}
	if !p.sharedFiles(params, t) {
		return
	}
	p.Processed.ShareTarget = t
}

// sharedFiles reads what files are taken; it reports false when the whole share target is lost.
func (p *processor) sharedFiles(params *Value, t *ShareTarget) bool {
	v := params.get("files")
	if v == nil {
		return true
	}
	entries := v.items
	if v.kind != array && v.kind != object {
		p.problem(v, "share_target.params.files", Warning, "files is "+kindNames[v.kind]+"; a list is expected, so it is ignored", `write [{"name": "…", "accept": ["image/*"]}]`)
	}
	if v.kind == object { // one entry may stand without a list
		entries = []*Value{v}
	}
	if len(entries) > 0 && (t.Method != "POST" || t.Enctype != "multipart/form-data") {
		p.problem(v, "share_target.params.files", Warning, "files are shared only with POST and multipart/form-data; nothing can be shared with the app", `write "method": "POST", "enctype": "multipart/form-data"`)
		return false
	}
	for i, item := range entries {
		member := fmt.Sprintf("share_target.params.files[%d]", i)
		if item.kind != object {
			p.problem(item, member, Warning, "not an object; it is ignored", "")
			continue
		}
		name := p.textAs(item, "name", member+".name")
		if name == "" {
			p.problem(item, member+".name", Warning, "a kind of files without a name for the form field is ignored", `add "name"`)
			continue
		}
		var accept []*Value
		switch a := item.get("accept"); {
		case a != nil && a.kind == text:
			accept = []*Value{a}
		case a != nil:
			accept = a.items
		}
		f := FileFilter{Name: name}
		for _, a := range accept {
			if a.kind != text {
				p.problem(a, member+".accept", Warning, "no string; it is skipped", `write "image/png" or ".png"`)
				continue
			}
			s := strings.ToLower(strings.TrimSpace(a.str))
			if !acceptable(s) {
				p.problem(a, member+".accept", Warning, "neither a media type nor an extension with its dot; nothing can be shared with the app", `write "image/png" or ".png"`)
				return false
			}
			f.Accept = append(f.Accept, s)
		}
		if len(f.Accept) > 0 {
			t.Files = append(t.Files, f)
		}
	}
	return true
}

// acceptable says whether a string is a media type, or an extension with its dot.
func acceptable(s string) bool {
	if strings.HasPrefix(s, ".") {
		return len(s) > 1
	}
	main, sub, ok := strings.Cut(s, "/")
	return ok && isToken(main) && isToken(sub)
}

func isToken(s string) bool {
	for i := range len(s) {
		if c := s[i]; c <= ' ' || c >= 0x7f || strings.IndexByte("\"(),/:;<=>?@[\\]{}", c) >= 0 {
			return false
		}
	}
	return s != ""
}

// maxExtensions is how many file extensions Chromium takes in all.
const maxExtensions = 300

// topLevel are the registered top-level media types.
var topLevel = []string{"application", "audio", "example", "font", "haptics", "image", "message", "model", "multipart", "text", "video"}

func (p *processor) fileHandlers(o *Value, scope *weburl.URL) {
	total := 0
	p.objects(o, "file_handlers", "file_handlers", func(item *Value, member string) {
		action := p.inScope(item, "action", member, scope, "the file handler is ignored")
		if action == nil {
			return
		}
		accept := item.get("accept")
		if accept == nil || accept.kind != object {
			p.problem(item, member+".accept", Warning, "accept is missing or no object; the file handler is ignored", `add "accept": {"text/csv": [".csv"]}`)
			return
		}
		h := FileHandler{Action: action.Href(false), Name: p.textAs(item, "name", member+".name"), Icons: p.icons(item, "icons", member+".icons"), LaunchType: "single-client"}
		for _, m := range accept.members {
			if f, ok := p.extensions(m, member+".accept"); ok {
				h.Accept = append(h.Accept, f)
				total += len(f.Accept)
			}
		}
		slices.SortStableFunc(h.Accept, func(a, b FileFilter) int { return strings.Compare(a.Name, b.Name) })
		if len(h.Accept) == 0 {
			p.problem(accept, member+".accept", Warning, "accept names no kind of file; the file handler is ignored", `write "accept": {"text/csv": [".csv"]}`)
			return
		}
		if total > maxExtensions {
			p.problem(item, member, Warning, fmt.Sprintf("more than %d extensions in all; the file handler is ignored", maxExtensions), "")
			return
		}
		switch t := item.get("launch_type"); {
		case t == nil:
		case t.kind == text && strings.EqualFold(strings.TrimSpace(t.str), "multiple-clients"):
			h.LaunchType = "multiple-clients"
		case t.kind != text || !strings.EqualFold(strings.TrimSpace(t.str), "single-client"):
			p.problem(t, member+".launch_type", Warning, "launch_type is single-client or multiple-clients; single-client is taken", "")
		}
		p.Processed.FileHandlers = append(p.Processed.FileHandlers, h)
	})
}

// extensions reads one media type of a file handler.
func (p *processor) extensions(m member, at string) (FileFilter, bool) {
	f := FileFilter{Name: m.key}
	main, _, _ := strings.Cut(m.key, "/")
	if !acceptable(m.key) || strings.HasPrefix(m.key, ".") || !slices.Contains(topLevel, strings.ToLower(main)) {
		p.problem(&Value{start: m.keyStart}, at, Warning, fmt.Sprintf("%q is no media type; it is ignored", m.key), `write such as "text/csv"`)
		return f, false
	}
	items := m.value.items
	if m.value.kind == text {
		items = []*Value{m.value}
	} else if m.value.kind != array {
		p.problem(m.value, at, Warning, "extensions are a string or a list of strings; they are ignored", `write [".csv"]`)
		return f, false
	}
	f.Accept = []string{}
	for _, item := range items {
		if item.kind != text || !strings.HasPrefix(item.str, ".") {
			p.problem(item, at, Warning, "an extension is a string that begins with a dot; it is ignored", `write ".csv"`)
			continue
		}
		if !slices.Contains(f.Accept, item.str) {
			f.Accept = append(f.Accept, item.str)
		}
	}
	if len(f.Accept) == 0 {
		p.problem(m.value, at, Warning, "no extension is left; the media type is ignored", `write [".csv"]`)
	}
	return f, len(f.Accept) > 0
}

// safelisted are the schemes that the HTML Standard lets pages handle.
var safelisted = []string{"bitcoin", "cabal", "dat", "did", "doi", "dweb", "ethereum", "ftp", "ftps", "geo", "hyper", "im", "ipfs", "ipns", "irc", "ircs",
	"magnet", "mailto", "matrix", "mms", "news", "nntp", "openpgp4fpr", "sftp", "sip", "sms", "smsto", "ssb", "ssh", "tel", "urn", "webcal", "wtai", "xmpp"}

func (p *processor) protocolHandlers(o *Value, scope *weburl.URL) {
	p.objects(o, "protocol_handlers", "protocol_handlers", func(item *Value, member string) {
		v := item.get("protocol")
		if v == nil || v.kind != text {
			p.problem(item, member+".protocol", Warning, "protocol is missing or no string; the handler is ignored", `add "protocol": "web+…"`)
			return
		}
		written := strings.TrimSpace(v.str)
		s := strings.ToLower(written)
		letters := strings.TrimPrefix(s, "web+")
		custom := letters != s && letters != "" && strings.Trim(letters, "abcdefghijklmnopqrstuvwxyz") == ""
		if !custom && !slices.Contains(safelisted, s) {
			p.problem(v, member+".protocol", Warning, fmt.Sprintf("%q may not be handled by a page; the handler is ignored", v.str), `write "web+" and letters, or one of the schemes that the HTML Standard names, such as "mailto"`)
			return
		}
		u := item.get("url")
		if u != nil && u.kind == text && !strings.Contains(u.str, "%s") {
			p.problem(u, member+".url", Warning, `the URL has no "%s", where the link would go; the handler is ignored`, "write it like \"/open?link=%s\"")
			return
		}
		if to := p.inScope(item, "url", member, scope, "the handler is ignored"); to != nil {
			p.Processed.ProtocolHandlers = append(p.Processed.ProtocolHandlers, ProtocolHandler{written, to.Href(false)})
		}
	})
}

func (p *processor) scopeExtensions(o *Value) {
	const mend = `write {"type": "origin", "origin": "https://…"}`
	p.objects(o, "scope_extensions", "scope_extensions", func(item *Value, member string) {
		kind, v := p.textAs(item, "type", member+".type"), item.get("origin")
		s := strings.TrimSpace(p.textAs(item, "origin", member+".origin"))
		if kind != "origin" || s == "" {
			p.problem(item, member, Warning, "an entry needs the type \"origin\" and an origin; it is ignored", mend)
			return
		}
		u, err := weburl.Parse(s)
		if err != nil || u.Protocol() != "https:" || u.Host() == "" {
			p.problem(v, member+".origin", Warning, fmt.Sprintf("%q is no https origin; the entry is ignored", s), mend)
			return
		}
		ext := ScopeExtension{}
		host := u.Hostname()
		if bare, ok := strings.CutPrefix(host, "*."); ok && registrable(bare) {
			host, ext.Wildcard = bare, true
		}
		if !registrable(host) {
			p.problem(v, member+".origin", Warning, fmt.Sprintf("%q belongs to no registered domain; the entry is ignored", s), mend)
			return
		}
		ext.Origin = "https://" + strings.ReplaceAll(host, "*", "%2A")
		if u.Port() != "" {
			ext.Origin += ":" + u.Port()
		}
		p.Processed.ScopeExtensions = append(p.Processed.ScopeExtensions, ext)
	})
}

// registrable says whether a host lies below a public suffix that is known.
func registrable(host string) bool {
	suffix, managed := publicsuffix.PublicSuffix(host)
	return host != suffix && (managed || strings.Contains(suffix, "."))
}

func (p *processor) launchHandler(o *Value) {
	v := p.object(o, "launch_handler")
	if v == nil {
		return
	}
	modes := []string{"auto", "focus-existing", "navigate-existing", "navigate-new"}
	c := v.get("client_mode")
	if c == nil {
		return
	}
	items := c.items
	if c.kind == text {
		items = []*Value{c}
	} else if c.kind != array {
		p.problem(c, "launch_handler.client_mode", Warning, "client_mode is "+kindNames[c.kind]+"; a string or a list of strings is expected, so auto is taken", "")
		return
	}
	for _, item := range items {
		s := item.str // exactly: neither trimmed nor in another case
		if item.kind != text || !slices.Contains(modes, s) {
			p.problem(item, "launch_handler.client_mode", Warning, fmt.Sprintf("no client mode that browsers know%s; it is skipped", suggest(strings.ToLower(strings.TrimSpace(s)), modes)), "use one of "+strings.Join(modes, ", "))
			continue
		}
		p.Processed.LaunchHandler = append(p.Processed.LaunchHandler, s)
	}
}

func (p *processor) noteTaking(o *Value, scope *weburl.URL) {
	v := p.object(o, "note_taking")
	if v == nil || v.get("new_note_url") == nil {
		return
	}
	if u := p.inScope(v, "new_note_url", "note_taking", scope, "it is ignored"); u != nil {
		p.Processed.NoteTaking = u.Href(false)
	}
}

func (p *processor) related(o *Value) {
	if v := o.get("prefer_related_applications"); v != nil {
		if v.kind != boolean {
			p.problem(v, "prefer_related_applications", Warning, "prefer_related_applications is "+kindNames[v.kind]+"; true or false is expected, so it is ignored", "write true or false without quotes")
		} else {
			p.Processed.PreferRelatedApplications = v.truth
		}
	}
	p.objects(o, "related_applications", "related_applications", func(item *Value, member string) {
		app := RelatedApplication{Platform: strings.TrimSpace(p.textAs(item, "platform", member+".platform")), ID: strings.TrimSpace(p.textAs(item, "id", member+".id"))}
		if s := p.textAs(item, "url", member+".url"); item.get("url") != nil && item.get("url").kind == text {
			if u, err := p.manifestURL.Parse(s); err == nil {
				app.URL = u.Href(false)
			} else {
				p.problem(item.get("url"), member+".url", Warning, fmt.Sprintf("%q is no valid URL; it is ignored", s), "")
			}
		}
		if app.Platform == "" || app.URL == "" && app.ID == "" {
			p.problem(item, member, Warning, "an entry needs platform, and url or id; it is ignored", "")
			return
		}
		p.Processed.RelatedApplications = append(p.Processed.RelatedApplications, app)
	})
}
