package intake

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/store"
)

// Song is a song of the studio's library.
type Song struct {
	store.Music
	Media store.Media // without its waveform, where many are listed
}

// Seconds is its length.
func (s Song) Seconds() float64 { return float64(s.Media.Samples) / timecode.SampleRate }

// BPM is its tempo, 0 if it has none that could be followed or is not listened to yet.
func (s Song) BPM() float64 {
	if s.Media.Heard == nil {
		return 0
	}
	return s.Media.Heard.Rhythm.BPM
}

// Wanted narrows the library; zero values do not.
type Wanted struct {
	Text           string // in the name, mood or occasion
	Slow, Fast     float64
	Short, Long    float64 // seconds
	FavouritesOnly bool
	Ready          bool     // listened to
	Near           float64  // seconds: sorted by closeness to this length, if above 0
	Occasions      []string // a song for one of them comes before those that are a little nearer
}

// AddSong takes a song into the studio's library. The same file twice is refused.
func (h *Music) AddSong(ctx context.Context, name string, r io.Reader) (Song, error) {
	m := store.Media{
		UploadID: fmt.Sprintf("music/%d/%s", h.now().UnixNano(), media.Base(name)),
		Name:     media.Base(name),
		State:    store.Waiting,
	}
	var err error
	if m.SHA256, m.Size, err = h.Blobs.Keep(ctx, r); err != nil {
		return Song{}, fmt.Errorf("%s: %w", m.Name, err)
	}
	var s Song
	err = h.Store.Tx(ctx, func(tx *gorm.DB) error {
		var twin string
		if err := tx.Raw("SELECT m.name FROM music JOIN media m ON m.id = music.media_id WHERE m.sha256 = "+
			"? AND m.state <> 'refused'", m.SHA256).Scan(&twin).Error; err != nil {
			return err
		}
		if twin != "" {
			return &invalid.Input{
				Field:   "songs",
				Problem: fmt.Sprintf("%s is here already, as %s.", m.Name, twin),
			}
		}
		if err := store.KeepBlob(tx, m.SHA256, m.Size); err != nil {
			return err
		}
		if err := tx.Create(&m).Error; err != nil {
			return err
		}
		s = Song{Music: store.Music{MediaID: m.ID, AddedAt: h.now()}, Media: m}
		if err := tx.Create(&s.Music).Error; err != nil {
			return err
		}
		if err := store.Note(tx, store.DidUpload, 0, m.Name); err != nil {
			return err
		}
		return h.Queue.Insert(ctx, tx, Read{MediaID: m.ID, Song: true})
	})
	return s, err
}

func (h *room) now() time.Time {
	if h.Now == nil {
		return time.Now()
	}
	return h.Now()
}

// Music lists the library: favourites first, then by name, or by closeness to a length.
func (h *Music) Music(ctx context.Context, w Wanted) ([]Song, error) {
	var all []store.Music
	if err := h.Store.DB.WithContext(ctx).Find(&all).Error; err != nil {
		return nil, err
	}
	ids := make([]int64, len(all))
	for i, m := range all {
		ids[i] = m.MediaID
	}
	var files []store.Media
	if err := h.Store.DB.WithContext(ctx).Omit("waveform").Find(&files, "id IN ?", ids).Error; err != nil {
		return nil, err
	}
	byID := map[int64]store.Media{}
	for _, f := range files {
		byID[f.ID] = f
	}
	var out []Song
	for _, m := range all {
		if s := (Song{m, byID[m.MediaID]}); s.suits(w) {
			out = append(out, s)
		}
	}
	slices.SortFunc(out, func(a, b Song) int {
		if w.Near > 0 {
			return cmp.Or(cmp.Compare(w.away(a), w.away(b)), cmp.Compare(a.MediaID, b.MediaID))
		}
		fav := 0
		if a.Favourite != b.Favourite {
			if fav = 1; a.Favourite {
				fav = -1
			}
		}
		return cmp.Or(fav, cmp.Compare(strings.ToLower(a.Media.Name), strings.ToLower(b.Media.Name)),
			cmp.Compare(a.MediaID, b.MediaID))
	})
	return out, nil
}

func (s Song) suits(w Wanted) bool {
	text := strings.ToLower(s.Media.Name + " " + s.Mood + " " + s.Occasion)
	switch {
	case w.Text != "" && !strings.Contains(text, strings.ToLower(strings.TrimSpace(w.Text))):
	case w.Slow > 0 && s.BPM() < w.Slow:
	case w.Fast > 0 && (s.BPM() == 0 || s.BPM() > w.Fast):
	case w.Short > 0 && s.Seconds() < w.Short:
	case w.Long > 0 && s.Seconds() > w.Long:
	case w.FavouritesOnly && !s.Favourite:
	case w.Ready && s.Media.State != store.Ready:
	default:
		return true
	}
	return false
}

// ForOne reports whether the song is noted for one of the occasions.
func (s Song) ForOne(occasions []string) bool {
	noted := strings.ToLower(s.Occasion)
	return slices.ContainsFunc(occasions, func(o string) bool {
		return o != "" && strings.Contains(noted, strings.ToLower(o))
	})
}

// forIt is what a fitting occasion is worth, in seconds of length.
const forIt = 20

// away is how far a song is from the length looked for.
func (w Wanted) away(s Song) float64 {
	off := math.Abs(s.Seconds() - w.Near)
	if s.ForOne(w.Occasions) {
		off -= forIt
	}
	return off
}

