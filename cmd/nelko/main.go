// Command nelko is the studio's film maker: web server, workers and tools in
// one binary. Run "nelko --help" for its subcommands.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/alecthomas/kong"
)

type commands struct {
	Make   makeCmd   `cmd:"" help:"Render one film from a folder of media and songs, without a server."`
	Themes themesCmd `cmd:"" help:"List the themes, one a line, the identifier first."`
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	var c commands
	k := kong.Parse(&c, kong.Name("nelko"), kong.Description("Photo films for studios: order, fit, render, deliver."),
		kong.UsageOnError(), kong.BindTo(ctx, (*context.Context)(nil)))
	if err := k.Run(); err != nil {
		fmt.Fprintln(os.Stderr, "nelko:", err)
		os.Exit(1)
	}
}
