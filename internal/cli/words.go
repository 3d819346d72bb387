package cli

import (
	"fmt"
	"regexp"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/glossary"
	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/meant"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/site"
)

// nearest gives which of some names a misspelt one may mean, as a question; "" for none.
func nearest(name string, names []string) string {
	best := meant.By(name, names)
	if best == "" {
		return ""
	}
	return "; do you mean " + best + "?"
}

var (
	unknownOption  = regexp.MustCompile(`^unknown (?:shorthand )?flag: (.*)$`)
	optionWantsOne = regexp.MustCompile(`^flag needs an argument: (.*)$`)
)

// inOurWords has the library's errors about commands, names and options be said as all others are.
func inOurWords(root *cobra.Command) {
	root.Args = func(_ *cobra.Command, args []string) error {
		if len(args) == 0 {
			return nil
		}
		var names []string
		for _, c := range root.Commands() {
			names = append(names, c.Name())
		}
		return fmt.Errorf("there is no command %q%s (tachyform --help lists all)", args[0], nearest(args[0], names))
	}
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		if m := unknownOption.FindStringSubmatch(err.Error()); m != nil {
			var names []string
			note := func(f *pflag.Flag) { names = append(names, "--"+f.Name) }
			c.Flags().VisitAll(note)
			c.InheritedFlags().VisitAll(note)
			name, _, _ := strings.Cut(m[1], "=")
			return fmt.Errorf("%s has no option %s%s", c.Name(), name, nearest(name, names))
		}
		if m := optionWantsOne.FindStringSubmatch(err.Error()); m != nil {
			return fmt.Errorf("%s wants a value", m[1])
		}
		return err
	})
	for _, c := range root.Commands() {
		args := c.Args
		if args == nil {
			continue
		}
		c.Args = func(c *cobra.Command, given []string) error {
			if err := args(c, given); err != nil {
				count := fmt.Sprintf("%d names were", len(given))
				if len(given) == 1 {
					count = "1 name was"
				}
				return fmt.Errorf("it is written as \"tachyform %s\", and %s given", c.Use, count)
			}
			return nil
		}
	}
}

// released is the version of a module that was not built from a working copy.
var released = regexp.MustCompile(`^v\d+\.\d+\.\d+(-[a-z]+\.\d+)?$`)

// version says which program this is: its version, what it was built from, as far as that is known, and by which Go.
func version() string {
	text := Version
	if info, ok := debug.ReadBuildInfo(); ok {
		if released.MatchString(info.Main.Version) { // by go install
			text = strings.TrimPrefix(info.Main.Version, "v")
		}
		revision, changed := "", ""
		for _, s := range info.Settings {
			switch {
			case s.Key == "vcs.revision":
				revision = s.Value[:min(12, len(s.Value))]
			case s.Key == "vcs.modified" && s.Value == "true":
				changed = " with changes"
			}
		}
		if revision != "" {
			text += ", commit " + revision + changed
		}
	}
	return text + ", " + runtime.Version()
}

// completions gives shells the values that options and names can have.
func completions(root *cobra.Command) {
	var checks, areas, names, schemas, states []string
	for _, c := range audit.About() {
		checks = append(checks, c.ID)
		if !slices.Contains(areas, c.Area()) {
			areas = append(areas, c.Area())
		}
	}
	for _, c := range compare.Checks() {
		names = append(names, c.ID)
	}
	schemas = append(schemas, "config")
	for _, s := range present.Schemas().Schemas {
		schemas = append(schemas, s.Name)
	}
	for _, n := range site.Networks {
		states = append(states, string(n))
	}
	var platforms []string
	for _, p := range platform.All {
		platforms = append(platforms, p.ID)
	}
	values := map[string][]string{
		"fail-on": {"blocker", "warning", "advice", "never"}, "scripts": {"run", "read"}, "network": states, "only": append(slices.Clone(areas), checks...), "skip": append(slices.Clone(areas), checks...),
		"for": hosting.Hosts, "platform": platforms,
	}
	of := map[string]map[string][]string{
		"rehearse": {"stage": {"embedded", "chromium", "both", "auto"}, "detail": {"text", "requests", "errors"}, "format": {"text", "json"}},
		"compare":  {"stage": {"embedded", "chromium"}, "format": {"text", "json", "markdown"}},
		"audit":    {"format": {"text", "json", "markdown", "junit", "sarif", "html"}},
		"serve":    {"worker": {"real", "aside", "newest"}},
	}
	for _, c := range root.Commands() {
		c.Flags().VisitAll(func(f *pflag.Flag) {
			list := values[f.Name]
			if own := of[c.Name()][f.Name]; own != nil {
				list = own
			}
			if list != nil {
				_ = c.RegisterFlagCompletionFunc(f.Name, cobra.FixedCompletions(list, cobra.ShellCompDirectiveNoFileComp)) // there is such a flag
			}
		})
		first := map[string][]string{"explain": slices.Concat(checks, names, glossary.Names()), "schema": schemas}[c.Name()]
		if first != nil {
			c.ValidArgsFunction = func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
				if len(args) > 0 {
					return nil, cobra.ShellCompDirectiveNoFileComp
				}
				return first, cobra.ShellCompDirectiveNoFileComp
			}
		}
	}
	_ = root.RegisterFlagCompletionFunc("format", func(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
		if list := of[c.Name()]["format"]; list != nil {
			return list, cobra.ShellCompDirectiveNoFileComp
		}
		return []string{"text", "json"}, cobra.ShellCompDirectiveNoFileComp
	})
}
