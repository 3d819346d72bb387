package main

import (
	"fmt"
	"html/template"
	"strings"
)

const layout = `<!doctype html>
<html lang="en-GB">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>{{.Title}} - Skerry Line</title>
  <meta name="description" content="{{.Description}}">
  <link rel="stylesheet" href="/assets/css/base.css">
  <link rel="stylesheet" href="/assets/css/site.css">
{{- range .Scripts}}
  <script type="module" src="{{.}}"></script>
{{- end}}
</head>
<body>
  <p class="notice" data-app-offline hidden>No connection. Sailings shown here may have changed.</p>
  <header class="top">
    <a class="brand" href="/"><img src="/assets/brand/mark.svg" alt="" width="40" height="40"> Skerry Line</a>
    <nav aria-label="Main">
      <a href="/timetable/"{{if eq .Section "timetable"}} aria-current="page"{{end}}>Timetable</a>
      <a href="/harbours/"{{if eq .Section "harbours"}} aria-current="page"{{end}}>Harbours</a>
      <a href="/tides/"{{if eq .Section "tides"}} aria-current="page"{{end}}>Tides</a>
      <a href="/fares/"{{if eq .Section "fares"}} aria-current="page"{{end}}>Fares</a>
      <a href="/gallery/"{{if eq .Section "gallery"}} aria-current="page"{{end}}>Gallery</a>
      <a class="book" href="/book/">Book</a>
    </nav>
  </header>
  <main>
{{.Body}}
  </main>
  <footer>
    <p>Skerry Line is a small ferry company with two ships, five harbours and a cat. <a href="/about/">About us</a>, <a href="/help/">help</a>, <a href="/account/">your account</a></p>
    <p><button type="button" data-app-install hidden>Put Skerry Line on this device</button> <button type="button" data-app-update hidden>A new timetable is here: show it</button></p>
  </footer>
</body>
</html>
`

type harbour struct{ id, name, photo, alt, text, berth, from string }

var harbours = []harbour{
	{"staffin", "Staffin", "staffin-pier", "The pier at Staffin with boats and white houses", "Our home port. The ticket office opens half an hour before each sailing, and the kettle is on.", "North pier, berth 1", "the bus stops at the pier gate"},
	{"orran", "Orran", "orran-light", "The light of Orran at dusk", "The light was first lit in 1861 and still shows two flashes every ten seconds. Cars wait on the slip.", "Stone slip", "a ten-minute walk from the village"},
	{"kelda", "Kelda", "kelda-sound", "Grey hills behind Kelda Sound", "The narrowest berth on the line: in strong westerly wind we call at the old quay instead.", "New quay or old quay", "the shop keeps the waiting-room key"},
	{"tarsay", "Tarsay", "tarsay-sands", "Pale sand and green water at Tarsay", "At low water the ship lies off and a launch brings you ashore. Bring dry socks all the same.", "Launch from the roads", "a track over the dunes"},
	{"brae", "Brae", "brae-evening", "The houses of Brae in the evening", "The last stop in summer, and the place where the night boat sleeps.", "Inner harbour", "opposite the Fisher's Rest"},
}

