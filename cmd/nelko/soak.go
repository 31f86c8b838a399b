package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"nelko/internal/soak"
)

type soakCmd struct {
	For       time.Duration `default:"10m" help:"How long it works and kills."`
	Seed      uint64        `default:"1" help:"Of what is done, and of what is killed and when."`
	Operators int           `default:"3" help:"Operators at work at once."`
	Checkout  string        `default:"." type:"existingdir" help:"Folder with scripts/pg."`
}

// Run implements the subcommand.
func (c *soakCmd) Run(ctx context.Context) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	f, err := soak.Run(ctx, soak.Settings{
		For:       c.For,
		Seed:      c.Seed,
		Operators: max(1, min(c.Operators, 20)),
		Checkout:  c.Checkout,
		Binary:    self,
		Log:       os.Stderr,
	})
	f.Print(os.Stdout)
	for _, w := range f.Wrong {
		fmt.Fprintln(os.Stderr, w)
	}
	if err == nil && len(f.Wrong) > 0 {
		err = fmt.Errorf("%d things are not as they should be", len(f.Wrong))
	}
	return err
}
