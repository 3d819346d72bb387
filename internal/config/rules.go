package config

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/worker"
)

// Rule says how requests that match a pattern are answered.
type Rule struct {
	Name        string   `toml:"name"`        // what forget calls it
	Match       string   `toml:"match"`       // URL Pattern Standard: a path, or a URL of another origin
	Method      string   `toml:"method"`      // "" for GET
	Destination []string `toml:"destination"` // request destinations (Fetch Standard), "empty" for fetch(); none for all
	Answer      string   `toml:"answer"`
	Patience    string   `toml:"patience"`
	Keep        Keep     `toml:"keep"`
	Ignore      []string `toml:"ignore"`    // names of query parameters that make no difference
	Vary        string   `toml:"vary"`      // "obey" or "ignore"
	Opaque      bool     `toml:"opaque"`    // answers that cannot be looked into may be stored
	Never       string   `toml:"never"`     // [NeverIgnore]: the rule counts although [stow] never names the address
	Integrity   string   `toml:"integrity"` // digest of one file of another origin, which is then part of the offline promise
	Tell        bool     `toml:"tell"`      // pages are told when a fresh answer differs from the stored one
	Forget      []string `toml:"forget"`    // names of rules that are emptied when a request of this one succeeds
}

// Keep bounds what a rule stores.
type Keep struct {
	Entries int    `toml:"entries"`
	Age     string `toml:"age"`
	Private bool   `toml:"private"` // answers for one visitor, too
}

// NeverIgnore is a rule's word that it answers for addresses in [stow] never.
const NeverIgnore = "ignore"

// WorkerTable says what else the worker is made of.
type WorkerTable struct {
	Beside string `toml:"beside"` // the site's own worker, loaded beside ours
	URL    string `toml:"url"`    // where the server of a rendered site sends the worker from, "" for "sw.js" beside the start page
	First  string `toml:"first"`  // who is asked first when both answer requests: only "ours"
	Minify bool   `toml:"minify"`

	Preload bool `toml:"preload"` // pages are asked of the network while the worker starts
	Persist bool `toml:"persist"` // pages ask that nothing is thrown away even where the browser shows a question
}

// What a rule does when nothing is said.
const (
	DefaultPatience    = 3 * time.Second
	DefaultEntries     = 50
	DefaultOutboxAge   = 3 * 24 * time.Hour
	defaultOutboxPosts = 50

	DefaultNavigationPatience = 10 * time.Second
)

// Duration reads a duration such as "2.5s", "6h" or "30d".
func Duration(s string) (time.Duration, error) {
	if n, ok := strings.CutSuffix(s, "d"); ok {
		days, err := strconv.ParseFloat(n, 64)
		if err != nil || days > 36500 {
			return 0, fmt.Errorf("%q is no duration", s)
		}
		return time.Duration(days * 24 * float64(time.Hour)), nil
	}
	return time.ParseDuration(s)
}

// Worker gives the rule as the worker follows it.
func (r *Rule) Worker() (worker.Rule, error) {
	p, err := worker.ParsePattern(r.Match)
	if err != nil {
		return worker.Rule{}, err
	}
	w := worker.Rule{Name: r.Name, Private: r.Keep.Private, Tell: r.Tell, Forget: r.Forget, Integrity: r.Integrity, Source: r.Match, Match: p.Match, Path: p.Path, Method: strings.ToUpper(r.Method), Destinations: r.Destination, Answer: r.Answer,
		Ignore: r.Ignore, Vary: r.Vary, Opaque: r.Opaque, Entries: DefaultEntries, Patience: int(DefaultPatience.Milliseconds())}
	if r.Answer == worker.Outbox {
		w.Entries, w.Age = defaultOutboxPosts, int(DefaultOutboxAge.Seconds())
	}
	if d, err := Duration(r.Patience); err == nil {
		w.Patience = int(d.Milliseconds())
	}
	if r.Keep.Entries > 0 {
		w.Entries = r.Keep.Entries
	}
	if d, err := Duration(r.Keep.Age); err == nil {
		w.Age = int(d.Seconds())
	}
	return w, nil
}

// URL gives the one address that the rule is for, without the escapes of patterns; "" when it is for more.
func (r *Rule) URL() string {
	var b strings.Builder
	_, path, _ := strings.Cut(r.Match, "://")
	head := r.Match[:len(r.Match)-len(path)]
	for i := 0; i < len(path); i++ {
		switch c := path[i]; {
		case c == '\\' && i+1 < len(path):
			i++
			b.WriteByte(path[i])
		case strings.IndexByte("*{(", c) >= 0:
			return ""
		default:
			b.WriteByte(c)
		}
	}
	return head + b.String()
}

// IsIntegrity says whether a text is one digest of Subresource Integrity.
func IsIntegrity(s string) bool { return integrity.MatchString(s) }

