package shelf

import (
	"sync"
	"sync/atomic"

	"nelko/internal/media"
	"nelko/internal/store"
	"nelko/themes"
)

// Shelf is the room of what the studio has for all orders: themes, its settings, its mark, and what it
// gave a name. Its parts are below; they do not call one another.
type Shelf struct {
	*room
	Marks       *Watermarks
	Presets     *Presets
	Transitions *Transitions
	Profiles    *Profiles
}

// Config is what the room calls.
type Config struct {
	Store *store.Store
	Blobs *store.Blobs

	// Readers read pictures in processes of their own; nil: in this one.
	Readers *media.Readers

	// Themes are on the shelf now; earlier versions come from the store.
	Themes *themes.Shelf
	// Own is a folder of the studio's own themes as zips; empty: none.
	Own string
}

// room has the studio's settings (store.Studio) and the themes on the shelf, which it keeps in the
// store of files too.
type room struct {
	Config
	kept atomic.Bool // the themes on the shelf are in the store of files
}

// Watermarks are the studio's mark as a picture.
type Watermarks struct{ *room }

// Presets are looks of slides that were given a name.
type Presets struct{ *room }

// Transitions are joins of slides that were given a name.
type Transitions struct{ *room }

// Profiles are the ways of encoding: those that come with the program, and the studio's own
// (store.Profile).
type Profiles struct {
	*room
	mu       sync.Mutex
	profiles []store.Profile // read once, until something changes
	aside    []Aside         // profiles that cannot be read
}

// With makes the room out of what it calls.
func With(c Config) *Shelf {
	r := &room{Config: c}
	return &Shelf{
		room:        r,
		Marks:       &Watermarks{r},
		Presets:     &Presets{r},
		Transitions: &Transitions{r},
		Profiles:    &Profiles{room: r},
	}
}

// Forget forgets what is remembered of the store, since it has changed.
func (s *Shelf) Forget() { s.Profiles.drop() }
