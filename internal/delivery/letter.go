package delivery

import (
	"slices"
	"strings"

	"nelko/internal/core/naming"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// What clients are written about.
const (
	LinkLetter     = "link"     // a film is there
	ProofLetter    = "proof"    // a draft is there
	ReminderLetter = "reminder" // a draft waits for an answer
)

// Letters are what clients are written about, in the order of the settings.
var Letters = []string{LinkLetter, ProofLetter, ReminderLetter}

// LetterFields are the fields a letter of the studio's own can hold, beside an
// order's details.
var LetterFields = []string{"client", "event", "title", "link", "until", "due", "studio"}

// maxLetter is the longest letter, in bytes.
const maxLetter = 5000

// CheckLetter reports what is wrong with a letter. details are those that themes
// ask for. One without words is none: the usual one is sent.
func CheckLetter(l store.RunMail, details []string) error {
	if strings.TrimSpace(l.Subject+l.Text) == "" {
		return nil
	}
	switch {
	case strings.TrimSpace(l.Subject) == "" || strings.TrimSpace(l.Text) == "":
		return invalid.Field("letter", "A letter needs a subject and a text.")
	case len(l.Subject)+len(l.Text) > maxLetter:
		return invalid.Field("letter", "A letter may have at most %d characters.", maxLetter)
	case !strings.Contains(l.Text, "{link}"):
		return invalid.Field("letter", "The text needs {link} where the address is to stand.")
	}
	known := append(slices.Clone(LetterFields), details...)
	if err := naming.Check(strings.Join(strings.Fields(l.Subject+" "+l.Text), " "), known); err != nil {
		return invalid.Field("letter", "The letter cannot be: %v.", err)
	}
	return nil
}

// letter is what a client is written in the studio's own words, if it has any
// for it. What an order does not have is left empty.
func letter(st store.Studio, what string, o store.Order, title string, l store.Link, address string) (subject,
	text string, ok bool) {
	t := st.Mails[what]
	if strings.TrimSpace(t.Text) == "" {
		return "", "", false
	}
	values := map[string]string{}
	for k, v := range o.Details {
		values[k] = v
	}
	values["client"], values["event"], values["title"], values["link"] = o.Client, o.Event, title, address
	values["until"], values["due"], values["studio"] = l.ExpiresAt.Format("2 January 2006"),
		o.Due.Format("2 January 2006"), st.Name
	var pairs []string
	for _, f := range naming.Fields(t.Subject + t.Text) {
		pairs = append(pairs, "{"+f+"}", values[f])
	}
	r := strings.NewReplacer(pairs...)
	return strings.Join(strings.Fields(r.Replace(t.Subject)), " "), r.Replace(t.Text) + "\n", true
}
