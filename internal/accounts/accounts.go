// Package accounts is who may sign in: users, their roles and passwords.
package accounts

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/go-webauthn/webauthn/webauthn"
	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Accounts is the room of who works at the studio (store.User). Its parts are the further ways in.
type Accounts struct {
	*room
	Keys   *Passkeys
	Second *SecondSteps
}

// room has the accounts: who there is, in which role, by which password and in which sessions.
type room struct {
	Store *store.Store
	Party *webauthn.WebAuthn // the studio as passkeys know it; nil where there can be none
}

// Passkeys sign in without a password (store.Passkey).
type Passkeys struct{ *room }

// SecondSteps ask for a code beside the password, and know the browsers that need none.
type SecondSteps struct{ *room }

// New makes the room; party is the studio as passkeys know it, nil where there can be none.
func New(s *store.Store, party *webauthn.WebAuthn) *Accounts {
	r := &room{s, party}
	return &Accounts{r, &Passkeys{r}, &SecondSteps{r}}
}

// Add makes an account.
func (r *room) Add(ctx context.Context, email, name, password string, role store.Role) (store.User,
	error) {
	email, name = strings.TrimSpace(email), strings.TrimSpace(name)
	u := store.User{Email: email, Name: name, Role: role}
	if at, err := mail.ParseAddress(email); err != nil || at.Address != email || len(email) > maxEmail {
		return u, invalid.Field("email", "%.60q is not an e-mail address.", email)
	}
	if name == "" {
		u.Name, _, _ = strings.Cut(email, "@")
	}
	if err := errors.Join(checkName(u.Name), checkRole(role)); err != nil {
		return u, err
	}
	if err := setPassword(r.Store.DB.WithContext(ctx), &u, password); err != nil {
		return u, err
	}
	err := r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&u).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidAccount, 0, fmt.Sprintf("Added %s, %s", u.Email, u.Role))
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return u, invalid.Field("email", "There is an account for %s already.", email)
	}
	return u, err
}

// SetPassword gives an account a new password and ends its sessions. Its passkeys
// go: whoever asks for this wants to be the only one who gets in.
func (r *room) SetPassword(ctx context.Context, email, password string) error {
	return r.change(ctx, func(tx *gorm.DB) (store.User, error) {
		return store.One[store.User](tx, "lower(email) = lower(?)", strings.TrimSpace(email))
	}, func(tx *gorm.DB, u *store.User) error {
		if err := newPassword(tx, u, password); err != nil {
			return err
		}
		if err := tx.Where("user_id = ?", u.ID).Delete(&store.Passkey{}).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidAccount, 0, "New password for "+u.Email)
	})
}

// ChangePassword gives whoever knows the present password a new one and ends all
// sessions; the user comes back with the era of the next.
func (r *room) ChangePassword(ctx context.Context, id int64, present, next string) (u store.User,
	err error) {
	err = r.change(ctx, byID(id), func(tx *gorm.DB, was *store.User) error {
		err := isPresent(was, present)
		if err == nil {
			err = newPassword(tx, was, next)
		}
		if err == nil {
			err = store.Note(tx, store.DidAccount, 0, "Changed the password of "+was.Email)
		}
		u = *was
		return err
	})
	return u, err
}

// EndSessions ends all sessions of a user; the user comes back with the era of the next.
func (r *room) EndSessions(ctx context.Context, id int64) (u store.User, err error) {
	err = r.change(ctx, byID(id), func(tx *gorm.DB, was *store.User) error {
		was.SessionEra++
		u = *was
		return store.Note(tx, store.DidAccount, 0, "Ended the sessions of "+was.Email)
	})
	return u, err
}

// Person is what an owner changes of an account.
type Person struct {
	Name     string
	Role     store.Role
	Disabled bool
}

