// Package intake is how material comes in: files are kept exactly as received,
// looked at in the background, and poured into the slideshow.
package intake

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Intake is the room.
type Intake struct {
	Store  *store.Store
	Blobs  *store.Blobs
	Queue  orders.Queue
	Orders *orders.Orders
	Now    func() time.Time
	// Quick read pictures in processes of their own, Patient those that take long;
	// nil: in this one.
	Quick, Patient *media.Readers

	Photos string // address of the photo source, where the studio has set no other
	Folder string // whose sub-folders are named by orders and looked into; empty: none

	still Stillness // of the watched folder
}

// Read is the job that looks at a received file.
type Read struct {
	MediaID int64 `json:"media_id"`
	Song    bool  `json:"song,omitempty"` // likely to be a song
	Slow    bool  `json:"slow,omitempty"` // found to take longer than most files
	Of      int64 `json:"of,omitempty"`   // whose it is: an order, or a Run below zero; 0: the studio's music
}

// Kind implements river.JobArgs.
func (Read) Kind() string { return "ingest" }

// The queues of the room. Reading files never waits for anything else, nor
// anything else for it; and photos and short looks at clips wait for nothing
// that takes longer than they do.
const (
	reading = "reading"
	songs   = "songs"
	slow    = "slow"
	pours   = "pours"
)

// fullFor is how long a file waits for room on a full disk before it is looked
// at again.
const fullFor = 10 * time.Second

// InsertOpts implements river.JobArgsWithInsertOpts.
func (r Read) InsertOpts() river.InsertOpts {
	o := river.InsertOpts{Queue: reading, MaxAttempts: 8, Priority: 2}
	switch {
	case r.Slow:
		o.Queue = slow
	case r.Song:
		o.Queue = songs
	}
	return o
}

// turnsFrom is when the first file of everyone is due.
var turnsFrom = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// toRead has a file looked at. Orders take turns: the first files of all come before the second ones.
func (in *Intake) toRead(ctx context.Context, tx *gorm.DB, m *store.Media, r Read) error {
	r.MediaID = m.ID
	switch {
	case m.RunID != nil:
		r.Of = -*m.RunID
	case m.OrderID != nil:
		r.Of = *m.OrderID
	}
	var place int64
	err := tx.Raw("SELECT count(*) FROM river_job WHERE kind = ? AND queue = ? AND finalized_at IS NULL AND coalesce((args->>'of')::bigint, 0) = ?",
		r.Kind(), r.InsertOpts().Queue, r.Of).Scan(&place).Error
	if err != nil {
		return err
	}
	if err := in.Queue.Insert(ctx, tx, r); err != nil {
		return err
	}
	turn := turnsFrom.Add(time.Duration(place) * time.Second)
	return queue.Move(tx, r.Kind(), "media_id", []int64{m.ID}, &turn)
}

// sounds are the endings of files that are likely to be songs.
var sounds = []string{".mp3", ".m4a", ".aac", ".flac", ".wav", ".ogg", ".opus", ".aif", ".aiff", ".wma"}

// Pour is the job that brings ready media into an order's slideshow.
type Pour struct {
	OrderID int64 `json:"order_id"`
}

// Kind implements river.JobArgs.
func (Pour) Kind() string { return "pour" }

// InsertOpts implements river.JobArgsWithInsertOpts. Files come in bunches; a
// pour a moment later takes several.
func (Pour) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: pours, MaxAttempts: 8, ScheduledAt: time.Now().Add(700 * time.Millisecond)}
}

// Jobs implements queue.Room.
func (in *Intake) Jobs(js *queue.Jobs) {
	js.Serve(reading, 2)
	js.Serve(songs, 2)
	js.Serve(slow, 1)
	js.Serve(pours, 2)
	queue.Handle(js, queue.Kind[Read]{
		Needs: in.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Read]) error {
			err := in.Read(ctx, j.Args)
			if store.Full(err) {
				return queue.Later(fullFor) // nothing is wrong with the file
			}
			return err
		},
		Refuse: in.refuse,
	})
	js.Serve(fetching, 1)
	queue.Handle(js, queue.Kind[Fetch]{Needs: in.Blobs.Here, Work: func(ctx context.Context, j queue.Job[Fetch]) error { return in.Fetch(ctx, j.Args) }})
	queue.Handle(js, queue.Kind[Pour]{Needs: in.Blobs.Here, Work: func(ctx context.Context, j queue.Job[Pour]) error {
		err := in.Pour(ctx, j.Args)
		var c *orders.Conflict
		if errors.As(err, &c) {
			return queue.Later(time.Second)
		}
		return err
	}})
}

