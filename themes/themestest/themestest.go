// Package themestest gives tests the shipped shelf.
package themestest

import (
	"github.com/stretchr/testify/require"

	"nelko/internal/core/theme"
	"nelko/themes"
)

// Shelf is a shelf of the shipped themes.
func Shelf(t require.TestingT) *themes.Shelf {
	s, err := themes.Shipped()
	require.NoError(t, err)
	return s
}

// Get is a shipped theme.
func Get(t require.TestingT, id string) *theme.Theme {
	th, err := Shelf(t).Get(id)
	require.NoError(t, err)
	return th
}
