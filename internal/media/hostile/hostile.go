// Package hostile makes files that were made to harm whoever reads them: ones
// that say more than they hold, that take memory or time without end, or that
// name other files and addresses. scripts/hostile writes them into a folder; the
// tests send them in.
package hostile

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"context"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// File is a hostile file.
type File struct {
	Name  string
	Does  string // what it was made to do
	Ready bool   // it is odd, but can be used
	make  func(ctx context.Context, path string) error
}

// Path is where the file is in a folder it was made in.
func (f File) Path(dir string) string { return filepath.Join(dir, f.Name) }

// Files are all of them.
func Files() []File {
	return []File{
		{
			Name: "live.mp4",
			Does: "is a list of addresses that never ends (RFC 8216)",
			make: text("#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXT-X-MEDIA-SEQUENCE:1\n#EXTINF:9,\nhttp://127.0.0.1:9/a.ts\n"),
		},
		{
			Name: "dynamic.mp4",
			Does: "is a list that is to be fetched again and again (ISO/IEC 23009-1)",
			make: text(`<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="dynamic" availabilityStartTime="2026-01-01T00:00:00Z" minimumUpdatePeriod="PT2S" profiles="urn:mpeg:dash:profile:isoff-live:2011"><Period><AdaptationSet><SegmentTemplate media="$Number$.m4s" initialization="i.mp4" duration="2"/><Representation id="a" bandwidth="1" mimeType="video/mp4"/></AdaptationSet></Period></MPD>`),
		},
		{
			Name: "list.mp3",
			Does: "names a file of the machine",
			make: text("ffconcat version 1.0\nfile /etc/passwd\n"),
		},
		{
			Name:  "address.svg",
			Does:  "names a file and an address",
			Ready: true,
			make:  text(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="400" height="300"><image xlink:href="file:///etc/passwd" width="100" height="100"/><image xlink:href="http://127.0.0.1:9/a.png" width="100" height="100"/><rect width="400" height="300" fill="red"/></svg>`),
		},
		{Name: "entities.svg", Does: "is 3 GB once its entities are replaced", make: text(entities())},
		{Name: "use.svg", Does: "draws one line a thousand million times", make: text(nested(9, 10))},
		{Name: "turbulence.svg", Does: "draws noise for minutes", make: text(turbulence())},
		{
			Name:  "vast.svg",
			Does:  "says it is 10⁹ pixels wide",
			Ready: true,
			make:  text(`<svg xmlns="http://www.w3.org/2000/svg" width="1000000000" height="1000000000"><rect width="10" height="10"/></svg>`),
		},
		{
			Name: "script.jpg",
			Does: "is a script for a reader of pictures that runs scripts",
			make: text(`<?xml version="1.0"?><image><read filename="/etc/passwd"/><write filename="/tmp/out.png"/></image>`),
		},
		{Name: "interlaced.png", Does: "is 2.4 GB once decoded, all at once", make: interlaced(19900)},
		{Name: "progressive.jpg", Does: "is 1.2 GB while it is decoded", make: progressive(20000)},
		{Name: "claims.jpg", Does: "says 19,999×19,999 and holds 1200×800", make: claims},
		{Name: "flat.webp", Does: "is 1 GB once decoded, of 50 bytes", make: flatWebP},
		{Name: "strip.tif", Does: "is one strip of 600 MB", Ready: true, make: strip(10000)},
		{Name: "canvas.gif", Does: "says 65,535×65,535", Ready: true, make: canvas},
		{Name: "frames.gif", Does: "has 20,000 frames", Ready: true, make: frames},
		{Name: "claims.avif", Does: "says 16,384×16,384 and holds 64×64", make: claimsAVIF},
		{Name: "bomb.jpg", Does: "is a zip of 1 GB in 1 MB", make: zipped},
		{Name: "hertz.wav", Does: "says one sample a second: 5 hours", make: wav(1, 2, 20000, 80000)},
		{
			Name:  "endless.wav",
			Does:  "says it has 4 GB of sound and holds a second",
			Ready: true,
			make:  wav(44100, 2, 44100, 0xffffffff-36),
		},
		{Name: "eight.wav", Does: "has eight channels", Ready: true, make: wav(48000, 8, 48000, 0)},
		{Name: "channels.wav", Does: "says it has 60,000 channels", make: wav(48000, 60000, 2, 0)},
		{
			Name: "large.mov",
			Does: "has frames of 16,000×16,000",
			make: ffmpeg("color=red:s=16000x16000:r=1:d=1", "-frames:v", "1", "-c:v", "mjpeg", "-q:v", "31"),
		},
		{Name: "longest.mp4", Does: "says it lasts for years", Ready: true, make: years},
		{Name: "empty.jpg", Does: "is empty", make: text("")},
		{
			Name: "noise.mp4",
			Does: "begins like a clip and goes on like nothing",
			make: func(_ context.Context, path string) error {
				b := append([]byte{0, 0, 0, 24}, "ftypisom\x00\x00\x02\x00isomiso2\x7f\xff\xff\xffmoov"...)
				for i := range 100000 {
					b = append(b, byte(i*i>>3))
				}
				return write(path, b)
			},
		},
	}
}

// Make makes all of them in a folder.
func Make(ctx context.Context, dir string) error {
	for _, f := range Files() {
		if err := f.make(ctx, f.Path(dir)); err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	return nil
}

func write(path string, b []byte) error { return os.WriteFile(path, b, 0o600) }

func text(s string) func(context.Context, string) error {
	return func(_ context.Context, path string) error { return write(path, []byte(s)) }
}

func entities() string {
	var b strings.Builder
	b.WriteString("<?xml version=\"1.0\"?><!DOCTYPE svg [<!ENTITY a0 \"lol\">")
	for i := 1; i < 10; i++ {
		fmt.Fprintf(&b, `<!ENTITY a%d "%s">`, i, strings.Repeat(fmt.Sprintf("&a%d;", i-1), 10))
	}
	b.WriteString(`]><svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><text y="50">&a9;</text></svg>`)
	return b.String()
}

func nested(levels, each int) string {
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="400" height="300"><defs><path id="g0" d="M0 0L9 9"/>`)
	for i := 1; i <= levels; i++ {
		fmt.Fprintf(&b, `<g id="g%d">%s</g>`, i, strings.Repeat(fmt.Sprintf(`<use xlink:href="#g%d"/>`, i-1),
			each))
	}
	fmt.Fprintf(&b, `</defs><use xlink:href="#g%d"/></svg>`, levels)
	return b.String()
}

func turbulence() string {
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" width="4000" height="4000"><filter id="f" x="0" y="0" width="1" height="1">`)
	for i := range 80 {
		fmt.Fprintf(&b, `<feTurbulence type="turbulence" baseFrequency="0.%02d" numOctaves="9" result="r%d"/>`, i+11, i)
	}
	b.WriteString(`</filter><rect width="4000" height="4000" filter="url(#f)"/></svg>`)
	return b.String()
}

// zeros is so many zero bytes, deflated (RFC 1951), of blocks that are all
// alike, so that gigabytes are made in no time.
func zeros(n int64) []byte {
	const piece = 1 << 20
	deflate := func(n int64, last bool) []byte {
		var b bytes.Buffer
		w, err := flate.NewWriter(&b, flate.BestCompression)
		if err != nil {
			panic(err) // the level is one that there is
		}
		_, _ = w.Write(make([]byte, n)) // into memory
		if last {
			_ = w.Close()
		} else {
			_ = w.Flush()
		}
		return b.Bytes()
	}
	out := bytes.Repeat(deflate(piece, false), int(n/piece))
	return append(out, deflate(n%piece, true)...)
}

// zlibZeros is zeros as RFC 1950 has it. The check of zeros is their number.
func zlibZeros(n int64) []byte {
	out := append([]byte{0x78, 0xda}, zeros(n)...)
	return binary.BigEndian.AppendUint32(out, uint32(n%65521)<<16|1)
}

// interlaced is a black PNG of 16 bits and three colours, with Adam7.
func interlaced(side int64) func(context.Context, string) error {
	return func(_ context.Context, path string) error {
		out := []byte("\x89PNG\r\n\x1a\n")
		chunk := func(kind string, b []byte) {
			out = binary.BigEndian.AppendUint32(out, uint32(len(b)))
			from := len(out)
			out = append(append(out, kind...), b...)
			out = binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[from:]))
		}
		head := binary.BigEndian.AppendUint32(nil, uint32(side))
		head = binary.BigEndian.AppendUint32(head, uint32(side))
		chunk("IHDR", append(head, 16, 2, 0, 0, 1))
		size := int64(0)
		// PNG, 8.2
		for _, p := range [][4]int64{{0, 0, 8, 8}, {4, 0, 8, 8}, {0, 4, 4, 8}, {2, 0, 4, 4}, {0, 2, 2, 4},
			{1, 0, 2, 2}, {0, 1, 1, 2}} {
			w, h := (side-p[0]+p[2]-1)/p[2], (side-p[1]+p[3]-1)/p[3]
			size += h * (1 + w*6)
		}
		chunk("IDAT", zlibZeros(size))
		chunk("IEND", nil)
		return write(path, out)
	}
}

