package markup

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPlaceholders(t *testing.T) {
	for name, c := range map[string]struct {
		src  string
		want []Placeholder
	}{
		"a property of the global":  {"keep(self.__LIST);", []Placeholder{{"__LIST", 5}}},
		"a bare name":               {"const list = __FILES__;", []Placeholder{{"__FILES__", 13}}},
		"a text":                    {"const v = '@@version', w = \"%BUILD_ID%\", x = \"{{ release }}\";", []Placeholder{{"'@@version'", 10}, {`"%BUILD_ID%"`, 27}, {`"{{ release }}"`, 45}}},
		"in plain quotes":           {`caches.open("${VERSION}")`, []Placeholder{{`"${VERSION}"`, 12}}},
		"filled":                    {`const list = [{"url": "/"}], v = "3f2a";`, nil},
		"set elsewhere":             {"self.__LIST = []; keep(self.__LIST);", nil},
		"declared":                  {"const __LIST = []; keep(__LIST);", nil},
		"declared after its use":    {"function f() { return __LIST; } var __LIST = [];", nil},
		"asked for its type":        {`if (typeof __DEV__ !== "undefined" && __DEV__) log();`, nil},
		"of something else":         {"keep(x.__LIST, this.page.__LIST);", nil},
		"in a comment":              {"// self.__LIST and @@version\n/* __FILES__ */ f();", nil},
		"a text with more":          {`log("costs 5% OF 10%", "{{a}} and {{b}}", "__x__");`, nil},
		"a real template":           {"caches.open(`v-${VERSION}`)", nil},
		"a script that is not read": {"const = ;", nil},
		"a name of a property":      {"const o = {__LIST: 1};", nil},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, c.want, Placeholders([]byte(c.src))) })
	}
}

func TestConditionsOfRegistrations(t *testing.T) {
	for src, want := range map[string]string{
		`if ("serviceWorker" in navigator) navigator.serviceWorker.register("/sw.js");`:                                                "",
		`navigator.serviceWorker.register("/sw.js"); if (x) y();`:                                                                      "",
		`if (process.env.NODE_ENV === "production") { navigator.serviceWorker.register("/sw.js"); }`:                                   `process.env.NODE_ENV === "production"`,
		`if (IS_PROD && "serviceWorker" in navigator) { addEventListener("load", () => navigator.serviceWorker.register("/sw.js")); }`: "IS_PROD",
		`"serviceWorker" in navigator && settings.offline && navigator.serviceWorker.register("/sw.js");`:                              "settings.offline",
		`if (a) { if (b) x(); navigator.serviceWorker.register("/sw.js"); }`:                                                           "a",
	} {
		f := ReadScript([]byte(src), 0)
		if assert.Len(t, f.Registrations, 1, src) {
			assert.Equal(t, want, f.Registrations[0].When, src)
		}
	}
}
