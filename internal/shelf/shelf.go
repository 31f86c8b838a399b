// Package shelf is the studio's own: its settings and marks, the themes with
// every version ever used, the profiles, and the transitions kept under a
// name.
package shelf

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/theme"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/themes"
)

// DefaultTheme is the theme of new orders.
const DefaultTheme = "tideline"

// Studio reads the studio's settings.
func (h *room) Studio(ctx context.Context) (store.Studio, error) {
	st, err := store.StudioOf(h.Store.DB.WithContext(ctx))
	if err != nil {
		return st, fmt.Errorf("the studio's settings: %w", err)
	}
	return st, nil
}

// MarksOf is what a studio lays over its films.
func MarksOf(st store.Studio) Marks { return Marks{st.Mark, st.MarkPicture} }

// maxMark is the longest watermark or mark, in bytes.
const maxMark = 60

// maxContact and maxCredits are the most bytes of what the studio's own cards say.
const (
	maxContact = 200
	maxCredits = 4000
)

var language = regexp.MustCompile(`^[a-z]{3}$`)

// Settings are changes of the studio's settings; nil leaves one as it is.
type Settings struct {
	Name                      string
	Watermark, Mark, Language *string
	Sites                     *string // origins, apart by blanks or lines
	Folder, FileNames, Photos *string
	Contact, Credits          *string                  // of the studio's own cards
	Mails                     map[string]store.RunMail // nil: as they are
	Keeping                   *Keeping                 // nil: as it is
}

// Keeping is for how many days the studio keeps what is over; 0: for good.
type Keeping struct {
	Deleted  int // orders, before they are really gone
	Archived int // orders that were put away, before they are deleted
	Trail    int // lines of the trail
}

// longestKept is the most that is kept by number, in days.
const longestKept = 36500

func (k Keeping) check() error {
	for field, days := range map[string]int{
		"keep_deleted":  k.Deleted,
		"keep_archived": k.Archived,
		"keep_trail":    k.Trail,
	} {
		if days < 0 || days > longestKept {
			return invalid.Field(field, "What is over is kept for 1 to %d days, or for good with 0.",
				longestKept)
		}
	}
	return nil
}

// maxAddress is the longest address of a folder, and the longest pattern of
// names, in bytes.
const maxAddress = 1000

// Change keeps changed settings.
func (h *room) Change(ctx context.Context, n Settings) error {
	if n.Name == "" || len(n.Name) > 200 {
		return invalid.Field("name", "The studio's name must have 1 to 200 characters.")
	}
	set := map[string]any{"name": n.Name}
	for field, text := range map[string]*string{"watermark": n.Watermark, "mark": n.Mark} {
		if text == nil {
			continue
		}
		v := strings.TrimSpace(*text)
		if len(v) > maxMark {
			return invalid.Field(field, "What stands on films may have at most %d characters.", maxMark)
		}
		set[field] = v
	}
	if n.Language != nil {
		if set["language"] = strings.TrimSpace(*n.Language); !language.MatchString(*n.Language) {
			return invalid.Field("language",
				"A language has three small letters, as ISO 639-2 has them: eng, deu, fra; und for none.")
		}
	}
	for field, text := range map[string]*string{
		"folder":     n.Folder,
		"file_names": n.FileNames,
		"photos":     n.Photos,
	} {
		if text == nil {
			continue
		}
		if len(*text) > maxAddress {
			return invalid.Field(field, "An address or a pattern may have at most %d characters.", maxAddress)
		}
		set[field] = strings.TrimSpace(*text)
	}
	for field, text := range map[string]*string{"contact": n.Contact, "credits": n.Credits} {
		if text == nil {
			continue
		}
		v := strings.TrimSpace(strings.ReplaceAll(*text, "\r\n", "\n"))
		if most := map[string]int{"contact": maxContact, "credits": maxCredits}[field]; len(v) > most {
			return invalid.Field(field,
				"What stands on the studio's cards may have at most %d characters here.", most)
		}
		set[field] = v
	}
	if n.Sites != nil && len(*n.Sites) > maxCredits {
		return invalid.Field("sites", "The list of sites may have at most %d characters.", maxCredits)
	}
	if n.Sites != nil {
		list := strings.Fields(*n.Sites)
		for _, site := range list {
			u, err := url.Parse(site)
			if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" ||
				strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.Fragment != "" || u.User != nil ||
				strings.ContainsAny(site, ";,'") {
				return invalid.Field("sites",
					"%q is no site: it begins with https:// and has a name, and nothing after it.", site)
			}
		}
		set["sites"] = strings.Join(list, "\n")
	}
	if k := n.Keeping; k != nil {
		if err := k.check(); err != nil {
			return err
		}
		set["keep_deleted"], set["keep_archived"], set["keep_trail"] = k.Deleted, k.Archived, k.Trail
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.Studio{}).Where("id = 1").Updates(set).Error; err != nil {
			return err
		}
		if n.Mails != nil {
			if err := tx.Model(&store.Studio{}).Where("id = 1").Select("mails").
				Updates(store.Studio{Mails: n.Mails}).Error; err != nil {
				return err
			}
		}
		words := "Kept the studio's settings"
		if n.Mails != nil {
			words = "Kept what clients are written"
		}
		if k := n.Keeping; k != nil {
			words = fmt.Sprintf("What is over is kept for days: deleted orders %d, orders put away %d, the "+
				"trail %d", k.Deleted, k.Archived, k.Trail)
		}
		if err := store.Note(tx, store.DidSettings, 0, words); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.StudioChanged})
	})
}

