package store

import (
	"encoding/json"
	"time"
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

	// what clients are written, by what it is about; the usual words where there are none
	Mails map[string]RunMail `gorm:"serializer:json"`
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
