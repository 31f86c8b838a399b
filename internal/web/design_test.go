package web_test

import (
	"fmt"
	"html"
	"maps"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/transition"
	"nelko/internal/house/housetest"
	"nelko/internal/orders"
)

// filled is a signed-in site with an order of three photos and a song, fitted.
func filled(t *testing.T) (*site, int64) {
	v := open(t)
	v.signIn("wren@studio.example")
	o := housetest.Order(t, v.studio)
	files := map[string][]byte{"song.flac": housetest.Song(t, 14)}
	for i := range 3 {
		files[fmt.Sprint(i, ".jpg")] = housetest.Photo(t, i)
	}
	housetest.Bring(t, v.studio, o.ID, files)
	_, err := v.studio.Orders.Edits.Edit(ctx, o.ID, v.load(o.ID).Slideshow.Head, housetest.ToMusic(), nil)
	require.NoError(t, err)
	return v, o.ID
}

func (v *site) load(order int64) *orders.Dossier {
	w, err := v.studio.Orders.Load(ctx, order)
	require.NoError(v.t, err)
	return w
}

// edit posts an edit of an order as its page does.
func (v *site) edit(order int64, op string, form ...string) (int, string) {
	form = append(form, "base", fmt.Sprint(v.load(order).Slideshow.Head))
	res, body := v.post(fmt.Sprintf("/orders/%d/edit/%s", order, op), form...)
	return res.StatusCode, body
}

// tone is the form of a look by its settings, all 0 but those given.
func tone(set ...string) (form []string) {
	for _, f := range []string{"light", "contrast", "temperature", "saturation", "tint", "fade", "sharpen",
		"vignette", "grain"} {
		value := "0"
		for i := 0; i < len(set); i += 2 {
			if set[i] == f {
				value = set[i+1]
			}
		}
		form = append(form, "tone-"+f, value)
	}
	return form
}

// style is the form of a caption style, and what else is given.
func style(more ...string) []string {
	return append([]string{"cap-anchor", "lower", "cap-enter", "rise", "cap-font", "body", "cap-size", "5",
		"cap-width", "80", "cap-outline", "0", "cap-shadow", "50", "cap-plate", "0",
		"cap-colour", "#ff0000", "cap-outline-colour", "#000000", "cap-plate-colour", "#000000"}, more...)
}

