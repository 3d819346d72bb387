package hosting

import (
	"encoding/json"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/site"
)

// Output is a file of a host's configuration.
type Output struct {
	Name string // as the host wants it
	Text string
}

// Hosts are the names of the forms, in the order in which they are shown.
var Hosts = []string{"nginx", "apache", "caddy", "files", "json"}

// Root is the folder that the configuration names as that of the site on the host, when nothing is said.
const Root = "/var/www/site"

// For writes the plan for a host, whose site lies in the folder root there. It gives one file, or two for "files", and false for an unknown host.
func (p *Plan) For(host, root string) ([]Output, bool) {
	switch host {
	case "nginx":
		return []Output{{"site.conf", p.nginx(root)}}, true
	case "apache":
		return []Output{{".htaccess", p.apache()}}, true
	case "caddy":
		return []Output{{"Caddyfile", p.caddy(root)}}, true
	case "files":
		return p.files(), true
	case "json":
		data, _ := json.MarshalIndent(p, "", "  ") // texts and lists only
		return []Output{{"hosting.json", string(data) + "\n"}}, true
	}
	return nil, false
}

// head begins a configuration.
func (p *Plan) head(what string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# What the host of this site has to send. Written by \"tachyform headers\"; write it anew when files come or go.\n# %s\n", what)
	for _, r := range p.Remarks {
		fmt.Fprintf(&b, "# To know: %s.\n", r)
	}
	return b.String()
}

// byName gives the headers by their names in the order in which these come first, each list with what wins first.
func (p *Plan) byName() (names []string, of map[string][]Header) {
	of = map[string][]Header{}
	for _, h := range p.Headers {
		k := strings.ToLower(h.Name)
		if of[k] == nil {
			names = append(names, k)
		}
		of[k] = append([]Header{h}, of[k]...)
	}
	return names, of
}

var notWord = regexp.MustCompile(`\W+`)

