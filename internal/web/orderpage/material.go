package orderpage

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/focus"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// sheetFilter shows a part of the contact sheet.
type sheetFilter struct {
	ID, Name string
	Count    int
}

// sheetFilters are the parts of the contact sheet that are shown by
// themselves. Which is shown is in the page's own hands.
var sheetFilters = []struct {
	id, name string
	is       func(mediumView) bool
}{
	{"all", "All", func(mediumView) bool { return true }},
	{"held", "Held back", func(m mediumView) bool { return m.Held }},
	{"unused", "Not used", func(m mediumView) bool { return m.Uses == 0 && !m.Held }},
	{"twice", "Used more than once", func(m mediumView) bool { return m.Uses > 1 }},
	{"alike", "Look-alikes", func(m mediumView) bool { return m.Group > 0 }},
	{"small", "Too small for its place", func(m mediumView) bool { return m.Small }},
	{"blurred", "Blurred", func(m mediumView) bool { return m.Blurry }},
	{"dim", "Too dark or too light", func(m mediumView) bool { return m.Dim }},
	{"notime", "No time", func(m mediumView) bool { return m.NoTime }},
	{"clip", "Clips", func(m mediumView) bool { return m.Kind == doc.ClipMedia }},
	{"song", "Songs", func(m mediumView) bool { return m.Kind == doc.SongMedia }},
	{"starred", "With stars", func(m mediumView) bool { return m.Stars > 0 }},
	{"aside", "Set aside", func(m mediumView) bool { return m.Stars < 0 }},
}

// shows are the filters under which there is something, and the cameras if
// there are several.
func shows(sheet []mediumView) (out []sheetFilter) {
	for _, f := range sheetFilters {
		n := 0
		for _, m := range sheet {
			if f.is(m) {
				n++
			}
		}
		if n > 0 {
			out = append(out, sheetFilter{f.id, f.name, n})
		}
	}
	cameras := map[string]int{}
	for _, m := range sheet {
		if m.Camera != "" {
			cameras[m.Camera]++
		}
	}
	if len(cameras) > 1 {
		for _, c := range slices.Sorted(maps.Keys(cameras)) {
			out = append(out, sheetFilter{cameraTag(c), c, cameras[c]})
		}
	}
	return out
}

// cameraTag is a camera's name as a tag.
func cameraTag(camera string) string {
	h := fnv.New32a()
	_, _ = h.Write([]byte(camera)) // never fails
	return fmt.Sprintf("camera-%x", h.Sum32())
}

// shiftClock puts a camera's clock right.
func (m *material) shiftClock(w http.ResponseWriter, r *http.Request) {
	n, err := 0, error(nil)
	if right, wrong := page.FormInt(r, "right"), page.FormInt(r, "wrong"); right != 0 {
		n, err = m.Intake.Material.ShiftBy(r.Context(), page.Number(r, "order"), right, wrong)
	} else {
		var by time.Duration
		if by, err = clockBy(r.PostFormValue("by")); err == nil {
			n, err = m.Intake.Material.Shift(r.Context(), page.Number(r, "order"), r.PostFormValue("camera"),
				by)
		}
	}
	m.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good(fmt.Sprintf(
				"%s put right. Sort the slides by capture time to have them where they belong.",
				wording.Counted(n, "time")))
		}
	})
}

// takenForm is how the time of a picture is typed.
const takenForm = "2006-01-02 15:04:05"

// retime sets when a picture was taken; without a time it has none.
func (m *material) retime(w http.ResponseWriter, r *http.Request) {
	var at *time.Time
	var err error
	if text := strings.TrimSpace(r.PostFormValue("at")); text != "" {
		t, wrong := time.Parse(takenForm, text)
		if wrong != nil {
			t, wrong = time.Parse("2006-01-02 15:04", text)
		}
		if at = &t; wrong != nil {
			err = &invalid.Input{
				Field: "at",
				Problem: fmt.Sprintf("%q is no time: type 2026-09-12 14:30, with seconds if they matter, "+
					"or nothing where it is unknown.", text),
			}
		}
	}
	if err == nil {
		err = m.Intake.Material.Retime(r.Context(), page.Number(r, "order"), page.Number(r, "media"), at)
	}
	m.answer(w, r, err, nil)
}

// clockBy reads by how much a clock is wrong: h:mm or h:mm:ss, with a sign.
func clockBy(text string) (time.Duration, error) {
	sign, rest := time.Duration(1), strings.TrimSpace(text)
	if cut, minus := strings.CutPrefix(strings.Replace(rest, "−", "-", 1), "-"); minus {
		sign, rest = -1, cut
	}
	var h, m, sec int
	rest = strings.TrimPrefix(rest, "+")
	n, err := fmt.Sscanf(rest, "%d:%d:%d", &h, &m, &sec)
	if n < 2 || (err != nil && n != 2) || h < 0 || m < 0 || sec < 0 || m > 59 || sec > 59 ||
		strings.Count(rest, ":") != n-1 {
		return 0, &invalid.Input{
			Field: "by",
			Problem: fmt.Sprintf("%q is not a time: type +1:00 for an hour later, −0:02:30 for two and a "+
				"half minutes earlier.", text),
		}
	}
	return sign * (time.Duration(h)*time.Hour + time.Duration(m)*time.Minute +
		time.Duration(sec)*time.Second), nil
}

// Given is as long as the medium has stars.
func (m mediumView) Given() []struct{} { return make([]struct{}, max(0, m.Stars)) }

