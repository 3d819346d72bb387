package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/shell"
)

func (a *app) draftCommand() *cobra.Command {
	var base string
	var force, schema bool
	var public, publicPath string
	var reach reaching
	cmd := &cobra.Command{
		Use:   "draft SITE",
		Short: "Write a commented tachyform.toml filled from the survey",
		Long: `Draft surveys the folder SITE and writes a configuration with what fit would choose, each value with its reason: names,
colours, what to store within a ceiling, a rule for each endpoint, exceptions for pages that look personal. fit runs on
it unchanged. An existing file is never overwritten without --force.

SITE may be the address of a running server that makes the pages, with --public for the folder whose files it sends.`,
		Example: "  tachyform draft dist\n  tachyform draft dist --output tachyform.toml --force\n  tachyform draft dist --schema --force",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			out := a.output
			if out == "" {
				out = config.Name
			}
			if schema && out == stdout {
				return usage(errors.New("--schema writes a file beside the draft's, and --output - writes no file"))
			}
			if _, err := os.Lstat(out); out != stdout && !errors.Is(err, fs.ErrNotExist) && !force {
				return usage(fmt.Errorf("%s is there already; --force overwrites it, --output names another file", out))
			}
			if schema {
				name := filepath.Join(filepath.Dir(out), config.SchemaName)
				if _, err := os.Lstat(name); !errors.Is(err, fs.ErrNotExist) && !force {
					return usage(fmt.Errorf("%s is there already; --force overwrites it", name))
				}
				a.schemaFor = name
			}
			a.config, a.place = os.DevNull, "" // what an earlier draft says does not count
			if run.IsAddress(args[0]) {
				return a.draftServed(cmd.Context(), args[0], out, drafted{public, publicPath, reach})
			}
			if public+publicPath != "" {
				return usage(errors.New("--public and --public-path go with the address of the server that makes the pages"))
			}
			if err := reach.folder(); err != nil {
				return err
			}
			c, s, err := a.open(args, base)
			if err != nil {
				return err
			}
			defer s.Close()
			if dir, err := filepath.Abs(filepath.Join(filepath.Dir(out), config.RecordedDir)); err == nil {
				if _, err := os.Stat(filepath.Join(dir, config.RecordedName)); err == nil { // what servers answer does
					c.Server.Recorded = &dir
				}
			}
			rules, err := c.SiteRules()
			if err != nil {
				return usage(err)
			}
			named, err := fitting.SiteFor(args[0], out)
			if err != nil {
				return usage(err)
			}
			step, end := a.progress("Reading")
			data, err := fitting.Draft(cmd.Context(), s, named, fitting.Options{Progress: step, Applications: a.work(c).Applications(s), Redirects: rules.Redirects})
			end()
			if err != nil {
				return fitError(err)
			}
			return a.writeDraft(out, data)
		},
	}
	cmd.Flags().StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	cmd.Flags().StringVar(&public, "public", "", "of a server's address: the `folder` whose files it sends")
	cmd.Flags().StringVar(&publicPath, "public-path", "", "URL `path` that they are sent below (default: by what is sent)")
	reach.flags(cmd.Flags())
	cmd.Flags().BoolVar(&force, "force", false, "overwrite an existing file")
	cmd.Flags().BoolVar(&schema, "schema", false, "also write "+config.SchemaName+", by which editors complete and explain keys")
	return cmd
}

// putWhole writes a file whole or not at all.
func putWhole(name string, data []byte) error {
	temp := name + ".tmp"
	if err := os.WriteFile(temp, data, 0o644); err != nil {
		return err
	}
	if err := os.Rename(temp, name); err != nil {
		_ = os.Remove(temp)
		return err
	}
	return nil
}

// writeDraft writes a configuration whole or not at all, and says so.
func (a *app) writeDraft(out string, data []byte) error {
	if _, err := config.Parse(out, data); err != nil {
		return broken(fmt.Errorf("the draft is not a configuration: %w", err))
	}
	if out == stdout {
		a.output = ""
		return a.write(func(w io.Writer) error { _, err := w.Write(data); return err })
	}
	if a.schemaFor != "" {
		data = append([]byte(config.SchemaLine+"\n"), data...)
		if err := putWhole(a.schemaFor, config.Schema()); err != nil {
			return broken(err)
		}
	}
	if err := putWhole(out, data); err != nil {
		return broken(err)
	}
	a.output, a.config = "", ""
	return a.emit(func(st *present.Style) error {
		text := fmt.Sprintf("Wrote %s, %d bytes", out, len(data))
		if a.schemaFor != "" {
			text += ", and " + a.schemaFor + " for editors"
		}
		if err := st.Heading(text); err != nil {
			return err
		}
		command := "tachyform fit"
		if out != config.Name {
			command += " --config " + shell.Quote(out)
		}
		return st.Next(command+" --dry-run", "see what it would do", command, "do it")
	}, &present.DraftReport{Format: "tachyform.draft/1", File: out, Bytes: len(data)})
}

// drafted is what a draft is told of a server.
type drafted struct {
	public, path string
	reach        reaching
}

// draftServed drafts the configuration of a site whose pages come from a server.
func (a *app) draftServed(ctx context.Context, address, out string, o drafted) error {
	if err := a.checkFormat(); err != nil {
		return err
	}
	if o.public == "" {
		return usage(errors.New("the pages come from a server: --public names the folder whose files it sends, where manifest, icons and worker are written"))
	}
	o.reach.Mine = true
	access, err := a.access(address, &o.reach)
	if err != nil {
		return err
	}
	c := &config.Config{Address: address, Public: o.public, PublicPath: o.path}
	work := a.work(c)
	res, err := work.Asked(ctx, access)
	if err != nil {
		return runError(err)
	}
	defer res.Close()
	from := &fitting.From{Address: address, PublicPath: o.path, Why: "the URL path that they are sent below"}
	if o.path == "" {
		if from.PublicPath, from.Why, err = work.PublicPath(res); err != nil {
			return runError(err)
		}
		c.PublicPath = from.PublicPath
	}
	s, served, err := work.Rendered(res)
	if err != nil {
		return runError(err)
	}
	defer s.Close()
	named, err := fitting.SiteFor(o.public, out)
	if err != nil {
		return usage(err)
	}
	data, err := fitting.Draft(ctx, s, named, fitting.Options{Served: served, From: from})
	if err != nil {
		return fitError(err)
	}
	return a.writeDraft(out, data)
}
