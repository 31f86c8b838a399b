package disc

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"golang.org/x/text/language"

	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

// Language is a language of three letters (ISO 639-2) as discs name it, in two
// (ISO 639-1); English where there is none.
func Language(three string) string {
	b, err := language.ParseBase(three)
	if err != nil || len(b.String()) != 2 {
		return "en"
	}
	return b.String()
}

func threeLetters(two string) string {
	b, err := language.ParseBase(two)
	if err != nil {
		return "und"
	}
	return b.ISO3()
}

// The tables of a BDMV disc are big-endian. Their structure is taken from the
// published description of libbluray, whose tools read them back in the tests.

// What the tables call codecs and formats.
const (
	codecH264 = 0x1b
	codecAC3  = 0x81
	codecPGS  = 0x90

	stereo48 = 0x31

	pidVideo = 0x1011
	pidAudio = 0x1100
	pidWords = 0x1200
	pidPCR   = 0x1001
	pidPMT   = 0x0100
)

// clock45 is the clock of the tables.
const clock45 = 45000

// format is the frame's lines and rate as a byte.
func format(lines int, r timecode.Rate) (byte, error) {
	f := map[int]byte{480: 1, 576: 2, 720: 5, 1080: 6}[lines]
	rate := map[timecode.Rate]byte{
		timecode.R23976: 1,
		timecode.R24:    2,
		timecode.R25:    3,
		timecode.R2997:  4,
		timecode.R50:    6,
		timecode.R5994:  7,
	}[r]
	if f == 0 || rate == 0 {
		return 0, fmt.Errorf("discs know no %d lines at %s a second", lines, r)
	}
	return f<<4 | rate, nil
}

// table is bytes being written.
type table struct{ bytes.Buffer }

func (t *table) put(values ...any) {
	for _, v := range values {
		switch x := v.(type) {
		case string:
			t.WriteString(x)
		case []byte:
			t.Write(x)
		default:
			_ = binary.Write(t, binary.BigEndian, v) // a Buffer takes all
		}
	}
}

func (t *table) zeros(n int) { t.Write(make([]byte, n)) }

// measured puts a length of 4 bytes before a block.
func measured(block *table) []byte {
	var t table
	t.put(uint32(block.Len()), block.Bytes())
	return t.Bytes()
}

// measured16 puts a length of 2 bytes before a block.
func measured16(block *table) []byte {
	var t table
	t.put(uint16(block.Len()), block.Bytes())
	return t.Bytes()
}

// indexTable is index.bdmv: what plays first, and the titles. Movie object 0 is
// the first, and the top menu; object n plays title n.
func indexTable(titles int, picture byte) []byte {
	const hdmv, interactive = uint32(1) << 30, uint16(1) << 14
	var app, idx, t table
	app.put(byte(0), picture)
	app.zeros(32)
	idx.put(hdmv, uint16(0), uint16(0), uint32(0))   // first playback: a movie object, of kind movie
	idx.put(hdmv, interactive, uint16(0), uint32(0)) // top menu
	idx.put(uint16(titles))
	for n := range titles {
		idx.put(hdmv, uint16(0), uint16(n+1), uint32(0))
	}
	t.put("INDX0200", uint32(78), uint32(0))
	t.zeros(24)
	t.put(measured(&app), measured(&idx))
	return t.Bytes()
}

// Commands of movie objects.
const (
	jumpTitle    = 0x21810000
	playPlaylist = 0x22800000
)

// objectTable is MovieObject.bdmv: one title after another, or for ever.
func objectTable(titles int, loop bool) []byte {
	var objects, t table
	object := func(commands ...uint32) {
		objects.put(uint16(0), uint16(len(commands)/2))
		for i := 0; i < len(commands); i += 2 {
			objects.put(commands[i], commands[i+1], uint32(0))
		}
	}
	objects.put(uint32(0), uint16(titles+1))
	object(jumpTitle, 1)
	for n := 1; n <= titles; n++ {
		switch {
		case n < titles:
			object(playPlaylist, uint32(n), jumpTitle, uint32(n+1))
		case loop:
			object(playPlaylist, uint32(n), jumpTitle, 1)
		default:
			object(playPlaylist, uint32(n))
		}
	}
	t.put("MOBJ0200", uint32(0))
	t.zeros(28)
	t.put(measured(&objects))
	return t.Bytes()
}

// stream is what a transport stream was found to hold.
type stream struct {
	packets    uint32
	first      int64 // presentation time of its first picture, at 90 kHz
	entries    []entry
	words      bool
	recordRate uint32
}

// entry is a picture that can be begun with.
type entry struct {
	pts    int64 // at 90 kHz
	packet uint32
}

// packetSize is a packet of a transport stream with 4 bytes of arrival time
// before it.
const packetSize = 192

