// Package config reads tachyform.toml. Everything in it is optional; unknown keys are errors with their place and
// a suggestion.
package config

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/dustin/go-humanize"
	"github.com/pelletier/go-toml/v2"
	"golang.org/x/text/language"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/meant"
	"tachyform.dev/tachyform/internal/regular"
)

// Name is how a configuration file is called.
const Name = "tachyform.toml"

// DefaultCeiling is what the first visit may cost when nothing is said, in bytes.
const DefaultCeiling = 3_000_000

// Config is a whole configuration. Empty members mean that good values are inferred.
type Config struct {
	File string `toml:"-"` // where it was read from, "" for none
	Site string `toml:"site"`
	Base string `toml:"base"`

	// Of a site whose pages come from a server, in the place of Site.
	Address    string `toml:"address"`     // of the running server, such as "http://127.0.0.1:8000/"
	Public     string `toml:"public"`      // folder whose files it sends
	PublicPath string `toml:"public_path"` // URL path that they are sent below, "" for "/"
	Snapshot   string `toml:"snapshot"`    // folder beside the configuration that keeps what the server sent, "" for "snapshot"

	RecordDir string `toml:"record_dir"` // folder apart from the site that remembers what fit wrote, "" for the site's own

	App     App         `toml:"app"`
	Icons   Icons       `toml:"icons"`
	IOS     IOS         `toml:"ios"`
	Stow    Stow        `toml:"stow"`
	Rules   []Rule      `toml:"rule"`
	Stories []Story     `toml:"story"`
	Offline Offline     `toml:"offline"`
	Offer   *Offer      `toml:"offer"` // nil when elements that offer to install have no manners of their own
	Update  Update      `toml:"update"`
	Worker  WorkerTable `toml:"worker"`
	Pages   Pages       `toml:"pages"`
	Audit   Audit       `toml:"audit"`
	Server  ServerAll   `toml:"server"`
	Record  Record      `toml:"record"`

	Places map[string]Place `toml:"place"` // by name

	settings []setting // of the file, with their places
}

// Error is one mistake in a configuration file.
type Error struct {
	File         string
	Line, Column int // from 1, 0 when unknown
	Message      string
}

func (e *Error) Error() string {
	if e.Line == 0 {
		return fmt.Sprintf("%s: %s", e.File, e.Message)
	}
	return fmt.Sprintf("%s:%d:%d: %s", e.File, e.Line, e.Column, e.Message)
}

// maxAbove is how many folders above a site are looked into for its configuration.
const maxAbove = 8

// Find gives the configuration to use: the file asked for, else tachyform.toml in the current folder, else the nearest one above the folder of the site
// when it names this site, else none. site is "" when no folder was named.
func Find(file, site string) (*Config, error) {
	if file != "" {
		return Read(file)
	}
	if _, err := os.Stat(Name); err == nil {
		return Read(Name)
	}
	if site == "" || strings.Contains(site, "://") {
		return &Config{}, nil
	}
	dir, err := filepath.Abs(site)
	if err != nil {
		return &Config{}, nil // the site itself will be said to be unreadable
	}
	above := filepath.Clean(site)
	for at, n := dir, 0; n < maxAbove && filepath.Dir(at) != at; n++ {
		at, above = filepath.Dir(at), filepath.Join(above, "..")
		name := filepath.Join(above, Name)
		if _, err := os.Stat(filepath.Join(at, Name)); err != nil {
			continue
		}
		c, err := Read(name)
		if err != nil {
			return nil, err
		}
		for _, of := range c.sites() {
			if named, err := filepath.Abs(filepath.Join(at, filepath.FromSlash(of))); err == nil && named == dir {
				return c, nil
			}
		}
		break // that of something else
	}
	return &Config{}, nil
}

// Read reads and checks a configuration file. The error joins all mistakes found, each an [Error].
func Read(file string) (*Config, error) {
	if file == os.DevNull { // nobody's
		return Parse(file, nil)
	}
	data, err := regular.ReadFile(file, regular.Small)
	if err != nil {
		var pe *os.PathError
		if errors.As(err, &pe) {
			return nil, fmt.Errorf("%s: %w", file, pe.Err)
		}
		return nil, err
	}
	return Parse(file, data)
}

