package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"strings"
	"time"

	"nelko/internal/cage"
)

// formats are the containers that clients' clips and songs may come in, by
// the names of ffmpeg's demuxers. Anything else, above all lists that name
// other files or addresses, is not opened at all.
var formats = strings.Join([]string{
	"mov", "mp4", "m4a", "3gp", "3g2", "mj2", "matroska", "webm", "avi", "asf", "flv", "mpeg", "mpegts",
	"mpegvideo", "m4v", "mxf", "dv", "h264", "hevc", "gif",
	"mp3", "wav", "w64", "flac", "ogg", "aac", "aiff", "au", "caf", "amr", "amrnb", "amrwb", "ac3", "eac3",
	"wv", "tta", "ape", "mpc", "mpc8",
}, ",")

// local keeps ffmpeg and ffprobe from following references in hostile files:
// only files are read, and only as one of the known formats.
var local = []string{"-protocol_whitelist", "file,pipe", "-format_whitelist", formats}

// Limits of child processes that read clients' files.
const (
	probeLimit = 30 * time.Second // ffprobe's look at one file
	frameLimit = 60 * time.Second // one frame of a clip
	probeAll   = 15 * time.Minute // everything about one file, decoding a whole song included
	quietLimit = 60 * time.Second // a decoder that gives nothing for so long is taken for stuck
	afterKill  = 2 * time.Second  // what is waited for once a child was killed

	// The memory of a decoder. Frames larger than those of most cameras need
	// more, as decoders hold several.
	decoderMemory = 640 << 20
	largeMemory   = 1600 << 20
	largeFrame    = 4096 * 2304 // pixels

	// Processor time: seconds for a look at a file, and for decoding one to its
	// end, which long clips in films need.
	lookSeconds   = 60
	decodeSeconds = 4 * 3600
)

// errStuck means that a decoder gave nothing for too long.
var errStuck = fmt.Errorf("nothing came of it for %.0f s", quietLimit.Seconds())

// child is a command in a cage that ends with ctx and with this process,
// whatever it is doing.
func child(ctx context.Context, c cage.Cage, name string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.WaitDelay = afterKill
	if c.Free {
		return cage.WithParent(cmd)
	}
	return cage.Command(cmd, c)
}

// noCage is for programs that see no client's file.
var noCage = cage.Cage{Free: true}

// probing is the cage of a program that looks at a file.
func probing(path string, seconds uint64) cage.Cage {
	return cage.Cage{Memory: decoderMemory, Seconds: seconds, Read: []string{path}}
}

// decoding is the cage of a program that decodes frames of so many pixels; 0
// of a clip that was taken once, whatever its size.
func decoding(path string, seconds uint64, pixels int) cage.Cage {
	c := probing(path, seconds)
	if pixels == 0 || pixels > largeFrame {
		c.Memory = largeMemory
	}
	return c
}

// output runs a child within a limit and gives what it writes, at most
// mostOutput bytes.
func output(ctx context.Context, limit time.Duration, c cage.Cage, name string, args ...string) ([]byte,
	error) {
	ctx, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%s was not done within %.0f s", name,
		limit.Seconds()))
	defer cancel()
	var stderr, stdout short
	stdout.most, stderr.most = mostOutput, mostWords
	cmd := child(ctx, c, name, args...)
	cmd.Stderr, cmd.Stdout = &stderr, &stdout
	err := cmd.Run()
	if err != nil && ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	if err == nil && stdout.over {
		err = errors.New("it says too much")
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %s: %w", name, lastLine(stderr.String()), err)
	}
	return stdout.Bytes(), nil
}

// What is taken of a child's output: of what it tells of a file, and of what
// it complains of.
const (
	mostOutput = 64 << 20
	mostWords  = 64 << 10
)

// short is a buffer that keeps no more than so many bytes.
type short struct {
	bytes.Buffer
	most int
	over bool
}

// Write implements io.Writer. What is too much is let go.
func (s *short) Write(p []byte) (int, error) {
	if room := s.most - s.Len(); room < len(p) {
		s.over = true
		s.Buffer.Write(p[:max(0, room)])
		return len(p), nil
	}
	return s.Buffer.Write(p)
}

// watched reads from a child and ends it when it gives nothing for quiet.
// Time in which nobody reads does not count.
type watched struct {
	r     io.Reader
	quiet time.Duration
	end   context.CancelCauseFunc
	ctx   context.Context
}

// Read implements io.Reader.
func (w *watched) Read(p []byte) (int, error) {
	timer := time.AfterFunc(w.quiet, func() { w.end(errStuck) })
	n, err := w.r.Read(p)
	timer.Stop()
	if err != nil && errors.Is(context.Cause(w.ctx), errStuck) {
		err = errStuck
	}
	return n, err
}
