// Package disc makes discs: DVD-Video with menus and subtitles, HD discs, data
// discs, as images that any burner takes. It works on films that are rendered
// already, with dvdauthor, spumux, ffmpeg and genisoimage.
package disc

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
	"unicode"

	"golang.org/x/sys/unix"
	"golang.org/x/text/unicode/norm"

	"nelko/internal/core/disc"
	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
	"nelko/internal/render"
)

// Title is a film on a disc, rendered in the disc's profile.
type Title struct {
	File     string // MPEG program stream for DVD-Video, transport stream for HD
	Name     string
	Frames   timecode.Frames
	Rate     timecode.Rate
	Chapters []plan.Chapter
	Lines    []plan.Cue // subtitles
	Poster   string     // JPEG
}

// Seconds is the film's length.
func (t Title) Seconds() float64 { return t.Rate.Seconds(t.Frames) }

// Menu is how a disc's menu is made.
type Menu struct {
	Moves bool   // the backdrop
	Music string // file of a song; empty: silence
}

// Subtitles say how captions become subtitles.
type Subtitles struct {
	On     bool       // when the disc starts
	Colour raster.RGB // of the words
}

// Spec is a disc to be made.
type Spec struct {
	Name      string // what the disc and its menu are called
	Profile   profile.Profile
	Blank     disc.Blank
	Titles    []Title
	Theme     *theme.Theme // of the menu
	Shelf     media.Shelf
	Language  string // ISO 639-1, of sound and subtitles
	Menu      *Menu  // nil: none
	PlayFirst bool   // the first film plays when the disc is put in, not the menu
	Loop      bool   // films go round for ever, as on a counter
	Subtitles *Subtitles
}

// pages divides the films among pages of the menu.
func (s *Spec) pages() (out [][]int) {
	if s.Menu == nil {
		return nil
	}
	for i := range s.Titles {
		if i%perPage == 0 {
			out = append(out, nil)
		}
		out[len(out)-1] = append(out[len(out)-1], i)
	}
	return out
}

// menuSeconds is how long a page of the menu lasts until it goes round.
const menuSeconds = 20

// MenuBudget is what the menus of so many films take of a disc.
func MenuBudget(films int, m *Menu) disc.Menu {
	if m == nil {
		return disc.Menu{}
	}
	b := disc.Menu{Pages: (films + perPage - 1) / perPage, Seconds: menuSeconds, Kbps: menuKbps + 192}
	if !m.Moves {
		b.Kbps = stillKbps + 192
	}
	if !m.Moves && m.Music == "" {
		b.Seconds = 1
	}
	return b
}

// menuKbps is the bit rate of the picture of menus that move, stillKbps about
// that of those that do not.
const (
	menuKbps  = 5000
	stillKbps = 1200
)

// run runs a tool in a folder and tells what it said if it fails.
func run(ctx context.Context, dir string, stdin *os.File, stdout *os.File, name string,
	args ...string) error {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir, cmd.WaitDelay = dir, 2*time.Second
	var said bytes.Buffer
	cmd.Stderr = &said
	if stdin != nil {
		cmd.Stdin = stdin
	}
	if stdout != nil {
		cmd.Stdout = stdout
	}
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		lines := strings.Split(strings.TrimSpace(said.String()), "\n")
		if strings.Contains(said.String(), unix.ENOSPC.Error()) ||
			strings.Contains(said.String(), "No space left") {
			return fmt.Errorf("%s: %w", name, render.ErrFull)
		}
		return fmt.Errorf("%s: %s: %w", name, lines[len(lines)-1], err)
	}
	return nil
}

// VolumeID is a name as discs have it: at most 32 capital letters, digits and
// underscores (ECMA-119, d-characters).
func VolumeID(name string) string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(strings.ToUpper(name)) {
		switch {
		case b.Len() == 32:
		case r < 128 && (unicode.IsLetter(r) || unicode.IsDigit(r)):
			b.WriteRune(r)
		case unicode.Is(unicode.Mn, r):
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	return strings.Trim(b.String(), "_")
}

// isoImage makes an ISO image of a folder, with args to genisoimage.
func isoImage(ctx context.Context, name, dir, out string, args ...string) error {
	id := VolumeID(name)
	if id == "" {
		id = "FILM"
	}
	all := append([]string{"-quiet", "-input-charset", "utf-8", "-V", id, "-o", out}, args...)
	return run(ctx, "", nil, nil, "genisoimage", append(all, dir)...)
}

// finish makes the image of a disc's files, and puts both where they go if they
// fit on the blank.
func (s *Spec) finish(ctx context.Context, tree, out, folder string, args ...string) error {
	part := filepath.Join(filepath.Dir(tree), "disc.iso")
	if err := isoImage(ctx, s.Name, tree, part, args...); err != nil {
		return err
	}
	if _, err := Size(part, s.Blank); err != nil {
		return err
	}
	if folder != "" {
		if err := os.Rename(tree, folder); err != nil {
			return err
		}
	}
	return os.Rename(part, out)
}

// Size checks an image against the blank it is for.
func Size(path string, b disc.Blank) (int64, error) {
	st, err := os.Stat(path)
	if err != nil {
		return 0, err
	}
	if st.Size() > b.Bytes() {
		return st.Size(), fmt.Errorf("the image has %.1f MB, the %s holds %.1f MB", float64(st.Size())/1e6,
			b.Name, float64(b.Bytes())/1e6)
	}
	return st.Size(), nil
}

// menuDoc is a slideshow as far as the design of a menu needs one.
func (s *Spec) menuDoc() doc.Slideshow {
	d := doc.New(s.Theme.ID, 1)
	d.Rate = s.Profile.Rate
	d.Frame.W, d.Frame.H = s.Profile.Frame(d.Frame.W, d.Frame.H)
	return d
}

// temp is a folder for what is made on the way, beside where it goes.
func temp(out string) (string, error) { return os.MkdirTemp(filepath.Dir(out), ".disc-*") }
