package intake

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Dismiss forgets a file that was refused, or is not read yet; whoever reads it
// ends.
func (r *Material) Dismiss(ctx context.Context, orderID, mediaID int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if res := tx.Where("id = ? AND (order_id = ? OR run_id IN (SELECT id FROM runs WHERE pattern_id = "+
			"?)) AND state IN ('refused', 'waiting')", mediaID, orderID, orderID).
			Delete(&store.Media{}); res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		if err := store.Note(tx, store.DidDelete, orderID,
			"Dismissed a file that was refused, or not read yet"); err != nil {
			return err
		}
		return r.Orders.Days.Changed(ctx, tx, orderID)
	})
}

// Erase does away with a ready medium of an order that its film does not show
// and does not play: its row now, its file once nothing else has it. Steps of
// the history that showed it cannot be gone back to any more.
func (r *Material) Erase(ctx context.Context, orderID, mediaID int64) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		// The film stands still meanwhile.
		if _, err := store.One[store.Slideshow](tx.Clauses(clause.Locking{Strength: "UPDATE"}),
			"order_id = ? AND position = 0", orderID); err != nil {
			return err
		}
		d, err := r.Orders.LoadIn(ctx, tx, orderID)
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
		return r.Orders.Days.Changed(ctx, tx, orderID)
	})
}

// EraseAll does away with media of an order, many at once: what the film shows or plays of them
// is left out of it first. Steps of the history that showed them cannot be gone back to.
func (r *Material) EraseAll(ctx context.Context, orderID int64, ids []int64, author *int64) error {
	if len(ids) == 0 {
		return invalid.Field("media", "Choose the files first.")
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		var all []store.Media
		err := tx.Omit("waveform").
			Where("id = ANY (?) AND (order_id = ? OR run_id IN (SELECT id FROM runs WHERE pattern_id = ?))",
				store.Numbers(ids), orderID, orderID).Find(&all).Error
		if err != nil {
			return err
		}
		if len(all) < len(ids) {
			return invalid.Field("media",
				"Some of the files are not this order’s own, or are gone; nothing was removed.")
		}
		if err := r.TakeOut(ctx, tx, orderID, all, author); err != nil {
			return err
		}
		return store.Note(tx, store.DidDelete, orderID, "Removed "+wording.Counted(len(all), "file")+
			" of the material")
	})
}

// TakeOut leaves media out of an order's film, and of its pattern's where that is seen with them,
// and does away with their rows; their files go once nothing else has them.
func (r *Material) TakeOut(ctx context.Context, tx *gorm.DB, orderID int64, all []store.Media,
	author *int64) error {
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
		if err := r.leaveOut(ctx, tx, film, all, author); err != nil {
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
		if err := r.Orders.Days.Changed(ctx, tx, film); err != nil {
			return err
		}
	}
	return nil
}

// leaveOut takes out of a film what it shows or plays of media. It stands still meanwhile.
func (r *Material) leaveOut(ctx context.Context, tx *gorm.DB, orderID int64, all []store.Media,
	author *int64) error {
	if _, err := store.One[store.Slideshow](tx.Clauses(clause.Locking{Strength: "UPDATE"}),
		"order_id = ? AND position = 0", orderID); err != nil {
		return err
	}
	d, err := r.Orders.LoadIn(ctx, tx, orderID)
	if err != nil {
		return err
	}
	var shown []doc.MediaID
	for _, m := range all {
		id := m.DocID()
		if _, known := d.Library[id]; known && (d.Doc.Uses()[id] || d.Doc.Soundtrack.Plays(id) ||
			slices.Contains(d.Doc.LeftOut, id)) {
			shown = append(shown, id)
		}
	}
	if len(shown) == 0 {
		return nil
	}
	_, err = r.Orders.Edits.DoIn(ctx, tx, orderID, edit.LeaveOut{Media: shown, Gone: true}, author)
	return err
}

// farthest is how far a clock can be wrong.
const farthest = 400 * 24 * time.Hour