// progressive is a grey JPEG whose first scan tells the brightness of each
// block, and that has no other (ITU-T T.81, G).
func progressive(side int) func(context.Context, string) error {
	return func(_ context.Context, path string) error {
		out := []byte{0xff, 0xd8, 0xff, 0xdb, 0, 67, 0}
		out = append(out, bytes.Repeat([]byte{16}, 64)...)
		out = append(out, 0xff, 0xc2, 0, 17, 8, byte(side>>8), byte(side), byte(side>>8), byte(side), 3, 1,
			0x11, 0, 2, 0x11, 0, 3, 0x11, 0)
		out = append(out, 0xff, 0xc4, 0, 20, 0, 1) // one code, of one bit, for no difference
		out = append(append(out, make([]byte, 15)...), 0)
		out = append(out, 0xff, 0xda, 0, 12, 3, 1, 0, 2, 0, 3, 0, 0, 0, 0)
		blocks := (side + 7) / 8
		out = append(out, make([]byte, blocks*blocks*3/8+1)...)
		return write(path, append(out, 0xff, 0xd9))
	}
}

func photo(w, h int) []byte {
	im := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			im.Set(x, y, color.RGBA{byte(x * y >> 4), byte(x ^ y), byte(x + 3*y), 255})
		}
	}
	var b bytes.Buffer
	_ = jpeg.Encode(&b, im, nil) // into memory
	return b.Bytes()
}

