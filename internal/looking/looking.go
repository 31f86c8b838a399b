// Package looking is what an operator sees of a film before it is rendered:
// single frames, the played draft, and themes moving with the order's own
// pictures. Films that are looked at are laid out once and kept; so are their
// frames.
package looking

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// laidKey names a laid-out film: revisions never change, and neither do the
// media and the theme they name.
type laidKey struct {
	slideshow int64
	revision  int
	shape     doc.Frame
	longer    int // of the frame; 0 is the whole
	draft     bool
	age       int64
}

// keptFilms is how many laid-out films are kept. A film of 300 slides takes
// about 2 MB.
const keptFilms = 48

// rememberHard is of how many slides it is remembered whether their words are
// hard to read.
const rememberHard = 10000

// keptOrders is how many orders are kept as they stand, for their choices.
const keptOrders = 16

// Changed has what shows the studio’s settings made anew once an event says that they changed. What
// is an order’s is known by its revision, and needs no word.
func (r *room) Changed(e store.Event) {
	if e.What == store.StudioChanged || e.What == "" {
		r.age.Add(1)
	}
}

// film lays an order's slideshow out at a size, or gives it as it was laid out
// before.
func (r *room) film(d *orders.Dossier, p profile.Profile, draft bool) (*film.Film, error) {
	if d.Plan.Frames < 1 {
		return nil, fmt.Errorf("the slideshow is empty: %w", store.ErrNotFound)
	}
	k := laidKey{d.Slideshow.ID, d.Slideshow.Head, d.Shape, p.Longer, draft, r.age.Load()}
	if f, ok := r.laid.Get(k); ok {
		return f, nil
	}
	return r.laying.Do(context.Background(), fmt.Sprint(k), func(context.Context) (*film.Film, error) {
		if f, ok := r.laid.Get(k); ok {
			return f, nil
		}
		watermark := ""
		if draft {
			watermark = d.Settings.Watermark
		}
		f, err := r.Orders.Film(d, p, watermark)
		if err != nil {
			return nil, err
		}
		r.laid.Add(k, f)
		return f, nil
	})
}

// Frame is one frame of an order's slideshow at a revision as a JPEG, at most
// longer pixels on its longer side. Frames outside the film are moved to its
// nearest end. An unknown order or revision is store.ErrNotFound. A frame that
// was shown before costs no look at the database.
func (r *room) Frame(ctx context.Context, of orders.Seen, revision int, n timecode.Frames,
	longer int) ([]byte, error) {
	k := frameKey{of, revision, n, longer, r.age.Load()}
	if b, ok := r.frames.Get(k); ok {
		return b, nil
	}
	d, err := r.Orders.SeeAt(ctx, of, revision)
	if err != nil {
		return nil, err
	}
	f, err := r.film(d, profile.Look(longer, d.Doc.Rate), false)
	if err != nil {
		return nil, err
	}
	lane := r.Sprites.Lane(ctx, f.Library, true)
	defer lane.Close()
	b, err := f.Still(lane, n, 85)
	if err == nil {
		r.frames.Add(k, b)
	}
	return b, err
}

// Held is what a hand can take hold of on the film: a slide's pictures at a
// frame, and the box around its words, in fractions of the frame.
type Held struct {
	Pictures []scene.Shown
	Words    framing.Rect // empty without words
}

// Held is a slide of an order's slideshow at a revision, at frame n of the
// film. An unknown order or revision is store.ErrNotFound; an unknown slide
// holds nothing.
func (r *room) Held(ctx context.Context, of orders.Seen, revision int, slide doc.SlideID,
	n timecode.Frames, longer int) (Held, error) {
	d, err := r.Orders.SeeAt(ctx, of, revision)
	if err != nil {
		return Held{}, err
	}
	f, err := r.film(d, profile.Look(longer, d.Doc.Rate), false)
	if err != nil {
		return Held{}, err
	}
	return Held{Pictures: f.Shown(slide, n), Words: f.Words(slide)}, nil
}

// Prepare lays a film out in the background, so that its frames are drawn at
// once when they are asked for.
func (r *room) Prepare(d *orders.Dossier, longer int) {
	r.background.Go(func(context.Context) {
		_, _ = r.film(d, profile.Look(longer, d.Doc.Rate), false) // an error comes again when it is looked at
	})
}

// rememberFindings is how many revisions' findings are remembered.
const rememberFindings = 400

