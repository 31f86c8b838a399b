package film

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/paint"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/themes/themestest"
)

// ways are how the same film is laid out in the program: in rows and choices (small,
// and the slide with its neighbours alone), in the margin, on sheets, as a proof, as films
// of several sizes, on disc.
var ways = map[string]struct {
	profile profile.Profile
	only    bool
}{
	"rows":       {profile.Look(240, timecode.R30), true},
	"choices":    {profile.Look(160, timecode.R30), true},
	"margin":     {profile.Look(640, timecode.R30), false},
	"a sheet":    {profile.Look(320, timecode.R30), false},
	"the proof":  {profile.Proof, false},
	"a phone's":  {shipped("Phone 360"), false},
	"a disc":     {shipped("DVD PAL 16:9"), false},
	"the poster": {profile.Look(1280, timecode.R30), false},
}

func shipped(name string) profile.Profile {
	for _, p := range profile.Shipped {
		if p.Name == name {
			return p
		}
	}
	panic(name)
}

// library is photos of many sizes and shapes, with faces and without, some of them
// alike in all that counts.
func library(t *rapid.T) (doc.Library, []doc.MediaID) {
	lib := doc.Library{"song": {ID: "song", Kind: doc.SongMedia, Length: 40 * timecode.SampleRate, LUFS: -14}}
	var ids []doc.MediaID
	for i := range rapid.IntRange(2, 9).Draw(t, "pictures") {
		id := doc.MediaID(fmt.Sprintf("p%d", i))
		w := rapid.SampledFrom([]int{300, 480, 800, 1200, 2400, 4000}).Draw(t, "width")
		m := doc.Media{
			ID:   id,
			Kind: doc.PhotoMedia,
			Name: string(id) + ".jpg",
			W:    w,
			H: int(float64(w) * rapid.SampledFrom([]float64{0.5625, 0.667, 0.75, 1, 1.5}).
				Draw(t, "shape")),
			Captured: time.Unix(int64(i), 0),
			Light:    rapid.Float64Range(0.1, 0.9).Draw(t, "light"),
			Sharp:    rapid.Float64Range(0, 40).Draw(t, "sharp"),
		}
		if rapid.Bool().Draw(t, "face") {
			side := rapid.Float64Range(0.03, 0.4).Draw(t, "side")
			m.Faces = []framing.Rect{{
				X: rapid.Float64Range(0, 1-side).Draw(t, "x"),
				Y: rapid.Float64Range(0, 1-side).Draw(t, "y"),
				W: side,
				H: side,
			}}
		}
		lib[id] = m
		ids = append(ids, id)
	}
	return lib, ids
}

