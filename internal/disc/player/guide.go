package player

import (
	"errors"
	"fmt"
	"image"
	"io"
	"slices"
)

// Guide is where everything on a disc leads, found by pressing every button.
type Guide struct {
	First  Place   `json:"first"` // what plays when it is put in
	Pages  []Page  `json:"pages,omitempty"`
	Titles []Title `json:"titles"`
}

// Page is a page of the menu.
type Page struct {
	Number  int      `json:"number"`
	Buttons []Button `json:"buttons"`
}

// Button is a button of a page: its place in pixels of the stored frame, where
// it leads, and what follows when that film is over, and the one after it.
type Button struct {
	image.Rectangle `json:"at"`
	To              Place   `json:"to"`
	Then            []Place `json:"then,omitempty"`
}

// Walk presses every button of a disc's image.
func Walk(path string) (g Guide, err error) {
	d, err := Open(path)
	if err != nil {
		return g, err
	}
	defer d.Close()
	if g.First, err = d.Settle(); err != nil {
		return g, err
	}
	n, err := d.Titles()
	if err != nil {
		return g, err
	}
	for i := range n {
		if err := d.Play(i+1, 1); err != nil {
			return g, err
		}
		if _, err := d.Settle(); err != nil {
			return g, err
		}
		g.Titles = append(g.Titles, d.Film())
	}
	// A disc without a menu says so when it is asked for one.
	start, err := begin(path, nil)
	if err != nil || start.place.Page == 0 {
		start.Close()
		return g, nil //nolint:nilerr // that is the answer
	}
	start.Close()
	type known struct {
		page int
		way  []int // buttons pressed from the first page on
	}
	queue, seen := []known{{start.place.Page, nil}}, []int{start.place.Page}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		page, err := g.page(path, at.way, at.page)
		if err != nil {
			return g, err
		}
		g.Pages = append(g.Pages, page)
		for i, b := range page.Buttons {
			if p := b.To.Page; p > 0 && !slices.Contains(seen, p) {
				seen = append(seen, p)
				queue = append(queue, known{p, append(slices.Clone(at.way), i+1)})
			}
		}
	}
	slices.SortFunc(g.Pages, func(a, b Page) int { return a.Number - b.Number })
	return g, nil
}

// begin puts a disc in, calls its menu and presses buttons.
func begin(path string, way []int) (*Disc, error) {
	d, err := Open(path)
	if err != nil {
		return &Disc{}, err
	}
	p, err := d.Settle()
	if err == nil && p.Page == 0 {
		if err = d.Menu(); err == nil {
			_, err = d.Settle()
		}
	}
	for _, n := range way {
		if err == nil {
			if err = d.Press(n); err == nil {
				_, err = d.Settle()
			}
		}
	}
	return d, err
}

// page presses the buttons of a page, which is reached by a way.
func (g *Guide) page(path string, way []int, number int) (Page, error) {
	out := Page{Number: number}
	d, err := begin(path, way)
	if err != nil {
		return out, err
	}
	rects := d.Buttons()
	d.Close()
	for i, r := range rects {
		d, err := begin(path, append(slices.Clone(way), i+1))
		if err != nil {
			return out, fmt.Errorf("page %d, button %d: %w", number, i+1, err)
		}
		b := Button{Rectangle: r, To: d.place}
		b.Then, err = g.after(d)
		d.Close()
		if err != nil {
			return out, fmt.Errorf("page %d, button %d: %w", number, i+1, err)
		}
		out.Buttons = append(out.Buttons, b)
	}
	return out, nil
}

// after plays the ends of films until the disc comes back to a page, stops, or
// begins a film again.
func (g *Guide) after(d *Disc) (out []Place, err error) {
	seen := []Place{d.place}
	for d.place.Title > 0 {
		last := len(g.Titles[d.place.Title-1].Chapters)
		if err := d.Play(d.place.Title, last); err != nil {
			return nil, err
		}
		if _, err := d.Settle(); err != nil {
			return nil, err
		}
		if err := d.Copy(io.Discard); err != nil {
			return nil, err
		}
		if out = append(out, d.place); slices.Contains(seen, d.place) {
			return out, nil
		}
		seen = append(seen, d.place)
	}
	return out, nil
}

// Page stands on a page of the menu.
func (g Guide) Page(path string, number int) (*Disc, error) {
	ways := map[int][]int{}
	for _, p := range g.Pages {
		if len(ways) == 0 {
			ways[p.Number] = nil
		}
		for i, b := range p.Buttons {
			if _, ok := ways[b.To.Page]; b.To.Page > 0 && !ok {
				ways[b.To.Page] = append(slices.Clone(ways[p.Number]), i+1)
			}
		}
	}
	way, ok := ways[number]
	if !ok {
		return nil, errors.New("the disc has no such page")
	}
	return begin(path, way)
}
