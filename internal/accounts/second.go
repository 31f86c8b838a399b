package accounts

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"errors"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/token"
)

// The second step of signing in is a code that an authenticator shows, another
// every half minute (RFC 6238), or one of some recovery codes, each once.

// recoveryCodes is how many there are.
const recoveryCodes = 10

// period is how long a code is valid, in seconds; one before and one after are
// taken too, as clocks differ.
const period = 30

var settings = totp.ValidateOpts{Period: period, Skew: 0, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

// NewSecret is a secret for an authenticator, to be confirmed by a code of it.
func NewSecret(studio string, u store.User) (*otp.Key, error) {
	issuer := strings.NewReplacer(":", " ", "/", " ").Replace(studio)
	if strings.TrimSpace(issuer) == "" {
		issuer = "Nelko"
	}
	return totp.Generate(totp.GenerateOpts{
		Issuer:      issuer,
		AccountName: u.Email,
		Period:      period,
		Digits:      otp.DigitsSix,
		Algorithm:   otp.AlgorithmSHA1,
	})
}

// step is the time step of a code of a secret; 0 if it is none of now.
func step(secret, code string, now time.Time) int64 {
	code = strings.Join(strings.Fields(code), "")
	for _, off := range []int64{0, -1, 1} {
		at := now.Add(time.Duration(off*period) * time.Second)
		if ok, err := totp.ValidateCustom(code, secret, at, settings); err == nil && ok {
			return at.Unix() / period
		}
	}
	return 0
}

// SetSecondStep has a user sign in with an authenticator from now on, as a code
// of it proves that it is there. It gives the recovery codes, which are shown
// once.
func (s *SecondSteps) SetSecondStep(ctx context.Context, id int64, secret, code string,
	now time.Time) (codes []string, err error) {
	n := step(secret, code, now)
	if n == 0 {
		return nil, invalid.Field("code",
			"That is not the code that the authenticator shows. Compare its clock, and try the next one.")
	}
	for range recoveryCodes {
		codes = append(codes, newCode())
	}
	return codes, s.change(ctx, byID(id), func(tx *gorm.DB, u *store.User) error {
		u.TOTPSecret, u.TOTPStep = secret, n
		if err := tx.Where("user_id = ?", id).Delete(&store.RecoveryCode{}).Error; err != nil {
			return err
		}
		for _, c := range codes {
			if err := tx.Create(&store.RecoveryCode{UserID: id, Hash: hashOf(c)}).Error; err != nil {
				return err
			}
		}
		return store.Note(tx, store.DidAccount, 0, "Signs in with a second step from now on: "+u.Email)
	})
}

// DropSecondStep has a user sign in by the password alone.
func (s *SecondSteps) DropSecondStep(ctx context.Context, id int64, password string) error {
	return s.change(ctx, byID(id), func(tx *gorm.DB, u *store.User) error {
		if err := isPresent(u, password); err != nil {
			return err
		}
		return dropSecondStep(tx, u)
	})
}

// ForgetSecondStep is DropSecondStep by who manages accounts, for somebody whose
// authenticator and codes are lost.
func (s *SecondSteps) ForgetSecondStep(ctx context.Context, id int64) error {
	return s.change(ctx, byID(id), dropSecondStep)
}

func dropSecondStep(tx *gorm.DB, u *store.User) error {
	u.TOTPSecret, u.TOTPStep = "", 0
	if err := tx.Where("user_id = ?", u.ID).Delete(&store.RecoveryCode{}).Error; err != nil {
		return err
	}
	return store.Note(tx, store.DidAccount, 0, "Signs in without a second step from now on: "+u.Email)
}

// SecondStep takes a code of a user's authenticator or a recovery code. Each is
// taken once: whoever looked over a shoulder comes too late (ASVS 2.8.4).
func (s *SecondSteps) SecondStep(ctx context.Context, id int64, code string, now time.Time) (u store.User,
	err error) {
	err = s.change(ctx, byID(id), func(tx *gorm.DB, was *store.User) error {
		u = *was
		if was.DisabledAt != nil || was.TOTPSecret == "" {
			return ErrSignIn
		}
		if n := step(was.TOTPSecret, code, now); n > was.TOTPStep {
			was.TOTPStep = n
			return nil
		}
		res := tx.Model(&store.RecoveryCode{}).Where("user_id = ? AND hash = ? AND used_at IS NULL", id,
			hashOf(code)).Update("used_at", now)
		if res.Error == nil && res.RowsAffected == 0 {
			return ErrSignIn
		}
		return res.Error
	})
	if errors.Is(err, ErrSignIn) {
		return u, errors.Join(err, store.Note(s.Store.DB.WithContext(ctx), store.DidRefuse, 0,
			"The second step was not that of "+u.Email))
	}
	if err != nil {
		return u, err
	}
	return u, s.noteSelf(ctx, u, store.DidSignIn)
}

// CodesLeft is how many recovery codes a user has left.
func (s *SecondSteps) CodesLeft(ctx context.Context, id int64) (n int64, err error) {
	err = s.Store.DB.WithContext(ctx).Model(&store.RecoveryCode{}).Where("user_id = ? AND used_at IS NULL",
		id).Count(&n).Error
	return n, err
}

// newCode is a recovery code: 80 bits, so that nobody guesses it, in groups that
// can be written down.
func newCode() string {
	b := make([]byte, 10)
	_, _ = rand.Read(b) // crypto/rand never fails
	s := strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b))
	return s[:4] + "-" + s[4:8] + "-" + s[8:12] + "-" + s[12:]
}

// hashOf is what is kept of a recovery code, however it was typed.
func hashOf(code string) []byte {
	code = strings.NewReplacer("-", "", " ", "").Replace(strings.ToLower(code))
	sum := sha256.Sum256([]byte(code))
	return sum[:]
}

// DeviceFor is how long a browser is known that did not sign in again.
const DeviceFor = 180 * 24 * time.Hour

// Remember makes a browser known from which a user signed in. key is what it
// has from before; the one it has from now on comes back.
func (s *SecondSteps) Remember(ctx context.Context, id int64, key string) (string, error) {
	if !s.Knows(ctx, id, key) {
		key = token.New()
	}
	return key, s.Store.DB.WithContext(ctx).Clauses(clause.OnConflict{
		Columns:   []clause.Column{{Name: "user_id"}, {Name: "hash"}},
		DoUpdates: clause.Assignments(map[string]any{"seen_at": gorm.Expr("now()")}),
	}).
		Create(&store.KnownDevice{UserID: id, Hash: token.Hash(key), SeenAt: time.Now()}).Error
}

// Knows reports whether a user has signed in from a browser before.
func (s *SecondSteps) Knows(ctx context.Context, id int64, key string) bool {
	if key == "" {
		return false
	}
	_, err := store.One[store.KnownDevice](s.Store.DB.WithContext(ctx),
		"user_id = ? AND hash = ? AND seen_at > ?", id, token.Hash(key), time.Now().Add(-DeviceFor))
	return err == nil
}

// KnownTo reports whether somebody with an e-mail has signed in from a browser
// before.
func (s *SecondSteps) KnownTo(ctx context.Context, email, key string) bool {
	u, err := store.One[store.User](s.Store.DB.WithContext(ctx), "lower(email) = lower(?)",
		strings.TrimSpace(email))
	return err == nil && s.Knows(ctx, u.ID, key)
}
