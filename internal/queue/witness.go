package queue

import (
	"os"
	"runtime/debug"
	"strconv"
	"strings"
)

// lastWords has this process write why it ends into a file of its own, should a
// fault end it: a panic, or a signal as from a library in C. The file is empty
// as long as it lives. Where there can be none its name is empty.
func lastWords() string {
	f, err := os.CreateTemp("", "nelko-last-words-*")
	if err != nil {
		return ""
	}
	defer f.Close() // what is written goes through a copy of it
	if err := debug.SetCrashOutput(f, debug.CrashOptions{}); err != nil {
		forgetWords(f.Name())
		return ""
	}
	return f.Name()
}

func forgetWords(path string) {
	if path != "" {
		_ = debug.SetCrashOutput(nil, debug.CrashOptions{}) // it cannot fail without a file
		_ = os.Remove(path)                                 // an empty file is no harm
	}
}

// boot names the time this machine has been running since.
func boot() string {
	b, err := os.ReadFile("/proc/sys/kernel/random/boot_id")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(string(b))
}

// oomKills is how many processes the kernel has killed for want of memory since
// the machine was started.
func oomKills() int64 {
	b, err := os.ReadFile("/proc/vmstat")
	if err != nil {
		return 0
	}
	_, rest, ok := strings.Cut(string(b), "\noom_kill ")
	if !ok {
		return 0
	}
	n, _, _ := strings.Cut(rest, "\n")
	v, err := strconv.ParseInt(n, 10, 64)
	if err != nil {
		return 0
	}
	return v
}

// endedByItself reports whether it is known of a dead worker that a fault ended
// it, or want of memory. Of one on another machine, or of before this one was
// started, nothing is known.
func endedByItself(bootThen, witness string, killedThen int64) bool {
	if bootThen == "" || bootThen != boot() {
		return false
	}
	said := false
	if st, err := os.Stat(witness); witness != "" && err == nil {
		said = st.Size() > 0
		_ = os.Remove(witness) // it has been heard
	}
	return said || oomKills() > killedThen
}
