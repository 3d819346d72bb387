package audit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestBaseline(t *testing.T) {
	result := func(id, state string, messages ...string) Result {
		r := Result{ID: id, Level: Warning, State: state}
		for i, m := range messages {
			r.Findings = append(r.Findings, Finding{File: "a", Line: i, Message: m})
		}
		return r
	}
	earlier := &Report{Checks: []Result{result("a", "failed", "x", "y"), result("b", "failed", "x"), result("c", "passed"), result("d", "failed", "x")}}
	now := &Report{Checks: []Result{result("a", "failed", "y", "x"), result("b", "passed"), result("c", "failed", "new"), result("d", "failed", "x", "another")}}
	now.Against(earlier)
	assert.Equal(t, &Comparison{New: []string{"c", "d"}, Gone: []string{"b"}, Unchanged: []string{"a"}}, now.Baseline)
	assert.Equal(t, Warning, now.Worst())
	same := &Report{Checks: earlier.Checks}
	same.Against(earlier)
	assert.Equal(t, Level(""), same.Worst(), "what failed before does not count")
}

func TestUnknownNames(t *testing.T) {
	assert.Empty(t, Unknown([]string{"manifest", "icons/faint"}))
	assert.Equal(t, []string{"icon", "manifest/nothing"}, Unknown([]string{"manifest/nothing", "icon", "icon"}))
}

func TestAFoundLineIsShown(t *testing.T) {
	r := run(t, map[string]string{"m.json": strings.Replace(goodManifest, "192x192", "190x190", 1)})
	for _, c := range r.Checks {
		if c.ID == "icons/size-differs" {
			assert.Contains(t, c.Findings[0].Source, `"/192.png"`)
			return
		}
	}
	t.Fatal("not found")
}
