package orderpage

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"nelko/internal/proofs"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

func (h *handing) sendProof(w http.ResponseWriter, r *http.Request) {
	days, err := strconv.Atoi(strings.TrimSpace(r.PostFormValue("days")))
	if err != nil {
		days = -1
	}
	token, err := h.Proofs.Send(r.Context(), page.Number(r, "order"), proofs.New{
		Title:    r.PostFormValue("title"),
		Note:     r.PostFormValue("note"),
		Password: r.PostFormValue("password"),
		Days:     days,
		Mail:     r.PostFormValue("mail") != "",
	})
	h.answer(w, r, err, func(v *orderView) {
		if token != "" {
			v.NewAddress = h.Delivery.Address(token)
		}
	})
}

func (h *handing) askApproval(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Proofs.Ask(r.Context(), page.Number(r, "order"), r.PostFormValue("asks") != ""),
		nil)
}

func (h *handing) answerRemark(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Proofs.Answer(r.Context(), page.Number(r, "order"), page.Number(r, "remark"),
		*page.User(r), r.PostFormValue("text")), nil)
}

func (h *handing) tickRemark(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Proofs.Tick(r.Context(), page.Number(r, "order"), page.Number(r, "remark"),
		r.PostFormValue("done") != ""), nil)
}

// remarkRow is a remark on the order's page.
type remarkRow struct {
	proofs.Said
	Path string // of the slide it is about
}

// proofRows fills in what there is of the client's look at a draft.
func (v *orderView) proofRows(now time.Time) {
	for _, said := range proofs.Threads(v.Remarks, v.Plan) {
		row := remarkRow{Said: said}
		if said.Number > 0 {
			row.Path = parts.StepPath(v.Order.ID, "slide-"+said.Slide)
		}
		v.RemarkRows = append(v.RemarkRows, row)
	}
	if p := v.Proof(now); p != nil {
		v.ProofState = append(v.ProofState, "on a link until "+p.ExpiresAt.Format("2 Jan 2006"),
			parts.Views(p.Link))
		switch {
		case p.MailError != "":
			v.ProofState = append(v.ProofState, parts.MailState(p.Link))
		case p.MailedAt != nil:
			v.ProofState = append(v.ProofState, "mailed "+p.MailedAt.Format("2 Jan 15:04"))
		}
	}
	if d := v.ProofRender(); d != nil {
		switch {
		case !d.State.Over():
			v.ProofState = append(v.ProofState, "draft being made")
		case d.State == store.RenderFailed:
			v.ProofState = append(v.ProofState, "the draft could not be made: "+d.Error)
		case d.Revision != v.Slideshow.Head:
			v.ProofState = append(v.ProofState, "the film has changed since")
		}
	}
	if a := v.Approval(); a != nil {
		said := fmt.Sprintf("approved by %s %s", a.Name, a.CreatedAt.Format("2 Jan 15:04"))
		if !v.Approved() {
			said += ", changed since"
		}
		v.ProofState = append(v.ProofState, said)
	}
}
