package orderpage

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/proofs"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
	"nelko/internal/web/timeline"
)

// deskView is what can be changed on the selected slides, or in the whole
// film if none are, and the film at a frame.
type deskView struct {
	At              string // the order in addresses, in the shape it is seen in
	Shapes          []shapeView
	OwnHere         string // what of the chosen slides is that shape's own
	ShapeHere       shapeView
	First           string // the first shape
	Shown           string // revision, frame and slides, by which the page knows what the margin shows
	Lasts           string // the selected slides together
	Details         []page.Detail
	Any             bool // there are slides
	Revision        int
	Standing        string // see Looking.Standing
	Frame           timecode.Frames
	Width, Height   int
	Timecode        string
	Seconds         string // of the frame, for the player
	Heading         string
	IDs             []doc.SlideID
	MediaIDs        []doc.MediaID // of the selection
	Slides          []deskSlide
	Remarks         []proofs.Said // of the client on the selected slides
	Linger, Pin     fieldView
	Pinned, HasClip bool
	On              doc.SlideID // the slide that shows the choices
	Manners         []manner
	Ends            *doc.Fades  // of the whole film
	Lines           string      // captions with times, as they are typed
	Opening         doc.SlideID // that prints the details; empty: none
	About           string      // what their pictures depend on
	Starts          int64       // its first frame

	Pictures  bool           // some are slides with pictures
	Many      bool           // several slides, which can be put together
	Apart     bool           // one that can be taken apart
	Layouts   []parts.Choice // that most of the chosen slides can have
	LayoutIs  string
	Caption   fieldView
	Chapter   string // of the one slide chosen
	Backdrop  backdropView
	Behind    []parts.Choice // pictures that can stand behind
	BehindIs  doc.MediaID
	Lettering *letteringView // of openings, closings and cards

	Shortest, Longest float64           // a picture is seen, in seconds
	Panel             string            // that is open, whose pictures are wanted
	Kinds             []parts.Choice    // of change that can be made, by the ids of their panels
	For               map[string]string // in a mixed choice, to how many a panel applies

	LayoutPicks, MotionPicks, JoinPicks, BackdropPicks, LookPicks, StylePicks picks
	Motion                                                                    motionView
	Join                                                                      joinView
	Tone                                                                      toneView
	Style                                                                     styleView
	Shots                                                                     []shotView
	Looks                                                                     []parts.Choice
	Card                                                                      *doc.Words
	CardX                                                                     string
	CardY                                                                     string
	Drifts                                                                    []design.Particles
	Decor                                                                     []decorView
	// pictures that can be laid over
	Overlays []parts.Choice
	// they come when the panel is opened
	OverLater bool
	Eases     []parts.Choice
}

type deskSlide struct {
	Number                     int
	Kind, Begins, Lasts, Media string
}

// shotView is one picture of the selection and what is set for it.
type shotView struct {
	ID           doc.MediaID
	Row          int64
	Name         string
	Clip, Sound  bool
	FocalX       string // of a drawing 100 wide
	FocalY       string
	Turn         int // degrees
	Look, Fit    string
	Scale, Tilt  string
	From, To     string
	Gain         string
	Set          bool
	ThumbW       int
	FrameW       int // of the larger drawing in which it is cropped and framed
	FrameH       int
	Crop         rectView
	Slide        doc.SlideID // whose motion can be set by framings, if it has no other picture
	Begins, Ends rectView
	In           doc.SlideID    // that shows nothing but this clip
	Whole        string         // seconds of the clip, untrimmed
	Others       []parts.Choice // pictures in no slide that can stand in its place
}

// rectView is a rectangle in per cent.
type rectView struct{ X, Y, W, H string }

func percentRect(r framing.Rect) rectView {
	return rectView{percent(r.X), percent(r.Y), percent(r.W), percent(r.H)}
}

// percent writes a share as per cent, to a hundredth.
func percent(v float64) string { return fmt.Sprintf("%g", math.Round(v*10000)/100) }

