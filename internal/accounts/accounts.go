// Package accounts is who may sign in: users, their roles and passwords.
package accounts

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"strings"

	"github.com/alexedwards/argon2id"
	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Accounts is the room.
type Accounts struct{ Store *store.Store }

// MinPassword is the least number of characters in a password.
const MinPassword = 10

// argon2 parameters: OWASP Password Storage Cheat Sheet, from memory.
var argon = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// Add makes an account.
func (a *Accounts) Add(ctx context.Context, email, name, password string, role store.Role) (store.User, error) {
	email, name = strings.TrimSpace(email), strings.TrimSpace(name)
	u := store.User{Email: email, Name: name, Role: role}
	if at, err := mail.ParseAddress(email); err != nil || at.Address != email {
		return u, invalid.Field("email", "%q is not an e-mail address.", email)
	}
	if name == "" {
		u.Name, _, _ = strings.Cut(email, "@")
	}
	if role != store.Owner && role != store.Operator {
		return u, invalid.Field("role", "The role must be owner or operator.")
	}
	hash, err := hashPassword(password)
	if err != nil {
		return u, err
	}
	u.PasswordHash = hash
	err = a.Store.DB.WithContext(ctx).Create(&u).Error
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return u, invalid.Field("email", "There is an account for %s already.", email)
	}
	return u, err
}

func hashPassword(p string) (string, error) {
	if len([]rune(p)) < MinPassword || len(p) > 500 {
		return "", invalid.Field("password", "A password needs at least %d characters.", MinPassword)
	}
	return argon2id.CreateHash(p, argon)
}

// SetPassword gives an account a new password.
func (a *Accounts) SetPassword(ctx context.Context, email, password string) error {
	hash, err := hashPassword(password)
	if err != nil {
		return err
	}
	res := a.Store.DB.WithContext(ctx).Model(&store.User{}).Where("lower(email) = lower(?)", strings.TrimSpace(email)).Update("password_hash", hash)
	if res.Error == nil && res.RowsAffected == 0 {
		return fmt.Errorf("account %s: %w", email, store.ErrNotFound)
	}
	return res.Error
}

// Hash hashes a password that is no account's, like a link's: of any length.
func Hash(password string) (string, error) { return argon2id.CreateHash(password, argon) }

// Matches compares a password with a hash.
func Matches(password, hash string) (bool, error) {
	return argon2id.ComparePasswordAndHash(password, hash)
}

// ErrSignIn means that e-mail and password do not belong together; it does
// not say which is wrong.
var ErrSignIn = errors.New("e-mail and password do not belong together")

// noOne is a hash that takes as long to check as a real one.
var noOne, _ = argon2id.CreateHash("nobody has this password", argon)

// SignIn checks an e-mail and a password.
func (a *Accounts) SignIn(ctx context.Context, email, password string) (store.User, error) {
	u, err := store.One[store.User](a.Store.DB.WithContext(ctx), "lower(email) = lower(?)", strings.TrimSpace(email))
	if errors.Is(err, store.ErrNotFound) {
		_, _ = argon2id.ComparePasswordAndHash(password, noOne) // so that an unknown address takes as long
		return u, ErrSignIn
	}
	if err != nil {
		return u, err
	}
	ok, err := argon2id.ComparePasswordAndHash(password, u.PasswordHash)
	if err != nil {
		return u, err
	}
	if !ok {
		return u, ErrSignIn
	}
	return u, nil
}

// ByID is the user of an ID.
func (a *Accounts) ByID(ctx context.Context, id int64) (store.User, error) {
	return store.One[store.User](a.Store.DB.WithContext(ctx), "id = ?", id)
}

// List lists all users.
func (a *Accounts) List(ctx context.Context) (users []store.User, err error) {
	return users, a.Store.DB.WithContext(ctx).Order("id").Find(&users).Error
}

// Any reports whether anybody can sign in yet.
func (a *Accounts) Any(ctx context.Context) (bool, error) {
	var n int64
	err := a.Store.DB.WithContext(ctx).Model(&store.User{}).Limit(1).Count(&n).Error
	return n > 0, err
}

// Sessions keeps who is signed in.
func (a *Accounts) Sessions() scs.Store { return pgxstore.New(a.Store.Pool) }
