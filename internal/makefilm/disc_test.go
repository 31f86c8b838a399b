package makefilm

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/disc"
	"nelko/themes/themestest"
)

// filmFolder is a film's folder with three pictures and a song.
func filmFolder(t *testing.T, name string) string {
	dir := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.Rename(stills(t), dir))
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=300:d=13", filepath.Join(dir, "song.flac"))
	return dir
}

// cpb is the decoder's buffer as a stream says it is.
type cpb struct {
	Most   int `json:"max_bitrate"`
	Buffer int `json:"buffer_size"`
}

// A film of a folder on a DVD by the format's rules (ISO/IEC 13818-2 for MP@ML
// and its buffer of 1,835,008 bits; the rest of DVD-Video's from memory: at most
// 15 pictures a group at 25 a second, 9.8 Mbit/s of picture and 10.08 in all,
// AC-3 at 48 kHz).
func TestDVDOfAFolder(t *testing.T) {
	r := DiscRequest{
		Films:  []string{filmFolder(t, "The Gannets")},
		Name:   "The Gannets",
		Out:    filepath.Join(t.TempDir(), "dvd.iso"),
		Blank:  discs.DVD5,
		Named:  true,
		Folder: filepath.Join(t.TempDir(), "tree"),
		Menu:   &disc.Menu{Moves: true},
		Subtitles: &disc.Subtitles{
			On:     true,
			Colour: raster.RGB{R: 255, G: 255, B: 255},
		},
	}
	r.Shelf, r.Theme, r.Frame, r.Seed, r.Told.Language = themestest.Shelf(t), "tideline", doc.Frame{
		W: 1920,
		H: 1080,
	}, 5, "eng"
	r.Details = map[string]string{"date": "2026"}
	m, err := Video(context.Background(), r, profile.DVDPALWide)
	require.NoError(t, err)
	assert.Equal(t, discs.DVD.Most, m.Kbps)
	assert.Contains(t, m.Budget, "fits at 8.0 Mbit/s, 4")
	st, err := os.Stat(r.Out)
	require.NoError(t, err)
	assert.Equal(t, st.Size(), m.Bytes)
	assert.EqualValues(t, 13*25, m.Titles[0].Frames)

	vob := filepath.Join(r.Folder, "VIDEO_TS", "VTS_01_1.VOB")
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries",
		"frame=key_frame,pict_type:stream=width,height,display_aspect_ratio,r_frame_rate:stream_side_data=max_bitrate,buffer_size", "-show_frames", "-of", "json", vob).Output()
	require.NoError(t, err)
	var said struct {
		Frames []struct {
			Key int `json:"key_frame"`
		}
		Streams []struct {
			Width, Height int
			Shape         string `json:"display_aspect_ratio"`
			Rate          string `json:"r_frame_rate"`
			Side          []cpb  `json:"side_data_list"`
		}
	}
	require.NoError(t, json.Unmarshal(out, &said))
	assert.Len(t, said.Frames, 13*25, "every frame is there")
	group, longest := 0, 0
	for _, f := range said.Frames {
		if group++; f.Key == 1 {
			group = 1
		}
		longest = max(longest, group)
	}
	assert.LessOrEqual(t, longest, 15, "pictures of a group")
	v := said.Streams[0]
	assert.Equal(t, []any{720, 576, "16:9", "25/1"}, []any{v.Width, v.Height, v.Shape, v.Rate})
	require.NotEmpty(t, v.Side)
	assert.LessOrEqual(t, v.Side[0].Buffer, 1835008)
	assert.LessOrEqual(t, v.Side[0].Most, 9_800_000)
	sound, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "a:0", "-show_entries",
		"stream=codec_name,sample_rate,bit_rate", "-of", "csv=p=0", vob).Output()
	require.NoError(t, err)
	assert.Equal(t, "ac3,48000,192000", strings.Trim(strings.TrimSpace(string(sound)), ","))
	assert.LessOrEqual(t, busiest(t, vob), 10.08e6, "bits in the busiest second")
	told, err := exec.Command("lsdvd", "-x", r.Out).Output()
	require.NoError(t, err)
	assert.Contains(t, string(told), "Length: 00:00:13.000")
	assert.Contains(t, string(told), "Subpictures: 01")

	// What does not fit is told before anything is rendered.
	r.Blank = discs.Blank{Name: "DVD 4.7 GB", Sectors: 1000}
	_, err = Video(context.Background(), r, profile.DVDPALWide)
	var long *discs.TooLong
	assert.ErrorAs(t, err, &long)
	r.Films = []string{t.TempDir()}
	_, err = Video(context.Background(), r, profile.DVDPALWide)
	assert.ErrorContains(t, err, "there is no song in it")
}

