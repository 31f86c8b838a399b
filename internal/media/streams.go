package media

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
)

// Stream is what ffprobe says of one stream of a file, its packets counted.
type Stream struct {
	Type, Codec string
	W, H        int
	Shown       profile.Shape // of pictures whose pixels are not square
	Rate        timecode.Rate
	Packets     timecode.Frames // one a frame for picture streams
	Seconds     float64         // of streams that do not say, the file's
	ColourSpace string
	ColourRange string
	Transfer    string
	Primaries   string
	Pixels      string
	Poster      bool // a picture that stands for the file
	Language    string
}

// Streams lists the streams of a finished film.
func Streams(ctx context.Context, path string) ([]Stream, error) {
	p, err := ffprobe(ctx, probeAll, probing(path, decodeSeconds), path, "-count_packets")
	if err != nil {
		return nil, err
	}
	var out []Stream
	for _, s := range p.Streams {
		st := Stream{
			Type:        s.CodecType,
			Codec:       s.CodecName,
			W:           s.Width,
			H:           s.Height,
			ColourSpace: s.ColourSpace,
			ColourRange: s.ColourRange,
			Transfer:    s.Transfer,
			Primaries:   s.Primaries,
			Pixels:      s.PixFmt,
			Poster:      s.Disposition["attached_pic"] == 1,
			Language:    s.Tags["language"],
		}
		n, err := strconv.ParseInt(cmp.Or(s.Packets, "0"), 10, 64)
		if err != nil {
			return nil, fmt.Errorf("ffprobe counted %q packets", s.Packets)
		}
		st.Packets = timecode.Frames(n)
		if st.Seconds, err = lasts(s, p.Format.Duration); err != nil && (st.Type == "audio" ||
			st.Type == "video" && !st.Poster) {
			return nil, err
		}
		if st.Type == "video" {
			if _, err := fmt.Sscanf(s.Rate, "%d/%d", &st.Rate.Num, &st.Rate.Den); err != nil {
				return nil, fmt.Errorf("ffprobe measured a frame rate of %q", s.Rate)
			}
			if s.SAR != "" && s.SAR != "1:1" && s.SAR != "0:1" {
				if _, err := fmt.Sscanf(s.DAR, "%d:%d", &st.Shown.W, &st.Shown.H); err != nil {
					return nil, fmt.Errorf("ffprobe measured a shape of %q", s.DAR)
				}
			}
		}
		out = append(out, st)
	}
	return out, nil
}

// lasts is how long a stream lasts, as it says itself, in Matroska by a tag;
// else the file's. Pictures by themselves last no time.
func lasts(s probedStream, file string) (float64, error) {
	if v, err := strconv.ParseFloat(s.Duration, 64); err == nil {
		return v, nil
	}
	var h, m int
	var sec float64
	if n, _ := fmt.Sscanf(s.Tags["DURATION"], "%d:%d:%f", &h, &m, &sec); n == 3 {
		return float64(h*3600+m*60) + sec, nil
	}
	if v, err := strconv.ParseFloat(file, 64); err == nil {
		return v, nil
	}
	if s.CodecName == "mjpeg" || s.CodecName == "png" {
		return 0, nil
	}
	return 0, fmt.Errorf("ffprobe measured durations of %q and %q", s.Duration, file)
}

// FrameTimes lists when each frame of a file's picture is shown, in seconds,
// in order.
func FrameTimes(ctx context.Context, path string) ([]float64, error) {
	out, err := output(ctx, probeAll, probing(path, decodeSeconds), "ffprobe", "-v", "error",
		"-select_streams", "v:0", "-show_entries", "packet=pts_time", "-of", "csv=p=0", "file:"+path)
	if err != nil {
		return nil, err
	}
	var times []float64
	for _, line := range strings.Fields(string(out)) {
		v, err := strconv.ParseFloat(strings.Trim(line, ","), 64)
		if err != nil {
			return nil, fmt.Errorf("ffprobe told a time of %q", line)
		}
		times = append(times, v)
	}
	slices.Sort(times)
	return times, nil
}