// Parse reads a configuration from its text.
func Parse(file string, data []byte) (*Config, error) {
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	c := &Config{File: file}
	places := settings(data)
	if e := crowded(file, places); e != nil {
		return nil, e
	}
	dec := toml.NewDecoder(strings.NewReader(string(data))).DisallowUnknownFields()
	err := dec.Decode(c)
	var strict *toml.StrictMissingError
	var decode *toml.DecodeError
	switch {
	case errors.As(err, &strict):
		var all []error
		for i := range strict.Errors {
			e := &strict.Errors[i]
			line, column := e.Position()
			if k := e.Key(); len(k) > 1 && k[0] == "app" && member(k[1]) {
				continue
			}
			key := strings.Join(e.Key(), ".")
			message := fmt.Sprintf("unknown key %q", key)
			if s := suggest(e.Key()); s != "" {
				message += fmt.Sprintf("; do you mean %q?", s)
			} else if why := obsolete(e.Key()); why != "" {
				message += ": " + why
			}
			all = append(all, &Error{file, line, column, message})
		}
		if len(all) > 0 {
			return nil, errors.Join(all...)
		}
	case errors.As(err, &decode):
		line, column := decode.Position()
		return nil, &Error{file, line, column, inWords(strings.TrimPrefix(decode.Error(), "toml: "), decode.Key())}
	case err != nil:
		return nil, &Error{File: file, Message: err.Error()}
	}
	c.File, c.settings = file, places
	mistakes := append(c.check(), c.members(data)...)
	if mistakes = append(mistakes, c.checkPlaces(mistakes)...); len(mistakes) > 0 {
		return nil, errors.Join(mistakes...)
	}
	return c, nil
}

const (
	maxKeys  = 2_000  // of a table
	maxSteps = 1_000  // of a story
	maxList  = 20_000 // elements of a list
)

// crowded refuses what nobody writes by hand, and what would take minutes to read.
func crowded(file string, all []setting) error {
	count := map[string]int{}
	seen := ""
	for _, s := range all {
		name := strings.Join(s.path, "\x00")
		table := strings.Join(s.path[:max(0, len(s.path)-1)], "\x00")
		if name == seen { // an element of the same list
			count[name]++
		} else if count[table]++; count[table] > maxKeys {
			line, column := s.place()
			return &Error{file, line, column, fmt.Sprintf("a table has more than %d keys", maxKeys)}
		}
		seen = name
		most := maxList
		if strings.HasPrefix(name, "story") && strings.HasSuffix(name, "\x00steps") {
			most = maxSteps
		}
		if count[name] >= most {
			line, column := s.place()
			return &Error{file, line, column, fmt.Sprintf("%s has more than %d elements", s.path[len(s.path)-1], most)}
		}
	}
	return nil
}

// suggest finds the known key that a misspelt one is nearest to.
func suggest(key []string) string {
	t := reflect.TypeFor[Config]()
	prefix := ""
	for i, k := range key {
		for t.Kind() == reflect.Slice {
			t = t.Elem()
		}
		if t.Kind() == reflect.Map { // a name of somebody's own
			t = t.Elem()
			prefix += k + "."
			continue
		}
		if t.Kind() != reflect.Struct {
			return ""
		}
		names := map[string]reflect.Type{}
		for f := range t.NumField() {
			if n := t.Field(f).Tag.Get("toml"); n != "-" && n != "" {
				names[n] = t.Field(f).Type
			}
		}
		if next, ok := names[k]; ok && i < len(key)-1 {
			t = next
			prefix += k + "."
			continue
		}
		if prefix == "app." {
			for _, m := range manifest.Members() {
				names[m] = nil
			}
			if manifest.Obsolete(k) != "" {
				return ""
			}
		}
		sorted := make([]string, 0, len(names))
		for n := range names {
			sorted = append(sorted, n)
		}
		slices.Sort(sorted)
		best := meant.By(strings.ReplaceAll(k, "-", "_"), sorted)
		if best == "" {
			return ""
		}
		return prefix + best
	}
	return ""
}

// obsolete says what has become of a key of [app] that was once a member of manifests.
func obsolete(key []string) string {
	if len(key) == 2 && key[0] == "app" {
		return manifest.Obsolete(key[1])
	}
	return ""
}

