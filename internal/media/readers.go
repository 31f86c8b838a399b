package media

import (
	"bufio"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"github.com/landlock-lsm/go-landlock/landlock"
	"golang.org/x/sys/unix"

	"nelko/internal/media/vips"
)

// Pictures that clients send are read by processes of their own, so that no
// file, however made, takes the program down: they are limited in time, in
// memory and in what they may open. The program starts itself anew for that,
// with readerVariable set to the folders the files lie in.
const readerVariable = "NELKO_READS_PICTURES_IN"

// The limits of a reading process.
const (
	readerMemory = 6 << 30 // of addresses; libvips maps whole files and large buffers
	readerFiles  = 64      // open at a time
	readerTime   = 2 * time.Minute
	readerTurns  = 500 // pictures after which a fresh process takes over
)

func init() {
	if dir, is := os.LookupEnv(readerVariable); is {
		if err := readPictures(filepath.SplitList(dir), os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
}

type readRequest struct {
	Path, Name string
	Side       int
}

type readAnswer struct {
	Looked  Looked
	Refused string
	Format  bool // no picture
	Failed  string
}

// confine limits what this process may do from now on.
func confine(dirs []string) error {
	for what, limit := range map[int]uint64{unix.RLIMIT_AS: readerMemory, unix.RLIMIT_NOFILE: readerFiles, unix.RLIMIT_CORE: 0, unix.RLIMIT_FSIZE: 0} {
		if err := unix.Setrlimit(what, &unix.Rlimit{Cur: limit, Max: limit}); err != nil {
			return fmt.Errorf("limit %d: %w", what, err)
		}
	}
	// Libraries that are loaded as they are needed, and the files themselves; no
	// network. A kernel that knows none of it goes without.
	rules := []landlock.Rule{landlock.RODirs("/usr", "/lib", "/etc", "/proc"), landlock.RODirs(dirs...).IgnoreIfMissing(), landlock.RWFiles("/dev/null").IgnoreIfMissing()}
	if _, err := os.Stat("/lib64"); err == nil {
		rules = append(rules, landlock.RODirs("/lib64"))
	}
	if err := landlock.V5.BestEffort().RestrictPaths(rules...); err != nil {
		return err
	}
	return landlock.V5.BestEffort().RestrictNet()
}

// readPictures answers requests until its input ends.
func readPictures(dirs []string, in io.Reader, out io.Writer) error {
	debug.SetMemoryLimit(512 << 20)
	if err := Startup(); err != nil {
		return err
	}
	if err := confine(dirs); err != nil {
		return err
	}
	dec, w := gob.NewDecoder(bufio.NewReader(in)), bufio.NewWriter(out)
	enc := gob.NewEncoder(w)
	for {
		var q readRequest
		if err := dec.Decode(&q); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		var a readAnswer
		var refused *Refused
		l, err := LookAtPicture(q.Path, q.Name, q.Side)
		switch {
		case err == nil:
			a.Looked = l
		case errors.As(err, &refused):
			a.Refused = refused.Reason
		case errors.Is(err, vips.ErrFormat):
			a.Format = true
		default:
			a.Failed = err.Error()
		}
		if err := enc.Encode(a); err != nil {
			return err
		}
		if err := w.Flush(); err != nil {
			return err
		}
	}
}

// reader is a process that reads pictures.
type reader struct {
	cmd  *exec.Cmd
	in   io.WriteCloser
	enc  *gob.Encoder
	dec  *gob.Decoder
	read int
}

// Readers are processes that read pictures.
type Readers struct {
	dirs []string
	idle chan *reader // as many as may run; nil for one that is to be started

	end    sync.Once
	closed chan struct{}
}

// errReadersClosed means that the program is being stopped.
var errReadersClosed = errors.New("the application is being stopped")

// NewReaders is so many processes that read pictures in some folders. They are
// started when they are needed. Close ends them.
func NewReaders(n int, dirs ...string) *Readers {
	r := &Readers{dirs: dirs, idle: make(chan *reader, n), closed: make(chan struct{})}
	for range n {
		r.idle <- nil
	}
	return r
}

// Close waits for what is being read and ends the processes. Closing again does
// nothing.
func (r *Readers) Close() {
	r.end.Do(func() {
		close(r.closed)
		for range cap(r.idle) {
			if p := <-r.idle; p != nil {
				p.end()
			}
		}
	})
}

func (r *Readers) start() (*reader, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(self)
	cmd.Env = []string{readerVariable + "=" + strings.Join(r.dirs, string(filepath.ListSeparator)), "PATH=" + os.Getenv("PATH"), "VIPS_CONCURRENCY=1", "MALLOC_ARENA_MAX=2", "HOME=/"}
	cmd.Stderr = os.Stderr
	p := &reader{cmd: cmd}
	if p.in, err = cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	p.enc, p.dec = gob.NewEncoder(p.in), gob.NewDecoder(bufio.NewReader(out))
	return p, cmd.Start()
}

// end closes the process's input, at which it ends by itself, or kills it.
func (p *reader) end() {
	_ = p.in.Close()
	late := time.AfterFunc(5*time.Second, func() { _ = p.cmd.Process.Kill() })
	defer late.Stop()
	_ = p.cmd.Wait() // how it ended was seen by what it answered
}

func (p *reader) kill() {
	_ = p.cmd.Process.Kill()
	_ = p.cmd.Wait() // it was killed
}

// Look is LookAtPicture in a process of its own. If the process does not come
// back with an answer, or takes too long, the file is refused.
func (r *Readers) Look(ctx context.Context, path, name string, side int) (l Looked, err error) {
	var p *reader
	select {
	case <-r.closed:
		return l, errReadersClosed
	case p = <-r.idle:
	case <-ctx.Done():
		return l, ctx.Err()
	}
	back := p
	defer func() { r.idle <- back }()
	if p == nil {
		if p, err = r.start(); err != nil {
			return l, fmt.Errorf("a process that reads pictures: %w", err)
		}
		back = p
	}
	done := make(chan error, 1)
	var a readAnswer
	go func() {
		err := p.enc.Encode(readRequest{path, name, side})
		if err == nil {
			err = p.dec.Decode(&a)
		}
		done <- err
	}()
	late := time.NewTimer(readerTime)
	defer late.Stop()
	select {
	case err = <-done:
	case <-late.C:
		err = fmt.Errorf("no answer after %s", readerTime)
	case <-ctx.Done():
		err = ctx.Err()
	}
	if err != nil {
		back = nil
		p.kill()
		if ctx.Err() != nil {
			return l, ctx.Err()
		}
		slog.Warn("a process that read a picture was lost", "name", name, "error", err, "state", p.cmd.ProcessState.String())
		return l, refuse("reading it stopped the program that reads pictures: it is damaged, or much too large")
	}
	if p.read++; p.read >= readerTurns {
		back = nil
		p.end()
	}
	switch {
	case a.Refused != "":
		return l, &Refused{a.Refused}
	case a.Format:
		return l, vips.ErrFormat
	case a.Failed != "":
		return l, errors.New(a.Failed)
	}
	return a.Looked, nil
}
