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
	"sync/atomic"

	lru "github.com/hashicorp/golang-lru/v2"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/latest"
	"nelko/internal/making"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/shared"
	"nelko/internal/store"
)

// Looking is the room.
type Looking struct {
	Blobs   *store.Blobs
	Orders  *orders.Orders
	Kept    *making.Segments
	Sprites *media.Sprites

	laying  shared.Group[*film.Film]
	loading shared.Group[*orders.Dossier]
	strips  shared.Group[[]byte]
	laid    *lru.Cache[laidKey, *film.Film]
	frames  *latest.Sized[frameKey, []byte]
	found   *lru.Cache[laidKey, []plan.Check]
	hard    *lru.Cache[string, film.Hard] // by slide and how it looks
	small   *latest.Sized[string, []byte]
	orders  *lru.Cache[laidKey, *orders.Dossier] // as they stood at a revision
	age     atomic.Int64                         // rises when what stands on films has changed

	background background
	making     makings
	warm       atomic.Pointer[warmth]
	trying     chan struct{} // holds one while a choice is drawn
}

// New opens the room. Close ends what it does in the background.
func New(blobs *store.Blobs, o *orders.Orders, kept *making.Segments, sprites *media.Sprites) *Looking {
	return &Looking{
		Blobs:   blobs,
		Orders:  o,
		Kept:    kept,
		Sprites: sprites,
		trying:  make(chan struct{}, 1),
		laid:    latest.Some[laidKey, *film.Film](keptFilms),
		found:   latest.Some[laidKey, []plan.Check](rememberFindings),
		hard:    latest.Some[string, film.Hard](rememberHard),
		orders:  latest.Some[laidKey, *orders.Dossier](keptOrders),
		small:   latest.NewSized[string](mostSmall, smallBytes, func(b []byte) int { return len(b) }),
		frames:  latest.NewSized[frameKey](mostFrames, frameBytes, func(b []byte) int { return len(b) }),
	}
}

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
func (l *Looking) Changed(e store.Event) {
	if e.What == store.StudioChanged || e.What == "" {
		l.age.Add(1)
	}
}

// film lays an order's slideshow out at a size, or gives it as it was laid out
// before.
func (l *Looking) film(d *orders.Dossier, p profile.Profile, draft bool) (*film.Film, error) {
	if d.Plan.Frames < 1 {
		return nil, fmt.Errorf("the slideshow is empty: %w", store.ErrNotFound)
	}
	k := laidKey{d.Slideshow.ID, d.Slideshow.Head, d.Shape, p.Longer, draft, l.age.Load()}
	if f, ok := l.laid.Get(k); ok {
		return f, nil
	}
	return l.laying.Do(context.Background(), fmt.Sprint(k), func(context.Context) (*film.Film, error) {
		if f, ok := l.laid.Get(k); ok {
			return f, nil
		}
		watermark := ""
		if draft {
			watermark = d.Settings.Watermark
		}
		f, err := l.Orders.Film(d, p, watermark)
		if err != nil {
			return nil, err
		}
		l.laid.Add(k, f)
		return f, nil
	})
}

