package orderpage

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/remedy"
	"nelko/internal/core/timecode"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
	"nelko/internal/web/timeline"
)

// trackView is the soundtrack as its leaf shows it, along the film.
type trackView struct {
	Seconds         float64 // that the drawing is wide
	Pictures, Music barView
	Apart           string // pictures and music, in words
	Good            bool   // they end together
	Slides          []slideMark
	Items           []itemView
	Ticks           []tickMark
	Cuts, Beats     string // seconds of the film, space separated: what dragging holds on to
	Fit             doc.Fit
	StrictPercent   int
	OnBeat          string // how many cuts lie on a beat; empty: they need not
	HasBeats        bool
	Several         bool   // songs
	Made            string // how the last song was made as long as the pictures
	Fades           [2]float64
	LUFS            float64
	Duck            doc.Duck
	Narrated        bool
	Ways            []wayView
	Suit            remedy.Suit // if Suits: how many pictures suit the music
	Suits           bool
	Library         []parts.LibrarySong // the nearest to how long the pictures last at the film's pace
}

// wayView is a way to fit, with the fields that take it.
type wayView struct{ remedy.Way }

// Take is what fittingControl reads, as JSON.
func (w wayView) Take() string {
	fields := map[string]string{"mode": string(w.Op.Mode)}
	if b := w.Op.Beat; b != nil {
		fields["beat"] = cmp.Or(string(*b), freeCuts)
	}
	if h := w.Op.Hold; h != nil {
		fields["hold"] = strconv.FormatBool(*h)
	}
	out, err := json.Marshal(fields)
	if err != nil {
		panic(err) // strings are always written
	}
	return string(out)
}

// freeCuts is how the page calls cuts that follow no beat.
const freeCuts = "free"

// barView is a bar of a drawing, in per cent of its width.
type barView struct {
	Left, Width float64
	Clock       string
}

type slideMark struct {
	barView
	Number int
	ID     doc.SlideID
	New    bool // a song begins with it
	Thumb  string
}

// leastThumb is how wide a slide is drawn to have its picture, in per cent.
const leastThumb = 1.5

type tickMark struct {
	Left  float64
	Label string
}

// itemView is one item of the soundtrack.
type itemView struct {
	barView
	doc.Item
	At, Row       int64
	Index         int
	Name, Facts   string
	Seconds       float64 // of the whole file
	From, To      float64 // seconds of it that are heard
	Start, End    float64 // in the film
	FadeIn, Out   float64 // per cent of the bar
	Wave          string
	Bars          []float64 // where bars begin, in per cent of the bar
	Joins         []float64 // where stretches are joined
	Version       string    // how it was made so long
	Own, First    bool      // it has a place of its own; it is the first music
	JoinKind      doc.SongJoinKind
	JoinSeconds   float64
	Long          string
	PointList     string // time and level, one a line
	NarrationRole bool
	Points        []pointView
	Line          string // through the points, in units of the waveform's drawing; empty: none
	OnSlide       int    // the number of the slide that stays until it ends; 0: none
}

