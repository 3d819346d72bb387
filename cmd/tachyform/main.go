// Command tachyform makes a finished website folder an installable, offline-capable web app, and proves it.
package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
	"time"

	"tachyform.dev/tachyform/internal/cli"
	"tachyform.dev/tachyform/internal/run"
)

func main() {
	// Most runs are over before much garbage has gathered: collect seldom, until memory grows.
	debug.SetGCPercent(500)
	debug.SetMemoryLimit(200 << 20)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	run.WhenExhausted(func(why string) {
		fmt.Fprintln(os.Stderr, "tachyform: "+why)
		os.Exit(cli.ExitBroken)
	})
	go insist(ctx, grace, os.Stderr, os.Exit)
	code := cli.Run(ctx, os.Args[1:], os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}

// grace is how long work that was interrupted has to come to its end.
const grace = 5 * time.Second

// insist ends the program when work that was interrupted does not: a hostile picture or script may know of no end. What is written is written as for a crash:
// each file is the old or the new one, and the next run finds the journal.
func insist(ctx context.Context, grace time.Duration, errw io.Writer, exit func(int)) {
	<-ctx.Done()
	time.Sleep(grace)
	fmt.Fprintln(errw, "tachyform: interrupted, and ended although something was still at work; every file is the old or the new one, and the same command may be run again")
	exit(cli.ExitBroken)
}
