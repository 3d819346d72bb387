package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// defaultPort of the site that is served: the same tomorrow, so that a worker that is registered is met again.
const defaultPort = 8417

type serving struct {
	base, address, slow, mode, state string
	port                             int
	next                             []string
	fitted, watch, https, report     bool
	browse                           bool // start a browser
	moded                            bool // the mode was said
}

func (a *app) serveCommand() *cobra.Command {
	var o serving
	cmd := &cobra.Command{
		Use:   "serve [SITE]",
		Short: "Try the site as visitors will have it, with a network that can be switched",
		Long: `Serve answers for SITE on this machine as its server will: base path, redirects, fallback, headers and endpoints of the
configuration, ETags, ranges, compression, and lifetimes as a good host gives them. A control page on a port of its own,
and keys on the terminal, switch the network while it runs, for everything or for single addresses, bring the next
release, let the worker step aside while you edit or take every build at once, and empty the browser. Offline, connections are refused and cut.

The port is the same every time, so that a worker that is registered is met again. Nothing of ours is in the pages, and
SITE is not touched: --fitted serves a fitted copy. --open starts a browser in which nothing is left from before, and in
which other origins are answered by the stand-ins of the configuration; another browser asks the real ones. --watch notices that SITE was built anew, and serves it as the next
release once it has settled. Only this machine can ask, unless --address says otherwise; a phone takes a worker only over
--https, from an authority of this machine that it was told to trust.`,
		Example: "  tachyform serve dist\n  tachyform serve dist --fitted --watch\n  tachyform serve dist --address 0.0.0.0 --https\n  tachyform serve dist --next ../next/dist --slow 400ms/50kbps",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			o.moded = cmd.Flags().Changed("worker")
			return a.serve(cmd.Context(), args, o)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&o.address, "address", "127.0.0.1", "`address` to listen on; another one than this machine's own lets others in")
	f.BoolVar(&o.https, "https", false, "serve over https (and HTTP/2), with a certificate that devices trust once: other devices install workers only then")
	f.IntVar(&o.port, "port", defaultPort, "`port` of the site; the next free one when it is taken")
	f.StringSliceVar(&o.next, "next", nil, "`folder` of the next release; may be given again")
	f.StringVar(&o.slow, "slow", "", "what slow is: `400ms/50kbps`, until an answer begins and how fast it comes (default: no answer)")
	f.StringVar(&o.state, "network", "online", "`state` of the network to begin with: online, offline, slow, failing, portal")
	f.StringVar(&o.mode, "worker", "real", "`mode` to begin with: real, aside (the worker steps aside, and every load is the file on disk) or newest (it runs, and every load is of what was built last); without it, the mode in which the folder was served last")
	f.BoolVar(&o.browse, "open", false, "start a Chromium with a fresh profile at the site; other origins are answered there, too, as the configuration says")
	f.BoolVar(&o.report, "report", false, "put a script into pages that has the log name what they asked for and what never reached the server, answered from a store")
	f.BoolVar(&o.fitted, "fitted", false, "serve a fitted copy, kept beside; SITE is not touched")
	f.BoolVar(&o.watch, "watch", false, "serve SITE as the next release whenever it was built anew")
	return cmd
}

// resumed says of modes that they are as they were.
var resumed = map[serve.Mode]string{
	serve.Aside:  "The worker steps aside, as it did when this folder was served last: every load is the file on disk. The key a, or --worker real, ends it.",
	serve.Newest: "Every load is of what was built last, as it was when this folder was served last. The key l, or --worker real, ends it.",
}

// maxPerSecond is how many requests of one second are written.
const maxPerSecond = 200