// Each control of the desk does its edit, and what cannot be is answered in
// words with nothing changed.
func TestDesignsOverTheWeb(t *testing.T) {
	v, order := filled(t)
	slide := func() doc.Slide { return v.load(order).Doc.Slides[1] }
	id, medium := string(slide().ID), string(slide().Media[0])
	opening := string(v.load(order).Doc.Slides[0].ID)
	letters := func() *design.Lettering { return v.load(order).Doc.Slides[0].Lettering }
	shot := func() doc.Shot { return v.load(order).Doc.Shot(doc.MediaID(medium)) }
	for _, step := range []struct {
		op   string
		form []string
		done func() bool
	}{
		{"caption", []string{"slide", id, "caption", "Zoë <at> noon"}, func() bool {
			return slide().Caption == "Zoë <at> noon"
		}},
		{"layout", []string{"slide", id, "layout", "print"}, func() bool {
			return slide().Layout == "print"
		}},
		{"layout", []string{"slide", id, "layout", ""}, func() bool { return slide().Layout == "" }},
		{"motion", []string{"slide", id, "motion", "pan", "zoom", "15"}, func() bool {
			m := slide().Motion
			return m != nil && m.Kind == design.Pan && m.Zoom == 0.15
		}},
		{"motion", []string{"slide", id, "motion", ""}, func() bool { return slide().Motion == nil }},
		{"backdrop", []string{"slide", id, "backdrop", "linen"}, func() bool {
			b := slide().Backdrop
			return b != nil && b.Texture == "linen"
		}},
		{"join", []string{"slide", id, "join", "wipe", "join-seconds", "0,5", "direction", "up"},
			func() bool {
				j := slide().Join
				return j != nil && j.Kind == "wipe" && j.Seconds == 0.5 && j.Direction == transition.Up
			}},
		{"join", []string{"join", "iris", "join-seconds", "1"}, func() bool {
			w := v.load(order)
			return w.Doc.Join != nil && slide().Join == nil
		}},
		{"look", []string{"media", medium, "look", "mono"}, func() bool {
			l := shot().Look
			return l != nil && l.Saturation == -1
		}},
		{"fitin", []string{"media", medium, "fit", "whole"}, func() bool {
			return shot().Fit == design.Whole
		}},
		{"turn", []string{"media", medium, "turn", "-1"}, func() bool { return shot().Turn == 3 }},
		{"focal", []string{"media", medium, "x", "0.25", "y", "0.75"}, func() bool {
			f := shot().Focal
			return f != nil && f.X == 0.25
		}},
		{"tilt", []string{"media", medium, "tilt", "-4.5"}, func() bool {
			return shot().Tilt != nil && *shot().Tilt == -4.5
		}},
		{"anew", []string{"media", medium}, func() bool { return shot() == (doc.Shot{}) }},
		{"drift", []string{"slide", id, "particles", "snow"}, func() bool {
			return len(v.load(order).Doc.Decor) == 1
		}},
		{"undecorate", []string{"index", "0"}, func() bool { return len(v.load(order).Doc.Decor) == 0 }},
		{"tone", append([]string{"media", medium, "tone-improve", "1"}, tone("light", "12,5")...),
			func() bool {
				l := shot().Look
				return l != nil && l.Improve && l.Light == 0.125
			}},
		{"filmlook", []string{"look", "warm"}, func() bool {
			l := v.load(order).Doc.Look
			return l != nil && l.Temperature > 0
		}},
		{"filmtone", tone("saturation", "-100"), func() bool {
			l := v.load(order).Doc.Look
			return l != nil && l.Saturation == -1 && l.Temperature == 0
		}},
		{"filmlook", []string{"look", "theme"}, func() bool { return v.load(order).Doc.Look == nil }},
		{"crop", []string{"media", medium, "crop-x", "10", "crop-y", "0", "crop-w", "50", "crop-h", "100"},
			func() bool {
				return shot().Crop == framing.Rect{X: 0.1, W: 0.5, H: 1}
			}},
		{"uncrop", []string{"media", medium}, func() bool { return shot().Crop == framing.Rect{} }},
		{"scale", []string{"media", medium, "scale", "80"}, func() bool { return shot().Scale == 0.8 }},
		{"framing", []string{"framed", id, "begins-x", "0", "begins-y", "0", "begins-w", "60", "begins-h",
			"60", "ends-x", "30", "ends-y", "30", "ends-w", "50", "ends-h", "50", "framing-ease", "linear"},
			func() bool {
				m := slide().Motion
				return m != nil && m.Kind == design.ByHand && m.To.X == 0.3 && m.Ease == framing.Linear
			}},
		{"lettering", []string{"slide", opening, "let-size", "150", "let-colour", "#ff0000", "let-plate",
			"40", "let-align", "left", "let-leave", "1,5"}, func() bool {
			l := letters()
			return l != nil && l.Size == 1.5 && *l.Colour == raster.RGB{R: 255} && *l.Plate == 0.4 &&
				l.Align == "left" && *l.Leave == 1.5 && l.Outline == nil
		}},
		{"lettering", []string{"slide", opening, "let-outline", "5"}, func() bool {
			l := letters()
			return *l.Outline == 0.05 && l.Size == 1.5
		}},
		{"letteringplain", []string{"slide", opening}, func() bool { return letters() == nil }},
		{"slidepicture", []string{"slide", opening, "slide-picture", medium}, func() bool {
			return string(v.load(order).Doc.Slides[0].Picture) == medium
		}},
		{"slidepicture", []string{"slide", opening, "slide-picture", ""}, func() bool {
			return v.load(order).Doc.Slides[0].Picture == ""
		}},
		{"backdrop", []string{"slide", opening, "backdrop", "photo"}, func() bool {
			return v.load(order).Doc.Slides[0].Backdrop.Kind == design.Photo
		}},
		{"backdrop", []string{"slide", opening, "backdrop", ""}, func() bool {
			return v.load(order).Doc.Slides[0].Backdrop == nil
		}},
		{"limits", []string{"shortest", "2,5"}, func() bool {
			return v.load(order).Doc.Fit.Shortest == 2.5 && v.load(order).Plan.FitError != nil
		}},
		{"remedy", []string{"what", "shorter pictures"}, func() bool {
			return v.load(order).Plan.FitError == nil && v.load(order).Doc.Fit.Shortest < 2.5
		}},
		{"limits", []string{"shortest", "0", "longest", "0"}, func() bool {
			return v.load(order).Doc.Fit.Shortest == 0
		}},
		{"captionstyle", style("cap-x", "49", "cap-y", "20", "snap", "1"), func() bool {
			c := v.load(order).Doc.CaptionStyle
			return c != nil && c.Size == 0.05 && c.At != nil && c.At.X == 0.5 && c.At.Y == 0.2 &&
				c.Colour == raster.RGB{R: 255}
		}},
		{"captionstyle", append(style("cap-x", "", "cap-y", ""), "slide", id), func() bool {
			return slide().CaptionStyle != nil && slide().CaptionStyle.At == nil
		}},
		{"captionplain", []string{"slide", id}, func() bool {
			return slide().CaptionStyle == nil && v.load(order).Doc.CaptionStyle != nil
		}},
		{"backdropset", []string{"slide", id, "back-base", "linen", "back-colour", "#102030", "back-contrast",
			"80", "back-moves", "1"}, func() bool {
			b := slide().Backdrop
			return b != nil && b.Contrast == 0.8 && b.Colour == raster.RGB{R: 16, G: 32, B: 48} && b.Moves
		}},
		{"join", []string{"slide", id, "join", "clock", "join-seconds", "1", "join-soft", "30", "join-ease",
			"ease-in"}, func() bool {
			return slide().Join.Soft == 0.3 && slide().Join.Ease == framing.CSSEaseIn
		}},
		{"join", []string{"slide", id, "join", "through", "join-seconds", "1", "join-colour", "#ffffff"},
			func() bool {
				return slide().Join.Colour == raster.RGB{R: 255, G: 255, B: 255}
			}},
		{"laypicture", []string{"slide", id, "decor-picture", medium}, func() bool {
			return len(v.load(order).Doc.Decor) == 1
		}},
		{"decor", []string{"index", "0", "first", id, "last", id, "decor-kind", "picture", "decor-media",
			medium, "decor-size", "30", "decor-opacity", "70", "decor-in", "1", "decor-out", "0,5",
			"decor-ease", "linear",
			"p-at", "0", "p-x", "20", "p-y", "80", "p-size", "", "p-turn", "", "p-at", "100", "p-x", "70",
			"p-y", "30", "p-size", "150", "p-turn", "-20", "p-at", "", "p-x", "", "p-y", "", "p-size", "",
			"p-turn", ""}, func() bool {
			d := v.load(order).Doc.Decor[0]
			return d.Opacity == 0.7 && len(d.Path) == 2 && d.Path[1].Size == 1.5 &&
				d.Path[1].Degrees == -20 && d.Path[0].Size == 1
		}},
		{"drift", []string{"slide", id, "particles", "leaves"}, func() bool {
			return len(v.load(order).Doc.Decor) == 2
		}},
		{"decor", []string{"index", "1", "first", id, "last", id, "decor-kind", "drift", "decor-particles",
			"embers", "decor-density", "200", "decor-size", "100", "decor-opacity", "50", "decor-in", "0",
			"decor-out", "0", "decor-colour", "#ff0000"}, func() bool {
			d := v.load(order).Doc.Decor[1]
			return d.Particles == "embers" && d.Density == 2 && d.Colour == raster.RGB{R: 255}
		}},
		{"addcard", []string{"slide", id}, func() bool { return slide().Kind == doc.Card }},
		{"shape", []string{"frame", "1080x1920"}, func() bool { return v.load(order).Doc.Frame.H == 1920 }},
		{"pause", []string{"slide", id}, func() bool { return len(v.load(order).Doc.Slides) == 7 }},
		{"fades", []string{"fade-in", "1,5", "fade-out", "2", "fade-colour", "#ffffff"}, func() bool {
			f := v.load(order).Doc.Fades
			return f.InSeconds == 1.5 && f.Colour.R == 255
		}},
		{"manner", []string{"manner", "calm", "slide", id}, func() bool {
			d := v.load(order).Doc
			return d.Slides[d.Index(doc.SlideID(id))].Motion.Kind == design.Still
		}},
		{"shutter", []string{"shutter", "180"}, func() bool { return v.load(order).Doc.Shutter == 180 }},
		{"join", []string{"slide", id, "join-shutter", "270"}, func() bool {
			d := v.load(order).Doc
			return d.Slides[d.Index(doc.SlideID(id))].Join.Shutter == 270
		}},
		{"manner", []string{"manner", "quick"}, func() bool {
			return v.load(order).Doc.Fit.PaceSeconds == 1
		}},
		{"spread", []string{"slide", id}, func() bool {
			d := v.load(order).Doc
			return d.Slides[d.Index(doc.SlideID(id))].Placed
		}},
		{"sort", []string{"by", "name"}, func() bool { return v.load(order).Doc.Sorted == "name" }},
	} {
		status, body := v.edit(order, step.op, step.form...)
		require.Equal(t, 200, status, "%s: %s", step.op, body)
		assert.True(t, step.done(), step.op)
	}
	card := string(slide().ID)
	status, _ := v.edit(order, "words", "slide", card, "kind", "credits", "main", "Crew", "text",
		"Bow | Ann\r\nStroke | Bo")
	assert.Equal(t, 200, status)
	assert.Equal(t, "Bow | Ann\nStroke | Bo", slide().Card.Text)
	_, desk := v.get(fmt.Sprintf("/orders/%d/margin?slide=%s&slide=%s", order, card, id))
	assert.Contains(t, desk, "2 slides selected")
	assert.NotContains(t, desk, "<at>", "words are escaped")

	// bare is a slide of pictures without a backdrop of its own.
	bare := func() string {
		for _, sl := range v.load(order).Doc.Slides {
			if len(sl.Media) > 0 && sl.Backdrop == nil {
				return string(sl.ID)
			}
		}
		return ""
	}
	head := v.load(order).Slideshow.Head
	for _, bad := range []struct {
		op, want string
		form     []string
	}{
		{"motion", "Zoom", []string{"slide", id, "motion", "in", "zoom", "much"}},
		{"motion", "zoom: 9", []string{"slide", id, "motion", "in", "zoom", "900"}},
		{"join", "there is no transition", []string{"slide", id, "join", "melt", "join-seconds", "1"}},
		{"join", "named “gone”", []string{"slide", id, "join", "own:gone"}},
		{"backdrop", "no backdrop", []string{"slide", id, "backdrop", "lava"}},
		{"look", "no look", []string{"media", medium, "look", "neon"}},
		{"manner", "no manner", []string{"manner", "loud"}},
		{"splitclip", "is no clip", []string{"on", id, "at", "1"}},
		{"captiondescriptions", "has a description", []string{"slide", id}},
		{"fades", "is not a number", []string{"fade-in", "x", "fade-out", "1", "fade-colour", "#000000"}},
		{"focal", "not a number", []string{"media", medium, "x", "left", "y", "0"}},
		{"tilt", "is not a number", []string{"media", medium, "tilt", "a bit"}},
		{"tone", "light: 3", append([]string{"media", medium}, tone("light", "300")...)},
		{"crop", "is not a number", []string{"media", medium, "crop-x", "", "crop-y", "0", "crop-w", "1",
			"crop-h", "1"}},
		{"crop", "must lie in the picture", []string{"media", medium, "crop-x", "80", "crop-y", "0", "crop-w",
			"50", "crop-h", "50"}},
		{"captionstyle", "is not a colour", append([]string{"cap-colour", "reddish"}, style()...)},
		{"captionstyle", "size must be", append([]string{"cap-size", "90"}, style()[8:]...)},
		{"lettering", "size: 9", []string{"slide", opening, "let-size", "900"}},
		{"lettering", "are captions", []string{"slide", id, "let-size", "90"}},
		{"lettering", "align: there is no", []string{"slide", opening, "let-align", "spin"}},
		{"slidepicture", "no longer", []string{"slide", opening, "slide-picture", "gone"}},
		{"studiocard", "under Settings", []string{"says", "contact"}},
		{"remedy", "does not make this film fit", []string{"what", "magic"}},
		{"limits", "the longest not below the shortest", []string{"shortest", "5", "longest", "4"}},
		{"backdropset", "choose a backdrop", []string{"slide", bare(), "back-moves", "true"}},
		{"laypicture", "Choose the slides", []string{"decor-picture", medium}},
		{"decor", "path: missing", []string{"index", "0", "decor-kind", "picture", "decor-media", medium,
			"decor-size", "30", "decor-opacity", "70", "decor-in", "0", "decor-out", "0"}},
		{"decor", "Path, row 1", []string{"index", "0", "decor-kind", "picture", "decor-media", medium,
			"decor-size", "30", "decor-opacity", "70", "decor-in", "0", "decor-out", "0", "p-x", "middle"}},
		{"trim", "not a clip", []string{"media", medium, "from", "0", "to", "1"}},
		{"shape", "not of the form", []string{"frame", "wide"}},
		{"drift", "Choose the slides", []string{"particles", "snow"}},
		{"theme", "there is no theme", []string{"theme", "none"}},
	} {
		status, body := v.edit(order, bad.op, bad.form...)
		assert.Equal(t, 422, status, bad.op)
		assert.Contains(t, body, bad.want, bad.op)
	}
	assert.Equal(t, head, v.load(order).Slideshow.Head, "nothing was changed")
	status, _ = v.edit(order, "enchant", "slide", id)
	assert.Equal(t, 404, status)
}