// Change renames an account, gives it a role, and lets it sign in or not. An owner who
// can sign in is always left. Sessions of one that is disabled are over.
func (r *room) Change(ctx context.Context, id int64, p Person) error {
	p.Name = strings.TrimSpace(p.Name)
	if err := checkName(p.Name); err != nil {
		return err
	}
	if err := checkRole(p.Role); err != nil {
		return err
	}
	return r.change(ctx, byID(id), func(tx *gorm.DB, u *store.User) error {
		if u.Role == store.Owner && u.DisabledAt == nil && (p.Role != store.Owner || p.Disabled) {
			var others int64
			err := tx.Model(&store.User{}).Where("role = ? AND disabled_at IS NULL AND id <> ?", store.Owner,
				id).Count(&others).Error
			if err != nil {
				return err
			}
			if others == 0 {
				return invalid.Field("role", "%s is the only owner who can sign in.", u.Name)
			}
		}
		u.Name, u.Role = p.Name, p.Role
		switch {
		case p.Disabled && u.DisabledAt == nil:
			now := time.Now()
			u.DisabledAt = &now
			u.SessionEra++
		case !p.Disabled:
			u.DisabledAt = nil
		}
		may := "may sign in"
		if p.Disabled {
			may = "cannot sign in"
		}
		return store.Note(tx, store.DidAccount, 0, fmt.Sprintf("Changed %s: %s, %s, %s", u.Email, u.Name,
			u.Role, may))
	})
}

func byID(id int64) func(*gorm.DB) (store.User, error) {
	return func(tx *gorm.DB) (store.User, error) { return store.One[store.User](tx, "id = ?", id) }
}

// change changes one account, alone: what is said of all owners holds.
func (r *room) change(ctx context.Context, find func(*gorm.DB) (store.User, error),
	how func(*gorm.DB, *store.User) error) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("LOCK TABLE users IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
			return err
		}
		u, err := find(tx)
		if err != nil {
			return fmt.Errorf("account: %w", err)
		}
		if err := how(tx, &u); err != nil {
			return err
		}
		return tx.Save(&u).Error
	})
}

// The longest name and e-mail of an account, in bytes (RFC 5321, 4.5.3.1, for the
// latter).
const (
	maxName  = 200
	maxEmail = 254
)

func checkName(name string) error {
	if name == "" || len(name) > maxName {
		return invalid.Field("name", "A name has 1 to %d letters.", maxName)
	}
	return nil
}

func checkRole(r store.Role) error {
	if r != store.Owner && r != store.Operator {
		return invalid.Field("role", "The role must be owner or operator.")
	}
	return nil
}

// newPassword sets another password and ends sessions.
func newPassword(tx *gorm.DB, u *store.User, p string) error {
	err := setPassword(tx, u, p)
	if err == nil {
		u.SessionEra++
	}
	return err
}