func (a *app) serve(ctx context.Context, args []string, o serving) error {
	c, s, err := a.open(args, o.base)
	if err != nil {
		return err
	}
	dir, base := s.Dir, s.Base
	s.Close()
	shape := serve.Shape{}
	if o.slow != "" {
		if shape, err = serve.ParseShape(o.slow); err != nil {
			return usage(fmt.Errorf("--slow: %w", err))
		}
	}
	known := false
	for _, n := range site.Networks {
		known = known || string(n) == o.state
	}
	switch {
	case !known:
		return usage(fmt.Errorf("--network %s: it is online, offline, slow, failing or portal", o.state))
	case !slices.Contains(serve.Modes, serve.Mode(o.mode)):
		return usage(fmt.Errorf("--worker %s: it is real, aside or newest", o.mode))
	case o.port < 0 || o.port > 65535:
		return usage(errors.New("--port is 1 to 65535, or 0 for any"))
	}
	w := &workshop{ctx: ctx, c: c, dir: dir, base: base, fitted: o.fitted, routes: func(s *site.Site) func(context.Context, *survey.Inventory) ([]survey.Application, []string, error) {
		return a.work(c).Applications(s)
	}}
	defer w.close()
	var releases []serve.Release
	for _, d := range append([]string{dir}, o.next...) {
		server, err := w.make(d)
		if err != nil {
			return fitError(err)
		}
		releases = append(releases, serve.Release{Name: d, Server: server, Folder: w.folder(d)})
	}
	var authority *serve.Authority
	if o.https {
		folder, err := os.UserConfigDir()
		if err != nil {
			return broken(fmt.Errorf("the certificate authority needs a folder for the user's configuration: %w", err))
		}
		if authority, err = serve.OpenAuthority(filepath.Join(folder, "tachyform")); err != nil {
			return broken(fmt.Errorf("the certificate authority: %w", err))
		}
	}
	origins, err := c.Origins()
	if err != nil {
		return usage(err)
	}
	b, moved, err := serve.StartBench(releases, serve.BenchOptions{Origins: origins, Report: o.report, Host: o.address, Port: o.port, Authority: authority, Shape: shape, Base: base, Refit: func() (*site.Server, error) { return w.make(dir) }, RefitName: map[bool]string{true: "Fit a copy again", false: "Read the folder again"}[o.fitted]})
	if err != nil {
		return broken(err)
	}
	defer func() { _ = b.Stop() }()
	if err := b.SetNetwork(site.Network(o.state)); err != nil {
		return broken(err)
	}
	remembered, mode := modesOf(dir), serve.Mode(o.mode)
	if last := remembered.last(); !o.moded && last != mode && o.state == string(site.Online) {
		mode = last
		if !a.quiet {
			fmt.Fprintln(a.err, resumed[last])
		}
	}
	b.SetMode(mode)
	remembered.keep(mode)
	events, end := b.Watch()
	defer end()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	if o.watch || o.fitted { // of a fitted copy, editing wants it too
		go watchFolder(ctx, dir, func() {
			if !o.watch && b.State().Mode == serve.Real {
				return
			}
			if err := b.Refit(); err != nil {
				fmt.Fprintf(a.err, "The site was built anew, and cannot be served: %s\n", err)
			}
		})
	}
	in, interactive := os.Stdin, false
	if f, ok := a.out.(*os.File); ok && a.format == "text" && term.IsTerminal(int(f.Fd())) && term.IsTerminal(int(in.Fd())) {
		interactive = true
	}
	st := present.New(a.out, a.color(a.out))
	if a.format == "text" {
		v := present.Served{Site: b.Site, Control: b.Control, Keys: interactive, Moved: moved, Wanted: o.port, Others: !loopback(o.address), Trust: b.Trust, Opened: o.browse}
		for _, e := range b.Elsewhere() {
			v.Elsewhere = append(v.Elsewhere, e.Origin)
		}
		if authority != nil {
			folder, _ := os.UserConfigDir() // it was asked for before
			v.Authority, v.Fingerprint, v.Made = filepath.Join(folder, "tachyform", "authority.pem"), authority.Fingerprint(), authority.Made
		}
		if err := st.Serving(v); err != nil {
			return broken(err)
		}
	} else {
		fmt.Fprintf(a.err, "%s is served, the control is %s\n", b.Site, b.Control)
	}
	keys := make(chan byte)
	if interactive {
		old, err := term.MakeRaw(int(in.Fd()))
		if err == nil {
			defer func() { _ = term.Restore(int(in.Fd()), old) }()
			st.Raw()
			go readKeys(in, keys)
		}
	}
	if a.format == "text" {
		st.ServingState(b.State(), shape)
	}
	var closed <-chan error
	if o.browse {
		window, err := chromium.Show(ctx, chromium.Shown{URL: b.Site, Maps: mapped(b.Elsewhere()), Pins: b.Pins()})
		if err != nil {
			return broken(err)
		}
		defer func() { // it is gone before the program is, and its profile with it
			cancel()
			for range window {
			}
		}()
		closed = window
	}
	shown, second := 0, time.Time{}
	for {
		select {
		case err, ok := <-closed:
			closed = nil
			text := "the browser was closed"
			if ok {
				text = err.Error()
			}
			st.ServingNote(text + "; the site is served on")
		case <-ctx.Done():
			return nil
		case k := <-keys:
			if !a.key(b, k, st) {
				return nil
			}
		case what, ok := <-events:
			if !ok {
				return nil
			}
			switch x := what.(type) {
			case serve.Entry:
				if a.format == "json" {
					data, err := json.Marshal(x)
					if err != nil {
						return broken(err)
					}
					fmt.Fprintln(a.out, string(data))
				} else if !a.quiet {
					if now := x.Time.Truncate(time.Second); now != second {
						if shown > maxPerSecond {
							st.ServingNote(fmt.Sprintf("and %d more in this second", shown-maxPerSecond))
						}
						shown, second = 0, now
					}
					if shown++; shown <= maxPerSecond {
						st.ServingEntry(x)
					}
				}
			case serve.State:
				remembered.keep(x.Mode)
				if a.format != "json" {
					st.ServingState(x, shape)
				}
			}
		}
	}
}

