package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/media/hostile"
)

// The most a hostile file may take, of time and of memory in MB.
const (
	hostileTime   = 60 * time.Second
	hostileMemory = 700
)

// Every hostile file is refused in words, or read where it is merely odd, by a
// process that takes no more than it may (ASVS 12.1.1 to 12.1.3, 12.3.1 to
// 12.3.6, 5.2.7).
func TestHostileFiles(t *testing.T) {
	require.NoError(t, Startup())
	dir := t.TempDir()
	require.NoError(t, hostile.Make(context.Background(), dir))
	quick, patient := QuickReaders(1, dir), PatientReaders(1, dir)
	patient.limit = 15 * time.Second // not so patient, for the one that never ends
	defer quick.Close()
	defer patient.Close()
	for _, f := range hostile.Files() {
		t.Run(f.Name, func(t *testing.T) {
			most := watchChildren(t)
			begun := time.Now()
			ctx := context.Background()
			_, err := Looker{Pictures: quick, Quick: true}.LookAt(ctx, f.Path(dir), f.Name, 480)
			assert.Less(t, time.Since(begun), 10*time.Second, "others waited")
			if errors.Is(err, ErrSlow) || errors.Is(err, ErrSong) {
				_, err = Looker{Pictures: patient}.LookAt(ctx, f.Path(dir), f.Name, 480)
			}
			took := time.Since(begun)
			if f.Ready {
				assert.NoError(t, err, f.Does)
			} else {
				var refused *Refused
				require.ErrorAs(t, err, &refused, f.Does)
				assert.NotContains(t, refused.Reason, dir)
				if f.Name != "claims.jpg" {
					assert.NotContains(t, refused.Reason, "JPEG", "that was said of another")
				}
				t.Log(refused.Reason)
			}
			mb := most()
			t.Logf("%.1f s, %d MB", took.Seconds(), mb)
			assert.Less(t, took, hostileTime)
			assert.Less(t, mb, hostileMemory)
		})
	}
}

// watchChildren looks at the largest of the children that this process has
// until the function it gives is called, which tells its memory in MB.
func watchChildren(t *testing.T) func() int {
	end, told := make(chan struct{}), make(chan int)
	go func() {
		most := 0
		for {
			for _, pid := range children(os.Getpid()) {
				most = max(most, memory(pid))
			}
			select {
			case <-end:
				told <- most
				return
			case <-time.After(5 * time.Millisecond):
			}
		}
	}()
	return func() int {
		close(end)
		return <-told
	}
}

func children(of int) (pids []int) {
	lists, _ := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", of))
	for _, l := range lists {
		b, _ := os.ReadFile(l) // of a thread that is gone there is nothing
		for _, f := range strings.Fields(string(b)) {
			if pid, err := strconv.Atoi(f); err == nil {
				pids = append(pids, pid)
			}
		}
	}
	return pids
}

// memory is the most that a process had, in MB; 0 if it is gone.
func memory(pid int) int {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0
	}
	_, rest, _ := strings.Cut(string(b), "VmHWM:")
	kb := 0
	if f := strings.Fields(rest); len(f) > 0 {
		kb, _ = strconv.Atoi(f[0]) // the kernel writes a number
	}
	return kb >> 10
}
