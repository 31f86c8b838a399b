package render

import (
	"context"
	"os/exec"
	"strconv"
)

// givesWay is how much the encoders of a film give way to what people wait for: pages, the
// database, a look at what was just brought in. Films are made as fast where nobody waits.
const givesWay = 10

// patient is ffmpeg giving way to others; where the system has no nice(1) it does not.
func patient(ctx context.Context, args ...string) *exec.Cmd {
	nice, err := exec.LookPath("nice")
	if err != nil {
		return exec.CommandContext(ctx, "ffmpeg", args...)
	}
	ffmpeg, err := exec.LookPath("ffmpeg")
	if err != nil {
		return exec.CommandContext(ctx, "ffmpeg", args...) // which says that it is missing
	}
	return exec.CommandContext(ctx, nice, append([]string{"-n", strconv.Itoa(givesWay), ffmpeg}, args...)...)
}