// Receive keeps a received file and has it looked at. uploadID names the
// upload: receiving the same one twice does nothing. The file is there wholly
// or, on an error, not at all.
func (in *Intake) Receive(ctx context.Context, orderID int64, uploadID, name string, r io.Reader) (store.Media, error) {
	return in.receive(ctx, store.Media{OrderID: &orderID, UploadID: uploadID, Name: media.Base(name)}, r)
}

// Known is a file of which more is known than it says itself.
type Known struct {
	OrderID      int64
	Upload, Name string
	Captured     *time.Time // put right; nil: as the file says
	Stars        int
	Sent         *time.Time // nil: when it arrives
}

// ReceiveKnown is Receive of a file of which more is known.
func (in *Intake) ReceiveKnown(ctx context.Context, k Known, r io.Reader) (store.Media, error) {
	return in.receive(ctx, store.Media{OrderID: &k.OrderID, UploadID: k.Upload, Name: k.Name, Captured: k.Captured, Stars: k.Stars, SentAt: k.Sent}, r)
}

func (in *Intake) receive(ctx context.Context, m store.Media, r io.Reader) (store.Media, error) {
	orderID, uploadID := *m.OrderID, m.UploadID
	if old, err := store.One[store.Media](in.Store.DB.WithContext(ctx).Omit("waveform"), "upload_id = ?", uploadID); err == nil {
		return old, nil
	} else if !errors.Is(err, store.ErrNotFound) {
		return m, err
	}
	var err error
	if m.SHA256, m.Size, err = in.Blobs.Keep(ctx, r); err != nil {
		return m, fmt.Errorf("%s: %w", m.Name, err)
	}
	err = in.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := store.KeepBlob(tx, m.SHA256, m.Size); err != nil {
			return err
		}
		if err := in.Take(ctx, tx, &m); err != nil {
			return err
		}
		if err := store.Note(tx, store.DidUpload, orderID, m.Name); err != nil {
			return err
		}
		// Where others are being read already, their pour will say what there is.
		var others int64
		err := tx.Model(&store.Media{}).Where("order_id = ? AND state = 'waiting' AND id <> ?", orderID, m.ID).Limit(1).Count(&others).Error
		if err != nil {
			return err
		}
		if others == 0 || m.State == store.Refused {
			return in.Orders.Changed(ctx, tx, orderID)
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return store.One[store.Media](in.Store.DB.WithContext(ctx).Omit("waveform"), "upload_id = ?", uploadID) // another process received the same upload
	}
	return m, err
}