// desk shows what can be changed on the selected slides, and the film at a
// frame. own names the studio's own transitions, panel the kind of change whose
// choices are shown.
func (s *shared) desk(wk *orders.Dossier, ids []doc.SlideID, frame timecode.Frames, own []string,
	panel string) deskView {
	frame = max(0, min(frame, wk.Plan.Frames-1))
	v := deskView{
		Panel:    panel,
		At:       seenPath(wk),
		Shapes:   shapesOf(wk),
		First:    wk.Whole.Frame.Ratio(),
		Revision: wk.Slideshow.Head,
		Standing: s.Looking.Standing(wk.Settings),
		Frame:    frame,
		Timecode: wk.Doc.Rate.Timecode(max(0, frame)),
		Any:      len(wk.Plan.Slides) > 0,
		Seconds:  fmt.Sprintf("%.3f", wk.Doc.Rate.Seconds(max(0, frame))),
		Width:    640,
		Height:   640 * wk.Doc.Frame.H / wk.Doc.Frame.W,
		Drifts:   design.Drifts,
	}
	if v.Height > 640 {
		v.Width, v.Height = 640*wk.Doc.Frame.W/wk.Doc.Frame.H, 640
	}
	var chosen, pictured []doc.Slide
	var together timecode.Frames
	for i, sl := range wk.Plan.Slides {
		if !slices.Contains(ids, sl.ID) {
			continue
		}
		v.IDs = append(v.IDs, sl.ID)
		v.Slides = append(v.Slides, deskSlide{i + 1, string(sl.Kind), wk.Doc.Rate.Timecode(sl.Start),
			fmt.Sprintf("%.2f s", wk.Doc.Rate.Seconds(sl.Each())), timeline.Describe(wk.Library, sl.Slide)})
		chosen = append(chosen, sl.Slide)
		v.Chapter = sl.Chapter
		v.Pinned = v.Pinned || sl.Pinned > 0
		v.HasClip = v.HasClip || sl.Kind == doc.Clip
		together += sl.Each()
		if len(sl.Media) > 0 {
			pictured = append(pictured, sl.Slide)
		}
	}
	for _, said := range proofs.Threads(wk.Remarks, wk.Plan) {
		if slices.Contains(v.IDs, doc.SlideID(said.Slide)) {
			v.Remarks = append(v.Remarks, said)
		}
	}
	v.Linger = several(chosen, func(s doc.Slide) string { return fmt.Sprintf("%g", s.Linger) })
	v.Caption = several(pictured, func(s doc.Slide) string { return s.Caption })
	if len(chosen) == 1 {
		v.Lines = linesText(chosen[0].Lines)
	}
	v.Pin = several(chosen, func(s doc.Slide) string {
		if s.Pinned == 0 {
			return ""
		}
		return fmt.Sprintf("%g", s.Pinned)
	})
	v.Heading = wording.Counted(len(v.Slides), "slide") + " selected"
	if len(v.Slides) == 1 {
		v.Heading = fmt.Sprintf("Slide %d, %s", v.Slides[0].Number, v.Slides[0].Kind)
	}
	if len(v.IDs) > 0 {
		v.Lasts = fmt.Sprintf("%.2f s", wk.Doc.Rate.Seconds(together))
	}
	names := make([]string, len(v.IDs))
	for i, id := range v.IDs {
		names[i] = string(id)
	}
	v.Shown = fmt.Sprintf("%d|%d|%s", v.Revision, v.Frame, strings.Join(names, ","))
	v.ownHere(wk, chosen)
	v.Pictures = len(pictured) > 0
	v.Many = len(pictured) == len(v.IDs) && len(v.IDs) > 1
	v.For = map[string]string{}
	if n := len(pictured); v.Pictures && n < len(v.IDs) {
		for _, panel := range []string{"motion", "captions", "look", "light", "manner"} {
			v.For[panel] = fmt.Sprintf("for %d of %d", n, len(v.IDs))
		}
	}
	if len(v.IDs) > 0 {
		v.designs(wk, chosen, pictured, own)
	}
	if len(v.IDs) == 0 {
		if len(wk.Doc.Slides) > 0 && wk.Doc.Slides[0].Kind == doc.Opening {
			v.Opening = wk.Doc.Slides[0].ID
		}
		v.film(wk, own)
		v.Shortest, v.Longest = wk.Doc.Fit.Shortest, wk.Doc.Fit.Longest
		for _, d := range wk.Theme.Details {
			value := wk.Doc.Details[d.Key]
			v.Details = append(v.Details, page.DetailOf(d, value))
		}
	}
	v.decor(wk)
	v.manners(wk)
	if len(v.IDs) == 1 {
		v.others(wk)
	}
	v.kinds()
	v.pictured(wk, own, func(id doc.SlideID) string { return s.Looking.Choices.About(wk, id) })
	return v
}