// A slide shows the same pictures wherever it is seen, whatever was done to the
// film.
func TestTheSameFilmEverywhere(t *testing.T) {
	shelf := themestest.Shelf(t)
	house := House{Shelf: shelf}
	var all []string
	for _, th := range shelf.All() {
		all = append(all, th.ID)
	}
	names := slices.Sorted(maps.Keys(ways))
	get := func(t *rapid.T) *theme.Theme {
		th, err := shelf.Get(rapid.SampledFrom(all).Draw(t, "theme"))
		require.NoError(t, err)
		return th
	}
	rapid.Check(t, func(t *rapid.T) {
		lib, ids := library(t)
		th := get(t)
		d := doc.New(th.ID, rapid.Uint64Range(1, 1000).Draw(t, "seed"))
		d.Details = map[string]string{}
		for _, x := range th.Details {
			d.Details[x.Key] = x.Example
		}
		c := edit.Context{Theme: th, Library: lib}
		do := func(op edit.Op) {
			if n, err := edit.Do(d, op, c); err == nil {
				n.Details = d.Details
				d = n
			}
		}
		later := rapid.IntRange(0, len(ids)-1).Draw(t, "later")
		do(edit.Pour{Media: append([]doc.MediaID{"song"}, ids[later:]...)})
		t.Repeat(map[string]func(*rapid.T){
			"arrive": func(*rapid.T) { do(edit.Pour{Media: ids[:later]}) },
			"recast": func(t *rapid.T) { do(edit.Recast{Seed: rapid.Uint64Range(1, 1000).Draw(t, "seed")}) },
			"remove": func(t *rapid.T) {
				if len(d.Slides) > 1 {
					do(edit.Remove{Slides: []doc.SlideID{d.Slides[rapid.IntRange(0, len(d.Slides)-1).
						Draw(t, "slide")].ID}})
				}
			},
			"fit": func(t *rapid.T) {
				do(edit.Fit{
					Mode: rapid.SampledFrom([]doc.FitMode{doc.ToMusic, doc.AtPace}).Draw(t, "fit"),
					Pace: 3,
				})
			},
			"theme": func(t *rapid.T) {
				c.Theme = get(t)
				do(edit.SetTheme{Theme: c.Theme.ID, Version: c.Theme.Content, Name: c.Theme.Name})
				for _, x := range c.Theme.Details {
					d.Details[x.Key] = x.Example
				}
			},
			"shape": func(t *rapid.T) {
				do(edit.Shape{Frame: rapid.SampledFrom([]doc.Frame{{
					W: 1920,
					H: 1080,
				}, {W: 1080, H: 1920}, {W: 1440, H: 1080}, {W: 1080, H: 1080}}).Draw(t, "frame")})
			},
			"": func(t *rapid.T) {
				if len(d.Slides) == 0 {
					return
				}
				full, err := house.Lay(Source{Doc: d, Theme: c.Theme, Library: lib, Profile: profile.Film})
				require.NoError(t, err)
				id := d.Slides[rapid.IntRange(0, len(d.Slides)-1).Draw(t, "seen")].ID
				want := pictures(full, id)
				for range 2 { // more would take long
					name := rapid.SampledFrom(names).Draw(t, "way")
					way := ways[name]
					s := Source{Doc: d, Theme: c.Theme, Library: lib, Profile: way.profile}
					if way.only {
						s.Only = []doc.SlideID{id}
					}
					f, err := house.Lay(s)
					require.NoError(t, err)
					if got := pictures(f, id); d.Frame.W*9 == d.Frame.H*16 || name != "a disc" {
						require.Equal(t, want, got, "%s of %s in %s", id, c.Theme.ID, name)
					} else if len(want) > 0 && len(d.Slides[d.Index(id)].Media) == 0 {
						// A disc's frame has another shape: things stand elsewhere, but are the same.
						require.NotEmpty(t, got)
						require.Equal(t, strings.Fields(want[0])[1], strings.Fields(got[0])[1],
							"%s of %s in %s", id, c.Theme.ID, name)
					}
				}
				if i := d.Index(id); d.Slides[i].Kind == doc.Opening || d.Slides[i].Kind == doc.Closing {
					if m := scene.PictureOf(d, c.Theme, lib, d.Slides[i]); len(want) > 0 {
						require.Contains(t, fmt.Sprint(want), string(m))
					}
				}
			},
		})
	})
}

// pictures are what a slide shows, and roughly where.
func pictures(f *Film, id doc.SlideID) (out []string) {
	for _, s := range f.Scene.Slides {
		if s.ID != id {
			continue
		}
		for _, l := range s.Layers {
			if l.Asset.Media != "" {
				p := l.Place.From
				out = append(out, fmt.Sprintf("%d %s at %.1f %.1f", l.Asset.Kind, l.Asset.Media,
					(p.X+p.W/2)/float64(f.Scene.W), (p.Y+p.H/2)/float64(f.Scene.H)))
			}
		}
	}
	return out
}

