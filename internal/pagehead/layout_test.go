package pagehead

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var layoutTags = []Element{{Name: "link", Attrs: [][2]string{{"rel", "manifest"}, {"href", "/static/app.webmanifest"}}}, {Name: "script", Attrs: [][2]string{{"src", "/static/sw-page.js"}, {"defer", ""}}}}

// TestLayouts puts tags into templates of the common languages, and takes them out again byte for byte.
func TestLayouts(t *testing.T) {
	const end = "</head>\n<body></body></html>\n"
	for name, c := range map[string]struct{ src, why string }{
		"jinja":                {"{% extends 'x' %}{# <head> #}<!doctype html>\n<html>\n<head>\n  <meta charset=utf-8>\n  <title>{% block title %}Skerry{% endblock %}</title>\n  {% block head %}{% endblock %}\n" + end, ""},
		"all in a block":       {"{% block page %}<html>\n<head>\n<title>x</title>\n</head><body></body>{% endblock %}", ""},
		"a block in the head":  {"<html><head>\n{% if user %}\n<title>a</title>\n</head><body>{% else %}<p>{% endif %}", "inside of a part of the template that begins in line 2 ({% if user %})"},
		"two heads":            {"{% if amp %}<head></head>{% else %}<head>\n</head>{% endif %}", "2 times </head>"},
		"no end":               {"<html><head><title>x</title><body>", "no </head>"},
		"an indented language": {"doctype html\nhtml\n  head\n    title x", "no </head>"},
		"php":                  {"<?php require 'a.php'; ?>\r\n<html>\r\n<head>\r\n\t<title><?= $title ?></title>\r\n\t<?php if ($css): ?>\r\n\t<link rel=stylesheet href=\"<?= $css ?>\">\r\n\t<?php endif; ?>\r\n</head>\r\n<body><?php foot();", ""},
		"php around the end":   {"<html><head><?php if ($x) { ?>\n</head><?php } ?>", "begins in line 1"},
		"ejs":                  {"<html><head>\n  <% if (title) { %>\n  <title><%= title %></title>\n  <% } else { %><title>x</title><% } %>\n</head><%- body %>", ""},
		"erb":                  {"<html>\n  <head>\n    <title><%= content_for(:title) || \"Skerry\" %></title>\n    <%= yield :head %>\n  </head>\n</html>", ""},
		"erb around the end":   {"<head>\n<% if a %>\n</head>\n<% end %>", "begins in line 2 (<% if a %>)"},
		"handlebars":           {"<html><head>\n{{#if a}}<title>{{a}}</title>{{/if}}\n</head>{{{body}}}", ""},
		"handlebars around":    {"<html><head>\n{{#if a}}\n</head>{{/if}}{{{body}}}", "begins in line 2"},
		"go":                   {"{{define \"layout\"}}<html>\n<head>\n{{range .css}}<link href={{.}}>{{end}}\n</head>{{end}}", ""},
		"go around":            {"<html><head>{{if .a}}\n</head>{{end}}", "{{if .a}}"},
		"blade":                {"<html><head>\n    <title>@yield('title', 'x')</title>\n    @section('css')\n    <style>@media print { b {} }</style>\n    @show\n    {{-- </head> --}}\n</head>", ""},
		"blade around":         {"<html><head>\n@auth\n</head>@endauth", "@auth"},
		"in one line":          {"<html><head><title>{{ t }}</title></head><body>", ""},
		"head on its own line": {"<head>\n</head>", ""},
		"only in a script":     {"<head><script>var a = '</head>'</script>\n<title>a</title>\n</head>", ""},
		"only in a comment":    {"<head><!-- </head> -->\n</head>", ""},
		"upper case":           {"<HTML><HEAD>\n<TITLE>a</TITLE>\n</HEAD>", ""},
		"header":               {"<head>\n<title>a</title>\n</head><header></header>", ""},
		"mixed ends":           {"<html>\r\n<head>\n  <title>a</title>\n</head>\r\n", ""},
		"braces in scripts":    {"<head><script>function a() {{ return 1 }</script>\n</head>", ""},
	} {
		t.Run(name, func(t *testing.T) {
			l, err := ReadLayout([]byte(c.src))
			if c.why != "" {
				require.ErrorIs(t, err, ErrUnsafe)
				assert.Contains(t, err.Error(), c.why)
				return
			}
			require.NoError(t, err)
			out, err := l.Edit([]byte(c.src), layoutTags)
			require.NoError(t, err)
			at := strings.Index(string(out), "<link rel=\"manifest\"")
			assert.Regexp(t, `(?is)^\s*(<!-- ?/tachyform ?-->)?\s*</head`, string(out[strings.Index(string(out), "defer></script>")+len("defer></script>"):]))
			assert.Greater(t, at, strings.Index(strings.ToLower(string(out)), "<head"))
			again, n, err := RemoveFromLayout(out)
			require.NoError(t, err)
			assert.Equal(t, 1, n)
			assert.Equal(t, c.src, string(again))
		})
	}
	l, err := ReadLayout([]byte("<head>\n</head>"))
	require.NoError(t, err)
	_, err = l.Edit([]byte("<head>\n</head>"), []Element{{Name: "meta", Attrs: [][2]string{{"name", "x"}, {"content", "{{ a }}"}}}})
	assert.ErrorIs(t, err, ErrUnsafe, "what the template would take for its own is not put in")
	_, err = ReadLayout([]byte("<head>\x00</head>"))
	assert.ErrorIs(t, err, ErrUnsafe)
	same, n, err := RemoveFromLayout([]byte("<head></head>"))
	require.NoError(t, err)
	assert.Zero(t, n)
	assert.Equal(t, "<head></head>", string(same))
}

// FuzzLayouts puts tags into any bytes, and takes them out again.
func FuzzLayouts(f *testing.F) {
	f.Add("<html><head>\n{% if a %}{{ b }}{% endif %}\n</head>")
	f.Add("<?php ?><head>\r\n</head><% } %>@end@if")
	f.Fuzz(func(t *testing.T, src string) {
		l, err := ReadLayout([]byte(src))
		if err != nil || strings.Contains(src, "tachyform") {
			return
		}
		out, err := l.Edit([]byte(src), layoutTags)
		if err != nil {
			return
		}
		again, n, err := RemoveFromLayout(out)
		if err != nil || n != 1 || string(again) != src {
			t.Fatalf("%q becomes %q and then %q, %v", src, out, again, err)
		}
	})
}
