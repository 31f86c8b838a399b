package delivery

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/core/naming"
	"nelko/internal/core/profile"
	"nelko/internal/folder"
	"nelko/internal/invalid"
	"nelko/internal/queue"
	"nelko/internal/store"
)

// Put is the job that puts a film into the studio's folder.
type Put struct {
	DeliveryID int64 `json:"delivery_id"`
}

// Kind implements river.JobArgs.
func (Put) Kind() string { return "put_file" }

// placing is the queue of files.
const placing = "files"

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Put) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: placing, MaxAttempts: queue.Tries(queue.Outside)}
}

// fileJobs are the room's jobs with files.
func (f *Files) fileJobs(js *queue.Jobs) {
	js.Serve(placing, 2)
	queue.Handle(js, queue.Kind[Put]{Needs: f.Blobs.Here,
		Work: func(ctx context.Context, j queue.Job[Put]) error {
			err := f.Put(ctx, j.Args)
			if err != nil && j.Last && ctx.Err() == nil {
				return errors.Join(err, f.notPut(ctx, j.Args, err.Error()))
			}
			return err
		},
		Refuse: func(ctx context.Context, j Put, why string) error { return f.notPut(ctx, j, why) },
	})
}

// UsualFileName is the pattern of files' names where the studio has none.
const UsualFileName = "{client} - {event} ({profile})"

// FileFields are the fields a pattern of files' names can hold beside an order's
// details.
var FileFields = []string{"client", "event", "due", "profile"}

// CheckFolder reports what is wrong with the address of a folder or with the
// pattern of names in it.
func CheckFolder(address, names string) error {
	if address != "" {
		if err := folder.Check(address); err != nil {
			return invalid.Field("folder", "%v.", err)
		}
	}
	for _, f := range naming.Fields(names) {
		// Any detail may be named; what an order does not have is left out.
		if f == "" || f == naming.Counter {
			return invalid.Field("file_names", "A name cannot have {%s} in it.", f)
		}
	}
	if strings.Count(names, "{") != strings.Count(names, "}") {
		return invalid.Field("file_names", "A brace is not closed, or not opened.")
	}
	return nil
}

// fileName is the name a film has in the studio's folder.
func fileName(st store.Studio, o store.Order, r store.Render) string {
	fields := map[string]string{}
	for k, v := range o.Details {
		fields[k] = v
	}
	fields["client"], fields["event"], fields["due"], fields["profile"] = o.Client, o.Event,
		o.Due.Format("2006-01-02"), r.Profile
	pattern := st.FileNames
	if pattern == "" {
		pattern = UsualFileName
	}
	ending := profile.Film.File.Extension
	if r.Setting != nil {
		ending = r.Setting.File.Extension
	}
	return naming.Names(pattern, []map[string]string{fields}, ending)[0]
}

// PutFile delivers a finished film as a file in the studio's folder.
func (f *Files) PutFile(ctx context.Context, orderID, renderID int64) error {
	tx := f.Store.DB.WithContext(ctx)
	st, err := store.StudioOf(tx)
	if err != nil {
		return err
	}
	if st.Folder == "" {
		return invalid.Field("folder", "The studio has no folder for films yet. Name one in the settings.")
	}
	o, err := store.One[store.Order](tx, "id = ?", orderID)
	if err != nil {
		return err
	}
	r, err := store.One[store.Render](tx, "id = ? AND order_id = ? AND state = 'done'", renderID, orderID)
	if errors.Is(err, store.ErrNotFound) {
		return invalid.Field("render", "There is no finished film of that number.")
	}
	if err != nil {
		return err
	}
	name := fileName(st, o, r)
	return f.Store.Tx(ctx, func(tx *gorm.DB) error {
		d := store.Delivery{
			OrderID: orderID,
			Kind:    store.FileDelivery,
			State:   store.DeliveryWaiting,
			Title:   name,
		}
		if err := tx.Create(&d).Error; err != nil {
			return err
		}
		if err := tx.Create(&store.DeliveryRender{DeliveryID: d.ID, RenderID: r.ID}).Error; err != nil {
			return err
		}
		if err := tx.Create(&store.Placement{
			DeliveryID: d.ID,
			RenderID:   r.ID,
			Folder:     st.Folder,
			Name:       name,
		}).Error; err != nil {
			return err
		}
		if err := f.Queue.Insert(ctx, tx, Put{d.ID}); err != nil {
			return err
		}
		return f.Orders.Heads.NoteDelivery(ctx, tx, d, "To be put into "+folder.Shown(st.Folder))
	})
}

// Settle says what becomes of a film whose name an older file has: over it, or
// beside it under another name.
func (f *Files) Settle(ctx context.Context, orderID, deliveryID int64, over bool) error {
	return f.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx,
			"id = ? AND order_id = ? AND kind = 'file' AND state = 'failed'", deliveryID, orderID)
		if err != nil {
			return err
		}
		p, err := store.One[store.Placement](tx, "delivery_id = ?", d.ID)
		if err != nil {
			return err
		}
		name, said := p.Name, "To be put over the older file"
		switch {
		case p.Older == "":
			said = "To be tried again"
		case !over:
			name = beside(p.Name, f.Now().Format("2006-01-02 1504"))
			said = "To be put beside it, as " + name
		}
		set := map[string]any{"error": "", "older": "", "instead": over, "name": name}
		if err := errors.Join(tx.Model(&p).Updates(set).Error, tx.Model(&d).Updates(map[string]any{
			"state": store.DeliveryWaiting,
			"title": name,
		}).Error); err != nil {
			return err
		}
		if err := f.Queue.Insert(ctx, tx, Put{d.ID}); err != nil {
			return err
		}
		return f.Orders.Heads.NoteDelivery(ctx, tx, d, said)
	})
}

