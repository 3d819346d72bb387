package pagetruth

// Differs names the pages of which the embedded stage is known to make something else than Chromium, and why.
var Differs = map[string]string{
	"observers of view and size":   "there is no layout: a size is told once, and does not change with the text",
	"modules that fail":            "a name that a module does not export is undefined when it is used; browsers do not run the module that imports it",
	"the base of a page":           "which of two answers comes first is the network's",
	"focus":                        "a browser without a window has no focus, and fires no events of it; the stage is what a visitor has before them",
	"numbers, dates and languages": "dates and numbers have the form of en-US, whatever language is asked for",
}