// Take registers a file whose content is kept as a medium of an order or of a
// Run, and has it looked at. One that is there already is refused.
func (in *Intake) Take(ctx context.Context, tx *gorm.DB, m *store.Media) error {
	m.State = store.Waiting
	if err := in.hold(tx, m); err != nil {
		return err
	}
	// A pattern's own material is the Run's, so that all rows may show it.
	if m.OrderID != nil {
		var runs []int64
		if err := tx.Model(&store.Run{}).Where("pattern_id = ?", *m.OrderID).Pluck("id", &runs).Error; err != nil {
			return err
		}
		if len(runs) > 0 {
			m.OrderID, m.RunID = nil, &runs[0]
		}
	}
	twin, err := store.One[store.Media](tx.Omit("waveform"), "(order_id = ? OR run_id = ?) AND (sha256 = ? OR original = ?) AND state <> 'refused'", m.OrderID, m.RunID, m.SHA256, m.SHA256)
	if err == nil {
		m.State, m.Reason = store.Refused, store.SameAs(twin)
		if twin.Damage != "" {
			// It was stored with this one.
			if err := tx.Model(&store.Media{}).Where("sha256 = ?", twin.SHA256).Updates(map[string]any{"damage": "", "verified_at": nil}).Error; err != nil {
				return err
			}
		}
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if m.State != store.Refused && m.ClientPageID != nil {
		if m.Reason, err = in.tooMuch(tx, m); err != nil {
			return err
		}
		if m.Reason != "" {
			m.State = store.Refused
		}
	}
	if err := tx.Create(m).Error; err != nil || m.State == store.Refused {
		return err
	}
	return in.toRead(ctx, tx, m, Read{Song: slices.Contains(sounds, strings.ToLower(path.Ext(m.Name)))})
}

// home is the order whose film a medium goes into; 0 if there is none.
func home(tx *gorm.DB, m *store.Media) (int64, error) {
	if m.OrderID != nil {
		return *m.OrderID, nil
	}
	if m.RunID == nil {
		return 0, nil
	}
	r, err := store.One[store.Run](tx.Select("id", "pattern_id"), "id = ?", *m.RunID)
	if err != nil || r.PatternID == nil {
		return 0, err
	}
	return *r.PatternID, nil
}

// ThumbSide is the longer side of thumbnails in pixels: enough for the
// running order on a dense screen.
const ThumbSide = 480

// Read looks at a waiting file: kind, size, capture time, thumbnail, waveform.
// A file that cannot be used is refused with the reason.
func (in *Intake) Read(ctx context.Context, j Read) error {
	m, err := store.One[store.Media](in.Store.DB.WithContext(ctx), "id = ?", j.MediaID)
	if err == nil && m.State == store.Ready && m.Kind == doc.SongMedia && m.Heard == nil {
		return in.hear(ctx, m)
	}
	if err == nil && m.State == store.Ready && m.Kind == doc.ClipMedia && (m.Seen == nil || !m.Seen.Examined) {
		return in.examine(ctx, m)
	}
	if errors.Is(err, store.ErrNotFound) || (err == nil && m.State != store.Waiting) {
		return nil // removed, or done by an earlier attempt
	}
	if err != nil {
		return err
	}
	path, err := in.Blobs.Path(ctx, m.SHA256)
	if err != nil {
		return err
	}
	wanted, done := in.whileWanted(ctx, m.ID)
	defer done()
	err = in.look(wanted, m, path, j)
	if errors.Is(context.Cause(wanted), errDismissed) {
		return nil
	}
	return err
}

// errDismissed ends the reading of a file that nobody wants any more.
var errDismissed = errors.New("the file was dismissed")

// whileWanted ends the context when a medium is there no longer.
func (in *Intake) whileWanted(ctx context.Context, id int64) (context.Context, func()) {
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
				if err := in.Store.DB.WithContext(ctx).Model(&store.Media{}).Where("id = ?", id).Count(&n).Error; err == nil && n == 0 {
					end(errDismissed)
				}
			}
		}
	}()
	return ctx, func() { end(nil) }
}