func claims(_ context.Context, path string) error {
	b := photo(1200, 800)
	at := bytes.Index(b, []byte{0xff, 0xc0})
	binary.BigEndian.PutUint16(b[at+5:], 19999)
	binary.BigEndian.PutUint16(b[at+7:], 19999)
	return write(path, b)
}

// flatWebP is a lossless WebP in which every pixel is the same and takes no
// bits (RFC 9649, 3.7.2.1.1: codes of one symbol).
func flatWebP(_ context.Context, path string) error {
	var bits, n uint64
	var data []byte
	put := func(v uint64, count int) {
		bits |= v << n
		for n += uint64(count); n >= 8; n -= 8 {
			data = append(data, byte(bits))
			bits >>= 8
		}
	}
	put(0x2f, 8)
	put(16382, 14)
	put(16382, 14)
	put(0, 1+3)   // no alpha, version 0
	put(0, 1+1+1) // no transform, no colour cache, one group of codes
	for range 5 {
		put(1, 1) // a simple code
		put(0, 1) // of one symbol
		put(0, 1) // which is one bit
		put(0, 1) // and nought
	}
	put(0, 16)
	if len(data)%2 == 1 {
		data = append(data, 0)
	}
	out := append([]byte("RIFF"), binary.LittleEndian.AppendUint32(nil, uint32(12+len(data)))...)
	out = append(out, "WEBPVP8L"...)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(data)))
	return write(path, append(out, data...))
}

// strip is a black TIFF of 16 bits and three colours, in one strip (TIFF 6.0,
// with Adobe's deflate, compression 8).
func strip(side uint32) func(context.Context, string) error {
	return func(_ context.Context, path string) error {
		data := zlibZeros(int64(side) * int64(side) * 6)
		out := append([]byte("II*\x00"), 0, 0, 0, 0)
		bits := len(out)
		out = append(out, 16, 0, 16, 0, 16, 0)
		from := len(out)
		out = append(out, data...)
		if len(out)%2 == 1 {
			out = append(out, 0)
		}
		binary.LittleEndian.PutUint32(out[4:], uint32(len(out)))
		fields := [][3]uint32{{256, 4, side}, {257, 4, side}, {258, 3, uint32(bits)}, {259, 3, 8},
			{262, 3, 2}, {273, 4, uint32(from)}, {277, 3, 3}, {278, 4, side}, {279, 4, uint32(len(data))},
			{284, 3, 1}}
		out = binary.LittleEndian.AppendUint16(out, uint16(len(fields)))
		for _, f := range fields {
			count := uint32(1)
			if f[0] == 258 {
				count = 3
			}
			out = binary.LittleEndian.AppendUint16(out, uint16(f[0]))
			out = binary.LittleEndian.AppendUint16(out, uint16(f[1]))
			out = binary.LittleEndian.AppendUint32(out, count)
			out = binary.LittleEndian.AppendUint32(out, f[2])
		}
		return write(path, append(out, 0, 0, 0, 0))
	}
}