// The slide is seen with each choice before it is made; addresses name what
// the picture depends on.
func TestChoicesOverTheWeb(t *testing.T) {
	v, order := filled(t)
	id := string(v.load(order).Doc.Slides[1].ID)
	var addresses [][]string
	for _, panel := range []string{"layout", "motion", "join", "backdrop", "look", "captions"} {
		_, margin := v.get(fmt.Sprintf("/orders/%d/margin?slide=%s&panel=%s", order, id, panel))
		these := regexp.MustCompile(`src="(/orders/\d+/try/[^"]+)"`).FindAllStringSubmatch(margin, -1)
		require.Greater(t, len(these), 1, panel)
		addresses = append(addresses, these...)
	}
	require.Greater(t, len(addresses), 40)
	tried := map[string]bool{}
	for _, a := range addresses {
		path := html.UnescapeString(a[1])
		op := regexp.MustCompile(`/try/(\w+)`).FindStringSubmatch(path)[1]
		if tried[op] {
			continue
		}
		tried[op] = true
		res, body := v.get(path)
		assert.Equal(t, 200, res.StatusCode, path)
		assert.Equal(t, "image/jpeg", res.Header.Get("Content-Type"))
		assert.Contains(t, res.Header.Get("Cache-Control"), "immutable")
		assert.True(t, strings.HasPrefix(body, "\xff\xd8"))
	}
	assert.Subset(t, slices.Collect(maps.Keys(tried)), []string{"layout", "motion", "join", "backdrop",
		"look", "captionstyle"})
	res, _ := v.get(fmt.Sprintf("/orders/%d/try/motion?on=%s&slide=%s&motion=pan&about=old", order, id, id))
	assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	for path, status := range map[string]int{
		"motion?on=" + id + "&slide=" + id + "&zoom=much": 422,
		"enchant?on=" + id:              404,
		"motion?on=s99&motion=pan":      404,
		"motion?on=" + id + "&show=all": 404,
	} {
		res, _ := v.get(fmt.Sprintf("/orders/%d/try/%s", order, path))
		assert.Equal(t, status, res.StatusCode, path)
	}
}

