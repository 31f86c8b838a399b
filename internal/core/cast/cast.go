// Package cast assigns an order's media to slides and a theme's layouts, by
// rule and a seed. The same media, theme and seed always give the same
// slides.
package cast

import (
	"cmp"
	"hash/fnv"
	"math/bits"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/theme"
)

// Order sorts media by capture time; those without one follow by file name,
// numbers in names counting as numbers.
func Order(media []doc.Media) {
	slices.SortStableFunc(media, func(a, b doc.Media) int {
		if a.Captured.IsZero() != b.Captured.IsZero() {
			if a.Captured.IsZero() {
				return 1
			}
			return -1
		}
		return cmp.Or(a.Captured.Compare(b.Captured), CompareNames(a.Name, b.Name), cmp.Compare(a.ID, b.ID))
	})
}

// CompareNames orders file names as people count: IMG_2 before IMG_10,
// capitals aside.
func CompareNames(a, b string) int {
	a, b = strings.ToLower(a), strings.ToLower(b)
	for a != "" && b != "" {
		na, nb := digits(a), digits(b)
		if na > 0 && nb > 0 {
			da, db := strings.TrimLeft(a[:na], "0"), strings.TrimLeft(b[:nb], "0")
			if c := cmp.Or(cmp.Compare(len(da), len(db)), cmp.Compare(da, db)); c != 0 {
				return c
			}
			a, b = a[na:], b[nb:]
			continue
		}
		if a[0] != b[0] {
			return cmp.Compare(a[0], b[0])
		}
		a, b = a[1:], b[1:]
	}
	return cmp.Compare(len(a), len(b))
}

func digits(s string) int {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return n
}

// Shape is how a picture counts for layouts: upright below 9:10, else wide.
func Shape(aspect float64) string {
	if aspect < 0.9 {
		return "upright"
	}
	return "wide"
}

// Alike reports whether two photos look so much alike that they should not
// stand side by side: both are upright or both wide, and their difference
// hashes differ in few of 64 bits (common practice, no source).
func Alike(a, b doc.Media) bool {
	return Shape(a.Aspect()) == Shape(b.Aspect()) && a.Print != 0 && b.Print != 0 &&
		bits.OnesCount64(a.Print^b.Print) <= 8
}

// Caster pours media into slides.
type Caster struct {
	Theme  *theme.Theme
	Aspect func(doc.Media) float64  // once turned and cropped; nil: as the file is
	Called func(doc.MediaID) string // what chance goes by (doc.Slideshow.Called); nil: the media's content
	// Cuts reports whether a layout for one picture cuts into what must be seen
	// of it; such a one is taken only where there is no other. Nil: none does.
	Cuts func(l theme.Layout, id doc.MediaID) bool
}

// Of is the caster of a film.
func Of(d doc.Slideshow, t *theme.Theme, lib doc.Library) Caster {
	frame := float64(d.Frame.W) / float64(d.Frame.H)
	return Caster{
		Theme:  t,
		Aspect: d.Aspect,
		Called: d.Called,
		Cuts: func(l theme.Layout, id doc.MediaID) bool {
			m := lib[id]
			if m.Kind != doc.PhotoMedia || l.Fit != design.Fill || d.Shots[id].Fit != "" ||
				d.Shots[id].Focal != nil {
				return false
			}
			places := l.PlacesIn(frame, framing.ShapeOf(d.Frame.W, d.Frame.H))
			if len(places) != 1 {
				return false
			}
			var need framing.Point
			need.X, need.Y = d.Needs(m)
			return theme.Cuts(places[0].Rect.W*frame/places[0].Rect.H, d.Aspect(m), need)
		},
	}
}

func (c Caster) shape(m doc.Media) string {
	if c.Aspect == nil {
		return Shape(m.Aspect())
	}
	return Shape(c.Aspect(m))
}

// Slides pours photos and clips, in the given order, into picture and clip
// slides. None is left out and none shown twice. The slides have no ID yet.
func (c Caster) Slides(media []doc.Media, seed uint64) []doc.Slide {
	rng := rand.New(rand.NewPCG(seed, 0x6c616e7465726e73))
	apart := pause(media)
	var out []doc.Slide
	for i := 0; i < len(media); {
		m := media[i]
		if m.Kind == doc.ClipMedia {
			out = append(out, doc.Slide{Kind: doc.Clip, Media: []doc.MediaID{m.ID}, Linger: 1})
			i++
			continue
		}
		n := c.group(media[i:], apart, rng)
		s := doc.Slide{Kind: doc.Pictures, Linger: 1}
		for _, g := range media[i : i+n] {
			s.Media = append(s.Media, g.ID)
		}
		out = append(out, s)
		i += n
	}
	return out
}

// pause is the time between two photos that parts one moment from the next:
// four times the usual distance of photos that follow each other.
func pause(media []doc.Media) time.Duration {
	var gaps []time.Duration
	for i := 1; i < len(media); i++ {
		if a, b := media[i-1].Captured, media[i].Captured; !a.IsZero() && !b.IsZero() {
			gaps = append(gaps, b.Sub(a).Abs())
		}
	}
	if len(gaps) == 0 {
		return 0
	}
	slices.Sort(gaps)
	return max(time.Minute, 4*gaps[len(gaps)/2])
}

