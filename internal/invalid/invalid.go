// Package invalid is the error every room answers bad input with.
package invalid

import "fmt"

// Input says which field of what was given is wrong, and what is wrong with
// it in words for whoever gave it.
type Input struct{ Field, Problem string }

func (e *Input) Error() string { return e.Problem }

// Field makes an Input.
func Field(field, format string, a ...any) error {
	return &Input{field, fmt.Sprintf(format, a...)}
}
