// Package finding says what was found: where, why it matters and how to mend it, whichever command found it.
package finding

import (
	"slices"
	"strings"
)

// Level says how much a failed check costs.
type Level string

// The levels, from the worst.
const (
	Blocker Level = "blocker"
	Warning Level = "warning"
	Advice  Level = "advice"
)

// AtLeast says whether a level is as bad as another or worse. Unknown levels are never reached.
func (l Level) AtLeast(other Level) bool {
	order := []Level{Advice, Warning, Blocker}
	i := slices.Index(order, other)
	return i >= 0 && slices.Index(order, l) >= i
}

// Finding is one place where a check failed.
type Finding struct {
	File    string `json:"file,omitempty"`
	Line    int    `json:"line,omitempty"`
	Column  int    `json:"column,omitempty"`
	URL     string `json:"url,omitempty"`
	Message string `json:"message"`
	Mend    string `json:"mend,omitempty"`
	Source  string `json:"source,omitempty"` // the line of the file
}

// Check is a rule, as data.
type Check struct {
	ID      string
	Level   Level
	Title   string
	Why     string   // what it means for a visitor
	Mend    string   // what to do in general
	Spec    string   // the text it follows
	Example string   // what the check finds, as somebody would have written it
	Matters []string // platforms whose visitors notice; empty for all
	Blocks  []string // platforms on which a site that fails cannot be installed as an app
}

// Area is the first part of its ID.
func (c Check) Area() string { return Area(c.ID) }

// Area is the first part of the ID of a check.
func Area(id string) string {
	area, _, _ := strings.Cut(id, "/")
	return area
}

// Result is what came of a check; its state is "passed", "failed" or "not-applicable".
type Result struct {
	ID       string    `json:"id"`
	Level    Level     `json:"level"`
	State    string    `json:"state"`
	Title    string    `json:"title"`
	Findings []Finding `json:"findings"`
	Skipped  string    `json:"skipped,omitempty"` // why it was not looked at, from the configuration
	Why      string    `json:"-"`
}

// Worst is the level of the worst failed check, "" when none failed.
func Worst(results []Result) Level {
	worst := Level("")
	for _, c := range results {
		if c.State == "failed" && (worst == "" || c.Level.AtLeast(worst)) {
			worst = c.Level
		}
	}
	return worst
}
