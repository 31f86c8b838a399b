package plan

import (
	"fmt"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
)

// Term is a part of the arithmetic of a film, with where it comes from.
type Term struct {
	Sign   string // what stands before it: "", "+", "−", "=" or "—"
	Text   string
	Why    []string // in sentences
	Slides []doc.SlideID
	Music  bool // it is about the soundtrack
}

// Arithmetic writes out how the length of the film comes about, so that an
// operator can check it.
func (p Plan) Arithmetic() string {
	var b strings.Builder
	for _, t := range p.Terms() {
		if t.Sign != "" {
			b.WriteString(" " + t.Sign + " ")
		}
		b.WriteString(t.Text)
	}
	return b.String()
}

// kindOf sorts slides into the terms of the arithmetic.
func kindOf(s Slide) string {
	switch {
	case s.Kind == doc.Opening, s.Kind == doc.Closing:
		return string(s.Kind)
	case s.Kind == doc.Card && s.Pinned == 0:
		return "card"
	case s.Kind == doc.Clip:
		return "clip"
	case s.Pinned > 0:
		return "pinned"
	}
	return "still"
}

// Terms are the parts of the arithmetic in the order in which they are written.
func (p Plan) Terms() []Term {
	sums := map[string]timecode.Frames{}
	ids := map[string][]doc.SlideID{}
	var single []Term // openings and closings
	var lo, hi, overlap timecode.Frames
	var joined []doc.SlideID
	at := map[doc.SlideID]int{}
	for i, s := range p.Slides {
		at[s.ID] = i
		k, lasts := kindOf(s), s.Length
		switch {
		case k == "still":
			// Counted to the beginning of the next, so their joins are in it.
			if lasts = s.Each(); len(ids[k]) == 0 {
				lo, hi = lasts, lasts
			}
			lo, hi = min(lo, lasts), max(hi, lasts)
		case s.Overlap > 0:
			overlap += s.Overlap
			joined = append(joined, s.ID)
		}
		sums[k] += lasts
		ids[k] = append(ids[k], s.ID)
	}
	for _, k := range []doc.Kind{doc.Opening, doc.Closing} {
		for _, id := range ids[string(k)] {
			single = append(single, Term{
				Text:   string(k) + " " + sec(p, p.Slides[at[id]].Length),
				Slides: []doc.SlideID{id},
			})
		}
	}
	var out []Term
	add := func(kind, text string) {
		if len(ids[kind]) > 0 {
			out = append(out, Term{Text: text, Slides: ids[kind]})
		}
	}
	stills := fmt.Sprintf("%s, together %s", wording.Counted(len(ids["still"]), "picture slide"),
		sec(p, sums["still"]))
	if hi-lo <= 1 {
		stills = fmt.Sprintf("%s × %.2f s", wording.Counted(len(ids["still"]), "picture slide"),
			p.Rate.Seconds(sums["still"])/float64(max(1, len(ids["still"]))))
	}
	add("still", stills)
	add("pinned", fmt.Sprintf("%d pinned %s", len(ids["pinned"]), sec(p, sums["pinned"])))
	add("clip", fmt.Sprintf("%s %s", wording.Counted(len(ids["clip"]), "clip"), sec(p, sums["clip"])))
	add("card", fmt.Sprintf("%s %s", wording.Counted(len(ids["card"]), "text card"), sec(p, sums["card"])))
	out = append(out, single...)
	for i := 1; i < len(out); i++ {
		out[i].Sign = "+"
	}
	if n := len(joined); n > 0 {
		out = append(out, Term{
			Sign: "−",
			Text: fmt.Sprintf("%s × %.2f s", wording.Counted(n, "join"),
				p.Rate.Seconds(overlap)/float64(n)),
			Slides: joined,
		})
	}
	out = append(out, Term{Sign: "=", Text: timecode.Clock(p.Rate.Seconds(p.Frames))}, p.music())
	if p.Music > 0 {
		out = append(out, p.between())
	}
	return out
}

// Explained are Terms with where each comes from: d, t and lib are what the plan was made
// of.
func (p Plan) Explained(d doc.Slideshow, t *theme.Theme, lib doc.Library) []Term {
	at := map[doc.SlideID]int{}
	for i, s := range p.Slides {
		at[s.ID] = i
	}
	out := p.Terms()
	for i := range out {
		p.explain(&out[i], at, d, t, lib)
	}
	return out
}

func sec(p Plan, f timecode.Frames) string { return fmt.Sprintf("%.2f s", p.Rate.Seconds(f)) }

func (p Plan) music() Term {
	if p.Music == 0 {
		return Term{Sign: "—", Text: "no music yet", Music: true}
	}
	return Term{Sign: "—", Text: "music " + timecode.Clock(float64(p.Music)/timecode.SampleRate), Music: true}
}

