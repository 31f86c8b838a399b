package cage

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime/debug"
	"strings"
	"time"
)

// Task is something that is done with bytes that strangers sent, by a process of its own in a
// cage, once for each: lists and the like, which come seldom. It is made when the program begins
// (NewTask as the value of a package's variable), as the process that does it is the program.
type Task struct {
	name string
	c    Cage
	most int           // bytes of an answer
	long time.Duration // how long it may take
}

// taskVariable names the task that a process is for, cageOfTask holds its cage.
const (
	taskVariable = "NELKO_TASK"
	cageOfTask   = "NELKO_TASK_CAGE"
)

// The ways in which a task gives no answer, beside its own error and the context's.
var (
	// ErrLost means that its process ended over it: for want of memory or time, or by a fault.
	ErrLost = errors.New("reading it takes too much memory or time, or stopped the program that reads it")
	// ErrMuch means that its answer was longer than it may be.
	ErrMuch = errors.New("there is too much in it")
)

// NewTask makes a task known. do reads what is given and writes an answer; its error is told as
// the words of Do's. The memory of the Go runtime before it counts for nothing.
func NewTask(name string, c Cage, long time.Duration, most int,
	do func(in io.Reader, out io.Writer) error) *Task {
	if os.Getenv(taskVariable) == name {
		os.Exit(obey(do))
	}
	return &Task{name: name, c: c, most: most, long: long}
}

// The codes with which a task's process ends: with an answer, with its refusal in words, or before
// it came to either.
const (
	answered = 0
	refused  = 3
	failed   = 1
)

// obey does a task in this process.
func obey(do func(in io.Reader, out io.Writer) error) int {
	c, err := Of(os.Getenv(cageOfTask))
	if err == nil {
		debug.SetGCPercent(50) // a limit of its own would have it collect for ever before it ends
		err = c.Enter(Data())
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return failed
	}
	if err := do(os.Stdin, os.Stdout); err != nil {
		fmt.Fprint(os.Stderr, err)
		return refused
	}
	return answered
}

// Do has the task done with what is given, and gives its answer. The process ends with ctx, and
// with this one.
func (t *Task) Do(ctx context.Context, given []byte) ([]byte, error) {
	within, cancel := context.WithTimeout(ctx, t.long)
	defer cancel()
	cmd := WithParent(exec.CommandContext(within, Self))
	cmd.Env = BareEnv(taskVariable+"="+t.name, cageOfTask+"="+t.c.Text())
	cmd.Stdin = bytes.NewReader(given)
	answer, said := bounded{most: t.most}, bounded{most: mostSaid}
	cmd.Stdout, cmd.Stderr = &answer, &said
	err := cmd.Run()
	var exit *exec.ExitError
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case answer.over:
		return nil, ErrMuch
	case err == nil:
		return answer.Bytes(), nil
	case errors.As(err, &exit) && exit.ExitCode() == refused:
		return nil, errors.New(strings.TrimSpace(said.String()))
	case errors.As(err, &exit) && exit.ExitCode() != failed:
		return nil, ErrLost // a signal, or the runtime’s own end
	}
	return nil, fmt.Errorf("%s in a process of its own: %w: %s", t.name, err,
		strings.TrimSpace(said.String()))
}

// mostSaid is how much is heard of what a process says of its end.
const mostSaid = 4 << 10

// bounded is a buffer that ends its writer once there is too much.
type bounded struct {
	bytes.Buffer
	most int
	over bool
}

// Write implements io.Writer.
func (b *bounded) Write(p []byte) (int, error) {
	if len(p) > b.most-b.Len() {
		b.over = true
		return 0, ErrMuch
	}
	return b.Buffer.Write(p)
}