// Findings are what the film's frames show that someone should look at: faces
// cut, pictures enlarged, words too long or outside the safe area.
func (r *Findings) Findings(d *orders.Dossier) ([]plan.Check, error) {
	if d.Plan.Frames < 1 {
		return nil, nil
	}
	k := laidKey{slideshow: d.Slideshow.ID, revision: d.Slideshow.Head, shape: d.Shape}
	if known, ok := r.found.Get(k); ok {
		return known, nil
	}
	f, err := r.film(d, d.Profile, false)
	if err != nil {
		return nil, err
	}
	out := f.Findings()
	r.found.Add(k, out)
	// What needs pictures to be drawn comes later, and is told then.
	r.background.Go(func(ctx context.Context) {
		if hard, err := r.illegible(ctx, d); err == nil && len(hard) > 0 {
			r.found.Add(k, slices.Concat(out, hard))
			_ = r.Orders.Presence.Tell(ctx, d.Order.ID) // who looks again sees it anyhow
		}
	})
	return out, nil
}

// legibleSide is the longer side of the frames in which words are looked at.
// It is that of the frames on the order's page, whose film is laid out anyhow.
const legibleSide = 640

// illegible are the slides whose words are hard to read on what is behind them.
// A slide is looked at once for each way it looks.
func (r *Findings) illegible(ctx context.Context, d *orders.Dossier) (out []plan.Check, err error) {
	f, err := r.film(d, profile.Look(legibleSide, d.Doc.Rate), false)
	if err != nil {
		return nil, err
	}
	lane := r.Sprites.Lane(ctx, f.Library, true)
	defer lane.Close()
	for _, s := range d.Doc.Slides {
		if len(s.Media) > 0 && s.Caption == "" && len(s.Lines) == 0 {
			continue
		}
		k := string(s.ID) + r.choices.About(d, s.ID)
		hard, known := r.hard.Get(k)
		if !known {
			if err := r.choices.alone(ctx, func() (err error) {
				hard, err = f.Hard(lane, s.ID)
				return err
			}); err != nil {
				return nil, err
			}
			r.hard.Add(k, hard)
		}
		if hard.Words != "" {
			out = append(out, plan.Finding(d.Doc, d.Library, s.ID, "contrast", "", hard.Words, hard.Contrast))
		}
	}
	return out, nil
}

// frameKey names a frame that was shown.
type frameKey struct {
	of       orders.Seen
	revision int
	n        timecode.Frames
	longer   int
	age      int64
}

// frameBytes is the memory for kept frames, and mostFrames their number.
const (
	frameBytes = 48 << 20
	mostFrames = 1 << 14
)

// SmallSide is the longer side of small posters, for pages that are to be there at once.
const SmallSide = 640

// How many small posters and pictures of choices are kept, in how many bytes.
const (
	mostSmall  = 4000
	smallBytes = 48 << 20
)

// Small is a stored picture as a small JPEG.
func (r *room) Small(ctx context.Context, sha string) ([]byte, error) {
	if b, ok := r.small.Get(sha); ok {
		return b, nil
	}
	path, err := r.Blobs.Path(ctx, sha)
	if err != nil {
		return nil, err
	}
	b, err := r.Sprites.Smaller(ctx, path, SmallSide, media.White)
	if err == nil {
		r.small.Add(sha, b)
	}
	return b, err
}

// posterSide is the longer side of a poster chosen from a film's moments.
const posterSide = 1280

// Poster keeps a moment of an order's film, so many seconds into it, as a JPEG,
// and gives its name in the blob store.
func (r *room) Poster(ctx context.Context, orderID int64, seconds float64) (string, error) {
	d, err := r.Orders.Load(ctx, orderID)
	if err != nil {
		return "", err
	}
	f, err := r.Orders.Film(d, profile.Look(posterSide, d.Doc.Rate), "")
	if err != nil {
		return "", err
	}
	if seconds < 0 || d.Doc.Rate.Frames(seconds) >= f.Frames() {
		return "", fmt.Errorf("the film lasts %.1f s", d.Doc.Rate.Seconds(f.Frames()))
	}
	lane := r.Sprites.Lane(ctx, f.Library, false)
	defer lane.Close()
	jpg, err := f.Still(lane, d.Doc.Rate.Frames(seconds), 88)
	if err != nil {
		return "", err
	}
	sha, _, err := r.Blobs.Put(ctx, bytes.NewReader(jpg))
	return sha, err
}

// Filmstrip is a clip from beginning to end as a JPEG; see media.Filmstrip.
func (r *room) Filmstrip(ctx context.Context, m store.Media) ([]byte, error) {
	k := "strip " + m.SHA256
	if b, ok := r.small.Get(k); ok {
		return b, nil
	}
	b, err := r.strips.Do(ctx, k, func(ctx context.Context) ([]byte, error) {
		path, err := r.Blobs.Path(ctx, m.SHA256)
		if err != nil {
			return nil, err
		}
		return media.Filmstrip(ctx, path, m.Known())
	})
	if err != nil {
		return nil, err
	}
	r.small.Add(k, b)
	return b, nil
}
