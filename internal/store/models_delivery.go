package store

import (
	"encoding/json"
	"time"
)

// DeliveryKind is how a client gets a film.
type DeliveryKind string

// The kinds of delivery.
const (
	FileDelivery   DeliveryKind = "file"
	DiscDelivery   DeliveryKind = "disc"
	LinkDelivery   DeliveryKind = "link"
	UploadDelivery DeliveryKind = "upload"
	ProofDelivery  DeliveryKind = "proof"
)

// DeliveryState is how far a delivery has come.
type DeliveryState string

// The states of a delivery.
const (
	DeliveryWanted  DeliveryState = "wanted" // asked for; nothing was done yet
	DeliveryWaiting DeliveryState = "waiting"
	DeliveryRunning DeliveryState = "running"
	DeliveryDone    DeliveryState = "done"
	DeliveryFailed  DeliveryState = "failed"
	DeliveryClosed  DeliveryState = "closed" // taken back
)

// Delivery is what a client gets: one or several renders.
type Delivery struct {
	ID        int64
	OrderID   int64
	Kind      DeliveryKind
	State     DeliveryState
	Title     string
	Proof     string // that it arrived
	CreatedAt time.Time
}

// TableName implements GORM's Tabler.
func (Delivery) TableName() string { return "deliveries" }

// DeliveryRender is a render of a delivery.
type DeliveryRender struct {
	DeliveryID int64 `gorm:"primaryKey"`
	RenderID   int64 `gorm:"primaryKey"`
	Position   int
}

// DeliveryEvent is a step in a delivery's history.
type DeliveryEvent struct {
	ID         int64
	DeliveryID int64
	At         time.Time
	Text       string
}

// Link is the address of a delivery by link. Only a hash of its token is kept,
// and the token itself until it was mailed; of a Run's links, which are listed
// and printed on cards, until it expires or is closed.
type Link struct {
	ID           int64
	DeliveryID   int64
	TokenHash    []byte
	UnsentToken  string
	KeptToken    string
	MailSubject  string // of the mail that tells of it; empty: the usual one
	MailText     string // likewise; {link} stands for the address
	Downloadable bool
	Note         string  // to the client, on the page
	PasswordHash string  // empty: the address is enough
	Devices      int     // that may open it; 0: any number
	Embed        bool    // the studio's sites may show it in their pages
	Poster       *string // chosen from the film's moments; nil: the render's
	Downloads    int64
	Proof        bool // a draft that the client remarks on and approves
	ExpiresAt    time.Time
	ClosedAt     *time.Time
	Views        int64
	LastView     *time.Time
	MailedTo     string
	MailedAt     *time.Time
	MailError    string
	MailBegunAt  *time.Time // when its mail began to be handed over; nil: it is known what became of it
	MailJob      int64      // by which job
	CreatedAt    time.Time
}

// Open reports whether the link can be watched at the given time.
func (l Link) Open(now time.Time) bool { return l.ClosedAt == nil && now.Before(l.ExpiresAt) }

// Placement is a film put into a folder as a file.
type Placement struct {
	DeliveryID   int64 `gorm:"primaryKey"`
	RenderID     int64
	Folder, Name string
	Instead      bool   // of an older file of that name
	Older        string // what is there already, and keeps it from being put
	Error        string
	Size         int64
	PlacedAt     *time.Time
}

// HostAccount is the studio's sign-in at a video host.
type HostAccount struct {
	ID          int
	Host        string
	Token       json.RawMessage `gorm:"type:jsonb"` // as OAuth 2.0 has it
	Broken      string          // why it is good no longer; empty: it is
	ConnectedAt time.Time
}

// TableName implements GORM's Tabler.
func (HostAccount) TableName() string { return "host_account" }

// Upload is a film put on a video host.
type Upload struct {
	DeliveryID  int64 `gorm:"primaryKey"`
	RenderID    int64
	Title, Note string
	Tags        []string `gorm:"serializer:json"`
	Visibility  string
	VideoID     string // at the host, once it knows of the film
	GoesTo      string // where the file is sent
	Address     string // where it is watched
	Sent, Size  int64
	Error       string
	DoneAt      *time.Time
}

