// Command nelko is the studio's film maker: web server, workers and tools in
// one binary. Run "nelko --help" for its subcommands.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"

	"nelko/internal/makefilm"

	"github.com/alecthomas/kong"
)

type commands struct {
	Serve    serveCmd    `cmd:"" help:"Run web server, workers and stand-ins."`
	Work     workCmd     `cmd:"" help:"Run workers only, beside a server elsewhere."`
	Make     makeCmd     `cmd:"" help:"Render one film from a folder of media and songs, without a server."`
	Run      runCmd      `cmd:"" help:"Render a Run, many films from a pattern, a list and folders, without a server; goes on where it was stopped."`
	Deliver  deliverCmd  `cmd:"" help:"Make discs and zips of folders, each of them a film, without a server."`
	Song     songCmd     `cmd:"" help:"Listen to a song: its length, loudness, tempo, beats and sections."`
	Sheet    sheetCmd    `cmd:"" help:"Show moments of a film on one sheet, to look at a theme or at all of them."`
	Themes   themesCmd   `cmd:"" help:"List the themes, one a line, the identifier first."`
	Profiles profilesCmd `cmd:"" help:"List the ways of encoding, one a line, the name first."`
	Bench    benchCmd    `cmd:"" help:"Measure the engine; prints name=value lines."`
	Doctor   doctorCmd   `cmd:"" help:"Tell what is installed, in which version, and what is missing."`
	Migrate  migrateCmd  `cmd:"" help:"Bring the database schema up to date."`
	Demo     demoCmd     `cmd:"" help:"Load the demo data, or paint its material into a folder."`
	User     userCmd     `cmd:"" help:"Add an account or reset a password."`
	Sweep    sweepCmd    `cmd:"" help:"Do away with what nobody needs any more, as the server does every hour."`
	Verify   verifyCmd   `cmd:"" help:"Read films, discs and material back, compare them with their sums, have made again what can be, and name what must be sent in again."`
	Soak     soakCmd     `cmd:"" help:"Run a studio of its own under operators and viewers while server, worker and database are killed at random, and see that nothing that was acknowledged is lost."`
	Backup   backupCmd   `cmd:"" help:"Write the whole studio into one file, while it works."`
	Restore  restoreCmd  `cmd:"" help:"Put a backed-up studio into an empty database and blob store."`
}

// garbage is how much garbage is allowed, in per cent of what is in use. Most
// of that is pictures, in which the collector need not look for pointers, so it
// may run often; GOGC says otherwise.
const garbage = 40

func main() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(garbage)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	var c commands
	k := kong.Parse(&c, kong.Name("nelko"),
		kong.Description("Photo films for studios: order, fit, render, deliver."),
		kong.UsageOnError(), kong.BindTo(ctx, (*context.Context)(nil)))
	if err := k.Run(); err != nil {
		fmt.Fprintln(os.Stderr, "nelko:", err)
		var cannot *makefilm.CannotFit
		if errors.As(err, &cannot) {
			os.Exit(3)
		}
		os.Exit(1)
	}
}