func canvas(_ context.Context, path string) error {
	var b bytes.Buffer
	im := image.NewPaletted(image.Rect(0, 0, 8, 8), color.Palette{color.Black, color.White})
	if err := gif.Encode(&b, im, nil); err != nil {
		return err
	}
	out := b.Bytes()
	copy(out[6:], []byte{0xff, 0xff, 0xff, 0xff})
	return write(path, out)
}

func frames(_ context.Context, path string) error {
	var g gif.GIF
	for i := range 20000 {
		im := image.NewPaletted(image.Rect(0, 0, 16, 16), color.Palette{color.Black, color.White})
		im.Pix[i%256] = 1
		g.Image, g.Delay = append(g.Image, im), append(g.Delay, 1)
	}
	var b bytes.Buffer
	if err := gif.EncodeAll(&b, &g); err != nil {
		return err
	}
	return write(path, b.Bytes())
}

func ffmpeg(source string, args ...string) func(context.Context, string) error {
	return func(ctx context.Context, path string) error {
		args := append(append([]string{"-v", "error", "-nostdin", "-y", "-f", "lavfi", "-i", source},
			args...), path)
		if out, err := exec.CommandContext(ctx, "ffmpeg", args...).CombinedOutput(); err != nil {
			return fmt.Errorf("%s: %w", out, err)
		}
		return nil
	}
}

// patched changes what follows a mark in a file that ffmpeg makes.
func patched(ctx context.Context, path, mark string, at int, with []byte, source string,
	args ...string) error {
	if err := ffmpeg(source, args...)(ctx, path); err != nil {
		return err
	}
	b, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	found := bytes.Index(b, []byte(mark))
	if found < 0 || found+at+len(with) > len(b) {
		return fmt.Errorf("there is no %q", mark)
	}
	for found >= 0 {
		copy(b[found+at:], with)
		next := bytes.Index(b[found+4:], []byte(mark))
		if next < 0 {
			break
		}
		found += 4 + next
	}
	return write(path, b)
}

func claimsAVIF(ctx context.Context, path string) error {
	return patched(ctx, path, "ispe", 8, []byte{0, 0, 0x40, 0, 0, 0, 0x40, 0}, "testsrc2=s=64x64:d=1",
		"-frames:v", "1", "-c:v", "libaom-av1", "-still-picture", "1", "-cpu-used", "8", "-f", "avif")
}

// years is a clip whose track and film last for as long as 32 bits can say.
func years(ctx context.Context, path string) error {
	return patched(ctx, path, "mdhd", 20, []byte{0x7f, 0xff, 0xff, 0xff}, "testsrc2=s=64x64:d=1:r=10",
		"-pix_fmt", "yuv420p", "-video_track_timescale", "10")
}

func zipped(_ context.Context, path string) error {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	f, err := w.CreateRaw(&zip.FileHeader{
		Name:               "photo.jpg",
		Method:             zip.Deflate,
		UncompressedSize64: 1 << 30,
	})
	if err != nil {
		return err
	}
	if _, err := f.Write(zeros(1 << 30)); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	return write(path, b.Bytes())
}

// wav is silence of 16 bits that says to have so many bytes of sound; 0: as many
// as it has.
func wav(rate, channels uint32, samples int, claims uint32) func(context.Context, string) error {
	return func(_ context.Context, path string) error {
		data := make([]byte, samples*int(channels)*2)
		for i := range data {
			data[i] = byte(i * 7)
		}
		if claims == 0 {
			claims = uint32(len(data))
		}
		out := append([]byte("RIFF"), binary.LittleEndian.AppendUint32(nil, claims+36)...)
		out = append(out, "WAVEfmt \x10\x00\x00\x00\x01\x00"...)
		out = binary.LittleEndian.AppendUint16(out, uint16(channels))
		out = binary.LittleEndian.AppendUint32(out, rate)
		out = binary.LittleEndian.AppendUint32(out, rate*channels*2)
		out = binary.LittleEndian.AppendUint16(out, uint16(channels*2))
		out = binary.LittleEndian.AppendUint16(out, 16)
		out = append(out, "data"...)
		out = binary.LittleEndian.AppendUint32(out, claims)
		return write(path, append(out, data...))
	}
}
