package store

import (
	"time"

	"nelko/internal/core/list"
)

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
