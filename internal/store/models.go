package store

import (
	"encoding/json"
	"time"

	"nelko/internal/core/list"
	"nelko/internal/core/profile"
)

// Order is one client's commission. Its details are printed in all its
// slideshows. What the day sheet shows of it is kept with it.
type Order struct {
	ID                         int64
	Client, ClientEmail, Event string
	Due                        time.Time
	Details                    map[string]string `gorm:"serializer:json"`
	RunID                      *int64
	ArchivedAt, DeletedAt      *time.Time
	CreatedAt                  time.Time
	AsksApproval               bool // nothing is rendered for good before the client has approved
	Holds                      bool // what comes in is held back until it is accepted

	Trouble string // what is wrong with its watched folder; empty: nothing

	Wants []DeliveryKind `gorm:"serializer:json"` // by which ways it is to be delivered; none: any

	Facts `gorm:"embedded"`

	// Of a row of a Run. A pattern has none of it.
	RunKey      string // empty: no row
	RunPosition int
	RunListed   map[list.Role]string `gorm:"serializer:json"` // as the list had it last
	RunValues   map[list.Role]string `gorm:"serializer:json"` // of the roles that no other field holds
	RunCells    map[string]string    `gorm:"serializer:json"` // all of the list's cells, by heading
	AsideAt     *time.Time           // gone from the list since
}

// Facts is what the day sheet shows of an order.
type Facts struct {
	StepKind, StepText, StepPlace string  // the one next thing it needs, and where it is done
	PictureSeconds, MusicSeconds  float64 // lengths
	Strip                         Numbers `gorm:"type:bigint[]"` // media whose thumbnails stand for it
	Words                         string  // what it is found by: client, event and details, in lower case
	Pictures                      int     // photos and clips in the film
	Sees                          []Sight `gorm:"serializer:json"`
	// how many things there are to look at; nil: not looked since it changed
	Found *int
	// parts of a row's film that are not the pattern's
	Own []string `gorm:"serializer:json"`
}

// Sight is something the checks see, and where it is put right: a place as in
// a next step.
type Sight struct {
	Place string `json:"place"`
	Text  string `json:"text"`
	Stops bool   `json:"stops,omitempty"` // nothing can be rendered before
	Kind  string `json:"kind,omitempty"`  // as the check has it
}

// The kinds of sights that are about files.
const (
	RefusedFile = "refused"
	DamagedFile = "damaged"
)

// File reports whether it is about a file that cannot be used, or not wholly.
func (s Sight) File() bool { return s.Kind == RefusedFile || s.Kind == DamagedFile }

// Preset is settings of slides kept under a name.
type Preset struct {
	Name     string `gorm:"primaryKey"`
	Settings []byte
}

// OrderStep is something done to an order beside its film.
type OrderStep struct {
	ID      int64
	OrderID int64
	UserID  *int64
	Title   string
	At      time.Time
}

// Meant is a doubt about an order's film that somebody marked as meant.
type Meant struct {
	OrderID int64  `gorm:"primaryKey"`
	Key     string `gorm:"primaryKey"` // of the check
	UserID  *int64
	At      time.Time
}

// TableName implements GORM's Tabler.
func (Meant) TableName() string { return "meant" }

// Slideshow is the film of an order in one frame shape; Head is its present
// revision. Position 0 is the one the others follow.
type Slideshow struct {
	ID       int64
	OrderID  int64
	Position int
	Head     int
}

// Revision is one state of a slideshow's document, and of the order's details
// as they were then. Store.Pack and Store.Document write and read it.
type Revision struct {
	SlideshowID int64 `gorm:"primaryKey"`
	Number      int   `gorm:"primaryKey"`
	Parent      int
	Title       string
	AuthorID    *int64 // nil: the program itself
	Packed      []byte
	Base        *int              // the revision whose document is the dictionary; nil: whole
	Details     map[string]string `gorm:"serializer:json"`
	CreatedAt   time.Time
}

