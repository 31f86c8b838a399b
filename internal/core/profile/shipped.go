package profile

import "nelko/internal/core/timecode"

// H.264 High at 8 bits with AAC plays on anything (common practice, no
// source).
var (
	h264 = Video{Codec: "h264", Encoder: "libx264", Profile: "high", Pixels: "yuv420p", KeySeconds: 2}
	aac  = Audio{Codec: "aac", Encoder: "aac"}
	flac = Audio{Codec: "flac", Encoder: "flac"}
	pcm  = Audio{Codec: "pcm_s16le", Encoder: "pcm_s16le"}
	ac3  = Audio{Codec: "ac3", Encoder: "ac3"}

	mp4  = Container{Format: "mp4", Extension: "mp4", MIME: "video/mp4"}
	mov  = Container{Format: "mov", Extension: "mov", MIME: "video/quicktime"}
	webm = Container{Format: "webm", Extension: "webm", MIME: "video/webm"}
	mkv  = Container{Format: "matroska", Extension: "mkv", MIME: "video/x-matroska"}
	vob  = Container{Format: "dvd", Extension: "mpg", MIME: "video/mpeg"}
	m2ts = Container{Format: "mpegts", Extension: "m2ts", MIME: "video/mp2t"}
	mp3  = Container{Format: "mp3", Extension: "mp3", MIME: "audio/mpeg"}
	jpeg = Container{Format: "mjpeg", Extension: "jpg", MIME: "image/jpeg"}
)

// Plays reports whether browsers play files of the kind.
func (c Container) Plays() bool { return c.Format == mp4.Format || c.Format == webm.Format }

func with(v Video, preset string, crf int) Video {
	v.Preset, v.CRF = preset, crf
	return v
}

func at(a Audio, kbps int) Audio {
	a.Kbps = kbps
	return a
}

func loud(a Audio, lufs float64) Audio {
	a.LUFS = lufs
	return a
}

// discLUFS is the loudness of what is broadcast or played from discs (EBU R 128).
const discLUFS = -23

// usual is how the films that play anywhere are encoded: x264's preset
// superfast, with what slow films of zooms and dissolves gain by: bits kept for
// what stays in sight (macroblock tree over 20 frames), three pictures between
// those they lean on, and bits moved from busy to even parts, where bands would
// be seen (aq-mode 2). Measured by nelko bench encode.
var usual = tuned(with(h264, "superfast", 20), "mbtree=1:rc-lookahead=20:bframes=3:aq-mode=2")

func tuned(v Video, tuning string) Video {
	v.Tuning = tuning
	return v
}

// Film plays on anything: an MP4 whose index comes first, so that it starts
// before it is loaded. It has the slideshow's own frame.
var Film = Profile{
	Name:     "MP4",
	About:    "the slideshow's own frame, plays on anything",
	Rate:     timecode.R30,
	Video:    usual,
	Audio:    at(aac, 192),
	File:     mp4,
	Captions: Burnt,
}

// lines is an MP4 of so many lines.
func lines(name, about string, n, crf, kbps int) Profile {
	p := Film
	p.Name, p.About, p.Lines, p.Video.CRF, p.Audio.Kbps = name, about, n, crf, kbps
	return p
}

func shaped(p Profile, w, h int) Profile {
	p.Shape = Shape{w, h}
	return p
}

// dvd is a film for DVD-Video, whose bit rate the disc's budget sets. Frames
// are drawn with square pixels and kept in the disc's 720.
func dvd(name string, shape Shape, rate timecode.Rate, height int) Profile {
	// frames of a group of pictures at most; DVD-Video allows 18 of 30 a second, 15 of 25 (from memory)
	group := 15
	if rate != timecode.R25 {
		group = 18
	}
	return Profile{
		Name:   name,
		About:  "MPEG-2 and AC-3, for discs",
		Shape:  shape,
		Lines:  height,
		Rate:   rate,
		Stored: &Stored{Size{720, height}, shape},
		Video: Video{
			Codec:      "mpeg2video",
			Encoder:    "mpeg2video",
			Kbps:       6000,
			Passes:     2,
			MaxKbps:    8500,
			BufferKbit: 1835,
			Pixels:     "yuv420p",
			KeySeconds: (float64(group)) / rate.FPS(),
		},
		Audio:    loud(at(ac3, 192), discLUFS),
		File:     vob,
		Captions: None,
	}
}

var (
	wide   = Shape{16, 9}
	narrow = Shape{4, 3}
)

// The profiles discs are made with. MPEG-2 at up to 9.8 Mbit/s with a decoder
// buffer of 1,835,008 bits (MP@ML, ISO/IEC 13818-2, table 8-14); sound and
// subtitles need their share of the disc's 10.08 Mbit/s.
var (
	DVDPALWide    = dvd("DVD PAL 16:9", wide, timecode.R25, 576)
	DVDPALNarrow  = dvd("DVD PAL 4:3", narrow, timecode.R25, 576)
	DVDNTSCWide   = dvd("DVD NTSC 16:9", wide, timecode.R2997, 480)
	DVDNTSCNarrow = dvd("DVD NTSC 4:3", narrow, timecode.R2997, 480)

	// HDDisc is H.264 High at level 4.1 in four slices with a buffer of 30
	// Mbit and a group of pictures of at most a second, 1080 lines at 24 frames
	// a second, one of the few rates such discs know (from memory).
	HDDisc = Profile{
		Name:  "HD disc",
		About: "H.264 and AC-3, for high-definition discs",
		Shape: wide,
		Lines: 1080,
		Rate:  timecode.R24,
		Video: Video{
			Codec:      "h264",
			Encoder:    "libx264",
			Preset:     "veryfast",
			Kbps:       16000,
			Passes:     1,
			MaxKbps:    30000,
			BufferKbit: 30000,
			Profile:    "high",
			Pixels:     "yuv420p",
			KeySeconds: 1,
			Tuning:     "bluray-compat=1:level=4.1:slices=4:open-gop=0:bframes=3:ref=4:aud=1:nal-hrd=vbr:pic-struct=1",
		},
		Audio:    loud(at(ac3, 448), discLUFS),
		File:     m2ts,
		Captions: None,
	}
)