// scan reads a transport stream for the pictures that can be begun with.
func scan(path string) (s stream, err error) {
	f, err := os.Open(path)
	if err != nil {
		return s, err
	}
	defer f.Close()
	r := bufio.NewReaderSize(f, 1<<20)
	p := make([]byte, packetSize)
	s.first = -1
	for ; ; s.packets++ {
		if _, err := io.ReadFull(r, p); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return s, fmt.Errorf("%s is no whole transport stream: %w", filepath.Base(path), err)
		}
		b := p[4:]
		if b[0] != 0x47 {
			return s, fmt.Errorf("%s is no transport stream with arrival times", filepath.Base(path))
		}
		pid := int(b[1]&0x1f)<<8 | int(b[2])
		s.words = s.words || pid == pidWords
		if pid != pidVideo || b[1]&0x40 == 0 {
			continue
		}
		at, random := 4, false
		if b[3]&0x20 != 0 {
			random = b[4] > 0 && b[5]&0x40 != 0
			at += 1 + int(b[4])
		}
		pes := b[at:]
		if len(pes) < 14 || pes[7]&0x80 == 0 {
			continue
		}
		pts := int64(pes[9]>>1&7)<<30 | int64(pes[10])<<22 | int64(pes[11]>>1)<<15 | int64(
			pes[12])<<7 | int64(pes[13]>>1)
		if s.first < 0 || pts < s.first {
			s.first = pts
		}
		if random {
			s.entries = append(s.entries, entry{pts, s.packets})
		}
	}
	if len(s.entries) == 0 {
		return s, fmt.Errorf("%s has no picture to begin with", filepath.Base(path))
	}
	return s, nil
}

// attributes are a stream's in clip and playlist tables.
func attributes(codec byte, rest ...byte) []byte { return append([]byte{codec}, rest...) }

// clipTable is a clip's table: what its stream holds and where it can be begun.
func clipTable(s stream, picture byte, lang string, end uint32) []byte {
	var info, seq, prog, cpi table
	info.put(uint16(0), byte(1), byte(1), uint32(0), s.recordRate, s.packets)
	info.zeros(128)
	var kind table
	kind.put(byte(0x80), "HDMV")
	kind.zeros(25)
	info.put(measured16(&kind))
	seq.put(byte(0), byte(1), uint32(0), byte(1), byte(0), uint16(pidPCR), uint32(0), uint32(s.first/2), end)
	streams := 2
	if s.words {
		streams = 3
	}
	prog.put(byte(0), byte(1), uint32(0), uint16(pidPMT), byte(streams), byte(0))
	coding := func(pid uint16, a []byte) {
		prog.put(pid, byte(21), a)
		prog.zeros(21 - len(a))
	}
	coding(pidVideo, attributes(codecH264, picture, 0x30)) // 16:9
	coding(pidAudio, append(attributes(codecAC3, stereo48), lang...))
	if s.words {
		coding(pidWords, append(attributes(codecPGS), lang...))
	}
	cpi.put(uint16(1), entryMap(s.entries))
	var t table
	at := uint32(40 + 4 + info.Len())
	t.put("HDMV0200", at, at+uint32(4+seq.Len()), at+uint32(8+seq.Len()+prog.Len()), at+
		uint32(12+seq.Len()+prog.Len()+cpi.Len()), uint32(0))
	t.zeros(12)
	t.put(measured(&info), measured(&seq), measured(&prog), measured(&cpi), uint32(0))
	return t.Bytes()
}

// entryMap is the map from times to packets: coarse entries of the upper bits,
// fine ones of the lower.
func entryMap(entries []entry) []byte {
	var coarse, fine table
	last, coarses := int64(-1), 0
	for i, e := range entries {
		pts := e.pts / 2 // at 45 kHz
		if up := pts>>18<<15 | int64(e.packet>>17); up != last {
			last = up
			coarse.put(uint32(i)<<14|uint32(pts>>18)&0x3fff, e.packet)
			coarses++
		}
		fine.put(uint32(1)<<28 | uint32(pts>>8&0x7ff)<<17 | e.packet&0x1ffff)
	}
	var t table
	// One stream: its number, kind and counts take 48 bits.
	t.put(byte(0), byte(1), uint16(pidVideo))
	counts := uint64(1)<<34 | uint64(coarses)<<18 | uint64(len(entries))
	t.put(uint16(counts>>32), uint32(counts), uint32(14))
	t.put(uint32(4+coarse.Len()), coarse.Bytes(), fine.Bytes())
	return t.Bytes()
}