// RenderState is how far a render has come.
type RenderState string

// The states of a render.
const (
	RenderWaiting   RenderState = "waiting"
	RenderRunning   RenderState = "running"
	RenderDone      RenderState = "done"
	RenderFailed    RenderState = "failed"
	RenderCancelled RenderState = "cancelled"
)

// Over reports whether the render will not change any more.
func (s RenderState) Over() bool {
	return s == RenderDone || s == RenderFailed || s == RenderCancelled
}

// Render is one making of a slideshow's revision. Attempt counts the times it
// was begun; only the latest attempt may write to it.
type Render struct {
	ID          int64
	OrderID     int64
	SlideshowID int64
	Revision    int
	LeadID      *int64 // drawn with this one
	// the further frame shape, as doc.Frame's String; empty: the first
	Shape                   string
	Main                    bool              // the order's film; others are beside it
	Profile                 string            // its name
	Setting                 *profile.Profile  `gorm:"serializer:json"` // as it was when the render was begun
	Details                 map[string]string `gorm:"serializer:json"` // likewise
	Tools                   string            // what draws and encodes it
	Film                    string            // names it by all its segments
	Mark                    string            // the studio's mark in its frames…
	MarkPicture             *Picture          `gorm:"serializer:json"` // …or this
	State                   RenderState
	Worker                  string
	Attempt                 int
	FramesDone, FramesTotal int64 // of the frames to be made
	FramesKept              int64 // taken from kept segments
	Error                   string
	SHA256                  *string `gorm:"column:sha256"`
	Poster                  *string
	Stream                  *string    // the film in fragments, to be streamed…
	StreamList              string     // …by this list (HLS); empty: it is not
	Watermark               string     // words over all its frames; set for proofs
	VerifiedAt              *time.Time // when its files were last read back and were what they were
	Damage                  string     // what is wrong with its files; empty: nothing known
	// the revision it was queued at, where it was made of a later one; else 0
	Queued int
	// what in it was not made without errors; empty: nothing, it was verified
	Doubt                 string
	AgainOf               *int64 // the render it stands for, made again
	Differs               string // how it differs from that one; empty: it does not
	Size                  int64
	Seconds               float64 // length of the film
	CreatedAt             time.Time
	StartedAt, FinishedAt *time.Time
}

// Segment is an encoded segment or soundtrack that is kept.
type Segment struct {
	Key      string `gorm:"primaryKey"`
	SHA256   string `gorm:"column:sha256"`
	Size     int64
	UsedAt   time.Time
	Compared bool // its frames with what is drawn
}

// RenderPart is a run of segments of a render, from First to Last, that one
// encoder makes.
type RenderPart struct {
	RenderID           int64 `gorm:"primaryKey"`
	Attempt            int   `gorm:"primaryKey"`
	Number             int   `gorm:"primaryKey"`
	First, Last        int
	Frames, FramesDone int64
	State              string
	Worker             string
	Tries              int // how often making it has failed
	Error              string
}

// Worker is a process that works on jobs.
type Worker struct {
	ID                string
	StartedAt, SeenAt time.Time
	Tools             string // versions of what draws and encodes
	Note              string // why it takes no part in something
}

// ThemeVersion is one version of a theme, by content, with its files as a zip.
type ThemeVersion struct {
	Content        string `gorm:"primaryKey"`
	Theme, Version string
	Archive        string
	CreatedAt      time.Time
}

// Profile is a way of encoding, by name.
type Profile struct {
	Name     string `gorm:"primaryKey"`
	Position int
	Setting  profile.Profile `gorm:"serializer:json"`
	Own      bool            // the studio's, not shipped
	UsedAt   *time.Time
}

// Transition is a studio's own setting of a transition, under a name.
type Transition struct {
	Name    string          `gorm:"primaryKey"`
	Setting json.RawMessage `gorm:"type:jsonb"`
}