// quoteNginx writes a text between double quotes.
func quoteNginx(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

// regexpNginx writes a regular expression as a key of a map. A backslash before what is no quote stays there.
func regexpNginx(re string) string {
	return `"~` + strings.NewReplacer(`\\`, `\\\\`, `"`, `\"`).Replace(re) + `"`
}

func (p *Plan) nginx(root string) string {
	var b strings.Builder
	b.WriteString(p.head("nginx: a file for conf.d. The lines marked \"yours\" are examples."))
	b.WriteString("\nmap $request_uri $tachyform_path { # as it was asked for, without a query\n\t\"~^(?<asked>[^?]*)\" $asked;\n}\n")
	names, of := p.byName()
	for _, n := range names {
		fmt.Fprintf(&b, "\nmap $tachyform_path $tachyform_%s {\n\tdefault \"\";\n", notWord.ReplaceAllString(n, "_"))
		for _, h := range of[n] {
			fmt.Fprintf(&b, "\t%s %s; # %s\n", regexpNginx(h.expression(false)), quoteNginx(h.Value), h.Why)
		}
		b.WriteString("}\n")
	}
	if p.CleanOnly {
		b.WriteString("\nmap $request_uri $tachyform_clean { # asked for with .html, led to the address without\n\tdefault \"\";\n\t\"~^(?<folder>[^?]*)/index\\.html?(?:\\?|$)\" $folder/;\n\t\"~^(?<page>[^?]*)\\.html?(?:\\?|$)\" $page;\n}\n")
	}
	for i, r := range p.Routes {
		fmt.Fprintf(&b, "\nmap $tachyform_path $tachyform_page_%d { # what is answered where there is no file\n\tdefault \"\";\n", i+1)
		for _, g := range r.Except {
			fmt.Fprintf(&b, "\t%s \"\";\n", regexpNginx(expression(g, false)))
		}
		fmt.Fprintf(&b, "\t%s %s;\n}\n", regexpNginx(r.expression(false)), quoteNginx(unescape(r.File)))
	}
	b.WriteString("\n")
	if len(p.Types) > 0 {
		b.WriteString("types {\n")
		for _, t := range p.Types {
			fmt.Fprintf(&b, "\t%s %s;\n", t.Type, t.Extension[1:])
		}
		b.WriteString("}\n\n")
	}
	fmt.Fprintf(&b, "server {\n\tlisten 80; # yours; browsers want https\n\tserver_name _; # yours\n\troot %s; # yours%s\n", quoteNginx(root), p.below(root))
	b.WriteString("\tindex index.html index.htm;\n\tabsolute_redirect off;\n\tetag on;\n")
	if list := slices.DeleteFunc(slices.Clone(p.Compress), func(k string) bool { return k == "text/html" }); len(p.Compress) > 0 {
		fmt.Fprintf(&b, "\tgzip on;\n\tgzip_vary on;\n\tgzip_proxied any;\n\tgzip_min_length 256;\n")
		if len(list) > 0 {
			fmt.Fprintf(&b, "\tgzip_types %s;\n", strings.Join(list, " "))
		}
	}
	for _, n := range names {
		always := " always"
		if n == "cache-control" {
			always = "" // an error is not kept
		}
		fmt.Fprintf(&b, "\tadd_header %s $tachyform_%s%s;\n", of[n][0].Name, notWord.ReplaceAllString(n, "_"), always)
	}
	if p.NotFound != "" {
		fmt.Fprintf(&b, "\terror_page 404 %s;\n", quoteNginx(unescape(p.NotFound)))
	}
	for _, r := range p.Redirects {
		fmt.Fprintf(&b, "\tlocation = %s { return %d %s; }\n", quoteNginx(unescape(r.From)), r.Status, quoteNginx(r.To))
	}
	fmt.Fprintf(&b, "\tlocation ^~ %s { return 404; } # %s\n", quoteNginx(unescape(p.Base)+ownFolder), whyOwn)
	if p.CleanOnly {
		b.WriteString("\tif ($tachyform_clean) { return 301 $tachyform_clean$is_args$args; }\n")
	}
	b.WriteString("\tlocation / {\n\t\ttry_files $uri ")
	if p.Clean {
		b.WriteString("$uri.html ")
	}
	b.WriteString("$uri/ ")
	for i := range p.Routes {
		fmt.Fprintf(&b, "$tachyform_page_%d ", i+1)
	}
	b.WriteString("=404;\n\t}\n}\n")
	return b.String()
}

// below says where the files lie when the site is not at the root of its host.
func (p *Plan) below(root string) string {
	if p.Base == "/" {
		return ""
	}
	return fmt.Sprintf("; the site's files lie in %s%s", root, p.Base)
}

func unescape(u string) string {
	if s, err := url.PathUnescape(u); err == nil {
		return s
	}
	return u
}

// expression gives a regular expression for the addresses that a route may be.
func (r *Route) expression(decoded bool) string {
	folder := r.Folder
	if decoded {
		folder = unescape(folder)
	}
	if r.Every {
		return "^" + regexp.QuoteMeta(folder)
	}
	return "^" + regexp.QuoteMeta(folder) + `(?:.*/)?[^./]*$`
}

// quoteApache writes a text between double quotes.
func quoteApache(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

// asked is a condition of Apache for what was asked for, as it was written, by a regular expression for its path.
func asked(re string) string {
	re = strings.TrimSuffix(strings.TrimPrefix(re, "^"), "$")
	return `%{THE_REQUEST} =~ m#^[A-Z]+ ` + strings.ReplaceAll(re, "#", `\x23`) + `[? ]#`
}

func (p *Plan) apache() string {
	var b strings.Builder
	b.WriteString(p.head("Apache: .htaccess in the folder of the site (AllowOverride FileInfo Indexes Options), or lines for its <Directory>. It wants mod_headers, mod_rewrite, mod_dir and mod_mime; mod_deflate makes answers smaller."))
	b.WriteString("\nOptions -Indexes -MultiViews\nDirectoryIndex index.html index.htm\nDirectorySlash On\nFileETag MTime Size\n")
	if p.NotFound != "" {
		fmt.Fprintf(&b, "ErrorDocument 404 %s\n", quoteApache(unescape(p.NotFound)))
	}
	for _, t := range p.Types {
		fmt.Fprintf(&b, "AddType %s %s\n", t.Type, t.Extension)
	}
	if len(p.Compress) > 0 {
		fmt.Fprintf(&b, "<IfModule mod_deflate.c>\n\tAddOutputFilterByType DEFLATE %s\n</IfModule>\n", strings.Join(p.Compress, " "))
	}
	b.WriteString("\n")
	for _, h := range p.Headers { // what comes later wins
		always, good := "always ", ""
		if strings.EqualFold(h.Name, "cache-control") {
			always, good = "", "%{REQUEST_STATUS} -lt 400 && " // an error is not kept
		} else {
			fmt.Fprintf(&b, "Header onsuccess unset %s \"expr=%s\"\n", h.Name, exprApache(h.expression(false)))
		}
		fmt.Fprintf(&b, "# %s\nHeader %sset %s %s \"expr=%s%s\"\n", h.Why, always, h.Name, quoteApache(strings.ReplaceAll(h.Value, "%", "%%")), good, exprApache(h.expression(false)))
	}
	b.WriteString("\n")
	for _, r := range p.Redirects {
		fmt.Fprintf(&b, "RedirectMatch %d %s %s\n", r.Status, quoteApache("^"+regexp.QuoteMeta(unescape(r.From))+"$"), quoteApache(r.To))
	}
	fmt.Fprintf(&b, "# %s\nRedirectMatch 404 %s\n", whyOwn, quoteApache("^"+regexp.QuoteMeta(unescape(p.Base)+ownFolder)))
	if p.Clean || len(p.Routes) > 0 {
		b.WriteString("RewriteEngine On\n")
	}
	if p.CleanOnly { // by what was asked for, so that what is rewritten below is not led again
		b.WriteString("RewriteCond %{THE_REQUEST} \"^[A-Z]+ ([^?\\s]*)/index\\.html?[?\\s]\"\nRewriteRule ^ %1/ [R=301,NE,L]\n")
		b.WriteString("RewriteCond %{THE_REQUEST} \"^[A-Z]+ ([^?\\s]*)\\.html?[?\\s]\"\nRewriteRule ^ %1 [R=301,NE,L]\n")
	}
	if p.Clean {
		b.WriteString("RewriteCond %{REQUEST_FILENAME} !-d\nRewriteCond %{REQUEST_FILENAME} !-f\nRewriteCond %{REQUEST_FILENAME}.html -f\nRewriteRule ^(.+)$ $1.html [B=%?#,L]\n")
	}
	for i := range p.Routes {
		r := &p.Routes[i]
		b.WriteString("RewriteCond %{REQUEST_FILENAME} !-f\nRewriteCond %{REQUEST_FILENAME} !-d\n")
		for _, g := range r.Except {
			fmt.Fprintf(&b, "RewriteCond expr \"! %s\"\n", exprApache(expression(g, false)))
		}
		fmt.Fprintf(&b, "RewriteCond expr \"%s\"\nRewriteRule ^ %s [L]\n", exprApache(r.expression(false)), strings.NewReplacer("%", `\%`, "$", `\$`).Replace(r.File))
	}
	return b.String()
}

// ownFolder is where fit keeps its record, below the base path.
const ownFolder = site.OwnDir + "/"

const whyOwn = "what Tachyform remembers of the site is for nobody else"

// exprApache writes a condition between the double quotes of a directive.
func exprApache(re string) string {
	if !strings.HasSuffix(re, "$") {
		re += "[^? ]*"
	}
	return strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(asked(re))
}

// quoteCaddy writes a text as one token.
func quoteCaddy(s string) string {
	if !strings.ContainsAny(s, "`") {
		return "`" + s + "`"
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

func (p *Plan) caddy(root string) string {
	var b strings.Builder
	b.WriteString(p.head("Caddy: a Caddyfile. The lines marked \"yours\" are examples."))
	fmt.Fprintf(&b, "\n:80 { # yours: the name of the site, such as skerry-line.example, for which Caddy gets a certificate\n\troot * %s # yours%s\n", quoteCaddy(root), p.below(root))
	if len(p.Compress) > 0 {
		b.WriteString("\tencode gzip\n")
	}
	b.WriteString("\n")
	n := 0
	for _, h := range p.Headers { // what comes later wins
		n++
		fmt.Fprintf(&b, "\t# %s\n\t@header%d path_regexp %s\n\theader @header%d %s %s\n", h.Why, n, quoteCaddy(h.expression(true)), n, h.Name, quoteCaddy(h.Value))
	}
	for i, t := range p.Types {
		fmt.Fprintf(&b, "\t@type%d {\n\t\tpath *%s\n\t\tfile\n\t}\n\theader @type%d Content-Type %s\n", i+1, t.Extension, i+1, t.Type)
	}
	fmt.Fprintf(&b, "\n\t# %s\n\t@own path %s\n\terror @own 404\n", whyOwn, quoteCaddy(unescape(p.Base)+ownFolder+"*"))
	for i, r := range p.Redirects {
		fmt.Fprintf(&b, "\t@lead%d path %s\n\tredir @lead%d %s %d\n", i+1, quoteCaddy(unescape(r.From)), i+1, quoteCaddy(r.To), r.Status)
	}
	if p.CleanOnly {
		b.WriteString("\tmap {http.request.orig_uri} {clean} {\n\t\t~^([^?]*)/index\\.html?(\\?.*)?$ \"${1}/${2}\"\n\t\t~^([^?]*)\\.html?(\\?.*)?$ \"${1}${2}\"\n\t\tdefault \"\"\n\t}\n\t@clean expression `{clean} != \"\"`\n\tredir @clean {clean} 301\n")
	}
	if p.Clean {
		b.WriteString("\ttry_files {path} {path}/ {path}.html\n")
	}
	for i := range p.Routes {
		r := &p.Routes[i]
		fmt.Fprintf(&b, "\t@route%d {\n\t\tpath_regexp %s\n\t\tnot file {path} {path}/\n", i+1, quoteCaddy(r.expression(true)))
		for _, g := range r.Except {
			fmt.Fprintf(&b, "\t\tnot path_regexp %s\n", quoteCaddy(expression(g, true)))
		}
		fmt.Fprintf(&b, "\t}\n\trewrite @route%d %s\n", i+1, quoteCaddy(unescape(r.File)))
	}
	b.WriteString("\tfile_server {\n\t\tindex index.html index.htm\n\t}\n")
	b.WriteString("\thandle_errors {\n\t\theader Cache-Control no-cache # an error is not kept\n")
	if p.NotFound != "" {
		fmt.Fprintf(&b, "\t\t@missing expression `{http.error.status_code} == 404`\n\t\trewrite @missing %s\n\t\tfile_server\n", quoteCaddy(unescape(p.NotFound)))
	}
	b.WriteString("\t}\n}\n")
	return b.String()
}

// maxNamed is how many files of a folder are named one by one in the plain files.
const maxNamed = 100

// files writes the two plain files that several static hosts read.
func (p *Plan) files() []Output {
	var b strings.Builder
	b.WriteString("# Headers. Written by \"tachyform headers\"; put it into the root of what is deployed, and write it anew when files come or go.\n")
	b.WriteString("# What is not named here is asked for again by browsers before it is used: these hosts do that by themselves.\n")
	left := []string{}
	for _, r := range p.Remarks {
		fmt.Fprintf(&b, "# To know: %s.\n", r)
	}
	of, order := map[string][]string{}, []string{}
	headers := slices.Clone(p.Headers)
	for _, u := range p.Release { // said, whatever such a host does by itself
		headers = append(headers, Header{Path: escapeGlob(u), Name: "Cache-Control", Value: p.HeadersFor(u)["cache-control"]})
	}
	var single []Header // such a host cannot tell names by what they hold: where there are not too many, each is named
	for _, h := range headers {
		var in []string
		for _, u := range p.digested {
			if h.Digests && Match(h.Path, u) {
				in = append(in, u)
			}
		}
		if len(in) == 0 || len(in) > maxNamed {
			single = append(single, h)
			continue
		}
		for _, u := range in {
			single = append(single, Header{Path: escapeGlob(u), Name: h.Name, Value: h.Value})
		}
	}
	for _, h := range single {
		if h.Path == p.Base+"**" && h.Value == Asked {
			continue
		}
		if h.Digests {
			left = append(left, "of "+h.Path+" that only names with a digest are meant, so keep all others out of this folder")
		}
		u, ok := plain(h.Path)
		if folder, whole := strings.CutSuffix(h.Path, "/**"); whole {
			if f, simple := plain(folder); simple {
				u, ok = f+"/*", true
			}
		}
		if !ok {
			left = append(left, "it of "+h.Path+": the pattern is more than they know")
			continue
		}
		if of[u] == nil {
			order = append(order, u)
		}
		of[u] = append(slices.DeleteFunc(of[u], func(l string) bool { return strings.HasPrefix(strings.ToLower(l), strings.ToLower(h.Name)+":") }), h.Name+": "+h.Value)
	}
	for _, t := range p.Types {
		u := "/*" + t.Extension
		order = append(order, u)
		of[u] = append(of[u], "Content-Type: "+t.Type)
	}
	for _, u := range order {
		fmt.Fprintf(&b, "\n%s\n", u)
		for _, l := range of[u] {
			fmt.Fprintf(&b, "  %s\n", l)
		}
	}
	for _, l := range left {
		fmt.Fprintf(&b, "\n# These files cannot say %s.\n", l)
	}
	var r strings.Builder
	r.WriteString("# Redirects. Written by \"tachyform headers\"; put it beside the headers.\n")
	fmt.Fprintf(&r, "# Leave %s out of what is deployed: %s.\n", strings.TrimPrefix(p.Base, "/")+site.OwnDir, whyOwn)
	for _, x := range p.Redirects {
		fmt.Fprintf(&r, "%s %s %d\n", x.From, x.To, x.Status)
	}
	if p.CleanOnly {
		r.WriteString("# /about for about.html, and the redirect to it, are settings of such a host: in this file what a file answers is not redirected.\n")
	}
	for _, x := range p.Routes {
		for _, g := range x.Except {
			if u, ok := plain(g); ok {
				fmt.Fprintf(&r, "# %s is answered by the server, not by the page below.\n", u)
			}
		}
		fmt.Fprintf(&r, "%s* %s 200\n", x.Folder, x.File)
	}
	return []Output{{"_headers", b.String()}, {"_redirects", r.String()}}
}
