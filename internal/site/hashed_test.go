package site

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestHashedNames has folders as bundlers write them, and folders that only look so.
func TestHashedNames(t *testing.T) {
	for name, c := range map[string]struct{ with, without []string }{
		"eight letters, some of them words": {
			[]string{"assets/index-BxKdaQrT.js", "assets/index-DfGhIjKl.css", "assets/Boats-Ca9_x-2b.js", "assets/vendor-harbours.js", "assets/logo-B7dkQ0aZ.svg", "assets/index-BxKdaQrT.js.map"},
			[]string{"assets/logo.svg"}},
		"the whole name": {
			[]string{"_app/chunks/BxKdaQrT.js", "_app/chunks/Dfa9IjKl.js", "_app/chunks/Cx_2-b1Z.js", "_app/chunks/timetabl.js"},
			nil},
		"behind a point": {
			[]string{"_app/entry/start.BxKdaQrT.js", "_app/entry/app.D0f9IjKl.js", "_app/entry/page.harbours.js"},
			[]string{"_app/version.json"}},
		"capitals": {
			[]string{"main-ZX4QH7PL.js", "polyfills-FFHMD2TL.js", "chunk-ABCDEFGH.js", "styles-5INURTSO.css"},
			[]string{"favicon.ico"}},
		"parts of a build": {
			[]string{"static/js/main.3f9c2b71.js", "static/js/787.28cb0dcd.chunk.js", "static/js/453.1a2b3c4d.chunk.js.map"},
			[]string{"static/js/runtime.js"}},
		"long ones": {
			[]string{"chunks/4bd1b696-3f9c2b7189abcdef.js", "chunks/main-app-0123456789abcdef.js", "chunks/117-aa11bb22cc33dd44.js"},
			[]string{"chunks/polyfills.js"}},
		"days":                       {nil, []string{"menus/menu-20240101.pdf", "menus/menu-20240102.pdf", "menus/menu-20250103.pdf", "log-202411301200.txt"}},
		"words of one length":        {nil, []string{"img/photo-staffin.jpg", "img/photo-harbour.jpg", "img/photo-eastern.jpg", "img/photo-ferries.jpg"}},
		"numbers":                    {nil, []string{"img/p-000001.jpg", "img/p-000002.jpg", "img/p-000003.jpg"}},
		"versions":                   {nil, []string{"lib/jquery-3.7.1.min.js", "lib/d3.v7.min.js", "lib/three-r150.js"}},
		"camels":                     {nil, []string{"src/mainPage.js", "src/fareList.js", "src/tideView.js"}},
		"one among many":             {[]string{"a/app-BxK4aQrT.js"}, []string{"a/harbours-timetabl.js", "a/fares-calendar.js", "a/one.js", "a/two.js", "a/three.js", "a/four.js"}},
		"pages are never":            {nil, []string{"x/index-BxKdaQ1T.html", "x/index-B2KdaQ1T.html", "x/index-B3KdaQ1T.html"}},
		"two are no evidence":        {nil, []string{"b/x-harbours.js", "b/y-calendar.js"}},
		"the same tail at all files": {nil, []string{"i18n/de-release7.js", "i18n/en-release7.js", "i18n/fr-release7.js"}},
	} {
		t.Run(name, func(t *testing.T) {
			var files []File
			for _, p := range slices.Concat(c.with, c.without) {
				files = append(files, File{Path: p, URL: "/" + p, Type: TypeOf(p)})
			}
			slices.Sort(c.with)
			assert.Equal(t, c.with, slices.Sorted(maps.Keys(hashed(files))))
		})
	}
}
