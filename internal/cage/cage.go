// Package cage limits processes that read what strangers send: in memory, time, files and network.
// The program starts itself anew for that, limits itself, and then becomes another program, reads
// pictures, or does a Task.
package cage

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"github.com/landlock-lsm/go-landlock/landlock"
	"golang.org/x/sys/unix"
)

// Cage is what a process may do.
type Cage struct {
	Memory  uint64   // bytes of data, beside what it had when it was caged
	Seconds uint64   // of processor time; 0: no limit
	Nice    int      // how much it gives way to others
	Read    []string // files and folders that may be opened, beside the system's own

	Free bool // no cage at all
}

// cageFiles is how many files a caged process may have open.
const cageFiles = 64

// cageVariable holds the cage of a process that is to become another program.
const cageVariable = "NELKO_CAGE"

func init() {
	text, is := os.LookupEnv(cageVariable)
	if !is {
		return
	}
	fmt.Fprintln(os.Stderr, become(text))
	os.Exit(1)
}

// become turns this process into the program its arguments name, caged. It
// only returns if that fails.
func become(text string) error {
	c, err := Of(text)
	if err != nil {
		return err
	}
	program, err := exec.LookPath(os.Args[0])
	if err != nil {
		return err
	}
	// A new program begins with no data, so only its own is counted.
	if err := c.Enter(0); err != nil {
		return err
	}
	return syscall.Exec(program, os.Args, BareEnv())
}

// Text is a cage as it is told to the process that is to be in it; Of reads
// it there. Folders and files are named in full.
func (c Cage) Text() string {
	c.Read = slices.Clone(c.Read)
	for i, path := range c.Read {
		if abs, err := filepath.Abs(path); err == nil {
			c.Read[i] = abs
		}
	}
	text, _ := json.Marshal(c) // numbers and texts always can be
	return string(text)
}

// Of reads a cage from what its Text says.
func Of(text string) (c Cage, err error) {
	err = json.Unmarshal([]byte(text), &c)
	return c, err
}

// BareEnv is what caged processes are told: no secrets.
func BareEnv(more ...string) []string {
	return append([]string{"PATH=" + os.Getenv("PATH"), "HOME=/", "MALLOC_ARENA_MAX=2"}, more...)
}

// Self is this program, even after its file was replaced by a newer one.
const Self = "/proc/self/exe"

// WithParent has a process end with the one that started it.
func WithParent(cmd *exec.Cmd) *exec.Cmd {
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	return cmd
}

// Enter limits this process from now on. had is the data it has already, in
// bytes.
func (c Cage) Enter(had uint64) error {
	limits := map[int]uint64{unix.RLIMIT_NOFILE: cageFiles, unix.RLIMIT_CORE: 0, unix.RLIMIT_FSIZE: 0}
	if c.Seconds > 0 {
		limits[unix.RLIMIT_CPU] = c.Seconds
	}
	for what, limit := range limits {
		if err := setLimit(what, limit); err != nil {
			return err
		}
	}
	if c.Nice > 0 {
		if err := unix.Setpriority(unix.PRIO_PROCESS, 0, c.Nice); err != nil {
			return fmt.Errorf("giving way to others: %w", err)
		}
	}
	// Libraries that are loaded as they are needed, and the files themselves; no
	// network. A kernel that knows none of it goes without.
	rules := []landlock.Rule{landlock.RODirs("/usr", "/lib", "/lib64", "/etc", "/proc").IgnoreIfMissing(),
		landlock.RWFiles("/dev/null").IgnoreIfMissing()}
	for _, path := range c.Read {
		st, err := os.Stat(path)
		switch {
		case err != nil: // opening it will say so
		case st.IsDir():
			rules = append(rules, landlock.RODirs(path))
		default:
			rules = append(rules, landlock.ROFiles(path))
		}
	}
	if err := landlock.V5.BestEffort().RestrictPaths(rules...); err != nil {
		return err
	}
	if err := landlock.V5.BestEffort().RestrictNet(); err != nil {
		return err
	}
	return setLimit(unix.RLIMIT_DATA, had+c.Memory) // last, as all before needs some
}

func setLimit(what int, to uint64) error {
	if err := unix.Setrlimit(what, &unix.Rlimit{Cur: to, Max: to}); err != nil {
		return fmt.Errorf("limit %d: %w", what, err)
	}
	return nil
}

// Data is how much data this process has, in bytes (proc(5), statm).
func Data() uint64 {
	b, err := os.ReadFile("/proc/self/statm")
	fields := strings.Fields(string(b))
	if err != nil || len(fields) < 6 {
		return 0
	}
	pages, err := strconv.ParseUint(fields[5], 10, 64)
	if err != nil {
		return 0
	}
	return pages * uint64(os.Getpagesize())
}

// Command is a command that runs another program in a cage.
func Command(cmd *exec.Cmd, c Cage) *exec.Cmd {
	cmd.Path, cmd.Err = Self, nil
	cmd.Env = BareEnv(cageVariable + "=" + c.Text())
	return WithParent(cmd)
}
