package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/glossary"
	"tachyform.dev/tachyform/internal/meant"
	"tachyform.dev/tachyform/internal/present"
)

func (a *app) explainCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "explain [CHECK|WORD]",
		Short: "Say what a check, a member of the manifest, a tag or a rule's answer means",
		Long: `Explain says of one check, of audit or compare, why it matters to visitors, how to mend what it finds, on which platforms it
decides about installing, and which text it follows. Of a member of the manifest, a tag of pages, or the answer of a
rule it says what visitors see with each value, on which platforms, what matters together with it, and what happens to
people who have the app when it changes. "install" says why a browser may offer nothing although all is right. Without
a name it lists all checks and words.`,
		Example: "  tachyform explain\n  tachyform explain icons/unusable\n  tachyform explain theme_color\n  tachyform explain install",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			checks := append(audit.About(), compare.Checks()...)
			if len(args) > 0 {
				if w, ok := glossary.Find(args[0]); ok {
					words := present.WordsOf([]glossary.Word{w})
					return a.emit(func(st *present.Style) error { return st.Words(words) }, words)
				}
				var found, names []finding.Check
				for _, c := range checks {
					switch {
					case c.ID == args[0]:
						found = append(found, c)
					case strings.Contains(c.ID, strings.Trim(args[0], "/")):
						names = append(names, c)
					}
				}
				if len(found) == 0 {
					return usage(fmt.Errorf("no check and no word is called %q%s; tachyform explain lists all", args[0], like(names, args[0])))
				}
				checks = found
			}
			report := present.ChecksOf(checks)
			return a.emit(func(st *present.Style) error {
				if err := st.Checks(report, len(args) > 0); err != nil || len(args) > 0 {
					return err
				}
				return st.WordNames(glossary.Names())
			}, report)
		},
	}
}

// like names checks, or a word, that may have been meant.
func like(checks []finding.Check, name string) string {
	var ids []string
	if best := meant.By(name, glossary.Names()); best != "" {
		ids = append(ids, best)
	}
	if len(checks) == 0 && len(ids) == 0 {
		return ""
	}
	for _, c := range checks {
		ids = append(ids, c.ID)
	}
	return " (do you mean " + strings.Join(ids, ", ") + "?)"
}
