package looking

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// A Choice is a change that is looked at before it is made: a slide as it
// would be.
type Choice struct {
	Slide  doc.SlideID
	Op     edit.Op // nil: as it is
	Longer int     // pixels of the picture's longer side
	Kind   ChoiceKind
	// Moment is the frame of the film as it is that is shown, for At.
	Moment timecode.Frames
}

// ChoiceKind is what of a slide is shown.
type ChoiceKind int

const (
	// Middle shows the slide when it is whole.
	Middle ChoiceKind = iota
	// End shows where its motion has come to.
	End
	// IntoNext shows the middle of the join to the next slide.
	IntoNext
	// At shows a moment, counted from the beginning of the slide.
	At
	// Moving shows the whole slide, and MovingInto the join, as Steps
	// pictures one below the other.
	Moving
	MovingInto
)

// Steps is how many pictures a choice in motion has.
const Steps = 16

// sample shows a caption style on a slide without a caption.
const sample = "A caption"

// choiceQuality is that of the JPEGs of choices.
const choiceQuality = 80

// About sums up what the pictures of a slide's choices depend on, so that they
// are drawn anew when something of it changes, and only then.
func (r *Choices) About(d *orders.Dossier, id doc.SlideID) string {
	i := d.Doc.Index(id)
	if i < 0 {
		return ""
	}
	near := d.Plan.Slides[max(0, i-1):min(len(d.Plan.Slides), i+2)]
	shots := map[doc.MediaID]doc.Shot{}
	for _, s := range near {
		for _, m := range s.Media {
			shots[m] = d.Doc.Shot(m)
		}
	}
	// Slides without pictures of their own may show any of the film's.
	var shown []doc.MediaID
	for _, s := range near {
		if len(s.Media) == 0 {
			m := scene.PictureOf(d.Doc, d.Theme, d.Library, s.Slide)
			shown, shots[m] = append(shown, m), d.Doc.Shot(m)
		}
	}
	facts := make([]doc.Media, 0, len(shots))
	for _, id := range slices.Sorted(maps.Keys(shots)) {
		facts = append(facts, known(d.Library[id]))
	}
	c := d.Doc
	c.Slides, c.Shapes, c.LeftOut, c.Soundtrack, c.Fit, c.Shots, c.LastSlide, c.Follows, c.Pattern = nil, nil,
		nil, doc.Soundtrack{}, doc.Fit{}, shots, 0, nil, nil
	return sum(c, near, i, shown, facts, d.Doc.Details, d.Theme.Content, r.behind(d.Settings))
}

// Chosen is a choice as a JPEG. key names it in full: the same key is answered
// from memory. about is what About said when the address was made; fresh
// reports whether that is still so.
func (r *Choices) Chosen(ctx context.Context, of orders.Seen, key, about string, c Choice) (jpg []byte,
	fresh bool, err error) {
	if about != "" {
		if b, ok := r.small.Get(key); ok {
			return b, true, nil
		}
	}
	d, err := r.now(ctx, of)
	if err != nil {
		return nil, false, err
	}
	var b []byte
	if err := r.alone(ctx, func() (err error) { b, err = r.choice(ctx, d, c); return err }); err != nil {
		return nil, false, err
	}
	if fresh = about != "" && r.About(d, c.Slide) == about; fresh {
		r.small.Add(key, b)
	}
	return b, fresh, nil
}

// alone does what is done one thing at a time: a panel of choices must not hold up what is
// asked for meanwhile. Whatever happens to one, the next has its turn.
func (r *Choices) alone(ctx context.Context, do func() error) error {
	select {
	case r.trying <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-r.trying }()
	return do()
}

// now is an order as it stands, from memory if it stands as it did. What lies
// outside its slideshow may be older.
func (r *Choices) now(ctx context.Context, of orders.Seen) (*orders.Dossier, error) {
	tx := r.Orders.Store.DB.WithContext(ctx)
	sl, err := store.One[store.Slideshow](tx, "order_id = ? AND position = 0", of.Order)
	if err != nil {
		return nil, fmt.Errorf("order %d: %w", of.Order, err)
	}
	k := laidKey{slideshow: sl.ID, revision: sl.Head, shape: of.Shape, age: r.age.Load()}
	if d, ok := r.orders.Get(k); ok {
		return d, nil
	}
	d, err := r.loading.Do(ctx, fmt.Sprint(k), func(ctx context.Context) (*orders.Dossier, error) {
		return r.Orders.SeeAt(ctx, of, sl.Head)
	})
	if err != nil {
		return nil, err
	}
	r.orders.Add(k, d)
	return d, nil
}

// choice draws a choice: the slide and its neighbours alone are laid out.
func (r *Choices) choice(ctx context.Context, d *orders.Dossier, c Choice) ([]byte, error) {
	n := d.Doc
	if c.Op != nil {
		var err error
		if n, err = r.Orders.Edits.Try(d, c.Op); err != nil {
			return nil, err
		}
	}
	i := n.Index(c.Slide)
	if i < 0 {
		return nil, fmt.Errorf("slide %s: %w", c.Slide, store.ErrNotFound)
	}
	if _, style := c.Op.(edit.CaptionPart); style && n.Slides[i].Caption == "" && len(n.Slides[i].Media) > 0 {
		n.Slides[i].Caption = sample // so that there is something to see
	}
	var only []doc.SlideID
	for _, s := range n.Slides[max(0, i-1):min(len(n.Slides), i+2)] {
		only = append(only, s.ID)
	}
	tried := *d
	tried.Doc = n
	f, err := r.Orders.Film(&tried, profile.Look(c.Longer, d.Doc.Rate), "", only...)
	if err != nil {
		return nil, err
	}
	lane := r.Sprites.Lane(ctx, f.Library, true)
	defer lane.Close()
	return f.Stills(lane, choiceQuality, moments(f.Plan, i, c)...)
}

// moments are the frames of a film that a choice shows.
func moments(p plan.Plan, i int, c Choice) []timecode.Frames {
	s := p.Slides[i]
	var in timecode.Frames
	if i > 0 {
		in = p.Slides[i-1].Overlap
	}
	whole, last := s.Start+in, max(s.Start+in, s.End()-s.Overlap-1)
	from, to := whole, last
	switch c.Kind {
	case End:
		return []timecode.Frames{last}
	case IntoNext:
		return []timecode.Frames{s.End() - s.Overlap/2 - 1}
	case At:
		return []timecode.Frames{max(s.Start, min(s.Start+c.Moment, s.End()-1))}
	case Moving:
	case MovingInto:
		around := p.Rate.Frames(0.25)
		from, to = s.End()-s.Overlap-around, s.End()+around
	default:
		return []timecode.Frames{whole + (last-whole)*2/3}
	}
	out := make([]timecode.Frames, Steps)
	for k := range out {
		out[k] = max(0, min(from+(to-from)*timecode.Frames(k)/(Steps-1), p.Frames-1))
	}
	return out
}
