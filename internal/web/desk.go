package web

import (
	"fmt"
	"slices"

	"nelko/internal/core/cast"
	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/look"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/internal/store"
	"nelko/internal/studio"
)

// deskView is what can be changed on the selected slides, and the film at a
// frame.
type deskView struct {
	OrderID         int64
	Revision        int
	Frame           timecode.Frames
	Width, Height   int
	Timecode        string
	Seconds         string // of the frame, for the player
	Heading         string
	IDs             []doc.SlideID
	Slides          []deskSlide
	Linger, Pin     string
	Pinned, HasClip bool

	Pictures  bool // all are slides with pictures
	Many      bool // several slides, which can be put together
	Apart     bool // one that can be taken apart
	Layouts   []choice
	LayoutIs  string
	Caption   string
	Motion    string
	Zoom      string
	Backdrops []choice
	Backdrop  string
	Joins     []joinFamily
	OwnJoins  []string
	Join      string
	JoinIs    string // what the theme's rule gives
	JoinSec   string
	Direction string

	Directions []string
	Shots      []shotView
	Looks      []choice
	Card       *doc.Words
	Drifts     []design.Particles
	Decor      []decorView
}

type choice struct{ ID, Name string }

type joinFamily struct {
	Name  string
	Kinds []transition.Kind
}

type deskSlide struct {
	Number                     int
	Kind, Begins, Lasts, Media string
}

// shotView is one picture of the selection and what is set for it.
type shotView struct {
	ID          doc.MediaID
	Row         int64
	Name        string
	Clip, Sound bool
	FocalX      string // of a drawing 100 wide
	FocalY      string
	W, H        float64
	Look, Fit   string
	Tilt        string
	From, To    string
	Gain        string
	Set         bool
	ThumbW      int
}

type decorView struct {
	Index int
	Text  string
}

// desk shows what can be changed on the selected slides, and the film at a
// frame. own names the studio's own transitions.
func (s *Server) desk(wk *studio.Work, ids []doc.SlideID, frame timecode.Frames, own []string) deskView {
	frame = max(0, min(frame, wk.Plan.Pictures-1))
	v := deskView{OrderID: wk.Order.ID, Revision: wk.Slideshow.Head, Frame: frame, Timecode: wk.Doc.Rate.Timecode(frame),
		Seconds: fmt.Sprintf("%.3f", wk.Doc.Rate.Seconds(frame)), Width: 480, Height: 480 * wk.Doc.Frame.H / wk.Doc.Frame.W, Drifts: design.Drifts}
	if v.Height > 420 {
		v.Width, v.Height = 420*wk.Doc.Frame.W/wk.Doc.Frame.H, 420
	}
	lingers, pins, captions := map[string]bool{}, map[string]bool{}, map[string]bool{}
	v.Pictures = true
	for i, sl := range wk.Plan.Slides {
		if !slices.Contains(ids, sl.ID) {
			continue
		}
		v.IDs = append(v.IDs, sl.ID)
		d := drawing{Work: wk}
		v.Slides = append(v.Slides, deskSlide{i + 1, string(sl.Kind), wk.Doc.Rate.Timecode(sl.Start),
			fmt.Sprintf("%.2f s", wk.Doc.Rate.Seconds(sl.Length)), d.describe(sl.Slide)})
		lingers[fmt.Sprintf("%g", sl.Linger)] = true
		captions[sl.Caption] = true
		if sl.Pinned > 0 {
			v.Pinned = true
			pins[fmt.Sprintf("%g", sl.Pinned)] = true
		} else {
			pins[""] = true
		}
		v.HasClip = v.HasClip || sl.Kind == doc.Clip
		v.Pictures = v.Pictures && len(sl.Media) > 0
	}
	v.Linger, v.Pin, v.Caption = onlyOne(lingers), onlyOne(pins), onlyOne(captions)
	v.Heading = counted(len(v.Slides), "slide") + " selected"
	v.Pictures = v.Pictures && len(v.IDs) > 0
	v.Many = v.Pictures && len(v.IDs) > 1
	if len(v.IDs) > 0 {
		v.designs(wk)
		v.OwnJoins = own
	}
	for i, laid := range wk.Doc.Decor {
		v.Decor = append(v.Decor, decorView{i, fmt.Sprintf("%s over slides %d to %d", laid.Particles, wk.Doc.Index(laid.From)+1, wk.Doc.Index(laid.To)+1)})
	}
	return v
}

// maxShots is how many pictures of a selection are shown one by one.
const maxShots = 12

