package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/list"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
)

// Studio is the one row of the studio's own settings.
type Studio struct {
	ID        int
	Name      string
	Demo      bool
	Watermark string // words on drafts; empty: none
	Language  string // of words and sound in films, as ISO 639-2 has it
	Sites     string // origins that may show films in their pages, a line each
	Folder    string // into which films are put as files: any address of a blob store; empty: none
	FileNames string // pattern of their names; empty: the usual one
	Contact   string // line on the studio's contact card; empty: none
	Credits   string // lines of its credits; empty: none
	// For how many days deleted and archived orders are kept, and lines of the
	// trail; 0: for good.
	KeepDeleted, KeepArchived, KeepTrail int

	Photos string // address of the WebDAV folder with albums that photos are fetched from; empty: none

	Mails map[string]RunMail `gorm:"serializer:json"` // what clients are written, by what it is about; the usual words where there are none
	Mark  string             // words in a corner of finished films; empty: none

	MarkPicture *Picture `gorm:"serializer:json"` // stands there instead

	Aside []string `gorm:"-"` // settings that cannot be read
}

// Picture is a stored picture and its size in pixels.
type Picture struct {
	SHA256 string `json:"sha256"`
	W      int    `json:"w"`
	H      int    `json:"h"`
}

// TableName implements GORM's Tabler.
func (Studio) TableName() string { return "studio" }

// Role is what a user may do.
type Role string

// Owners also manage users and the studio's settings.
const (
	Owner    Role = "owner"
	Operator Role = "operator"
)

// User is someone who signs in.
type User struct {
	ID           int64
	Email, Name  string
	Role         Role
	PasswordHash string
	SessionEra   int        // sessions that began in an earlier one are over
	DisabledAt   *time.Time // may not sign in since
	RemovedAt    *time.Time // is only a name since, for what was done
	TOTPSecret   string     `gorm:"column:totp_secret"` // of the authenticator; empty: no second step
	TOTPStep     int64      `gorm:"column:totp_step"`   // of the last code that was taken
	CreatedAt    time.Time
}

// RecoveryCode stands in for an authenticator, once.
type RecoveryCode struct {
	UserID int64  `gorm:"primaryKey"`
	Hash   []byte `gorm:"primaryKey"`
	UsedAt *time.Time
}

// Passkey is a key of a device by which a user signs in.
type Passkey struct {
	ID         []byte `gorm:"primaryKey"`
	UserID     int64
	Name       string
	Credential json.RawMessage `gorm:"type:jsonb"` // of accounts' library
	CreatedAt  time.Time
	UsedAt     *time.Time
}

// KnownDevice is a browser from which a user has signed in.
type KnownDevice struct {
	UserID int64  `gorm:"primaryKey"`
	Hash   []byte `gorm:"primaryKey"`
	SeenAt time.Time
}

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
	StepKind, StepText, StepPlace string   // the one next thing it needs, and where it is done
	PictureSeconds, MusicSeconds  float64  // lengths
	Strip                         Numbers  `gorm:"type:bigint[]"` // media whose thumbnails stand for it
	Words                         string   // what it is found by: client, event and details, in lower case
	Pictures                      int      // photos and clips in the film
	Sees                          []Sight  `gorm:"serializer:json"`
	Found                         *int     // how many things there are to look at; nil: not looked since it changed
	Own                           []string `gorm:"serializer:json"` // parts of a row's film that are not the pattern's
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

// Run is many orders made from one pattern, one list and one set of folders.
// Its rows are orders with a key; its pattern is an order without one.
type Run struct {
	ID          int64
	Name, Event string
	Due         time.Time
	PatternID   *int64
	List        *RunList `gorm:"serializer:json"` // as it was brought in last
	Pending     *RunList `gorm:"serializer:json"` // waits to be agreed to
	Given       int      // revision of the pattern that all rows follow
	SeenAs      *int64   // the row whose material fills the pattern
	FileNames   string   // pattern of the films' names; empty: the usual one
	Mail        *RunMail `gorm:"serializer:json"`
	Watches     string   // folder whose files are brought in; empty: none
	Trouble     string   // what is wrong with that folder; empty: nothing
	Said        string   // what could not be done with a file that came
	PausedAt    *time.Time
	ArchivedAt  *time.Time
	CreatedAt   time.Time
}

