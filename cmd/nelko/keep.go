package main

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"nelko/internal/app"
)

type sweepCmd struct {
	DryRun bool `help:"Only count what would go."`
}

// Run implements the subcommand.
func (c *sweepCmd) Run(ctx context.Context) error {
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	s, err := a.House.Sweep(ctx, c.DryRun)
	verb := "Swept"
	if c.DryRun {
		verb = "Would sweep"
	}
	fmt.Printf("%s %s\n", verb, s)
	return err
}

type verifyCmd struct {
	All bool `help:"All films, not only those that were not read back for a month."`
}

// Run implements the subcommand.
func (c *verifyCmd) Run(ctx context.Context) error {
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	v, err := a.House.Making.Checks.Verify(ctx, c.All, 1000, 0)
	for _, d := range v.Damaged {
		fmt.Printf("order %d, render %d (%s): %s; it is made again\n", d.Render.OrderID, d.Render.ID,
			d.Render.Profile, d.Why)
	}
	fmt.Printf("Read back %d films, %.1f MB; %d damaged\n", v.Files, float64(v.Bytes)/1e6, len(v.Damaged))
	if err != nil {
		return err
	}
	discs, damaged, err := a.House.Pressing.Images.Verify(ctx, c.All, 1000)
	for _, d := range damaged {
		fmt.Printf("%s; it is made again\n", d)
	}
	fmt.Printf("Read back %d discs; %d damaged\n", discs, len(damaged))
	if err != nil {
		return err
	}
	files, lost, err := a.House.Intake.Material.Verify(ctx, c.All, 1000, 0)
	for _, l := range lost {
		of := "no order"
		if len(l.Orders) > 0 {
			of = "of order " + strings.Trim(strings.Join(strings.Fields(fmt.Sprint(l.Orders)), ", "), "[]")
		}
		fmt.Printf("%s, %s: %s; send it in again, or bring a backup back\n", l.Name, of, l.Why)
	}
	fmt.Printf("Read back %d files of material; %d damaged or missing\n", files, len(lost))
	return err
}

type backupCmd struct {
	Out string `arg:"" type:"path" help:"File to write, such as studio.tar."`
}

// Run implements the subcommand.
func (c *backupCmd) Run(ctx context.Context) error {
	// As whoever asks: only that user may be able to write where it is to be.
	s, err := app.ReadSettings()
	if err != nil {
		return err
	}
	a, err := app.Open(ctx, s)
	if err != nil {
		return err
	}
	defer a.Close()
	n, err := a.Backup(ctx, c.Out)
	if err == nil {
		fmt.Printf("Backed up: the database and %d files, in %s\n", n, c.Out)
	}
	return err
}

type restoreCmd struct {
	From string `arg:"" type:"existingfile" help:"File that nelko backup wrote."`
}

// Run implements the subcommand.
func (c *restoreCmd) Run(ctx context.Context) error {
	s, err := app.ReadSettings()
	if err != nil {
		return err
	}
	n, err := app.Restore(ctx, s, c.From)
	if err == nil || errors.Is(err, app.ErrLacks) {
		fmt.Printf("Restored: the database and %d files, each as it was\n", n)
	}
	return err
}
