package media

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"nelko/internal/core/timecode"
)

// Stream is what ffprobe says of one stream of a file, its packets counted.
type Stream struct {
	Type, Codec string
	W, H        int
	Rate        timecode.Rate
	Packets     timecode.Frames // one a frame for picture streams
	Seconds     float64
	ColourSpace string
	ColourRange string
}

// Streams lists the streams of a finished film.
func Streams(ctx context.Context, path string) ([]Stream, error) {
	p, err := ffprobe(ctx, probeAll, path, "-count_packets")
	if err != nil {
		return nil, err
	}
	var out []Stream
	for _, s := range p.Streams {
		st := Stream{Type: s.CodecType, Codec: s.CodecName, W: s.Width, H: s.Height, ColourSpace: s.ColourSpace, ColourRange: s.ColourRange}
		n, err := strconv.ParseInt(s.Packets, 10, 64)
		if err != nil {
			return nil, fmt.Errorf("ffprobe counted %q packets", s.Packets)
		}
		st.Packets = timecode.Frames(n)
		if st.Seconds, err = strconv.ParseFloat(s.Duration, 64); err != nil {
			return nil, fmt.Errorf("ffprobe measured a duration of %q", s.Duration)
		}
		if st.Type == "video" {
			if _, err := fmt.Sscanf(s.Rate, "%d/%d", &st.Rate.Num, &st.Rate.Den); err != nil {
				return nil, fmt.Errorf("ffprobe measured a frame rate of %q", s.Rate)
			}
		}
		out = append(out, st)
	}
	return out, nil
}

// FrameTimes lists when each frame of a file's picture is shown, in seconds,
// in order.
func FrameTimes(ctx context.Context, path string) ([]float64, error) {
	out, err := output(ctx, probeAll, "ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries", "packet=pts_time", "-of", "csv=p=0", "file:"+path)
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