// check looks at the values.
func (c *Config) check() []error {
	var out []error
	add := func(key, value, format string, args ...any) {
		line, column := find(c.settings, "", key, value)
		out = append(out, &Error{c.File, line, column, fmt.Sprintf(format, args...)})
	}
	oneOf := func(key, value string, values ...string) {
		if value != "" && !slices.Contains(values, value) {
			add(key, value, "%s = %q: it is one of %s%s", key, value, strings.Join(values, ", "), nearest(value, values))
		}
	}
	color := func(key, value string) {
		if _, ok := csscolor.Parse(value); value != "" && !ok {
			add(key, value, "%s = %q is no colour by CSS syntax", key, value)
		}
	}
	globs := func(key string, list []string) {
		for _, g := range list {
			if !strings.HasPrefix(g, "/") {
				add(key, g, "%s: %q does not begin with a slash; paths are those of URLs", key, g)
			} else if !doublestar.ValidatePattern(g) {
				add(key, g, "%s: %q is no valid pattern", key, g)
			}
		}
	}
	oneOf("display", c.App.Display, "fullscreen", "standalone", "minimal-ui", "browser")
	oneOf("orientation", c.App.Orientation, "any", "natural", "landscape", "landscape-primary", "landscape-secondary", "portrait", "portrait-primary", "portrait-secondary")
	oneOf("dir", c.App.Dir, "auto", "ltr", "rtl")
	oneOf("takeover", c.Update.Takeover, "next-visit", "when-asked", "at-once")
	oneOf("status_bar", c.IOS.StatusBar, StatusBars...)
	oneOf("launch", c.IOS.Launch, "phones", "all")
	color("launch_dark", c.IOS.LaunchDark)
	if p := c.IOS.Pinned; p != "" && (!strings.HasPrefix(p, "/") || !strings.EqualFold(path.Ext(p), ".svg")) {
		add("pinned", p, "pinned: %q is no address of an SVG in the site, such as /brand/mark.svg", p)
	}
	if c.IOS.LaunchDark != "" && c.IOS.Launch == "" {
		add("launch_dark", c.IOS.LaunchDark, "launch_dark is the background of launch pictures where dark is preferred; launch says for which devices they are made")
	}
	oneOf("effort", c.Icons.Effort, "quick", "usual", "small")
	oneOf("square", c.Icons.Square, "bands", "crop", "fill")
	oneOf("conflicts", c.Pages.Conflicts, KeepTheirs, Outrank)
	for _, k := range c.Audit.Skip {
		if k.Check == "" || strings.TrimSpace(k.Reason) == "" {
			add("check", k.Check, "[[audit.skip]] needs check and reason, so that the next reader knows why")
		}
	}
	for id, l := range c.Audit.Levels {
		oneOf(id, l, "blocker", "warning", "advice")
	}
	oneOf("fail_on", c.Audit.FailOn, "blocker", "warning", "advice", "never")
	color("theme_color", c.App.ThemeColor)
	color("theme_color_dark", c.Pages.ThemeColorDark)
	color("background_color", c.App.BackgroundColor)
	color("background", c.Icons.Background)
	globs("now", c.Stow.Now)
	globs("later", c.Stow.Later)
	globs("never", c.Stow.Never)
	globs("except", c.Offline.Except)
	globs("routes", c.Offline.Routes)
	if len(c.Offline.Routes) > 0 && c.Offline.Shell == "" {
		add("routes", c.Offline.Routes[0], "[offline] names routes and no shell, which would answer them")
	}
	globs("leave", c.Pages.Leave)
	globs("except", c.Record.Except)
	for _, a := range c.Server.Answer {
		if u, err := url.Parse(a.Origin); a.Origin != "" && (err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.Trim(u.Path, "/") != "") {
			add("origin", a.Origin, "origin = %q is no origin such as \"https://maps.example\"", a.Origin)
		}
	}
	for i, g := range c.Stow.Groups {
		globs("files", g.Files)
		if !groupName.MatchString(g.Name) {
			add("name", g.Name, "[[stow.group]] name = %q: pages name it in an attribute; letters, digits, - and _ make a name", g.Name)
		}
		if slices.ContainsFunc(c.Stow.Groups[:i], func(e StowGroup) bool { return e.Name == g.Name }) {
			add("name", g.Name, "two groups are named %q", g.Name)
		}
		if len(g.Files) == 0 {
			add("name", g.Name, "the group %q has no files", g.Name)
		}
	}
	for _, w := range c.Offline.Without {
		oneOf("without", w, OfflineParts...)
	}
	if o := c.Offer; o != nil {
		for key, n := range map[string]int{"after": o.After, "times": o.Times} {
			if n < 0 || n > 1000 {
				add(key, fmt.Sprint(n), "[offer] %s = %d: from 1 to 1000", key, n)
			}
		}
		if d, err := Duration(o.Rest); o.Rest != "" && (err != nil || d < time.Hour) {
			add("rest", o.Rest, "[offer] rest = %q is no time from an hour on, such as \"30d\"", o.Rest)
		}
	}
	if l := c.Update.Look; l != "" && l != "never" {
		if d, err := Duration(l); err != nil || d < time.Minute || d > 14*24*time.Hour {
			add("look_every", l, "look_every: %q is neither \"never\" nor a time from a minute to 14 days, such as \"4h\"", l)
		}
	}
	if p := c.Offline.Patience; p != "" && p != "none" {
		if d, err := Duration(p); err != nil || d < time.Second || d > time.Hour {
			add("patience", p, "[offline] patience = %q is no duration such as \"10s\", from a second to an hour; \"none\" waits as long as it takes", p)
		}
	}
	names := map[string]bool{}
	for _, r := range c.Rules {
		names[r.Name] = true
	}
	for _, r := range c.Rules {
		for _, n := range r.Forget {
			if !names[n] || n == "" {
				add("forget", n, "forget names the rule %q, and no rule has this name", n)
			}
		}
	}
	if _, err := c.Ceiling(); err != nil {
		add("ceiling", c.Stow.Ceiling, "ceiling = %q is no size such as \"3 MB\"", c.Stow.Ceiling)
	}
	oneOf("first", c.Worker.First, "ours")
	if w := c.Worker; w.First != "" && w.Beside == "" {
		add("first", w.First, "first says who is asked first of two workers; name the other with beside")
	}
	if b := c.Worker.Beside; b != "" && !strings.HasPrefix(b, "/") {
		add("beside", b, "beside: %q does not begin with a slash; paths are those of URLs", b)
	}
	for i := range c.Rules {
		checkRule(&c.Rules[i], func(key, value, format string, args ...any) {
			line, column := find(c.settings, fmt.Sprintf("rule[%d]", i), key, value)
			out = append(out, &Error{c.File, line, column, fmt.Sprintf(format, args...)})
		})
	}
	return append(append(out, c.checkServer()...), c.checkApp()...)
}

