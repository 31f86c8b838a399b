package accounts_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"testing"

	"github.com/fxamacker/cbor/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/accounts"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// device is an authenticator as Web Authentication, level 2, describes one (6.1
// authenticator data, 6.5 attestation, here none), with one key (ES256, RFC 9053).
type device struct {
	t      *testing.T
	origin string
	key    *ecdsa.PrivateKey
	id     []byte
	handle string
	count  uint32
	absent bool // it does not look who holds it
}

func newDevice(t *testing.T, origin string) *device {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	d := &device{t: t, origin: origin, key: key, id: make([]byte, 16)}
	_, _ = rand.Read(d.id)
	return d
}

func b64(b []byte) string { return base64.RawURLEncoding.EncodeToString(b) }

// asked is what a page is asked for; both kinds of question have a challenge.
func (d *device) asked(options any) (o struct {
	PublicKey struct {
		Challenge string
		RPID      string
		RP        struct{ ID string }
		User      struct{ ID string }
	}
}) {
	b, err := json.Marshal(options)
	require.NoError(d.t, err)
	require.NoError(d.t, json.Unmarshal(b, &o))
	return o
}

func (d *device) clientData(kind, challenge string) []byte {
	b, err := json.Marshal(map[string]any{
		"type":        kind,
		"challenge":   challenge,
		"origin":      d.origin,
		"crossOrigin": false,
	})
	require.NoError(d.t, err)
	return b
}

// data is authenticator data; attested is put behind it.
func (d *device) data(rp string, attested []byte) []byte {
	sum := sha256.Sum256([]byte(rp))
	flags := byte(0x01) // user present
	if !d.absent {
		flags |= 0x04 // user verified
	}
	if attested != nil {
		flags |= 0x40
	}
	return append(binary.BigEndian.AppendUint32(append(sum[:], flags), d.count), attested...)
}

func (d *device) make(options any) []byte {
	o := d.asked(options)
	handle, err := base64.RawURLEncoding.DecodeString(o.PublicKey.User.ID)
	require.NoError(d.t, err)
	d.handle = string(handle)
	public, err := d.key.PublicKey.Bytes() // 4, x, y
	require.NoError(d.t, err)
	cose, err := cbor.Marshal(map[int]any{1: 2, 3: -7, -1: 1, -2: public[1:33], -3: public[33:]})
	require.NoError(d.t, err)
	attested := append(make([]byte, 16), byte(0), byte(len(d.id))) // of no model
	attested = append(append(attested, d.id...), cose...)
	object, err := cbor.Marshal(map[string]any{
		"fmt":      "none",
		"attStmt":  map[string]any{},
		"authData": d.data(o.PublicKey.RP.ID, attested),
	})
	require.NoError(d.t, err)
	return d.answer(map[string]any{
		"clientDataJSON":    b64(d.clientData("webauthn.create", o.PublicKey.Challenge)),
		"attestationObject": b64(object),
	})
}

func (d *device) use(options any) []byte {
	o := d.asked(options)
	d.count++
	data, client := d.data(o.PublicKey.RPID, nil), d.clientData("webauthn.get", o.PublicKey.Challenge)
	sum := sha256.Sum256(client)
	digest := sha256.Sum256(append(append([]byte{}, data...), sum[:]...))
	signature, err := ecdsa.SignASN1(rand.Reader, d.key, digest[:])
	require.NoError(d.t, err)
	return d.answer(map[string]any{
		"clientDataJSON":    b64(client),
		"authenticatorData": b64(data),
		"signature":         b64(signature),
		"userHandle":        b64([]byte(d.handle)),
	})
}

func (d *device) answer(response map[string]any) []byte {
	b, err := json.Marshal(map[string]any{
		"id":                     b64(d.id),
		"rawId":                  b64(d.id),
		"type":                   "public-key",
		"response":               response,
		"clientExtensionResults": map[string]any{},
	})
	require.NoError(d.t, err)
	return b
}

