// Command tachyform makes a finished website folder an installable, offline-capable web app, and proves it.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"tachyform/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Run(ctx, os.Args[1:], os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
