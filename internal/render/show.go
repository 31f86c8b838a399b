package render

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os/exec"
	"strings"
	"time"

	"nelko/internal/core/profile"
)

// Show brings what a disc plays to a browser: ffmpeg reads it by the arguments
// input, from in if that is not nil, with subtitles laid over it where asked,
// and what browsers play, in fragments as they come, is written to w. It is for
// looking, at the quality of a proof.
func Show(ctx context.Context, in io.Reader, input []string, words bool, w io.Writer) error {
	over := "[0:v:0]"
	if words {
		over = "[0:v:0][0:s:0]overlay,"
	}
	p := profile.Proof
	args := append([]string{"-v", "error", "-nostdin"}, input...)
	args = append(args, "-filter_complex", over+
		"yadif=deint=interlaced,scale=w='trunc(ih*dar/2)*2':h=ih,setsar=1[v]", "-map", "[v]", "-map",
		"0:a:0?",
		"-c:v", p.Video.Encoder, "-preset", "ultrafast", "-pix_fmt", p.Video.Pixels)
	args = append(args, quality(p.Video)...)
	args = append(args, "-g", "50", "-c:a", p.Audio.Encoder, "-b:a", fmt.Sprintf("%dk", p.Audio.Kbps), "-ac",
		"2",
		"-movflags", "frag_keyframe+empty_moov+default_base_moof", "-f", p.File.Format, "pipe:1")
	cmd := exec.CommandContext(ctx, "ffmpeg", args...)
	cmd.WaitDelay = 2 * time.Second
	var said bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = in, w, &said
	if err := cmd.Run(); err != nil && ctx.Err() == nil {
		lines := strings.Split(strings.TrimSpace(said.String()), "\n")
		return fmt.Errorf("showing the disc: %s: %w", lines[len(lines)-1], err)
	}
	return ctx.Err()
}
