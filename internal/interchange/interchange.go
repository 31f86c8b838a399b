// Package interchange is orders as files: with their media as a zip that opens
// elsewhere, their cut for programs that edit films, their contact sheet and
// running order to print.
package interchange

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
	"time"

	"nelko/internal/cage"
	"nelko/internal/core/doc"
	"nelko/internal/core/naming"
	"nelko/internal/core/wording"
	"nelko/internal/folder"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/otio"
	"nelko/internal/store"
	"nelko/internal/zipentry"
)

// Interchange is the room.
type Interchange struct {
	Blobs  *store.Blobs
	Orders *orders.Orders
	Intake *intake.Intake
}

// Format is the version of a zip's order.json written and read here.
const Format = 1

const (
	manifestName = "order.json"
	cutName      = "cut.otio"
	lackingName  = "not in here yet.txt"
)

// manifest is order.json: all of an order but its files.
type manifest struct {
	Format      int                  `json:"format"`
	Client      string               `json:"client"`
	ClientEmail string               `json:"client_email,omitempty"`
	Event       string               `json:"event"`
	Due         string               `json:"due"`
	Wants       []store.DeliveryKind `json:"wants,omitempty"`
	Theme       string               `json:"theme"`
	Details     map[string]string    `json:"details"`
	Slideshow   json.RawMessage      `json:"slideshow"` // the document
	Media       []parcel             `json:"media"`
	Lacking     []string             `json:"lacking,omitempty"` // files that were still being read
}

// parcel is a medium in a zip.
type parcel struct {
	File     string     `json:"file"` // in the zip
	Name     string     `json:"name"` // as it was received
	SHA256   string     `json:"sha256"`
	Captured *time.Time `json:"captured,omitempty"` // put right, if it was
	Stars    int        `json:"stars,omitempty"`
}

// files names the media of an order in a zip: numbered, since several may have
// the same name.
func files(d *orders.Dossier) (out []parcel) {
	for i := range d.Media {
		m := &d.Media[i]
		if m.State != store.Ready {
			continue
		}
		ext := path.Ext(m.Name)
		name := fmt.Sprintf("media/%03d %s%s", len(out)+1, naming.Safe(m.Name[:len(m.Name)-len(ext)]), ext)
		out = append(out, parcel{name, m.Name, m.SHA256, m.Captured, m.Stars})
	}
	return out
}

// Zip writes an order with its media: order.json, the files, and its cut. What is still being
// read is named in it.
func (x *Interchange) Zip(ctx context.Context, orderID int64, w io.Writer) error {
	d, err := x.Orders.Load(ctx, orderID)
	if err != nil {
		return err
	}
	m := manifest{
		Format:      Format,
		Client:      d.Order.Client,
		ClientEmail: d.Order.ClientEmail,
		Event:       d.Order.Event,
		Due:         d.Order.Due.Format(time.DateOnly),
		Wants:       d.Order.Wants,
		Theme:       d.Theme.Name,
		Details:     d.Doc.Details,
		Media:       files(d),
		Lacking:     d.Unread(),
	}
	if m.Slideshow, err = orders.Alone(d.Doc).Marshal(); err != nil {
		return err
	}
	z := zip.NewWriter(w)
	put := func(name string, method uint16) (io.Writer, error) {
		return z.CreateHeader(zipentry.New(name, method, d.Revision.CreatedAt))
	}
	f, err := put(manifestName, zip.Deflate)
	if err == nil {
		enc := json.NewEncoder(f)
		enc.SetIndent("", "  ")
		err = enc.Encode(m)
	}
	if err != nil {
		return err
	}
	if len(m.Lacking) > 0 {
		if f, err = put(lackingName, zip.Deflate); err != nil {
			return err
		}
		if _, err := fmt.Fprintf(f, "Still being read when this was written:\r\n%s\r\n",
			strings.Join(m.Lacking, "\r\n")); err != nil {
			return err
		}
	}
	if f, err = put(cutName, zip.Deflate); err != nil {
		return err
	}
	if err := writeCut(f, d, m.Media); err != nil {
		return err
	}
	for _, p := range m.Media {
		if err := x.copyOut(ctx, p, put); err != nil {
			return fmt.Errorf("%s: %w", p.Name, err)
		}
	}
	return z.Close()
}

