package intake

import (
	"context"
	"fmt"
	"path"
	"strings"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/core/wording"
	"nelko/internal/folder"
	"nelko/internal/invalid"
)

// Album is a folder of the photo source.
type Album struct {
	Name  string
	Files int
}

// CheckPhotos reports what is wrong with the address of a photo source.
func CheckPhotos(address string) error {
	if address = strings.TrimSpace(address); address == "" {
		return nil
	}
	if err := folder.Check(address); err != nil {
		return invalid.Field("photos", "Photos cannot be fetched there: %v.", err)
	}
	return nil
}

// source opens the photo source; nil if there is none.
func (s *Source) source(ctx context.Context) (folder.Folder, error) {
	set, err := s.Orders.Shelf.Studio(ctx)
	if err != nil {
		return nil, err
	}
	address := s.Photos
	if set.Photos != "" {
		address = set.Photos
	}
	if address == "" {
		return nil, nil
	}
	return folder.Open(ctx, address)
}

// Albums are the folders of the photo source with something in them, by name;
// none where there is no photo source.
func (s *Source) Albums(ctx context.Context) ([]Album, error) {
	src, err := s.source(ctx)
	if err != nil || src == nil {
		return nil, err
	}
	defer src.Close()
	top, err := src.List(ctx, "")
	if err != nil {
		return nil, invalid.Field("album", "The photo source does not answer: %v.", err)
	}
	var out []Album
	for _, e := range top {
		if !e.Dir {
			continue
		}
		in, err := src.List(ctx, e.Name)
		if err != nil {
			return nil, invalid.Field("album", "The photo source does not answer: %v.", err)
		}
		a := Album{Name: e.Name}
		for _, f := range in {
			if !f.Dir {
				a.Files++
			}
		}
		if a.Files > 0 {
			out = append(out, a)
		}
	}
	return out, nil
}

// Fetch is the job that brings an album of the photo source into an order.
type Fetch struct {
	OrderID int64  `json:"order_id"`
	Album   string `json:"album"`
}

// Kind implements river.JobArgs.
func (Fetch) Kind() string { return "fetch" }

const fetching = "fetching"

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Fetch) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: fetching, MaxAttempts: 8} }

// FetchAlbum has an album of the photo source brought into an order.
func (s *Source) FetchAlbum(ctx context.Context, orderID int64, album string) (Album, error) {
	albums, err := s.Albums(ctx)
	if err != nil {
		return Album{}, err
	}
	for _, a := range albums {
		if a.Name != album {
			continue
		}
		if err := s.MayReceive(ctx, orderID); err != nil {
			return a, err
		}
		return a, s.Store.Tx(ctx, func(tx *gorm.DB) error {
			return s.Queue.Insert(ctx, tx, Fetch{orderID, album})
		})
	}
	return Album{}, invalid.Field("album", "The photo source has no album %q with anything in it.", album)
}

// Fetch brings the files of an album in that are not there yet. It may be
// called again: a file that came stays, and goes on where it broke off.
func (s *Source) Fetch(ctx context.Context, j Fetch) error {
	src, err := s.source(ctx)
	if err != nil || src == nil {
		return err // taken away since
	}
	defer src.Close()
	files, err := src.List(ctx, j.Album)
	if err != nil {
		return fmt.Errorf("album %s: %w", j.Album, err)
	}
	failed, last := 0, error(nil)
	for _, f := range files {
		if f.Dir {
			continue
		}
		if err := s.fetch(ctx, src, j, f); err != nil {
			failed, last = failed+1, err
		}
	}
	if last != nil {
		return fmt.Errorf("%s of album %s: %w", wording.Counted(failed, "file"), j.Album, last)
	}
	return nil
}

func (s *Source) fetch(ctx context.Context, src folder.Folder, j Fetch, f folder.Entry) error {
	at := path.Join(j.Album, f.Name)
	r, err := src.Read(ctx, at)
	if err != nil {
		return err
	}
	defer r.Close()
	_, err = s.receiver.Receive(ctx, j.OrderID, UploadID("photos", j.OrderID, at, f.Size, f.At), f.Name, r)
	return err
}
