package accounts_test

import (
	"context"
	"strings"
	"testing"

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
	for _, try := range [][2]string{{"mara@studio.example", "wrong password"}, {"nobody@studio.example", "a long password"}, {"", ""}} {
		_, err := s.Accounts.SignIn(ctx, try[0], try[1])
		assert.ErrorIs(t, err, accounts.ErrSignIn)
	}
	for field, a := range map[string][3]string{"email": {"MARA@studio.example", "a long password", "operator"}, "password": {"b@x.example", "short", "operator"}, "role": {"c@x.example", "a long password", "king"}} {
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