// mapped says what a browser has to ask in the place of what.
func mapped(all []serve.Elsewhere) map[string]string {
	out := map[string]string{}
	for _, e := range all {
		out[e.Host] = e.Address
	}
	return out
}

func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// readKeys gives what is typed, byte by byte.
func readKeys(in io.Reader, to chan<- byte) {
	r := bufio.NewReader(in)
	for {
		k, err := r.ReadByte()
		if err != nil {
			return // the terminal is gone
		}
		to <- k
	}
}

// key does what a key says, and is false when it ends the program.
func (a *app) key(b *serve.Bench, k byte, st *present.Style) bool {
	state := b.State()
	var err error
	switch k {
	case 'o':
		err = b.SetNetwork(site.Online)
	case 'f':
		err = b.SetNetwork(site.Offline)
	case 's':
		err = b.SetNetwork(site.Slow)
	case 'e':
		err = b.SetNetwork(site.Failing)
	case 'p':
		err = b.SetNetwork(site.Portal)
	case 'n':
		if !b.SetRelease(state.Release + 1) {
			err = errors.New("there is no newer release: --next names one, r fits again")
		}
	case 'b':
		if !b.SetRelease(state.Release - 1) {
			err = errors.New("there is no earlier release")
		}
	case 'r':
		err = b.Refit()
	case 'a':
		b.SetMode(toggled(state.Mode, serve.Aside))
	case 'l':
		b.SetMode(toggled(state.Mode, serve.Newest))
	case 'c':
		b.Clear()
	case 'q', 3: // Ctrl-C
		return false
	default:
		return true
	}
	if err != nil {
		st.ServingNote(err.Error())
	}
	return true
}

// toggled switches a mode on, or back to the real one.
func toggled(now, mode serve.Mode) serve.Mode {
	if now == mode {
		return serve.Real
	}
	return mode
}
