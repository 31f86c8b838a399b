package media

import (
	"os/exec"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a process does decides whether it is slow, not what others keep from it: one that has no
// processor may take longer, one that works all the time not.
func TestWorkDecidesWhatIsSlow(t *testing.T) {
	run := func(script string) (slowAfter func(limit, most time.Duration) time.Duration) {
		cmd := exec.CommandContext(t.Context(), "sh", "-c", script)
		require.NoError(t, cmd.Start())
		t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
		if script == "sleep 60" {
			require.NoError(t, cmd.Process.Signal(syscall.SIGSTOP))
		}
		return func(limit, most time.Duration) time.Duration {
			began, slow := time.Now(), spending(cmd.Process.Pid, limit)
			for time.Since(began) < most && !slow() {
				time.Sleep(10 * time.Millisecond)
			}
			return time.Since(began)
		}
	}
	works, waits := run("while :; do :; done"), run("sleep 60")
	assert.Less(t, works(200*time.Millisecond, 10*time.Second), 200*time.Millisecond*leniency)
	assert.GreaterOrEqual(t, waits(200*time.Millisecond, 10*time.Second), 200*time.Millisecond*leniency)
}
