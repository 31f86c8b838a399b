package main

import (
	"context"
	"os"

	"nelko/internal/bench"
)

type benchCmd struct {
	What string `arg:"" enum:"render" help:"What to measure: render."`
}

// Run implements the subcommand.
func (c *benchCmd) Run(ctx context.Context) error { return bench.Render(ctx, os.Stdout) }