// A transition kept under a name is offered and used in the next order.
func TestOwnTransitionsOverTheWeb(t *testing.T) {
	v, order := filled(t)
	_, body := v.post(fmt.Sprintf("/orders/%d/transitions", order), "join", "wipe", "join-seconds", "1.5",
		"direction", "up", "join-name", "Soft <rise>")
	assert.Contains(t, body, "is kept")
	_, body = v.post(fmt.Sprintf("/orders/%d/transitions", order), "join", "", "join-name", "x")
	assert.Contains(t, body, "Choose a transition first")
	id := string(v.load(order).Doc.Slides[1].ID)
	_, desk := v.get(fmt.Sprintf("/orders/%d/margin?slide=%s&panel=join", order, id))
	assert.Contains(t, desk, `value="own:Soft &lt;rise&gt;"`)
	status, _ := v.edit(order, "join", "slide", id, "join", "own:Soft <rise>")
	assert.Equal(t, 200, status)
	assert.Equal(t, 1.5, v.load(order).Doc.Slides[1].Join.Seconds)
	_, settings := v.get("/settings")
	assert.Contains(t, settings, "Remove Soft &lt;rise&gt;")
	v.post("/settings/transitions/forget", "name", "Soft <rise>")
	_, settings = v.get("/settings")
	assert.NotContains(t, settings, "Remove Soft")
	assert.Equal(t, 1.5, v.load(order).Doc.Slides[1].Join.Seconds, "what was set by it stays")
}