// Licences are doubts about songs of the studio's music in a film that anybody may watch
// who has its address: licences that have ended by a day, and those whose words must be
// read, because nothing but words says what they allow.
func (h *Music) Licences(ctx context.Context, songs []doc.MediaID, day time.Time) (out []plan.Check,
	err error) {
	if len(songs) == 0 {
		return nil, nil
	}
	var noted []struct {
		store.Music
		SHA256 string `gorm:"column:sha256"`
		Name   string
	}
	err = h.Store.DB.WithContext(ctx).Table("music").Select("music.*, media.sha256, media.name").
		Joins("JOIN media ON media.id = music.media_id").
		Where("media.sha256 IN ? AND (music.licence <> '' OR music.licence_until IS NOT NULL)", songs).
		Order("music.media_id").Find(&noted).Error
	for _, m := range noted {
		c := plan.Check{
			Weight: plan.Doubt,
			Field:  "soundtrack",
			Kind:   "licence",
			Key:    "licence:" + m.SHA256,
			Media:  doc.MediaID(m.SHA256),
		}
		switch until := m.LicenceUntil; {
		case until != nil && until.Before(day.Truncate(24*time.Hour)):
			c.Key += ":ended"
			c.Text = fmt.Sprintf("The licence of %s ended on %s: a link or a host plays it in public", m.Name,
				until.Format("2 January 2006"))
		case m.Licence != "":
			c.Text = fmt.Sprintf("%s goes to a public link: does its licence allow that? “%s”", m.Name,
				m.Licence)
		default:
			continue
		}
		out = append(out, c)
	}
	return out, err
}

// Note changes what the studio wrote about a song.
func (h *Music) Note(ctx context.Context, n store.Music) error {
	for _, text := range []string{n.Mood, n.Occasion, n.Licence} {
		if len(text) > 500 {
			return &invalid.Input{Field: "licence", Problem: "That is longer than 500 letters."}
		}
	}
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Music{}).Where("media_id = ?", n.MediaID).Select("mood", "occasion",
			"favourite", "licence", "licence_until").Updates(&n)
		if res.Error == nil && res.RowsAffected == 0 {
			return store.ErrNotFound
		}
		return res.Error
	})
}

// DropSong takes a song out of the library. Orders that have taken it keep it.
func (h *Music) DropSong(ctx context.Context, id int64) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Delete(&store.Music{}, "media_id = ?", id)
		if res.Error == nil && res.RowsAffected == 0 {
			return store.ErrNotFound
		}
		if res.Error != nil {
			return res.Error
		}
		if err := tx.Delete(&store.Media{}, "id = ?", id).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidDelete, 0, "Took a song out of the library")
	})
}

// TakeSong brings a song of the library into an order, as if it had been received, but
// without reading it again.
func (h *Music) TakeSong(ctx context.Context, order, id int64) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if _, err := store.One[store.Music](tx, "media_id = ?", id); err != nil {
			return err
		}
		m, err := store.One[store.Media](tx, "id = ?", id)
		if err != nil {
			return err
		}
		if m.State != store.Ready {
			return &invalid.Input{
				Field:   "song",
				Problem: m.Name + " is not listened to yet; try again in a moment.",
			}
		}
		ready := m
		m.ID, m.OrderID, m.UploadID = 0, &order, fmt.Sprintf("music/%d/order/%d", id, order)
		if _, err := store.One[store.Media](tx.Omit("waveform"), "upload_id = ?", m.UploadID); err == nil {
			return &invalid.Input{Field: "song", Problem: m.Name + " is in this order already."}
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err := h.Take(ctx, tx, &m); err != nil {
			return err
		}
		if m.State == store.Refused {
			return &invalid.Input{Field: "song", Problem: fmt.Sprintf("%s: %s.", m.Name, m.Reason)}
		}
		m.State, m.CreatedAt = ready.State, h.now()
		if err := tx.Save(&m).Error; err != nil {
			return err
		}
		return h.Queue.Insert(ctx, tx, Pour{OrderID: order})
	})
}

// Speak takes narration that was recorded, to be heard at a second of the film.
func (h *Music) Speak(ctx context.Context, order int64, name string, at float64, r io.Reader) (store.Media,
	error) {
	if !(at >= 0 && at < 86400) {
		return store.Media{}, &invalid.Input{
			Field:   "at",
			Problem: "Narration begins at a second of the film, from 0.",
		}
	}
	return h.receive(ctx, store.Media{
		OrderID:  &order,
		UploadID: fmt.Sprintf("spoken/%d/%d", order, h.now().UnixNano()),
		Name:     media.Base(name),
		SpokenAt: &at,
	}, r)
}

// Relisten has songs listened to that came in before there was an ear for their beat and
// key, and clips looked at of which it is not known where their decoding may begin, some at
// a time.
func (h *Music) Relisten(ctx context.Context) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		var ids []int64
		if err := tx.Model(&store.Media{}).Where("state = ? AND (kind = ? AND (heard IS NULL OR heard #> "+
			"'{rhythm,Key}' IS NULL) OR kind = ? AND seen #> '{examined}' IS NULL)",
			store.Ready, doc.SongMedia, doc.ClipMedia).Order("id DESC").Limit(50).
			Pluck("id", &ids).Error; err != nil {
			return err
		}
		for _, id := range ids {
			if err := h.Queue.Insert(ctx, tx, Read{MediaID: id}); err != nil {
				return err
			}
		}
		return nil
	})
}

// SongWave is the waveform of a song of the library.
func (h *Music) SongWave(ctx context.Context, id int64) ([]byte, error) {
	if _, err := store.One[store.Music](h.Store.DB.WithContext(ctx), "media_id = ?", id); err != nil {
		return nil, err
	}
	m, err := store.One[store.Media](h.Store.DB.WithContext(ctx).Select("waveform"), "id = ?", id)
	return m.Waveform, err
}