// playlistTable plays a clip, with marks at chapters.
func playlistTable(clip string, s stream, picture byte, lang string, end uint32, marks []uint32) []byte {
	entryOf := func(pid uint16) []byte {
		var e table
		e.put(byte(9), byte(1), pid)
		e.zeros(6)
		return e.Bytes()
	}
	with := func(a []byte) []byte { return append([]byte{byte(len(a))}, a...) }
	var app, stn, item, list, mark, t table
	app.put(byte(0), byte(1), uint16(0))
	app.zeros(8)
	app.put(uint16(0))
	words := byte(0)
	if s.words {
		words = 1
	}
	stn.put(uint16(0), byte(1), byte(1), words, byte(0), byte(0), byte(0), byte(0))
	stn.zeros(5)
	stn.put(entryOf(pidVideo), with(attributes(codecH264, picture, 0, 0, 0)))
	stn.put(entryOf(pidAudio), with(append(attributes(codecAC3, stereo48), lang...)))
	if s.words {
		stn.put(entryOf(pidWords), with(append(append(attributes(codecPGS), lang...), 0)))
	}
	item.put(clip, "M2TS", uint16(1), byte(0), uint32(s.first/2), end)
	item.zeros(8)
	item.put(byte(0), byte(0), uint16(0), measured16(&stn))
	list.put(uint16(0), uint16(1), uint16(0), measured16(&item))
	mark.put(uint16(len(marks)))
	for _, m := range marks {
		mark.put(byte(0), byte(1), uint16(0), m, uint16(0xffff), uint32(0))
	}
	t.put("MPLS0200", uint32(58), uint32(58+4+list.Len()), uint32(0))
	t.zeros(20)
	t.put(measured(&app), measured(&list), measured(&mark))
	return t.Bytes()
}

// BDMV makes an HD disc that plays without a menu: the first film when it is put
// in, then one after another, with chapters and subtitles. It is an image with
// UDF and, if folder is not empty, the disc's folders there. Nothing is left
// under either name on an error.
func BDMV(ctx context.Context, s Spec, out, folder string) error {
	if len(s.Titles) == 0 {
		return errors.New("there is no film for the disc")
	}
	if len(s.Titles) > 999 {
		return fmt.Errorf("a disc has room for 999 films, not %d", len(s.Titles))
	}
	dir, err := temp(out)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	tree := filepath.Join(dir, "disc")
	for _, d := range []string{"PLAYLIST", "CLIPINF", "STREAM", "AUXDATA", "META", "BDJO", "JAR",
		"BACKUP/PLAYLIST", "BACKUP/CLIPINF", "../CERTIFICATE/BACKUP"} {
		if err := os.MkdirAll(filepath.Join(tree, "BDMV", d), 0o755); err != nil {
			return err
		}
	}
	// Each table lies on the disc twice.
	write := func(name string, b []byte) error {
		return errors.Join(os.WriteFile(filepath.Join(tree, "BDMV", name), b, 0o644),
			os.WriteFile(filepath.Join(tree, "BDMV", "BACKUP", name), b, 0o644))
	}
	w, h := s.Profile.Frame(1920, 1080)
	picture, err := format(min(w, h), s.Profile.Rate)
	if err != nil {
		return err
	}
	lang := threeLetters(s.Language)
	for i, t := range s.Titles {
		clip := fmt.Sprintf("%05d", i+1)
		to := filepath.Join(tree, "BDMV", "STREAM", clip+".m2ts")
		if err := s.streamOf(ctx, t, dir, to, w, h, lang); err != nil {
			return err
		}
		st, err := scan(to)
		if err != nil {
			return err
		}
		st.recordRate = 6_000_000 // 48 Mbit/s, the most there is
		at := func(n timecode.Frames) uint32 {
			return uint32(st.first/2 + int64(t.Rate.Seconds(n)*clock45+0.5))
		}
		chapters := t.Chapters
		if len(chapters) == 0 {
			chapters = []plan.Chapter{{}}
		}
		var marks []uint32
		for _, c := range chapters {
			marks = append(marks, at(c.At))
		}
		if err := write("CLIPINF/"+clip+".clpi", clipTable(st, picture, lang, at(t.Frames))); err != nil {
			return err
		}
		if err := write("PLAYLIST/"+clip+".mpls", playlistTable(clip, st, picture, lang, at(t.Frames),
			marks)); err != nil {
			return err
		}
	}
	if err := errors.Join(write("index.bdmv", indexTable(len(s.Titles), picture)),
		write("MovieObject.bdmv", objectTable(len(s.Titles), s.Loop))); err != nil {
		return err
	}
	return s.finish(ctx, tree, out, folder, "-udf", "-allow-limited-size")
}

// streamOf puts a film's stream on the disc, with its captions as subtitles.
func (s *Spec) streamOf(ctx context.Context, t Title, dir, to string, w, h int, lang string) error {
	if s.Subtitles == nil || len(t.Lines) == 0 {
		return Link(t.File, to)
	}
	sup := filepath.Join(dir, "words.sup")
	b, err := s.presentation(t, w, h)
	if err != nil {
		return err
	}
	if err := os.WriteFile(sup, b, 0o600); err != nil {
		return err
	}
	return run(ctx, "", nil, nil, "ffmpeg", "-v", "error", "-nostdin", "-y", "-i", t.File, "-i", sup, "-map",
		"0:v", "-map", "0:a", "-map", "1:s", "-c", "copy",
		"-metadata:s:a:0", "language="+lang, "-metadata:s:s:0", "language="+lang, "-mpegts_m2ts_mode", "1",
		"-f", "mpegts", to)
}
