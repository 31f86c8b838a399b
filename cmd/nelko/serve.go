package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"runtime/debug"
	"strconv"
	"strings"
	"syscall"

	"golang.org/x/term"

	"nelko/internal/accounts"
	"nelko/internal/app"
	"nelko/internal/demo"
	"nelko/internal/media"
	"nelko/internal/store"
)

func open(ctx context.Context) (*app.App, error) {
	s, err := app.ReadSettings()
	if err == nil {
		err = asOwner(s.Var)
	}
	if err != nil {
		return nil, err
	}
	return app.Open(ctx, s)
}

// asOwner has root go on as the user whose folder of local files it is: what is
// written there must be that user's, who runs the server.
func asOwner(folder string) error {
	st, err := os.Stat(folder)
	if err != nil || os.Geteuid() != 0 {
		return nil // there is none yet
	}
	owner, ok := st.Sys().(*syscall.Stat_t)
	if !ok || owner.Uid == 0 {
		return nil
	}
	who, err := user.LookupId(strconv.FormatUint(uint64(owner.Uid), 10))
	if err != nil {
		return fmt.Errorf("the owner of %s: %w", folder, err)
	}
	group, err := strconv.Atoi(who.Gid)
	if err != nil {
		return err
	}
	if err := errors.Join(syscall.Setgroups([]int{group}), syscall.Setgid(group),
		syscall.Setuid(int(owner.Uid))); err != nil {
		return fmt.Errorf("going on as %s, whose folder %s is: %w", who.Username, folder, err)
	}
	return nil
}

// A server's pages make much short-lived garbage in a small heap, so it may
// collect less often than garbage says, as long as it needs little memory.
const (
	servedGarbage = 200
	servedMemory  = 768 << 20
)

type serveCmd struct {
	Demo     bool `help:"Load the demo data if the studio is empty."`
	DemoOpen bool `help:"Serve the demo's account, whose password everybody knows, to other machines too."`
}

// mayServe refuses to let other machines at the demo's account: its password is public.
func (c *serveCmd) mayServe(ctx context.Context, a *app.App) error {
	if c.DemoOpen || app.Loopback(a.Settings.Addr) {
		return nil
	}
	_, err := a.House.Accounts.Check(ctx, demo.Email, demo.Password)
	if !c.Demo && errors.Is(err, accounts.ErrSignIn) {
		return nil
	}
	if err != nil && !errors.Is(err, accounts.ErrSignIn) {
		return err
	}
	return fmt.Errorf("other machines reach %s, and everybody knows the password of the demo's account %s: "+
		"listen on 127.0.0.1, change the password with “nelko user reset”, or say --demo-open",
		a.Settings.Addr, demo.Email)
}

// keepToOneself has all files and folders that this process makes readable by
// its own user only.
func keepToOneself() { syscall.Umask(0o077) }

// Run implements the subcommand.
func (c *serveCmd) Run(ctx context.Context) error {
	if os.Getenv("GOGC") == "" && os.Getenv("GOMEMLIMIT") == "" {
		debug.SetGCPercent(servedGarbage)
		debug.SetMemoryLimit(servedMemory)
	}
	keepToOneself()
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	if err := c.mayServe(ctx, a); err != nil {
		return err
	}
	if c.Demo {
		if err := demo.Begin(ctx, a.House); err != nil {
			return err
		}
	}
	return a.Serve(ctx, func(url string) {
		line := "Nelko is ready at " + url
		if c.Demo {
			line += " — sign in as " + demo.Email + " with password " + demo.Password
		}
		fmt.Println(line)
	})
}

type userFirstCmd struct{}

// Run implements the subcommand.
func (userFirstCmd) Run(ctx context.Context) error {
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	if any, err := a.House.Accounts.Any(ctx); err != nil || any {
		return err
	}
	in := bufio.NewReader(os.Stdin)
	fmt.Print("The studio's owner, e-mail: ")
	email, err := in.ReadString('\n')
	if err != nil && email == "" {
		return errors.New("no e-mail was given; run again and type one")
	}
	password, err := askPassword(in)
	if err != nil {
		return err
	}
	u, err := a.House.Accounts.Add(ctx, strings.TrimSpace(email), "", password, store.Owner)
	if err == nil {
		fmt.Println("Account made for", u.Email)
	}
	return err
}

// askPassword reads a password, unseen on a terminal.
func askPassword(in *bufio.Reader) (string, error) {
	fmt.Printf("Password, at least %d characters: ", accounts.MinPassword)
	if term.IsTerminal(int(os.Stdin.Fd())) {
		b, err := term.ReadPassword(int(os.Stdin.Fd()))
		fmt.Println()
		return string(b), err
	}
	line, err := in.ReadString('\n')
	if err != nil && line == "" {
		return "", errors.New("no password was given")
	}
	return strings.TrimRight(line, "\r\n"), nil
}

