package accounts_test

import (
	"context"
	"encoding/base32"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/accounts"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// A second step takes the codes of RFC 6238's appendix B (of the secret
// "12345678901234567890", the last six of its eight digits), each once, also of
// a clock that is half a minute off, and recovery codes once each.
func TestSecondStep(t *testing.T) {
	ctx := context.Background()
	a := accounts.New(storetest.Open(t), nil)
	u, err := a.Add(ctx, "wren@studio.example", "Wren", "gravel lantern heron", store.Owner)
	require.NoError(t, err)
	secret := base32.StdEncoding.EncodeToString([]byte("12345678901234567890"))
	at := func(unix int64) time.Time { return time.Unix(unix, 0) }
	var input *invalid.Input
	_, err = a.Second.SetSecondStep(ctx, u.ID, secret, "287083", at(59))
	require.ErrorAs(t, err, &input)
	codes, err := a.Second.SetSecondStep(ctx, u.ID, secret, "287 082", at(59))
	require.NoError(t, err)
	require.Len(t, codes, 10)
	got, err := a.SignIn(ctx, "wren@studio.example", "gravel lantern heron")
	require.NoError(t, err)
	assert.NotEmpty(t, got.TOTPSecret, "the password alone is not enough")
	step := func(code string, unix int64) error {
		_, err := a.Second.SecondStep(ctx, u.ID, code, at(unix))
		return err
	}
	assert.ErrorIs(t, step("287082", 59), accounts.ErrSignIn, "the code that set it was taken")
	for unix, code := range map[int64]string{1111111109: "081804", 2000000000: "279037"} {
		assert.ErrorIs(t, step(code, unix-3600), accounts.ErrSignIn, "not yet")
		if unix == 2000000000 {
			continue
		}
		assert.NoError(t, step(code, unix+20))
		assert.ErrorIs(t, step(code, unix), accounts.ErrSignIn, "once")
	}
	early, err := totp.GenerateCode(secret, at(1234567890+30))
	require.NoError(t, err)
	assert.NoError(t, step(early, 1234567890), "its clock is ahead")
	assert.NoError(t, step(codes[3], 1234567890))
	assert.ErrorIs(t, step(codes[3], 1234567890), accounts.ErrSignIn)
	left, err := a.Second.CodesLeft(ctx, u.ID)
	require.NoError(t, err)
	assert.Equal(t, int64(9), left)
	require.ErrorAs(t, a.Second.DropSecondStep(ctx, u.ID, "guessed it by chance"), &input)
	require.NoError(t, a.Second.DropSecondStep(ctx, u.ID, "gravel lantern heron"))
	assert.ErrorIs(t, step(codes[4], 1234567890), accounts.ErrSignIn, "there is none any more")
}

// A removed account is a name for what was done, and its e-mail is free again.
func TestRemovedAccount(t *testing.T) {
	ctx := context.Background()
	a := accounts.New(storetest.Open(t), nil)
	_, err := a.Add(ctx, "wren@studio.example", "Wren", "gravel lantern heron", store.Owner)
	require.NoError(t, err)
	u, err := a.Add(ctx, "teal@studio.example", "Teal", "gravel lantern heron", store.Operator)
	require.NoError(t, err)
	key, err := a.Second.Remember(ctx, u.ID, "")
	require.NoError(t, err)
	again, err := a.Second.Remember(ctx, u.ID, key)
	require.NoError(t, err)
	assert.Equal(t, key, again)
	assert.True(t, a.Second.KnownTo(ctx, "Teal@studio.example", key))
	assert.False(t, a.Second.KnownTo(ctx, "wren@studio.example", key))
	var input *invalid.Input
	require.ErrorAs(t, a.Remove(ctx, u.ID), &input)
	require.NoError(t, a.Change(ctx, u.ID, accounts.Person{
		Name:     "Teal",
		Role:     store.Operator,
		Disabled: true,
	}))
	require.NoError(t, a.Remove(ctx, u.ID))
	_, err = a.SignIn(ctx, "teal@studio.example", "gravel lantern heron")
	require.ErrorIs(t, err, accounts.ErrSignIn)
	assert.False(t, a.Second.Knows(ctx, u.ID, key))
	list, err := a.List(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 1)
	deeds, err := a.Store.Trail(ctx, store.Asked{Most: 100})
	require.NoError(t, err)
	for _, d := range deeds {
		assert.NotContains(t, d.Words, "teal@")
	}
	_, err = a.Add(ctx, "teal@studio.example", "Another Teal", "gravel lantern heron", store.Operator)
	require.NoError(t, err)
}
