package demo

import (
	"nelko/internal/demo/paint"
	"nelko/internal/demo/synth"
	"nelko/internal/orders"
)

// The demo's account.
const (
	Email    = "demo@nelko.example"
	Password = "lantern-regatta"
)

const studioName = "Osprey Quay Pictures"

// songs of the demo, by name.
var songs = map[string]synth.Piece{
	"harbour": {
		Name:    "Harbour Morning",
		BPM:     104,
		Bars:    26,
		Root:    62,
		Mood:    synth.Bright,
		Seed:    21,
		Chords:  []int{0, 4, 5, 3},
		Drums:   true,
		Arpeggi: true,
	},
	"oars": {
		Name:    "Oars Together",
		BPM:     132,
		Bars:    40,
		Root:    57,
		Minor:   true,
		Mood:    synth.Lively,
		Seed:    34,
		Chords:  []int{0, 5, 2, 6},
		Drums:   true,
		Arpeggi: true,
	},
	"tide": {
		Name:    "Slack Tide",
		BPM:     76,
		Bars:    20,
		Root:    60,
		Mood:    synth.Calm,
		Seed:    8,
		Chords:  []int{0, 3, 1, 4, 0, 5, 3, 4},
		Arpeggi: true,
	},
	"lantern": {
		Name:    "Lanterns on Saltmere",
		BPM:     84,
		Bars:    24,
		Root:    59,
		Minor:   true,
		Mood:    synth.Night,
		Seed:    55,
		Chords:  []int{0, 3, 5, 4},
		Arpeggi: true,
	},
	"kiln": {
		Name:    "Kiln and Wheel",
		BPM:     96,
		Bars:    20,
		Root:    64,
		Mood:    synth.Bright,
		Seed:    13,
		Chords:  []int{0, 2, 3, 4},
		Arpeggi: true,
		Swing:   0.3,
	},
}

// order is one order of the demo.
type commission struct {
	client, email, event string
	theme                string // the studio's usual one if empty
	due                  int    // days from today
	details              map[string]string
	club                 [2]uint32
	pictures             []paint.Scene
	clips                []paint.Scene
	songs                []string
	state                state
}

type state int

const (
	fresh     state = iota // material as it came
	fitted                 // fitted to the music
	rendered               // and rendered
	delivered              // and delivered by link
)

func regatta(names string) map[string]string {
	return map[string]string{
		"names":   names,
		"date":    "12 September 2026",
		"place":   "Saltmere Lantern Regatta",
		"message": "Thank you for rowing with us",
	}
}

func repeat(s ...[]paint.Scene) (out []paint.Scene) {
	for _, x := range s {
		out = append(out, x...)
	}
	return out
}

var (
	byDay = []paint.Scene{paint.Quay, paint.Start, paint.Race, paint.Portrait, paint.Portrait, paint.Race,
		paint.Race, paint.Pair, paint.Start, paint.Race}
	byNight = []paint.Scene{paint.Headland, paint.Portrait, paint.Lanterns, paint.Lanterns, paint.Lanterns}
)