// The picker lists every theme with what it asks for; taking one changes the
// theme and nothing else, and a stale take is refused.
func TestThemePicker(t *testing.T) {
	v, order := filled(t)
	_, body := v.get(fmt.Sprintf("/orders/%d/themes", order))
	assert.GreaterOrEqual(t, strings.Count(body, "data-theme="), 10)
	assert.Contains(t, body, "✓ this film’s theme")
	assert.Contains(t, body, "Asks for: Company", "what Ledger needs and the order lacks")
	assert.Regexp(t, regexp.MustCompile(`\d+ pictures suit this music`), body)
	before := v.load(order)
	res, _ := v.post(fmt.Sprintf("/orders/%d/theme", order), "theme", "ledger", "base",
		fmt.Sprint(before.Slideshow.Head))
	assert.Equal(t, 303, res.StatusCode)
	after := v.load(order)
	assert.Equal(t, "ledger", after.Doc.Theme)
	assert.Equal(t, before.Doc.Slides, after.Doc.Slides)
	v.client = v.browser()
	v.signIn("mara@studio.example")
	res, body = v.post(fmt.Sprintf("/orders/%d/theme", order), "theme", "pennant", "base",
		fmt.Sprint(before.Slideshow.Head))
	assert.Equal(t, 409, res.StatusCode)
	assert.Contains(t, body, "changed this slideshow meanwhile")
	res, still := v.get(fmt.Sprintf("/orders/%d/themes/pennant/still.jpg", order))
	assert.Equal(t, 200, res.StatusCode)
	assert.True(t, strings.HasPrefix(still, "\xff\xd8"))
	res, _ = v.get(fmt.Sprintf("/orders/%d/themes/nothing/still.jpg", order))
	assert.Equal(t, 404, res.StatusCode)
}

