package timeline

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/timecode"
)

// a is a film of slides that give way to each other, with a song that is longer or shorter.
func a(t *rapid.T) Film {
	f := Film{
		Library:   doc.Library{"song": {ID: "song", Kind: doc.SongMedia, Name: "A <song> & \"more\".flac"}},
		Thumbnail: func(id doc.MediaID) string { return "/thumb?a=1&of=" + string(id) },
		Look:      func(id doc.SlideID) string { return "/look/" + string(id) },
		Waves:     map[doc.MediaID][]byte{},
	}
	f.Doc.Rate = timecode.Rate{Num: 25, Den: 1}
	f.Plan.Rate = f.Doc.Rate
	for i := range rapid.IntRange(1, 40).Draw(t, "slides") {
		id := doc.MediaID(fmt.Sprint("p", i))
		f.Library[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: "<b>&'\"" + string(id), W: 300, H: 200}
		s := plan.Slide{Slide: doc.Slide{
			ID:     doc.SlideID(fmt.Sprint("s", i)),
			Kind:   doc.Pictures,
			Media:  []doc.MediaID{id},
			Linger: 1,
		}}
		s.Caption = rapid.SampledFrom([]string{"", "Ada & Ben <3", "“Zoë”\u202e"}).Draw(t, "caption")
		s.Start = f.Plan.Frames
		s.Length = timecode.Frames(rapid.IntRange(10, 900).Draw(t, "length"))
		s.Overlap = min(s.Length-1, timecode.Frames(rapid.IntRange(0, 25).Draw(t, "overlap")))
		f.Plan.Frames += s.Length - s.Overlap
		f.Plan.Slides = append(f.Plan.Slides, s)
	}
	last := &f.Plan.Slides[len(f.Plan.Slides)-1]
	f.Plan.Frames, last.Overlap = f.Plan.Frames+last.Overlap, 0
	seconds := rapid.IntRange(1, 400).Draw(t, "song")
	song := f.Library["song"]
	song.Length = timecode.Samples(seconds) * timecode.SampleRate
	f.Library["song"] = song
	f.Waves["song"] = make([]byte, seconds*50)
	f.Plan.Sound.Items = []doc.Item{{Media: "song", Role: doc.Music}}
	f.Plan.Music, f.Plan.MusicEnd = song.Length, timecode.Frames(seconds*25)
	f.Seconds = rapid.SampledFrom([]float64{0, 0, 5, 37, 1000}).Draw(t, "seconds")
	n := rapid.IntRange(1, len(f.Plan.Slides)).Draw(t, "remarked")
	f.Remarks = []Remark{{
		Number: n,
		At:     rapid.Float64Range(0, 400).Draw(t, "at"),
		Who:    "A <client>",
		Text:   "Not & this: \"one\" please, it is wrong",
	}}
	return f
}

// Every slide lies in the rows as long as it is and nowhere else, and its remark on it.
func TestSlidesLieWhereTheyAreSeen(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := a(t)
		v := Draw(f)
		per := v.FramesPerRow
		assert.GreaterOrEqual(t, timecode.Frames(len(v.Rows))*per, max(f.Plan.Frames, f.Plan.MusicEnd),
			"all of it is in a row")
		assert.Less(t, timecode.Frames(len(v.Rows)-1)*per, max(f.Plan.Frames, f.Plan.MusicEnd),
			"no row is empty")
		unit := width / float64(per)
		for i, s := range v.Slides {
			of, long, joined := f.Plan.Slides[i], 0.0, 0.0
			for k, p := range s.Pieces {
				assert.InDelta(t, float64(p.Row)*width+p.X, float64(of.Start)*unit+long, 0.03,
					"it goes on where it left off")
				assert.LessOrEqual(t, p.X+p.W, width+0.02)
				assert.Equal(t, k == len(s.Pieces)-1, p.Last)
				long += p.W
				joined += p.Join
			}
			assert.InDelta(t, float64(of.Length)*unit, long, 0.03)
			if i > 0 {
				lap := min(f.Plan.Slides[i-1].Overlap, of.Length)
				assert.InDelta(t, float64(lap)*unit, joined, 0.03, "the join is as long as both are seen")
				assert.Equal(t, f.Plan.Slides[i-1].Overlap > 0, s.Before == f.Plan.Slides[i-1].ID)
			}
			for _, r := range s.Remarks {
				at := float64(r.Row)*width + r.X
				assert.True(t, at >= float64(of.Start)*unit-0.02 && at <= float64(of.End())*unit+0.02)
			}
			assert.Equal(t, i == f.Remarks[0].Number-1, len(s.Remarks) == 1, "a remark is on its slide alone")
		}
	})
}

