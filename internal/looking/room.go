package looking

import (
	"sync/atomic"

	lru "github.com/hashicorp/golang-lru/v2"

	"nelko/internal/core/plan"
	"nelko/internal/film"
	"nelko/internal/latest"
	"nelko/internal/making"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/shared"
	"nelko/internal/store"
)

// Looking is the room where orders' films are looked at before they are made. Its parts are below; a
// part calls only those above it.
type Looking struct {
	*room
	Choices  *Choices
	Findings *Findings
	Player   *Player
	Themes   *Themes
}

// room lays films out, each once, and draws their frames. What is drawn is remembered in memory, and
// nothing else is kept.
type room struct {
	Blobs   *store.Blobs
	Orders  *orders.Orders
	Kept    *making.Segments
	Sprites *media.Sprites

	laying  shared.Group[*film.Film]
	loading shared.Group[*orders.Dossier]
	strips  shared.Group[[]byte]
	laid    *lru.Cache[laidKey, *film.Film]
	frames  *latest.Sized[frameKey, []byte]
	found   *lru.Cache[laidKey, []plan.Check]
	hard    *lru.Cache[string, film.Hard] // by slide and how it looks
	small   *latest.Sized[string, []byte]
	orders  *lru.Cache[laidKey, *orders.Dossier] // as they stood at a revision
	age     atomic.Int64                         // rises when what stands on films has changed

	background background
	making     makings
	warm       atomic.Pointer[warmth]
	trying     chan struct{} // holds one while a choice is drawn
}

// Choices draw a slide as it would be with another choice.
type Choices struct{ *room }

// Findings find what would not be read or seen well in a film.
type Findings struct {
	*room
	choices *Choices
}

// Player plays a film before it is made: its picture and sound in segments.
type Player struct{ *room }

// Themes show what a theme makes of an order.
type Themes struct{ *room }

// New opens the room. Close ends what it does in the background.
func New(blobs *store.Blobs, o *orders.Orders, kept *making.Segments, sprites *media.Sprites) *Looking {
	r := &room{
		Blobs:   blobs,
		Orders:  o,
		Kept:    kept,
		Sprites: sprites,
		trying:  make(chan struct{}, 1),
		laid:    latest.Some[laidKey, *film.Film](keptFilms),
		found:   latest.Some[laidKey, []plan.Check](rememberFindings),
		hard:    latest.Some[string, film.Hard](rememberHard),
		orders:  latest.Some[laidKey, *orders.Dossier](keptOrders),
		small:   latest.NewSized[string](mostSmall, smallBytes, func(b []byte) int { return len(b) }),
		frames:  latest.NewSized[frameKey](mostFrames, frameBytes, func(b []byte) int { return len(b) }),
	}
	choices := &Choices{r}
	return &Looking{
		room:     r,
		Choices:  choices,
		Findings: &Findings{r, choices},
		Player:   &Player{r},
		Themes:   &Themes{r},
	}
}
