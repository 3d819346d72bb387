package cli

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/regular"
)

func (a *app) headersCommand() *cobra.Command {
	var base, host, root, out string
	var clear bool
	cmd := &cobra.Command{
		Use:   "headers [SITE]",
		Short: "Write what the host has to send, as configuration for common web servers",
		Long: `Headers writes what a web server has to send for the site, from its files and its configuration:
  lifetimes     what has a digest in its name is kept for ever; browsers ask again for everything else, above all for
                the worker, the manifest and the page script
  media types   of files that servers may not know, such as the manifest
  scope         Service-Worker-Allowed, where a worker answers for more than its folder
  policy        the site's Content-Security-Policy with what manifest, worker and page script need
  addresses     redirects, addresses without .html, the page that answers the routes of an application, 404.html
  compression   for what becomes smaller by it

  nginx         a file for conf.d                    apache   .htaccess, or lines for <Directory>
  caddy         a Caddyfile                          json     all of it as data
  files         _headers and _redirects, two plain files that several static hosts read

serve answers as these do.`,
		Example: "  tachyform headers dist --for nginx --root /srv/skerry-line\n  tachyform headers dist --for apache --out dist\n  tachyform headers dist --for files --out dist\n  tachyform headers dist --for json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(hosting.Hosts, host) {
				if host == "" {
					return usage(fmt.Errorf("name the host with --for: %s", strings.Join(hosting.Hosts, ", ")))
				}
				return usage(fmt.Errorf("--for %s: it is one of %s", host, strings.Join(hosting.Hosts, ", ")))
			}
			if strings.ContainsAny(root, "\n\r\"`$") {
				return usage(fmt.Errorf("--root %q: a folder of that name cannot be written into a configuration", root))
			}
			c, s, err := a.open(args, base)
			if err != nil {
				return err
			}
			defer s.Close()
			plan, err := a.work(c).Hosting(cmd.Context(), s, clear)
			if err != nil {
				return runError(err)
			}
			files, _ := plan.For(host, root)
			if a.format == "json" {
				return a.emit(nil, plan)
			}
			if out == "" {
				return a.emit(func(st *present.Style) error { return st.HostFiles(files) }, plan)
			}
			return a.writeHost(out, files)
		},
	}
	f := cmd.Flags()
	f.StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&host, "for", "", "the `host`: nginx, apache, caddy, files or json")
	f.StringVar(&root, "root", hosting.Root, "`folder` on the host that answers for /, for nginx and caddy")
	f.BoolVar(&clear, "clear", false, "have pages empty what browsers have stored of the origin, workers too (Clear-Site-Data): for a host where nobody can put a file; retire loses less and reaches more")
	f.StringVar(&out, "out", "", "write the files into a `folder` by the names that the host expects")
	return cmd
}

// errMade says that a file is not one that an earlier run wrote.
var errMade = errors.New("is there, and \"tachyform headers\" did not write it")

// writeHost writes files of a host's configuration into a folder, all of them or none.
func (a *app) writeHost(dir string, files []hosting.Output) error {
	info, err := os.Stat(dir)
	if err != nil || !info.IsDir() {
		return usage(fmt.Errorf("--out %s: there is no such folder", dir))
	}
	for _, f := range files {
		was, err := regular.ReadFile(filepath.Join(dir, f.Name), regular.Small)
		if err == nil && !bytes.Contains(was, []byte(`Written by "tachyform headers"`)) && f.Name != "hosting.json" {
			return usage(fmt.Errorf("%s %w; take over by hand what it says, or name another folder with --out", filepath.Join(dir, f.Name), errMade))
		}
	}
	for _, f := range files {
		name := filepath.Join(dir, f.Name)
		if err := os.WriteFile(name+".part", []byte(f.Text), 0o644); err != nil { //nolint:gosec // everybody may read it
			return broken(err)
		}
		if err := os.Rename(name+".part", name); err != nil {
			return broken(err)
		}
		if !a.quiet {
			fmt.Fprintf(a.out, "wrote %s\n", name)
		}
	}
	return nil
}
