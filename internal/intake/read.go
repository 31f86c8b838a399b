package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/media"
	"nelko/internal/store"
)

// ThumbSide is the longer side of thumbnails in pixels: enough for the
// running order on a dense screen.
const ThumbSide = 480

// Read looks at a waiting file: kind, size, capture time, thumbnail, waveform.
// A file that cannot be used is refused with the reason.
func (r *Reader) Read(ctx context.Context, j Read) error {
	m, err := store.One[store.Media](r.Store.DB.WithContext(ctx), "id = ?", j.MediaID)
	if err == nil && m.State == store.Ready && m.Kind == doc.SongMedia && m.Heard == nil {
		return r.hear(ctx, m)
	}
	if err == nil && m.State == store.Ready && m.Kind == doc.ClipMedia &&
		(m.Seen == nil || !m.Seen.Examined) {
		return r.examine(ctx, m)
	}
	if errors.Is(err, store.ErrNotFound) || (err == nil && m.State != store.Waiting) {
		return nil // removed, or done by an earlier attempt
	}
	if err != nil {
		return err
	}
	path, err := r.Blobs.Path(ctx, m.SHA256)
	if err != nil {
		return err
	}
	wanted, done := r.whileWanted(ctx, m.ID)
	defer done()
	begun := time.Now()
	err = r.look(wanted, m, path, begun, j)
	if errors.Is(context.Cause(wanted), errDismissed) {
		return nil
	}
	return err
}

// errDismissed ends the reading of a file that nobody wants any more.
var errDismissed = errors.New("the file was dismissed")

// whileWanted ends the context when a medium is there no longer.
func (r *Reader) whileWanted(ctx context.Context, id int64) (context.Context, func()) {
	ctx, end := context.WithCancelCause(ctx)
	go func() {
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				var n int64
				if err := r.Store.DB.WithContext(ctx).Model(&store.Media{}).Where("id = ?", id).
					Count(&n).Error; err == nil && n == 0 {
					end(errDismissed)
				}
			}
		}
	}()
	return ctx, func() { end(nil) }
}

// look looks at a file, which is begun at that moment, and notes what it is, or leaves it to who has
// more time.
func (r *Reader) look(ctx context.Context, m store.Media, path string, begun time.Time, j Read) (
	err error) {
	var refused *media.Refused
	if media.IsRaw(m.Name) && m.Original == nil {
		path, err = r.develop(ctx, &m, path)
		if err = r.Blobs.Blame(ctx, begun, err); errors.Is(err, store.ErrAway) {
			return err
		}
		if errors.As(err, &refused) {
			return r.settle(ctx, &m, refused.Reason)
		} else if err != nil {
			return fmt.Errorf("%s: %w", m.Name, err)
		}
	}
	with := media.Looker{Pictures: r.Quick, Quick: !j.Song && !j.Slow}
	if j.Slow {
		with.Pictures = r.Patient
	}
	l, err := with.LookAt(ctx, path, m.Name, ThumbSide)
	if err = r.Blobs.Blame(ctx, begun, err); errors.Is(err, store.ErrAway) {
		return err // nothing is known of the file
	}
	if song := errors.Is(err, media.ErrSong); song || errors.Is(err, media.ErrSlow) {
		return r.Store.Tx(ctx, func(tx *gorm.DB) error {
			if err := r.toRead(ctx, tx, &m, Read{Song: song, Slow: !song}); err != nil {
				return err
			}
			order, err := home(tx, &m)
			if err != nil || order == 0 {
				return err
			}
			return store.Tell(tx, store.Event{What: store.OrderChanged, ID: order})
		})
	}
	if errors.As(err, &refused) {
		return r.settle(ctx, &m, refused.Reason)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	if m.Thumbnail, err = r.keep(ctx, l.Thumb); err == nil {
		m.Proxy, err = r.keep(ctx, l.Small)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	facts, wave := l.Facts, l.Wave
	m.Kind, m.Width, m.Height = facts.Kind, facts.W, facts.H
	m.Samples, m.LUFS, m.PeakDB, m.Waveform = int64(facts.Length), facts.LUFS, facts.PeakDB, wave
	m.Heard = facts.Heard
	m.Seen = &store.Seen{
		Faces:       facts.Faces,
		Focus:       facts.Focus,
		Print:       facts.Print,
		Sound:       facts.Sound,
		Clear:       facts.Clear,
		Camera:      facts.Camera,
		Sharp:       facts.Sharp,
		Light:       facts.Light,
		Interest:    facts.Interest,
		Description: facts.Description,
		Track:       facts.Track,
		Starts:      facts.Starts,
		Faulty:      facts.Faulty,
		Examined:    facts.Kind == doc.ClipMedia,
	}
	if !facts.Captured.IsZero() && m.Captured == nil {
		m.Captured = &facts.Captured
	}
	return r.settle(ctx, &m, "")
}

// settle makes a file that was looked at ready, or refuses it with a reason,
// and has what waits poured: others may have waited for this one to be read.
func (r *Reader) settle(ctx context.Context, m *store.Media, refused string) error {
	m.State, m.Reason = store.Ready, refused
	if refused != "" {
		m.State = store.Refused
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if saved := tx.Select("*").Updates(m); saved.Error != nil || saved.RowsAffected == 0 {
			return saved.Error // dismissed meanwhile
		}
		order, err := home(tx, m)
		if err != nil || order == 0 {
			return err
		}
		// What the day sheet shows of the order is worked out by the pour, once for
		// many files.
		if err := r.Queue.Insert(ctx, tx, Pour{order}); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: order})
	})
}

