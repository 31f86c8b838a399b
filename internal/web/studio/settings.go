package studio

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"nelko/internal/accounts"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/delivery"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/shelf"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
)

func (s *settings) settingsPage(w http.ResponseWriter, r *http.Request) {
	s.showSettings(w, r, http.StatusOK, nil)
}

func (s *settings) showSettings(w http.ResponseWriter, r *http.Request, status int, n *page.Notice) {
	b, err := s.Noted(r, "Settings", n)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	st, err := s.Shelf.Studio(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	users, err := s.Accounts.List(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	own, err := s.Shelf.Transitions.TransitionNames(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	ways, err := s.Shelf.Profiles.Profiles(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	account, err := s.Hosting.Account(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	asides, err := s.Shelf.Asides(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, status, "settings", struct {
		page.Base
		Asides      []shelf.Aside
		Users       []store.User
		Settings    store.Studio
		MaxMarkMB   int
		Transitions []string
		Ways        []store.Profile
		Rates       []string
		Letters     []letterView
		Fields      []string
		Host        *store.HostAccount
		HostAddress string
		Least       int // characters of a password
	}{b, asides, users, st, shelf.MaxMarkBytes >> 20, own, ways, timecode.Names(), letterViews(st),
		append(slices.Clone(delivery.LetterFields), s.Shelf.DetailKeys()...), account, s.Hosting.Host,
		accounts.MinPassword})
}

// settled answers a change of the settings: what was done, or what was wrong
// with what was given.
func (s *settings) settled(w http.ResponseWriter, r *http.Request, done string, err error) {
	var invalid *invalid.Input
	switch {
	case errors.As(err, &invalid):
		s.showSettings(w, r, http.StatusUnprocessableEntity, page.Bad(invalid.Problem))
	case err != nil:
		s.Fail(w, r, err)
	default:
		s.Tell(r, done)
		http.Redirect(w, r, "/settings", http.StatusSeeOther)
	}
}

func (s *settings) forgetTransition(w http.ResponseWriter, r *http.Request) {
	name := r.PostFormValue("name")
	err := s.Shelf.Transitions.ForgetTransition(r.Context(), name)
	s.settled(w, r, fmt.Sprintf("“%s” is no longer offered. Joins set by it stay as they are.", name), err)
}

func (s *settings) changeStudio(w http.ResponseWriter, r *http.Request) {
	set := shelf.Settings{Name: r.PostFormValue("name")}
	for field, to := range map[string]**string{
		"watermark":  &set.Watermark,
		"mark":       &set.Mark,
		"language":   &set.Language,
		"sites":      &set.Sites,
		"folder":     &set.Folder,
		"file_names": &set.FileNames,
		"photos":     &set.Photos,
		"contact":    &set.Contact,
		"credits":    &set.Credits,
	} {
		if r.PostForm.Has(field) {
			text := r.PostForm.Get(field)
			*to = &text
		}
	}
	err := delivery.CheckFolder(strings.TrimSpace(r.PostForm.Get("folder")), r.PostForm.Get("file_names"))
	if err == nil {
		err = intake.CheckPhotos(r.PostForm.Get("photos"))
	}
	if err == nil {
		err = s.Shelf.Change(r.Context(), set)
	}
	s.settled(w, r, "The studio's settings are kept.", err)
}

// keepProfile keeps a way of encoding of the studio's own, made of another.
func (s *settings) keepProfile(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		Name     string        `form:"name"`
		About    string        `form:"about"`
		Base     string        `form:"base"`
		Shape    string        `form:"shape"`
		Lines    *int          `form:"lines" label:"Lines"`
		Rate     string        `form:"rate"`
		CRF      *int          `form:"crf" label:"Quality"`
		Kbps     *int          `form:"kbps" label:"Bit rate"`
		MB       *field.Amount `form:"mb" label:"Size"`
		Captions string        `form:"captions"`
		Teaser   *field.Amount `form:"teaser" label:"Seconds of a teaser"`
		LUFS     *field.Amount `form:"lufs" label:"Loudness"`
	}](page.Posted(r))
	var p profile.Profile
	if err == nil {
		p, err = s.Shelf.Profiles.Profile(r.Context(), f.Base)
	}
	if err == nil {
		c := profile.Change{Name: f.Name, About: f.About, Captions: profile.Captions(f.Captions)}
		_, _ = fmt.Sscanf(f.Shape, "%d:%d", &c.Shape.W, &c.Shape.H) // empty: as it is
		if f.Rate != "" {
			c.Rate, err = timecode.ParseRate(f.Rate)
		}
		c.Lines, c.CRF, c.Kbps = given(f.Lines), given(f.CRF), given(f.Kbps)
		c.MaxBytes, c.Teaser = int64(1e6*given(f.MB)), float64(given(f.Teaser))
		c.LUFS = float64(given(f.LUFS))
		if err == nil {
			p, err = p.Own(c)
		}
		if err != nil {
			err = &invalid.Input{Field: "profile", Problem: fmt.Sprintf("The profile cannot be: %v.", err)}
		} else {
			err = s.Shelf.Profiles.KeepProfile(r.Context(), p)
		}
	}
	s.settled(w, r, fmt.Sprintf("“%s” can be chosen on every order.", p.Name), err)
}

// given is a number that was typed, or none.
func given[N ~int | ~float64](n *N) N {
	if n == nil {
		return 0
	}
	return *n
}

func (s *settings) forgetProfile(w http.ResponseWriter, r *http.Request) {
	name := r.PostFormValue("name")
	s.settled(w, r, fmt.Sprintf("“%s” is no longer offered. Films made with it stay.", name),
		s.Shelf.Profiles.ForgetProfile(r.Context(), name))
}

// changeLetters keeps what clients are written in the studio's own words.
func (s *settings) changeLetters(w http.ResponseWriter, r *http.Request) {
	st, err := s.Shelf.Studio(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	mails := map[string]store.RunMail{}
	for _, what := range delivery.Letters {
		l := store.RunMail{
			Subject: strings.TrimSpace(r.PostFormValue(what + "-subject")),
			Text:    strings.TrimSpace(r.PostFormValue(what + "-text")),
		}
		if err = errors.Join(err, delivery.CheckLetter(l, s.Shelf.DetailKeys())); l.Text != "" {
			mails[what] = l
		}
	}
	if err == nil {
		err = s.Shelf.Change(r.Context(), shelf.Settings{Name: st.Name, Mails: mails})
	}
	s.settled(w, r, "From now on clients are written so.", err)
}

// changeKeeping sets for how long what is over is kept.
func (s *settings) changeKeeping(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		Deleted  int `form:"keep_deleted" label:"Days of deleted orders"`
		Archived int `form:"keep_archived" label:"Days of orders put away"`
		Trail    int `form:"keep_trail" label:"Days of the trail"`
	}](page.Posted(r))
	var st store.Studio
	if err == nil {
		st, err = s.Shelf.Studio(r.Context())
	}
	if err == nil {
		err = s.Shelf.Change(r.Context(), shelf.Settings{
			Name:    st.Name,
			Keeping: &shelf.Keeping{Deleted: f.Deleted, Archived: f.Archived, Trail: f.Trail},
		})
	}
	s.settled(w, r, "What is over is kept for so long from now on.", err)
}

// letterView is a letter in the settings.
type letterView struct {
	What, Called string
	store.RunMail
}

func letterViews(st store.Studio) (out []letterView) {
	for i, what := range delivery.Letters {
		out = append(out, letterView{what, []string{"A film is there", "A draft is there",
			"A draft waits for an answer"}[i], st.Mails[what]})
	}
	return out
}

func (s *settings) addUser(w http.ResponseWriter, r *http.Request) {
	u, err := s.Accounts.Add(r.Context(), r.PostFormValue("email"), r.PostFormValue("name"),
		r.PostFormValue("password"), store.Role(r.PostFormValue("role")))
	s.settled(w, r, u.Name+" can sign in now.", err)
}

// changeMark takes a picture in as the studio's mark, or takes it away.
func (s *settings) changeMark(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, shelf.MaxMarkBytes+1<<20)
	said, err := s.markFrom(r)
	s.settled(w, r, said, err)
}

// markFrom does what the form of the mark asks, and tells what was done.
func (s *settings) markFrom(r *http.Request) (string, error) {
	f, head, err := r.FormFile("picture")
	if err == nil {
		defer f.Close()
	}
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return "", &invalid.Input{
			Field: "picture",
			Problem: fmt.Sprintf("The picture cannot be the mark: it is larger than %d MB.",
				shelf.MaxMarkBytes>>20),
		}
	case r.PostFormValue("remove") != "":
		return "Films rendered from now on are without the picture.", s.Shelf.Marks.ClearMark(r.Context())
	case err != nil:
		return "", &invalid.Input{Field: "picture", Problem: "Choose a picture to be the mark."}
	}
	return "The picture stands in the corner of every film rendered from now on.",
		s.Shelf.Marks.SetMark(r.Context(), head.Filename, f)
}