// RunList is a list with what its columns are for.
type RunList struct {
	list.Table
	Roles []list.Role `json:"roles"`
}

// RunMail is what clients are written, with fields of their order in it.
type RunMail struct {
	Subject string `json:"subject"`
	Text    string `json:"text"`
}

// RunFolder is a folder of a Run's material, and the row it belongs to.
type RunFolder struct {
	RunID            int64  `gorm:"primaryKey"`
	Name             string `gorm:"primaryKey"`
	OrderID          *int64 // nil: none yet
	Sure             list.Sureness
	Likely, RunnerUp *int64
	Why              string
	Passed           bool // belongs to no row, someone said
}

// RunFile is a file that came for a Run and waits to be given to a row.
type RunFile struct {
	ID       int64
	RunID    int64
	Folder   string // empty: the root of the material
	Name     string
	UploadID string
	SHA256   string `gorm:"column:sha256"`
	Size     int64
}

// RunStep is something that was done to rows of a Run by hand.
type RunStep struct {
	ID        int64
	RunID     int64
	AuthorID  *int64
	Title     string
	Cells     []RunCell      `gorm:"serializer:json"`
	Folders   []FolderAnswer `gorm:"serializer:json"`
	Undone    bool
	CreatedAt time.Time
}

// FolderAnswer is which row a folder of a Run's material was said to belong to.
type FolderAnswer struct {
	Folder    string `json:"folder"`
	OrderID   int64  `json:"order"`                // 0: to none
	WasPassed bool   `json:"was_passed,omitempty"` // it was said before that it belongs to none
}

// RunCell is a cell of a Run's sheet that was changed.
type RunCell struct {
	OrderID int64     `json:"order"`
	Role    list.Role `json:"role"`
	Was     string    `json:"was"`
	To      string    `json:"to"`
	WasOwn  bool      `json:"was_own,omitempty"` // the row's own before, not as the pattern had it
}

// LeftOut is a row that an act of its Run leaves out, and why.
type LeftOut struct {
	ID   int64  `json:"id"`
	Key  string `json:"key"`
	Name string `json:"name"`
	Why  string `json:"why"`
}

// ActState is how far an act of a Run is.
type ActState string

// The states of an act.
const (
	ActWaiting ActState = "waiting"
	ActRunning ActState = "running"
	ActDone    ActState = "done"
	ActStopped ActState = "stopped"
	ActFailed  ActState = "failed"
)

// Open reports whether an act goes on.
func (s ActState) Open() bool { return s == ActWaiting || s == ActRunning }

// RunAct is something that is done with rows of a Run, one after the other.
type RunAct struct {
	ID         int64
	RunID      int64
	AuthorID   *int64
	Author     string // as the trail names who asked for it
	Act        string
	How        *DiscSetting `gorm:"serializer:json"`
	Rows       Numbers      `gorm:"type:bigint[]"`
	Next       int          // how many rows were gone through
	Begun      int          // with how many something was done
	LeftOut    []LeftOut    `gorm:"serializer:json"`
	State      ActState
	Error      string
	Seen       bool // somebody read what became of it
	CreatedAt  time.Time
	FinishedAt *time.Time
}

// Blob is a file in the blob store, named by its SHA-256 in hex.
type Blob struct {
	SHA256    string `gorm:"primaryKey;column:sha256"`
	Size      int64
	CreatedAt time.Time
	TouchedAt time.Time // when it was last given to someone who may be about to refer to it
}

// MediaState is how far a received file has come.
type MediaState string

