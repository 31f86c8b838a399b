package media

import (
	"bufio"
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"

	"nelko/internal/cage"
	"nelko/internal/core/raster"
	"nelko/internal/media/vips"
)

// Pictures that clients send are read by processes of their own, so that no
// file, however made, takes the program down: they are limited in time, in
// memory and in what they may open. The program starts itself anew for that,
// with readerVariable set to their cage, which names the folders the files lie
// in.
const readerVariable = "NELKO_READS_PICTURES_IN"

// The limits of a reading process.
const (
	readerMemory  = 600 << 20 // of data, beside what it has from the beginning
	readerTurns   = 500       // pictures after which a fresh process takes over
	patientlyRead = 55 * time.Second
	quicklyRead   = 2 * time.Second
	patientNice   = 10
)

// Bytes that decoding one picture may take at once, and those from which on
// pictures wait for each other (pictures that take less are read side by side).
const (
	mostDecoded  = 480 << 20
	fewDecoded   = 128 << 20
	decodedAtAll = 640 << 20
)

// decodingMemory is what the large pictures being read by this program's processes
// take together.
var decodingMemory = semaphore.NewWeighted(decodedAtAll)

func init() {
	if text, is := os.LookupEnv(readerVariable); is {
		if err := readPictures(text, os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
}

// What a reading process can be asked for.
const (
	doLook = iota
	doLoad
	doLoadBuffer
	doSmaller
	doRaw
)

// readRequest is one picture to be read. Which fields count depends on Do.
type readRequest struct {
	Do         int
	Path, Name string
	Buffer     []byte
	Side       int
	W, H       int
	Cover      bool
	Colour     raster.RGB
	Most       int64 // bytes that decoding it may take
}

type readAnswer struct {
	Looked  Looked
	Pixels  raster.Pixels
	JPEG    []byte
	Needs   int64 // it was not read, as it takes more than Most
	Refused string
	Format  bool // no picture
	Failed  string
	Shut    string // why the file could not be opened: that says nothing of the file
}

// do does what is asked for in this process.
func (q readRequest) do() (a readAnswer) {
	var h vips.Header
	var err error
	if q.Do != doLoadBuffer {
		// Libraries do not tell a file that they cannot open from one that is no picture.
		f, err := os.Open(q.Path)
		if err != nil {
			return readAnswer{Shut: err.Error()}
		}
		_ = f.Close() // it was only read
	}
	if q.Do != doRaw && q.Do != doLoadBuffer {
		if h, err = header(q.Path); err == nil && q.Most > 0 && h.Needs > q.Most {
			return readAnswer{Needs: h.Needs}
		}
	}
	switch {
	case err != nil:
	case q.Do == doLook:
		a.Looked, err = lookAtPicture(h, q.Path, q.Name, q.Side)
	case q.Do == doLoad:
		a.Pixels, err = vips.Load(q.Path, q.W, q.H)
	case q.Do == doLoadBuffer:
		a.Pixels, err = vips.LoadBuffer(q.Buffer, q.W, q.H, q.Cover)
	case q.Do == doSmaller:
		a.JPEG, err = smallJPEG(h, q.Path, q.Side, q.Colour)
	case q.Do == doRaw:
		a.JPEG, err = rawPicture(q.Path)
	default:
		err = fmt.Errorf("no reader does %d", q.Do)
	}
	var refused *Refused
	switch {
	case err == nil:
	case errors.As(err, &refused):
		a.Refused = refused.Reason
	case errors.Is(err, vips.ErrFormat):
		a.Format = true
	default:
		a.Failed = err.Error()
	}
	return a
}

// readPictures answers requests until its input ends.
func readPictures(text string, in io.Reader, out io.Writer) error {
	debug.SetMemoryLimit(256 << 20)
	c, err := cage.Of(text)
	if err == nil {
		err = Startup()
	}
	if err == nil {
		err = c.Enter(cage.Data())
	}
	if err != nil {
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
		if err := enc.Encode(q.do()); err != nil {
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
	said short // its last words
	in   io.WriteCloser
	enc  *gob.Encoder
	dec  *gob.Decoder
	read int
}

// Readers are processes that read pictures.
type Readers struct {
	cage  string // of each, as it is told
	limit time.Duration
	quick bool
	idle  chan *reader // as many as may run; nil for one that is to be started

	end    sync.Once
	closed chan struct{}
}

var (
	// errReadersClosed means that the program is being stopped.
	errReadersClosed = errors.New("the application is being stopped")
	// ErrSlow means that a file takes longer, or more memory, than quick readers
	// give it, or that one was lost over it.
	ErrSlow = errors.New("it takes longer than most files")
)

// NewReaders is so many processes that read pictures in some folders. They are
// started when they are needed. Close ends them.
func NewReaders(n int, dirs ...string) *Readers {
	return newReaders(n, cage.Cage{Memory: readerMemory, Read: dirs})
}

func newReaders(n int, c cage.Cage) *Readers {
	r := &Readers{
		cage:   c.Text(),
		limit:  patientlyRead,
		idle:   make(chan *reader, n),
		closed: make(chan struct{}),
	}
	for range n {
		r.idle <- nil
	}
	return r
}

// QuickReaders are readers that leave what takes long to others (ErrSlow), so
// that nothing waits for it.
func QuickReaders(n int, dirs ...string) *Readers {
	r := NewReaders(n, dirs...)
	r.limit, r.quick = quicklyRead, true
	return r
}

// PatientReaders are readers that give way to all else that the machine does.
func PatientReaders(n int, dirs ...string) *Readers {
	return newReaders(n, cage.Cage{Memory: readerMemory, Nice: patientNice, Read: dirs})
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
	cmd := cage.WithParent(exec.Command(cage.Self))
	cmd.Env = cage.BareEnv(readerVariable+"="+r.cage, "VIPS_CONCURRENCY=1")
	p := &reader{cmd: cmd, said: short{most: mostWords}}
	cmd.Stderr = &p.said
	var err error
	if p.in, err = cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	p.enc, p.dec = gob.NewEncoder(p.in), gob.NewDecoder(bufio.NewReaderSize(out, 1<<16))
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

// Look is Looker.LookAt of a picture, in a process of its own. What is no
// picture is vips.ErrFormat. If the process does not come
// back with an answer, or takes too long, the file is refused.
func (r *Readers) Look(ctx context.Context, path, name string, side int) (Looked, error) {
	a, err := r.ask(ctx, readRequest{Do: doLook, Path: path, Name: name, Side: side})
	return a.Looked, err
}

// Load is vips.Load in a process of its own.
func (r *Readers) Load(ctx context.Context, path string, w, h int) (raster.Pixels, error) {
	a, err := r.ask(ctx, readRequest{Do: doLoad, Path: path, W: w, H: h})
	return a.Pixels, err
}

// LoadBuffer is vips.LoadBuffer in a process of its own.
func (r *Readers) LoadBuffer(ctx context.Context, b []byte, w, h int, cover bool) (raster.Pixels, error) {
	a, err := r.ask(ctx, readRequest{Do: doLoadBuffer, Buffer: b, W: w, H: h, Cover: cover})
	return a.Pixels, err
}

// Smaller makes a small JPEG of a picture, at most side pixels on its longer
// side. What is transparent shows the colour on.
func (r *Readers) Smaller(ctx context.Context, path string, side int, on raster.RGB) ([]byte, error) {
	a, err := r.ask(ctx, readRequest{Do: doSmaller, Path: path, Side: side, Colour: on})
	return a.JPEG, err
}

// Raw is the picture that a camera put into a raw file; see RawPreview.
func (r *Readers) Raw(ctx context.Context, path string) ([]byte, error) {
	a, err := r.ask(ctx, readRequest{Do: doRaw, Path: path})
	return a.JPEG, err
}

// ask has a request done by a process of its own, or without readers in this
// one. What takes much memory waits until there is enough.
func (r *Readers) ask(ctx context.Context, q readRequest) (readAnswer, error) {
	q.Most = fewDecoded
	if r == nil {
		q.Most = mostDecoded
	}
	a, err := r.once(ctx, q)
	if err != nil || a.Needs == 0 {
		return a, err
	}
	if a.Needs > mostDecoded {
		return a, tooLarge(a.Needs)
	}
	if r.quick {
		return a, ErrSlow
	}
	if err := decodingMemory.Acquire(ctx, a.Needs); err != nil {
		return a, err
	}
	defer decodingMemory.Release(a.Needs)
	q.Most = 0
	return r.once(ctx, q)
}

// once has a request done. A process whose folders are others by now (a mount that dropped and came
// back, a folder that was moved and made anew) can open nothing in them: a fresh one takes over.
func (r *Readers) once(ctx context.Context, q readRequest) (readAnswer, error) {
	a, fresh, err := r.turn(ctx, q)
	for a.Shut != "" && !fresh && err == nil {
		a, fresh, err = r.turn(ctx, q)
	}
	if err == nil {
		err = a.err()
	}
	return a, err
}

// turn has a request done by the process whose turn it is; fresh tells that it was started for it.
func (r *Readers) turn(ctx context.Context, q readRequest) (a readAnswer, fresh bool, err error) {
	if r == nil {
		return q.do(), true, nil
	}
	var p *reader
	select {
	case <-r.closed:
		return a, false, errReadersClosed
	case p = <-r.idle:
	case <-ctx.Done():
		return a, false, ctx.Err()
	}
	back := p
	defer func() { r.idle <- back }()
	if fresh = p == nil; fresh {
		if p, err = r.start(); err != nil {
			return a, fresh, fmt.Errorf("a process that reads pictures: %w", err)
		}
		back = p
	}
	type said struct {
		a   readAnswer
		err error
	}
	done := make(chan said, 1)
	go func() {
		var s said
		if s.err = p.enc.Encode(q); s.err == nil {
			s.err = p.dec.Decode(&s.a)
		}
		done <- s
	}()
	limit := r.limit
	if p.read == 0 {
		limit += time.Second // it is being started
	}
	slow, spent := false, spending(p.cmd.Process.Pid, limit)
	tick := time.NewTicker(limit / 8)
	defer tick.Stop()
	for waits := true; waits; {
		select {
		case s := <-done:
			a, err, waits = s.a, s.err, false
		case <-tick.C:
			if slow = spent(); slow {
				err, waits = fmt.Errorf("no answer after %s of work", limit), false
			}
		case <-ctx.Done():
			err, waits = ctx.Err(), false
		}
	}
	if err != nil {
		back = nil
		p.kill()
		switch {
		case ctx.Err() != nil:
			return readAnswer{}, fresh, ctx.Err()
		case slow && r.quick:
			return readAnswer{}, fresh, ErrSlow
		}
		slog.WarnContext(ctx, "a process that read a picture was lost", "name", q.Name, "error", err, "state",
			p.cmd.ProcessState.String(), "said", lastLine(p.said.String()))
		if r.quick {
			// once more, by others: the process may have been killed for no fault of the file
			return readAnswer{}, fresh, ErrSlow
		}
		if slow {
			return readAnswer{}, fresh, refuse(
				"reading it took longer than %.0f s, so it is not a picture as cameras and programs make them", r.limit.Seconds())
		}
		return readAnswer{}, fresh, refuse(
			"reading it stopped the program that reads pictures: it is damaged, or takes too much memory")
	}
	if p.read++; p.read >= readerTurns || a.Shut != "" {
		back = nil
		p.end()
	}
	return a, fresh, nil
}

// leniency is how many times as long as it may work a process is waited for, where others keep
// the processor from it, or a disk the file.
const leniency = 12

// spending tells, from now on, whether a process has worked for longer than it may: by the
// processor's time, as on a busy machine a clock says nothing of what it does.
func spending(pid int, limit time.Duration) func() bool {
	began, before := time.Now(), processorTime(pid)
	return func() bool {
		return processorTime(pid)-before >= limit || time.Since(began) >= leniency*limit
	}
}

// ticksASecond is the unit of the times that Linux tells of processes (proc(5): USER_HZ, 100 on
// all that this runs on).
const ticksASecond = 100

// processorTime is what a process and its threads have had of the processors, as proc(5) tells;
// 0 if it tells nothing.
func processorTime(pid int) time.Duration {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0
	}
	// The name, in brackets, may hold anything; utime and stime are the 14th and 15th field.
	fields := strings.Fields(string(b[bytes.LastIndexByte(b, ')')+1:]))
	if len(fields) < 13 {
		return 0
	}
	user, err1 := strconv.ParseInt(fields[11], 10, 64)
	system, err2 := strconv.ParseInt(fields[12], 10, 64)
	if err1 != nil || err2 != nil {
		return 0
	}
	return time.Duration(user+system) * time.Second / ticksASecond
}

// err is the error that an answer tells of.
func (a readAnswer) err() error {
	switch {
	case a.Refused != "":
		return &Refused{a.Refused}
	case a.Format:
		return vips.ErrFormat
	case a.Failed != "":
		return errors.New(a.Failed)
	case a.Shut != "":
		return fmt.Errorf("the file cannot be opened: %s", a.Shut)
	}
	return nil
}
