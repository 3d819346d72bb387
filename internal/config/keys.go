package config

import (
	"reflect"
	"strings"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/worker"
)

// Key is one key of a configuration, as editors and the reference page show it.
type Key struct {
	Name    string   // with the tables it stands in, such as "rule.keep.entries"
	Kind    string   // "text", "number", "yes or no", "texts", "table", "tables" or "any"
	Text    string   // what it says
	Default string   // what is so when it is not given
	Example string   // a value as TOML, "" for a table
	Values  []string // all that are allowed; nil for any of its kind
}

// Keys gives every key in the order of the file: each table, then what is in it.
func Keys() []Key {
	var out []Key
	gather(reflect.TypeFor[Config](), "", &out)
	return out
}

func gather(t reflect.Type, above string, out *[]Key) {
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("toml"), ",")
		if name == "" || name == "-" {
			continue
		}
		k, ok := described[above+name]
		if of, found := strings.CutPrefix(above, "place.NAME."); found && !ok { // as the key that it counts instead of
			k = described[of+name]
			if k.Kind = kindOf(t.Field(i).Type); k.Kind != "table" {
				k.Default = "as at large"
			}
		}
		k.Name = above + name
		ft := t.Field(i).Type
		for ft.Kind() == reflect.Pointer {
			ft = ft.Elem()
		}
		k.Kind = kindOf(ft)
		*out = append(*out, k)
		if ft.Kind() == reflect.Slice {
			ft = ft.Elem()
		}
		if ft.Kind() == reflect.Struct {
			gather(ft, k.Name+".", out)
		}
		if ft.Kind() == reflect.Map && ft.Elem().Kind() == reflect.Struct {
			named := described[k.Name+".NAME"]
			named.Name, named.Kind = k.Name+".NAME", "table"
			*out = append(*out, named)
			gather(ft.Elem(), named.Name+".", out)
		}
		if k.Name == "app" {
			for _, m := range manifest.Members() {
				if _, own := described["app."+m]; !own && m != "icons" {
					*out = append(*out, Key{Name: "app." + m, Kind: "any", Text: "The member of the manifest, written as TOML instead of JSON.", Default: "it is not written"})
				}
			}
		}
	}
}

func kindOf(t reflect.Type) string {
	switch t.Kind() {
	case reflect.String:
		return "text"
	case reflect.Bool:
		return "yes or no"
	case reflect.Int:
		return "number"
	case reflect.Map, reflect.Struct:
		return "table"
	case reflect.Slice:
		if t.Elem().Kind() == reflect.Struct {
			return "tables"
		}
		return "texts"
	}
	return "any"
}

