package accounts

import (
	"encoding/json"
	"strings"
	"sync"

	"github.com/alexedwards/argon2id"
	"github.com/nbutton23/zxcvbn-go/data"

	"nelko/internal/invalid"
)

// What a password must be (OWASP ASVS 4.0.3, 2.1.1, 2.1.2 and 2.1.7): long rather than
// odd, and none that is tried first.
const (
	MinPassword = 12  // characters
	maxPassword = 500 // bytes
	ownLetters  = 6   // at least so many besides names that everybody knows
	leastKinds  = 5   // different characters
)

// argon2 parameters: OWASP Password Storage Cheat Sheet, from memory.
var argon = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// common are the passwords used most, in small letters: some seven thousand.
var common = sync.OnceValue(func() map[string]bool {
	raw, err := data.Asset("data/Passwords.json")
	var list struct{ List []string }
	if err == nil {
		err = json.Unmarshal(raw, &list)
	}
	if err != nil {
		panic("the list of common passwords: " + err.Error()) // it is part of the program
	}
	out := map[string]bool{}
	for _, p := range list.List {
		out[strings.ToLower(p)] = true
	}
	return out
})

// checkPassword says what is wrong with a password. known are what strangers know: the
// e-mail, the person's and the studio's name.
func checkPassword(p string, known ...string) error {
	folded := strings.ToLower(strings.TrimSpace(p))
	kinds := map[rune]bool{}
	for _, r := range folded {
		kinds[r] = true
	}
	switch {
	case len([]rune(p)) < MinPassword:
		return invalid.Field("password",
			"A password needs at least %d characters. Several words make a good one.", MinPassword)
	case len(p) > maxPassword:
		return invalid.Field("password", "A password has at most %d letters.", maxPassword)
	case len(kinds) < leastKinds:
		return invalid.Field("password", "That password is the same few characters again and again.")
	case common()[folded] || common()[strings.TrimRight(folded, "0123456789!.?")]:
		return invalid.Field("password", "That password is one of those used most, which are tried first.")
	}
	rest := folded
	for _, k := range known {
		k = strings.ToLower(strings.TrimSpace(k))
		before, _, _ := strings.Cut(k, "@")
		for _, part := range []string{k, before, strings.ReplaceAll(k, " ", "")} {
			if len(part) >= 3 {
				rest = strings.ReplaceAll(rest, part, "")
			}
		}
	}
	if len([]rune(rest)) < ownLetters {
		return invalid.Field("password", "That password is little more than a name that everybody knows.")
	}
	return nil
}
