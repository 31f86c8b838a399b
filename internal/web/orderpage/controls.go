package orderpage

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/remedy"
	"nelko/internal/invalid"
	"nelko/internal/web/field"
)

// A control is one thing that can be changed in an order: the fields of its
// form, and the edit they make. A new one is an entry of controls, beside what
// it looks like in a template.
type control func(s *shared, v url.Values) (edit.Op, error)

// reads makes a control of a struct of fields and the edit it makes.
func reads[F any](op func(f F) (edit.Op, error)) control {
	return func(_ *shared, v url.Values) (edit.Op, error) {
		f, err := field.Decode[F](v)
		if err != nil {
			return nil, err
		}
		return op(f)
	}
}

// chosen are the slides a change is for; none: for the whole film.
type chosen struct {
	Slides []doc.SlideID `form:"slide"`
}

// pictures are the ones a change is for.
type pictures struct {
	Media []doc.MediaID `form:"media"`
}

// shots makes an edit of single pictures.
func (p pictures) shots(called string, s edit.Shots) (edit.Op, error) {
	s.Media, s.Called = p.Media, called
	return s, nil
}

// seed is a new one for what is left to chance. Scripts keep numbers exactly
// up to 2⁵³.
func seed() uint64 { return rand.Uint64() >> 12 }