// The states of a medium.
const (
	Waiting MediaState = "waiting" // to be looked at
	Ready   MediaState = "ready"
	Refused MediaState = "refused" // Reason says why
)

// Media is a received file. It belongs to an order, to a Run or, with neither,
// to the studio.
type Media struct {
	ID            int64
	OrderID       *int64
	RunID         *int64
	UploadID      string
	Name          string
	SHA256        string `gorm:"column:sha256"`
	Size          int64
	State         MediaState
	Reason        string
	Kind          doc.MediaKind
	Width, Height int
	Captured      *time.Time
	Samples       int64
	LUFS          float64 `gorm:"column:lufs"`
	PeakDB        float64 `gorm:"column:peak_db"`
	Waveform      []byte
	Thumbnail     *string
	Proxy         *string
	Seen          *Seen      `gorm:"serializer:json"`
	Heard         *doc.Heard `gorm:"serializer:json"` // songs: what was heard; nil: not listened to yet
	Stars         int        // 1 to 5; 0 none given, −1 set aside
	Held          bool       // is not in any film before it is accepted
	Original      *string    // of a camera raw file: the file as received; SHA256 is the picture taken out of it
	ClientPageID  *int64     // the client's page it came by
	SpokenAt      *float64   // of narration: seconds into the film at which it was spoken
	SentAt        *time.Time // as whoever sent it says; nil: when it arrived
	RunFolder     string     // of a Run's material, the folder it came in; empty: another way
	Damage        string     // what was found when its file was read back; empty: nothing
	VerifiedAt    *time.Time // when that was
	CreatedAt     time.Time
}

// Why a file that is here already is not taken a second time; the second where it put right the
// first.
const (
	again    = ", which is here already"
	sameFile = "the same file as %s" + again
	heals    = ", which was damaged or missing, is whole again by it"
)

// SameAs is why a file is not taken that another is already, and whether that was damaged.
func SameAs(twin Media) string {
	if twin.Damage != "" {
		return twin.Name + heals
	}
	return fmt.Sprintf(sameFile, twin.Name)
}

// Heals reports whether the file put right another by being sent again: nothing is wrong with it.
func (m Media) Heals() bool { return m.State == Refused && strings.HasSuffix(m.Reason, heals) }

// Twin reports whether the file is only another's twin: nothing is wrong with either.
func (m Media) Twin() bool { return m.State == Refused && strings.HasSuffix(m.Reason, again) }

// Seen is what was seen on a medium when it was looked at.
type Seen struct {
	Faces []framing.Rect `json:"faces,omitempty"`
	Focus framing.Point  `json:"focus,omitzero"`
	Print uint64         `json:"print,omitempty"`

	Interest framing.Rect `json:"interest,omitzero"`

	Sound bool `json:"sound,omitempty"`
	Clear bool `json:"clear,omitempty"`

	Camera      string  `json:"camera,omitempty"`
	Sharp       float64 `json:"sharp,omitempty"`
	Light       float64 `json:"light,omitempty"`
	Description string  `json:"description,omitempty"`

	Track    int        `json:"track,omitempty"`
	Starts   doc.Starts `json:"starts,omitempty"`
	Faulty   string     `json:"faulty,omitempty"`
	Examined bool       `json:"examined,omitempty"` // a clip: where its decoding may begin was looked at
}

// TableName implements GORM's Tabler.
func (Media) TableName() string { return "media" }

// Music is what the studio knows of a song of its library beside the file.
type Music struct {
	MediaID        int64 `gorm:"primaryKey"`
	Mood, Occasion string
	Favourite      bool
	Licence        string     // from whom, for what
	LicenceUntil   *time.Time `gorm:"type:date"` // nil: for ever, or unknown
	AddedAt        time.Time
}

// TableName implements GORM's Tabler.
func (Music) TableName() string { return "music" }