// checkServer looks at what says that pages come from a server.
func (c *Config) checkServer() (out []error) {
	add := func(key, value, format string, args ...any) {
		line, column := find(c.settings, "", key, value)
		out = append(out, &Error{c.File, line, column, fmt.Sprintf(format, args...)})
	}
	if a := c.Address; a != "" {
		if u, err := url.Parse(a); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || u.RawQuery != "" {
			add("address", a, "address = %q is no http(s) address such as \"http://127.0.0.1:8000/\"; what reaches it beside (--header, --user, --cookies) is said on the command line", a)
		}
		if c.Public == "" {
			add("address", a, "address names a server whose pages are fitted; public names the folder whose files it sends, where manifest, icons and worker are written")
		}
		if c.Site != "" {
			add("site", c.Site, "site is a folder of finished pages, and address a server that makes them: one of the two")
		}
		if c.Base != "" {
			add("base", c.Base, "base is for a folder of finished pages; that of a server is in its address")
		}
	} else {
		for key, value := range map[string]string{"public": c.Public, "public_path": c.PublicPath, "snapshot": c.Snapshot} {
			if value != "" {
				add(key, value, "%s goes with address, which names the server that makes the pages", key)
			}
		}
	}
	for key, p := range map[string]string{"public_path": c.PublicPath, "url": c.Worker.URL} {
		if p != "" && (!strings.HasPrefix(p, "/") || strings.HasPrefix(p, "//") || strings.ContainsAny(p, "?#\\")) {
			add(key, p, "%s = %q is no path: write what stands behind the origin, such as \"/static/\"", key, p)
		}
	}
	for key, value := range map[string]string{"age": c.Stow.Visited.Age, "renew": c.Stow.Visited.Renew} {
		if d, err := Duration(value); value != "" && (err != nil || d < time.Minute) {
			add(key, value, "[stow.visited] %s = %q is no time from a minute on, such as \"30d\"", key, value)
		}
	}
	if n := c.Stow.Visited.Entries; n < 0 || n > 1000 {
		add("entries", fmt.Sprint(n), "[stow.visited] entries = %d: from 1 to 1000", n)
	}
	slices.SortFunc(out, func(a, b error) int { return strings.Compare(a.Error(), b.Error()) })
	return out
}

// IsRendered says whether the site's pages come from a server.
func (c *Config) IsRendered() bool { return c.Address != "" }

// PublicFolder is the folder whose files the server sends.
func (c *Config) PublicFolder() string { return filepath.Join(c.Dir(), filepath.FromSlash(c.Public)) }

