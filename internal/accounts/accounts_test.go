package accounts_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/alexedwards/argon2id"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/accounts"
	"nelko/internal/house/housetest"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

var ctx = context.Background()

func TestUsersSignIn(t *testing.T) {
	s := housetest.Open(t)
	_, err := s.Accounts.Add(ctx, "mara@studio.example", "", "a long password", store.Owner)
	require.NoError(t, err)
	u, err := s.Accounts.SignIn(ctx, " Mara@Studio.example ", "a long password")
	require.NoError(t, err)
	assert.Equal(t, "mara", u.Name)
	assert.True(t, strings.HasPrefix(u.PasswordHash, "$argon2id$"))
	for _, try := range [][2]string{{"mara@studio.example", "wrong password"},
		{"nobody@studio.example", "a long password"}, {"", ""}} {
		_, err := s.Accounts.SignIn(ctx, try[0], try[1])
		assert.ErrorIs(t, err, accounts.ErrSignIn)
	}
	for field, a := range map[string][3]string{
		"email":    {"MARA@studio.example", "a long password", "operator"},
		"password": {"b@x.example", "short", "operator"},
		"role":     {"c@x.example", "a long password", "king"},
	} {
		_, err := s.Accounts.Add(ctx, a[0], "", a[1], store.Role(a[2]))
		var inv *invalid.Input
		require.ErrorAs(t, err, &inv)
		assert.Equal(t, field, inv.Field)
	}
	require.NoError(t, s.Accounts.SetPassword(ctx, "mara@studio.example", "another password"))
	_, err = s.Accounts.SignIn(ctx, "mara@studio.example", "a long password")
	assert.ErrorIs(t, err, accounts.ErrSignIn)
	assert.ErrorIs(t, s.Accounts.SetPassword(ctx, "x@studio.example", "another password"), store.ErrNotFound)
}

// Passwords are long rather than odd, and none that is tried first (OWASP ASVS 4.0.3,
// 2.1.1, 2.1.2, 2.1.7).
func TestPasswordsThatAreTriedFirstAreRefused(t *testing.T) {
	s := housetest.Open(t)
	for _, p := range []string{"short", "elevenchars", "aaaaaaaaaaaaaaa", "123123123123", "scandinavian",
		"Scandinavian1!", "mara.quill.mara.quill", "mara.quill@studio.example1", strings.Repeat("words and ",
			60)} {
		_, err := s.Accounts.Add(ctx, "mara.quill@studio.example", "Mara", p, store.Operator)
		var inv *invalid.Input
		require.ErrorAs(t, err, &inv, p)
		assert.Equal(t, "password", inv.Field, p)
	}
	for i, p := range []string{"oars over slack water", "größe海鸥über alles", "mara.quill rows at dawn"} {
		_, err := s.Accounts.Add(ctx, fmt.Sprintf("m%d@studio.example", i), "Mara", p, store.Operator)
		assert.NoError(t, err, p)
	}
}

// A changed password ends all sessions, one's own by knowing the present one; who is
// disabled is out at once; an owner is always left (ASVS 3.3.3, 2.1.6).
func TestAccountsChangeAndEnd(t *testing.T) {
	s := housetest.Open(t)
	u, err := s.Accounts.Add(ctx, "mara@studio.example", "Mara", "a long password", store.Owner)
	require.NoError(t, err)
	in := func(era int) error {
		_, err := s.Accounts.InSession(ctx, u.ID, era)
		return err
	}
	require.NoError(t, in(0))
	var inv *invalid.Input
	_, err = s.Accounts.ChangePassword(ctx, u.ID, "not the password", "another long password")
	require.ErrorAs(t, err, &inv)
	assert.Equal(t, "present", inv.Field)
	require.NoError(t, in(0), "nothing has happened")
	now, err := s.Accounts.ChangePassword(ctx, u.ID, "a long password", "another long password")
	require.NoError(t, err)
	assert.ErrorIs(t, in(0), store.ErrNotFound)
	require.NoError(t, in(now.SessionEra))
	_, err = s.Accounts.EndSessions(ctx, u.ID)
	require.NoError(t, err)
	assert.ErrorIs(t, in(now.SessionEra), store.ErrNotFound)
	_, err = s.Accounts.SignIn(ctx, "mara@studio.example", "another long password")
	require.NoError(t, err)

	for _, p := range []accounts.Person{{
		Name: "Mara",
		Role: store.Operator,
	}, {
		Name:     "Mara",
		Role:     store.Owner,
		Disabled: true,
	}, {Name: "", Role: store.Owner}, {Name: "Mara", Role: "king"}} {
		require.ErrorAs(t, s.Accounts.Change(ctx, u.ID, p), &inv, "%+v", p)
	}
	o, err := s.Accounts.Add(ctx, "wren@studio.example", "Wren", "a long password", store.Operator)
	require.NoError(t, err)
	require.NoError(t, s.Accounts.Change(ctx, o.ID, accounts.Person{Name: "Wren A.", Role: store.Owner}))
	require.NoError(t, s.Accounts.Change(ctx, u.ID, accounts.Person{
		Name:     "Mara",
		Role:     store.Owner,
		Disabled: true,
	}))
	_, err = s.Accounts.SignIn(ctx, "mara@studio.example", "another long password")
	assert.ErrorIs(t, err, accounts.ErrSignIn)
	assert.ErrorIs(t, in(now.SessionEra+1), store.ErrNotFound, "out at once")
	require.NoError(t, s.Accounts.Change(ctx, u.ID, accounts.Person{Name: "Mara", Role: store.Operator}))
	_, err = s.Accounts.SignIn(ctx, "mara@studio.example", "another long password")
	require.NoError(t, err)
	assert.ErrorIs(t, s.Accounts.Change(ctx, 999, accounts.Person{
		Name: "X",
		Role: store.Owner,
	}), store.ErrNotFound)
}

// An unknown address is refused by the same work as a wrong password.
func TestNobodyTakesAsLong(t *testing.T) {
	p, _, _, err := argon2id.DecodeHash(accounts.NoOne)
	require.NoError(t, err)
	assert.Equal(t, accounts.Argon, p)
}
