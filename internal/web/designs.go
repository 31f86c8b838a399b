package web

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/invalid"
)

// keepTransition keeps the transition of the form under a name.
func (s *Server) keepTransition(w http.ResponseWriter, r *http.Request) {
	t, err := readJoin(r)
	name := strings.TrimSpace(r.PostFormValue("join-name"))
	if err == nil && t == nil {
		err = &invalid.Input{Field: "join", Problem: "Choose a transition first."}
	}
	if err == nil {
		err = s.House.Shelf.KeepTransition(r.Context(), name, *t)
	}
	s.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = &notice{"good", fmt.Sprintf("“%s” is kept. It stands under “Our own” in every order.", name)}
		}
	})
}

// readDesign makes an edit of the film's look of a form.
func (s *Server) readDesign(r *http.Request, op string, slides []doc.SlideID) (edit.Op, error) {
	f := r.PostFormValue
	switch op {
	case "theme":
		t, err := s.House.Shelf.Themes.Get(f("theme"))
		if err != nil {
			return nil, &invalid.Input{Field: "theme", Problem: err.Error()}
		}
		return edit.SetTheme{Theme: t.ID, Version: t.Content, Name: t.Name}, nil
	case "shape":
		var frame doc.Frame
		if _, err := fmt.Sscanf(f("frame"), "%dx%d", &frame.W, &frame.H); err != nil {
			return nil, &invalid.Input{Field: "frame", Problem: fmt.Sprintf("The frame %q is not of the form 1920x1080.", f("frame"))}
		}
		return edit.Shape{Frame: frame}, nil
	case "layout":
		return edit.Layout{Slides: slides, Layout: f("layout")}, nil
	case "caption":
		return edit.Caption{Slides: slides, Text: f("caption")}, nil
	case "captionstyle":
		c, err := readCaptionStyle(r)
		return edit.CaptionStyle{Slides: slides, Style: c, Snap: f("snap") != ""}, err
	case "captionplain":
		return edit.CaptionStyle{Slides: slides}, nil
	case "motion":
		m, err := readMotion(r)
		return edit.Motion{Slides: slides, Motion: m}, err
	case "framing":
		return readFraming(r)
	case "backdrop":
		b, err := readBackdrop(f("backdrop"))
		return edit.Backdrop{Slides: slides, Backdrop: b}, err
	case "backdropset":
		b, err := readBackdropDetail(r)
		return edit.Backdrop{Slides: slides, Backdrop: b}, err
	case "join":
		j, err := readJoin(r)
		return edit.Join{Slides: slides, Join: j}, err
	case "filmlook":
		if f("look") == "theme" {
			return edit.Look{}, nil
		}
		l, err := namedLook(f("look"))
		return edit.Look{Look: l}, err
	case "filmtone":
		l, err := readTone(r)
		return edit.Look{Look: l}, err
	case "group":
		return edit.Group{Slides: slides}, nil
	case "split":
		return edit.Split{Slides: slides}, nil
	case "sort":
		return edit.Sort{By: f("by"), Seed: rand.Uint64() >> 12}, nil
	case "addcard":
		before := doc.SlideID("")
		if len(slides) > 0 {
			before = slides[0]
		}
		return edit.AddCard{Words: doc.Words{Kind: "title", Main: "Title"}, Before: before}, nil
	case "words":
		if len(slides) != 1 {
			return nil, &invalid.Input{Field: "slide", Problem: "Choose one text card to change its words."}
		}
		at, err := readPoint(r, "card", "Place of the words")
		return edit.Words{Slide: slides[0], Words: doc.Words{Kind: f("kind"), Main: f("main"), Smaller: f("smaller"), Text: strings.ReplaceAll(f("text"), "\r\n", "\n"), At: at}, Snap: f("snap") != ""}, err
	case "drift", "laypicture":
		return newDecor(r, op, slides)
	case "decor":
		return readDecor(r)
	case "undecorate":
		n, err := readNumber(r, "index", "Decor")
		return edit.Decorate{Index: max(0, int(n))}, err
	}
	return readShot(r, op)
}
