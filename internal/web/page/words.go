package page

import (
	"math"
	"strings"
	"time"

	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
)

// Day is a day as lists have it.
func Day(t time.Time) string { return t.Format("Mon 2 Jan") }

// Minutes writes seconds as m:ss.
func Minutes(seconds float64) string {
	return strings.TrimSuffix(timecode.Clock(math.Round(seconds)), ".0")
}

// Detail is a detail the theme asks for, as it is asked for.
type Detail struct {
	Key, Label, Value, Example string
	Missing                    bool
	Type                       theme.DetailType
	Choices                    []string
}

// DetailOf is a theme's detail with the value it has.
func DetailOf(d theme.Detail, value string) Detail {
	return Detail{d.Key, d.Label, value, d.Example, d.Required && value == "", d.Type, d.Choices}
}

// Capital begins a word with a capital letter.
func Capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}
