package disc

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/disc"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
	"nelko/internal/disc/player"
	"nelko/internal/media"
	"nelko/themes/themestest"
)

func TestMain(m *testing.M) {
	if err := media.Startup(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(m.Run())
}

func tool(t *testing.T, name string, args ...string) string {
	cmd := exec.Command(name, args...)
	var said strings.Builder
	cmd.Stderr = &said
	out, err := cmd.Output()
	require.NoError(t, err, "%s %v: %s%s", name, args, out, said.String())
	return string(out)
}

// titled is a film for a disc made by ffmpeg: so many seconds of a pattern.
func titled(t *testing.T, dir string, p profile.Profile, n int, seconds float64) Title {
	x := Title{
		Name:   fmt.Sprintf("Crew %d", n),
		Rate:   p.Rate,
		Frames: p.Rate.Frames(seconds),
		File:   filepath.Join(dir, fmt.Sprintf("%d.%s", n, p.File.Extension)),
		Poster: filepath.Join(dir, fmt.Sprintf("%d.jpg", n)),
	}
	pattern := fmt.Sprintf("testsrc2=s=720x576:r=%s,hue=h=%d", p.Rate.Fraction(), 40*n)
	args := []string{"-v", "error", "-f", "lavfi", "-i", pattern, "-f", "lavfi", "-i",
		fmt.Sprintf("sine=%d:r=48000", 200+50*n), "-frames:v", fmt.Sprint(x.Frames), "-t",
		fmt.Sprint(seconds), "-ac", "2", "-c:a", "ac3", "-b:a", "192k"}
	if p.Stored != nil {
		args = append(args, "-c:v", "mpeg2video", "-b:v", "2000k", "-maxrate", "8000k", "-bufsize", "1835k",
			"-g", "15", "-flags", "+cgop", "-sc_threshold", "1000000000", "-aspect", "16:9", "-f", "dvd",
			x.File)
	} else {
		args[5] = strings.Replace(pattern, "720x576", "1280x720", 1)
		args = append(args, "-c:v", "libx264", "-preset", "ultrafast", "-g", "24", "-mpegts_m2ts_mode", "1",
			"-f", "mpegts", x.File)
	}
	tool(t, "ffmpeg", args...)
	tool(t, "ffmpeg", "-v", "error", "-y", "-i", x.File, "-frames:v", "1", x.Poster)
	return x
}

// walker builds the program that walks a disc's menus with libdvdnav.
func walker(t *testing.T) func(iso string, commands ...string) []string {
	bin := filepath.Join(t.TempDir(), "walk")
	flags := strings.Fields(tool(t, "pkg-config", "--cflags", "--libs", "dvdnav"))
	tool(t, "gcc", append([]string{"-O1", "-o", bin, "testdata/walk.c"}, flags...)...)
	return func(iso string, commands ...string) (out []string) {
		for line := range strings.Lines(tool(t, bin, append([]string{iso}, commands...)...)) {
			if regexp.MustCompile(`^(menu|title|stop|lost|error)`).MatchString(line) {
				out = append(out, strings.TrimSpace(line))
			}
		}
		return out
	}
}

func place(t *testing.T, s string) (n int) {
	_, err := fmt.Sscanf(s, "title=%d", &n)
	require.NoError(t, err, s)
	return n
}

// A disc of eight films with two pages of menu, walked by libdvdnav as a player
// does: each button plays its film, the pages lead to each other, what is over
// leads back to its page or, if all are played, on. Its tables are read by
// lsdvd (libdvdread).
func TestMenus(t *testing.T) {
	dir := t.TempDir()
	shelf := themestest.Shelf(t)
	th, err := shelf.Get("tideline")
	require.NoError(t, err)
	s := Spec{
		Name:     "Lantern Régatta 2026",
		Profile:  profile.DVDPALWide,
		Blank:    disc.DVD5,
		Theme:    th,
		Shelf:    shelf,
		Language: "en",
		Menu:     &Menu{},
	}
	for n := range 8 {
		x := titled(t, dir, s.Profile, n+1, 1.2+0.2*float64(n))
		x.Chapters = []plan.Chapter{{}, {At: 15}}
		s.Titles = append(s.Titles, x)
	}
	out, tree := filepath.Join(dir, "disc.iso"), filepath.Join(dir, "tree")
	require.NoError(t, DVD(context.Background(), s, out, tree))

	walk := walker(t)
	seen := walk(out, "1", "skip")
	require.Len(t, seen, 3)
	assert.Equal(t, "menu buttons=8 selected=1", seen[0], "six films, all, and the next page")
	assert.Equal(t, 1, place(t, seen[1]))
	assert.Equal(t, seen[0], seen[2], "back to the page when it is over")
	for n := 2; n <= 6; n++ {
		assert.Equal(t, n, place(t, walk(out, strconv.Itoa(n))[1]), "button %d", n)
	}
	second := walk(out, "8", "2", "skip", "3")
	assert.Equal(t, "menu buttons=3 selected=1", second[1])
	assert.Equal(t, 8, place(t, second[2]))
	assert.Equal(t, second[1], second[3], "back to the second page")
	assert.Equal(t, seen[0], second[4], "and to the first")
	all := walk(out, "7", "skip", "skip", "skip", "skip", "skip", "skip", "skip", "skip")
	for n := 1; n <= 8; n++ {
		assert.Equal(t, n, place(t, all[n]))
	}
	assert.Equal(t, second[1], all[9])
	assert.Contains(t, all[1], "chapters=2 seconds=1.20")
	assert.Contains(t, all[1], "at=0.60")

	// The guide, by which a disc is stepped through on the screen, says the same.
	g, err := player.Walk(out)
	require.NoError(t, err)
	assert.Equal(t, player.Place{Page: 1}, g.First)
	require.Len(t, g.Pages, 2)
	for i, b := range g.Pages[0].Buttons[:6] {
		assert.Equal(t, player.Place{Title: i + 1}, b.To)
		assert.Equal(t, []player.Place{{Page: 1}}, b.Then)
	}
	assert.Equal(t, player.Place{Title: 1}, g.Pages[0].Buttons[6].To)
	assert.Equal(t, []player.Place{{Title: 2}, {Title: 3}, {Title: 4}, {Title: 5}, {Title: 6}, {Title: 7},
		{Title: 8}, {Page: 2}}, g.Pages[0].Buttons[6].Then)
	assert.Equal(t, player.Place{Page: 2}, g.Pages[0].Buttons[7].To)
	assert.Equal(t, []player.Place{{Page: 2}}, g.Pages[1].Buttons[1].Then, "back to the second page")
	assert.InDeltaSlice(t, []float64{0, 0.6}, g.Titles[0].Chapters, 0.01)
	assert.InDelta(t, 1.2, g.Titles[0].Seconds, 0.01)
	d, err := g.Page(out, 2)
	require.NoError(t, err)
	defer d.Close()
	assert.Equal(t, s.pageButtons(t, 1), d.Buttons())

	told := tool(t, "lsdvd", "-x", out)
	assert.Contains(t, told, "Disc Title: LANTERN_REGATTA_2026")
	assert.Equal(t, 8, strings.Count(told, "\nTitle: "))
	assert.Equal(t, 8, strings.Count(told,
		"FPS: 25.00, Format: PAL, Aspect ratio: 16/9, Width: 720, Height: 576"))
	assert.Contains(t, tool(t, "isoinfo", "-d", "-i", out), "Volume id: LANTERN_REGATTA_2026")
	// The image holds the very files of the folder.
	for _, name := range []string{"VIDEO_TS.IFO", "VTS_01_0.IFO", "VTS_01_1.VOB"} {
		want, err := os.ReadFile(filepath.Join(tree, "VIDEO_TS", name))
		require.NoError(t, err)
		assert.Equal(t, string(want), tool(t, "isoinfo", "-i", out, "-x", "/VIDEO_TS/"+name+";1"), name)
	}
	left, err := filepath.Glob(filepath.Join(dir, ".disc-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	// Buttons stand in the title-safe area (SMPTE ST 2046-1: 5 % at each edge),
	// apart from each other.
	lib, _, err := s.library()
	require.NoError(t, err)
	scenes, rects, err := s.menuScenes(lib)
	require.NoError(t, err)
	for i, page := range rects {
		var boxes []image.Rectangle
		for _, r := range page {
			b := s.stored(r, scenes[i])
			assert.True(t, b.In(image.Rect(36, 28, 684, 548)), "%v", b)
			for _, o := range boxes {
				assert.True(t, b.Intersect(o).Empty(), "%v %v", b, o)
			}
			boxes = append(boxes, b)
		}
	}

	// Without a menu: the first film at once, one after another, then nothing;
	// for ever on a counter.
	s.Menu, s.Titles = nil, s.Titles[:2]
	require.NoError(t, DVD(context.Background(), s, out, ""))
	plain := walk(out, "skip")
	assert.Equal(t, []int{1, 2}, []int{place(t, plain[0]), place(t, plain[1])})
	s.Loop = true
	require.NoError(t, DVD(context.Background(), s, out, ""))
	round := walk(out, "skip", "skip", "skip")
	assert.Equal(t, []int{1, 2, 1, 2}, []int{place(t, round[0]), place(t, round[1]), place(t, round[2]),
		place(t, round[3])})

	s.Titles = nil
	assert.ErrorContains(t, DVD(context.Background(), s, out, ""), "no film")
	s.Titles = make([]Title, 100)
	assert.ErrorContains(t, DVD(context.Background(), s, out, ""), "room for 99 films")
}

// Captions as subtitles: decoded from the disc's own file by ffmpeg they come
// and go at their times, in their colour, and the pixels are the words'.
func TestSubtitles(t *testing.T) {
	dir := t.TempDir()
	shelf := themestest.Shelf(t)
	th, err := shelf.Get("tideline")
	require.NoError(t, err)
	yellow := raster.RGB{R: 255, G: 220, B: 40}
	s := Spec{
		Name:      "Words",
		Profile:   profile.DVDPALWide,
		Blank:     disc.DVD5,
		Theme:     th,
		Shelf:     shelf,
		Language:  "en",
		Subtitles: &Subtitles{On: true, Colour: yellow},
	}
	x := titled(t, dir, s.Profile, 1, 6)
	x.Lines = []plan.Cue{{
		From: 25,
		To:   75,
		Text: "Off the quay",
	}, {From: 75, To: 125, Text: "Die Boje\nund zurück"}}
	s.Titles = []Title{x}
	out, tree := filepath.Join(dir, "disc.iso"), filepath.Join(dir, "tree")
	require.NoError(t, DVD(context.Background(), s, out, tree))
	vob := filepath.Join(tree, "VIDEO_TS", "VTS_01_1.VOB")
	var read struct {
		Packets []struct {
			PTS string `json:"pts_time"`
		}
	}
	require.NoError(t, json.Unmarshal([]byte(tool(t, "ffprobe", "-v", "error", "-probesize", "20M",
		"-analyzeduration", "20M", "-select_streams", "s:0", "-show_entries", "packet=pts_time", "-of",
		"json", vob)), &read))
	require.Len(t, read.Packets, 2)
	start, err := strconv.ParseFloat(strings.Trim(strings.Split(tool(t, "ffprobe", "-v", "error",
		"-select_streams", "v:0", "-show_entries", "stream=start_time", "-of", "csv=p=0", vob), "\n")[0],
		", "), 64)
	require.NoError(t, err)
	for i, at := range []float64{1, 3} {
		pts, err := strconv.ParseFloat(read.Packets[i].PTS, 64)
		require.NoError(t, err)
		assert.InDelta(t, at, pts-start, 0.03)
	}
	// Laid over black, frame by frame: where words are, and which.
	frame := func(seconds float64) []byte {
		cmd := exec.Command("ffmpeg", "-v", "error", "-probesize", "20M", "-analyzeduration", "20M",
			"-ifo_palette", filepath.Join(tree, "VIDEO_TS", "VTS_01_0.IFO"), "-i", vob, "-filter_complex",
			"[0:v]drawbox=c=black:t=fill[b];[b][0:s]overlay", "-ss", fmt.Sprint(seconds), "-frames:v", "1",
			"-f", "rawvideo", "-pix_fmt", "gray", "-")
		b, err := cmd.Output()
		require.NoError(t, err)
		require.Len(t, b, 720*576)
		return b
	}
	for i, l := range x.Lines {
		img, at, err := Words(l.Text, yellow, 720, 576, 16.0/9)
		require.NoError(t, err)
		got := frame([]float64{2, 4}[i])
		wrong := 0
		for y := range 576 {
			for xx := range 720 {
				p := image.Pt(xx, y).Sub(at)
				lit := p.In(img.Bounds()) && img.ColorIndexAt(p.X, p.Y) == 2
				if lit != (got[y*720+xx] > 150) {
					wrong++
				}
			}
		}
		assert.Less(t, wrong, 20, "pixels of %q that are others", l.Text)
	}
	dark := frame(0.4)
	for i := range dark {
		require.Less(t, dark[i], byte(60), "no words before their time")
	}
	walk := walker(t)
	assert.Contains(t, walk(out)[0], "words=0", "switched on at the start")
	s.Subtitles.On = false
	require.NoError(t, DVD(context.Background(), s, out, ""))
	assert.NotContains(t, walk(out)[0], "words=0", "off, and there to be switched on")
	assert.Contains(t, tool(t, "lsdvd", "-s", out), "Subpictures: 01")
}

// How large an image becomes is known from the bit rates, to within 1 %.
func TestSizeIsPredicted(t *testing.T) {
	dir := t.TempDir()
	s := Spec{Name: "Long", Profile: profile.DVDPALWide, Blank: disc.DVD5, Language: "en"}
	x := Title{Name: "Noise", Rate: timecode.R25, Frames: 25 * 100, File: filepath.Join(dir, "n.mpg")}
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=gray:s=720x576:r=25,noise=alls=40:allf=t",
		"-f", "lavfi", "-i", "sine=r=48000", "-frames:v", fmt.Sprint(x.Frames), "-t", "100", "-ac", "2",
		"-c:v", "mpeg2video", "-b:v", "5000k", "-minrate", "5000k", "-maxrate", "5000k", "-bufsize", "1835k",
		"-g", "15", "-aspect", "16:9", "-c:a", "ac3", "-b:a", "192k", "-f", "dvd", x.File)
	y := x
	y.File = filepath.Join(dir, "copy.mpg") // dvdauthor puts the same file on a disc once
	require.NoError(t, Link(x.File, y.File))
	s.Titles = []Title{x, y}
	out := filepath.Join(dir, "o.iso")
	require.NoError(t, DVD(context.Background(), s, out, ""))
	var bytes int64
	for _, line := range strings.Fields(tool(t, "ffprobe", "-v", "error", "-select_streams", "v:0",
		"-show_entries", "packet=size", "-of", "csv=p=0", x.File)) {
		n, err := strconv.ParseInt(strings.Trim(line, ","), 10, 64)
		require.NoError(t, err)
		bytes += n
	}
	kbps := int(float64(bytes) * 8 / 100 / 1000)
	rates := disc.DVD
	rates.Words = 0
	size, err := Size(out, s.Blank)
	require.NoError(t, err)
	assert.InEpsilon(t, float64(disc.Size([]float64{100, 100}, kbps, rates, disc.Menu{})), float64(size),
		0.01)
	_, err = Size(out, disc.Blank{Name: "tiny", Sectors: 100})
	assert.ErrorContains(t, err, "the tiny holds 0.2 MB")
}

// An HD disc as libbluray reads it: titles with their lengths, chapters and
// streams, and every picture can be decoded from the image's own stream. Its
// subtitles are at their times.
func TestHDDisc(t *testing.T) {
	dir := t.TempDir()
	p := profile.HDDisc
	p.Lines = 720
	s := Spec{
		Name:      "HD",
		Profile:   p,
		Blank:     disc.BD25,
		Language:  "en",
		Subtitles: &Subtitles{Colour: raster.RGB{R: 255, G: 255, B: 255}},
	}
	for n := range 2 {
		x := titled(t, dir, p, n+1, 5+2*float64(n))
		x.Chapters = []plan.Chapter{{}, {At: 48}}
		x.Lines = []plan.Cue{{From: 24, To: 72, Text: "Off the quay"}, {From: 72, To: 96, Text: "Home"}}
		s.Titles = append(s.Titles, x)
	}
	out, tree := filepath.Join(dir, "hd.iso"), filepath.Join(dir, "tree")
	require.NoError(t, BDMV(context.Background(), s, out, tree))
	for _, disc := range []string{out, tree} {
		told := tool(t, "bd_info", disc)
		for _, want := range []string{"BluRay detected     : yes", "First Play supported: yes",
			"HDMV titles         : 2", "video format            : 720p", "frame rate              : 24 Hz"} {
			assert.Contains(t, told, want)
		}
		titles := tool(t, "bd_list_titles", "-l", disc)
		assert.Regexp(t, `index: +1 duration: 00:00:05 chapters: +2 angles: +1 clips: +1 \(playlist: 00001.mpls\) V:1 A:1  PG:1`, titles)
		assert.Regexp(t, `index: +2 duration: 00:00:07 chapters: +2`, titles)
		assert.Contains(t, titles, "eng")
	}
	for n, x := range s.Titles {
		path := filepath.Join(tree, "BDMV", "STREAM", fmt.Sprintf("%05d.m2ts", n+1))
		assert.Equal(t, fmt.Sprint(x.Frames),
			strings.Fields(tool(t, "ffprobe", "-v", "error", "-select_streams", "v:0", "-count_frames",
				"-show_entries", "stream=nb_read_frames", "-of", "csv=p=0", path))[0])
		st, err := scan(path)
		require.NoError(t, err)
		assert.Len(t, st.entries, int(x.Frames+23)/24, "a picture to begin with each second")
		var pts []float64
		for _, f := range strings.Fields(tool(t, "ffprobe", "-v", "error", "-select_streams", "s:0",
			"-show_entries", "packet=pts_time", "-of", "csv=p=0", path)) {
			v, err := strconv.ParseFloat(strings.Trim(f, ","), 64)
			require.NoError(t, err)
			pts = append(pts, v-float64(st.first)/90000)
		}
		require.GreaterOrEqual(t, len(pts), 4)
		for _, want := range []float64{1, 3 - 2.0/24, 3, 4} {
			near := false
			for _, v := range pts {
				near = near || v > want-0.02 && v < want+0.02
			}
			assert.True(t, near, "a subtitle at %.2f of %v", want, pts)
		}
	}
	s.Profile.Rate = timecode.R30
	assert.ErrorContains(t, BDMV(context.Background(), s, out, ""), "discs know no 720 lines at 30")
}

// A data disc, listed by isoinfo under each of its names and read back.
func TestDataDisc(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "x.mp4")
	require.NoError(t, os.WriteFile(path, []byte(strings.Repeat("film", 1000)), 0o644))
	files := []File{{
		Path:    path,
		Title:   "Zoë & Łukasz: “Ja”",
		Profile: "MP4",
		Plays:   true,
		Seconds: 61,
	}, {Path: path, Title: "Zoë & Łukasz: “Ja”", Profile: "Phone 360", Plays: true, Seconds: 61}}
	out := filepath.Join(dir, "data.iso")
	require.NoError(t, Data(context.Background(), "Zoë", files, 1e9, out))
	list := tool(t, "isoinfo", "-R", "-f", "-i", out)
	assert.Contains(t, list, "Zoë & Łukasz- “Ja”.mp4")
	assert.Contains(t, list, "(Phone 360).mp4")
	assert.Contains(t, list, "/index.html")
	assert.Equal(t, strings.Repeat("film", 1000), tool(t, "isoinfo", "-R", "-i", out, "-x",
		"/Zoë & Łukasz- “Ja”.mp4"))
	f, err := os.Open(out)
	require.NoError(t, err)
	defer f.Close()
	// Volume recognition: ISO 9660 and UDF both (ECMA-167, part 2: NSR02).
	head := make([]byte, 64<<11)
	_, err = io.ReadFull(f, head)
	require.NoError(t, err)
	assert.Contains(t, string(head), "CD001")
	assert.Contains(t, string(head), "NSR02")
	assert.ErrorContains(t, Data(context.Background(), "Zoë", files, 1000, filepath.Join(dir, "no.iso")),
		"the disc holds 0.0 MB")
	assert.NoFileExists(t, filepath.Join(dir, "no.iso"))
}

func TestVolumeID(t *testing.T) {
	for in, want := range map[string]string{
		"Lantern Régatta 2026":  "LANTERN_REGATTA_2026",
		"Zoë & Ben — Ja!":       "ZOE_BEN_JA",
		"日本":                    "",
		strings.Repeat("x", 50): strings.Repeat("X", 32),
	} {
		assert.Equal(t, want, VolumeID(in))
	}
	assert.Equal(t, []string{"en", "de", "en"}, []string{Language("eng"), Language("deu"), Language("und")})
}

// pageButtons is where the buttons of page i of a menu were laid.
func (s *Spec) pageButtons(t *testing.T, i int) (out []image.Rectangle) {
	lib, _, err := s.library()
	require.NoError(t, err)
	scenes, rects, err := s.menuScenes(lib)
	require.NoError(t, err)
	for _, r := range rects[i] {
		out = append(out, s.stored(r, scenes[i]))
	}
	return out
}
