// Package cast assigns an order's media to a theme's layouts, by rule and a
// seed. The same media, theme and seed always give the same slides.
package cast

import (
	"cmp"
	"math/rand/v2"
	"slices"
	"strings"

	"nelko/internal/core/doc"
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
func Shape(m doc.Media) string {
	if m.Aspect() < 0.9 {
		return "upright"
	}
	return "wide"
}

// Slides pours photos and clips, in the given order, into picture and clip
// slides. None is left out and none shown twice. The slides have no ID yet.
func Slides(t *theme.Theme, media []doc.Media, seed uint64) []doc.Slide {
	rng := rand.New(rand.NewPCG(seed, 0x6c616e7465726e73))
	var out []doc.Slide
	for i := 0; i < len(media); {
		m := media[i]
		if m.Kind == doc.ClipMedia {
			out = append(out, doc.Slide{Kind: doc.Clip, Layout: pick(t, 1, Shape(m), rng), Media: []doc.MediaID{m.ID}, Linger: 1})
			i++
			continue
		}
		n := group(t, media[i:], rng)
		s := doc.Slide{Kind: doc.Pictures, Layout: pick(t, n, Shape(m), rng), Linger: 1}
		for _, g := range media[i : i+n] {
			s.Media = append(s.Media, g.ID)
		}
		out = append(out, s)
		i += n
	}
	return out
}

// group decides how many of the leading photos share a slide: as many as
// follow in the same shape and a suiting layout holds, by the layouts' shares.
func group(t *theme.Theme, media []doc.Media, rng *rand.Rand) int {
	shape := Shape(media[0])
	same := 1
	for same < len(media) && same < 6 && media[same].Kind == doc.PhotoMedia && Shape(media[same]) == shape {
		same++
	}
	total := 0.0
	for n := 1; n <= same; n++ {
		total += shareOf(t.Holds(n, shape))
	}
	at := rng.Float64() * total
	for n := 1; n <= same; n++ {
		if at -= shareOf(t.Holds(n, shape)); at < 0 {
			return n
		}
	}
	return 1
}

func shareOf(layouts []theme.Layout) float64 {
	sum := 0.0
	for _, l := range layouts {
		sum += l.Share
	}
	return sum
}

func pick(t *theme.Theme, n int, shape string, rng *rand.Rand) string {
	layouts := t.Holds(n, shape)
	if len(layouts) == 0 {
		return ""
	}
	at := rng.Float64() * shareOf(layouts)
	for _, l := range layouts {
		if at -= l.Share; at < 0 {
			return l.ID
		}
	}
	return layouts[len(layouts)-1].ID
}
