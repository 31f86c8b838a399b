// Package theme reads prebuilt designs: the opening, the layouts, the text
// cards, the closing, type, colours, backdrops, motion, transitions and decor
// that a slideshow's pictures and details are poured into. A theme is data;
// package scene turns it into layers.
package theme

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/transition"
	"nelko/internal/core/wording"
)

// Format is the version of theme.json read here.
const Format = 2

// Theme is one prebuilt design. Positions are fractions of the frame; sizes
// of type, margins, mats and gaps are shares of the frame's shorter side, so
// that one theme holds in every frame shape.
type Theme struct {
	Schema    string          `json:"$schema,omitempty"`
	Format    int             `json:"format"`
	ID        string          `json:"id"`
	Name      string          `json:"name"`
	Version   string          `json:"version"`
	Author    string          `json:"author"`
	Licence   string          `json:"licence"`
	About     string          `json:"about"`
	Occasions []string        `json:"occasions"`
	Details   []Detail        `json:"details"`
	Fonts     map[string]Font `json:"fonts"`
	Pace      Pace            `json:"pace"`

	// Clips is how loud the sound of clips is when they come in, as a gain; nil: half.
	Clips       *float64       `json:"clip_sound,omitempty"`
	Opening     Card           `json:"opening"`
	Title       Card           `json:"title_card"` // a text card with a main and a smaller line
	Text        Card           `json:"text_card"`  // free text
	Credits     Card           `json:"credits"`    // a list that rolls
	Closing     Card           `json:"closing"`
	Layouts     []Layout       `json:"layouts"`
	Transitions Joins          `json:"transitions"`
	Motion      design.Motion  `json:"motion"`
	Caption     design.Caption `json:"caption"`
	Decor       []Placed       `json:"decor,omitempty"`
	Look        look.Look      `json:"look,omitzero"`
	Fades       Fades          `json:"fades"`

	// What the shelf adds when it reads a theme: names by content, SHA-256 in
	// hexadecimal, of all its files together, of its fonts together, and of
	// each file.
	Content      string            `json:"-"`
	FontsContent string            `json:"-"`
	Contents     map[string]string `json:"-"`
}

// FilmTitle is what a film of the theme is called by its details: the first one
// the theme asks for.
func (t *Theme) FilmTitle(details map[string]string) string {
	if len(t.Details) == 0 {
		return ""
	}
	return t.Written(details)[t.Details[0].Key]
}

// Fades are the film's way in from black and out to black.
type Fades struct {
	InSeconds  float64 `json:"in_seconds"`
	OutSeconds float64 `json:"out_seconds"`
}

// Detail is a value the theme prints and an order fills.
type Detail struct {
	Key      string `json:"key"`
	Label    string `json:"label"`
	Example  string `json:"example"`
	Required bool   `json:"required"`
	Max      int    `json:"max"` // characters that can be set well

	Type    DetailType `json:"type,omitempty"`
	Choices []string   `json:"choices,omitempty"` // of a Choice
}

// DetailType is what sort of thing a detail is.
type DetailType string

// The types of details. Names are of people, a team or a firm: where nothing else
// is said, of the client. A Date in figures is printed as its example reads, in
// words as it is written. A Colour, as #rrggbb, is printed nowhere: it takes the place of
// its example everywhere in the theme. A Choice is one of its Choices.
const (
	OfText   DetailType = ""
	OfNames  DetailType = "names"
	OfDate   DetailType = "date"
	OfColour DetailType = "colour"
	OfChoice DetailType = "choice"
)

// Check reports a value that cannot be the detail's; an empty one always can.
func (d Detail) Check(value string) error {
	switch {
	case value == "":
	case d.Type == OfColour:
		if _, err := raster.ParseRGB(value); err != nil {
			return fmt.Errorf("%s: %q is not a colour like %s", d.Label, value, d.Example)
		}
	case d.Type == OfChoice && !slices.Contains(d.Choices, value):
		return fmt.Errorf("%s: %q is none of %s", d.Label, value, strings.Join(d.Choices, ", "))
	}
	return nil
}

// Written are details as the theme prints them.
func (t *Theme) Written(details map[string]string) map[string]string {
	out := maps.Clone(details)
	for _, d := range t.Details {
		if v := out[d.Key]; d.Type == OfDate && v != "" {
			out[d.Key] = wording.DateLike(d.Example, v)
		}
	}
	return out
}

// Tinted is the theme in the colours that details give it; the theme itself where
// they give none.
func (t *Theme) Tinted(details map[string]string) *Theme {
	var pairs []string
	for _, d := range t.Details {
		if v := strings.ToLower(details[d.Key]); d.Type == OfColour && v != "" &&
			v != strings.ToLower(d.Example) && d.Check(v) == nil {
			pairs = append(pairs, strconv.Quote(strings.ToLower(d.Example)), strconv.Quote(v))
		}
	}
	if pairs == nil {
		return t
	}
	b, err := json.Marshal(t)
	if err != nil {
		return t // a theme that was read can be written
	}
	n := &Theme{}
	if err := json.Unmarshal([]byte(strings.NewReplacer(pairs...).Replace(string(b))), n); err != nil {
		return t
	}
	n.Details, n.Content, n.FontsContent, n.Contents = t.Details, t.Content, t.FontsContent, t.Contents
	return n
}

