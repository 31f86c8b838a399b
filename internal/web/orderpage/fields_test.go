package orderpage

import (
	"fmt"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/invalid"
)

// An operator's comma, a form's per cent and its empty fields are read as they
// are meant, and what is wrong is named as the page names it.
func Example_controls() {
	op, err := controls["linger"](nil, url.Values{"slide": {"s3", "s4"}, "linger": {" 1,5 "}})
	fmt.Println(op, err)
	_, err = controls["linger"](nil, url.Values{"slide": {"s3"}, "linger": {"lots"}})
	fmt.Println(err)
	// Output:
	// {[s3 s4] 1.5 0  false} <nil>
	// Linger: "lots" is not a number.
}

func TestFormsAreRead(t *testing.T) {
	for _, c := range []struct {
		op   string
		form url.Values
		want edit.Op
	}{
		{"pin", url.Values{
			"slide": {"s1"},
			"pin":   {"6,5"},
		}, edit.Time{Slides: []doc.SlideID{"s1"}, Typed: "6,5"}},
		{"pin", url.Values{
			"slide": {"s1"},
			"pin":   {" "},
		}, edit.Time{Slides: []doc.SlideID{"s1"}, Unpin: true}},
		{"framing", url.Values{
			"framed":   {"s1"},
			"begins-x": {"10"},
			"begins-y": {"0"},
			"begins-w": {"50"},
			"begins-h": {"50"},
			"ends-x":   {"0"},
			"ends-y":   {"0"},
			"ends-w":   {"100"},
			"ends-h":   {"100"},
		},
			edit.Framing{
				Slides: []doc.SlideID{"s1"},
				From:   framing.Rect{X: 0.1, W: 0.5, H: 0.5},
				To:     framing.Rect{W: 1, H: 1},
				Ease:   framing.InOut,
			}},
		{"scale", url.Values{
			"media": {"m", "n"},
			"scale": {"80"},
		}, edit.Shots{Media: []doc.MediaID{"m", "n"}, Called: "Changed the size", Scale: new(0.8)}},
		{"songs", url.Values{"songs": {"b,a,"}}, edit.Songs{Songs: []doc.MediaID{"b", "a"}}},
		{"unpin", url.Values{}, edit.Time{Unpin: true}},
	} {
		got, err := controls[c.op](nil, c.form)
		require.NoError(t, err, c.op)
		assert.Equal(t, c.want, got, c.op)
	}
	for _, c := range []struct {
		op          string
		form        url.Values
		field, says string
	}{
		{"crop", url.Values{
			"media":  {"m"},
			"crop-x": {"1"},
			"crop-y": {"left"},
			"crop-w": {"wide"},
		}, "crop-y", `Crop: "left" is not a number.`},
		{"crop", url.Values{
			"media":  {"m"},
			"crop-x": {"1"},
			"crop-y": {"1"},
			"crop-w": {"1"},
		}, "crop-h", `Crop: "" is not a number.`},
		{"pace", url.Values{"pace": {"NaN"}}, "pace", `Pace: "NaN" is not a number.`},
		{"motion", url.Values{"zoom": {"much"}}, "zoom", `Zoom: "much" is not a number.`},
		{"words", url.Values{
			"slide":  {"s1"},
			"card-x": {"50"},
		}, "card-y", `Place of the words: "" is not a number.`},
		{"join", url.Values{
			"join":         {"dissolve"},
			"join-seconds": {"1"},
			"join-colour":  {"red"},
		}, "join-colour", `Colour of the transition: "red" is not a colour like #1f6f78.`},
		{"decor", url.Values{
			"index":         {"0"},
			"decor-kind":    {"picture"},
			"decor-size":    {"1"},
			"decor-opacity": {"1"},
			"decor-in":      {"0"},
			"decor-out":     {"0"},
			"p-x":           {"", "50", "mid"},
		}, "p-x", `Path, row 3: "mid" is not a number.`},
	} {
		_, err := controls[c.op](nil, c.form)
		var inv *invalid.Input
		require.ErrorAs(t, err, &inv, c.op)
		assert.Equal(t, c.field, inv.Field)
		assert.Equal(t, c.says, inv.Problem)
	}
	style := url.Values{
		"cap-font":           {"body"},
		"cap-anchor":         {"lower"},
		"cap-size":           {"5"},
		"cap-width":          {"80"},
		"cap-outline":        {"0"},
		"cap-shadow":         {"0"},
		"cap-plate":          {"0"},
		"cap-colour":         {"#ff8000"},
		"cap-outline-colour": {"#000000"},
		"cap-plate-colour":   {"#000000"},
		"cap-x":              {"50"},
		"cap-y":              {"75"},
		"snap":               {"1"},
	}
	op, err := controls["captionstyle"](nil, style)
	require.NoError(t, err)
	got := op.(edit.CaptionPart)
	var c design.Caption
	got.Change(&c)
	assert.Equal(t, raster.RGB{R: 255, G: 128}, c.Colour)
	assert.Equal(t, &framing.Point{X: 0.5, Y: 0.75}, c.At)
	assert.True(t, got.Snap)
	op, err = controls["captionstyle"](nil, url.Values{"cap-size": {"7"}})
	require.NoError(t, err)
	was := c
	op.(edit.CaptionPart).Change(&c)
	was.Size = 0.07
	assert.Equal(t, was, c, "only what was typed")
}

// A clock's error is typed with a sign, in hours and minutes, also seconds.
func TestClocksAreRead(t *testing.T) {
	for text, want := range map[string]time.Duration{
		"1:00":      time.Hour,
		"+1:00":     time.Hour,
		"-0:02:30":  -150 * time.Second,
		"−25:00":    -25 * time.Hour,
		" 0:00:05 ": 5 * time.Second,
	} {
		got, err := clockBy(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "an hour", "1", "1:75", "1:00:99", "1:00:00:00", "--1:00"} {
		_, err := clockBy(text)
		assert.Error(t, err, text)
	}
}
