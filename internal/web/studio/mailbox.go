package studio

import (
	"net/http"

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
