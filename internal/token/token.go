// Package token is the keys in addresses that need no sign-in.
package token

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
)

// New is 192 random bits in URL-safe letters.
func New() string {
	b := make([]byte, 24)
	rand.Read(b) // never fails, by its documentation
	return base64.RawURLEncoding.EncodeToString(b)
}

// Hash is what a token is found by in the database.
func Hash(token string) []byte {
	h := sha256.Sum256([]byte(token))
	return h[:]
}