// Disc is a delivery on a disc.
type Disc struct {
	DeliveryID int64       `gorm:"primaryKey"`
	Setting    DiscSetting `gorm:"serializer:json"`
	Budget     string      // what is used of it, in words
	Image      *string     // once it is made
	Size       int64
	Guide      json.RawMessage `gorm:"type:jsonb"` // where everything on a DVD-Video leads
	Tools      string          // what made its films and the image
	Error      string
	PressedAt  *time.Time
	VerifiedAt *time.Time // when the image was last read back and was what it was
}

// DiscKind is how a disc is written.
type DiscKind string

// The kinds of disc.
const (
	DVDVideo DiscKind = "dvd"
	HDVideo  DiscKind = "hd"
	DataDisc DiscKind = "data"
)

// DiscSetting is what a disc is made of.
type DiscSetting struct {
	Kind      DiscKind `json:"kind"`
	Name      string   `json:"name"`
	Blank     string   `json:"blank"`
	Profiles  []string `json:"profiles"` // one, but for data
	Menu      bool     `json:"menu,omitempty"`
	Moves     bool     `json:"moves,omitempty"` // the menu's backdrop
	Music     string   `json:"music,omitempty"` // under the menu: a stored song
	PlayFirst bool     `json:"play_first,omitempty"`
	Loop      bool     `json:"loop,omitempty"`
	// "on" or "off" at the start; empty: words stand in the picture
	Subtitles string `json:"subtitles,omitempty"`
	Colour    string `json:"colour,omitempty"` // of subtitles, #rrggbb
	// a chapter every so many slides; 0: where the film has them
	Every  int         `json:"every,omitempty"`
	Kbps   int         `json:"kbps,omitempty"` // of the picture
	Titles []DiscTitle `json:"titles"`
}

// DiscTitle is a film on a disc, in one profile.
type DiscTitle struct {
	OrderID  int64  `json:"order"`
	RenderID int64  `json:"render"`
	Name     string `json:"name"`
}

// BurnState is how far a copy of a disc has come.
type BurnState string

// The states of a copy.
const (
	BurnWaiting   BurnState = "waiting" // for its turn, or for what Asks says
	BurnRunning   BurnState = "burning"
	BurnVerifying BurnState = "verifying"
	BurnDone      BurnState = "done" // read back, and the same
	BurnFailed    BurnState = "failed"
	BurnCancelled BurnState = "cancelled"
)

// Burn is a copy of a disc.
type Burn struct {
	ID          int64
	DeliveryID  int64
	Copy        int    // counted for each disc, from 1
	Words       string // to be written on it
	State       BurnState
	Asks        string // what someone must do before it can be burned
	Error       string
	Done, Total int64 // bytes
	CreatedAt   time.Time
	FinishedAt  *time.Time
}

// LinkDevice is a device that opened a link whose devices are counted.
type LinkDevice struct {
	LinkID int64  `gorm:"primaryKey"`
	Device []byte `gorm:"primaryKey"` // a hash of a number only the device has
	SeenAt time.Time
}

// Remark is what a client says of a moment of a proof, or what is answered.
type Remark struct {
	ID         int64
	OrderID    int64
	DeliveryID *int64
	ParentID   *int64  // the remark it answers
	Revision   int     // of the slideshow that was shown
	Seconds    float64 // into the film
	Slide      string  // shown then
	Who        string
	AuthorID   *int64 // of the studio; nil: the client
	Text       string
	DoneAt     *time.Time // ticked off
	CreatedAt  time.Time
}

// Approval is a client's word that a revision may be rendered for good.
type Approval struct {
	ID         int64
	OrderID    int64
	DeliveryID *int64
	Revision   int
	Film       string // names the approved film by all its segments
	Name       string // who said so
	CreatedAt  time.Time
}

// Reminder is a mail that reminded a client of a proof, so many days before the
// order was due.
type Reminder struct {
	OrderID int64     `gorm:"primaryKey"`
	Days    int       `gorm:"primaryKey"`
	Due     time.Time `gorm:"primaryKey"`
	SentAt  time.Time
}

// StandinMail is a message in the stand-in mailbox.
type StandinMail struct {
	ID                               int64
	ReceivedAt                       time.Time
	Sender, Recipient, Subject, Body string
}

// TableName implements GORM's Tabler.
func (StandinMail) TableName() string { return "standin_mail" }
