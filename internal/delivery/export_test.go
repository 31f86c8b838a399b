package delivery

import (
	"net/url"

	"github.com/wneessen/go-mail"
)

// Encrypts reports whether mail goes to the server at a URL by an encrypted way
// only.
func Encrypts(address string) bool {
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	policy, err := tlsPolicy(u)
	return err == nil && policy == mail.TLSMandatory
}

// For tests of what comes back.
var (
	ReadReturned = readReturned
	MailID       = mailID
)