// Somebody signs in by a passkey and nothing else; nobody does by one that was
// made elsewhere, by an answer to another question, by a copy, by a device that
// did not look who holds it, or to an account that may not sign in.
func TestPasskeys(t *testing.T) {
	const at = "https://films.example"
	party, err := accounts.NewParty(at)
	require.NoError(t, err)
	a := accounts.New(storetest.Open(t), party)
	wren, err := a.Add(ctx, "wren@studio.example", "Wren", "a long password", store.Owner)
	require.NoError(t, err)
	mara, err := a.Add(ctx, "mara@studio.example", "Mara", "a long password", store.Operator)
	require.NoError(t, err)

	_, _, err = a.Keys.BeginPasskey(ctx, mara.ID, "another password")
	assert.ErrorContains(t, err, "not your present password")
	register := func(d *device) error {
		options, state, err := a.Keys.BeginPasskey(ctx, mara.ID, "a long password")
		require.NoError(t, err)
		return a.Keys.AddPasskey(ctx, mara.ID, " Phone  of Mara ", state, d.make(options))
	}
	assert.ErrorContains(t, register(newDevice(t, "https://films.example.evil.example")),
		"not the one that was asked for")
	careless := newDevice(t, at)
	careless.absent = true
	assert.ErrorContains(t, register(careless), "not the one that was asked for")
	d := newDevice(t, at)
	require.NoError(t, register(d))
	keys, err := a.Keys.Passkeys(ctx, mara.ID)
	require.NoError(t, err)
	require.Len(t, keys, 1)
	assert.Equal(t, "Phone of Mara", keys[0].Name)
	for _, bad := range []string{"", "{}", `{"id":1}`, "\x00"} {
		assert.Error(t, a.Keys.AddPasskey(ctx, mara.ID, "x", []byte("{}"), []byte(bad)))
		_, err := a.Keys.ByPasskey(ctx, []byte("{}"), []byte(bad))
		assert.ErrorIs(t, err, accounts.ErrSignIn)
	}

	use := func(d *device) (store.User, error) {
		options, state, err := a.Keys.AskPasskey()
		require.NoError(t, err)
		return a.Keys.ByPasskey(ctx, state, d.use(options))
	}
	for range 2 {
		u, err := use(d)
		require.NoError(t, err)
		assert.Equal(t, mara.ID, u.ID)
	}
	keys, err = a.Keys.Passkeys(ctx, mara.ID)
	require.NoError(t, err)
	assert.NotNil(t, keys[0].UsedAt)

	refused := func(why string, d *device) {
		t.Helper()
		_, err := use(d)
		assert.ErrorIs(t, err, accounts.ErrSignIn, why)
	}
	options, _, err := a.Keys.AskPasskey()
	require.NoError(t, err)
	_, state, err := a.Keys.AskPasskey()
	require.NoError(t, err)
	_, err = a.Keys.ByPasskey(ctx, state, d.use(options))
	assert.ErrorIs(t, err, accounts.ErrSignIn, "an answer to another question")
	refused("a key of nobody", newDevice(t, at))
	other := *d
	other.handle = b64([]byte{byte(wren.ID)})
	refused("somebody else's name", &other)
	other = *d
	other.origin = "https://evil.example"
	refused("from another page", &other)
	other = *d
	other.absent = true
	refused("nobody looked who holds it", &other)
	other = *d
	other.key = newDevice(t, at).key
	refused("signed by another key", &other)
	other = *d
	other.count = 0
	refused("a copy", &other)

	disable := func(is bool) {
		require.NoError(t, a.Change(ctx, mara.ID, accounts.Person{
			Name:     "Mara",
			Role:     store.Operator,
			Disabled: is,
		}))
	}
	disable(true)
	refused("an account that may not sign in", d)
	disable(false)
	_, err = use(d)
	require.NoError(t, err)
	require.NoError(t, a.Keys.DropPasskey(ctx, wren.ID, d.id))
	_, err = use(d)
	require.NoError(t, err, "nobody else removes it")
	require.NoError(t, a.SetPassword(ctx, "mara@studio.example", "quite another password"))
	refused("a new password by an owner", d)
}

func TestWherePasskeysAre(t *testing.T) {
	for address, want := range map[string]string{
		"https://films.example": "https://films.example",
		"http://127.0.0.1:8080": "http://localhost:8080",
		"http://[::1]:8080":     "http://localhost:8080",
		"https://192.0.2.7":     "",
		"":                      "",
		"http://localhost":      "http://localhost",
	} {
		party, err := accounts.NewParty(address)
		require.NoError(t, err, address)
		assert.Equal(t, want, accounts.New(nil, party).Keys.PasskeysAt(), address)
	}
	_, _, err := accounts.New(nil, nil).Keys.AskPasskey()
	assert.ErrorContains(t, err, "NELKO_URL")
}
