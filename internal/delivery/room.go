package delivery

import (
	"time"

	"nelko/internal/orders"
	"nelko/internal/store"
)

// Config is what the room calls.
type Config struct {
	Store   *store.Store
	Blobs   *store.Blobs
	Queue   orders.Queue
	Orders  *orders.Orders
	Now     func() time.Time
	Mailer  Mailer // of a process that works on jobs
	BaseURL string // the address clients reach
}

// Delivery is the room where films go out by links, files and mail. Its parts are below; a part calls
// only those above it.
type Delivery struct {
	*room
	Post  *Post
	Links *Links
	Files *Files
	Cards *Cards
	Lists *Lists
}

// room reads deliveries (store.Delivery) and the films that links lead to.
type room struct{ Config }

// Post sends mails, each once, and hears of those that came back (store.Letter), as jobs.
type Post struct{ *room }

// Links make links and close them (store.Link), open them for whoever has the address, and count what
// is watched and taken.
type Links struct{ *room }

// Files copy films into folders, as jobs (store.FileCopy).
type Files struct{ *room }

// Cards print what is handed over with a film.
type Cards struct {
	*room
	links *Links
}

// Lists list deliveries and their history, and send or give up what did not arrive.
type Lists struct {
	*room
	post  *Post
	links *Links
	files *Files
}

// With makes the room out of what it calls.
func With(c Config) *Delivery {
	r := &room{c}
	post, links, files := &Post{r}, &Links{r}, &Files{r}
	return &Delivery{
		room:  r,
		Post:  post,
		Links: links,
		Files: files,
		Cards: &Cards{r, links},
		Lists: &Lists{r, post, links, files},
	}
}
