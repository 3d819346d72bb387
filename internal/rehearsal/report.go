package rehearsal

import (
	"fmt"
	"maps"
	"slices"

	"tachyform.dev/tachyform/internal/stage"
)

// Missing is something that a page needed and did not get.
type Missing struct {
	URL string `json:"url"`
	Use string `json:"use"`
	Why string `json:"why"`
}

// PageResult is one page in one network state.
type PageResult struct {
	URL        string    `json:"url"`
	Network    string    `json:"network"`
	Outcome    Outcome   `json:"outcome"`
	Status     int       `json:"status"`
	Title      string    `json:"title"`
	AnsweredBy string    `json:"answered_by"`
	Source     string    `json:"source,omitempty"`
	Missing    []Missing `json:"missing"`
	Private    []Missing `json:"private,omitempty"` // what it lacks and belongs to one visitor, so that nothing stores it
	Why        string    `json:"why"`
	File       string    `json:"file,omitempty"`
	Line       int       `json:"line,omitempty"`
	Column     int       `json:"column,omitempty"`
	Original   string    `json:"original,omitempty"` // where that was written, by a source map: file:line:column

	Stage       string    `json:"stage,omitempty"`        // that saw it, when it is not that of the report
	Ran         bool      `json:"ran,omitempty"`          // its scripts ran
	Words       int       `json:"words,omitempty"`        // that the visitor reads
	Online      int       `json:"words_online,omitempty"` // that the page shows online
	Less        bool      `json:"less,omitempty"`         // it shows less than online, or throws what it does not throw there
	Shown       string    `json:"shown,omitempty"`        // the address that its own scripts went to
	Seen        Outcome   `json:"seen,omitempty"`         // of a visitor who has opened the page online before, where that was asked for
	SeenWhy     string    `json:"seen_why,omitempty"`
	SeenMissing []Missing `json:"seen_missing,omitempty"` // what this visitor lacks of the page
	Unknown     []string  `json:"unknown,omitempty"`      // origins that it asked for data or scripts, and of which nothing is known here
	Text        *string   `json:"text,omitempty"`
	Requests    []Request `json:"requests,omitempty"`
	Errors      []Error   `json:"errors,omitempty"`

	again func(online *stage.Load) PageResult // compares it with another load of the page online; nil when it shows no less
}

// Sampled says of how many pages some are a sample.
type Sampled struct {
	Pages int `json:"pages"`
	Of    int `json:"of"`
}

// Request is a request that a page made.
type Request struct {
	URL        string `json:"url"`
	Method     string `json:"method"`
	Use        string `json:"use"`
	Result     string `json:"result"` // "answered" or "rejected"
	Status     int    `json:"status"`
	AnsweredBy string `json:"answered_by"`
}

// Error is an exception that nothing on a page caught.
type Error struct {
	Message  string `json:"message"`
	File     string `json:"file,omitempty"`
	Line     int    `json:"line,omitempty"`
	Column   int    `json:"column,omitempty"`
	Original string `json:"original,omitempty"` // where that was written, by a source map: file:line:column
	Needs    string `json:"needs,omitempty"`    // what browsers have and the embedded stage lacks, when that is the cause
}

// FetchResult is one fetch by a script in one network state.
type FetchResult struct {
	URL     string `json:"url"`
	Network string `json:"network"`
	Result  string `json:"result"`
	Status  int    `json:"status"`
	Type    string `json:"type,omitempty"` // media type, without parameters
	SHA256  string `json:"sha256"`
	Why     string `json:"why,omitempty"`
}

// Worker is what became of the site's worker.
type Worker struct {
	URL   string `json:"url"`
	Scope string `json:"scope"`
	State string `json:"state"` // "none", "failed", "waiting", "activated", or "not known" when it imports what nothing is known of
	Error string `json:"error"`
	File  string `json:"file,omitempty"`
	Line  int    `json:"line,omitempty"`
}

// Store is a named cache.
type Store struct {
	Name  string   `json:"name"`
	URLs  []string `json:"urls"`
	Bytes int64    `json:"bytes"`

	Listed   int `json:"listed,omitempty"`   // answers that were stored while the worker was installed, or that took the place of such
	Gathered int `json:"gathered,omitempty"` // other answers that the worker stored

	Entries []Stored `json:"entries,omitempty"` // where that was asked for
}

// Stored is an answer that is stored.
type Stored struct {
	URL    string  `json:"url"`
	Type   string  `json:"type"`
	Status int     `json:"status"` // 0 for what cannot be looked into
	Bytes  int64   `json:"bytes"`
	Age    float64 `json:"age_s"`        // seconds, on the virtual clock
	By     string  `json:"by,omitempty"` // "install", "worker" or "page"
}

// Finding is something that the stage noticed.
type Finding struct {
	Kind     string `json:"kind"`
	Level    string `json:"level"`
	Message  string `json:"message"`
	Mend     string `json:"mend,omitempty"`
	File     string `json:"file,omitempty"`
	Line     int    `json:"line,omitempty"`
	Column   int    `json:"column,omitempty"`
	Original string `json:"original,omitempty"` // where that was written, by a source map: file:line:column
	URL      string `json:"url,omitempty"`
}

