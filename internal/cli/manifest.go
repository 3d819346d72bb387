package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/glossary"
	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/shell"
)

func (a *app) manifestCommand() *cobra.Command {
	var base string
	var write, shots, explain bool
	var sheet string
	cmd := &cobra.Command{
		Use:   "manifest [SITE|FILE|URL]",
		Short: "See a manifest as it is written and as a browser makes it, or write it",
		Long: `Manifest shows the manifest that a site's start page links, or a manifest file, or the one of a live page: what is
written beside what a browser makes of it, every value that is dropped or changed with its place, which platform looks
at which member, and what is missing for a good installation on each.

With --write it creates the site's manifest with good values taken from the pages, or completes the one that is there:
what stands in it stays as it is. Pages get the link to it; nothing else is put in.

With --sheet it draws a page that shows how the app will look on each platform: icon under every mask, while it opens,
title and status bars, the dialogue to install, shortcuts and sharing, each with what was assumed.`,
		Example: "  tachyform manifest dist\n  tachyform manifest app.webmanifest\n  tachyform manifest https://skerry-line.example/\n  tachyform manifest dist --write\n  tachyform manifest dist --sheet looks.html",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if write && sheet != "" {
				return usage(errors.New("--sheet draws what is there: write the manifest first, without it"))
			}
			if write {
				return a.writeManifest(cmd.Context(), args, base, shots)
			}
			if sheet != "" {
				return a.drawApp(cmd.Context(), args, base, sheet)
			}
			found, err := a.findManifest(cmd.Context(), args, base)
			if err != nil {
				return usage(err)
			}
			view, err := present.ManifestOf(found)
			if err != nil {
				return broken(err)
			}
			return a.emit(func(st *present.Style) error {
				if err := st.Manifest(view); err != nil || !explain {
					return err
				}
				return st.Words(present.WordsOf(wordsOf(found)))
			}, view)
		},
	}
	cmd.Flags().BoolVar(&explain, "explain", false, "say of every member what visitors see of it, on which platforms")
	cmd.Flags().StringVar(&sheet, "sheet", "", "`file` (.html) to draw how the app will look on each platform")
	cmd.Flags().BoolVar(&write, "write", false, "create the manifest of a folder or complete it, and link it in the pages")
	cmd.Flags().BoolVar(&shots, "screenshots", false, "with --write: let Chromium draw the start page, narrow and wide")
	cmd.Flags().StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	return cmd
}

// drawApp draws how the app of a site will look into a file.
func (a *app) drawApp(ctx context.Context, args []string, base, file string) error {
	if !strings.EqualFold(filepath.Ext(file), ".html") {
		return usage(fmt.Errorf("--sheet %s: how the app will look is drawn as .html", file))
	}
	if len(args) > 0 {
		if info, err := os.Stat(args[0]); run.IsAddress(args[0]) || err == nil && info.Mode().IsRegular() {
			return usage(fmt.Errorf("%s: --sheet needs the folder of the site, where the pictures are; of a live site, tachyform audit --format html draws it", args[0]))
		}
	}
	w, err := a.openWhole(ctx, args, base, false, &reaching{})
	if err != nil {
		return err
	}
	defer w.close()
	likeness, err := run.Likeness(ctx, w.site)
	if err != nil {
		return usage(err)
	}
	var page bytes.Buffer
	if err := present.Likeness(&page, likeness, platform.All); err != nil {
		return broken(err)
	}
	if err := writeFile(file, page.Bytes()); err != nil {
		return broken(fmt.Errorf("--sheet: %w", err))
	}
	report := present.SheetOf(likeness, platform.All, filepath.ToSlash(file))
	return a.emit(func(st *present.Style) error { return st.Sheet(report) }, report)
}

// wordsOf gives what there is to say of the members that a manifest has, in the order of the words.
func wordsOf(found *linked.Found) []glossary.Word {
	var out []glossary.Word
	for _, w := range glossary.Words {
		if w.Kind == glossary.Member && found.Manifest != nil && found.Manifest.Has(w.Name) {
			out = append(out, w)
		}
	}
	return out
}

// findManifest finds the manifest of an address, a file or a folder.
func (a *app) findManifest(ctx context.Context, args []string, base string) (*linked.Found, error) {
	if len(args) > 0 && run.IsAddress(args[0]) {
		return linked.Address(ctx, args[0])
	}
	if len(args) > 0 {
		if info, err := os.Stat(args[0]); err == nil && info.Mode().IsRegular() {
			return linked.File(args[0])
		}
	}
	w, err := a.openWhole(ctx, args, base, false, &reaching{})
	if err != nil {
		return nil, err
	}
	defer w.close()
	found, err := linked.Site(w.site)
	if errors.Is(err, linked.ErrNone) {
		return nil, fmt.Errorf("%w; --write makes one from what the pages show", err)
	}
	return found, err
}

// writeManifest creates or completes the manifest of a folder.
func (a *app) writeManifest(ctx context.Context, args []string, base string, shots bool) error {
	if len(args) > 0 {
		if info, err := os.Stat(args[0]); run.IsAddress(args[0]) || err == nil && info.Mode().IsRegular() {
			return usage(fmt.Errorf("%s: --write needs the folder of the site: good values come from its pages", args[0]))
		}
	}
	w, err := a.openWhole(ctx, args, base, true, &reaching{})
	if err != nil {
		return err
	}
	defer w.close()
	c, s := w.config, w.site
	opts := fitting.Options{ManifestOnly: true, Served: w.served}
	if shots {
		if opts.Screenshots, err = run.Screenshots(ctx, s); err != nil {
			return broken(err)
		}
	}
	step, end := a.progress("Reading")
	opts.Progress = step
	plan, err := fitting.Make(ctx, s, c, opts)
	end()
	if err != nil {
		return fitError(err)
	}
	if w.read != nil {
		return a.applyRendered(ctx, w, plan, "", false)
	}
	return a.apply(ctx, plan, "tachyform manifest "+shell.Quote(s.Dir), "see what browsers make of it", "tachyform fit "+shell.Quote(s.Dir), "add icons and the worker")
}
