package makefilm

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/render"
	"nelko/themes/themestest"
)

// track is what mediainfo says of a file, a stream or its chapters.
type track struct {
	Type   string `json:"@type"`
	Format string
	Width, Height,
	FrameRate, FrameCount, Duration, DisplayAspectRatio string
	Title, Cover, Language, Text string
	Extra                        map[string]string `json:"extra"`
}

// mediainfo reads a file with a reader that has nothing to do with ffmpeg.
func mediainfo(t *testing.T, path string) map[string]track {
	out, err := exec.Command("mediainfo", "--Output=JSON", path).Output()
	require.NoError(t, err)
	var said struct {
		Media struct {
			Track []track
		}
	}
	require.NoError(t, json.Unmarshal(out, &said))
	tracks := map[string]track{}
	for _, x := range said.Media.Track {
		if _, ok := tracks[x.Type]; !ok {
			tracks[x.Type] = x
		}
	}
	return tracks
}

func number(t *testing.T, s string) float64 {
	v, err := strconv.ParseFloat(s, 64)
	require.NoError(t, err, "%q", s)
	return v
}

// What mediainfo calls the codecs.
var formats = map[string]string{
	"h264":       "AVC",
	"hevc":       "HEVC",
	"av1":        "AV1",
	"prores":     "ProRes",
	"dnxhd":      "VC-3",
	"vp9":        "VP9",
	"mpeg2video": "MPEG Video",
	"aac":        "AAC",
	"flac":       "FLAC",
	"pcm_s16le":  "PCM",
	"opus":       "Opus",
	"ac3":        "AC-3",
	"mp3":        "MPEG Audio",
}

// keepFilm keeps a film that browsers play for the tests in a browser, in the
// folder they name; nowhere without one.
func keepFilm(t *testing.T, p profile.Profile, path string) {
	dir := os.Getenv("NELKO_TEST_FILMS")
	if dir == "" || p.Kind != profile.OfFilm || !p.File.Plays() {
		return
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, p.Name+"."+p.File.Extension), b, 0o600))
}

// Each shipped profile makes what it promises. That it does so by ffprobe is
// verified in making it; mediainfo is the second reader. The films are the
// first second and a half of one with a caption and two chapters.
func TestShippedProfiles(t *testing.T) {
	dir, song := stills(t), filepath.Join(t.TempDir(), "song.flac")
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=300:d=14", song)
	r := Request{
		Shelf: themestest.Shelf(t),
		Theme: "tideline",
		Media: dir,
		Music: []string{song},
		Details: map[string]string{
			"names": "Ida; #1 = Élan",
			"date":  "2026",
		},
		// which QuickTime calls otherwise
		Frame: doc.Frame{W: 640, H: 360},
		Seed:  5,
		Told:  render.Told{Language: "deu"},
	}
	s := newSummary(r)
	m, err := layOut(context.Background(), r, &s)
	require.NoError(t, err)
	m.source.Doc.Slides[0].Pinned, m.source.Doc.Slides[1].Caption, m.source.Doc.Slides[1].Chapter = 0.5,
		"Off the quay", "The start"
	m.source.Doc.Fit.Mode = doc.AtPace
	var full int64 // bytes of the usual film of as many lines
	for _, p := range profile.Shipped {
		t.Run(p.Name, func(t *testing.T) {
			const seconds = 1.2
			p.Teaser = &profile.Teaser{Seconds: seconds, Fade: 0.2}
			f, err := m.in(p)
			require.NoError(t, err)
			out := filepath.Join(t.TempDir(), "film."+p.File.Extension)
			facts, err := render.Film(context.Background(), render.Job{
				Film:  f.Film,
				Files: f.files,
				Out:   out,
				Told:  r.Told,
				Lanes: func(ctx context.Context) render.Lane { return f.lane(ctx) },
			})
			require.NoError(t, err)
			keepFilm(t, p, out)
			if p.Name == "Web 720" {
				full = facts.Bytes
			}
			w, h, _ := p.Kept(640, 360)
			said := mediainfo(t, out)
			if p.Kind == profile.OfStill {
				assert.Equal(t, []any{w, h}, []any{facts.W, facts.H})
				assert.Equal(t, "JPEG", said["Image"].Format)
				return
			}
			assert.Equal(t, formats[p.Audio.Codec], said["Audio"].Format)
			assert.InDelta(t, seconds, number(t, said["Audio"].Duration), 0.08)
			if p.Kind == profile.OfSound {
				assert.Equal(t, "Ida; #1 = Élan", said["General"].Title)
				assert.Equal(t, "Yes", said["General"].Cover)
				return
			}
			v := said["Video"]
			assert.Equal(t, formats[p.Video.Codec], v.Format)
			assert.Equal(t, []any{strconv.Itoa(w), strconv.Itoa(h)}, []any{v.Width, v.Height})
			// of which mediainfo tells neither in so short a film; discs have checks of their own
			if p.File.Format != "mpegts" {
				assert.InDelta(t, p.Rate.FPS(), number(t, v.FrameRate), 0.01)
				assert.InDelta(t, seconds, number(t, v.Duration), 0.08)
			}
			if p.Stored != nil {
				assert.InDelta(t, float64(p.Shape.W)/float64(p.Shape.H), number(t, v.DisplayAspectRatio),
					0.01)
			}
			if p.MaxBytes > 0 {
				assert.LessOrEqual(t, facts.Bytes, p.MaxBytes)
				assert.Less(t, facts.Bytes, full, "it is not filled for its own sake")
			}
			if f := p.File.Format; f == "mp4" || f == "mov" || f == "matroska" || f == "webm" {
				assert.Equal(t, "Ida; #1 = Élan", said["General"].Title)
				assert.Contains(t, said, "Menu", "chapters")
				assert.Equal(t, "de", said["Audio"].Language)
			}
			if f := p.File.Format; f == "mp4" || f == "matroska" {
				assert.Equal(t, "Yes", said["General"].Cover, "poster")
			}
			_, has := said["Text"]
			assert.Equal(t, p.Captions == profile.Track, has, "a track of captions")
		})
	}
}