// look looks at a file and notes what it is, or leaves it to who has more time.
func (in *Intake) look(ctx context.Context, m store.Media, path string, j Read) (err error) {
	var refused *media.Refused
	if media.IsRaw(m.Name) && m.Original == nil {
		if path, err = in.develop(ctx, &m, path); errors.As(err, &refused) {
			return in.settle(ctx, &m, refused.Reason)
		} else if err != nil {
			return fmt.Errorf("%s: %w", m.Name, err)
		}
	}
	with := media.Looker{Pictures: in.Quick, Quick: !j.Song && !j.Slow}
	if j.Slow {
		with.Pictures = in.Patient
	}
	l, err := with.LookAt(ctx, path, m.Name, ThumbSide)
	if err = in.Blobs.Blame(ctx, err); errors.Is(err, store.ErrAway) {
		return err // nothing is known of the file
	}
	if song := errors.Is(err, media.ErrSong); song || errors.Is(err, media.ErrSlow) {
		return in.Store.Tx(ctx, func(tx *gorm.DB) error {
			if err := in.toRead(ctx, tx, &m, Read{Song: song, Slow: !song}); err != nil {
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
		return in.settle(ctx, &m, refused.Reason)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	if m.Thumbnail, err = in.keep(ctx, l.Thumb); err == nil {
		m.Proxy, err = in.keep(ctx, l.Small)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", m.Name, err)
	}
	facts, wave := l.Facts, l.Wave
	m.Kind, m.Width, m.Height = facts.Kind, facts.W, facts.H
	m.Samples, m.LUFS, m.PeakDB, m.Waveform = int64(facts.Length), facts.LUFS, facts.PeakDB, wave
	m.Heard = facts.Heard
	m.Seen = &store.Seen{Faces: facts.Faces, Focus: facts.Focus, Print: facts.Print, Sound: facts.Sound, Clear: facts.Clear, Camera: facts.Camera, Sharp: facts.Sharp, Light: facts.Light, Interest: facts.Interest, Description: facts.Description,
		Track: facts.Track, Starts: facts.Starts, Faulty: facts.Faulty, Examined: facts.Kind == doc.ClipMedia}
	if !facts.Captured.IsZero() && m.Captured == nil {
		m.Captured = &facts.Captured
	}
	return in.settle(ctx, &m, "")
}

// settle makes a file that was looked at ready, or refuses it with a reason,
// and has what waits poured: others may have waited for this one to be read.
func (in *Intake) settle(ctx context.Context, m *store.Media, refused string) error {
	m.State, m.Reason = store.Ready, refused
	if refused != "" {
		m.State = store.Refused
	}
	return in.Store.Tx(ctx, func(tx *gorm.DB) error {
		if saved := tx.Select("*").Updates(m); saved.Error != nil || saved.RowsAffected == 0 {
			return saved.Error // dismissed meanwhile
		}
		order, err := home(tx, m)
		if err != nil || order == 0 {
			return err
		}
		// What the day sheet shows of the order is worked out by the pour, once for
		// many files.
		if err := in.Queue.Insert(ctx, tx, Pour{order}); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: order})
	})
}

// refuse refuses a file that nobody lives to have looked at.
func (in *Intake) refuse(ctx context.Context, j Read, why string) error {
	m, err := store.One[store.Media](in.Store.DB.WithContext(ctx), "id = ?", j.MediaID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && m.State != store.Waiting) {
		return nil
	}
	if err != nil {
		return err
	}
	return in.settle(ctx, &m, why)
}

// develop has the picture that the camera put into a raw file stand for it, and
// gives where that is. The raw file itself stays as it was received.
func (in *Intake) develop(ctx context.Context, m *store.Media, path string) (string, error) {
	jpg, err := in.Patient.Raw(ctx, path)
	if err == nil && len(jpg) == 0 {
		return path, nil // a JPEG by its content, such as one that was taken out before
	}
	if err != nil {
		return "", err
	}
	sha, err := in.keep(ctx, jpg)
	if err != nil {
		return "", err
	}
	received := m.SHA256
	m.Original, m.SHA256 = &received, *sha
	return in.Blobs.Path(ctx, *sha)
}

// keep stores a copy of a picture; none: nil.
func (in *Intake) keep(ctx context.Context, jpg []byte) (*string, error) {
	if jpg == nil {
		return nil, nil
	}
	sha, size, err := in.Blobs.Put(ctx, bytes.NewReader(jpg))
	if err != nil {
		return nil, err
	}
	return &sha, store.KeepBlob(in.Store.DB.WithContext(ctx), sha, size)
}

// Pour brings all ready media into the order's slideshow that are neither in
// it nor left out by hand.
func (in *Intake) Pour(ctx context.Context, j Pour) error {
	d, err := in.Orders.Load(ctx, j.OrderID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if moreToCome(d, in.Now()) {
		return nil
	}
	used := d.Doc.Uses()
	var ids []doc.MediaID
	for _, m := range d.Media {
		id := m.DocID()
		// A row shows the Run's media as its pattern does, and a pattern those of
		// a row only as long as it is looked at with them.
		if own := m.RunID == nil && m.OrderID != nil && *m.OrderID == j.OrderID; own == (d.Doc.Pattern != nil) {
			continue
		}
		if m.State == store.Ready && !m.Held && !used[id] && !d.Doc.Soundtrack.Plays(id) && !slices.Contains(d.Doc.LeftOut, id) {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return in.Store.Tx(ctx, func(tx *gorm.DB) error { return in.Orders.Changed(ctx, tx, j.OrderID) })
	}
	_, err = in.Orders.Edit(ctx, j.OrderID, d.Slideshow.Head, edit.Pour{Media: ids}, nil)
	return err // a conflict is tried again by the queue
}

// pourEvery is the least time between two pours while files are being read.
const pourEvery = 3 * time.Second

// moreToCome reports whether the program poured a moment ago and files are
// still being read: each of them brings a pour of its own, so this one can be
// left out and the history stays short.
func moreToCome(d *orders.Dossier, now time.Time) bool {
	if d.Revision.AuthorID != nil || now.Sub(d.Revision.CreatedAt) > pourEvery {
		return false
	}
	return slices.ContainsFunc(d.Media, func(m store.Media) bool { return m.State == store.Waiting })
}

// Dismiss forgets a file that was refused, or is not read yet; whoever reads it
// ends.
func (in *Intake) Dismiss(ctx context.Context, orderID, mediaID int64) error {
	return in.Store.Tx(ctx, func(tx *gorm.DB) error {
		if res := tx.Where("id = ? AND (order_id = ? OR run_id IN (SELECT id FROM runs WHERE pattern_id = ?)) AND state IN ('refused', 'waiting')", mediaID, orderID, orderID).Delete(&store.Media{}); res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := store.Note(tx, store.DidDelete, orderID, "Dismissed a file that was refused, or not read yet"); err != nil {
			return err
		}
		return in.Orders.Changed(ctx, tx, orderID)
	})
}

// Erase does away with a ready medium of an order that its film does not show
// and does not play: its row now, its file once nothing else has it. Steps of
// the history that showed it cannot be gone back to any more.
func (in *Intake) Erase(ctx context.Context, orderID, mediaID int64) error {
	return in.Store.Tx(ctx, func(tx *gorm.DB) error {
		// The film stands still meanwhile.
		if _, err := store.One[store.Slideshow](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "order_id = ? AND position = 0", orderID); err != nil {
			return err
		}
		d, err := in.Orders.LoadIn(ctx, tx, orderID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(d.Media, func(m store.Media) bool {
			return m.ID == mediaID && m.State == store.Ready && m.OrderID != nil && *m.OrderID == orderID
		})
		if at < 0 {
			return fmt.Errorf("medium %d: %w", mediaID, store.ErrNotFound)
		}
		m := d.Media[at]
		if id := m.DocID(); d.Doc.Uses()[id] || d.Doc.Soundtrack.Plays(id) {
			return invalid.Field("media", "%s is in the film. Leave it out of the film first.", m.Name)
		}
		if err := tx.Delete(&store.Media{}, "id = ?", mediaID).Error; err != nil {
			return err
		}
		if err := store.Note(tx, store.DidDelete, orderID, "Erased a file of the material"); err != nil {
			return err
		}
		return in.Orders.Changed(ctx, tx, orderID)
	})
}

// EraseAll does away with media of an order, many at once: what the film shows or plays of them
// is left out of it first. Steps of the history that showed them cannot be gone back to.
func (in *Intake) EraseAll(ctx context.Context, orderID int64, ids []int64, author *int64) error {
	if len(ids) == 0 {
		return invalid.Field("media", "Choose the files first.")
	}
	return in.Store.Tx(ctx, func(tx *gorm.DB) error {
		var all []store.Media
		err := tx.Omit("waveform").Where("id = ANY (?) AND (order_id = ? OR run_id IN (SELECT id FROM runs WHERE pattern_id = ?))", store.Numbers(ids), orderID, orderID).Find(&all).Error
		if err != nil {
			return err
		}
		if len(all) < len(ids) {
			return invalid.Field("media", "Some of the files are not this order’s own, or are gone; nothing was removed.")
		}
		if err := in.TakeOut(ctx, tx, orderID, all, author); err != nil {
			return err
		}
		return store.Note(tx, store.DidDelete, orderID, "Removed "+wording.Counted(len(all), "file")+" of the material")
	})
}

// TakeOut leaves media out of an order's film, and of its pattern's where that is seen with them,
// and does away with their rows; their files go once nothing else has them.
func (in *Intake) TakeOut(ctx context.Context, tx *gorm.DB, orderID int64, all []store.Media, author *int64) error {
	o, err := store.One[store.Order](tx.Select("id", "run_id", "run_key"), "id = ?", orderID)
	if err != nil {
		return err
	}
	films := []int64{orderID}
	if o.RunID != nil && o.RunKey != "" {
		run, err := store.One[store.Run](tx.Select("id", "pattern_id"), "id = ?", *o.RunID)
		if err != nil {
			return err
		}
		if run.PatternID != nil {
			films = append(films, *run.PatternID)
		}
	}
	for _, film := range films {
		if err := in.leaveOut(ctx, tx, film, all, author); err != nil {
			return err
		}
	}
	var rows store.Numbers
	for _, m := range all {
		rows = append(rows, m.ID)
	}
	if err := tx.Delete(&store.Media{}, "id = ANY (?)", rows).Error; err != nil {
		return err
	}
	for _, film := range films {
		if err := in.Orders.Changed(ctx, tx, film); err != nil {
			return err
		}
	}
	return nil
}

// leaveOut takes out of a film what it shows or plays of media. It stands still meanwhile.
func (in *Intake) leaveOut(ctx context.Context, tx *gorm.DB, orderID int64, all []store.Media, author *int64) error {
	if _, err := store.One[store.Slideshow](tx.Clauses(clause.Locking{Strength: "UPDATE"}), "order_id = ? AND position = 0", orderID); err != nil {
		return err
	}
	d, err := in.Orders.LoadIn(ctx, tx, orderID)
	if err != nil {
		return err
	}
	var shown []doc.MediaID
	for _, m := range all {
		id := m.DocID()
		if _, known := d.Library[id]; known && (d.Doc.Uses()[id] || d.Doc.Soundtrack.Plays(id) || slices.Contains(d.Doc.LeftOut, id)) {
			shown = append(shown, id)
		}
	}
	if len(shown) == 0 {
		return nil
	}
	_, err = in.Orders.DoIn(ctx, tx, orderID, edit.LeaveOut{Media: shown, Gone: true}, author)
	return err
}

// farthest is how far a clock can be wrong.
const farthest = 400 * 24 * time.Hour

// Shift corrects the clock of a camera: all of the order's pictures it took,
// or those whose camera is unknown if it has no name, were taken later by so
// much, or earlier. It gives how many.
func (in *Intake) Shift(ctx context.Context, orderID int64, camera string, by time.Duration) (n int, err error) {
	if by == 0 || by.Abs() > farthest {
		return 0, &invalid.Input{Field: "by", Problem: "A clock is put right by up to 400 days, and by more than nothing."}
	}
	err = in.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Media{}).Where("order_id = ? AND state = 'ready' AND kind <> 'song' AND captured IS NOT NULL AND coalesce(seen->>'camera', '') = ?", orderID, camera).
			Update("captured", gorm.Expr("captured + make_interval(secs => ?)", by.Seconds()))
		if n = int(res.RowsAffected); res.Error != nil || n == 0 {
			return res.Error
		}
		return in.Orders.Changed(ctx, tx, orderID)
	})
	if err == nil && n == 0 {
		err = &invalid.Input{Field: "camera", Problem: "No picture with a time is of this camera."}
	}
	return n, err
}

// ShiftBy is Shift by two pictures of the same moment: all pictures of the
// camera that took the wrong one are shifted by what is between the two.
func (in *Intake) ShiftBy(ctx context.Context, orderID, right, wrong int64) (int, error) {
	var two []store.Media
	if err := in.Store.DB.WithContext(ctx).Select("id", "captured", "seen").Where("order_id = ? AND id IN ? AND captured IS NOT NULL", orderID, []int64{right, wrong}).Find(&two).Error; err != nil {
		return 0, err
	}
	if len(two) != 2 {
		return 0, &invalid.Input{Field: "wrong", Problem: "A clock is put right by two pictures that have a time."}
	}
	if two[0].ID != right {
		two[0], two[1] = two[1], two[0]
	}
	of := func(m store.Media) string {
		if m.Seen == nil {
			return ""
		}
		return m.Seen.Camera
	}
	if of(two[0]) == of(two[1]) {
		return 0, &invalid.Input{Field: "wrong", Problem: "Both pictures are of the same camera, so its clock cannot be told by them."}
	}
	return in.Shift(ctx, orderID, of(two[1]), two[0].Captured.Sub(*two[1].Captured))
}

// Retime sets when a picture or clip was taken; nil is unknown.
func (in *Intake) Retime(ctx context.Context, orderID, mediaID int64, at *time.Time) error {
	return in.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Media{}).Where("id = ? AND order_id = ? AND state = 'ready' AND kind <> 'song'", mediaID, orderID).Update("captured", at)
		if res.Error == nil && res.RowsAffected == 0 {
			return fmt.Errorf("medium %d: %w", mediaID, store.ErrNotFound)
		}
		if res.Error != nil {
			return res.Error
		}
		return in.Orders.Changed(ctx, tx, orderID)
	})
}