var integrity = regexp.MustCompile(`^sha(256|384|512)-[A-Za-z0-9+/_-]+={0,2}$`)

// checkRule finds what is wrong with one rule by itself.
func checkRule(r *Rule, add func(key, value, format string, args ...any)) {
	if r.Match != "" && !strings.HasPrefix(r.Match, "/") && !strings.Contains(r.Match, "://") {
		add("match", r.Match, "match = %q begins with no slash: paths are those of URLs, such as %q", r.Match, "/"+r.Match)
	} else if p, err := worker.ParsePattern(r.Match); err != nil || r.Match == "" {
		add("match", r.Match, "match = %q is no pattern of the URL Pattern Standard, such as \"/api/:name\" or \"https://cdn.example/*\"", r.Match)
	} else if r.Opaque && !p.Other {
		add("opaque", "", "opaque is for other origins; answers of the site's own are never opaque")
	}
	if r.Answer == "" {
		add("match", r.Match, "the rule for %q has no answer; it is one of %s", r.Match, strings.Join(worker.Answers, ", "))
		return
	}
	if !slices.Contains(worker.Answers, r.Answer) {
		add("answer", r.Answer, "answer = %q: it is one of %s%s", r.Answer, strings.Join(worker.Answers, ", "), nearest(r.Answer, worker.Answers))
		return
	}
	stores := (&worker.Rule{Answer: r.Answer}).Stores()
	method := strings.ToUpper(r.Method)
	switch {
	case r.Answer == worker.Outbox && (method == "" || method == "GET" || method == "HEAD"):
		add("answer", r.Answer, "an outbox keeps what pages send; say which method, such as method = \"POST\"")
	case len(r.Forget) > 0 && r.Answer != worker.NetworkOnly:
		add("forget", "", "forget is for network-only: the server's answer says whether the visitor has signed out")
	case r.Answer != worker.Outbox && r.Answer != worker.NetworkOnly && method != "" && method != "GET":
		add("answer", r.Answer, "answer = %q: only answers to GET can be stored; %s can go to the network (\"network-only\") or into the outbox (\"outbox\")", r.Answer, method)
	}
	for _, d := range r.Destination {
		if !slices.Contains(worker.Destinations, d) {
			add("destination", d, "destination %q: it is one of %s%s", d, strings.Join(worker.Destinations, ", "), nearest(d, worker.Destinations))
		}
	}
	if r.Patience != "" {
		if d, err := Duration(r.Patience); err != nil || d <= 0 || d > time.Hour {
			add("patience", r.Patience, "patience = %q is no duration such as \"2.5s\", of at most an hour", r.Patience)
		} else if r.Answer != worker.NetworkFirst {
			add("patience", r.Patience, "patience is for network-first; %s does not wait", r.Answer)
		}
	}
	switch {
	case r.Keep.Entries < 0:
		add("entries", "", "keep.entries is negative")
	case !stores && r.Answer != worker.Outbox && (r.Keep.Entries > 0 || r.Keep.Age != "" || r.Keep.Private):
		add("keep", "", "keep is for answers that are stored; %s stores nothing", r.Answer)
	}
	if r.Keep.Age != "" {
		if d, err := Duration(r.Keep.Age); err != nil || d < time.Second {
			add("age", r.Keep.Age, "keep.age = %q is no duration such as \"6h\" or \"30d\"", r.Keep.Age)
		} else if r.Opaque {
			add("age", r.Keep.Age, "keep.age cannot be had with opaque answers, which do not say when they were stored; use keep.entries")
		}
	}
	switch {
	case r.Vary != "" && r.Vary != worker.VaryObey && r.Vary != worker.VaryIgnore:
		add("vary", r.Vary, "vary = %q: it is one of %s, %s", r.Vary, worker.VaryObey, worker.VaryIgnore)
	case r.Vary != "" && !stores:
		add("vary", r.Vary, "vary is for answers that are stored; %s stores nothing", r.Answer)
	case r.Never != "" && r.Never != NeverIgnore:
		add("never", r.Never, "never = %q: the one word is %q, for a rule that counts although [stow] never names its address", r.Never, NeverIgnore)
	case r.Integrity != "" && (r.Answer != worker.CacheFirst || !strings.Contains(r.Match, "://") || r.URL() == "" || len(r.Destination) > 0):
		add("integrity", r.Integrity, "integrity is for one file of another origin, by its whole URL, with answer = %q", worker.CacheFirst)
	case r.Integrity != "" && !integrity.MatchString(r.Integrity):
		add("integrity", r.Integrity, "integrity = %q is no digest such as \"sha384-…\" (Subresource Integrity)", r.Integrity)
	case r.Tell && !stores:
		add("tell", "", "tell is for answers that are stored; %s stores nothing", r.Answer)
	case len(r.Ignore) > 0 && !stores:
		add("ignore", "", "ignore is for answers that are stored; %s stores nothing", r.Answer)
	}
}