// MailBytes is what a film sent by mail may have at most.
const MailBytes = 25_000_000

// Shipped are the profiles a studio starts with, the usual one first.
var Shipped = []Profile{
	Film,
	lines("Phone 360", "small, for phones on a poor line", 360, 23, 96),
	lines("Phone 480", "for phones", 480, 22, 128),
	lines("Web 720", "for websites and tablets", 720, 21, 160),
	lines("Web 1080", "for websites and televisions", 1080, 20, 192),
	lines("Web 2160", "ultra-high definition", 2160, 20, 256),
	shaped(lines("Upright 1080", "for phones held upright", 1080, 20, 192), 9, 16),
	shaped(lines("Square 1080", "for feeds", 1080, 20, 192), 1, 1),
	{Name: "Mail", About: "at most 25 MB, to send by mail", Lines: 720, Rate: timecode.R25, Video: Video{
		Codec:      "h264",
		Encoder:    "libx264",
		Preset:     "medium",
		Kbps:       1500,
		Passes:     2,
		Profile:    "high",
		Pixels:     "yuv420p",
		KeySeconds: 4,
	},
		Audio: at(aac, 96), File: mp4, Captions: Burnt, MaxBytes: MailBytes},
	{Name: "Archive HEVC", About: "to keep: HEVC and lossless sound", Rate: timecode.R30, Video: Video{
		Codec:      "hevc",
		Encoder:    "libx265",
		Preset:     "fast",
		CRF:        18,
		Pixels:     "yuv420p10le",
		KeySeconds: 4,
	},
		Audio: flac, File: mkv, Captions: Track},
	{Name: "Archive AV1", About: "to keep: AV1 and lossless sound", Rate: timecode.R30, Video: Video{
		Codec:      "av1",
		Encoder:    "libsvtav1",
		Preset:     "8",
		CRF:        24,
		Pixels:     "yuv420p10le",
		KeySeconds: 4,
	},
		Audio: flac, File: mkv, Captions: Track},
	{Name: "Edit ProRes", About: "to go on cutting elsewhere", Rate: timecode.R25, Video: Video{
		Codec:      "prores",
		Encoder:    "prores_ks",
		Profile:    "hq",
		Pixels:     "yuv422p10le",
		KeySeconds: 1,
	},
		Audio: pcm, File: mov, Captions: Beside},
	{Name: "Edit DNxHR", About: "to go on cutting elsewhere", Rate: timecode.R25, Video: Video{
		Codec:      "dnxhd",
		Encoder:    "dnxhd",
		Profile:    "dnxhr_hq",
		Pixels:     "yuv422p",
		BT709:      true,
		KeySeconds: 1,
	},
		Audio: pcm, File: mov, Captions: Beside},
	{Name: "Open web", About: "WebM with VP9 and Opus", Lines: 720, Rate: timecode.R30, Video: Video{
		Codec:      "vp9",
		Encoder:    "libvpx-vp9",
		Preset:     "5",
		CRF:        32,
		Pixels:     "yuv420p",
		KeySeconds: 4,
	},
		Audio: Audio{Codec: "opus", Encoder: "libopus", Kbps: 128}, File: webm, Captions: Track},
	DVDPALWide, DVDPALNarrow, DVDNTSCWide, DVDNTSCNarrow, HDDisc,
	{
		Name:  "Sound",
		About: "the soundtrack alone",
		Kind:  OfSound,
		Rate:  timecode.R30,
		Audio: Audio{Codec: "mp3", Encoder: "libmp3lame", Kbps: 256},
		File:  mp3,
	},
	{
		Name:  "Poster",
		About: "the poster frame as a picture",
		Kind:  OfStill,
		Lines: 1080,
		Rate:  timecode.R30,
		File:  jpeg,
	},
	{
		Name:     "Teaser",
		About:    "fifteen seconds, with a fade of its own",
		Lines:    1080,
		Rate:     timecode.R30,
		Video:    usual,
		Audio:    at(aac, 192),
		File:     mp4,
		Captions: Burnt,
		Teaser:   &Teaser{From: 4, Seconds: 15, Fade: 0.7},
	},
}

// Proof is what clients look at before they approve: small, with the studio's
// watermark over it.
var Proof = Profile{
	Name:     "Proof",
	About:    "a draft for the client",
	Lines:    540,
	Rate:     timecode.R25,
	Video:    with(usual, "superfast", 25),
	Audio:    at(aac, 128),
	File:     mp4,
	Captions: Burnt,
}

// Named finds a shipped profile.
func Named(name string) (Profile, bool) {
	for _, p := range Shipped {
		if p.Name == name {
			return p, true
		}
	}
	return Profile{}, false
}