// beside is a name with something before its ending.
func beside(name, what string) string {
	at := strings.LastIndexByte(name, '.')
	if at < 0 {
		at = len(name)
	}
	return name[:at] + " " + what + name[at:]
}

// errOlder means that a file of that name is there already.
var errOlder = errors.New("there is an older file of this name")

// Put puts a film into the studio's folder, and reads it back.
func (f *Files) Put(ctx context.Context, j Put) error {
	tx := f.Store.DB.WithContext(ctx)
	p, err := store.One[store.Placement](tx, "delivery_id = ?", j.DeliveryID)
	if errors.Is(err, store.ErrNotFound) || (err == nil && p.PlacedAt != nil) {
		return nil
	}
	if err != nil {
		return err
	}
	r, err := store.One[store.Render](tx, "id = ?", p.RenderID)
	if err != nil {
		return err
	}
	b, err := folder.Open(ctx, p.Folder)
	if err != nil {
		return fmt.Errorf("the folder %s cannot be opened: %w", folder.Shown(p.Folder), err)
	}
	defer b.Close()
	older, there, err := b.Look(ctx, p.Name)
	switch {
	case err != nil:
		return fmt.Errorf("looking into the folder %s: %w", folder.Shown(p.Folder), err)
	case there && !p.Instead:
		what := fmt.Sprintf("%.1f MB of %s", float64(older.Size)/1e6, older.At.Format("2 Jan 2006 15:04"))
		return f.olderFound(ctx, p, what)
	}
	size, err := f.copyTo(ctx, b, p.Name, *r.SHA256)
	if err != nil {
		return fmt.Errorf("writing %s: %w", p.Name, err)
	}
	return f.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ?", p.DeliveryID)
		if err != nil {
			return err
		}
		now := f.Now()
		if err := tx.Model(&p).Updates(map[string]any{
			"placed_at": now,
			"size":      size,
			"error":     "",
			"older":     "",
		}).Error; err != nil {
			return err
		}
		proof := fmt.Sprintf("written and read back %s", now.Format("2 January 2006 15:04"))
		if err := tx.Model(&d).Updates(map[string]any{
			"state": store.DeliveryDone,
			"proof": proof,
		}).Error; err != nil {
			return err
		}
		return f.Orders.Heads.NoteDelivery(ctx, tx, d, "Put into "+folder.Shown(p.Folder))
	})
}

// copyTo writes a stored film into a folder and compares what is there
// afterwards. Nothing is left under the name if that fails half-way.
func (f *Files) copyTo(ctx context.Context, to folder.Folder, name, sha string) (int64, error) {
	in, err := f.Blobs.Open(ctx, sha)
	if err != nil {
		return 0, err
	}
	defer in.Close()
	if err := to.Write(ctx, name, in); err != nil {
		return 0, err
	}
	back, err := to.Read(ctx, name)
	if err != nil {
		return 0, err
	}
	defer back.Close()
	got, err := store.SumOf(back)
	if err == nil && got != sha {
		err = fmt.Errorf("what was written is not what is there (SHA-256 %.12s… in place of %.12s…)", got,
			sha)
	}
	return in.Size(), err
}

// olderFound stops for a person to say what is to become of an older file.
func (f *Files) olderFound(ctx context.Context, p store.Placement, what string) error {
	return f.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ?", p.DeliveryID)
		if err != nil {
			return err
		}
		if err := errors.Join(tx.Model(&p).Updates(map[string]any{
			"older": what,
			"error": errOlder.Error(),
		}).Error, tx.Model(&d).Update("state", store.DeliveryFailed).Error); err != nil {
			return err
		}
		return f.Orders.Heads.NoteDelivery(ctx, tx, d, "Not put: "+errOlder.Error()+", "+what)
	})
}

// notPut gives putting a film into the folder up.
func (f *Files) notPut(ctx context.Context, j Put, why string) error {
	return f.Store.Tx(ctx, func(tx *gorm.DB) error {
		d, err := store.One[store.Delivery](tx, "id = ? AND state <> 'done'", j.DeliveryID)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := errors.Join(tx.Model(&store.Placement{}).Where("delivery_id = ?", d.ID).
			Update("error", why).Error, tx.Model(&d).
			Update("state", store.DeliveryFailed).Error); err != nil {
			return err
		}
		return f.Orders.Heads.NoteDelivery(ctx, tx, d, "Not put: "+why)
	})
}

// Files lists an order's films as files, newest first.
func (f *Files) Files(ctx context.Context, orderID int64) (out []File, err error) {
	err = f.Store.DB.WithContext(ctx).Table("placements p").Select("p.*, d.state, d.proof").
		Joins("JOIN deliveries d ON d.id = p.delivery_id").
		Where("d.order_id = ?", orderID).Order("p.delivery_id DESC").Limit(100).Scan(&out).Error
	return out, err
}

// File is a film in the studio's folder, or on its way there.
type File struct {
	store.Placement
	State store.DeliveryState
	Proof string
}