// track draws the soundtrack along the film.
func (s *shared) track(ctx context.Context, wk *orders.Dossier) (*trackView, error) {
	var ids []doc.MediaID
	for _, it := range wk.Doc.Soundtrack.Items {
		ids = append(ids, it.Media)
	}
	waves, err := s.Intake.Material.Waveforms(ctx, ids)
	if err != nil {
		return nil, err
	}
	p, d := wk.Plan, wk.Doc
	film, music := p.Rate.Seconds(p.Frames), float64(p.Music)/timecode.SampleRate
	t := &trackView{
		Fit:           d.Fit,
		StrictPercent: int(math.Round(d.Fit.Strict * 100)),
		Fades:         [2]float64{d.Soundtrack.FadeInSeconds, d.Soundtrack.FadeOutSeconds},
		LUFS:          d.Soundtrack.LUFS,
		Duck:          d.Soundtrack.Ducked(),
		Several:       len(d.Soundtrack.Songs()) > 1,
	}
	placed := p.Sound.Placed(wk.Library)
	t.Seconds = math.Max(1, math.Max(film, music))
	for _, it := range placed {
		t.Seconds = math.Max(t.Seconds, float64(it.End())/timecode.SampleRate)
	}
	share := func(seconds float64) float64 { return round2(100 * seconds / t.Seconds) }
	t.Pictures, t.Music = barView{0, share(film), timecode.Clock(film)},
		barView{0, share(music), timecode.Clock(music)}
	t.Apart, t.Good = apart(wk)
	var cuts []string
	for i, sl := range p.Slides {
		from := p.Rate.Seconds(sl.Start)
		m := slideMark{
			barView: barView{share(from), share(p.Rate.Seconds(sl.Length - sl.Overlap)), ""},
			Number:  i + 1,
			ID:      sl.ID,
			New:     sl.NewSong,
		}
		if len(sl.Media) > 0 && m.Width >= leastThumb {
			if row, ok := wk.Row(sl.Media[0]); ok {
				m.Thumb = fmt.Sprintf("/media/%d/thumb", row.ID)
			}
		}
		t.Slides = append(t.Slides, m)
		cuts = append(cuts, strconv.FormatFloat(from, 'f', 3, 64))
	}
	t.Cuts = strings.Join(cuts, " ")
	for step, at := tickStep(t.Seconds), 0.0; at <= t.Seconds; at += step {
		t.Ticks = append(t.Ticks, tickMark{share(at), page.Minutes(at)})
	}
	var beats []string
	firstMusic := true
	for _, pl := range placed {
		v := s.itemOf(wk, pl, waves[pl.Media], share)
		v.First = pl.Role == doc.Music && firstMusic
		if pl.Role == doc.Music {
			firstMusic = false
		}
		t.Narrated = t.Narrated || v.NarrationRole
		t.Items = append(t.Items, v)
	}
	for _, b := range timeline.Beats(wk.Library, timeline.Songs(placed)...) {
		beats = append(beats, strconv.FormatFloat(b.At, 'f', 3, 64))
	}
	t.HasBeats = len(beats) > 0
	t.Beats = strings.Join(beats, " ")
	if d.Fit.Beat != "" && d.Fit.Mode == doc.ToMusic && p.FitError == nil {
		t.OnBeat = fmt.Sprintf("%d of %d cuts on the beat", p.OnBeat, max(0, len(p.Slides)-1))
	}
	if m := p.Made; m != nil {
		t.Made = madeSo(m.Joins, m.Alike, m.Over)
	}
	return t, nil
}

// apart says how far pictures and music are apart.
func apart(wk *orders.Dossier) (words string, good bool) {
	left := wk.Plan.Left()
	seconds := wk.Plan.Rate.Seconds(left)
	switch {
	case len(wk.Plan.Slides) == 0 || wk.Plan.Music == 0:
		return "", false
	case left == 0:
		return "They end together, to the frame.", true
	case left > 0:
		return fmt.Sprintf("%.1f s (%d frames) of music left when the pictures end.", seconds, left), false
	}
	return fmt.Sprintf("Pictures run on for %.1f s (%d frames) after the music.", -seconds, -left), false
}

func madeSo(joins int, alike, over float64) string {
	var out []string
	switch {
	case joins == 1:
		out = append(out, fmt.Sprintf("joined once, bar to bar, where it is %.0f %% alike", alike*100))
	case joins > 1:
		out = append(out, fmt.Sprintf("joined %d times, bar to bar, where it is at least %.0f %% alike",
			joins, alike*100))
	}
	if over > 0.05 {
		out = append(out, fmt.Sprintf("faded out %.1f s before its own end", over))
	} else {
		out = append(out, "with its own end")
	}
	return strings.Join(out, "; ")
}

func tickStep(seconds float64) float64 {
	for _, s := range []float64{1, 2, 5, 10, 15, 30, 60, 120, 300, 600} {
		if seconds/s <= 16 {
			return s
		}
	}
	return 1800
}