// refuse refuses a file that nobody lives to have looked at.
func (r *Reader) refuse(ctx context.Context, j Read, why string) error {
	m, err := store.One[store.Media](r.Store.DB.WithContext(ctx), "id = ?", j.MediaID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && m.State != store.Waiting) {
		return nil
	}
	if err != nil {
		return err
	}
	return r.settle(ctx, &m, why)
}

// develop has the picture that the camera put into a raw file stand for it, and
// gives where that is. The raw file itself stays as it was received.
func (r *Reader) develop(ctx context.Context, m *store.Media, path string) (string, error) {
	jpg, err := r.Patient.Raw(ctx, path)
	if err == nil && len(jpg) == 0 {
		return path, nil // a JPEG by its content, such as one that was taken out before
	}
	if err != nil {
		return "", err
	}
	sha, err := r.keep(ctx, jpg)
	if err != nil {
		return "", err
	}
	received := m.SHA256
	m.Original, m.SHA256 = &received, *sha
	return r.Blobs.Path(ctx, *sha)
}

// keep stores a copy of a picture; none: nil.
func (r *Reader) keep(ctx context.Context, jpg []byte) (*string, error) {
	if jpg == nil {
		return nil, nil
	}
	sha, size, err := r.Blobs.Put(ctx, bytes.NewReader(jpg))
	if err != nil {
		return nil, err
	}
	return &sha, store.KeepBlob(r.Store.DB.WithContext(ctx), sha, size)
}

// hear listens to a song that is known already.
func (r *Reader) hear(ctx context.Context, m store.Media) error {
	l, refused, err := r.lookAgain(ctx, m)
	if err != nil || refused != "" {
		return err
	}
	return r.Store.DB.WithContext(ctx).Model(&m).Select("heard").
		Updates(&store.Media{Heard: l.Facts.Heard}).Error
}

// examine looks at a clip that is known already, for where its decoding may begin.
func (r *Reader) examine(ctx context.Context, m store.Media) error {
	l, refused, err := r.lookAgain(ctx, m)
	if err != nil {
		return err
	}
	seen := m.Looked()
	seen.Examined, seen.Faulty = true, refused
	if refused == "" {
		seen.Track, seen.Starts, seen.Faulty = l.Facts.Track, l.Facts.Starts, l.Facts.Faulty
	}
	return r.Store.DB.WithContext(ctx).Model(&m).Select("seen").Updates(&store.Media{Seen: &seen}).Error
}

// lookAgain looks at a medium that was taken before. That it would be refused now, and why,
// is no error: what it was then stays.
func (r *Reader) lookAgain(ctx context.Context, m store.Media) (l media.Looked, why string, err error) {
	begun := time.Now()
	path, err := r.Blobs.Path(ctx, m.SHA256)
	if err != nil {
		return l, "", err
	}
	l, err = media.Looker{Pictures: r.Patient}.LookAt(ctx, path, m.Name, ThumbSide)
	if err = r.Blobs.Blame(ctx, begun, err); errors.Is(err, store.ErrAway) {
		return l, "", err // nothing is known of the file
	}
	var refused *media.Refused
	if errors.As(err, &refused) {
		return l, refused.Reason, nil
	}
	if err != nil {
		return l, "", fmt.Errorf("%s: %w", m.Name, err)
	}
	return l, "", nil
}
