package design

import (
	"fmt"
	"slices"

	"nelko/internal/core/raster"
)

// Lettering is how the words of an opening, a closing or a card are set by hand.
// What is empty or nil is the theme's. It is for all words of the slide; their
// sizes keep their proportions.
type Lettering struct {
	Font        string      `json:"font,omitempty"` // name in the theme's fonts
	Size        float64     `json:"size,omitempty"` // times the theme's; 0 is 1
	Colour      *raster.RGB `json:"colour,omitempty"`
	Outline     *float64    `json:"outline,omitempty"` // as Type has it, like those below
	OutlineRGB  *raster.RGB `json:"outline_colour,omitempty"`
	Shadow      *float64    `json:"shadow,omitempty"`
	Plate       *float64    `json:"plate,omitempty"`
	PlateColour *raster.RGB `json:"plate_colour,omitempty"`
	Align       string      `json:"align,omitempty"` // one of Aligns
	Enter       Effect      `json:"enter,omitempty"`
	Leave       *float64    `json:"leave_seconds,omitempty"` // fades out over this long at the slide's end
}

// Aligns lists how lines stand under each other.
var Aligns = []string{"left", "centre", "right"}

// Over is a type with what of it is set by hand.
func (l Lettering) Over(t Type) Type {
	if l.Font != "" {
		t.Font = l.Font
	}
	if l.Size > 0 {
		t.Size *= l.Size
	}
	set(&t.Colour, l.Colour)
	set(&t.Outline, l.Outline)
	set(&t.OutlineRGB, l.OutlineRGB)
	set(&t.Shadow, l.Shadow)
	set(&t.Plate, l.Plate)
	set(&t.PlateColour, l.PlateColour)
	return t
}

func set[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}

// Validate reports the first value that cannot be.
func (l Lettering) Validate() error {
	if l.Size != 0 && !in(l.Size, 0.25, 4) {
		return fmt.Errorf("size: %g; must be 0.25 to 4 times the theme's", l.Size)
	}
	if err := l.Over(Type{Size: 0.05}).Validate(); err != nil {
		return err
	}
	switch {
	case l.Align != "" && !slices.Contains(Aligns, l.Align):
		return fmt.Errorf("align: there is no %q", l.Align)
	case !l.Enter.Known():
		return fmt.Errorf("enter: there is no effect %q", l.Enter)
	case l.Leave != nil && !in(*l.Leave, 0, 30):
		return fmt.Errorf("leave: %g; must be 0 to 30 s", *l.Leave)
	}
	return nil
}
