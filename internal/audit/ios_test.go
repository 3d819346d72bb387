package audit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestIOS reads what is said of tags for iPhones, as people write them.
func TestIOS(t *testing.T) {
	for tag, want := range map[string]string{
		`<meta name="apple-mobile-web-app-status-bar" content="black">`:                   `ios/name-unknown no system knows the name "apple-mobile-web-app-status-bar"; is "apple-mobile-web-app-status-bar-style" meant?`,
		`<meta name="apple-mobile-webapp-capable" content="yes">`:                         `ios/name-unknown no system knows the name "apple-mobile-webapp-capable"; is "apple-mobile-web-app-capable" meant?`,
		`<meta name="Apple-Mobile-Web-App-Title" content="Skerry">`:                       "",
		`<meta name="apple-touch-fullscreen" content="yes">`:                              "ios/name-unknown apple-touch-fullscreen: no system looks at it any more",
		`<meta name="apple-mobile-web-app-capable" content="true">`:                       `ios/value-unknown apple-mobile-web-app-capable is "true": it is yes, and nothing else does`,
		`<meta name="apple-mobile-web-app-status-bar-style" content="#fff">`:              `ios/value-unknown the status bar's style is "#fff": it is one of default, black, black-translucent. It takes no colour`,
		`<meta name="apple-mobile-web-app-status-bar-style" content="black-transparent">`: `is "black-translucent" meant?`,
		`<meta name="apple-mobile-web-app-status-bar-style" content="default">`:           "",
		`<link rel="apple-touch-startup-image" href="/launch.png">`:                       "",
		`<link rel="apple-touch-startup-image" href="/wide.png">`:                         "/wide.png has 640 x 400 px, which no current device has",
		`<link rel="apple-touch-startup-image" href="/gone.png">`:                         "/gone.png is not in the site",
		`<link rel="apple-touch-startup-image" media="(device-width: 375px) and (device-height: 667px) and (-webkit-device-pixel-ratio: 2) and (orientation: landscape)" href="/launch.png">`: "/launch.png has 750 x 1334 px, and its media query is true for screens of 1334 x 750",
	} {
		r := run(t, map[string]string{"fares.html": strings.Replace(goodHead, goodIOS, tag, 1)})
		got := ""
		for _, c := range r.Checks {
			if c.State == "failed" && strings.HasPrefix(c.ID, "ios/") {
				got += c.ID + " " + c.Findings[0].Message
			}
		}
		if want == "" {
			assert.Empty(t, got, tag)
		} else {
			assert.Contains(t, got, want, tag)
		}
	}
}