func (s *shared) itemOf(wk *orders.Dossier, pl doc.Placed, wave []byte,
	share func(float64) float64) itemView {
	m := wk.Library[pl.Media]
	seconds := func(n timecode.Samples) float64 { return float64(n) / timecode.SampleRate }
	v := itemView{
		Item:          pl.Item,
		Index:         pl.Index,
		Name:          m.Name,
		Seconds:       seconds(m.Length),
		Start:         seconds(pl.Start),
		End:           seconds(pl.End()),
		From:          seconds(pl.Begin),
		Own:           pl.At != nil,
		JoinKind:      doc.Segue,
		JoinSeconds:   2,
		NarrationRole: pl.Role == doc.Narration,
	}
	v.barView = barView{share(v.Start), share(seconds(pl.Length)), timecode.Clock(seconds(pl.Length))}
	if pl.Hold {
		v.OnSlide = wk.Doc.Index(pl.On) + 1
	}
	last := pl.Pieces[len(pl.Pieces)-1]
	v.To = seconds(last.Begin + last.Length)
	if row, ok := wk.Row(pl.Media); ok {
		v.Row = row.ID
	}
	if j := pl.Join; j != nil {
		v.JoinKind, v.JoinSeconds = j.Kind, j.Seconds
	}
	of := func(n timecode.Samples) float64 {
		return round2(100 * float64(n) / math.Max(1, float64(pl.Length)))
	}
	v.FadeIn, v.Out = math.Min(100, of(pl.In.Length)), math.Min(100, of(pl.Out.Length))
	facts := []string{timecode.Clock(v.Seconds), fmt.Sprintf("%.1f LUFS, true peak %.1f dBTP", m.LUFS,
		m.PeakDB)}
	if h := m.Heard; h != nil {
		if h.Rhythm.BPM > 0 {
			facts = append(facts, fmt.Sprintf("%.1f beats a minute", h.Rhythm.BPM))
		} else {
			facts = append(facts, "no beat that could be followed")
		}
		if k := h.Rhythm.Key; k != "" {
			facts = append(facts, k)
		}
		if h.Tail > 1 {
			facts = append(facts, fmt.Sprintf("the last %.1f s are silent", h.Tail))
		}
	}
	for _, b := range timeline.Beats(wk.Library, pl) {
		if b.Down {
			v.Bars = append(v.Bars, round2(100*(b.At-v.Start)/math.Max(1e-6, seconds(pl.Length))))
		}
	}
	v.Facts = strings.Join(facts, " · ")
	for _, piece := range pl.Pieces[1:] {
		v.Joins = append(v.Joins, of(piece.Start-pl.Start))
	}
	if n := len(pl.Made); n > 1 {
		v.Version = fmt.Sprintf("a version of %s, of %d stretches", timecode.Clock(seconds(pl.Length)), n)
	}
	v.volume(pl.Gain, seconds(pl.Length))
	v.Wave = parts.WaveOf(pl, wave)
	return v
}

// pointView is a point of a volume line on its bar, in per cent of it.
type pointView struct {
	Left, Top float64
	At, DB    float64
}

// The decibels at the upper and the lower edge of a bar; scripts/volume.mjs has the same.
const (
	loudest  = 6.0
	quietest = -36.0
)

// volume draws an item's volume line.
func (v *itemView) volume(gain []doc.GainPoint, long float64) {
	var words, line []string
	for i, g := range gain {
		words = append(words, fmt.Sprintf("%g: %g", g.AtSeconds, g.DB))
		p := pointView{
			Left: round2(100 * math.Min(1, g.AtSeconds/math.Max(long, 0.01))),
			At:   g.AtSeconds,
			DB:   g.DB,
			Top:  round2(100 * math.Max(0, math.Min(1, (loudest-g.DB)/(loudest-quietest)))),
		}
		v.Points = append(v.Points, p)
		at := fmt.Sprintf("%.1f,%.1f", p.Left/100*parts.WaveColumns, p.Top/100*40)
		if i == 0 {
			line = append(line, fmt.Sprintf("0,%.1f", p.Top/100*40))
		}
		if line = append(line, at); i == len(gain)-1 {
			line = append(line, fmt.Sprintf("%d,%.1f", parts.WaveColumns, p.Top/100*40))
		}
	}
	v.PointList, v.Line = strings.Join(words, ", "), strings.Join(line, " ")
}

// onItem names an item of the soundtrack.
type onItem struct {
	At    int         `form:"at"`
	Media doc.MediaID `form:"media"`
}

