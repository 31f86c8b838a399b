package interchange

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
	"nelko/internal/orders"
	"nelko/internal/paper"
	"nelko/internal/store"
)

// sheetAcross is how many pictures of a contact sheet stand beside each other.
const sheetAcross = 5

// ContactSheet writes an order's pictures and clips to print, with their names
// and the slides that show them.
func (x *Interchange) ContactSheet(ctx context.Context, orderID int64, w io.Writer) error {
	d, err := x.Orders.Load(ctx, orderID)
	if err != nil {
		return err
	}
	slides := map[doc.MediaID][]string{}
	for i, s := range d.Doc.Slides {
		for _, id := range s.Media {
			slides[id] = append(slides[id], fmt.Sprint(i+1))
		}
	}
	var list []paper.Proof
	for i := range d.Media {
		m := &d.Media[i]
		if m.State != store.Ready || m.Thumbnail == nil {
			continue
		}
		jpg, err := x.read(ctx, *m.Thumbnail)
		if err != nil {
			return fmt.Errorf("%s: %w", m.Name, err)
		}
		p := paper.Proof{Name: m.Name, JPEG: jpg, Note: "not used"}
		if in := slides[m.DocID()]; len(in) > 0 {
			p.Note = "slide " + strings.Join(in, ", ")
		}
		list = append(list, p)
	}
	if len(list) == 0 {
		return ErrEmpty
	}
	return paper.Proofs(w, printed(d, "contact sheet"), sheetAcross, list)
}

func printed(d *orders.Dossier, what string) string {
	return fmt.Sprintf("%s, %s: %s", d.Order.Client, d.Order.Event, what)
}

func (x *Interchange) read(ctx context.Context, sha string) ([]byte, error) {
	r, err := x.Blobs.Open(ctx, sha)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}

// RunningOrder writes an order's slides to print: a line each with its pictures,
// when it comes, how long it stays and its words, and the arithmetic below.
func (x *Interchange) RunningOrder(ctx context.Context, orderID int64, w io.Writer) error {
	d, err := x.Orders.Load(ctx, orderID)
	if err != nil {
		return err
	}
	if len(d.Plan.Slides) == 0 {
		return ErrEmpty
	}
	var rows []paper.Row
	for i, s := range d.Plan.Slides {
		row := paper.Row{
			Number: i + 1,
			At:     timecode.Clock(d.Doc.Rate.Seconds(s.Start)),
			Lasts:  fmt.Sprintf("%.2f s", d.Doc.Rate.Seconds(s.Length)),
			Words:  words(d, s.Slide),
		}
		for _, id := range s.Media {
			m, ok := d.Row(id)
			if !ok {
				continue
			}
			row.Names = append(row.Names, m.Name)
			if m.Thumbnail != nil {
				jpg, err := x.read(ctx, *m.Thumbnail)
				if err != nil {
					return fmt.Errorf("%s: %w", m.Name, err)
				}
				row.JPEGs = append(row.JPEGs, jpg)
			}
		}
		rows = append(rows, row)
	}
	return paper.RunningOrder(w, printed(d, "running order"), rows, d.Plan.Arithmetic())
}

// words are what stands on a slide.
func words(d *orders.Dossier, s doc.Slide) []string {
	var out []string
	add := func(text string) {
		if text = strings.Join(strings.Fields(text), " "); text != "" {
			out = append(out, text)
		}
	}
	switch s.Kind {
	case doc.Opening:
		written := d.Theme.Written(d.Doc.Details)
		for _, x := range d.Theme.Details {
			add(written[x.Key])
		}
		out = slices.Insert(out, 0, "opening")
	case doc.Closing:
		add("closing")
	case doc.Card:
		add("card")
		add(s.Card.Main)
		add(s.Card.Smaller)
		add(s.Card.Text)
	default:
		add(s.Caption)
		for _, l := range s.Lines {
			add(l.Text)
		}
	}
	if s.Chapter != "" {
		add("chapter: " + s.Chapter)
	}
	return out
}