// Rate gives a medium 1 to 5 stars, none with 0, or sets it aside with −1.
func (in *Intake) Rate(ctx context.Context, orderID, mediaID int64, stars int) error {
	if stars < -1 || stars > 5 {
		return &invalid.Input{Field: "stars", Problem: "Stars are 0 to 5, or −1 to set it aside."}
	}
	return in.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Media{}).Where("id = ? AND (order_id = ? OR run_id IN (SELECT id FROM runs WHERE pattern_id = ?))", mediaID, orderID, orderID).Update("stars", stars)
		if res.Error == nil && res.RowsAffected == 0 {
			return fmt.Errorf("medium %d: %w", mediaID, store.ErrNotFound)
		}
		if res.Error != nil {
			return res.Error
		}
		return store.Tell(tx, store.Event{What: store.OrderChanged, ID: orderID})
	})
}

// Thumbnail is the thumbnail of a medium, by its content.
func (in *Intake) Thumbnail(ctx context.Context, mediaID int64) (string, error) {
	m, err := store.One[store.Media](in.Store.DB.WithContext(ctx).Select("thumbnail"), "id = ?", mediaID)
	if err == nil && m.Thumbnail == nil {
		err = store.ErrNotFound
	}
	if err != nil {
		return "", err
	}
	return *m.Thumbnail, nil
}

// Medium is a ready medium.
func (in *Intake) Medium(ctx context.Context, mediaID int64) (store.Media, error) {
	return store.One[store.Media](in.Store.DB.WithContext(ctx).Omit("waveform"), "id = ? AND state = 'ready'", mediaID)
}

// Waveforms are the waveforms of songs, by content.
func (in *Intake) Waveforms(ctx context.Context, songs []doc.MediaID) (map[doc.MediaID][]byte, error) {
	out := map[doc.MediaID][]byte{}
	if len(songs) == 0 {
		return out, nil
	}
	var rows []store.Media
	if err := in.Store.DB.WithContext(ctx).Select("DISTINCT ON (sha256) sha256, waveform").Where("sha256 IN ? AND state = 'ready'", songs).Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, m := range rows {
		out[m.DocID()] = m.Waveform
	}
	return out, nil
}

// MayReceive tells whether there is an order to bring files into.
func (in *Intake) MayReceive(ctx context.Context, orderID int64) error {
	_, err := store.One[store.Order](in.Store.DB.WithContext(ctx), "id = ? AND deleted_at IS NULL", orderID)
	if errors.Is(err, store.ErrNotFound) {
		return invalid.Field("order", "there is no such order")
	}
	return err
}
