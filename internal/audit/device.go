package audit

import (
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/platform"
)

var deviceChecks = []Check{
	{
		ID: "device/not-everywhere", Level: Advice, Title: "What scripts ask of a device is there on all platforms", Example: "navigator.bluetooth, which no iPhone has",
		Why:  "On a platform that lacks it the script fails, or a button does nothing.",
		Mend: "show what needs it only where it is there, and offer another way; [audit] platforms names those that the site is for", Spec: "open compatibility data, dated in docs/words.md",
		run: func(f *facts) ([]Finding, bool) {
			if len(f.inv.Features) == 0 {
				return nil, false
			}
			var out []Finding
			for _, a := range f.inv.Features {
				feature, ok := platform.FeatureOf(a.ID)
				if !ok || a.ID == "launch" { // where no file is handed over, nobody misses it
					continue
				}
				var lack []string
				for _, p := range platform.All {
					if slices.Contains(f.platforms, p.ID) && p.Has(a.ID) == "" {
						lack = append(lack, p.Name)
					}
				}
				if len(lack) > 0 {
					out = append(out, Finding{File: a.File, Line: a.Line, Column: a.Column, Message: fmt.Sprintf("asks for %s (%s), which is not there on %s", feature.Name, feature.Asks, strings.Join(lack, "; "))})
				}
			}
			return out, true
		},
	},
}