// The played draft: playlists name segments that are there, lengths add up to
// the film, and no other file can be reached through the sound's address.
func TestPlaylists(t *testing.T) {
	v, order := filled(t)
	at := fmt.Sprintf("/orders/%d/play/%d/", order, v.load(order).Slideshow.Head)
	res, master := v.get(at + "film.m3u8")
	assert.Equal(t, "application/vnd.apple.mpegurl", res.Header.Get("Content-Type"))
	assert.Contains(t, master, `URI="sound/sound.m3u8"`)
	_, list := v.get(at + "picture.m3u8")
	sum := 0.0
	for _, m := range regexp.MustCompile(`#EXTINF:([\d.]+),\n(\d+)\.ts`).FindAllStringSubmatch(list, -1) {
		var s float64
		_, err := fmt.Sscan(m[1], &s)
		require.NoError(t, err)
		sum += s
	}
	assert.InDelta(t, 14, sum, 0.001)
	res, ts := v.get(at + "0.ts")
	assert.Equal(t, 200, res.StatusCode)
	assert.Equal(t, byte(0x47), ts[0], "MPEG-TS begins with its sync byte (ISO/IEC 13818-1, 2.4.3.2)")
	res, _ = v.get(at + "9999.ts")
	assert.Equal(t, 404, res.StatusCode)
	_, list = v.get(at + "sound/sound.m3u8")
	assert.Equal(t, 4, strings.Count(list, "#EXTINF"), "14 s in pieces of 4")
	for i := range 4 {
		res, ts = v.get(fmt.Sprintf("%ssound/%d.ts", at, i))
		assert.Equal(t, 200, res.StatusCode)
		assert.Equal(t, byte(0x47), ts[0])
	}
	for _, bad := range []string{"secret.txt", url.PathEscape("../../film.mp4"), "4.ts"} {
		res, _ = v.get(at + "sound/" + bad)
		assert.Equal(t, 404, res.StatusCode, bad)
	}
	res, _ = v.get(fmt.Sprintf("/orders/%d/play/777/film.m3u8", order))
	assert.Equal(t, 404, res.StatusCode)
	v.client = v.browser()
	res, _ = v.get(at + "film.m3u8")
	assert.Equal(t, 303, res.StatusCode, "only those signed in play drafts")
}

// A new order asks for what the chosen theme needs and keeps what was typed.
func TestNewOrderAsksForTheChosenTheme(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	_, body := v.get("/orders/new")
	assert.Contains(t, body, `<option value="tideline" selected>`)
	_, body = v.get("/orders/new?theme=ledger&client=Zo%C3%AB&detail-names=Review")
	assert.Contains(t, body, `<option value="ledger" selected>`)
	assert.Contains(t, body, "Company")
	assert.Contains(t, body, `value="Review"`)
}