// setPassword sets the password of an account that is kept afterwards.
func setPassword(tx *gorm.DB, u *store.User, p string) error {
	st, err := store.StudioOf(tx)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if err := checkPassword(p, u.Email, u.Name, st.Name); err != nil {
		return err
	}
	u.PasswordHash, err = argon2id.CreateHash(p, argon)
	return err
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

// noOne is a hash that takes as long to check as a real one. It is written down:
// making it would cost every start of the program, and each of its readers is one,
// 56 ms.
const noOne = "$argon2id$v=19$m=19456,t=2,p=1$uWVLGZn8bcDlVIPLkyYOlg$bYyaiHdLS53OHQ8l6OicA6xy6B242mYCS/FHvaaZCMI"

// SignIn checks an e-mail and a password, and notes who came or was refused. One
// with a TOTPSecret is not in yet: SecondStep comes next.
func (r *room) SignIn(ctx context.Context, email, password string) (store.User, error) {
	u, err := r.Check(ctx, email, password)
	tx := r.Store.DB.WithContext(ctx)
	switch {
	case errors.Is(err, ErrSignIn) && u.ID != 0:
		return u, errors.Join(err, store.Note(tx, store.DidRefuse, 0, "The password was not that of "+
			u.Email))
	case errors.Is(err, ErrSignIn):
		// What was typed is not kept: it may be a password.
		return u, errors.Join(err, store.Note(tx, store.DidRefuse, 0, "There is no such account"))
	case err != nil:
		return u, err
	}
	if u.TOTPSecret != "" {
		return u, nil // not in before the second step
	}
	return u, r.noteSelf(ctx, u, store.DidSignIn)
}

// SignedOut notes that somebody signed out.
func (r *room) SignedOut(ctx context.Context, u store.User) error {
	return r.noteSelf(ctx, u, store.DidSignOut)
}

// noteSelf notes what a user does, who is known by it.
func (r *room) noteSelf(ctx context.Context, u store.User, what string) error {
	store.ActorOf(ctx).Is(u)
	return store.Note(r.Store.DB.WithContext(ctx), what, 0, "")
}

// isPresent refuses a password that is not a user's.
func isPresent(u *store.User, password string) error {
	ok, err := Matches(password, u.PasswordHash)
	if err == nil && !ok {
		err = invalid.Field("present", "That is not your present password.")
	}
	return err
}

// Check is SignIn that leaves no trace.
func (r *room) Check(ctx context.Context, email, password string) (store.User, error) {
	u, err := store.One[store.User](r.Store.DB.WithContext(ctx), "lower(email) = lower(?)",
		strings.TrimSpace(email))
	if errors.Is(err, store.ErrNotFound) {
		_, _ = argon2id.ComparePasswordAndHash(password, noOne) // so that an unknown address takes as long
		return u, ErrSignIn
	}
	if err != nil {
		return u, err
	}
	if u.RemovedAt != nil {
		return u, ErrSignIn
	}
	ok, err := argon2id.ComparePasswordAndHash(password, u.PasswordHash)
	if err != nil {
		return u, err
	}
	if !ok || u.DisabledAt != nil {
		return u, ErrSignIn
	}
	return u, nil
}

// InSession is the user of a session that began in an era; store.ErrNotFound if it is
// over.
func (r *room) InSession(ctx context.Context, id int64, era int) (store.User, error) {
	return store.One[store.User](r.Store.DB.WithContext(ctx),
		"id = ? AND session_era = ? AND disabled_at IS NULL", id, era)
}

// List lists all users, those that were removed aside.
func (r *room) List(ctx context.Context) (users []store.User, err error) {
	return users, r.Store.DB.WithContext(ctx).Where("removed_at IS NULL").Order("id").Find(&users).Error
}

// Remove does away with an account that cannot sign in. Its name stays with what
// was done by it; e-mail, password, second step, passkeys and known browsers go, and the
// e-mail can have an account again.
func (r *room) Remove(ctx context.Context, id int64) error {
	return r.change(ctx, byID(id), func(tx *gorm.DB, u *store.User) error {
		if u.DisabledAt == nil {
			return invalid.Field("remove", "%s can still sign in: say that it cannot first.", u.Name)
		}
		now := time.Now()
		was := u.Email
		u.RemovedAt, u.Email, u.PasswordHash, u.TOTPSecret, u.SessionEra = &now,
			fmt.Sprintf("removed-%d@removed.invalid", u.ID), "", "", u.SessionEra+1
		for _, rows := range []any{&store.RecoveryCode{}, &store.KnownDevice{}, &store.Passkey{}} {
			if err := tx.Where("user_id = ?", id).Delete(rows).Error; err != nil {
				return err
			}
		}
		// Nor is the e-mail left in the trail.
		if err := tx.Exec("UPDATE trail SET words = replace(words, ?, ?) WHERE position(? in words) > 0", was,
			u.Name, was).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidAccount, 0, "Removed the account of "+u.Name)
	})
}

// Any reports whether anybody can sign in yet.
func (r *room) Any(ctx context.Context) (bool, error) {
	var n int64
	err := r.Store.DB.WithContext(ctx).Model(&store.User{}).Limit(1).Count(&n).Error
	return n > 0, err
}

// Sessions keeps who is signed in.
func (r *room) Sessions() scs.Store { return pgxstore.New(r.Store.Pool) }