func (x *Interchange) copyOut(ctx context.Context, p parcel, put func(string, uint16) (io.Writer,
	error)) error {
	r, err := x.Blobs.Open(ctx, p.SHA256)
	if err != nil {
		return err
	}
	defer r.Close()
	f, err := put(p.File, zip.Store) // pictures and sound do not get smaller
	if err == nil {
		_, err = io.Copy(f, r)
	}
	return err
}

func writeCut(w io.Writer, d *orders.Dossier, list []parcel) error {
	at := map[doc.MediaID]string{}
	for _, p := range list {
		at[doc.MediaID(p.SHA256)] = p.File
	}
	return otio.Write(w, otio.Cut{
		Name:    d.Order.Client + ", " + d.Order.Event,
		Doc:     d.Doc,
		Plan:    d.Plan,
		Library: d.Library,
		File:    func(id doc.MediaID) string { return at[id] },
	})
}

// Cut writes an order's cut as OpenTimelineIO JSON. Its media are named as in
// the order's zip.
func (x *Interchange) Cut(ctx context.Context, orderID int64, w io.Writer) error {
	d, err := x.Orders.Load(ctx, orderID)
	if err != nil {
		return err
	}
	return writeCut(w, d, files(d))
}

// The bounds of a zip that is opened.
const (
	maxManifest = 64 << 20
	maxMedia    = 5000
	besideMedia = 100 // files that are none of the order's
	maxBytes    = int64(200) << 30
)

func refused(format string, a ...any) error {
	return invalid.Field("zip", "This zip cannot be opened as an order: "+format+".", a...)
}

// Open opens an order of a zip that Zip wrote, here or elsewhere. Every file is
// compared with the sum that goes with it before there is an order: a zip that
// is damaged or not whole leaves nothing behind. The first line of the
// order's history says which files were not in it yet when it was written.
func (x *Interchange) Open(ctx context.Context, z io.ReaderAt, size int64, author *int64) (store.Order,
	error) {
	r, err := zip.NewReader(z, size)
	if err != nil {
		return store.Order{}, refused("it is no zip, or cut off")
	}
	in, err := entries(r, size)
	if err != nil {
		return store.Order{}, err
	}
	m, d, err := readManifest(ctx, in)
	if err != nil {
		return store.Order{}, err
	}
	due, err := time.Parse(time.DateOnly, m.Due)
	if err != nil {
		return store.Order{}, refused("%q is no date", m.Due)
	}
	for _, p := range m.Media {
		if err := check(ctx, in[p.File], p); err != nil {
			return store.Order{}, err
		}
	}
	t, err := x.Orders.Shelf.Themes.At(d.Theme, d.ThemeVersion)
	if err != nil || t.ID != d.Theme {
		if t, err = x.Orders.Shelf.Themes.Get(d.Theme); err != nil {
			return store.Order{}, refused("the theme %q is not on this studio’s shelf; put it there first",
				m.Theme)
		}
		d.ThemeVersion = t.Content
	}
	row, err := x.Orders.Heads.OpenFilm(ctx, orders.Head{
		Client:      m.Client,
		ClientEmail: m.ClientEmail,
		Event:       m.Event,
		Due:         due,
	}, m.Wants, d, opened(m), author)
	if err != nil {
		return row, err
	}
	for i, p := range m.Media {
		if err := x.bring(ctx, row.ID, i, in[p.File], p); err != nil {
			return row, fmt.Errorf("%s: %w", p.Name, err)
		}
	}
	return row, nil
}

// entries are a zip's files by name: each once, no more than an order has, and together no larger
// than the zip itself and than may be.
func entries(r *zip.Reader, size int64) (map[string]*zip.File, error) {
	if len(r.File) > maxMedia+besideMedia {
		return nil, refused("it holds %s; at most %d", wording.Counted(len(r.File), "file"), maxMedia+
			besideMedia)
	}
	in := map[string]*zip.File{}
	var packed, total uint64
	for _, f := range r.File {
		if in[f.Name] != nil {
			return nil, refused("it holds %s twice", f.Name)
		}
		in[f.Name] = f
		packed, total = packed+min(f.CompressedSize64, 1<<50), total+min(f.UncompressedSize64, 1<<50)
	}
	if total > uint64(maxBytes) {
		return nil, refused("it holds more than %d GB", maxBytes>>30)
	}
	if packed > uint64(size) {
		return nil, refused("its files lie over each other")
	}
	return in, nil
}