// commissions are the single orders of the demo.
var commissions = []commission{
	{
		client:   "The Gannets",
		email:    "gannets@saltmere.example",
		event:    "Lantern Regatta, the winners’ film",
		due:      2,
		details:  regatta("The Gannets"),
		club:     [2]uint32{0x1f6f78, 0xf2c14e},
		pictures: repeat(byDay, byNight),
		clips:    []paint.Scene{paint.Race},
		songs:    []string{"harbour"},
		state:    delivered,
	},
	{
		client:   "Harbour Lights",
		email:    "lights@saltmere.example",
		event:    "Lantern Regatta, the club’s own film",
		due:      2,
		details:  regatta("Harbour Lights"),
		club:     [2]uint32{0x8c2f39, 0xf4e4c1},
		pictures: repeat(byDay, byNight, byDay[2:7]),
		songs:    []string{"oars"},
		state:    fitted,
	},
	{
		client: "Mrs Hollin Tarrant",
		email:  "hollin@tarrant.example",
		event:  "Lighthouse keeper’s retirement",
		theme:  "evergreen",
		due:    0,
		details: map[string]string{
			"names":   "Forty Years of Light",
			"date":    "1986 – 2026",
			"place":   "Saltmere Point",
			"message": "Fair winds, Hollin",
		},
		club: [2]uint32{0x34506b, 0xe8d9b0},
		pictures: []paint.Scene{paint.Lighthouse, paint.Headland, paint.Portrait, paint.Lighthouse,
			paint.Headland, paint.Quay, paint.Pair, paint.Lighthouse, paint.Headland, paint.Lanterns,
			paint.Portrait, paint.Headland},
		clips: []paint.Scene{paint.Headland},
		songs: []string{"tide"},
		state: fresh,
	},
	{
		client: "Saltmere Pottery Guild",
		event:  "Open day",
		theme:  "opendoor",
		due:    5,
		details: map[string]string{
			"names": "Pottery Guild Open Day",
			"place": "The Old Ropewalk",
		},
		club: [2]uint32{0x6e4c30, 0x7fa6a0},
		pictures: []paint.Scene{paint.Pots, paint.Pots, paint.Portrait, paint.Pots, paint.Evening, paint.Pots,
			paint.Pair, paint.Pots, paint.Pots, paint.Portrait, paint.Pots},
		songs: []string{"kiln"},
		state: fresh,
	},
	{
		client: "Bramble Lane School",
		email:  "office@bramblelane.example",
		event:  "Leavers’ evening",
		theme:  "chalkline",
		due:    -1,
		details: map[string]string{
			"names":   "Leavers 2026",
			"date":    "3 July 2026",
			"message": "Go well, all of you",
		},
		club: [2]uint32{0x4b3f72, 0xf0c987},
		pictures: []paint.Scene{paint.Evening, paint.Portrait, paint.Portrait, paint.Evening, paint.Pair,
			paint.Evening, paint.Portrait, paint.Portrait, paint.Evening, paint.Pair, paint.Portrait,
			paint.Evening, paint.Evening},
		songs: []string{"lantern"},
		state: rendered,
	},
	{
		client:   "The Shearwaters",
		email:    "shearwaters@saltmere.example",
		event:    "Lantern Regatta, a film of two songs",
		due:      3,
		details:  regatta("The Shearwaters"),
		club:     [2]uint32{0x2f5d8a, 0xffffff},
		pictures: repeat(byDay, byNight),
		songs:    []string{"harbour", "lantern"},
		state:    fresh,
	},
	{
		client:   "Quayside Ladies",
		email:    "quayside@saltmere.example",
		event:    "Summer outing",
		due:      3,
		details:  map[string]string{"place": "Saltmere Lantern Regatta"},
		club:     [2]uint32{0x7a3b69, 0xe9c46a},
		pictures: byDay,
		songs:    []string{"oars"},
		state:    fresh,
	},
	{
		client:   "The Ropewalkers",
		event:    "Boat naming",
		due:      4,
		details:  regatta("The Ropewalkers"),
		club:     [2]uint32{0x3c7a4d, 0xf6f1e1},
		pictures: byDay[:7],
		state:    fresh,
	},
	{
		client:  "Saltmere Lifeboat",
		email:   "station@lifeboat.example",
		event:   "Station open day",
		due:     12,
		details: regatta("Saltmere Lifeboat"),
		club:    [2]uint32{0xd1622b, 0x22395b},
		state:   fresh,
	},
}

// newOrder is the order as an operator would have opened it.
func (o commission) newOrder() orders.New {
	return orders.New{
		Head:    orders.Head{Client: o.client, ClientEmail: o.email, Event: o.event},
		Theme:   o.theme,
		Details: o.details,
	}
}