// Stock keeps every version of a theme that is on the shelf now, and the
// shipped profiles. It is called when the program starts.
func (s *Shelf) Stock(ctx context.Context) error {
	s.Themes.Earlier = s.earlier
	if err := s.keepAll(ctx); err != nil && !errors.Is(err, store.ErrAway) {
		return err
	}
	if err := s.Look(ctx); err != nil {
		return err
	}
	return s.Profiles.stockProfiles(ctx)
}

// keepAll stores the themes that are on the shelf.
func (h *room) keepAll(ctx context.Context) error {
	for _, v := range h.Themes.Versions() {
		if err := h.keep(ctx, v); err != nil {
			return err
		}
	}
	h.kept.Store(true)
	return nil
}

// Look takes in new and changed themes from the studio's folder. Those that
// are refused are told of in the log, once, and are among the Asides.
func (h *room) Look(ctx context.Context) error {
	if h.Own == "" {
		return nil
	}
	added, refused := h.Themes.Look(h.Own, func(v themes.Version) error {
		err := h.keep(ctx, v)
		if err != nil && !errors.As(err, new(*pgconn.PgError)) {
			err = fmt.Errorf("%w: %w", themes.ErrLater, err) // nobody has looked at it
		}
		return err
	})
	for _, err := range refused {
		slog.Error("theme refused", "error", err)
	}
	for _, v := range added {
		slog.Info("theme on the shelf", "theme", v.ID, "version", v.Version)
	}
	if len(added)+len(refused) == 0 {
		return nil
	}
	return store.Tell(h.Store.DB.WithContext(ctx), store.Event{What: store.ShelfChanged})
}

// Aside is something of the studio's that cannot be read, and is left where it is.
type Aside struct{ What, Why string }

// Asides are the settings, themes and ways of encoding that cannot be read.
func (s *Shelf) Asides(ctx context.Context) (out []Aside, err error) {
	st, err := s.Studio(ctx)
	if err != nil {
		return nil, err
	}
	for _, what := range st.Aside {
		out = append(out, Aside{map[string]string{
			"Mails":       "What clients are written",
			"MarkPicture": "The picture on finished films",
		}[what],
			"what is kept of it cannot be read; it is as if it had not been set"})
	}
	for _, a := range s.Themes.Asides() {
		out = append(out, Aside{"The theme in " + a.File, a.Why})
	}
	if _, err := s.Profiles.Profiles(ctx); err != nil {
		return nil, err
	}
	return append(out, s.Profiles.asides()...), nil
}

// lookEvery is how often the folder is looked at.
const lookEvery = 5 * time.Second

// Watch looks at the studio's folder again and again until ctx ends.
func (h *room) Watch(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			err := h.Look(ctx)
			if err == nil && !h.kept.Load() {
				err = h.keepAll(ctx) // the store of files was away when this process began
			}
			if err != nil && ctx.Err() == nil && !errors.Is(err, store.ErrAway) {
				slog.Warn("looking for themes", "error", err)
			}
		}
	}
}

// keep stores a version of a theme, so that it stays available for ever.
func (h *room) keep(ctx context.Context, v themes.Version) error {
	_, err := store.One[store.ThemeVersion](h.Store.DB.WithContext(ctx), "content = ?", v.Content)
	if err == nil || !errors.Is(err, store.ErrNotFound) {
		return err
	}
	zip, err := v.Pack()
	if err != nil {
		return fmt.Errorf("keeping the theme %s: %w", v.ID, err)
	}
	sha, size, err := h.Blobs.Keep(ctx, bytes.NewReader(zip))
	if err != nil {
		return fmt.Errorf("keeping the theme %s: %w", v.ID, err)
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := store.KeepBlob(tx, sha, size); err != nil {
			return err
		}
		row := store.ThemeVersion{Content: v.Content, Theme: v.ID, Version: v.Version, Archive: sha}
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row).Error
	})
}

// patience is how long an earlier version of a theme is waited for.
const patience = time.Minute

// earlier reads a version from the store.
func (h *room) earlier(content string) (themes.Version, error) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	return h.earlierIn(h.Store.DB.WithContext(ctx), content)
}

// ThemeAt finds a version of a theme by its content in a transaction; without one, the newest.
func (h *room) ThemeAt(tx *gorm.DB, id, content string) (*theme.Theme, error) {
	return h.Themes.AtBy(id, content, func(content string) (themes.Version, error) {
		return h.earlierIn(tx, content)
	})
}

func (h *room) earlierIn(tx *gorm.DB, content string) (themes.Version, error) {
	row, err := store.One[store.ThemeVersion](tx, "content = ?", content)
	if err != nil {
		return themes.Version{}, err
	}
	r, err := h.Blobs.Open(tx.Statement.Context, row.Archive)
	if err != nil {
		return themes.Version{}, err
	}
	defer r.Close()
	b, err := io.ReadAll(r)
	if err != nil {
		return themes.Version{}, err
	}
	v, err := themes.Unpack(b)
	if err == nil && v.Content != content {
		err = fmt.Errorf("what is kept as the theme %s is another", row.Theme)
	}
	return v, err
}

// Newer is the newest version of a theme if it is not the one of that content,
// else nil.
func (h *room) Newer(id, content string) *theme.Theme {
	t, err := h.Themes.Get(id)
	if err != nil || content == "" || t.Content == content {
		return nil
	}
	return t
}

// DetailKeys are the keys of all details that themes on the shelf ask for.
func (h *room) DetailKeys() (out []string) {
	for _, t := range h.Themes.All() {
		for _, d := range t.Details {
			if !slices.Contains(out, d.Key) {
				out = append(out, d.Key)
			}
		}
	}
	return out
}
