package accounts

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"gorm.io/gorm"

	"nelko/internal/invalid"
	"nelko/internal/store"
)

// A passkey is a key that a device keeps and uses only once it knows who holds it
// (Web Authentication, W3C, level 2): whoever signs in with one tells neither a
// password nor a second step.

const (
	// mostPasskeys is how many an account may have, and maxPasskeyName the longest
	// name of one, in bytes.
	mostPasskeys   = 20
	maxPasskeyName = 100
	// passkeyWithin is how long one may take to use or make one.
	passkeyWithin = 5 * time.Minute
)

// NewParty is the studio as passkeys know it: they are good for its address only.
// An address that is a number has none, as browsers have it, but for this
// machine's, which is localhost; nil then.
func NewParty(address string) (*webauthn.WebAuthn, error) {
	u, err := url.Parse(address)
	if err != nil || u.Hostname() == "" {
		return nil, nil
	}
	if ip := net.ParseIP(u.Hostname()); ip != nil {
		if !ip.IsLoopback() {
			return nil, nil
		}
		u.Host = strings.TrimSuffix(net.JoinHostPort("localhost", u.Port()), ":")
	}
	limit := webauthn.TimeoutConfig{Enforce: true, Timeout: passkeyWithin, TimeoutUVD: passkeyWithin}
	return webauthn.New(&webauthn.Config{
		RPID: u.Hostname(), RPDisplayName: "Nelko", RPOrigins: []string{u.Scheme + "://" + u.Host},
		AttestationPreference: protocol.PreferNoAttestation,
		AuthenticatorSelection: protocol.AuthenticatorSelection{
			ResidentKey:        protocol.ResidentKeyRequirementRequired,
			RequireResidentKey: protocol.ResidentKeyRequired(),
			UserVerification:   protocol.VerificationRequired,
		},
		Timeouts: webauthn.TimeoutsConfig{Login: limit, Registration: limit},
	})
}

// PasskeysAt is the address at which passkeys can be used; empty if there is none.
func (p *Passkeys) PasskeysAt() string {
	if p.Party == nil {
		return ""
	}
	return p.Party.Config.RPOrigins[0]
}

var errNoPasskeys = invalid.Field("passkey",
	"Passkeys need an address of the studio that is a name and encrypted: NELKO_URL.")

// holder is a user as passkeys know one.
type holder struct {
	store.User
	keys []webauthn.Credential
}

// WebAuthnID implements webauthn.User.
func (h holder) WebAuthnID() []byte { return []byte(strconv.FormatInt(h.ID, 10)) }

// WebAuthnName implements webauthn.User.
func (h holder) WebAuthnName() string { return h.Email }

// WebAuthnDisplayName implements webauthn.User.
func (h holder) WebAuthnDisplayName() string { return cmp.Or(h.Name, h.Email) }

// WebAuthnCredentials implements webauthn.User.
func (h holder) WebAuthnCredentials() []webauthn.Credential { return h.keys }

func holderOf(tx *gorm.DB, u store.User) (holder, error) {
	h := holder{User: u}
	keys, err := passkeysOf(tx, u.ID)
	for _, k := range keys {
		var c webauthn.Credential
		err = errors.Join(err, json.Unmarshal(k.Credential, &c))
		h.keys = append(h.keys, c)
	}
	return h, err
}

func passkeysOf(tx *gorm.DB, id int64) (keys []store.Passkey, err error) {
	return keys, tx.Where("user_id = ?", id).Order("created_at").Find(&keys).Error
}

// Passkeys lists a user's, the oldest first.
func (p *Passkeys) Passkeys(ctx context.Context, id int64) ([]store.Passkey, error) {
	return passkeysOf(p.Store.DB.WithContext(ctx), id)
}

// BeginPasskey begins to make a passkey for a user who knows the present
// password: options are what the browser is asked, state what is kept until it
// answers.
func (p *Passkeys) BeginPasskey(ctx context.Context, id int64, present string) (options any, state []byte,
	err error) {
	if p.Party == nil {
		return nil, nil, errNoPasskeys
	}
	tx := p.Store.DB.WithContext(ctx)
	u, err := byID(id)(tx)
	if err == nil {
		err = isPresent(&u, present)
	}
	if err != nil {
		return nil, nil, err
	}
	h, err := holderOf(tx, u)
	if err != nil {
		return nil, nil, err
	}
	if len(h.keys) >= mostPasskeys {
		return nil, nil, invalid.Field("passkey", "An account has at most %d passkeys. Remove one first.",
			mostPasskeys)
	}
	options, s, err := p.Party.BeginRegistration(h, webauthn.WithExclusions(webauthn.Credentials(h.keys).
		CredentialDescriptors()))
	if err != nil {
		return nil, nil, err
	}
	state, err = json.Marshal(s)
	return options, state, err
}

