package media

import (
	"context"
	"slices"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// Lane is one goroutine's view of a film's assets: sprites are shared with
// all others, clips are read by decoders of its own.
type Lane struct {
	ctx     context.Context
	sprites *Sprites
	lib     doc.Library
	small   bool
	clips   map[scene.Asset]*clipStream
	order   []scene.Asset // open clips, oldest first
	told    *Complaint    // the first
}

var _ compose.Assets = (*Lane)(nil)

// Lane opens a lane for a film with these media; it ends with ctx and must be
// closed. small makes it read small copies of large photos where they are good
// enough, for previews.
func (s *Sprites) Lane(ctx context.Context, lib doc.Library, small bool) *Lane {
	return &Lane{ctx: ctx, sprites: s, lib: lib, small: small, clips: map[scene.Asset]*clipStream{}}
}

// Sprite implements compose.Assets.
func (l *Lane) Sprite(as scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	return l.sprites.get(l.ctx, spriteKey{as, m, l.small}, l.lib)
}

// Close stops the lane's decoders.
func (l *Lane) Close() {
	for _, as := range slices.Clone(l.order) {
		l.closeClip(as)
	}
}

// Complaint is the first error that a decoder told of while the lane was open, a
// *Complaint, or nil. Of clips that are known to be faulty nothing is told again.
// It is asked once the lane is closed.
func (l *Lane) Complaint() error {
	if l.told == nil {
		return nil
	}
	return l.told
}

// maxClips is how many clips a lane reads at the same time.
const maxClips = 8

// Clip implements compose.Assets.
func (l *Lane) Clip(as scene.Asset, m raster.Matrix, rate timecode.Rate, n timecode.Frames) (*raster.Sprite,
	error) {
	if c, ok := l.clips[as]; ok {
		s, near, err := c.frame(n)
		if near || err != nil {
			return s, err
		}
		l.closeClip(as)
	}
	path, err := l.sprites.files.Path(l.ctx, as.Media)
	if err != nil {
		return nil, named(l.lib, as.Media, err)
	}
	begin := float64(as.Begin) / timecode.SampleRate
	from := n
	if last := rate.FramesIn(l.lib[as.Media].Length-as.Begin) - 1; from > last {
		from = max(0, last-1)
	}
	c, err := openClip(l.ctx, l.sprites.clip(path, l.lib[as.Media]), as, m, rate, begin, from)
	if err != nil {
		return nil, named(l.lib, as.Media, err)
	}
	if len(l.order) >= maxClips {
		l.closeClip(l.order[0])
	}
	l.clips[as] = c
	l.order = append(l.order, as)
	s, _, err := c.frame(n)
	if err != nil {
		return nil, named(l.lib, as.Media, err)
	}
	return s, nil
}

// closeClip ends a clip's decoder and hears what it had to tell.
func (l *Lane) closeClip(as scene.Asset) {
	c, m := l.clips[as], l.lib[as.Media]
	c.close()
	if text := c.complaint(); text != "" && m.Faulty == "" {
		if c.middle { // perhaps for nothing but that
			l.sprites.fromStart.Store(as.Media, true)
		}
		if l.told == nil {
			l.told = &Complaint{Media: as.Media, Name: m.Name, Middle: c.middle, Text: firstLine(text)}
		}
	}
	delete(l.clips, as)
	l.order = slices.DeleteFunc(l.order, func(o scene.Asset) bool { return o == as })
}