// between is what lies between the end of the pictures and that of the music.
func (p Plan) between() Term {
	switch left := p.Left(); {
	case left == 0:
		return Term{Sign: "—", Text: "ends with the music, to the frame"}
	case left > 0:
		return Term{Sign: "—", Text: apart(p.Rate, left) + " of music left"}
	default:
		return Term{Sign: "—", Text: "pictures run on " + apart(p.Rate, -left) + " after the music"}
	}
}

// explain says where a term comes from.
func (p Plan) explain(term *Term, at map[doc.SlideID]int, d doc.Slideshow, t *theme.Theme, lib doc.Library) {
	say := func(format string, a ...any) { term.Why = append(term.Why, fmt.Sprintf(format, a...)) }
	framed := func(f timecode.Frames) string { return fmt.Sprintf("%s (%d frames)", sec(p, f), f) }
	switch {
	case term.Sign == "=":
		say("%s are %d frames at %s a second.", term.Text, p.Frames, p.Rate)
	case term.Music && p.Music > 0:
		for _, pl := range p.Sound.Placed(lib) {
			if pl.Role == doc.Music {
				say("%s: %s, from %s to %s of the film.", lib[pl.Media].Name,
					timecode.Clock(float64(pl.Length)/timecode.SampleRate),
					timecode.Clock(float64(pl.Start)/timecode.SampleRate),
					timecode.Clock(float64(pl.End())/timecode.SampleRate))
			}
		}
		say("The frame nearest to the end of the music is frame %d.", p.MusicEnd)
	case term.Music:
		say("A song comes in with the pictures, or from the studio’s music.")
	case term.Sign == "—":
		say("Music until frame %d, pictures until frame %d.", p.MusicEnd, p.Frames)
	case term.Sign == "−":
		explainJoins(p, say, at, term.Slides, d)
	default:
		p.explainSlides(say, framed, at, term.Slides, d, t)
	}
}

func explainJoins(p Plan, say func(string, ...any), at map[doc.SlideID]int, joined []doc.SlideID,
	d doc.Slideshow) {
	hand := 0
	for _, id := range joined {
		if p.Slides[at[id]].Join != nil {
			hand++
		}
	}
	say("In a join two slides are seen at once, so that its time counts once.")
	switch {
	case hand > 0:
		say("%s set by hand; the others are the film’s.", wording.Counted(hand, "join"))
	case d.Join != nil:
		say("All joins are set for the film.")
	default:
		say("The joins are the theme’s.")
	}
	if p.Short {
		say("Some are shorter than wanted, because a slide beside them is too short.")
	}
}

// explainSlides says why slides of one kind are as long as they are.
func (p Plan) explainSlides(say func(string, ...any), framed func(timecode.Frames) string,
	at map[doc.SlideID]int, ids []doc.SlideID, d doc.Slideshow, t *theme.Theme) {
	first := p.Slides[at[ids[0]]]
	switch kind := kindOf(first); {
	case kind == "still":
		short, long := at[ids[0]], at[ids[0]]
		lingers := 0
		for _, id := range ids {
			i := at[id]
			if p.Slides[i].Each() < p.Slides[short].Each() {
				short = i
			}
			if p.Slides[i].Each() > p.Slides[long].Each() {
				long = i
			}
			if l := p.Slides[i].Linger; l != 0 && l != 1 {
				lingers++
			}
		}
		switch {
		case d.Fit.Mode == doc.ToMusic && p.FitError == nil:
			say("What the music leaves after everything else is shared among them.")
		default:
			say("Each has the film’s pace of %g s.", d.Fit.PaceSeconds)
		}
		say("Seconds are from a slide’s own beginning to the beginning of the next; its transition is in " +
			"them.")
		if lingers > 0 {
			say("%s by linger a share of its own.", wording.Counted(lingers, "slide"))
		}
		say("The shortest is slide %d, %s; the longest slide %d, %s.", short+1,
			framed(p.Slides[short].Each()), long+1, framed(p.Slides[long].Each()))
		if d.Fit.Shortest > 0 || d.Fit.Longest > 0 {
			say("A picture is to be wholly seen, between its joins, for %g to %g s.", d.Fit.Shortest,
				d.Fit.Longest)
		}
	case kind == "pinned":
		say("Their seconds are set by hand; fitting leaves them.")
	case kind == "clip":
		say("Clips last as long as they are trimmed.")
	case kind == "card":
		say("Text cards have the theme’s time, by linger more or less.")
	case first.Pinned > 0:
		say("Its seconds are set by hand.")
	default:
		seconds := t.Opening.Seconds
		if first.Kind == doc.Closing {
			seconds = t.Closing.Seconds
		}
		say("The theme gives it %g s; it has %s.", seconds, framed(first.Length))
	}
}