// designs fills in what is chosen for the selected slides' look.
func (v *deskView) designs(wk *studio.Work) {
	first := wk.Doc.Slides[wk.Doc.Index(v.IDs[0])]
	if len(v.IDs) == 1 {
		v.Card = first.Card
	}
	same := true
	for _, id := range v.IDs {
		sl := wk.Doc.Slides[wk.Doc.Index(id)]
		same = same && len(sl.Media) == len(first.Media)
		v.Apart = v.Apart || len(sl.Media) > 1
		for _, m := range sl.Media {
			if len(v.Shots) < maxShots {
				v.Shots = append(v.Shots, shotOf(wk, m))
			}
		}
	}
	if v.Pictures && same && first.Kind == doc.Pictures {
		for _, l := range wk.Theme.Layouts {
			if l.Pictures == len(first.Media) {
				v.Layouts = append(v.Layouts, choice{l.ID, l.Name})
			}
		}
		v.LayoutIs = "by the theme"
		if l, ok := (cast.Caster{Theme: wk.Theme, Aspect: wk.Doc.Aspect}).Layout(first, wk.Library, wk.Doc.Seed); ok && first.Layout == "" {
			v.LayoutIs = "by the theme: " + lowerFirst(l.Name)
		}
		for i := range v.Layouts {
			if v.Layouts[i].ID == first.Layout {
				v.Layouts[i].Name = "● " + v.Layouts[i].Name
			}
		}
	}
	if m := first.Motion; m != nil {
		v.Motion, v.Zoom = string(m.Kind), fmt.Sprintf("%g", m.Zoom*100)
	} else {
		v.Zoom = fmt.Sprintf("%g", wk.Theme.Motion.Zoom*100)
	}
	for _, b := range backdrops {
		v.Backdrops = append(v.Backdrops, choice{b.ID, b.Name})
		if first.Backdrop != nil && *first.Backdrop == b.Backdrop {
			v.Backdrop = b.ID
		}
	}
	for _, d := range transition.Turns {
		v.Directions = append(v.Directions, string(d))
	}
	for _, f := range transition.Families {
		v.Joins = append(v.Joins, joinFamily{f.Name, f.Kinds})
	}
	into := wk.Plan.Slides[wk.Doc.Index(v.IDs[0])].Into
	v.JoinIs, v.JoinSec = string(into.Kind), fmt.Sprintf("%g", into.Seconds)
	if first.Join != nil {
		v.Join, v.Direction = string(first.Join.Kind), string(first.Join.Direction)
	}
	for _, l := range look.Named {
		v.Looks = append(v.Looks, choice{l.ID, l.Name})
	}
}

func lowerFirst(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]|0x20) + s[1:]
}

func shotOf(wk *studio.Work, id doc.MediaID) shotView {
	m, shot := wk.Library[id], wk.Doc.Shot(id)
	row, err := store.RowID(id)
	if err != nil {
		row = 0
	}
	v := shotView{ID: id, Row: row, Name: m.Name, Clip: m.Kind == doc.ClipMedia, Sound: m.Sound, Set: shot != (doc.Shot{}), Fit: string(shot.Fit), Look: "theme"}
	v.W, v.H = float64(m.W), float64(m.H)
	v.ThumbW = max(40, int(96*m.Aspect()))
	if f := shot.Focal; f != nil && shot.Turn == 0 {
		v.FocalX, v.FocalY = fmt.Sprintf("%.1f", f.X*100), fmt.Sprintf("%.1f", f.Y*100)
	}
	if shot.Look != nil {
		for _, n := range look.Named {
			if n.Look == *shot.Look {
				v.Look = n.ID
			}
		}
	}
	v.Tilt = "0"
	if shot.Tilt != nil {
		v.Tilt = fmt.Sprintf("%g", *shot.Tilt)
	}
	v.From, v.To = fmt.Sprintf("%g", shot.Trim.From), fmt.Sprintf("%.2f", float64(m.Length)/timecode.SampleRate)
	if shot.Trim.To > 0 {
		v.To = fmt.Sprintf("%g", shot.Trim.To)
	}
	v.Gain = fmt.Sprintf("%g", shot.Sound*100)
	return v
}

// filmView is what can be set for the whole film.
type filmView struct {
	Frames []choice
	Frame  string
}

func film(wk *studio.Work) filmView {
	v := filmView{Frame: fmt.Sprintf("%dx%d", wk.Doc.Frame.W, wk.Doc.Frame.H), Frames: []choice{
		{"1920x1080", "16:9 wide, 1920×1080"}, {"1440x1080", "4:3 classic, 1440×1080"}, {"1080x1080", "1:1 square, 1080×1080"}, {"1080x1920", "9:16 upright, 1080×1920"},
		{"1280x720", "16:9 wide, 1280×720"}, {"3840x2160", "16:9 wide, 3840×2160"},
	}}
	if !slices.ContainsFunc(v.Frames, func(c choice) bool { return c.ID == v.Frame }) {
		v.Frames = append(v.Frames, choice{v.Frame, v.Frame})
	}
	return v
}