// Font names a face by its Pango description without the size.
type Font struct {
	Face     string  `json:"face"`
	Tracking float64 `json:"tracking,omitempty"` // extra space between letters, in ems
	Upper    bool    `json:"upper,omitempty"`    // set in capitals
	Leading  float64 `json:"leading,omitempty"`  // distance of lines as a factor; 0 is the font's own
}

// Pace is the number of seconds a still suits and its comfortable range.
type Pace struct {
	Seconds  float64 `json:"seconds"`
	Quickest float64 `json:"quickest"`
	Calmest  float64 `json:"calmest"`
}

// Card is words over a backdrop, with or without a picture.
type Card struct {
	Seconds  float64                 `json:"seconds"`
	Backdrop design.Backdrop         `json:"backdrop"`
	Picture  *Aside                  `json:"picture,omitempty"`
	Block    Block                   `json:"block"`
	Shapes   map[framing.Shape]Block `json:"shapes,omitempty"` // another block for a frame shape
	Decor    []design.Decor          `json:"decor,omitempty"`
}

// In is the card's block for a frame shape.
func (c *Card) In(s framing.Shape) Block {
	if b, ok := c.Shapes[s]; ok {
		return b
	}
	return c.Block
}

// Aside is a picture beside a card's words: it takes a share of the frame on
// one side, or above or below them in upright frames.
type Aside struct {
	Side  string  `json:"side"` // left or right; left stands above and right below in upright frames
	Share float64 `json:"share"`
	Inset float64 `json:"inset,omitempty"`
	Tilt  float64 `json:"tilt,omitempty"` // degrees
	Dress
}

// Block is words set together: its elements stand under each other, and the
// whole is anchored in the title-safe area (or in what the card's picture
// leaves of it).
type Block struct {
	// centre, left, right, upper, lower, upper-left, upper-right, lower-left, lower-right
	Anchor   string    `json:"anchor"`
	Align    string    `json:"align"` // left, centre, right
	Width    float64   `json:"width"` // share of the area's width
	Shift    float64   `json:"shift,omitempty"`
	Elements []Element `json:"elements"`
}

// Element is a line of words, or a thin drawn line, as typographers call a
// rule.
type Element struct {
	Detail    string  `json:"detail,omitempty"` // key of a detail; on text cards "main", "smaller" or "text"
	Words     string  `json:"words,omitempty"`  // printed when the detail is empty or not named
	Gap       float64 `json:"gap,omitempty"`    // above the element
	Rule      float64 `json:"rule,omitempty"`   // length of a rule as a share of the block's width
	Thickness float64 `json:"thickness,omitempty"`
	Lines     int     `json:"lines,omitempty"` // most lines before the type is shrunk; 0 is 2
	design.Type
	Enter        design.Effect `json:"enter,omitempty"`
	EnterSeconds float64       `json:"enter_seconds,omitempty"` // from the slide's start
	LeaveSeconds float64       `json:"leave_seconds,omitempty"` // fades out over this long at the slide's end
}

// Dress is how a picture is dressed in its place.
type Dress struct {
	Fit    design.Fit `json:"fit"`
	Mat    float64    `json:"mat,omitempty"`
	MatRGB raster.RGB `json:"mat_colour,omitzero"`
	Shadow float64    `json:"shadow,omitempty"` // strength 0 to 1
	Corner float64    `json:"corner,omitempty"` // radius
	Mask   string     `json:"mask,omitempty"`   // oval, arch, blot; empty is none
	Scale  float64    `json:"scale,omitempty"`  // of the picture in its place; 0 is 1
}

// Masks lists the masks.
var Masks = []string{"", "oval", "arch", "blot"}

// Layout says where one to six pictures sit in a slide, by an arrangement that
// knows every frame shape, or by places given for a shape.
type Layout struct {
	ID       string      `json:"id"`
	Name     string      `json:"name"`
	Suits    string      `json:"suits"` // wide, upright or any
	Share    float64     `json:"share"` // of the chances it is taken when it suits
	Pictures int         `json:"pictures"`
	Arrange  Arrangement `json:"arrange"`
	Margin   float64     `json:"margin,omitempty"`
	Gap      float64     `json:"gap,omitempty"`
	// degrees; pictures lean to either side in turn
	Tilt     float64                   `json:"tilt,omitempty"`
	Backdrop *design.Backdrop          `json:"backdrop,omitempty"`
	Motion   *design.Motion            `json:"motion,omitempty"`
	Places   map[framing.Shape][]Place `json:"places,omitempty"`
	Dress
}