// Report is a whole rehearsal; its JSON form is tachyform.rehearsal/1.
type Report struct {
	Format   string         `json:"format"`
	Stage    string         `json:"stage"`
	Site     string         `json:"site"`
	Worker   Worker         `json:"worker"`
	Visits   []PageResult   `json:"visits"`
	Stores   []Store        `json:"stores"`
	Pages    []PageResult   `json:"pages"`
	Sampled  *Sampled       `json:"sampled,omitempty"` // nil when the pages are no sample
	Share    *Share         `json:"share,omitempty"`   // nil when they are all
	Fetches  []FetchResult  `json:"fetches"`
	Stories  []*StoryResult `json:"stories"`
	Findings []Finding      `json:"findings"`
	Traces   []Trace        `json:"traces,omitempty"`

	Entrances []EntranceResult `json:"entrances,omitempty"` // by which ways one comes into the app, and what is there
	Push      *PushResult      `json:"push,omitempty"`      // nil for a worker that takes no push messages

	Led       []Led            `json:"led,omitempty"`       // addresses that the server leads elsewhere
	Forms     []EntranceResult `json:"forms,omitempty"`     // what becomes of forms that are sent without a network
	Renewals  []Renewal        `json:"renewals,omitempty"`  // when scripts get data that changed on the server, for an audit
	Comebacks []Comeback       `json:"comebacks,omitempty"` // what visitors get after releases that were imagined, for an audit

	Chromium    *Report      `json:"chromium,omitempty"` // the same in a real browser, when asked for both
	Differences []Difference `json:"differences,omitempty"`
}

// Trace is the way of one request in one network state.
type Trace struct {
	URL     string      `json:"url"`
	Network string      `json:"network"`
	Steps   []TraceStep `json:"steps"`
	Asked   []Asked     `json:"asked,omitempty"` // what the page then asked for, in order, when its scripts ran
}

// last gives when the last step was.
func (t *Trace) last() float64 {
	if len(t.Steps) == 0 {
		return 0
	}
	return t.Steps[len(t.Steps)-1].At
}

// Asked is a request of a page that was followed.
type Asked struct {
	Request
	Source string  `json:"source,omitempty"` // "store NAME" or "network"
	Bytes  int64   `json:"bytes"`
	At     float64 `json:"at"`   // ms since the page was opened
	Took   float64 `json:"took"` // ms until the answer
}

// TraceStep is one thing that happened.
type TraceStep struct {
	At   float64 `json:"at"` // ms since the request began
	Text string  `json:"text"`
	File string  `json:"file,omitempty"`
	Line int     `json:"line,omitempty"`
}

// Format names the shape of the report.
const Format = "tachyform.rehearsal/1"

// NotKnown gives the pages that the stage could not judge, each once, in their order.
func (r *Report) NotKnown() []string {
	var out []string
	seen := map[string]bool{}
	for _, p := range r.Pages {
		if p.Outcome == NotKnown && !seen[p.URL] {
			seen[p.URL] = true
			out = append(out, p.URL)
		}
	}
	return out
}

// Take replaces the pages that could not be judged by what another stage saw of them.
func (r *Report) Take(other *Report) {
	saw := map[[2]string]PageResult{}
	for _, p := range other.Pages {
		saw[[2]string{p.URL, p.Network}] = p
	}
	for i, p := range r.Pages {
		if q, ok := saw[[2]string{p.URL, p.Network}]; ok && p.Outcome == NotKnown {
			q.Stage = other.Stage
			r.Pages[i] = q
		}
	}
	r.sayUnknown()
}

// sayOrigins ends the findings with the origins of which nothing is known, though pages ask them for data or scripts.
func (r *Report) sayOrigins() {
	pages := map[string]map[string]bool{}
	for _, p := range append(slices.Clip(r.Visits), r.Pages...) {
		for _, o := range p.Unknown {
			if pages[o] == nil {
				pages[o] = map[string]bool{}
			}
			pages[o][p.URL] = true
		}
	}
	for _, o := range slices.Sorted(maps.Keys(pages)) {
		what := "a page asks"
		if n := len(pages[o]); n > 1 {
			what = fmt.Sprintf("%d pages ask", n)
		}
		r.Findings = append(r.Findings, Finding{Kind: "unknown-origin", Level: "advice", URL: slices.Min(slices.Collect(maps.Keys(pages[o]))),
			Message: fmt.Sprintf("%s %s for data or scripts, and nothing is known here of what it answers: it is taken to answer nothing, so what pages draw of it is not judged", what, o), Mend: mends["unknown-origin"]})
	}
}

// Judged says whether what the worker does is known: else pages without a network are not judged, and no story is told.
func (r *Report) Judged() bool { return r.Worker.State != "not known" }

// sayUnknown ends the findings with the count of pages that could not be judged.
func (r *Report) sayUnknown() {
	r.Findings = slices.DeleteFunc(r.Findings, func(f Finding) bool { return f.Kind == "not-known" })
	pages := r.NotKnown()
	if len(pages) == 0 || !r.Judged() { // the worker is named already
		return
	}
	what := "pages are"
	if len(pages) == 1 {
		what = "page is"
	}
	r.Findings = append(r.Findings, Finding{Kind: "not-known", Level: "advice", URL: pages[0], Message: fmt.Sprintf("%d %s not known here: the scripts use what browsers have and this stage lacks", len(pages), what),
		Mend: "ask a Chromium about them: --stage auto"})
}