// Sizes of one film made at once are drawn once, in the largest; each is what
// it would be alone but for how it was scaled, and captions lie beside a film
// where the profile says so.
func TestSeveralAtOnce(t *testing.T) {
	song := filepath.Join(t.TempDir(), "song.flac")
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=300:d=14", song)
	var ps []profile.Profile
	for _, n := range []string{"Phone 360", "Sound", "Phone 480", "Edit DNxHR"} {
		p, ok := profile.Named(n)
		require.True(t, ok)
		p.Teaser = &profile.Teaser{From: 1, Seconds: 4, Fade: 0.2}
		ps = append(ps, p)
	}
	ps[3].Lines = 480
	out := filepath.Join(t.TempDir(), "all")
	s, err := Film(context.Background(), Request{
		Shelf: themestest.Shelf(t),
		Theme: "tideline",
		Media: stills(t),
		Music: []string{song},
		Details: map[string]string{
			"names": "A",
			"date":  "2026",
		},
		Out:      out,
		Frame:    doc.Frame{W: 1280, H: 720},
		Seed:     5,
		Profiles: ps,
	})
	require.NoError(t, err)
	require.Len(t, s.Files, 4)
	assert.Equal(t, []int{640, 0, 854, 854}, []int{s.Files[0].Facts.W, s.Files[1].Facts.W, s.Files[2].Facts.W,
		s.Files[3].Facts.W})
	// The small one against the large one scaled by ffmpeg: the same film.
	said, err := exec.Command("ffmpeg", "-v", "info", "-i", s.Files[0].Path, "-i", s.Files[2].Path, "-lavfi",
		"[1:V]scale=640:360[b];[0:V][b]ssim", "-f", "null", "-").CombinedOutput()
	require.NoError(t, err)
	assert.Regexp(t, ` All:0\.9[5-9]`, string(said))
	left, err := os.ReadDir(out)
	require.NoError(t, err)
	assert.Len(t, left, 4, "nothing else is left")

	drawn, leads := profile.Together(ps, 1280, 720)
	assert.Equal(t, []int{2, 1, 2, 3}, leads)
	assert.Equal(t, &profile.Size{W: 854, H: 480}, drawn[0].Drawn)
	assert.Nil(t, drawn[2].Drawn)
	_, err = Film(context.Background(), Request{
		Shelf: themestest.Shelf(t),
		Theme: "tideline",
		Media: stills(t),
		Music: []string{song},
		Out:   out,
		Frame: doc.Frame{
			W: 1280,
			H: 720,
		},
		Rate: timecode.Rate{},
		Profiles: []profile.Profile{{
			Name:  "x",
			Rate:  timecode.R25,
			Video: profile.Video{Encoder: "none", Codec: "none", Pixels: "yuv420p"},
			File:  ps[0].File,
		}},
	})
	assert.ErrorContains(t, err, `"none" is not known`)
}

// Beside a film its captions, in both forms, at the times they are shown.
func TestCaptionsBeside(t *testing.T) {
	song := filepath.Join(t.TempDir(), "song.flac")
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=300:d=14", song)
	r := Request{
		Shelf:   themestest.Shelf(t),
		Theme:   "tideline",
		Media:   stills(t),
		Music:   []string{song},
		Details: map[string]string{"names": "A", "date": "2026"},
		Frame:   doc.Frame{W: 320, H: 180},
		Seed:    5,
	}
	s := newSummary(r)
	m, err := layOut(context.Background(), r, &s)
	require.NoError(t, err)
	m.source.Doc.Slides[1].Caption = "Off the quay\n& away"
	p, _ := profile.Named("Edit ProRes")
	f, err := m.in(p)
	require.NoError(t, err)
	lines := f.Captions()
	require.Len(t, lines, 1)
	second := f.Plan.Slides[1]
	assert.Equal(t, second.Start+f.Plan.Slides[0].Overlap/2, lines[0].From)
	assert.Equal(t, second.End()-(second.Overlap+1)/2, lines[0].To)
	base := filepath.Join(t.TempDir(), "film")
	paths, err := render.Extra(f.Film, base)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{base + ".srt", base + ".vtt"}, paths)
	// ffprobe reads both and finds the caption at its time.
	for _, path := range paths {
		out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "packet=pts_time,duration_time",
			"-of", "csv=p=0", path).Output()
		require.NoError(t, err)
		var from, length float64
		_, err = fmt.Sscanf(strings.ReplaceAll(string(out), ",", " "), "%f %f", &from, &length)
		require.NoError(t, err, "%s", out)
		assert.InDelta(t, p.Rate.Seconds(lines[0].From), from, 0.001)
		assert.InDelta(t, p.Rate.Seconds(lines[0].To-lines[0].From), length, 0.002)
		b, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Contains(t, string(b), "Off the quay\n")
	}
	p.Captions = profile.None
	f, err = m.in(p)
	require.NoError(t, err)
	none, err := render.Extra(f.Film, base)
	assert.NoError(t, err)
	assert.Empty(t, none)
}
