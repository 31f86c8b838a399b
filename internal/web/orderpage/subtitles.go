package orderpage

import (
	"bytes"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/web/page"
)

// timedLines reads captions with times, a line each: from, to and the words,
// "0.5-2.5 The start", in seconds from the slide's beginning. Without an end a
// caption stands to the slide's.
func timedLines(text string) (out []doc.Line, err error) {
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		times, words, _ := strings.Cut(line, " ")
		from, to, ends := strings.Cut(strings.ReplaceAll(strings.ReplaceAll(times, "–", "-"), ",", "."), "-")
		l := doc.Line{Text: strings.TrimSpace(words)}
		l.From, err = strconv.ParseFloat(from, 64)
		if err == nil && ends && to != "" {
			l.To, err = strconv.ParseFloat(to, 64)
		}
		if err != nil || l.Text == "" {
			return nil, &invalid.Input{
				Field: "lines",
				Problem: fmt.Sprintf("%q is no caption with a time: begin it with seconds, like 0.5-2.5 "+
					"The start.", line),
			}
		}
		out = append(out, l)
	}
	return out, nil
}

// linesText writes captions with times as they are typed.
func linesText(lines []doc.Line) string {
	var b strings.Builder
	for _, l := range lines {
		fmt.Fprintf(&b, "%g-", l.From)
		if l.To > 0 {
			fmt.Fprintf(&b, "%g", l.To)
		}
		fmt.Fprintf(&b, " %s\n", strings.Join(strings.Fields(l.Text), " "))
	}
	return strings.TrimSuffix(b.String(), "\n")
}

// takeSubtitles captions the film from a file of subtitles.
func (k *track) takeSubtitles(w http.ResponseWriter, r *http.Request) {
	d, err := k.Orders.See(r.Context(), seen(r))
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	op, lost, err := k.Looking.ReadCaptions(d, r.PostFormValue("subtitles"))
	if err == nil {
		_, err = k.Orders.Edits.EditSeen(r.Context(), seen(r), seenRevision(r), op, &page.User(r).ID)
	}
	k.answer(w, r, err, func(v *orderView) {
		if err != nil {
			return
		}
		v.Notice = page.Good(wording.Counted(len(op.Of), "slide") + " captioned.")
		if lost > 0 {
			v.Notice.Text += fmt.Sprintf(" Left out, where there is no slide: %s.",
				wording.Counted(lost, "subtitle"))
		}
	})
}

// captionsNow is the film's captions as it stands, to be worked on elsewhere.
func (k *track) captionsNow(w http.ResponseWriter, r *http.Request) {
	d, err := k.Orders.See(r.Context(), seen(r))
	var b bytes.Buffer
	ending := "." + chi.URLParam(r, "ending")
	if err == nil {
		err = k.Looking.WriteCaptions(d, ending, &b)
	}
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="captions`+ending+`"`)
	_, _ = w.Write(b.Bytes()) // the browser may have gone
}