func songControl(f struct {
	onItem
	Role        *doc.Role         `form:"role"`
	From        *field.Amount     `form:"from" label:"From"`
	To          *field.Amount     `form:"to" label:"To"`
	Start       *field.Amount     `form:"start" label:"Start"`
	Follows     bool              `form:"follows"`
	Join        *doc.SongJoinKind `form:"join"`
	JoinSeconds *field.Amount     `form:"joinseconds" label:"Seconds of the join"`
	FadeIn      *field.Amount     `form:"fadein" label:"Fade in"`
	FadeOut     *field.Amount     `form:"fadeout" label:"Fade out"`
	Shape       *string           `form:"shape"`
	Level       *field.Amount     `form:"level" label:"Level"`
	Points      *string           `form:"points"`
	Long        *string           `form:"long"`
	Hold        *bool             `form:"hold"`
}) (edit.Op, error) {
	op := edit.Song{
		At:          f.At,
		Media:       f.Media,
		Role:        f.Role,
		From:        (*float64)(f.From),
		To:          (*float64)(f.To),
		Start:       (*float64)(f.Start),
		Join:        f.Join,
		JoinSeconds: (*float64)(f.JoinSeconds),
		FadeIn:      (*float64)(f.FadeIn),
		FadeOut:     (*float64)(f.FadeOut),
		LevelDB:     (*float64)(f.Level),
		Hold:        f.Hold,
	}
	if f.Follows {
		after := -1.0
		op.Start = &after
	}
	if f.Shape != nil {
		shape := doc.FadeShape(*f.Shape)
		if shape == "smooth" {
			shape = doc.SmoothFade
		}
		op.Shape = &shape
	}
	if f.Points != nil {
		points, err := levels(*f.Points)
		if err != nil {
			return nil, err
		}
		op.Points = &points
	}
	if f.Long != nil {
		seconds, err := songLength(*f.Long)
		if err != nil {
			return nil, err
		}
		op.Long = &seconds
	}
	return op, nil
}

func dropsoundControl(f onItem) (edit.Op, error) { return edit.DropItem{At: f.At, Media: f.Media}, nil }

func trackControl(f struct {
	FadeIn  *field.Amount `form:"fadein" label:"Fade in"`
	FadeOut *field.Amount `form:"fadeout" label:"Fade out"`
	LUFS    *field.Amount `form:"lufs" label:"Loudness"`
	DuckDB  *field.Amount `form:"duck" label:"Quieter by"`
	Attack  *field.Amount `form:"attack" label:"Down within"`
	Release *field.Amount `form:"release" label:"Back within"`
	Ahead   *field.Amount `form:"ahead" label:"Ahead"`
}) (edit.Op, error) {
	return edit.Sound{
		FadeIn:  (*float64)(f.FadeIn),
		FadeOut: (*float64)(f.FadeOut),
		LUFS:    (*float64)(f.LUFS),
		DuckDB:  (*float64)(f.DuckDB),
		Attack:  (*float64)(f.Attack),
		Release: (*float64)(f.Release),
		Ahead:   (*float64)(f.Ahead),
	}, nil
}

func fittingControl(f struct {
	Mode   doc.FitMode   `form:"mode"`
	Beat   *string       `form:"beat"`
	Strict *field.Share  `form:"strict" label:"How strictly"`
	Hold   *bool         `form:"hold"`
	Own    *bool         `form:"own"`
	Even   *bool         `form:"even"`
	Pace   *field.Amount `form:"pace" label:"Seconds a picture"`
}) (edit.Op, error) {
	op := edit.Fit{Mode: f.Mode, Strict: (*float64)(f.Strict), Hold: f.Hold, Own: f.Own, Even: f.Even}
	if f.Pace != nil {
		op.Pace = float64(*f.Pace)
	}
	if f.Beat != nil {
		b := doc.Beat(*f.Beat)
		if b == freeCuts {
			b = ""
		}
		op.Beat = &b
	}
	return op, nil
}

func newsongControl(f struct {
	Slide  doc.SlideID `form:"on"`
	Begins bool        `form:"begins"`
}) (edit.Op, error) {
	return edit.NewSong{Slide: f.Slide, Begins: f.Begins}, nil
}

// levels reads a volume line as people write it: seconds: dB, parted by commas.
func levels(text string) (out []doc.GainPoint, err error) {
	for _, part := range strings.FieldsFunc(text, func(r rune) bool {
		return r == ',' || r == ';' || r == '\n'
	}) {
		at, db, ok := strings.Cut(strings.TrimSpace(part), ":")
		a, errA := strconv.ParseFloat(strings.TrimSpace(at), 64)
		g, errG := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(strings.ReplaceAll(db, "−", "-")),
			" dB"), 64)
		if !ok || errA != nil || errG != nil {
			return nil, &invalid.Input{
				Field: "points",
				Problem: fmt.Sprintf("%q is no point of a volume line: write seconds and dB, as 12.5: -6, "+
					"parted by commas.", strings.TrimSpace(part)),
			}
		}
		out = append(out, doc.GainPoint{AtSeconds: a, DB: g})
	}
	return out, nil
}
