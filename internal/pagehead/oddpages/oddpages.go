// Package oddpages is a collection of pages whose heads are hard to find, for tests.
package oddpages

import "unicode/utf16"

// Page is one odd page.
type Page struct {
	Name string
	File string // with the extension that decides between HTML and XHTML
	Data string
	// Left says that the page is to be left alone, by a part of the reason.
	Left string
}

// Pages are the odd pages.
var Pages = []Page{
	{Name: "plain", Data: "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n  <title>Tides</title>\n</head>\n<body>\n<p>High water.\n</body>\n</html>\n"},
	{Name: "no head tags", Data: "<!doctype html>\n<html>\n<title>Tides</title>\n<body><p>High water."},
	{Name: "no html, head or body tags", Data: "<!doctype html>\n<title>Tides</title>\n<p>High water."},
	{Name: "only a paragraph", Data: "<p>High water."},
	{Name: "only text", Data: "High water at nine."},
	{Name: "text after blank lines", Data: "\n\n  High water at nine.\n"},
	{Name: "no title", Data: "<html><head></head><body>x</body></html>"},
	{Name: "empty head over lines", Data: "<html>\n<head>\n</head>\n<body>x</body></html>"},
	{Name: "comment before doctype", Data: "<!-- saved from a boat -->\n<!doctype html>\n<html><head><title>a</title></head><body>"},
	{Name: "comment with head before html", Data: "<!-- <head> --><!doctype html><!-- </head> --><html><!-- <head> --><head><title>a</title></head>"},
	{Name: "head in a script", Data: "<head><script>document.title = '</head><body>'; // <head>\n</script><title>a</title></head><body>"},
	{Name: "head in an escaped script", Data: "<head><script><!-- <script> '</head>' </script> --></script><title>a</title></head><body>"},
	{Name: "header element", Data: "<!doctype html><header><h1>Skerry Line</h1></header>"},
	{Name: "head with attributes", Data: "<html><HEAD profile='x>y' data-a=\"</head>\">\r\n\t<TITLE>a</TITLE>\r\n</HEAD>\r\n<BODY>"},
	{Name: "noscript in head", Data: "<head><noscript><link rel=manifest href=/other><style>p{}</style></noscript><title>a</title></head><body>"},
	{Name: "noscript last in head", Data: "<head><title>a</title><noscript><style>p{}</style></noscript></head><body>"},
	{Name: "template in head", Data: "<head><template><title>t</title><template></template><link rel=manifest href=/other></template><title>a</title></head><body>"},
	{Name: "template never closed", Data: "<head><title>a</title><template><div>"},
	{Name: "base href", Data: "<head><base href='/deep/'><title>a</title></head><body>"},
	{Name: "base href late", Data: "<head><title>a</title><base href='/deep/er/'></head><body>"},
	{Name: "frameset", Data: "<html><head><title>a</title></head><frameset cols='20%,80%'><frame src=a.html><frame src=b.html></frameset></html>"},
	{Name: "frameset without head", Data: "<html><frameset><frame src=a.html></frameset></html>"},
	{Name: "a div ends the head", Data: "<html><head>\n<title>a</title>\n<div>oops</div>\n<link rel=stylesheet href=a.css>\n</head>\n<body>"},
	{Name: "text ends the head", Data: "<html><head>\n<title>a</title>\noops\n</head>\n<body>"},
	{Name: "placeholder in the head", Data: "<html><head><title>{{ title }}</title>{{ head }}</head><body>", Left: "a template"},
	{Name: "placeholder right at the head's start", Data: "<html><head>{{ head }}<title>a</title></head><body>", Left: "a template"},
	{Name: "braces of an application", Data: "<html ng-app><head><title>{{ title }}</title></head><body>"},
	{Name: "braces in the body", Data: "<html><head><title>a</title></head><body>{{ text }} <%= more %>"},
	{Name: "braces in a script of the head", Data: "<html><head><script>const a = '{{ x }}<%'</script><style>{{}</style><!-- <% {{ --><title>a</title></head><body>"},
	{Name: "braces behind a head that nothing closes", Data: "<!doctype html><title>a</title><script src=x.js></script>\n<div v-for=x>{{ x }}</div>"},
	{Name: "braces in a title without head", Data: "<!doctype html><title>{{ title }}</title><p>text", Left: "a template"},
	{Name: "braces behind a picture for those without scripts", Data: "<!doctype html><title>a</title><noscript><img src=x></noscript>{{ head }}<p>text", Left: "a template"},
	{Name: "an include of the server", Data: "<html><head><!--#include virtual=\"/head.html\" --><title>a</title></head><body>", Left: "a template"},
	{Name: "PHP in the head", Data: "<!doctype html><html><head><?php echo 1 ?><title>a</title></head><body>", Left: "a template"},
	{Name: "percent signs in the title", Data: "<html><head><title><%= title %></title></head><body>", Left: "a template"},
	{Name: "second head", Data: "<html><head><title>a</title></head><head><link rel=icon href=x></head><body>"},
	{Name: "links between head and body", Data: "<html><head><title>a</title></head>\n<link rel=stylesheet href=a.css>\n<body>"},
	{Name: "end tag of head only", Data: "</head><title>a</title><body>"},
	{Name: "end tags first", Data: "</p></div><title>a</title></p><body>"},
	{Name: "stray end tags in head", Data: "<head><title>a</title></div></p></span><meta name=a></head><body>"},
	{Name: "br end tag", Data: "<title>a</title></br><p>"},
	{Name: "body right away", Data: "<body bgcolor=white><p>x"},
	{Name: "doctype twice", Data: "<!doctype html><!doctype html><html><head><title>a</title></head>"},
	{Name: "one long line", Data: "<!doctype html><html><head><meta charset=utf-8><title>a</title><link rel=stylesheet href=a.css></head><body><p>x</p></body></html>"},
	{Name: "line feed, then a carriage return", Data: "<html>\n<head>\r<p>x"},
	{Name: "carriage return before the content", Data: "\n\r<title>a</title>\r<p>x"},
	{Name: "carriage returns only", Data: "<html>\r<head>\r  <title>a</title>\r</head>\r<body>\r"},
	{Name: "byte order mark", Data: "\xef\xbb\xbf<!doctype html>\n<html>\n<head>\n\t<title>\xc3\xa4</title>\n</head>\n"},
	{Name: "byte order mark twice", Data: "\xef\xbb\xbf\xef\xbb\xbf<!doctype html><title>a</title>"},
	{Name: "utf-16 little endian", Data: utf16Text("<!doctype html>\r\n<html>\r\n<head>\r\n  <title>\u0100\u013c</title>\r\n</head>\r\n<body>\u3c3c", false)},
	{Name: "utf-16 big endian", Data: utf16Text("<!doctype html>\n<html><head><title>\u0100</title></head><body>", true)},
	{Name: "shift_jis", Data: "<!doctype html>\n<html><head>\n<meta charset=\"shift_jis\">\n<title>\x83\x5c\x83\x5c</title>\n</head><body>\x95\x5c"},
	{Name: "iso-2022-jp", Data: "<html><head>\n<meta charset=\"iso-2022-jp\">\n<title>\x1b$B<h@d>\x1b(B</title>\n</head><body>"},
	{Name: "windows-1252", Data: "<html><head><meta charset=windows-1252>\n<title>caf\xe9</title>\n</head><body>na\xefve"},
	{Name: "charset after 1024 bytes", Data: "<html><head><!--" + spaces(1100) + "--><meta charset=utf-8><title>\xc3\xa4</title></head><body>"},
	{Name: "title never closed", Data: "<html><head><meta name=a><title>a<body><p>x"},
	{Name: "script never closed", Data: "<html><head><meta name=a><script>a</head><body>"},
	{Name: "comment never closed", Data: "<html><head><title>a</title><!-- </head><body>"},
	{Name: "tag cut off", Data: "<html><head><title>a</title><meta name='"},
	{Name: "svg in head", Data: "<head><title>a</title><svg><title>b</title></svg></head><body>"},
	{Name: "style with a head", Data: "<head><style>/* </head> <body> */</style><title>a</title></head><body>"},
	{Name: "processing instruction", Data: "<?xml version=\"1.0\"?>\n<!DOCTYPE html PUBLIC \"-//W3C//DTD XHTML 1.0 Strict//EN\" \"x\">\n<html xmlns=\"http://www.w3.org/1999/xhtml\"><head><title>a</title></head><body/></html>"},
	{Name: "conditional comments", Data: "<head>\n<!--[if IE]><link rel=manifest href=ie><![endif]-->\n<title>a</title>\n<!--[if lt IE 9]><script src=a.js></script><![endif]-->\n</head><body>"},
	{Name: "a dollar and a percent", Data: "<head><title>100% $& $1</title></head><body>"},
	{Name: "white space around everything", Data: " \n <html> \n <head> \n <title>a</title> \n </head> \n <body> \n"},
	{Name: "xhtml", File: "a.xhtml", Data: "<?xml version=\"1.0\"?>\n<html xmlns=\"http://www.w3.org/1999/xhtml\">\n  <head>\n    <title>a</title>\n  </head>\n  <body><p>x</p></body>\n</html>\n"},
	{Name: "xhtml with a prefix", File: "a.xhtml", Data: "<h:html xmlns:h=\"http://www.w3.org/1999/xhtml\"><h:head><h:title>a</h:title></h:head><h:body/></h:html>"},
	{Name: "xhtml with a closed head", File: "a.xhtml", Data: "<html xmlns=\"http://www.w3.org/1999/xhtml\"><head/><body/></html>", Left: "closed in itself"},
	{Name: "broken xhtml", File: "a.xhtml", Data: "<html xmlns=\"http://www.w3.org/1999/xhtml\"><head><title>a</head></html>", Left: "broken XML"},
	{Name: "empty", Data: "", Left: "empty"},
	{Name: "only white space", Data: " \r\n\t", Left: "empty"},
	{Name: "only white space in utf-16", Data: utf16Text(" \n\r", false), Left: "empty"},
	{Name: "binary", Data: "\x7fELF\x02\x01\x01\x00\x00\x00<html><head></head>", Left: "not text"},
	{Name: "front matter", Data: "---\ntitle: a\n---\n<html><head></head>", Left: "template"},
	{Name: "template of a generator", Data: "{% extends \"base.html\" %}\n<p>x", Left: "template"},
	{Name: "a damaged mark", Data: "<head><title>a</title><!--tachyform: fit wrote this, strip removes it--></head>", Left: "lost its end"},
}

func spaces(n int) string {
	b := make([]byte, n)
	for i := range b {
		b[i] = ' '
	}
	return string(b)
}

func utf16Text(s string, big bool) string {
	out := []byte{0xff, 0xfe}
	if big {
		out = []byte{0xfe, 0xff}
	}
	for _, u := range utf16.Encode([]rune(s)) {
		if big {
			out = append(out, byte(u>>8), byte(u))
		} else {
			out = append(out, byte(u), byte(u>>8))
		}
	}
	return string(out)
}
