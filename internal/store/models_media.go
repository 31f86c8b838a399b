package store

import (
	"fmt"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/timecode"
)

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
	// of a camera raw file: the file as received; SHA256 is the picture taken out of it
	Original     *string
	ClientPageID *int64     // the client's page it came by
	SpokenAt     *float64   // of narration: seconds into the film at which it was spoken
	SentAt       *time.Time // as whoever sent it says; nil: when it arrived
	RunFolder    string     // of a Run's material, the folder it came in; empty: another way
	Damage       string     // what was found when its file was read back; empty: nothing
	VerifiedAt   *time.Time // when that was
	CreatedAt    time.Time
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
	// as the client filled them in, until they are accepted
	Details   map[string]string `gorm:"serializer:json"`
	SaidAt    *time.Time        // when the client did so last; nil: nothing waits
	CreatedAt time.Time
}

// Open reports whether the client may still bring something in.
func (p *ClientPage) Open(now time.Time) bool { return p.ClosedAt == nil && now.Before(p.ExpiresAt) }

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
		ID:     m.DocID(),
		Kind:   m.Kind,
		Name:   m.Name,
		W:      m.Width,
		H:      m.Height,
		Length: timecode.Samples(m.Samples),
		LUFS:   m.LUFS,
		PeakDB: m.PeakDB,
		Heard:  m.Heard,
		Came:   m.came().UnixMilli(),
	}
	if m.Seen != nil {
		f.Faces, f.Focus, f.Print, f.Sound, f.Clear, f.Camera, f.Sharp = m.Seen.Faces, m.Seen.Focus,
			m.Seen.Print, m.Seen.Sound, m.Seen.Clear, m.Seen.Camera, m.Seen.Sharp
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