// opened is what the history says of how an order came.
func opened(m manifest) string {
	if len(m.Lacking) == 0 {
		return "Opened from a zip"
	}
	text := "Opened from a zip, without " + wording.Counted(len(m.Lacking), "file") +
		" that had not been read then: " + m.Lacking[0]
	if len(m.Lacking) > 1 {
		text += " …"
	}
	return text
}

// trying reads a manifest in a process of its own: what was read there within its limits can be
// read here.
var trying = cage.NewTask("order", cage.Cage{
	Memory:  512 << 20,
	Seconds: 30,
}, time.Minute, 1, func(in io.Reader, _ io.Writer) error {
	b, err := io.ReadAll(in)
	if err != nil {
		return err
	}
	_, _, err = parseManifest(b)
	return err
})

// readManifest reads a zip's manifest and the film in it.
func readManifest(ctx context.Context, in map[string]*zip.File) (m manifest, d doc.Slideshow, err error) {
	f := in[manifestName]
	if f == nil {
		return m, d, refused("it has no %s", manifestName)
	}
	r, err := f.Open()
	if err != nil {
		return m, d, refused("%s cannot be read", manifestName)
	}
	defer r.Close()
	b, err := io.ReadAll(io.LimitReader(r, maxManifest+1))
	if err != nil || len(b) > maxManifest {
		return m, d, refused("%s is damaged, or larger than %d MB", manifestName, maxManifest>>20)
	}
	switch _, err := trying.Do(ctx, b); {
	case errors.Is(err, cage.ErrLost):
		return m, d, refused("%s holds more than any order does", manifestName)
	case ctx.Err() != nil:
		return m, d, ctx.Err()
	}
	return parseManifest(b)
}

func parseManifest(b []byte) (m manifest, d doc.Slideshow, err error) {
	if err := json.Unmarshal(b, &m); err != nil {
		return m, d, refused("%s cannot be read: %v", manifestName, err)
	}
	switch {
	case m.Format != Format:
		return m, d, refused("it has format %d; format %d is read here", m.Format, Format)
	case len(m.Media) > maxMedia:
		return m, d, refused("it holds %s; at most %d", wording.Counted(len(m.Media), "file"), maxMedia)
	}
	if d, err = doc.Parse(m.Slideshow); err != nil {
		return m, d, refused("%v", err)
	}
	if d.Details = m.Details; d.Details == nil {
		d.Details = map[string]string{}
	}
	if err := d.Validate(); err != nil {
		return m, d, refused("%v", err)
	}
	here, named := map[doc.MediaID]bool{}, map[string]bool{}
	for _, p := range m.Media {
		// Each is read and compared once, however often it is named.
		id := doc.MediaID(p.SHA256)
		if here[id] || named[p.File] {
			return m, d, refused("it names %s twice", p.Name)
		}
		here[id], named[p.File] = true, true
	}
	for _, id := range orders.Shows(d) {
		if id != "" && !here[doc.MediaID(id)] {
			return m, d, refused("the film shows a file that is not in it")
		}
	}
	return m, d, nil
}

// check compares a file with its sum, as long as somebody waits for it.
func check(ctx context.Context, f *zip.File, p parcel) error {
	if f == nil {
		return refused("%s is missing", p.Name)
	}
	r, err := f.Open()
	if err != nil {
		return refused("%s cannot be read", p.Name)
	}
	defer r.Close()
	h := sha256.New()
	_, err = io.Copy(h, folder.UntilDone(ctx, r))
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		return refused("%s is damaged (%v)", p.Name, err)
	}
	if hex.EncodeToString(h.Sum(nil)) != p.SHA256 {
		return refused("%s is not the file it was", p.Name)
	}
	return nil
}

func (x *Interchange) bring(ctx context.Context, orderID int64, i int, f *zip.File, p parcel) error {
	r, err := f.Open()
	if err != nil {
		return err
	}
	defer r.Close()
	_, err = x.Intake.In.ReceiveKnown(ctx, intake.Known{
		OrderID:  orderID,
		Upload:   fmt.Sprintf("zip-%d-%d", orderID, i),
		Name:     media.Base(p.Name),
		Captured: p.Captured,
		Stars:    max(-1, min(p.Stars, 5)),
	}, r)
	return err
}

// ErrEmpty means that there is nothing to print.
var ErrEmpty = errors.New("there is nothing to print yet")
