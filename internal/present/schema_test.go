package present

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/invopop/jsonschema"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

// forms are the Go types that are printed.
var forms = map[string]any{
	"survey": survey.Summary{}, "draft": DraftReport{}, "icons": IconsReport{}, "manifest": ManifestView{}, "rules": caching.Table{}, "fit": FitResult{},
	"rehearsal": rehearsal.Report{}, "audit": audit.Report{}, "comparison": compare.Report{}, "checks": CheckList{}, "words": WordList{}, "sheet": Sheet{}, "licences": LicenceList{}, "strip": StripResult{}, "retirement": RetireResult{}, "recording": RecordReport{}, "hosting": hosting.Plan{}, "schemas": SchemaList{},
}

// words are the values that fields of text can have, by type and name.
func words() map[string][]any {
	list := func(s ...string) (out []any) {
		for _, x := range s {
			out = append(out, x)
		}
		return out
	}
	var networks []string
	for _, n := range stage.Networks {
		networks = append(networks, string(n))
	}
	by, outcomes, levels := list(string(stage.ByWorker), string(stage.ByNetwork), string(stage.ByBrowser)), []any{}, list("blocker", "warning", "advice")
	for _, o := range rehearsal.Outcomes {
		outcomes = append(outcomes, string(o))
	}
	return map[string][]any{
		"RehearsalPageResult.network": list(networks...), "RehearsalFetchResult.network": list(networks...), "RehearsalTrace.network": list(networks...),
		"RehearsalPageResult.outcome": outcomes, "RehearsalPageResult.answered_by": by, "RehearsalFetchResult.result": list("answered", "rejected"),
		"RehearsalWorker.state": list("none", "failed", "waiting", "activated"), "FindingResult.state": list("passed", "failed", "not-applicable"),
		"FindingResult.level": levels, "PresentCheckInfo.level": levels,
		"CompareVisit.shows": list(compare.Old, compare.New, compare.Same, compare.Mix, compare.Lost, compare.Unknown), "CompareVisit.answered_by": by, "ComparePiece.by": by[:2],
		"CompareTimeline.tabs": list(string(compare.OneTab), string(compare.TwoTabs), string(compare.LeftOpen)),
	}
}

func schemaOf(t *testing.T, name string) []byte {
	r := &jsonschema.Reflector{AllowAdditionalProperties: true, ExpandedStruct: true, Anonymous: true, Namer: func(t reflect.Type) string {
		if t.PkgPath() == "" {
			return ""
		}
		of := filepath.Base(t.PkgPath())
		return strings.ToUpper(of[:1]) + of[1:] + t.Name()
	}}
	require.NoError(t, os.Chdir(root(t)))
	for _, dir := range []string{"internal/audit", "internal/caching", "internal/manifest", "internal/platform", "internal/present", "internal/rehearsal", "internal/survey"} {
		require.NoError(t, r.AddGoComments("tachyform.dev/tachyform", dir))
	}
	s := r.Reflect(forms[name])
	s.Title = "What tachyform prints as tachyform." + name + "/1"
	if p, ok := s.Properties.Get("format"); ok {
		p.Const = "tachyform." + name + "/1"
	}
	enums := words()
	set := func(kind string, s *jsonschema.Schema) {
		for p := s.Properties.Oldest(); p != nil; p = p.Next() {
			if e := enums[kind+"."+p.Key]; e != nil {
				p.Value.Enum = e
			}
		}
	}
	for kind, d := range s.Definitions {
		if d.Properties != nil {
			set(kind, d)
		}
	}
	set(r.Namer(reflect.TypeOf(forms[name])), s)
	data, err := json.MarshalIndent(s, "", "  ")
	require.NoError(t, err)
	data = bytes.ReplaceAll(data, []byte(`"#/$defs/`+r.Namer(reflect.TypeOf(forms[name]))+`"`), []byte(`"#"`)) // a form within itself
	return append(data, '\n')
}

func root(t *testing.T) string {
	dir, err := os.Getwd()
	require.NoError(t, err)
	for !exists(filepath.Join(dir, "go.mod")) {
		dir = filepath.Dir(dir)
	}
	return dir
}

func exists(p string) bool { _, err := os.Stat(p); return err == nil }

// TestSchemas compares the schemas with the types that are printed. With -update they are written anew.
func TestSchemas(t *testing.T) {
	here, err := os.Getwd()
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.Chdir(here) })
	assert.Len(t, forms, len(schemaNames))
	for _, i := range schemaNames {
		want := schemaOf(t, i.Name)
		file := filepath.Join(here, "schemas", i.Name+".json")
		if *update {
			require.NoError(t, os.WriteFile(file, want, 0o644))
			continue
		}
		got, ok := Schema(i.Name)
		require.True(t, ok, i.Name)
		assert.True(t, bytes.Equal(want, got), "%s has changed: go test ./internal/present -update", i.Name)
		assert.Contains(t, string(got), `"const": "`+i.Format+`"`)
		full, ok := Schema(i.Format)
		assert.True(t, ok)
		assert.Equal(t, got, full)
	}
	_, ok := Schema("nothing")
	assert.False(t, ok)
	_, ok = Schema("../schema")
	assert.False(t, ok)
}

func TestTheListOfSchemas(t *testing.T) {
	var b strings.Builder
	require.NoError(t, New(&b, false).Schemas(Schemas()))
	for _, i := range schemaNames {
		assert.Contains(t, b.String(), i.Format)
		assert.Contains(t, b.String(), "tachyform "+i.Command)
	}
}