// markPicture shows the studio's mark.
func (s *settings) markPicture(w http.ResponseWriter, r *http.Request) {
	st, err := s.Shelf.Studio(r.Context())
	if err == nil && st.MarkPicture == nil {
		err = store.ErrNotFound
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	b, err := s.Shelf.Marks.MarkImage(r.Context(), *st.MarkPicture)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, no-cache")
	_, _ = w.Write(b) // whoever asked is gone
}

// changeUser renames an account, gives it a role, and lets it sign in or not; or
// forgets its second step, or removes it.
func (s *settings) changeUser(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		Name     string     `form:"name"`
		Role     store.Role `form:"role"`
		Disabled bool       `form:"disabled"`
	}](page.Posted(r))
	who, done := page.Number(r, "user"), ""
	switch act := r.PostForm.Get("act"); {
	case err != nil:
	case act == "second":
		err, done = s.Accounts.Second.ForgetSecondStep(r.Context(), who), f.Name+
			" signs in with the password alone, until another second step is set."
	case act == "remove":
		err, done = s.Accounts.Remove(r.Context(), who),
			"The account is removed. What was done by it keeps its name."
	default:
		err, done = s.Accounts.Change(r.Context(), who, accounts.Person{
			Name:     f.Name,
			Role:     f.Role,
			Disabled: f.Disabled,
		}), f.Name+" is changed."
		if f.Disabled {
			done = f.Name + " cannot sign in any more."
		}
	}
	s.settled(w, r, done, err)
}
