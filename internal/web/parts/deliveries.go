package parts

import (
	"fmt"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/making"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

type RenderRow struct {
	ID           int64
	State        store.RenderState
	Text, Detail string
	Live, Film   bool
	Old          bool     // it is being made of a film that has changed since
	Ending       string   // of its file
	Beside       []string // endings of what lies beside it
	Percent      int
}

func RowOfRender(rd store.Render, head int, now time.Time) RenderRow {
	row := RenderRow{
		ID:     rd.ID,
		State:  rd.State,
		Live:   !rd.State.Over(),
		Film:   rd.State == store.RenderDone,
		Ending: making.Extension(rd),
	}
	if rd.FramesTotal > 0 {
		row.Percent = int(100 * rd.FramesDone / rd.FramesTotal)
	}
	name := strings.TrimSpace(rd.Profile + " " + ShapeName(rd.Shape))
	switch rd.State {
	case store.RenderWaiting:
		row.Text, row.Detail = name+": waiting in the queue", rd.Error // why it was put off
	case store.RenderRunning:
		row.Text = name + ": rendering"
		row.Detail = fmt.Sprintf("%d of %d frames", rd.FramesDone, rd.FramesTotal)
		if left, ok := making.TimeLeft(rd, now); ok {
			row.Detail += ", " + page.Minutes(left.Seconds()) + " left"
		}
		if rd.Attempt > 1 {
			row.Detail += fmt.Sprintf(" (begun %d times)", rd.Attempt)
		}
		if head > 0 && rd.Revision != head && rd.Profile != profile.Proof.Name {
			row.Old = true
			row.Detail += " · ! the film was changed since it was begun"
		}
	case store.RenderDone:
		row.Text = fmt.Sprintf("%s, %s", name, timecode.Clock(rd.Seconds))
		verified := "verified"
		if rd.Doubt != "" {
			verified = "! not verified: " + rd.Doubt
		}
		row.Detail = fmt.Sprintf("%.1f MB, %s, %s", float64(rd.Size)/1e6, verified,
			rd.FinishedAt.Format("2 Jan 15:04"))
		switch {
		case rd.Damage != "":
			row.Detail = "! " + rd.Damage + "; it is made again"
		case rd.AgainOf == nil && rd.Differs != "":
			row.Detail += " · " + rd.Differs
		case rd.AgainOf != nil && rd.Differs != "":
			row.Detail += " · made again, and differs: " + rd.Differs
		case rd.AgainOf != nil:
			row.Detail += " · made again, the same to the byte"
		}
		if rd.Queued > 0 {
			row.Detail += " · with what was changed while it waited"
		}
		if head > 0 && rd.Revision != head {
			row.Detail += " · changed since"
		}
	case store.RenderFailed:
		row.Text, row.Detail = name+": failed", rd.Error
	case store.RenderCancelled:
		row.Text = name + ": cancelled"
	}
	return row
}

func MailState(l store.Link) string {
	switch {
	case l.MailError != "" && l.MailedTo == "": // a proof that never went out
		return "mail failed: " + l.MailError
	case l.MailError != "":
		return "mail to " + l.MailedTo + " failed: " + l.MailError
	case l.MailedAt != nil:
		return "mailed to " + l.MailedTo + " " + l.MailedAt.Format("2 Jan 15:04")
	case l.MailedTo != "":
		return "mail to " + l.MailedTo + " waits"
	}
	return "address handed over"
}

func Views(l store.Link) string {
	switch {
	case l.Views == 0:
		return "not watched yet"
	case l.Views == 1:
		return "watched once"
	}
	return fmt.Sprintf("watched %d times", l.Views)
}

// ShapeName is what a render's shape is called; nothing for the first.
func ShapeName(shape string) string {
	f, err := doc.ParseFrame(shape)
	if err != nil {
		return ""
	}
	return f.Ratio()
}