// Shift corrects the clock of a camera: all of the order's pictures it took,
// or those whose camera is unknown if it has no name, were taken later by so
// much, or earlier. It gives how many.
func (r *Material) Shift(ctx context.Context, orderID int64, camera string, by time.Duration) (n int,
	err error) {
	if by == 0 || by.Abs() > farthest {
		return 0, &invalid.Input{
			Field:   "by",
			Problem: "A clock is put right by up to 400 days, and by more than nothing.",
		}
	}
	err = r.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Media{}).Where("order_id = ? AND state = 'ready' AND kind <> 'song' AND "+
			"captured IS NOT NULL AND coalesce(seen->>'camera', '') = ?", orderID, camera).
			Update("captured", gorm.Expr("captured + make_interval(secs => ?)", by.Seconds()))
		if n = int(res.RowsAffected); res.Error != nil || n == 0 {
			return res.Error
		}
		return r.Orders.Days.Changed(ctx, tx, orderID)
	})
	if err == nil && n == 0 {
		err = &invalid.Input{Field: "camera", Problem: "No picture with a time is of this camera."}
	}
	return n, err
}

// ShiftBy is Shift by two pictures of the same moment: all pictures of the
// camera that took the wrong one are shifted by what is between the two.
func (r *Material) ShiftBy(ctx context.Context, orderID, right, wrong int64) (int, error) {
	var two []store.Media
	if err := r.Store.DB.WithContext(ctx).Select("id", "captured", "seen").
		Where("order_id = ? AND id IN ? AND captured IS NOT NULL", orderID, []int64{right, wrong}).
		Find(&two).Error; err != nil {
		return 0, err
	}
	if len(two) != 2 {
		return 0, &invalid.Input{
			Field:   "wrong",
			Problem: "A clock is put right by two pictures that have a time.",
		}
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
		return 0, &invalid.Input{
			Field:   "wrong",
			Problem: "Both pictures are of the same camera, so its clock cannot be told by them.",
		}
	}
	return r.Shift(ctx, orderID, of(two[1]), two[0].Captured.Sub(*two[1].Captured))
}

// Retime sets when a picture or clip was taken; nil is unknown.
func (r *Material) Retime(ctx context.Context, orderID, mediaID int64, at *time.Time) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Media{}).
			Where("id = ? AND order_id = ? AND state = 'ready' AND kind <> 'song'", mediaID, orderID).
			Update("captured", at)
		if res.Error == nil && res.RowsAffected == 0 {
			return fmt.Errorf("medium %d: %w", mediaID, store.ErrNotFound)
		}
		if res.Error != nil {
			return res.Error
		}
		return r.Orders.Days.Changed(ctx, tx, orderID)
	})
}

// Rate gives a medium 1 to 5 stars, none with 0, or sets it aside with −1.
func (r *Material) Rate(ctx context.Context, orderID, mediaID int64, stars int) error {
	if stars < -1 || stars > 5 {
		return &invalid.Input{Field: "stars", Problem: "Stars are 0 to 5, or −1 to set it aside."}
	}
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Media{}).
			Where("id = ? AND (order_id = ? OR run_id IN (SELECT id FROM runs WHERE pattern_id = ?))",
				mediaID, orderID, orderID).Update("stars", stars)
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
func (r *Material) Thumbnail(ctx context.Context, mediaID int64) (string, error) {
	m, err := store.One[store.Media](r.Store.DB.WithContext(ctx).Select("thumbnail"), "id = ?", mediaID)
	if err == nil && m.Thumbnail == nil {
		err = store.ErrNotFound
	}
	if err != nil {
		return "", err
	}
	return *m.Thumbnail, nil
}

// Medium is a ready medium.
func (h *room) Medium(ctx context.Context, mediaID int64) (store.Media, error) {
	return store.One[store.Media](h.Store.DB.WithContext(ctx).Omit("waveform"), "id = ? AND state = 'ready'",
		mediaID)
}

// Waveforms are the waveforms of songs, by content.
func (r *Material) Waveforms(ctx context.Context, songs []doc.MediaID) (map[doc.MediaID][]byte, error) {
	out := map[doc.MediaID][]byte{}
	if len(songs) == 0 {
		return out, nil
	}
	var rows []store.Media
	if err := r.Store.DB.WithContext(ctx).Select("DISTINCT ON (sha256) sha256, waveform").
		Where("sha256 IN ? AND state = 'ready'", songs).Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, m := range rows {
		out[m.DocID()] = m.Waveform
	}
	return out, nil
}