// ClientPage is the page on which an order's client brings material in and
// fills in the details. What comes by it is held back until it is accepted.
type ClientPage struct {
	ID        int64
	OrderID   int64
	Token     string
	TokenHash []byte
	Files     int   // that may come by it
	Bytes     int64 // likewise, together
	ExpiresAt time.Time
	ClosedAt  *time.Time
	Details   map[string]string `gorm:"serializer:json"` // as the client filled them in, until they are accepted
	SaidAt    *time.Time        // when the client did so last; nil: nothing waits
	CreatedAt time.Time
}

// Open reports whether the client may still bring something in.
func (p *ClientPage) Open(now time.Time) bool { return p.ClosedAt == nil && now.Before(p.ExpiresAt) }

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

// DocID is the medium's name in documents: its content.
func (m Media) DocID() doc.MediaID { return doc.MediaID(m.SHA256) }

// Looked is a copy of what was seen of the medium, to be added to.
func (m Media) Looked() Seen {
	if m.Seen == nil {
		return Seen{}
	}
	return *m.Seen
}

// Known is what the core knows of the medium.
func (m Media) Known() doc.Media {
	f := doc.Media{
		ID: m.DocID(), Kind: m.Kind, Name: m.Name, W: m.Width, H: m.Height,
		Length: timecode.Samples(m.Samples), LUFS: m.LUFS, PeakDB: m.PeakDB, Heard: m.Heard, Came: m.came().UnixMilli(),
	}
	if m.Seen != nil {
		f.Faces, f.Focus, f.Print, f.Sound, f.Clear, f.Camera, f.Sharp = m.Seen.Faces, m.Seen.Focus, m.Seen.Print, m.Seen.Sound, m.Seen.Clear, m.Seen.Camera, m.Seen.Sharp
		f.Track, f.Starts, f.Faulty = m.Seen.Track, m.Seen.Starts, m.Seen.Faulty
		f.Light, f.Description, f.Interest = m.Seen.Light, m.Seen.Description, m.Seen.Interest
	}
	if m.Captured != nil {
		f.Captured = m.Captured.UTC()
	}
	f.Spoken = m.SpokenAt
	if m.Proxy != nil {
		f.Small = doc.MediaID(*m.Proxy)
	}
	return f
}

// came is when the file was sent, or arrived.
func (m Media) came() time.Time {
	if m.SentAt != nil {
		return *m.SentAt
	}
	return m.CreatedAt
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
	ID                      int64
	OrderID                 int64
	SlideshowID             int64
	Revision                int
	LeadID                  *int64            // drawn with this one
	Shape                   string            // the further frame shape, as doc.Frame's String; empty: the first
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
	Queued                  int        // the revision it was queued at, where it was made of a later one; else 0
	Doubt                   string     // what in it was not made without errors; empty: nothing, it was verified
	AgainOf                 *int64     // the render it stands for, made again
	Differs                 string     // how it differs from that one; empty: it does not
	Size                    int64
	Seconds                 float64 // length of the film
	CreatedAt               time.Time
	StartedAt, FinishedAt   *time.Time
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
	Kind      DiscKind    `json:"kind"`
	Name      string      `json:"name"`
	Blank     string      `json:"blank"`
	Profiles  []string    `json:"profiles"` // one, but for data
	Menu      bool        `json:"menu,omitempty"`
	Moves     bool        `json:"moves,omitempty"` // the menu's backdrop
	Music     string      `json:"music,omitempty"` // under the menu: a stored song
	PlayFirst bool        `json:"play_first,omitempty"`
	Loop      bool        `json:"loop,omitempty"`
	Subtitles string      `json:"subtitles,omitempty"` // "on" or "off" at the start; empty: words stand in the picture
	Colour    string      `json:"colour,omitempty"`    // of subtitles, #rrggbb
	Every     int         `json:"every,omitempty"`     // a chapter every so many slides; 0: where the film has them
	Kbps      int         `json:"kbps,omitempty"`      // of the picture
	Titles    []DiscTitle `json:"titles"`
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
