package site

import (
	"path"
	"strings"
)

// types maps file extensions to the media type a plain static server sends. The table is our own so that
// the result does not depend on the machine's mime.types.
var types = map[string]string{
	".html": "text/html", ".htm": "text/html",
	".xhtml": "application/xhtml+xml", ".xht": "application/xhtml+xml",
	".css": "text/css; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".mjs": "text/javascript; charset=utf-8",
	".json": "application/json", ".map": "application/json", ".geojson": "application/geo+json", ".jsonld": "application/ld+json",
	".webmanifest": "application/manifest+json",
	".svg":         "image/svg+xml", ".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif",
	".webp": "image/webp", ".avif": "image/avif", ".ico": "image/x-icon", ".bmp": "image/bmp", ".apng": "image/apng",
	".woff": "font/woff", ".woff2": "font/woff2", ".ttf": "font/ttf", ".otf": "font/otf", ".eot": "application/vnd.ms-fontobject",
	".mp3": "audio/mpeg", ".ogg": "audio/ogg", ".oga": "audio/ogg", ".opus": "audio/ogg", ".wav": "audio/wav", ".m4a": "audio/mp4", ".flac": "audio/flac",
	".mp4": "video/mp4", ".m4v": "video/mp4", ".webm": "video/webm", ".ogv": "video/ogg", ".vtt": "text/vtt; charset=utf-8",
	".txt": "text/plain; charset=utf-8", ".md": "text/markdown; charset=utf-8", ".csv": "text/csv; charset=utf-8",
	".xml": "application/xml", ".rss": "application/rss+xml", ".atom": "application/atom+xml",
	".pdf": "application/pdf", ".wasm": "application/wasm", ".zip": "application/zip", ".gz": "application/gzip",
	".ics": "text/calendar; charset=utf-8",
}

// TypeOf gives the media type for a file name by its extension, application/octet-stream when unknown.
// Pages carry no charset parameter: the page itself declares its encoding, and a header would overrule it.
func TypeOf(name string) string {
	if t, ok := types[strings.ToLower(path.Ext(name))]; ok {
		return t
	}
	return "application/octet-stream"
}

// Essence is a media type without its parameters, in lower case.
func Essence(mediaType string) string {
	essence, _, _ := strings.Cut(mediaType, ";")
	return strings.ToLower(strings.TrimSpace(essence))
}

// Kind sorts file names into the words a person uses for files.
func Kind(name string) string { return kind(TypeOf(name), name) }

// Kind is what a person calls the file, by the media type that it is served with.
func (f File) Kind() string { return kind(f.Type, f.Path) }

func kind(mediaType, name string) string {
	essence := Essence(mediaType)
	switch {
	case strings.Contains(essence, "html") && strings.Contains("/"+name, "/node_modules/"):
		return "other" // of a package: no page of the site
	case essence == "text/html" || essence == "application/xhtml+xml":
		return "page"
	case essence == "text/css":
		return "style"
	case essence == "text/javascript" || essence == "application/javascript" || essence == "application/x-javascript":
		return "script"
	case essence == "application/manifest+json":
		return "manifest"
	case strings.HasPrefix(essence, "image/"):
		return "image"
	case strings.HasPrefix(essence, "font/") || essence == "application/vnd.ms-fontobject":
		return "font"
	case strings.HasPrefix(essence, "audio/") || strings.HasPrefix(essence, "video/"):
		return "media"
	case strings.HasSuffix(name, ".map"):
		return "source map"
	case essence == "application/json" || essence == "application/xml" || strings.HasSuffix(essence, "+json") ||
		strings.HasSuffix(essence, "+xml") || essence == "text/csv":
		return "data"
	}
	return "other"
}
