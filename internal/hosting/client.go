package hosting

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"golang.org/x/oauth2"

	"nelko/internal/store"
)

// client speaks with the host as the studio.
type client struct{ http *http.Client }

// keeping keeps tokens that were renewed.
type keeping struct {
	oauth2.TokenSource
	keep func(*oauth2.Token) error
	last string
}

func (k *keeping) Token() (*oauth2.Token, error) {
	t, err := k.TokenSource.Token()
	if err == nil && t.AccessToken != k.last {
		k.last = t.AccessToken
		err = k.keep(t)
	}
	return t, err
}

// client is one with the studio's sign-in, renewed where that is needed.
func (h *Hosting) client(ctx context.Context) (*client, error) {
	a, err := h.Account(ctx)
	if err != nil {
		return nil, err
	}
	if a == nil || a.Broken != "" {
		return nil, &refused{signedOut}
	}
	var t oauth2.Token
	if err := json.Unmarshal(a.Token, &t); err != nil {
		return nil, err
	}
	source := &keeping{
		TokenSource: h.oauth().TokenSource(ctx, &t),
		last:        t.AccessToken,
		keep: func(t *oauth2.Token) error {
			b, err := json.Marshal(t)
			if err != nil {
				return err
			}
			return h.Store.DB.WithContext(ctx).Model(&store.HostAccount{}).Where("id = 1").
				Update("token", json.RawMessage(b)).Error
		},
	}
	hc := &http.Client{Timeout: 5 * time.Minute, Transport: &renewing{h, ctx, source, &t}}
	return &client{hc}, nil
}

const signedOut = "the studio's sign-in at the host is not valid any more; an owner signs in again in the " +
	"settings"

// renewing sends requests with the studio's token, and once more with a new one
// where the host takes the old one no longer.
type renewing struct {
	h      *Hosting
	ctx    context.Context //nolint:containedctx // of the job it is made for
	source *keeping
	now    *oauth2.Token
}

// RoundTrip implements http.RoundTripper.
func (t *renewing) RoundTrip(r *http.Request) (*http.Response, error) {
	token, err := t.source.Token()
	if err != nil {
		return nil, t.broken(err)
	}
	answer, err := t.with(r, token)
	if err != nil || answer.StatusCode != http.StatusUnauthorized {
		return answer, err
	}
	answer.Body.Close()
	// Taken for good, but the host thinks otherwise: with the refresh token alone.
	fresh := *token
	fresh.Expiry, fresh.AccessToken = t.h.Now().Add(-time.Hour), ""
	t.source.TokenSource = t.h.oauth().TokenSource(t.ctx, &fresh)
	if token, err = t.source.Token(); err != nil {
		return nil, t.broken(err)
	}
	return t.with(r, token)
}

func (t *renewing) with(r *http.Request, token *oauth2.Token) (*http.Response, error) {
	again := r.Clone(r.Context())
	if r.GetBody != nil {
		body, err := r.GetBody()
		if err != nil {
			return nil, err
		}
		again.Body = body
	}
	token.SetAuthHeader(again)
	return http.DefaultTransport.RoundTrip(again)
}

// broken tells a sign-in that was taken back from a host that is away.
func (t *renewing) broken(err error) error {
	var no *oauth2.RetrieveError
	if !errors.As(err, &no) || no.ErrorCode != "invalid_grant" {
		return err
	}
	if e := t.h.Store.DB.WithContext(t.ctx).Model(&store.HostAccount{}).Where("id = 1").
		Update("broken", signedOut).Error; e != nil {
		return e
	}
	return &refused{signedOut}
}

// do sends a request and tells its answer by what is to be done about it.
func (c *client) do(r *http.Request) (*http.Response, error) {
	r.Header.Set("Tus-Resumable", "1.0.0")
	a, err := c.http.Do(r)
	if err != nil {
		return nil, fmt.Errorf("the host cannot be reached: %w", err)
	}
	if a.StatusCode < 300 {
		return a, nil
	}
	defer a.Body.Close()
	var said struct {
		Words string `json:"error_description"`
	}
	_ = json.NewDecoder(io.LimitReader(a.Body, 1<<16)).Decode(&said) // some say nothing
	switch {
	case a.StatusCode == http.StatusTooManyRequests:
		n, err := strconv.Atoi(a.Header.Get("Retry-After"))
		if err != nil || n < 1 {
			n = 60
		}
		return nil, &later{time.Duration(min(n, 3600)) * time.Second}
	case a.StatusCode == http.StatusNotFound, a.StatusCode == http.StatusGone:
		return nil, errGone
	case a.StatusCode == http.StatusUnauthorized:
		return nil, &refused{signedOut}
	case a.StatusCode == http.StatusConflict, a.StatusCode >= 500:
		return nil, fmt.Errorf("the host answered %s", a.Status)
	}
	if said.Words == "" {
		said.Words = a.Status
	}
	return nil, &refused{"the host refuses the film: " + said.Words}
}

func (c *client) json(ctx context.Context, method, address string, in, out any) error {
	var body io.Reader
	if in != nil {
		b, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(b)
	}
	r, err := http.NewRequestWithContext(ctx, method, address, body)
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	a, err := c.do(r)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	if err := json.NewDecoder(io.LimitReader(a.Body, 1<<20)).Decode(out); err != nil {
		return fmt.Errorf("the host's answer cannot be read: %w", err)
	}
	return nil
}

// offset is how much of a film the host has (tus 1.0, HEAD).
func (c *client) offset(ctx context.Context, address string) (int64, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodHead, address, nil)
	if err != nil {
		return 0, err
	}
	return c.stands(r)
}

// patch sends a piece (tus 1.0, PATCH) and tells where the host stands then.
func (c *client) patch(ctx context.Context, address string, at int64, b []byte) (int64, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodPatch, address, bytes.NewReader(b))
	if err != nil {
		return 0, err
	}
	r.Header.Set("Content-Type", "application/offset+octet-stream")
	r.Header.Set("Upload-Offset", strconv.FormatInt(at, 10))
	return c.stands(r)
}

func (c *client) stands(r *http.Request) (int64, error) {
	a, err := c.do(r)
	if err != nil {
		return 0, err
	}
	a.Body.Close()
	n, err := strconv.ParseInt(a.Header.Get("Upload-Offset"), 10, 64)
	if err != nil {
		return 0, errors.New("the host does not say how much it has")
	}
	return n, nil
}