// ownHere says what of the chosen slides is the own of the shape seen.
func (v *deskView) ownHere(wk *orders.Dossier, chosen []doc.Slide) {
	at := wk.Whole.ShapeAt(wk.Shape)
	if at < 0 {
		return
	}
	v.ShapeHere = v.Shapes[at+1]
	var parts []string
	for _, s := range chosen {
		for _, p := range wk.Whole.Shapes[at].Own(s) {
			if !slices.Contains(parts, p) {
				parts = append(parts, p)
			}
		}
	}
	v.OwnHere = wording.Listed(parts)
}

// UsualLimits are how long pictures are seen usually.
func (v deskView) UsualLimits() string {
	return fmt.Sprintf("%g and %d", doc.UsualShortest, doc.UsualLongest)
}

// kinds are the panels of the margin: what applies to any of what is chosen.
func (v *deskView) kinds() {
	add := func(id, name string, when bool) {
		if when {
			v.Kinds = append(v.Kinds, parts.Choice{ID: id, Name: name})
		}
	}
	film := len(v.IDs) == 0
	add("details", "Details", film)
	add("slide", "Slide", !film)
	add("card", "Words", v.Lettering != nil)
	add("layout", "Layout", len(v.Layouts) > 0)
	add("motion", "Motion", v.Any && (film || v.Pictures))
	add("join", "Transition", v.Any)
	add("backdrop", "Backdrop", !film)
	add("look", "Look", v.Any && (film || v.Pictures))
	add("light", "Light", v.Any && (film || v.Pictures))
	add("captions", "Captions", v.Any && (film || v.Pictures))
	add("pictures", "Pictures", len(v.Shots) > 0)
	add("over", "Over it", v.Any)
	add("manner", "Manner", v.Any && (film || v.Pictures))
}

// maxShots is how many pictures of a selection are shown one by one.
const maxShots = 12

// designs fills in what is chosen for the selected slides' look.
func (v *deskView) designs(wk *orders.Dossier, chosen, pictured []doc.Slide, own []string) {
	first := chosen[0]
	if len(v.IDs) == 1 && first.Card != nil {
		v.Card = first.Card
		if at := first.Card.At; at != nil {
			v.CardX, v.CardY = percent(at.X), percent(at.Y)
		}
	}
	for _, sl := range chosen {
		v.Apart = v.Apart || len(sl.Media) > 1
		for _, m := range sl.Media {
			v.MediaIDs = append(v.MediaIDs, m)
			if len(v.Shots) < maxShots {
				v.Shots = append(v.Shots, shotOf(wk, sl, m))
			}
		}
	}
	v.mostLayouts(wk, pictured)
	moving := chosen
	if v.Pictures {
		moving = pictured
	}
	v.Motion = motionOf(wk, moving)
	v.Backdrop = backdropOf(chosen)
	v.BehindIs = first.Picture
	v.Join = joinOf(wk, chosen, own)
	v.Eases = eases
	v.looks()
	v.Tone = toneOf(wk, v.MediaIDs)
	v.Style = styleOf(wk, moving)
	v.lettering(wk, chosen)
	if v.Panel == "backdrop" { // a long list, which the other panels do without
		v.Behind = picturesOf(wk)
	}
}

// film fills in what is chosen for the whole film.
func (v *deskView) film(wk *orders.Dossier, own []string) {
	v.Ends = &doc.Fades{InSeconds: wk.Theme.Fades.InSeconds, OutSeconds: wk.Theme.Fades.OutSeconds}
	if wk.Doc.Fades != nil {
		v.Ends = wk.Doc.Fades
	}
	v.Motion = motionOf(wk, nil)
	v.Join = joinOf(wk, nil, own)
	v.Eases = eases
	v.looks()
	v.Tone = toneOf(wk, nil)
	v.Style = styleOf(wk, nil)
}

func (v *deskView) looks() {
	for _, l := range look.Named {
		v.Looks = append(v.Looks, parts.Choice{ID: l.ID, Name: l.Name})
	}
}

