package entrance

import (
	"image/png"
	"mime"
	"mime/multipart"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/manifest"
)

const origin = "https://skerry.example"

func entrances(t *testing.T, text string) []Entrance {
	t.Helper()
	m, err := manifest.Process([]byte(text), "m.json", origin+"/app/m.json", origin+"/app/")
	require.NoError(t, err)
	return Of(m, origin)
}

func TestOf(t *testing.T) {
	list := entrances(t, `{"start_url": "/app/?from=icon", "scope": "/app/", "shortcuts": [{"name": "Tides", "url": "tides/"}, {"name": "Elsewhere", "url": "https://other.example/"}],
		"share_target": {"action": "share", "params": {"title": "t", "text": "x", "url": "u"}}, "file_handlers": [{"action": "open", "accept": {"text/csv": [".csv"]}}],
		"protocol_handlers": [{"protocol": "web+ferry", "url": "sail?of=%s&x=1"}], "note_taking": {"new_note_url": "note"}}`)
	var got [][3]string
	for _, e := range list {
		got = append(got, [3]string{string(e.Kind), e.Member, e.URL})
		assert.Nil(t, e.Form)
	}
	assert.Equal(t, [][3]string{{"start", "start_url", "/app/?from=icon"}, {"shortcut", "shortcuts[0].url", "/app/tides/"},
		{"share", "share_target.action", "/app/share?t=Next+boat+%26+tide&x=Staffin+to+Orran%2C+9%3A40&u=https%3A%2F%2Fother.example%2Ftimetable%3Fday%3D1"},
		{"file", "file_handlers[0].action", "/app/open"}, {"protocol", "protocol_handlers[0].url", "/app/sail?of=web%2Bferry%3Astaffin%2Forran%3Fday%3D1&x=1"}, {"note", "note_taking.new_note_url", "/app/note"}}, got)
	assert.Empty(t, entrances(t, `{"name": "Skerry"}`), "the page's own address is no way in of the manifest's")
}

func TestOpenedFiles(t *testing.T) {
	for _, c := range []struct{ accept, name, kind, begins string }{
		{`{"text/csv": [".csv", ".tsv"]}`, "boats.csv", "text/csv", "boat,leaves\n"},
		{`{"image/png": [".png"]}`, "boats.png", "image/png", "\x89PNG"},
		{`{"application/geo+json": [".geojson"]}`, "boats.geojson", "application/geo+json", "{}"},
		{`{"application/gpx+xml": [".gpx"]}`, "boats.gpx", "application/gpx+xml", "<boats/>"},
		{`{"text/x-tide": [".tide"]}`, "boats.tide", "text/x-tide", "Staffin"},
	} {
		list := entrances(t, `{"file_handlers": [{"action": "/app/open", "accept": `+c.accept+`}]}`)
		require.Len(t, list, 1, c.accept)
		f := list[0].File
		require.NotNil(t, f, c.accept)
		assert.Equal(t, []string{c.name, c.kind}, []string{f.Name, f.Type})
		assert.True(t, strings.HasPrefix(f.Data, c.begins), "%q", f.Data)
	}
	_, err := png.Decode(strings.NewReader(contents["image/png"]))
	assert.NoError(t, err)
}

func TestForms(t *testing.T) {
	list := entrances(t, `{"share_target": {"action": "/app/s", "method": "POST", "enctype": "application/x-www-form-urlencoded", "params": {"title": "a b"}}}`)
	require.NotNil(t, list[0].Form)
	body, kind := list[0].Form.Body()
	assert.Equal(t, "application/x-www-form-urlencoded", kind)
	values, err := url.ParseQuery(body)
	require.NoError(t, err)
	assert.Equal(t, url.Values{"a b": {sharedTitle}}, values)

	list = entrances(t, `{"share_target": {"action": "/app/s", "method": "POST", "enctype": "multipart/form-data", "params": {"text": "say \"it\"", "files": [{"name": "pic", "accept": ["image/*", ".png"]}, {"name": "csv", "accept": "text/csv"}]}}}`)
	body, kind = list[0].Form.Body()
	_, params, err := mime.ParseMediaType(kind)
	require.NoError(t, err)
	form, err := multipart.NewReader(strings.NewReader(body), params["boundary"]).ReadForm(1 << 20)
	require.NoError(t, err)
	assert.Equal(t, map[string][]string{"say %22it%22": {sharedText}}, form.Value)
	require.Len(t, form.File, 2)
	assert.Equal(t, []string{"shared.png", "image/png"}, []string{form.File["pic"][0].Filename, form.File["pic"][0].Header.Get("Content-Type")})
	assert.Equal(t, "text/csv", form.File["csv"][0].Header.Get("Content-Type"))
}