type workCmd struct{}

// Run implements the subcommand.
func (workCmd) Run(ctx context.Context) error {
	keepToOneself()
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	return a.Work(ctx)
}

type migrateCmd struct{}

// Run implements the subcommand.
func (migrateCmd) Run(ctx context.Context) error {
	a, err := open(ctx)
	if err != nil {
		return err
	}
	a.Close()
	fmt.Println("The database is up to date.")
	return nil
}

type demoCmd struct {
	Out string `arg:"" optional:"" help:"Only paint the demo's pictures, clips and songs into this folder."`
}

// Run implements the subcommand.
func (c *demoCmd) Run(ctx context.Context) error {
	if c.Out != "" {
		return demo.Paint(ctx, c.Out)
	}
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	if err := demo.Begin(ctx, a.House); err != nil {
		return err
	}
	fmt.Println("The demo is queued; workers make it in the background.")
	return nil
}

type userCmd struct {
	Add   userAddCmd   `cmd:"" help:"Add an account. The password is read from standard input."`
	Reset userResetCmd `cmd:"" help:"Give an account a new password, read from standard input."`
	First userFirstCmd `cmd:"" help:"Ask for the first owner's e-mail and password, if there is no account yet."`
}

type userAddCmd struct {
	Email string `arg:""`
	Name  string `help:"Name shown to colleagues; by default the part before the @."`
	Role  string `enum:"owner,operator" default:"operator" help:"owner or operator."`
}

// Run implements the subcommand.
func (c *userAddCmd) Run(ctx context.Context) error {
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	password, err := askPassword(bufio.NewReader(os.Stdin))
	if err != nil {
		return err
	}
	u, err := a.House.Accounts.Add(ctx, c.Email, c.Name, password, store.Role(c.Role))
	if err == nil {
		fmt.Println("\nAccount made for", u.Email)
	}
	return err
}

type userResetCmd struct {
	Email string `arg:""`
}

// Run implements the subcommand.
func (c *userResetCmd) Run(ctx context.Context) error {
	a, err := open(ctx)
	if err != nil {
		return err
	}
	defer a.Close()
	password, err := askPassword(bufio.NewReader(os.Stdin))
	if err != nil {
		return err
	}
	if err := a.House.Accounts.SetPassword(ctx, c.Email, password); err != nil {
		return err
	}
	fmt.Println("\nPassword changed for", c.Email)
	return nil
}

type doctorCmd struct{}

// Run implements the subcommand.
func (doctorCmd) Run(ctx context.Context) error {
	missing := 0
	report := func(name, version, pkg string) {
		if version == "" {
			missing++
			fmt.Printf("missing  %-12s install it with: apt-get install %s\n", name, pkg)
			return
		}
		fmt.Printf("ok       %-12s %s\n", name, version)
	}
	if err := media.Startup(); err != nil {
		return err
	}
	v := media.Versions(ctx)
	report("libvips", v["libvips"], "libvips-dev")
	report("ffmpeg", v["ffmpeg"], "ffmpeg")
	report("ffprobe", v["ffprobe"], "ffmpeg")
	report("x264", encoder(ctx, "libx264"), "ffmpeg")
	report("aac", encoder(ctx, "aac"), "ffmpeg")
	report("PostgreSQL", postgres(), "postgresql")
	report("fonts", fonts(ctx), "fonts-noto-core fonts-noto-cjk fonts-noto-color-emoji")
	report("dvdauthor", found("dvdauthor"), "dvdauthor")
	report("genisoimage", found("genisoimage"), "genisoimage")
	if missing > 0 {
		return fmt.Errorf("%d missing", missing)
	}
	return nil
}

func found(tool string) string {
	p, err := exec.LookPath(tool)
	if err != nil {
		return ""
	}
	return p
}

func encoder(ctx context.Context, name string) string {
	out, err := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-h", "encoder="+name).Output()
	if err != nil || !strings.HasPrefix(string(out), "Encoder "+name) {
		return ""
	}
	return "encoder there"
}

func postgres() string {
	if os.Getenv("NELKO_DATABASE_URL") != "" {
		return "set by NELKO_DATABASE_URL"
	}
	dirs, err := os.ReadDir("/usr/lib/postgresql")
	if err != nil || len(dirs) == 0 {
		return ""
	}
	return dirs[len(dirs)-1].Name()
}

func fonts(ctx context.Context) string {
	out, err := exec.CommandContext(ctx, "fc-list", ":lang=ja", "family").Output()
	if err != nil || len(out) == 0 {
		return ""
	}
	return "wide script coverage"
}
