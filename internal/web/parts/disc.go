package parts

import (
	"strings"

	"nelko/internal/pressing"
	"nelko/internal/store"
	"nelko/internal/web/field"
)

// DiscChoice is a kind of disc on the order's page.
type DiscChoice struct {
	Value, Name, Words string
	Fits, First        bool
}

// discKinds are what kinds of disc are called.
var discKinds = map[store.DiscKind]string{
	store.DVDVideo: "DVD-Video",
	store.HDVideo:  "HD disc",
	store.DataDisc: "Films as files",
}

// DiscChoices are the kinds of disc, and how films of so many seconds fit.
func DiscChoices(seconds []float64) (out []DiscChoice) {
	for i, c := range pressing.Choices(seconds) {
		blank := strings.TrimPrefix(strings.TrimPrefix(c.Blank.Name, "DVD "), "HD disc ")
		out = append(out, DiscChoice{string(c.Kind) + "/" + c.Blank.Name, discKinds[c.Kind] + ", " + blank,
			c.Words, c.Fits, i == 0})
	}
	return out
}

func Standards() (out []string) {
	for _, p := range pressing.Standards {
		out = append(out, p.Name)
	}
	return out
}

// DiscForm is what is asked of a disc.
type DiscForm struct {
	On        string        `form:"on"` // kind/blank
	Name      string        `form:"name"`
	Standard  string        `form:"standard"`
	Profiles  []string      `form:"size"`
	Menu      bool          `form:"menu"`
	Moves     bool          `form:"moves"`
	Music     string        `form:"music"`
	PlayFirst bool          `form:"play_first"`
	Loop      bool          `form:"loop"`
	Subtitles string        `form:"subtitles"`
	Colour    string        `form:"colour"`
	Every     *field.Amount `form:"every" label:"Chapters"`
	Also      []int64       `form:"also"`
	Anyway    bool          `form:"anyway"`
	Copies    *field.Amount `form:"copies" label:"Copies"`
}

func (f DiscForm) Disc(orderID int64) pressing.New {
	kind, blank, _ := strings.Cut(f.On, "/")
	n := pressing.New{
		Anyway: f.Anyway,
		Orders: append([]int64{orderID}, f.Also...),
		DiscSetting: store.DiscSetting{
			Kind:      store.DiscKind(kind),
			Blank:     blank,
			Name:      f.Name,
			Menu:      f.Menu,
			Moves:     f.Moves,
			Music:     f.Music,
			PlayFirst: f.PlayFirst,
			Loop:      f.Loop,
			Subtitles: f.Subtitles,
			Colour:    f.Colour,
			Profiles:  []string{f.Standard},
		},
	}
	if f.Every != nil {
		n.Every = int(*f.Every)
	}
	if n.Kind == store.DataDisc {
		n.Profiles = f.Profiles
	}
	return n
}
