package main

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform.dev/tachyform/internal/cli"
)

// TestInsist ends the program once it was interrupted, and not before.
func TestInsist(t *testing.T) {
	ctx, interrupt := context.WithCancel(t.Context())
	ended := make(chan int, 1)
	var said bytes.Buffer
	go insist(ctx, 0, &said, func(code int) { ended <- code })
	assert.Empty(t, ended)
	interrupt()
	assert.Equal(t, cli.ExitBroken, <-ended)
	assert.Contains(t, said.String(), "interrupted")
}