// Place is where one picture goes.
type Place struct {
	Rect framing.Rect `json:"rect"`
	Tilt float64      `json:"tilt,omitempty"`
}

// Joins is which transition joins slides.
type Joins struct {
	Rule string                  `json:"rule"` // turns: in order; seeded: by the film's seed
	Set  []transition.Transition `json:"set"`
}

// At is the transition of join n of a film. Those without a direction take
// turns.
func (j Joins) At(n int, seed uint64) transition.Transition {
	if len(j.Set) == 0 {
		return transition.Transition{Kind: "cut"}
	}
	k := n
	if j.Rule == "seeded" {
		x := seed*0x9e3779b97f4a7c15 + uint64(n+1)*0xbf58476d1ce4e5b9
		x ^= x >> 29
		x *= 0x94d049bb133111eb
		k = int((x ^ x>>32) & 0x7fffffff)
	}
	return j.Set[k%len(j.Set)].Turned(n)
}

// Placed is decor on a kind of slide: opening, closing, cards, pictures, all.
type Placed struct {
	On string `json:"on"`
	design.Decor
}

// TitleType is the type of a line of the theme's title card: "main" or
// "smaller".
func (t *Theme) TitleType(line string) (design.Type, bool) {
	for _, e := range t.Title.Block.Elements {
		if e.Detail == line {
			return e.Type, true
		}
	}
	return design.Type{}, false
}

// Layout finds a layout by ID.
func (t *Theme) Layout(id string) (Layout, bool) {
	i := slices.IndexFunc(t.Layouts, func(l Layout) bool { return l.ID == id })
	if i < 0 {
		return Layout{}, false
	}
	return t.Layouts[i], true
}

// Holds lists the layouts for n pictures that suit the shape; "any" suits
// all. The list may be empty.
func (t *Theme) Holds(n int, shape string) []Layout {
	var out []Layout
	for _, l := range t.Layouts {
		if l.Pictures == n && (l.Suits == shape || l.Suits == "any") {
			out = append(out, l)
		}
	}
	return out
}

// Missing lists the required details the order has not filled.
func (t *Theme) Missing(details map[string]string) []Detail {
	var out []Detail
	for _, d := range t.Details {
		if d.Required && details[d.Key] == "" {
			out = append(out, d)
		}
	}
	return out
}

// SuitsPictures is how many pictures suit music of the given length, at the
// theme's calmest, usual and quickest pace.
func (t *Theme) SuitsPictures(musicSeconds float64) (least, usual, most int) {
	// Opening and closing take their time; what layouts show together counts
	// by their shares.
	free := math.Max(0, musicSeconds-t.Opening.Seconds-t.Closing.Seconds)
	var pictures, shares float64
	for _, l := range t.Layouts {
		pictures += float64(l.Pictures) * l.Share
		shares += l.Share
	}
	each := 1.0
	if shares > 0 {
		each = pictures / shares
	}
	count := func(seconds float64) int { return int(math.Round(free / seconds * each)) }
	return count(t.Pace.Calmest), count(t.Pace.Seconds), count(t.Pace.Quickest)
}

// Card finds a kind of card: opening, closing, or a text card's title, text or
// credits.
func (t *Theme) Card(kind string) *Card {
	switch kind {
	case "opening":
		return &t.Opening
	case "closing":
		return &t.Closing
	case "text":
		return &t.Text
	case "credits":
		return &t.Credits
	}
	return &t.Title
}

// PlacesIn is where the layout's pictures go in a frame of the given aspect
// (width over height).
func (l Layout) PlacesIn(aspect float64, shape framing.Shape) []Place {
	if p := l.Places[shape]; len(p) == l.Pictures {
		return p
	}
	return l.Arrange.Places(l.Pictures, aspect, l.Margin, l.Gap, l.Tilt, suitsAspect(l.Suits))
}

// suitsAspect is the aspect of the pictures a layout is for.
func suitsAspect(suits string) float64 {
	switch suits {
	case "wide":
		return 1.5
	case "upright":
		return 0.72
	}
	return 1.2
}

// JoinOf is the transition between slide n and the next one by the theme's
// rule.
func (t *Theme) JoinOf(n int, seed uint64) transition.Transition { return t.Transitions.At(n, seed) }

// String names the theme in messages.
func (t *Theme) String() string { return fmt.Sprintf("%s %s", t.Name, t.Version) }

// usualClipSound is the gain of clips' sound under the music where a theme says nothing (common
// practice, no source).
const usualClipSound = 0.5

// ClipSound is how loud the sound of clips is when they come in, as a gain: they are heard under
// the music.
func (t *Theme) ClipSound() float64 {
	if t == nil || t.Clips == nil {
		return usualClipSound
	}
	return *t.Clips
}
