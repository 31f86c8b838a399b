package studio

import (
	"net/http"

	discs "nelko/internal/core/disc"

	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

func (s *standins) mailboxPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.Base(r, "Stand-ins")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	mails, err := s.Mails(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := struct {
		page.Base
		Mails     []store.StandinMail
		HostFails []parts.Choice
		HostTold  standin.HostFailure
		Videos    []standin.Video
	}{Base: b, Mails: mails}
	if s.VideoHost != nil {
		for _, f := range standin.HostFailures {
			v.HostFails = append(v.HostFails, parts.Choice{ID: string(f.ID), Name: f.Words})
		}
		v.HostTold, v.Videos = s.VideoHost.Told(), s.VideoHost.Videos()
	}
	s.Render(w, r, http.StatusOK, "mailbox", v)
}

// tellHost tells the stand-in how to fail.
func (s *standins) tellHost(w http.ResponseWriter, r *http.Request) {
	s.VideoHost.Tell(standin.HostFailure(r.PostFormValue("fails")))
	http.Redirect(w, r, "/standins", http.StatusSeeOther)
}

// tellDrive puts something into the stand-in's drawer, or tells it how to fail.
func (s *standins) tellDrive(w http.ResponseWriter, r *http.Request) {
	err := s.Tray.Set(r.Context(), func(t *standin.Tray) {
		switch r.PostFormValue("do") {
		case "put":
			if b, ok := discs.Named(r.PostFormValue("blank")); ok {
				t.PutIn(b)
			}
		case "take":
			t.Blank, t.Bytes, t.Burned = "", 0, false
		case "open":
			t.Open = !t.Open
		case "fail":
			t.Fails = standin.Failure(r.PostFormValue("fails"))
		}
	})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/burner", http.StatusSeeOther)
}