// RecordFolder is the folder apart from the site in which fit remembers what it wrote, "" for the site's own.
func (c *Config) RecordFolder() string {
	if c.RecordDir == "" {
		return ""
	}
	return filepath.Join(c.Dir(), filepath.FromSlash(c.RecordDir))
}

// SnapshotFolder is the folder that keeps what the server sent.
func (c *Config) SnapshotFolder() string {
	return filepath.Join(c.Dir(), filepath.FromSlash(cmp.Or(c.Snapshot, "snapshot")))
}

var groupName = regexp.MustCompile(`^[\w-]+$`)

// checkApp looks at what the manifest is written from.
func (c *Config) checkApp() (out []error) {
	add := func(key, value, format string, args ...any) {
		line, column := find(c.settings, "", key, value)
		out = append(out, &Error{c.File, line, column, fmt.Sprintf(format, args...)})
	}
	if b := c.Base; b != "" && (!strings.HasPrefix(b, "/") || strings.HasPrefix(b, "//") || strings.ContainsAny(b, "?#\\")) {
		add("base", b, "base = %q is no path: write what stands behind the origin, such as \"/\" or \"/ferries/\"", b)
	}
	if l := c.App.Lang; l != "" {
		if _, err := language.Parse(l); err != nil && !strings.Contains(err.Error(), "unknown") {
			add("app.lang", l, "lang = %q is no language tag such as \"en\" or \"pt-BR\" (BCP 47)", l)
		}
	}
	if u := c.App.StartURL; u != "" {
		if _, err := url.Parse(u); err != nil {
			add("app.start_url", u, "start_url = %q is no address", u)
		}
	}
	return out
}

// nearest suggests one of the values that a misspelt one may mean.
func nearest(value string, values []string) string {
	best := meant.By(value, values)
	if best == "" {
		return ""
	}
	return fmt.Sprintf("; do you mean %q?", best)
}

var (
	kinds   = map[string]string{"string": "a text", "integer": "a whole number", "float": "a number", "boolean": "true or false", "array": "a list", "inline table": "a table", "table": "a table", "datetime": "a date"}
	decoded = regexp.MustCompile(`^cannot decode TOML ([a-z ]+) into struct field \S+ of type (.+)$`)
)

// inWords says in words of TOML what the decoder says in types of Go.
func inWords(message string, key []string) string {
	m := decoded.FindStringSubmatch(message)
	if m == nil {
		return message
	}
	is := kinds[m[1]]
	if is == "" {
		is = "a " + m[1]
	}
	wanted := "a table"
	switch {
	case m[2] == "string":
		wanted = "a text in quotes"
	case m[2] == "[]string":
		wanted = "a list of texts, such as [\"…\"],"
	case strings.HasPrefix(m[2], "[]"):
		wanted = "a list of tables,"
	case m[2] == "bool":
		wanted = "true or false"
	case strings.Contains(m[2], "int"):
		wanted = "a whole number"
	}
	return fmt.Sprintf("%s: %s is wanted, this is %s", strings.Join(key, "."), wanted, is)
}

// RulePlace gives the place of the match of the rule with a number, from 0; 0, 0 when it is not known.
func (c *Config) RulePlace(number int) (line, column int) {
	return find(c.settings, fmt.Sprintf("rule[%d]", number), "match", "")
}

// StepPlace gives the place of a step of the story with a number, from 0.
func (c *Config) StepPlace(story int, step string) (line, column int) {
	return find(c.settings, fmt.Sprintf("story[%d]", story), "steps", step)
}

// Place gives the place that sets a key to a value; 0, 0 when it is not known.
func (c *Config) Place(key, value string) (line, column int) { return find(c.settings, "", key, value) }

// Ceiling is what the first visit may cost, in bytes.
func (c *Config) Ceiling() (int64, error) {
	if c.Stow.Ceiling == "" {
		return DefaultCeiling, nil
	}
	n, err := humanize.ParseBytes(c.Stow.Ceiling)
	if err != nil || n > 1<<40 {
		return 0, fmt.Errorf("ceiling %q is no size", c.Stow.Ceiling)
	}
	return int64(n), nil
}

// SiteFolder is the folder that the configuration names as the site.
func (c *Config) SiteFolder() string { return filepath.Join(c.Dir(), filepath.FromSlash(c.Site)) }

// Dir is the folder that relative paths in the configuration start from.
func (c *Config) Dir() string {
	if c.File == "" {
		return "."
	}
	return filepath.Dir(c.File)
}