// The same moment is the same picture, larger or smaller.
func TestTheSameMomentEverywhere(t *testing.T) {
	shelf := themestest.Shelf(t)
	house := House{Shelf: shelf}
	dir, files, lib := t.TempDir(), media.FilesIn{}, doc.Library{}
	var ids []doc.MediaID
	for i := range 5 {
		px, err := paint.Paint(paint.Spec{
			Scene: []paint.Scene{paint.Quay, paint.Portrait}[i%2],
			W:     900,
			H:     600 + 600*(i%2),
			Seed:  uint64(i),
		})
		require.NoError(t, err)
		jpg, err := vips.JPEG(px, 92)
		require.NoError(t, err)
		id := doc.MediaID(fmt.Sprint("p", i))
		files[id] = filepath.Join(dir, string(id))
		require.NoError(t, os.WriteFile(files[id], jpg, 0o600))
		lib[id] = doc.Media{
			ID:       id,
			Kind:     doc.PhotoMedia,
			Name:     string(id),
			W:        px.W,
			H:        px.H,
			Captured: time.Unix(int64(i), 0),
		}
		ids = append(ids, id)
	}
	pool := media.NewSprites(files, shelf, nil, media.DefaultBudget)
	for _, name := range []string{"tideline", "ledger", "paperboat"} {
		th, err := shelf.Get(name)
		require.NoError(t, err)
		d := doc.New(th.ID, 7)
		d.Details = map[string]string{}
		for _, x := range th.Details {
			d.Details[x.Key] = x.Example
		}
		n, err := edit.Do(d, edit.Pour{Media: ids}, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
		n.Details = d.Details
		seen := func(p profile.Profile, at float64, only ...doc.SlideID) *raster.Frame {
			f, err := house.Lay(Source{Doc: n, Theme: th, Library: lib, Profile: p, Only: only})
			require.NoError(t, err)
			lane := pool.Lane(context.Background(), lib, false)
			defer lane.Close()
			fr := raster.NewFrame(f.Scene.W, f.Scene.H)
			require.NoError(t, compose.New(f.Scene, lane).
				Frame(fr, min(f.Frames()-1, f.Scene.Rate.Frames(at))))
			return fr
		}
		full, err := house.Lay(Source{
			Doc:     n,
			Theme:   th,
			Library: lib,
			Profile: profile.Look(1280, timecode.R30),
		})
		require.NoError(t, err)
		for i, s := range full.Scene.Slides {
			at := full.Scene.Rate.Seconds(s.Start + s.Length*2/3)
			want := small(seen(profile.Look(1280, timecode.R30), at))
			for way, p := range map[string]profile.Profile{
				"rows":   profile.Look(320, timecode.R30),
				"margin": profile.Look(640, timecode.R30),
			} {
				db := likeness(want, small(seen(p, at)))
				require.Greater(t, db, 24.0, "%s, slide %d, %s: %.1f dB", name, i+1, way, db)
			}
			require.Equal(t, seen(profile.Look(320, timecode.R30), at).Y,
				seen(profile.Look(320, timecode.R30), at, s.ID).Y, "%s, slide %d by itself", name, i+1)
		}
	}
}

// small is a frame's luma at 80 pixels a line.
func small(f *raster.Frame) []byte {
	k := f.W / 80
	var out bytes.Buffer
	for y := range 45 {
		for x := range 80 {
			sum := 0
			for i := range k * k {
				sum += int(f.Y[min(f.H-1, y*k+i/k)*f.W+x*k+i%k])
			}
			out.WriteByte(byte(sum / (k * k)))
		}
	}
	return out.Bytes()
}

func likeness(a, b []byte) float64 {
	sum := 0.0
	for i := range a {
		d := float64(a[i]) - float64(b[i])
		sum += d * d
	}
	return 10 * math.Log10(255*255*float64(len(a))/math.Max(sum, 1))
}

// A small frame is never wholly of the film's shape, since its sides are even: which layout
// cuts into a face is decided in the film's own all the same.
func TestLayoutsAreChosenInTheFilmsOwnFrame(t *testing.T) {
	shelf := themestest.Shelf(t)
	house := House{Shelf: shelf}
	th, err := shelf.Get("chalkline")
	require.NoError(t, err)
	for i := range 300 {
		lib := doc.Library{}
		var ids []doc.MediaID
		for k := range 2 {
			side := 0.3 + float64((i+97*k)%150)/1000
			id := doc.MediaID(fmt.Sprint("p", k))
			m := doc.Media{ID: id, Kind: doc.PhotoMedia, W: 300, H: 200}
			m.Faces = []framing.Rect{{X: 1 - side, Y: 1 - side, W: side, H: side}}
			lib[id], ids = m, append(ids, id)
		}
		d := doc.New(th.ID, uint64(i+1))
		d.Frame = doc.Frame{W: 1080, H: 1920}
		d, err := edit.Do(d, edit.Pour{Media: ids}, edit.Context{Theme: th, Library: lib})
		require.NoError(t, err)
		full, err := house.Lay(Source{Doc: d, Theme: th, Library: lib, Profile: profile.Film})
		require.NoError(t, err)
		small, err := house.Lay(Source{Doc: d, Theme: th, Library: lib, Profile: ways["rows"].profile})
		require.NoError(t, err)
		for _, s := range d.Slides {
			require.Equal(t, pictures(full, s.ID), pictures(small, s.ID), "%d: %s", i, s.ID)
		}
	}
}