// mostLayouts offers the layouts of most of the chosen slides: those with as many
// pictures.
func (v *deskView) mostLayouts(wk *orders.Dossier, pictured []doc.Slide) {
	count := map[int]int{}
	var first doc.Slide
	for _, s := range pictured {
		if s.Kind != doc.Pictures {
			continue
		}
		if count[len(s.Media)]++; count[len(s.Media)] > count[len(first.Media)] || first.ID == "" {
			first = s
		}
	}
	if first.ID == "" {
		return
	}
	v.layouts(wk, first)
	if n := count[len(first.Media)]; n < len(v.IDs) {
		v.For["layout"] = fmt.Sprintf("for %d of %d, which have %s", n, len(v.IDs),
			wording.Counted(len(first.Media), "picture"))
	}
}

func (v *deskView) layouts(wk *orders.Dossier, first doc.Slide) {
	for _, l := range wk.Theme.Layouts {
		if l.Pictures == len(first.Media) {
			v.Layouts = append(v.Layouts, parts.Choice{ID: l.ID, Name: l.Name})
		}
	}
	v.LayoutIs = theLayout(wk, first)
}

// frameSide is the longer side of the drawing in which a picture is framed.
const frameSide = 278

func shotOf(wk *orders.Dossier, sl doc.Slide, id doc.MediaID) shotView {
	m, shot := wk.Library[id], wk.Doc.Shot(id)
	row, _ := wk.Row(id) // without one there is no thumbnail
	v := shotView{
		ID:    id,
		Row:   row.ID,
		Name:  m.Name,
		Clip:  m.Kind == doc.ClipMedia,
		Sound: m.Sound,
		Set:   shot != (doc.Shot{}),
		Fit:   string(shot.Fit),
		Look:  "theme",
	}
	aspect := m.Aspect()
	if v.Turn = shot.Turn * 90; shot.Turn%2 == 1 {
		aspect = 1 / aspect
	}
	v.ThumbW = max(40, int(96*aspect))
	v.FrameW, v.FrameH = frameSide, int(frameSide/aspect)
	if aspect < 1 {
		v.FrameW, v.FrameH = int(frameSide*aspect), frameSide
	}
	if f := shot.Focal; f != nil {
		v.FocalX, v.FocalY = fmt.Sprintf("%.1f", f.X*100), fmt.Sprintf("%.1f", f.Y*100)
	}
	if shot.Look != nil {
		v.Look = lookID(*shot.Look)
	}
	v.Scale, v.Tilt = "100", "0"
	if shot.Scale != 0 {
		v.Scale = percent(shot.Scale)
	}
	if shot.Tilt != nil {
		v.Tilt = fmt.Sprintf("%g", *shot.Tilt)
	}
	if shot.Crop != (framing.Rect{}) {
		v.Crop = percentRect(shot.Crop)
	}
	if len(sl.Media) == 1 && !v.Clip {
		v.Slide = sl.ID
		if mo := sl.Motion; mo != nil && mo.Kind == design.ByHand {
			v.Begins, v.Ends = percentRect(whole(mo.From, shot.Crop)), percentRect(whole(mo.To, shot.Crop))
		}
	}
	v.Whole = fmt.Sprintf("%.2f", float64(m.Length)/timecode.SampleRate)
	trim := wk.Doc.TrimIn(sl, id)
	if v.From, v.To = fmt.Sprintf("%g", round2(trim.From)), v.Whole; trim.To > 0 {
		v.To = fmt.Sprintf("%g", round2(trim.To))
	}
	if v.Clip && len(sl.Media) == 1 {
		v.In = sl.ID
	}
	v.Gain = fmt.Sprintf("%g", shot.Sound*100)
	return v
}

// round2 rounds to a hundredth.
func round2(v float64) float64 { return math.Round(v*100) / 100 }

// others fills in what can stand in the place of each picture: what is in no
// slide.
func (v *deskView) others(wk *orders.Dossier) {
	uses := wk.Doc.Uses()
	for i := range v.Shots {
		for _, m := range wk.Media {
			if id := m.DocID(); m.State == store.Ready && !m.Held && !uses[id] &&
				m.Kind == wk.Library[v.Shots[i].ID].Kind {
				v.Shots[i].Others = append(v.Shots[i].Others, parts.Choice{ID: string(id), Name: m.Name})
			}
		}
	}
}

// whole turns a rectangle in fractions of a crop into one of the whole
// picture.
func whole(r, crop framing.Rect) framing.Rect {
	if crop == (framing.Rect{}) {
		return r
	}
	return framing.Rect{X: crop.X + r.X*crop.W, Y: crop.Y + r.Y*crop.H, W: r.W * crop.W, H: r.H * crop.H}
}
