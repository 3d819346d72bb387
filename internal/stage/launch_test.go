package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestLaunch opens pages as an app, with a file and without (Manifest Incubations, "launch queue").
func TestLaunch(t *testing.T) {
	csv := &LaunchFile{"boats.csv", "text/csv", "Staffin,9:40"}
	for name, c := range map[string]struct {
		script string
		file   *LaunchFile
		want   Launched
		text   string
	}{
		"the file is read": {`launchQueue.setConsumer(async (p) => { const f = await p.files[0].getFile(); say([p.targetURL, p.files.length, f.name, f.type, f.size, await f.text(), p.files[0].kind, p.files[0].name, p instanceof LaunchParams, p.files[0] instanceof FileSystemFileHandle].join(" ")) })`,
			csv, Launched{Heard: true, Read: true}, "https://site.example/open.html?a=1 1 boats.csv text/csv 12 Staffin,9:40 file boats.csv true true"},
		"no file":                 {`launchQueue.setConsumer((p) => say(p.targetURL + " " + p.files.length))`, nil, Launched{Heard: true}, "https://site.example/open.html?a=1 0"},
		"asked for late":          {`setTimeout(() => launchQueue.setConsumer((p) => say("late " + p.files.length)), 50)`, csv, Launched{Heard: true}, "late 1"},
		"told once":               {`let n = 0; launchQueue.setConsumer(() => { n++ }); launchQueue.setConsumer(() => { n++ }); setTimeout(() => say("told " + n), 20)`, csv, Launched{Heard: true}, "told 1"},
		"not asked for":           {`say("in " + typeof launchQueue)`, csv, Launched{}, "in object"},
		"it fails":                {`say("in"); launchQueue.setConsumer((p) => p.file.name)`, csv, Launched{Heard: true, Errors: []PageError{{Message: "Uncaught TypeError: Cannot read property 'name' of undefined", File: "/open.js", Line: 1, Column: 92}}}, "in"},
		"errors before are not":   {`say("in"); setTimeout(() => launchQueue.setConsumer(() => {}), 50); null.x`, csv, Launched{Heard: true, Errors: []PageError{}}, "in"},
		"a handle can be kept":    {`launchQueue.setConsumer(async (p) => { const h = structuredClone(p.files)[0]; say(await h.queryPermission({mode: "read"}) + (await (await h.getFile()).text())) })`, csv, Launched{Heard: true, Read: true}, "grantedStaffin,9:40"},
		"only functions are told": {`try { launchQueue.setConsumer({}) } catch (e) { say(e.name) } try { new LaunchQueue() } catch (e) { say(e.message) }`, csv, Launched{}, "Illegal constructor"},
	} {
		t.Run(name, func(t *testing.T) {
			b := New(serve(t, map[string]string{"open.html": `<!doctype html><title>Open</title><p id="p"></p><script src="/open.js"></script>`, "open.js": `const say = (t) => { p.textContent = t }; ` + c.script}, site.Rules{}), nil, Limits{})
			b.RunScripts(true)
			b.Replay(true)
			_, err := b.NewTab().Open("/open.html?a=1") // what is remembered of an opening is not given for a launch
			require.NoError(t, err)
			l, err := b.NewTab().Launch("/open.html?a=1", c.file)
			require.NoError(t, err)
			require.NotNil(t, l.Launched)
			got := *l.Launched
			if len(c.want.Errors) == 0 {
				assert.Empty(t, got.Errors)
				got.Errors, c.want.Errors = nil, nil
			}
			assert.Equal(t, c.want, got)
			assert.Equal(t, c.text, l.Text)
		})
	}
	b := New(serve(t, map[string]string{"open.html": `<!doctype html><title>Open</title><p>Nothing runs here`}, site.Rules{}), nil, Limits{})
	l, err := b.NewTab().Launch("/open.html", csv)
	require.NoError(t, err)
	assert.Nil(t, l.Launched, "no script was run")
	b.RunScripts(true)
	l, err = b.NewTab().Launch("/open.html", csv)
	require.NoError(t, err)
	assert.Equal(t, &Launched{}, l.Launched)
}