// Frame is one frame of an order's slideshow at a revision as a JPEG, at most
// longer pixels on its longer side. Frames outside the film are moved to its
// nearest end. An unknown order or revision is store.ErrNotFound. A frame that
// was shown before costs no look at the database.
func (l *Looking) Frame(ctx context.Context, of orders.Seen, revision int, n timecode.Frames,
	longer int) ([]byte, error) {
	k := frameKey{of, revision, n, longer, l.age.Load()}
	if b, ok := l.frames.Get(k); ok {
		return b, nil
	}
	d, err := l.Orders.SeeAt(ctx, of, revision)
	if err != nil {
		return nil, err
	}
	f, err := l.film(d, profile.Look(longer, d.Doc.Rate), false)
	if err != nil {
		return nil, err
	}
	lane := l.Sprites.Lane(ctx, f.Library, true)
	defer lane.Close()
	b, err := f.Still(lane, n, 85)
	if err == nil {
		l.frames.Add(k, b)
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
func (l *Looking) Held(ctx context.Context, of orders.Seen, revision int, slide doc.SlideID,
	n timecode.Frames, longer int) (Held, error) {
	d, err := l.Orders.SeeAt(ctx, of, revision)
	if err != nil {
		return Held{}, err
	}
	f, err := l.film(d, profile.Look(longer, d.Doc.Rate), false)
	if err != nil {
		return Held{}, err
	}
	return Held{Pictures: f.Shown(slide, n), Words: f.Words(slide)}, nil
}

// Prepare lays a film out in the background, so that its frames are drawn at
// once when they are asked for.
func (l *Looking) Prepare(d *orders.Dossier, longer int) {
	l.background.Go(func(context.Context) {
		_, _ = l.film(d, profile.Look(longer, d.Doc.Rate), false) // an error comes again when it is looked at
	})
}

// rememberFindings is how many revisions' findings are remembered.
const rememberFindings = 400

// Findings are what the film's frames show that someone should look at: faces
// cut, pictures enlarged, words too long or outside the safe area.
func (l *Looking) Findings(d *orders.Dossier) ([]plan.Check, error) {
	if d.Plan.Frames < 1 {
		return nil, nil
	}
	k := laidKey{slideshow: d.Slideshow.ID, revision: d.Slideshow.Head, shape: d.Shape}
	if known, ok := l.found.Get(k); ok {
		return known, nil
	}
	f, err := l.film(d, d.Profile, false)
	if err != nil {
		return nil, err
	}
	out := f.Findings()
	l.found.Add(k, out)
	// What needs pictures to be drawn comes later, and is told then.
	l.background.Go(func(ctx context.Context) {
		if hard, err := l.illegible(ctx, d); err == nil && len(hard) > 0 {
			l.found.Add(k, slices.Concat(out, hard))
			_ = l.Orders.Presence.Tell(ctx, d.Order.ID) // who looks again sees it anyhow
		}
	})
	return out, nil
}

// legibleSide is the longer side of the frames in which words are looked at.
// It is that of the frames on the order's page, whose film is laid out anyhow.
const legibleSide = 640

// illegible are the slides whose words are hard to read on what is behind them.
// A slide is looked at once for each way it looks.
func (l *Looking) illegible(ctx context.Context, d *orders.Dossier) (out []plan.Check, err error) {
	f, err := l.film(d, profile.Look(legibleSide, d.Doc.Rate), false)
	if err != nil {
		return nil, err
	}
	lane := l.Sprites.Lane(ctx, f.Library, true)
	defer lane.Close()
	for _, s := range d.Doc.Slides {
		if len(s.Media) > 0 && s.Caption == "" && len(s.Lines) == 0 {
			continue
		}
		k := string(s.ID) + l.About(d, s.ID)
		hard, known := l.hard.Get(k)
		if !known {
			if err := l.alone(ctx, func() (err error) {
				hard, err = f.Hard(lane, s.ID)
				return err
			}); err != nil {
				return nil, err
			}
			l.hard.Add(k, hard)
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
func (l *Looking) Small(ctx context.Context, sha string) ([]byte, error) {
	if b, ok := l.small.Get(sha); ok {
		return b, nil
	}
	path, err := l.Blobs.Path(ctx, sha)
	if err != nil {
		return nil, err
	}
	b, err := l.Sprites.Smaller(ctx, path, SmallSide, media.White)
	if err == nil {
		l.small.Add(sha, b)
	}
	return b, err
}

// posterSide is the longer side of a poster chosen from a film's moments.
const posterSide = 1280

// Poster keeps a moment of an order's film, so many seconds into it, as a JPEG,
// and gives its name in the blob store.
func (l *Looking) Poster(ctx context.Context, orderID int64, seconds float64) (string, error) {
	d, err := l.Orders.Load(ctx, orderID)
	if err != nil {
		return "", err
	}
	f, err := l.Orders.Film(d, profile.Look(posterSide, d.Doc.Rate), "")
	if err != nil {
		return "", err
	}
	if seconds < 0 || d.Doc.Rate.Frames(seconds) >= f.Frames() {
		return "", fmt.Errorf("the film lasts %.1f s", d.Doc.Rate.Seconds(f.Frames()))
	}
	lane := l.Sprites.Lane(ctx, f.Library, false)
	defer lane.Close()
	jpg, err := f.Still(lane, d.Doc.Rate.Frames(seconds), 88)
	if err != nil {
		return "", err
	}
	sha, _, err := l.Blobs.Put(ctx, bytes.NewReader(jpg))
	return sha, err
}

// Filmstrip is a clip from beginning to end as a JPEG; see media.Filmstrip.
func (l *Looking) Filmstrip(ctx context.Context, m store.Media) ([]byte, error) {
	k := "strip " + m.SHA256
	if b, ok := l.small.Get(k); ok {
		return b, nil
	}
	b, err := l.strips.Do(ctx, k, func(ctx context.Context) ([]byte, error) {
		path, err := l.Blobs.Path(ctx, m.SHA256)
		if err != nil {
			return nil, err
		}
		return media.Filmstrip(ctx, path, m.Known())
	})
	if err != nil {
		return nil, err
	}
	l.small.Add(k, b)
	return b, nil
}