// Tags are the filters a medium is shown under.
func (m mediumView) Tags() string {
	var tags []string
	for _, f := range sheetFilters {
		if f.is(m) {
			tags = append(tags, f.id)
		}
	}
	if m.Camera != "" {
		tags = append(tags, cameraTag(m.Camera))
	}
	return strings.Join(tags, " ")
}

// rate gives a medium stars, or sets it aside.
func (m *material) rate(w http.ResponseWriter, r *http.Request) {
	n, err := strconv.Atoi(r.PostFormValue("stars"))
	if err != nil {
		err = &invalid.Input{Field: "stars", Problem: "Stars are 0 to 5, or −1 to set it aside."}
	} else {
		err = m.Intake.Material.Rate(r.Context(), page.Number(r, "order"), page.Number(r, "media"), n)
	}
	m.answer(w, r, err, nil)
}

// mediumView is a medium on the contact sheet.
type mediumView struct {
	ID     int64
	DocID  doc.MediaID
	Name   string
	Kind   doc.MediaKind
	Thumb  bool
	Facts  string // pixels or length, and when it was taken
	Uses   int
	Slides []slideLink
	Group  int // of look-alikes; 0: none
	Small  bool
	NoTime bool
	Blurry bool
	Camera string
	Stars  int // −1: set aside
	Held   bool
	Taken  string // as it is typed
	Dim    bool   // too dark, or too light
	Words  string // its description
}

// slideLink leads from a picture to a slide that shows it.
type slideLink struct {
	Number int
	Path   string
}

// slowAfter is when a file that is not read yet is named.
const slowAfter = 3 * time.Second

// material lays the contact sheet out: pictures in the order they were taken,
// those without a time last, then songs.
func (v *orderView) material(storing int) {
	counts := map[doc.MediaKind]int{}
	waiting := 0
	var rows []store.Media
	for _, m := range v.Media {
		switch m.State {
		case store.Refused:
			v.RefusedMedia = append(v.RefusedMedia, m)
		case store.Ready:
			if m.Damage != "" {
				v.LostMedia = append(v.LostMedia, m)
			}
			counts[m.Kind]++
			rows = append(rows, m)
		default:
			waiting++
			if time.Since(m.CreatedAt) > slowAfter {
				v.SlowMedia = append(v.SlowMedia, m)
			}
		}
	}
	slices.SortStableFunc(rows, func(a, b store.Media) int {
		song := func(m store.Media) int {
			if m.Kind == doc.SongMedia {
				return 1
			}
			return 0
		}
		when := func(m store.Media) int64 {
			if m.Captured == nil {
				return math.MaxInt64
			}
			return m.Captured.UnixMicro()
		}
		return cmp.Or(cmp.Compare(song(a), song(b)), cmp.Compare(when(a), when(b)))
	})
	media := make([]doc.Media, len(rows))
	for i, m := range rows {
		media[i] = m.Known()
	}
	used := 0
	for i, f := range plan.Material(v.Doc, media) {
		m := rows[i]
		row := mediumView{
			ID:     m.ID,
			DocID:  m.DocID(),
			Name:   m.Name,
			Kind:   m.Kind,
			Thumb:  m.Thumbnail != nil,
			Group:  f.Group,
			Uses:   len(f.Slides),
			Stars:  m.Stars,
			Small:  v.enlarged[m.DocID()],
			NoTime: m.Captured == nil && m.Kind != doc.SongMedia,
			Camera: media[i].Camera,
			Blurry: media[i].Sharp > 0 && media[i].Sharp < focus.Blurred,
			Held:   m.Held,
			Words:  media[i].Description,
			Dim:    media[i].Light > 0 && (media[i].Light < focus.Dark || media[i].Light > focus.Light),
		}
		if f.Plays {
			row.Uses = 1
		}
		if f.Used() {
			used++
		}
		for _, n := range f.Slides {
			row.Slides = append(row.Slides,
				slideLink{n + 1, parts.StepPath(v.Order.ID, "slide-"+string(v.Doc.Slides[n].ID))})
		}
		switch {
		case m.Kind != doc.PhotoMedia:
			row.Facts = timecode.Clock(float64(m.Samples) / timecode.SampleRate)
		default:
			if row.Facts = fmt.Sprintf("%d × %d", m.Width, m.Height); m.Original != nil {
				row.Facts += " · the raw file’s own preview"
			}
		}
		if m.Captured != nil {
			row.Taken = m.Captured.UTC().Format(takenForm)
			row.Facts += m.Captured.UTC().Format(" · 2 Jan 15:04")
		}
		v.Sheet = append(v.Sheet, row)
	}
	v.Shows = shows(v.Sheet)
	for _, m := range v.Sheet {
		if m.Kind == doc.PhotoMedia && !m.NoTime && !slices.Contains(v.Cameras, m.Camera) {
			v.Cameras = append(v.Cameras, m.Camera)
		}
	}
	slices.Sort(v.Cameras)
	if len(rows) > 0 {
		v.UsedCount = fmt.Sprintf("%d in, %d used, %d not used", len(rows), used, len(rows)-used)
	}
	parts := []string{}
	for _, k := range []doc.MediaKind{doc.PhotoMedia, doc.ClipMedia, doc.SongMedia} {
		if counts[k] > 0 {
			parts = append(parts, wording.Counted(counts[k], string(k)))
		}
	}
	if waiting > 0 {
		parts = append(parts, wording.Counted(waiting, "file")+" being read")
	}
	if storing > 0 {
		parts = append(parts, wording.Counted(storing, "file")+" being stored")
	}
	if len(parts) == 0 {
		parts = []string{"nothing yet"}
	}
	v.MaterialCount = strings.Join(parts, ", ")
}
