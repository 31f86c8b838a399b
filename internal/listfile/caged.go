package listfile

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"nelko/internal/cage"
	"nelko/internal/core/list"
)

// What reading a list may take: a workbook of a few kilobytes may unpack to anything.
const (
	mostMemory  = 400 << 20 // bytes
	mostSeconds = 20        // of processor time
	mostTime    = 40 * time.Second
	mostAnswer  = 96 << 20 // bytes
)

// asked is a list to be read, answer what came of it.
type asked struct {
	Name   string
	Pasted bool
	Bytes  []byte
}

type answer struct {
	Table  list.Table
	Broken *Broken
}

// reading reads lists in a process of its own.
var reading = cage.NewTask("list", cage.Cage{
	Memory:  mostMemory,
	Seconds: mostSeconds,
}, mostTime, mostAnswer, func(in io.Reader, out io.Writer) error {
	var q asked
	if err := json.NewDecoder(in).Decode(&q); err != nil {
		return err
	}
	var a answer
	var err error
	if q.Pasted {
		a.Table, err = pasted(string(q.Bytes))
	} else {
		a.Table, err = Trusted(q.Name, q.Bytes)
	}
	if err != nil && !errors.As(err, &a.Broken) {
		return err
	}
	return json.NewEncoder(out).Encode(a)
})

// Read reads a list by its content; the name is only told again. A list that cannot be read, or
// that takes more than lists do, is a *Broken. It is read by a process of its own, which ends with
// ctx.
func Read(ctx context.Context, name string, b []byte) (list.Table, error) {
	if len(b) > MaxBytes {
		return list.Table{}, tooLong(name)
	}
	return ask(ctx, asked{Name: name, Bytes: b})
}

// Pasted reads cells that were copied from another program, a row a line and
// tabs between them, or as CSV; likewise.
func Pasted(ctx context.Context, text string) (list.Table, error) {
	if len(text) > MaxBytes {
		return list.Table{}, tooLong("")
	}
	return ask(ctx, asked{Pasted: true, Bytes: []byte(text)})
}

func tooLong(name string) *Broken {
	return &Broken{Name: name, Why: fmt.Sprintf("it is larger than %d MB", MaxBytes>>20)}
}

func ask(ctx context.Context, q asked) (t list.Table, err error) {
	given, err := json.Marshal(q)
	if err != nil {
		return t, err
	}
	b, err := reading.Do(ctx, given)
	switch {
	case errors.Is(err, cage.ErrLost):
		return t, &Broken{
			Name: q.Name,
			Why:  "it unpacks to more than lists hold, or is made to stop whoever reads it",
		}
	case errors.Is(err, cage.ErrMuch):
		return t, &Broken{Name: q.Name, Why: "there is more in its cells than lists hold"}
	case err != nil:
		return t, err
	}
	var a answer
	if err := json.Unmarshal(b, &a); err != nil {
		return t, fmt.Errorf("a list that was read: %w", err)
	}
	if a.Broken != nil {
		return a.Table, a.Broken
	}
	return a.Table, nil
}