// controls are all there are, by the last word of their address.
var controls = map[string]control{
	// The order of slides.
	"move": reads(func(f struct {
		chosen
		Before doc.SlideID `form:"before"`
	}) (edit.Op, error) {
		return edit.Move{Slides: f.Slides, Before: f.Before}, nil
	}),
	"shift": reads(func(f struct {
		chosen
		By field.Amount `form:"by" label:"Places"`
	}) (edit.Op, error) {
		return edit.Shift{Slides: f.Slides, By: int(f.By)}, nil
	}),
	"remove": reads(func(f chosen) (edit.Op, error) { return edit.Remove{Slides: f.Slides}, nil }),
	"restore": reads(func(f struct {
		Media doc.MediaID `form:"media"`
	}) (edit.Op, error) {
		return edit.Restore{Media: []doc.MediaID{f.Media}}, nil
	}),
	"leaveout": reads(func(f pictures) (edit.Op, error) { return edit.LeaveOut{Media: f.Media}, nil }),
	"group":    reads(func(f chosen) (edit.Op, error) { return edit.Group{Slides: f.Slides}, nil }),
	"split":    reads(func(f chosen) (edit.Op, error) { return edit.Split{Slides: f.Slides}, nil }),
	"spread":   reads(func(f chosen) (edit.Op, error) { return edit.Spread{Slides: f.Slides}, nil }),
	"again":    reads(func(f chosen) (edit.Op, error) { return edit.Again{Slides: f.Slides}, nil }),
	"splitclip": reads(func(f struct {
		Slide doc.SlideID  `form:"on"`
		At    field.Amount `form:"at" label:"Where it is split"`
	}) (edit.Op, error) {
		return edit.SplitClip{Slide: f.Slide, At: float64(f.At)}, nil
	}),
	"pause": reads(func(f chosen) (edit.Op, error) {
		p := edit.Pause{}
		if len(f.Slides) > 0 {
			p.Before = f.Slides[0]
		}
		return p, nil
	}),
	"manner": reads(func(f struct {
		chosen
		Manner edit.Manner `form:"manner"`
	}) (edit.Op, error) {
		if !slices.Contains(edit.Manners, f.Manner) {
			return nil, &invalid.Input{
				Field:   "manner",
				Problem: fmt.Sprintf("There is no manner %q.", f.Manner),
			}
		}
		return edit.InManner{Manner: f.Manner, Slides: f.Slides}, nil
	}),
	"replace": reads(func(f struct {
		Slide doc.SlideID `form:"on"`
		Old   doc.MediaID `form:"old"`
		New   doc.MediaID `form:"new"`
	}) (edit.Op, error) {
		return edit.Replace{Slide: f.Slide, Old: f.Old, New: f.New}, nil
	}),
	"copysettings": reads(func(f struct {
		chosen
		From  doc.SlideID `form:"from"`
		Kinds []string    `form:"kind"`
	}) (edit.Op, error) {
		if len(f.Kinds) == 0 {
			return nil, &invalid.Input{Field: "kind", Problem: "Tick what of the settings is to be copied."}
		}
		return edit.CopySettings{From: f.From, Slides: f.Slides, Kinds: f.Kinds}, nil
	}),
	"remedy": reads(func(f struct {
		What string `form:"what"`
	}) (edit.Op, error) {
		return remedy.Take{What: f.What}, nil
	}),
	"limits": reads(func(f struct {
		Shortest *field.Amount `form:"shortest" label:"Shortest"`
		Longest  *field.Amount `form:"longest" label:"Longest"`
	}) (edit.Op, error) {
		return edit.Limits{Shortest: (*float64)(f.Shortest), Longest: (*float64)(f.Longest)}, nil
	}),
	"sort": reads(func(f struct {
		By   string `form:"by"`
		Keep bool   `form:"keep"`
	}) (edit.Op, error) {
		return edit.Sort{By: f.By, Seed: seed(), Keep: f.Keep}, nil
	}),
	"recast": reads(func(f struct {
		Seed uint64 `form:"seed"`
	}) (edit.Op, error) {
		if f.Seed == 0 {
			f.Seed = seed()
		}
		return edit.Recast{Seed: f.Seed}, nil
	}),

	// Time.
	"linger": reads(func(f struct {
		chosen
		Linger field.Amount `form:"linger"`
	}) (edit.Op, error) {
		if f.Linger == 0 {
			return nil, &invalid.Input{Field: "linger", Problem: "Linger must be above 0."}
		}
		return edit.Time{Slides: f.Slides, Linger: float64(f.Linger)}, nil
	}),
	"pin": reads(func(f struct {
		chosen
		Pin string `form:"pin"`
	}) (edit.Op, error) {
		typed := strings.TrimSpace(f.Pin)
		return edit.Time{Slides: f.Slides, Typed: typed, Unpin: typed == ""}, nil
	}),
	"unpin": reads(func(f chosen) (edit.Op, error) { return edit.Time{Slides: f.Slides, Unpin: true}, nil }),
	"pace": reads(func(f struct {
		Pace field.Amount `form:"pace"`
	}) (edit.Op, error) {
		return edit.Fit{Mode: doc.AtPace, Pace: float64(f.Pace)}, nil
	}),
	"fit":        reads(func(struct{}) (edit.Op, error) { return edit.Fit{Mode: doc.ToMusic}, nil }),
	"song":       reads(songControl),
	"dropsound":  reads(dropsoundControl),
	"soundtrack": reads(trackControl),
	"fitting":    reads(fittingControl),
	"newsong":    reads(newsongControl),
	"songs": reads(func(f struct {
		Songs string `form:"songs"`
	}) (edit.Op, error) {
		var songs []doc.MediaID
		for _, id := range strings.Split(f.Songs, ",") {
			if id != "" {
				songs = append(songs, doc.MediaID(id))
			}
		}
		return edit.Songs{Songs: songs}, nil
	}),

	// The whole film.
	"details": func(_ *shared, v url.Values) (edit.Op, error) {
		values := map[string]string{}
		for k := range v {
			if key, ok := strings.CutPrefix(k, "detail-"); ok {
				values[key] = v.Get(k)
			}
		}
		return edit.Details{Values: values}, nil
	},
	"theme": func(s *shared, v url.Values) (edit.Op, error) {
		t, err := s.Shelf.Themes.Get(v.Get("theme"))
		if err != nil {
			return nil, &invalid.Input{Field: "theme", Problem: err.Error()}
		}
		return edit.SetTheme{Theme: t.ID, Version: t.Content, Name: t.Name}, nil
	},
	"shape":     shaped(func(f doc.Frame, _ []doc.SlideID) edit.Op { return edit.Shape{Frame: f} }),
	"addshape":  shaped(func(f doc.Frame, _ []doc.SlideID) edit.Op { return edit.AddShape{Frame: f} }),
	"dropshape": shaped(func(f doc.Frame, _ []doc.SlideID) edit.Op { return edit.DropShape{Frame: f} }),
	"asfirst": shaped(func(f doc.Frame, s []doc.SlideID) edit.Op {
		return edit.AsFirst{Frame: f, Slides: s}
	}),
	"filmlook": reads(func(f struct {
		Look string `form:"look"`
	}) (edit.Op, error) {
		if f.Look == "theme" {
			return edit.Look{}, nil
		}
		l, err := namedLook(f.Look)
		return edit.Look{Look: l}, err
	}),
	"filmtone": reads(func(f toneFields) (edit.Op, error) { return f.op(nil), nil }),

	// Slides.
	"layout": reads(func(f struct {
		chosen
		Layout string `form:"layout"`
	}) (edit.Op, error) {
		return edit.Layout{Slides: f.Slides, Layout: f.Layout}, nil
	}),
	"motion": reads(func(f struct {
		chosen
		motionFields
	}) (edit.Op, error) {
		return f.op(f.Slides), nil
	}),
	"framing": reads(func(f struct {
		Slide  doc.SlideID `form:"framed"`
		Begins field.Area  `form:"begins" label:"Begins with"`
		Ends   field.Area  `form:"ends" label:"Ends with"`
		Ease   field.Ease  `form:"framing-ease"`
	}) (edit.Op, error) {
		return edit.Framing{
			Slides: []doc.SlideID{f.Slide},
			From:   f.Begins.Rect(),
			To:     f.Ends.Rect(),
			Ease:   f.Ease.Or(),
		}, nil
	}),
	"backdrop": reads(func(f struct {
		chosen
		Backdrop string `form:"backdrop"`
	}) (edit.Op, error) {
		b, err := namedBackdrop(f.Backdrop)
		return edit.Backdrop{Slides: f.Slides, Backdrop: b}, err
	}),
	"backdropset": reads(func(f struct {
		chosen
		backdropFields
	}) (edit.Op, error) {
		return f.op(f.Slides), nil
	}),
	"join": reads(func(f struct {
		chosen
		joinFields
	}) (edit.Op, error) {
		return f.op(f.Slides), nil
	}),

	// Words.
	"caption": reads(func(f struct {
		chosen
		Caption string `form:"caption"`
	}) (edit.Op, error) {
		return edit.Caption{Slides: f.Slides, Text: f.Caption}, nil
	}),
	"captionstyle": func(_ *shared, v url.Values) (edit.Op, error) {
		f, err := field.Decode[struct {
			chosen
			styleFields
			Snap bool `form:"snap"`
		}](v)
		if err != nil {
			return nil, err
		}
		return f.op(f.Slides, v.Has("cap-x"), f.Snap)
	},
	"chapter": reads(func(f struct {
		chosen
		Text string `form:"chapter"`
	}) (edit.Op, error) {
		return edit.Chapter{Slides: f.Slides, Text: f.Text}, nil
	}),
	"lines": reads(func(f struct {
		Slide doc.SlideID `form:"slide"`
		Lines string      `form:"lines"`
	}) (edit.Op, error) {
		lines, err := timedLines(f.Lines)
		return edit.Lines{Slide: f.Slide, Lines: lines}, err
	}),
	"shutter": reads(func(f struct {
		Shutter field.Amount `form:"shutter" label:"Motion blur"`
	}) (edit.Op, error) {
		return edit.Shutter{Degrees: float64(f.Shutter)}, nil
	}),
	"fades": reads(func(f struct {
		In     field.Amount `form:"fade-in" label:"Fades in"`
		Out    field.Amount `form:"fade-out" label:"Fades out"`
		Colour raster.RGB   `form:"fade-colour" label:"Colour"`
	}) (edit.Op, error) {
		return edit.Fades{Fades: &doc.Fades{
			InSeconds:  float64(f.In),
			OutSeconds: float64(f.Out),
			Colour:     f.Colour,
		}}, nil
	}),
	"captiondescriptions": reads(func(f chosen) (edit.Op, error) {
		return edit.CaptionDescriptions{Slides: f.Slides}, nil
	}),
	"captionnames": reads(func(f chosen) (edit.Op, error) {
		return edit.CaptionNames{Slides: f.Slides}, nil
	}),
	"captionplain": reads(func(f chosen) (edit.Op, error) {
		return edit.CaptionStyle{Slides: f.Slides}, nil
	}),
	"addcard": reads(func(f chosen) (edit.Op, error) {
		c := edit.AddCard{Words: doc.Words{Kind: "title", Main: plan.SuggestedTitle}}
		if len(f.Slides) > 0 {
			c.Before = f.Slides[0]
		}
		return c, nil
	}),
	"lettering": reads(func(f struct {
		chosen
		letteringFields
	}) (edit.Op, error) {
		return edit.Lettering{Slides: f.Slides, Change: f.change}, nil
	}),
	"letteringplain": reads(func(f chosen) (edit.Op, error) { return edit.Lettering{Slides: f.Slides}, nil }),
	"slidepicture": reads(func(f struct {
		chosen
		Picture doc.MediaID `form:"slide-picture"`
	}) (edit.Op, error) {
		return edit.Picture{Slides: f.Slides, Picture: f.Picture}, nil
	}),
	"words": reads(func(f struct {
		chosen
		Kind    string      `form:"kind"`
		Main    string      `form:"main"`
		Smaller string      `form:"smaller"`
		Text    string      `form:"text"`
		At      field.Maybe `form:"card" label:"Place of the words"`
		Snap    bool        `form:"snap"`
	}) (edit.Op, error) {
		if len(f.Slides) != 1 {
			return nil, &invalid.Input{Field: "slide", Problem: "Choose one text card to change its words."}
		}
		at, err := f.At.Point("card", "Place of the words")
		words := doc.Words{
			Kind:    f.Kind,
			Main:    f.Main,
			Smaller: f.Smaller,
			Text:    strings.ReplaceAll(f.Text, "\r\n", "\n"),
			At:      at,
		}
		return edit.Words{Slide: f.Slides[0], Words: words, Snap: f.Snap}, err
	}),

	// What lies over slides.
	"drift": reads(func(f struct {
		chosen
		Particles design.Particles `form:"particles"`
	}) (edit.Op, error) {
		return layOver(f.Slides, design.Decor{
			Kind:      design.Drift,
			Particles: f.Particles,
			Density:   1,
			Size:      1,
			Opacity:   0.9,
			FadeIn:    0.8,
			FadeOut:   0.8,
		})
	}),
	"laypicture": reads(func(f struct {
		chosen
		Picture string `form:"decor-picture"`
	}) (edit.Op, error) {
		return layOver(f.Slides, design.Decor{
			Kind:    design.Sprite,
			Media:   f.Picture,
			Size:    0.2,
			Opacity: 1,
			FadeIn:  0.5,
			FadeOut: 0.5,
			Path:    []design.Waypoint{{X: 0.85, Y: 0.8}},
			Ease:    framing.InOut,
		})
	}),
	"decor": reads(decorFields.op),
	"undecorate": reads(func(f struct {
		Index field.Amount `form:"index" label:"Decor"`
	}) (edit.Op, error) {
		return edit.Decorate{Index: max(0, int(f.Index))}, nil
	}),

	// Single pictures.
	"turn": reads(func(f struct {
		pictures
		Turn string `form:"turn"`
	}) (edit.Op, error) {
		if f.Turn == "-1" {
			return f.shots("Turned", edit.Shots{Turn: -1})
		}
		return f.shots("Turned", edit.Shots{Turn: 1})
	}),
	"focal": reads(func(f struct {
		pictures
		X field.Amount `form:"x" label:"Focal point"`
		Y field.Amount `form:"y" label:"Focal point"`
	}) (edit.Op, error) {
		return f.shots("Set the focal point", edit.Shots{Focal: &framing.Point{
			X: float64(f.X),
			Y: float64(f.Y),
		}})
	}),
	"look": reads(func(f struct {
		pictures
		Look string `form:"look"`
	}) (edit.Op, error) {
		if f.Look == "theme" {
			return f.shots("Changed the look", edit.Shots{AsFilm: true})
		}
		l, err := namedLook(f.Look)
		if err != nil {
			return nil, err
		}
		return f.shots("Changed the look", edit.Shots{Look: l})
	}),
	"tone": reads(func(f struct {
		pictures
		toneFields
	}) (edit.Op, error) {
		if len(f.Media) == 0 {
			return nil, &invalid.Input{Field: "media", Problem: "Choose pictures to change their look."}
		}
		return f.op(f.Media), nil
	}),
	"crop": reads(func(f struct {
		pictures
		Crop field.Area `form:"crop" label:"Crop"`
	}) (edit.Op, error) {
		c := f.Crop.Rect()
		return f.shots("Cropped", edit.Shots{Crop: &c})
	}),
	"uncrop": reads(func(f pictures) (edit.Op, error) {
		return f.shots("Took off the crop", edit.Shots{Crop: &framing.Rect{}})
	}),
	"scale": reads(func(f struct {
		pictures
		Scale field.Share `form:"scale" label:"Size in its place"`
	}) (edit.Op, error) {
		return f.shots("Changed the size", edit.Shots{Scale: (*float64)(&f.Scale)})
	}),
	"fitin": reads(func(f struct {
		pictures
		Fit design.Fit `form:"fit"`
	}) (edit.Op, error) {
		return f.shots("Changed the framing", edit.Shots{Fit: &f.Fit})
	}),
	"tilt": reads(func(f struct {
		pictures
		Tilt field.Amount `form:"tilt"`
	}) (edit.Op, error) {
		return f.shots("Tilted", edit.Shots{Tilt: (*float64)(&f.Tilt)})
	}),
	"trim": reads(func(f struct {
		pictures
		In   doc.SlideID  `form:"in"`
		From field.Amount `form:"from"`
		To   field.Amount `form:"to"`
	}) (edit.Op, error) {
		if f.In != "" {
			return edit.TrimClip{Slide: f.In, Trim: doc.Trim{From: float64(f.From), To: float64(f.To)}}, nil
		}
		return f.shots("Trimmed", edit.Shots{Trim: &doc.Trim{From: float64(f.From), To: float64(f.To)}})
	}),
	"sound": reads(func(f struct {
		pictures
		Sound field.Share `form:"sound"`
	}) (edit.Op, error) {
		return f.shots("Changed the sound", edit.Shots{Sound: (*float64)(&f.Sound)})
	}),
	"anew": reads(func(f pictures) (edit.Op, error) {
		return f.shots("Put back as received", edit.Shots{Anew: true})
	}),
}