// together reports whether a photo can share a slide with those before it.
func (c Caster) together(group []doc.Media, m doc.Media, apart time.Duration) bool {
	first, last := group[0], group[len(group)-1]
	if m.Kind != doc.PhotoMedia || c.shape(m) != c.shape(first) {
		return false
	}
	if apart > 0 && !m.Captured.IsZero() && !last.Captured.IsZero() && m.Captured.Sub(last.Captured).
		Abs() > apart {
		return false
	}
	return !slices.ContainsFunc(group, func(o doc.Media) bool { return Alike(o, m) })
}

// group decides how many of the leading photos share a slide: of those that
// belong together as many as a suiting layout holds, by the layouts' shares.
// Photos of faces that are small in the picture get more room.
func (c Caster) group(media []doc.Media, apart time.Duration, rng *rand.Rand) int {
	shape := c.shape(media[0])
	same := 1
	for same < len(media) && same < 6 && c.together(media[:same], media[same], apart) {
		same++
	}
	var weights [7]float64
	total := 0.0
	for n := 1; n <= same; n++ {
		w := shareOf(c.Theme.Holds(n, shape))
		if n > 2 && hasSmallFaces(media[:n]) {
			w /= 3
		}
		weights[n] = w
		total += w
	}
	at := rng.Float64() * total
	for n := 1; n <= same; n++ {
		if at -= weights[n]; at < 0 {
			return n
		}
	}
	return 1
}

func hasSmallFaces(media []doc.Media) bool {
	for _, m := range media {
		if len(m.Faces) == 0 {
			continue
		}
		largest := 0.0
		for _, f := range m.Faces {
			largest = max(largest, f.H)
		}
		if largest < 0.16 {
			return true
		}
	}
	return false
}

func shareOf(layouts []theme.Layout) float64 {
	sum := 0.0
	for _, l := range layouts {
		sum += l.Share
	}
	return sum
}

// Layout is the layout a slide takes by the theme's rule: one chosen by hand
// if the theme has it, else one of those that suit, by their shares and the
// seed. The seed counts with the slide's pictures, not with its place, so a
// moved slide keeps its layout. ok is false if the theme has none for so many
// pictures.
func (c Caster) Layout(s doc.Slide, lib doc.Library, seed uint64) (theme.Layout, bool) {
	if len(s.Media) == 0 {
		return theme.Layout{}, false
	}
	if l, ok := c.Theme.Layout(s.Layout); ok && l.Pictures == len(s.Media) {
		return l, true
	}
	upright := 0
	for _, id := range s.Media {
		if c.shape(lib[id]) == "upright" {
			upright++
		}
	}
	shape := "wide"
	if 2*upright > len(s.Media) {
		shape = "upright"
	}
	layouts := c.Theme.Holds(len(s.Media), shape)
	if c.Cuts != nil && len(s.Media) == 1 { // of several, rows cut nothing
		if kind := slices.DeleteFunc(slices.Clone(layouts), func(l theme.Layout) bool {
			return c.Cuts(l, s.Media[0])
		}); len(kind) > 0 {
			layouts = kind
		}
	}
	if len(layouts) == 0 {
		return theme.Layout{}, false
	}
	at := float64(Number(s, seed, c.Called)>>11) / (1 << 53) * shareOf(layouts)
	for _, l := range layouts {
		if at -= l.Share; at < 0 {
			return l, true
		}
	}
	return layouts[len(layouts)-1], true
}

// Number is a steady random number of a slide: it depends on the seed and on
// what the slide shows, and on nothing else. called gives what media count as;
// nil is their content.
func Number(s doc.Slide, seed uint64, called func(doc.MediaID) string) uint64 {
	h := fnv.New64a()
	var b [8]byte
	for i := range b {
		b[i] = byte(seed >> (8 * i))
	}
	_, _ = h.Write(b[:]) // never fails, by the documentation of hash.Hash
	_, _ = h.Write([]byte(s.Kind))
	for _, id := range s.Media {
		_, _ = h.Write([]byte{0})
		name := string(id)
		if called != nil {
			name = called(id)
		}
		_, _ = h.Write([]byte(name))
	}
	x := h.Sum64()
	x ^= x >> 31
	x *= 0x7fb5d329728ea185
	return x ^ x>>27
}

// Spread puts clips and text cards evenly among the other slides, keeping
// the order of each kind.
func Spread(body []doc.Slide) []doc.Slide {
	var stills, others []doc.Slide
	for _, s := range body {
		if s.Kind == doc.Clip || s.Kind == doc.Card {
			others = append(others, s)
		} else {
			stills = append(stills, s)
		}
	}
	out := make([]doc.Slide, 0, len(body))
	k := 0
	for i, s := range stills {
		// The j-th of m others comes after (j+1)/(m+1) of the stills.
		for k < len(others) && (k+1)*len(stills) <= i*(len(others)+1) {
			out = append(out, others[k])
			k++
		}
		out = append(out, s)
	}
	return append(out, others[k:]...)
}