func pages() []page {
	var out []page
	add := func(path, title, description, section, body string, scripts ...string) {
		out = append(out, page{path, title, description, section, scripts, template.HTML(indent(body))})
	}
	add("index.html", "Island ferries", "Ferries between Staffin, Orran, Kelda, Tarsay and Brae: timetable, tides, fares and booking.", "home", `<section class="hero">
  <img src="/photos/morning-crossing.jpg" alt="Our ferry on a calm sea in the morning" width="720" height="480">
  <div>
    <h1>Five islands, two ships, every day</h1>
    <p>We sail from Staffin to Orran, Kelda, Tarsay and Brae, in most weathers and in good temper.</p>
    <p><a class="button" href="/timetable/">See the timetable</a> <a class="button quiet" href="/book/">Book a crossing</a></p>
  </div>
</section>
<section>
  <h2>Next departures</h2>
  <table class="departures" data-departures><caption>From all harbours today</caption><tbody><tr><td>The list needs a script. The <a href="/timetable/">timetable</a> does not.</td></tr></tbody></table>
</section>
<section class="cards">
  <a href="/tides/"><h2>Tides</h2><p>High and low water at all five harbours.</p></a>
  <a href="/fares/"><h2>Fares</h2><p>Islanders' books, day returns, bicycles, sheep.</p></a>
  <a href="/gallery/"><h2>Gallery</h2><p>Twelve views from the rail.</p></a>
</section>`, "/assets/js/main.js")
	add("timetable/index.html", "Timetable", "When our ships sail, summer and winter.", "timetable", `<h1>Timetable</h1>
<p>Valid until the end of April. Ships wait for the school bus, and for nobody else.</p>
`+timetable("Staffin to Brae", []string{"Staffin", "Orran", "Kelda", "Tarsay", "Brae"}, []int{415, 590, 800, 1045})+timetable("Brae to Staffin", []string{"Brae", "Tarsay", "Kelda", "Orran", "Staffin"}, []int{480, 680, 905, 1150})+`<h2>Today</h2>
<table class="departures" data-departures><caption>Live from the bridge</caption><tbody><tr><td>The list needs a script.</td></tr></tbody></table>
<img class="wide" src="/photos/winter-timetable.jpg" alt="The ferry in winter rain" width="720" height="480">`, "/assets/js/main.js")
	var list strings.Builder
	for _, h := range harbours {
		fmt.Fprintf(&list, "  <a href=\"/harbours/%s/\"><img src=\"/photos/%s.jpg\" alt=\"%s\" width=\"720\" height=\"480\"><h2>%s</h2></a>\n", h.id, h.photo, h.alt, h.name)
		add("harbours/"+h.id+"/index.html", h.name, "The harbour of "+h.name+": berth, way and next departures.", "harbours", fmt.Sprintf(`<p class="crumbs"><a href="../">Harbours</a></p>
<h1>%s</h1>
<img class="wide" src="../../photos/%s.jpg" alt="%s" width="720" height="480">
<p>%s</p>
<dl>
  <dt>Berth</dt><dd>%s</dd>
  <dt>On foot</dt><dd>%s</dd>
</dl>
<h2>Next departures</h2>
<table class="departures" data-departures data-from="%s"><caption>From %s today</caption><tbody><tr><td>See the <a href="/timetable/">timetable</a>.</td></tr></tbody></table>`,
			h.name, h.photo, h.alt, h.text, h.berth, h.from, h.name, h.name), "../../assets/js/main.js")
	}
	add("harbours/index.html", "Harbours", "The five harbours we call at.", "harbours", "<h1>Harbours</h1>\n<section class=\"tiles\">\n"+list.String()+"</section>")
	add("tides/index.html", "Tides", "High and low water at the five harbours.", "tides", `<h1>Tides</h1>
<p>Heights in metres above chart datum. Do not navigate by a ferry company's website.</p>
<div data-tides><p>The curve needs a script.</p></div>
<img class="wide" src="/photos/spring-tide.jpg" alt="Birds over a spring tide" width="720" height="480">`, "/assets/js/tides.js")
	add("fares/index.html", "Fares", "What a crossing costs.", "fares", `<h1>Fares</h1>
<table>
  <caption>Single, in pounds</caption>
  <thead><tr><th scope="col">Who</th><th scope="col">One island</th><th scope="col">Two or more</th></tr></thead>
  <tbody>
    <tr><th scope="row">Grown-up</th><td>6.40</td><td>9.20</td></tr>
    <tr><th scope="row">Child, 5 to 15</th><td>3.20</td><td>4.60</td></tr>
    <tr><th scope="row">Bicycle</th><td>2.00</td><td>2.00</td></tr>
    <tr><th scope="row">Car, with driver</th><td>28.50</td><td>41.00</td></tr>
    <tr><th scope="row">Sheep</th><td>1.10</td><td>1.10</td></tr>
  </tbody>
</table>
<p>Islanders' books of ten cost the price of seven. Dogs travel free and on deck.</p>`)
	add("book/index.html", "Book a crossing", "Book a place for yourself, a car or a flock.", "book", `<h1>Book a crossing</h1>
<form method="post" action="/api/bookings" data-booking>
  <label>Your name <input name="name" autocomplete="name" required></label>
  <label>From <select name="from"><option>Staffin</option><option>Orran</option><option>Kelda</option><option>Tarsay</option><option>Brae</option></select></label>
  <label>To <select name="to"><option>Orran</option><option>Kelda</option><option>Tarsay</option><option>Brae</option><option>Staffin</option></select></label>
  <label>Day <input type="date" name="day" required></label>
  <label>Passengers <input type="number" name="passengers" min="1" max="40" value="1"></label>
  <button>Book</button>
  <p role="status" data-answer></p>
</form>`, "/assets/js/booking.js")
	var shots strings.Builder
	for _, s := range scenes {
		name := strings.ReplaceAll(s.name, "-", " ")
		fmt.Fprintf(&shots, "  <figure><img src=\"/photos/%s.jpg\" alt=\"%s\" width=\"720\" height=\"480\"><figcaption>%s</figcaption></figure>\n", s.name, name, strings.ToUpper(name[:1])+name[1:])
	}
	add("gallery/index.html", "Gallery", "Views from the rail.", "gallery", "<h1>Gallery</h1>\n<section class=\"gallery\">\n"+shots.String()+"</section>")
	add("about/index.html", "About us", "Two ships, eleven people, and a cat.", "about", `<h1>About us</h1>
<p>Skerry Line has sailed since 1922, first under canvas. Today the Maid of Orran and the Lady Brae carry mail, cars, schoolchildren and whatever else will walk up a ramp.</p>
<img class="wide" src="/photos/the-maid-of-orran.jpg" alt="The Maid of Orran" width="720" height="480">
<h2>Her horn</h2>
<p><audio controls preload="none" src="/assets/horn.wav"></audio></p>`)
	add("help/index.html", "Help", "Questions we are asked on the pier.", "help", `<h1>Help</h1>
<h2>Is the boat running?</h2>
<p>If the home page lists it, it runs. In doubt ring the Staffin office: it is the number painted on the shed.</p>
<h2>What if I have no signal?</h2>
<p>Nobody has, beyond Orran. Open the timetable before you leave.</p>`)
	add("account/index.html", "Your account", "Bookings and books of tickets.", "account", `<h1>Your account</h1>
<form method="post" action="/api/sign-in">
  <label>E-mail <input type="email" name="email" autocomplete="username"></label>
  <label>Password <input type="password" name="password" autocomplete="current-password"></label>
  <button>Sign in</button>
</form>`)
	add("404.html", "Nothing here", "This page does not exist.", "", `<h1>No such page</h1>
<p>It may have sailed. Try the <a href="/timetable/">timetable</a> or the <a href="/">start page</a>.</p>`)
	return out
}

func timetable(caption string, stops []string, starts []int) string {
	var b strings.Builder
	b.WriteString("<table class=\"times\">\n  <caption>" + caption + "</caption>\n  <tbody>\n")
	for i, s := range stops {
		b.WriteString("    <tr><th scope=\"row\">" + s + "</th>")
		for _, t := range starts {
			m := t + i*35 + i*i*3
			fmt.Fprintf(&b, "<td>%02d:%02d</td>", m/60, m%60)
		}
		b.WriteString("</tr>\n")
	}
	b.WriteString("  </tbody>\n</table>\n")
	return b.String()
}

func indent(s string) string {
	return "    " + strings.ReplaceAll(s, "\n", "\n    ")
}