// described says what each key means. A key that is missing here fails a test.
var described = map[string]Key{
	"site":        {Text: "The folder that is deployed, relative to this file.", Default: "the folder that the command names", Example: `"dist"`},
	"base":        {Text: "The URL path that the site is served from.", Default: "what the pages' links show, else \"/\"", Example: `"/ferries/"`},
	"address":     {Text: "The address of a running server that makes the pages, in the place of site.", Default: "the pages are files", Example: `"http://127.0.0.1:8000/"`},
	"public":      {Text: "With address: the folder whose files the server sends, where the manifest, icons and worker go.", Default: "none", Example: `"static"`},
	"public_path": {Text: "With address: the URL path that the files of public are sent below.", Default: `"/"`, Example: `"/static/"`},
	"snapshot":    {Text: "With address: the folder beside this file that keeps what the server sent, for runs without it.", Default: `"snapshot"`, Example: `"snapshot"`},
	"record_dir":  {Text: "A folder outside of the site, beside this file, in which fit remembers what it wrote and what it replaced, so that nothing but what is deployed stays in the site. Each site needs one of its own, which strip needs, too. Of a site in a folder of another, the record has to lie in it: it tells the two apart.", Default: "in the site, as .tachyform/", Example: `"record"`},

	"app":                  {Text: "Members of the web app manifest, by their standard names. Those that are not listed here (categories, shortcuts, share_target …) are written as they stand."},
	"app.name":             {Text: "The name of the app, in full.", Default: "what the titles of the pages have in common", Example: `"Skerry Line ferries"`},
	"app.short_name":       {Text: "The name under the icon, where there is little room.", Default: "the name, shortened", Example: `"Skerry"`},
	"app.description":      {Text: "One sentence for dialogues and lists of apps.", Default: "the description of the start page", Example: `"Timetable, tides and fares."`},
	"app.id":               {Text: "What the app is known by for ever, also when its start URL changes. Two apps of an origin need two ids.", Default: "the start URL", Example: `"/"`},
	"app.start_url":        {Text: "What opens when a visitor taps the icon.", Default: "the start page", Example: `"/?source=icon"`},
	"app.scope":            {Text: "The part of the site that belongs to the app. Links out of it open in a browser. Pages outside are not edited and not stored.", Default: "the folder of the start URL", Example: `"/app/"`},
	"app.display":          {Text: "How much of the browser is around the app.", Default: `"standalone"`, Example: `"minimal-ui"`, Values: []string{"fullscreen", "standalone", "minimal-ui", "browser"}},
	"app.orientation":      {Text: "How the device is held. Most apps leave it free.", Default: "free", Example: `"portrait"`, Values: []string{"any", "natural", "landscape", "landscape-primary", "landscape-secondary", "portrait", "portrait-primary", "portrait-secondary"}},
	"app.theme_color":      {Text: "The colour of title and status bars.", Default: "what the styles of the start page show", Example: `"#0b4f6c"`},
	"app.background_color": {Text: "The colour behind the icon while the app opens.", Default: "the background of the start page", Example: `"#f8f5ef"`},
	"app.lang":             {Text: "The language of the texts here (BCP 47).", Default: "that of the start page", Example: `"en-GB"`},
	"app.dir":              {Text: "The direction of the texts here.", Default: "the manifest does not say", Example: `"ltr"`, Values: []string{"auto", "ltr", "rtl"}},

	"icons":            {Text: "What icons are made from."},
	"icons.master":     {Text: "An SVG, PNG, JPEG or WebP, as a path below the site or beside this file.", Default: "the picture that looks like the site's mark, else a drawn letter", Example: `"brand/mark.svg"`},
	"icons.background": {Text: "The colour under maskable and touch icons, which have no transparency.", Default: "a colour of the master, or the theme colour", Example: `"#0b4f6c"`},
	"icons.small":      {Text: "Another master for sizes of up to 48 px.", Default: "the master", Example: `"brand/mark-small.svg"`},
	"icons.maskable":   {Text: "Another master for maskable icons, which systems cut to a shape of their own.", Default: "the master, with room around it", Example: `"brand/mark-wide.svg"`},
	"icons.dark":       {Text: "Another master for the icon on tabs of dark windows, where a dark mark is not seen.", Default: "the same icon for all", Example: `"brand/mark-light.svg"`},
	"icons.square":     {Text: "What becomes of masters that are not square: bands beside them, their middle alone, or bands in the background's colour.", Default: `"bands"`, Example: `"crop"`, Values: []string{"bands", "crop", "fill"}},
	"icons.effort":     {Text: "How much time is spent on small files.", Default: `"usual"`, Example: `"small"`, Values: []string{"quick", "usual", "small"}},

	"ios":             {Text: "What iPhones and iPads take from the pages and not from the manifest."},
	"ios.title":       {Text: "The name under the icon.", Default: "the short name", Example: `"Skerry"`},
	"ios.status_bar":  {Text: "How the bar with the time stands above the app: dark on white, white on black, or white on the page itself.", Default: "the system's own", Example: `"black-translucent"`, Values: StatusBars},
	"ios.launch":      {Text: "For which devices pictures are made that show while the app opens.", Default: "none: it opens on white", Example: `"phones"`, Values: []string{"phones", "all"}},
	"ios.launch_dark": {Text: "The background of launch pictures where the device prefers dark.", Default: "one background for both", Example: `"#10222b"`},
	"ios.pinned":      {Text: "The address of an SVG in the site whose shape stands for pinned tabs.", Default: "none", Example: `"/brand/mark.svg"`},

	"stow":                 {Text: "What the worker stores, as globs of URL paths. Without this table: everything that pages need, when it fits under the ceiling; else the start page and the pages that the manifest names, with what they need and as far as there is room, and other pages as they are visited."},
	"stow.now":             {Text: "Stored while the worker installs: there from the first visit on.", Default: "what pages need", Example: `["/", "/**/*.html", "/assets/**"]`},
	"stow.later":           {Text: "Stored when it is first asked for.", Default: "what is not stored at once", Example: `["/photos/**"]`},
	"stow.never":           {Text: "Never stored, and always asked of the network.", Default: "pages that look as if they belong to one person", Example: `["/admin/**"]`},
	"stow.ceiling":         {Text: "What the first visit may cost. A larger site is stored as it is visited.", Default: `"3 MB"`, Example: `"5 MB"`},
	"stow.strict":          {Text: "A file that cannot be had stops the installation, whatever it is.", Default: "false: only documents, scripts and styles do", Example: `true`},
	"stow.group":           {Text: "Files that a page can ask for as a whole, by the attribute data-app-keep."},
	"stow.group.name":      {Text: "What pages call the group: letters, digits, - and _.", Default: "needed", Example: `"photos"`},
	"stow.group.files":     {Text: "Globs of URL paths.", Default: "needed", Example: `["/photos/**"]`},
	"stow.visited":         {Text: "What is kept of pages that a server makes, as they are visited."},
	"stow.visited.entries": {Text: "Pages at most.", Default: "50", Example: `100`},
	"stow.visited.age":     {Text: "How long a kept page may be shown.", Default: `"30d"`, Example: `"7d"`},
	"stow.visited.renew":   {Text: "After how long the pages of [stow] now are fetched again.", Default: `"24h"`, Example: `"6h"`},
	"stow.visited.private": {Text: "Also what the server marks as private. It is fetched without cookies, so that what is kept is what everybody gets.", Default: "false", Example: `true`},

	"rule":              {Text: "How requests that match a pattern are answered. The first rule that matches counts."},
	"rule.name":         {Text: "What forget calls the rule.", Default: "none", Example: `"departures"`},
	"rule.match":        {Text: "A pattern of the URL Pattern Standard: a path, or an address of another origin.", Default: "needed", Example: `"/api/departures/:harbour"`},
	"rule.method":       {Text: "The method of the requests.", Default: `"GET"`, Example: `"POST"`},
	"rule.destination":  {Text: "Request destinations (Fetch Standard); \"empty\" is fetch().", Default: "all", Example: `["image", "empty"]`},
	"rule.answer":       {Text: "Where the answer comes from. outbox keeps what is sent without a network, and sends it later.", Default: "needed", Example: `"network-first"`, Values: worker.Answers},
	"rule.patience":     {Text: "How long the network is waited for before the stored answer is taken.", Default: `"3s"`, Example: `"2.5s"`},
	"rule.keep":         {Text: "The bounds of what the rule stores."},
	"rule.keep.entries": {Text: "Answers at most; those that were used longest ago go first. Of an outbox: posts.", Default: "50", Example: `30`},
	"rule.keep.age":     {Text: "How long an answer may be shown. Of an outbox: how long a post is tried.", Default: "as long as there is room; of an outbox 3d", Example: `"6h"`},
	"rule.keep.private": {Text: "Answers that the server marks as private are stored, too. Whoever uses the browser next can read them.", Default: "false", Example: `true`},
	"rule.ignore":       {Text: "Names of query parameters that make no difference.", Default: "all make one", Example: `["utm_source"]`},
	"rule.vary":         {Text: "Whether the answer's Vary header is obeyed.", Default: `"obey"`, Example: `"ignore"`, Values: []string{worker.VaryObey, worker.VaryIgnore}},
	"rule.opaque":       {Text: "Answers of other origins that cannot be looked into may be stored. Nobody can tell an error among them.", Default: "false", Example: `true`},
	"rule.never":        {Text: "\"ignore\": the rule counts although [stow] never names the address.", Default: "[stow] never counts", Example: `"ignore"`, Values: []string{NeverIgnore}},
	"rule.integrity":    {Text: "The digest of one file of another origin, which is then part of the offline promise.", Default: "none", Example: `"sha384-…"`},
	"rule.tell":         {Text: "Pages are told when a fresh answer differs from the stored one.", Default: "false", Example: `true`},
	"rule.forget":       {Text: "With network-only: names of rules that are emptied when a request succeeds, such as one that signs out.", Default: "none", Example: `["departures"]`},

	"story":       {Text: "What one visitor does, step by step. rehearse and audit play it."},
	"story.name":  {Text: "What reports call it.", Default: "needed", Example: `"Loses signal on the pier"`},
	"story.steps": {Text: "Steps such as open, network, expect; tachyform rehearse --help lists them.", Default: "needed", Example: `["open /", "network offline", "open /timetable/", "expect whole"]`},

	"offline":          {Text: "What is shown for navigations that cannot be answered."},
	"offline.page":     {Text: "The page for addresses that are not stored.", Default: "fit writes one", Example: `"/offline.html"`},
	"offline.shell":    {Text: "The document that answers every route of an application with one page.", Default: "found by running its scripts", Example: `"/index.html"`},
	"offline.routes":   {Text: "The routes that the shell answers, as globs or with segments such as \":id\".", Default: "all addresses without a file", Example: `["/boats/:id"]`},
	"offline.except":   {Text: "Navigations that always go to the network: the browser's own error page is shown without one.", Default: "none", Example: `["/account/**"]`},
	"offline.image":    {Text: "A picture for those that cannot be had.", Default: "the browser's own mark", Example: `"/img/missing.svg"`},
	"offline.patience": {Text: "How long a page waits for the network before the stored copy is shown, or \"none\" for as long as it takes.", Default: `"10s"`, Example: `"4s"`},
	"offline.without":  {Text: "Parts that the page which fit writes leaves out.", Default: "none", Example: `["outbox"]`, Values: OfflineParts},

	"offer":       {Text: "When an element of a page marked data-app-offer may come up."},
	"offer.after": {Text: "At which page view it may.", Default: "2", Example: `3`},
	"offer.times": {Text: "On how many visits at most.", Default: "3", Example: `2`},
	"offer.rest":  {Text: "How long it is not shown to who has put it away.", Default: `"30d"`, Example: `"90d"`},

	"update":            {Text: "When a new release takes over from the one that a visitor has."},
	"update.takeover":   {Text: "When all pages of the old one are closed; when the page asks; or at the next navigation.", Default: `"next-visit"`, Example: `"when-asked"`, Values: []string{"next-visit", "when-asked", "at-once"}},
	"update.look_every": {Text: "How often a page that stays open looks for a new release, or \"never\".", Default: `"4h"`, Example: `"30m"`},
	"update.age":        {Text: "Elements marked data-app-release say since when the visitor has the release.", Default: "false", Example: `true`},

	"worker":         {Text: "What else the service worker is made of."},
	"worker.beside":  {Text: "A worker of the site's own, such as one for push messages, that is loaded into ours.", Default: "none", Example: `"/push.js"`},
	"worker.url":     {Text: "With address: where the server sends the worker from.", Default: "beside the start page", Example: `"/sw.js"`},
	"worker.first":   {Text: "With beside: \"ours\" lets our worker answer first where both would.", Default: "the worker beside ours answers first", Example: `"ours"`, Values: []string{"ours"}},
	"worker.minify":  {Text: "The worker is written without what only people read.", Default: "false", Example: `true`},
	"worker.preload": {Text: "Pages are asked of the network while the worker starts.", Default: "false", Example: `true`},
	"worker.persist": {Text: "Pages ask that nothing is thrown away even where the browser shows a question.", Default: "false", Example: `true`},

	"pages":                  {Text: "Which pages are edited, and how."},
	"pages.layout":           {Text: "With address: the template that all pages share, beside this file. The tags go into it.", Default: "none", Example: `"templates/base.html"`},
	"pages.leave":            {Text: "Pages that are not edited, as globs of URL paths.", Default: "none", Example: `["/embed/**"]`},
	"pages.theme_color_dark": {Text: "The colour of title and status bars where the device prefers dark.", Default: "what the pages' styles show", Example: `"#10222b"`},
	"pages.conflicts":        {Text: "What becomes of a page's own tags that say something else: they stay in force, or ours go before them.", Default: `"keep"`, Example: `"outrank"`, Values: []string{KeepTheirs, Outrank}},

	"audit":             {Text: "The gate before a release."},
	"audit.platforms":   {Text: "Which platforms count; tachyform audit --help lists them.", Default: "those that most visitors have", Example: `["chromium-android", "safari-ios"]`},
	"audit.fail_on":     {Text: "From which level on a finding makes the exit status 1.", Default: `"blocker"`, Example: `"warning"`, Values: []string{"blocker", "warning", "advice", "never"}},
	"audit.skip":        {Text: "Checks that are left out, each with its reason."},
	"audit.skip.check":  {Text: "The id of a check, or of an area such as \"pages\".", Default: "needed", Example: `"manifest/screenshots-missing"`},
	"audit.skip.reason": {Text: "Why, for the next reader.", Default: "needed", Example: `"we make them in spring"`},
	"audit.levels":      {Text: "Other levels for checks, by their id: blocker, warning or advice.", Default: "as tachyform explain says", Example: `{ "pages/language-missing" = "blocker" }`},

	"server":                 {Text: "What a folder cannot say about its server, so that rehearsals answer as it does."},
	"server.fallback":        {Text: "The document that answers addresses without a file.", Default: "404", Example: `"/index.html"`},
	"server.clean":           {Text: "Pages are answered at their address without .html, too.", Default: "false", Example: `true`},
	"server.clean_only":      {Text: "Who asks with .html is led to the address without, which includes clean.", Default: "false", Example: `true`},
	"server.recorded":        {Text: "The folder that tachyform record has filled, beside this file; \"\" for none.", Default: `"recorded"`, Example: `"recorded"`},
	"server.header":          {Text: "A response header."},
	"server.header.path":     {Text: "A glob of URL paths.", Default: "needed", Example: `"/assets/**"`},
	"server.header.name":     {Text: "The name of the header.", Default: "needed", Example: `"Cache-Control"`},
	"server.header.value":    {Text: "Its value.", Default: "needed", Example: `"max-age=31536000, immutable"`},
	"server.redirect":        {Text: "An address that leads to another."},
	"server.redirect.from":   {Text: "The path.", Default: "needed", Example: `"/home"`},
	"server.redirect.to":     {Text: "Where it leads.", Default: "needed", Example: `"/"`},
	"server.redirect.status": {Text: "The status.", Default: "301", Example: `302`},
	"server.answer":          {Text: "The answer of an endpoint that the folder does not have."},
	"server.answer.origin":   {Text: "Of another origin.", Default: "the site's own", Example: `"https://maps.example"`},
	"server.answer.path":     {Text: "The path; a segment such as :id stands for any.", Default: "needed", Example: `"/api/boats/:id"`},
	"server.answer.query":    {Text: "The query without its question mark; a value of * is any.", Default: "any", Example: `"harbour=*"`},
	"server.answer.method":   {Text: "The method.", Default: `"GET"`, Example: `"POST"`},
	"server.answer.status":   {Text: "The status.", Default: "200", Example: `201`},
	"server.answer.file":     {Text: "A file beside this one with the body.", Default: "body", Example: `"answers/boats.json"`},
	"server.answer.body":     {Text: "The body.", Default: "empty", Example: `'{"ok": true}'`},
	"server.answer.type":     {Text: "The media type.", Default: "by the name of the file, else what the body looks like", Example: `"application/json"`},
	"server.origin":          {Text: "A folder that stands in for another origin."},
	"server.origin.url":      {Text: "The origin.", Default: "needed", Example: `"https://cdn.example"`},
	"server.origin.dir":      {Text: "The folder, beside this file.", Default: "needed", Example: `"cdn"`},

	"place":              {Text: "Other places that the site is deployed to, chosen by --place NAME."},
	"place.NAME":         {Text: "What is so at this place instead of what the file says at large: a staging server below a path, a preview, a second site."},
	"place.NAME.fail_on": {Text: "From which level on a finding makes the exit status 1.", Default: "as at large", Example: `"never"`, Values: []string{"blocker", "warning", "advice", "never"}},

	"record":         {Text: "What tachyform record keeps."},
	"record.secrets": {Text: "Names of members and parameters whose values are taken out, beside the usual ones.", Default: "the usual ones", Example: `["customer_number"]`},
	"record.except":  {Text: "Globs of the site's own addresses of which nothing is kept.", Default: "none", Example: `["/api/account/**"]`},
}