// What is drawn is well formed whatever the words are, shows every slide once to choose and every
// text as it is; what the page has is not sent again.
func TestDrawnRowsAreWellFormed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := a(t)
		v := Draw(f)
		rows := v.Drawn()
		require.Len(t, rows, len(v.Rows))
		html := v.Into("<main>"+string(v.Place())+"</main>", rows, nil)
		all := "<svg>"
		for _, r := range rows {
			assert.Contains(t, html, r.SVG)
			all += r.SVG
		}
		chosen, words := map[string]int{}, 0
		read := xml.NewDecoder(strings.NewReader(all + "</svg>"))
		for {
			tok, err := read.Token()
			if err == io.EOF {
				break
			}
			require.NoError(t, err)
			el, ok := tok.(xml.StartElement)
			if !ok {
				if text, ok := tok.(xml.CharData); ok && string(text) == "Ada & Ben <3" {
					words++
				}
				continue
			}
			for _, at := range el.Attr {
				switch at.Name.Local {
				case "data-slide":
					chosen[at.Value]++
				case "data-href":
					assert.True(t, strings.HasPrefix(at.Value, "/thumb?a=1&of=p"), at.Value)
				}
			}
		}
		said := 0
		for _, s := range f.Plan.Slides {
			assert.Equal(t, 1, chosen[string(s.ID)], "slide %s", s.ID)
			if s.Caption == "Ada & Ben <3" {
				said++
			}
		}
		assert.Equal(t, said, words, "every caption is written once")

		known := make([]string, len(rows))
		for i, r := range rows {
			known[i] = r.Sum
		}
		again := v.Into(string(v.Place()), rows, known)
		assert.NotContains(t, again, "data-slide")
		known[0] = "another"
		assert.Contains(t, v.Into(string(v.Place()), rows, known), rows[0].SVG)
		assert.Equal(t, rows, Draw(f).Drawn(), "the same film is drawn the same")
	})
}

// The wave and the bars of the music lie where they are heard.
func TestSoundLiesWhereItIsHeard(t *testing.T) {
	f := Film{
		Library: doc.Library{"song": {
			ID:     "song",
			Kind:   doc.SongMedia,
			Name:   "song.flac",
			Length: 10 * timecode.SampleRate,
			Heard:  &doc.Heard{},
		}},
		Waves:   map[doc.MediaID][]byte{"song": make([]byte, 500)},
		Seconds: 5,
	}
	for i := range 50 {
		f.Waves["song"][400+i] = 255 // loud from 8 s to 9 s
	}
	h := f.Library["song"].Heard
	for i := range 20 {
		h.Rhythm.Beats = append(h.Rhythm.Beats, rhythm.Beat{At: float64(i) / 2, Down: i%4 == 0})
	}
	f.Doc.Rate = timecode.Rate{Num: 25, Den: 1}
	f.Plan.Rate, f.Plan.Music, f.Plan.MusicEnd = f.Doc.Rate, 10*timecode.SampleRate, 250
	f.Plan.Sound.Items = []doc.Item{{Media: "song", Role: doc.Music}}
	v := Draw(f)
	require.Len(t, v.Rows, 2)
	assert.Equal(t, []float64{0, 326.4, 652.8}, v.Rows[0].Bars, "at 0, 2 and 4 s")
	assert.Equal(t, []float64{163.2, 489.6}, v.Rows[1].Bars, "at 6 and 8 s")
	quiet, loud := "h1.4v1.0", "h1.4v24.0"
	assert.NotContains(t, v.Rows[0].Wave, loud)
	assert.Equal(t, 83, strings.Count(v.Rows[1].Wave, loud),
		"a second of five, in strokes two units wide, and those it touches")
	assert.Contains(t, v.Rows[1].Wave, quiet)
	require.Len(t, v.Rows[1].Sound, 1)
	assert.False(t, v.Rows[1].Sound[0].Begins)
	assert.True(t, v.Rows[1].Sound[0].Ends)
}