// refused is what passkeys are refused by in words; what the browser sent is not
// worth repeating.
func refused(words string, err error) error {
	return errors.Join(invalid.Field("passkey", "%s", words), err)
}

// AddPasskey keeps the passkey that the browser answered with.
func (p *Passkeys) AddPasskey(ctx context.Context, id int64, name string, state, answer []byte) error {
	if p.Party == nil {
		return errNoPasskeys
	}
	if name = strings.Join(strings.Fields(name), " "); name == "" {
		name = "Passkey"
	}
	if len(name) > maxPasskeyName {
		return invalid.Field("name", "The name of a passkey has at most %d letters.", maxPasskeyName)
	}
	var s webauthn.SessionData
	if json.Unmarshal(state, &s) != nil {
		return invalid.Field("passkey", "That took too long, or was begun elsewhere. Begin again.")
	}
	said, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return refused("The browser’s answer cannot be read. Begin again.", err)
	}
	return p.change(ctx, byID(id), func(tx *gorm.DB, u *store.User) error {
		h, err := holderOf(tx, *u)
		if err != nil {
			return err
		}
		c, err := p.Party.CreateCredential(h, s, said)
		if err != nil {
			return refused("That passkey is not the one that was asked for, or it came too late. Begin again.", err)
		}
		row := store.Passkey{ID: c.ID, UserID: u.ID, Name: name}
		if row.Credential, err = json.Marshal(c); err != nil {
			return err
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return store.Note(tx, store.DidAccount, 0, "Signs in with a passkey too, "+name+": "+u.Email)
	})
}

// DropPasskey removes a passkey of a user.
func (p *Passkeys) DropPasskey(ctx context.Context, id int64, key []byte) error {
	return p.change(ctx, byID(id), func(tx *gorm.DB, u *store.User) error {
		res := tx.Where("user_id = ? AND id = ?", id, key).Delete(&store.Passkey{})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		return store.Note(tx, store.DidAccount, 0, "Removed a passkey of "+u.Email)
	})
}

// AskPasskey begins to sign somebody in who says who it is by a passkey; options
// and state are as BeginPasskey's.
func (p *Passkeys) AskPasskey() (options any, state []byte, err error) {
	if p.Party == nil {
		return nil, nil, errNoPasskeys
	}
	options, s, err := p.Party.BeginDiscoverableLogin(webauthn.WithUserVerification(
		protocol.VerificationRequired))
	if err != nil {
		return nil, nil, err
	}
	state, err = json.Marshal(s)
	return options, state, err
}

// ByPasskey is whose passkey the browser answered with, and notes who came;
// ErrSignIn if it is nobody's. state is good for one answer: the caller forgets
// it before.
func (p *Passkeys) ByPasskey(ctx context.Context, state, answer []byte) (u store.User, err error) {
	if p.Party == nil {
		return u, errNoPasskeys
	}
	var s webauthn.SessionData
	said, wrong := protocol.ParseCredentialRequestResponseBytes(answer)
	if json.Unmarshal(state, &s) != nil || wrong != nil {
		return u, ErrSignIn
	}
	tx := p.Store.DB.WithContext(ctx)
	var away error // the database
	find := func(id, handle []byte) (webauthn.User, error) {
		k, err := store.One[store.Passkey](tx, "id = ?", id)
		if err == nil {
			u, err = store.One[store.User](tx, "id = ? AND disabled_at IS NULL AND removed_at IS NULL",
				k.UserID)
		}
		var h holder
		if err == nil {
			h, err = holderOf(tx, u)
		}
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			away = err
		}
		return h, err
	}
	_, c, err := p.Party.ValidatePasskeyLogin(find, s, said)
	switch {
	case away != nil:
		return u, away
	case err != nil:
		return u, errors.Join(ErrSignIn, store.Note(tx, store.DidRefuse, 0, "A passkey was not taken"))
	case c.Authenticator.CloneWarning:
		return u, errors.Join(ErrSignIn, store.Note(tx, store.DidRefuse, 0, "A passkey of "+u.Email+
			" was used that seems to be a copy"))
	}
	kept, err := json.Marshal(c)
	if err == nil {
		err = tx.Model(&store.Passkey{}).Where("id = ?", c.ID).Updates(map[string]any{
			"credential": kept,
			"used_at":    time.Now(),
		}).Error
	}
	if err != nil {
		return u, fmt.Errorf("passkey: %w", err)
	}
	return u, p.noteSelf(ctx, u, store.DidSignIn)
}