// busiest is how many bits a program stream has in its busiest second, by the
// clock in the heads of its packs (ISO/IEC 13818-1, 2.5.3.4).
func busiest(t *testing.T, path string) float64 {
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	var times []float64
	for at := 0; at+2048 <= len(b); at += 2048 {
		p := b[at:]
		require.True(t, bytes.HasPrefix(p, []byte{0, 0, 1, 0xba}), "a pack in each sector")
		scr := uint64(p[4]>>3&7)<<30 | uint64(p[4]&3)<<28 | uint64(p[5])<<20 | uint64(p[6]>>3)<<15 | uint64(
			p[6]&3)<<13 | uint64(p[7])<<5 | uint64(p[8]>>3)
		times = append(times, float64(scr)/90000)
	}
	most, first := 0, 0
	for i := range times {
		for times[i]-times[first] >= 1 {
			first++
		}
		most = max(most, i-first+1)
	}
	return float64(most) * 2048 * 8
}

// A zip and a data disc of a folder's film in two profiles: both have the films,
// their poster and the page, and the films decode.
func TestDataOfAFolder(t *testing.T) {
	small, _ := profile.Named("Phone 360")
	sound, _ := profile.Named("Sound")
	r := DiscRequest{
		Films: []string{filmFolder(t, "Zoë")},
		Name:  "Zoë",
		Out:   filepath.Join(t.TempDir(), "films.zip"),
		Blank: discs.DVD5,
	}
	r.Shelf, r.Theme, r.Frame, r.Seed, r.Profiles = themestest.Shelf(t), "tideline",
		doc.Frame{W: 640, H: 360}, 5, []profile.Profile{small, sound}
	m, err := Data(context.Background(), r, true)
	require.NoError(t, err)
	assert.Len(t, m.Titles, 2)
	z, err := zip.OpenReader(r.Out)
	require.NoError(t, err)
	defer z.Close()
	found := map[string][]byte{}
	for _, f := range z.File {
		in, err := f.Open()
		require.NoError(t, err)
		found[f.Name], err = io.ReadAll(in)
		require.NoError(t, err)
	}
	assert.Len(t, found, 4)
	require.Contains(t, found, "Zoë.mp4")
	assert.Contains(t, string(found["index.html"]),
		`<video controls preload="metadata" src="Zo%c3%ab.mp4" poster="Zo%c3%ab.jpg">`)
	film := filepath.Join(t.TempDir(), "x.mp4")
	require.NoError(t, os.WriteFile(film, found["Zoë.mp4"], 0o644))
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "V:0", "-count_frames",
		"-show_entries", "stream=nb_read_frames", "-of", "csv=p=0", film).Output()
	require.NoError(t, err)
	n, err := strconv.Atoi(strings.Trim(string(out), ", \n"))
	require.NoError(t, err)
	assert.Equal(t, 13*30, n)
	r.Out = filepath.Join(t.TempDir(), "data.iso")
	_, err = Data(context.Background(), r, false)
	require.NoError(t, err)
	list, err := exec.Command("isoinfo", "-R", "-f", "-i", r.Out).Output()
	require.NoError(t, err)
	assert.Equal(t, 4, strings.Count(string(list), "\n"), fmt.Sprint(string(list)))
}
