// Command tachyform makes a finished website folder an installable, offline-capable web app, and proves it.
package main

import (
	"context"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"tachyform.dev/tachyform/internal/cli"
)

func main() {
	// Most runs are over before much garbage has gathered: collect seldom, until memory grows.
	debug.SetGCPercent(500)
	debug.SetMemoryLimit(200 << 20)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Run(ctx, os.Args[1:], os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
