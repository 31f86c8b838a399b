package runs

import (
	"context"
	"errors"

	"nelko/internal/core/list"
	"nelko/internal/invalid"
	"nelko/internal/listfile"
)

// MaxList is the largest list that is read, in bytes.
const MaxList = listfile.MaxBytes

// ReadList reads a file with a list. What cannot be read is an *invalid.Input of the field "list".
func ReadList(ctx context.Context, name string, file []byte) (*list.Table, error) {
	t, err := listfile.Read(ctx, name, file)
	return &t, asInput(err)
}

// PastedList reads cells that were pasted. What cannot be read is an *invalid.Input of the field
// "list".
func PastedList(ctx context.Context, text string) (*list.Table, error) {
	t, err := listfile.Pasted(ctx, text)
	return &t, asInput(err)
}

func asInput(err error) error {
	var broken *listfile.Broken
	if errors.As(err, &broken) {
		return &invalid.Input{Field: "list", Problem: broken.Error()}
	}
	return err
}
