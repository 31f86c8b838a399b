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
)

// formats are the containers that clients' clips and songs may come in, by
// the names of ffmpeg's demuxers. Anything else, above all lists that name
// other files or addresses, is not opened at all.
var formats = strings.Join([]string{
	"mov", "mp4", "m4a", "3gp", "3g2", "mj2", "matroska", "webm", "avi", "asf", "flv", "mpeg", "mpegts", "mpegvideo", "m4v", "mxf", "dv", "h264", "hevc", "gif",
	"mp3", "wav", "w64", "flac", "ogg", "aac", "aiff", "au", "caf", "amr", "amrnb", "amrwb", "ac3", "eac3", "wv", "tta", "ape", "mpc", "mpc8",
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
)

// errStuck means that a decoder gave nothing for too long.
var errStuck = fmt.Errorf("nothing came of it for %.0f s", quietLimit.Seconds())

// child is a command that ends with ctx, whatever it is doing.
func child(ctx context.Context, name string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.WaitDelay = afterKill
	return cmd
}

// output runs a child within a limit and gives what it writes.
func output(ctx context.Context, limit time.Duration, name string, args ...string) ([]byte, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%s was not done within %.0f s", name, limit.Seconds()))
	defer cancel()
	var stderr bytes.Buffer
	cmd := child(ctx, name, args...)
	cmd.Stderr = &stderr
	out, err := cmd.Output()
	if err != nil && ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %s: %w", name, lastLine(stderr.String()), err)
	}
	return out, nil
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
