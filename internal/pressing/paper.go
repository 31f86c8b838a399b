package pressing

import (
	"context"
	"io"
	"strings"

	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/media"
	"nelko/internal/orders"
	"nelko/internal/paper"
	"nelko/internal/store"
)

// Faces writes the faces of discs to print.
func (p *Prints) Faces(ctx context.Context, ids []int64, w io.Writer) error {
	var all []paper.Disc
	for _, id := range ids {
		d, err := p.printed(ctx, id)
		if err != nil {
			return err
		}
		all = append(all, d)
	}
	if len(all) == 0 {
		return invalid.Field("discs", "There are no discs to print on yet.")
	}
	return paper.Faces(w, all)
}

// Sleeve writes the paper of a disc's case to print.
func (p *Prints) Sleeve(ctx context.Context, id int64, w io.Writer) error {
	d, err := p.printed(ctx, id)
	if err != nil {
		return err
	}
	return paper.Sleeve(w, d)
}

// kinds are what discs are called on their paper.
var kinds = map[store.DiscKind]string{
	store.DVDVideo: "DVD-Video",
	store.HDVideo:  "HD disc",
	store.DataDisc: "Films as files",
}

// printed is what paper carries of a disc.
func (p *Prints) printed(ctx context.Context, id int64) (out paper.Disc, err error) {
	x, _, err := p.Find(ctx, id)
	if err != nil {
		return out, err
	}
	films, err := p.films(ctx, x)
	if err != nil {
		return out, err
	}
	for i, r := range films {
		if i > 0 && x.Setting.Titles[i].OrderID == x.Setting.Titles[i-1].OrderID {
			continue // the same film in another size
		}
		if r.State != store.RenderDone {
			return out, invalid.Field("disc", "The films of the disc are not rendered yet.")
		}
		out.Films = append(out.Films, paper.Film{
			Title:  x.Setting.Titles[i].Name,
			Length: timecode.Clock(r.Seconds),
		})
	}
	d, err := p.Orders.Load(ctx, x.Setting.Titles[0].OrderID)
	if err != nil {
		return out, err
	}
	if err := media.InstallFonts(p.Shelf.Themes, d.Theme.FontsContent); err != nil {
		return out, err
	}
	out.Look = lookOf(d)
	out.Title, out.Line, out.Kind = x.Setting.Name, lineOf(d, x.Setting.Name), kinds[x.Setting.Kind]
	if x.Setting.Kind == store.DVDVideo {
		out.Kind += ", " + strings.TrimPrefix(x.Setting.Profiles[0], "DVD ")
	}
	out.Studio.Name = d.Settings.Name
	if m := d.Settings.MarkPicture; m != nil {
		if out.Studio.Mark, err = p.Shelf.Marks.MarkImage(ctx, *m); err != nil {
			return out, err
		}
	}
	out.Poster, err = p.Poster(ctx, films[0])
	return out, err
}

func lookOf(d *orders.Dossier) paper.Look {
	y, _ := d.Theme.TitleType("main")
	out := paper.Look{Face: d.Theme.Fonts[y.Font].Face, Fonts: d.Theme.FontsContent}
	out.Paper, out.Ink = d.Theme.Page()
	return out
}

// lineOf is the event and its date, as far as the title does not say so.
func lineOf(d *orders.Dossier, title string) string {
	var parts []string
	for _, p := range []string{d.Order.Event, d.Theme.Written(d.Doc.Details)["date"]} {
		if p != "" && !strings.Contains(title, p) && !strings.Contains(strings.Join(parts, " "), p) {
			parts = append(parts, p)
		}
	}
	return wording.Beside(parts...)
}
