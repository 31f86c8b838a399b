package store

import (
	"context"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Actor is who does something, and by what: a person at a page, a client with a
// link, or the program itself.
type Actor struct {
	UserID  *int64
	Who     string // as the trail names it; empty: the program
	Address string // the network's, of a person
	Request string // the identifier of the request
	Job     int64  // of the background job; 0: none
}

// Is notes that an actor is found out to be a user.
func (a *Actor) Is(u User) { a.UserID, a.Who = &u.ID, u.Name }

type actorKey struct{}

// As notes in a context who acts. What is found out later, such as who is signed
// in, can be added to the actor.
func As(ctx context.Context, a *Actor) context.Context {
	return context.WithValue(ctx, actorKey{}, a)
}

// ActorOf is who acts in a context; nobody that was noted is the program.
func ActorOf(ctx context.Context) *Actor {
	if a, ok := ctx.Value(actorKey{}).(*Actor); ok {
		return a
	}
	return &Actor{}
}

// What was done, as the trail has it.
const (
	DidSignIn   = "sign-in"
	DidRefuse   = "sign-in refused"
	DidSignOut  = "sign-out"
	DidAccount  = "account"
	DidOrder    = "order"
	DidUpload   = "upload"
	DidEdit     = "edit"
	DidRender   = "render"
	DidLink     = "link"
	DidWatch    = "link opened"
	DidDeliver  = "delivery"
	DidSettings = "settings"
	DidDelete   = "deletion"
)

// Deeds are all kinds of what is noted.
var Deeds = []string{DidSignIn, DidRefuse, DidSignOut, DidAccount, DidOrder, DidUpload, DidEdit, DidRender,
	DidLink, DidWatch, DidDeliver, DidSettings, DidDelete}

// Deed is one line of the trail.
type Deed struct {
	ID      int64
	At      time.Time `gorm:"default:now()"`
	What    string
	Words   string
	UserID  *int64
	Who     string
	OrderID *int64
	RunID   *int64
	Address string
	Request string
}

// TableName is GORM's.
func (Deed) TableName() string { return "trail" }

// longestWords is the most that is noted of a deed, in bytes.
const longestWords = 300

// Note notes what was done in the transaction that does it, by whoever acts in
// its context. order is 0 for what is about none.
func Note(tx *gorm.DB, what string, order int64, words string) error {
	d := Deed{What: what, Words: words}
	if order != 0 {
		d.OrderID = &order
	}
	return note(tx, d)
}

// NoteRun is Note of what is about a Run.
func NoteRun(tx *gorm.DB, what string, run int64, words string) error {
	return note(tx, Deed{What: what, Words: words, RunID: &run})
}

func note(tx *gorm.DB, d Deed) error {
	a := ActorOf(tx.Statement.Context)
	d.UserID, d.Who, d.Address, d.Request = a.UserID, a.Who, a.Address, a.Request
	if d.Who == "" {
		d.Who = "the program"
	}
	if len(d.Words) > longestWords {
		d.Words = strings.ToValidUTF8(d.Words[:longestWords], "") + "…"
	}
	return tx.Create(&d).Error
}

// Asked narrows the trail; zero values do not.
type Asked struct {
	What     string
	UserID   int64
	OrderID  int64
	From, To time.Time
	Before   int64 // the lines before this one
	Most     int
}

// Trail lists what was done, the latest first.
func (s *Store) Trail(ctx context.Context, q Asked) (deeds []Deed, err error) {
	tx := s.DB.WithContext(ctx).Order("id DESC").Limit(q.Most)
	for cond, v := range map[string]any{
		"what = ?":     q.What,
		"user_id = ?":  q.UserID,
		"order_id = ?": q.OrderID,
		"id < ?":       q.Before,
	} {
		if v != "" && v != int64(0) {
			tx = tx.Where(cond, v)
		}
	}
	if !q.From.IsZero() {
		tx = tx.Where("at >= ?", q.From)
	}
	if !q.To.IsZero() {
		tx = tx.Where("at < ?", q.To)
	}
	return deeds, tx.Find(&deeds).Error
}
