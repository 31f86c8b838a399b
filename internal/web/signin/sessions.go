package signin

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"image/png"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/pquerna/otp"

	"nelko/internal/accounts"
	"nelko/internal/store"
	"nelko/internal/token"
	"nelko/internal/web/page"
)

// What a session holds.
const (
	inUser    = "user"    // who is signed in
	inEra     = "era"     // the user's era when that was
	inUsed    = "used"    // when it was used last, about
	inBegan   = "began"   // when it began
	inAgent   = "agent"   // what the browser calls itself
	inAddress = "address" // where it came from
	inName    = "sid"     // by which it is ended from another one
	inHalf    = "half"    // who told the password and not the second step yet
	inHalfAt  = "half-at"
	inNext    = "next"    // where to go once that is told
	inPending = "pending" // the secret of an authenticator that is being set up
)

// halfFor is how long the second step may take.
const halfFor = 10 * time.Minute

// knownCookie names a browser that has signed in before.
const knownCookie = "nelko_device"

func deviceOf(r *http.Request) string {
	c, err := r.Cookie(knownCookie)
	if err != nil {
		return ""
	}
	return c.Value
}

// begin signs somebody in, in a new session.
func (d *Door) begin(w http.ResponseWriter, r *http.Request, u store.User, next string) error {
	ctx := r.Context()
	if err := d.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	key, err := d.Accounts.Second.Remember(ctx, u.ID, deviceOf(r))
	if err != nil {
		return err
	}
	http.SetCookie(w, &http.Cookie{
		Name:     knownCookie,
		Value:    key,
		Path:     "/signin",
		MaxAge:   int(accounts.DeviceFor.Seconds()),
		HttpOnly: true,
		SameSite: http.SameSiteStrictMode,
		Secure:   d.Sessions.Cookie.Secure,
	})
	now := d.Now().Unix()
	address, _ := page.ByAddress(r) // empty where there is none
	agent := strings.ToValidUTF8(r.UserAgent(), "")
	for k, v := range map[string]any{
		inUser:    u.ID,
		inEra:     u.SessionEra,
		inUsed:    now,
		inBegan:   now,
		inAgent:   agent[:min(len(agent), 300)],
		inAddress: address,
		inName:    token.New(),
	} {
		d.Sessions.Put(ctx, k, v)
	}
	for _, k := range []string{inHalf, inHalfAt, inNext} {
		d.Sessions.Remove(ctx, k)
	}
	http.Redirect(w, r, next, http.StatusSeeOther)
	return nil
}

// half is who told the password a moment ago; 0 if nobody did.
func (d *Door) half(r *http.Request) int64 {
	if d.Now().Sub(time.Unix(d.Sessions.GetInt64(r.Context(), inHalfAt), 0)) > halfFor {
		return 0
	}
	return d.Sessions.GetInt64(r.Context(), inHalf)
}

func (d *Door) codePage(w http.ResponseWriter, r *http.Request) {
	if d.half(r) == 0 {
		http.Redirect(w, r, "/signin", http.StatusSeeOther)
		return
	}
	d.showCode(w, r, http.StatusOK, nil)
}

func (d *Door) showCode(w http.ResponseWriter, r *http.Request, status int, n *page.Notice) {
	st, err := d.Studio(r.Context())
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	d.Render(w, r, status, "signincode", signInView{
		Title:   "Sign in",
		Version: d.Version,
		Studio:  st.Name,
		Notice:  n,
	})
}

// tellCode takes the second step of signing in.
func (d *Door) tellCode(w http.ResponseWriter, r *http.Request) {
	id := d.half(r)
	if id == 0 {
		http.Redirect(w, r, "/signin", http.StatusSeeOther)
		return
	}
	now := d.Now()
	key := fmt.Sprint("code ", id)
	if !d.tries.take(key, triesOfCode, now) {
		d.showCode(w, r, http.StatusTooManyRequests,
			page.Bad("Too many tries. Wait some minutes, then try again."))
		return
	}
	u, err := d.Accounts.Second.SecondStep(r.Context(), id, r.PostForm.Get("code"), now)
	if errors.Is(err, accounts.ErrSignIn) {
		d.showCode(w, r, http.StatusUnprocessableEntity,
			page.Bad("That is not the code. Each is taken once: wait for the next, or use a recovery code."))
		return
	}
	if err == nil {
		d.tries.right(key)
		err = d.begin(w, r, u, page.LocalPath(d.Sessions.GetString(r.Context(), inNext)))
	}
	if err != nil {
		d.Fail(w, r, err)
	}
}

// sessionView is a session as its owner sees it.
type sessionView struct {
	Name, Agent, Address string
	Began, Used          time.Time
	Here                 bool
}

// sessionsOf lists the sessions of a user, this one first.
func (a *account) sessionsOf(r *http.Request, u *store.User) (out []sessionView, err error) {
	here := a.Sessions.GetString(r.Context(), inName)
	err = a.Sessions.Iterate(r.Context(), func(ctx context.Context) error {
		if a.Sessions.GetInt64(ctx, inUser) != u.ID || a.Sessions.GetInt(ctx, inEra) != u.SessionEra {
			return nil
		}
		v := sessionView{
			Name:    a.Sessions.GetString(ctx, inName),
			Agent:   browserName(a.Sessions.GetString(ctx, inAgent)),
			Address: a.Sessions.GetString(ctx, inAddress),
			Began:   time.Unix(a.Sessions.GetInt64(ctx, inBegan), 0),
			Used:    time.Unix(a.Sessions.GetInt64(ctx, inUsed), 0),
		}
		v.Here = v.Name == here
		out = append(out, v)
		return nil
	})
	slices.SortFunc(out, func(a, b sessionView) int {
		if a.Here != b.Here {
			return map[bool]int{true: -1, false: 1}[a.Here]
		}
		return cmp.Compare(b.Used.Unix(), a.Used.Unix())
	})
	return out, err
}

// browserName is what a browser calls itself, in short: its name and system, as
// far as they can be told.
func browserName(agent string) string {
	find := func(of ...[2]string) string {
		for _, x := range of {
			if strings.Contains(agent, x[0]) {
				return x[1]
			}
		}
		return ""
	}
	name := find([2]string{"Firefox/", "Firefox"}, [2]string{"Edg/", "Edge"}, [2]string{"OPR/", "Opera"},
		[2]string{"Chrome/", "Chrome"}, [2]string{"Safari/", "Safari"})
	on := find([2]string{"iPhone", "iPhone"}, [2]string{"iPad", "iPad"}, [2]string{"Android", "Android"},
		[2]string{"Windows", "Windows"}, [2]string{"Mac OS", "macOS"}, [2]string{"Linux", "Linux"})
	switch {
	case name == "" && on == "":
		return "an unknown browser"
	case on == "":
		return name
	case name == "":
		return on
	}
	return name + " on " + on
}

// endSession ends another session of one's own, by its name.
func (a *account) endSession(w http.ResponseWriter, r *http.Request) {
	name := r.PostForm.Get("session")
	u := page.User(r)
	err := a.Sessions.Iterate(r.Context(), func(ctx context.Context) error {
		if name == "" || a.Sessions.GetInt64(ctx, inUser) != u.ID ||
			a.Sessions.GetString(ctx, inName) != name {
			return nil
		}
		return a.Sessions.Destroy(ctx)
	})
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	a.Tell(r, "That session is over.")
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}

// beginSecondStep shows the secret that an authenticator is to be told.
func (a *account) beginSecondStep(w http.ResponseWriter, r *http.Request) {
	st, err := a.Studio(r.Context())
	var key *otp.Key
	if err == nil {
		key, err = accounts.NewSecret(st.Name, *page.User(r))
	}
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	a.Sessions.Put(r.Context(), inPending, key.URL())
	http.Redirect(w, r, "/account#second", http.StatusSeeOther)
}

// pending is the secret that is being set up; nil if there is none.
func (a *account) pending(r *http.Request) *otp.Key {
	key, err := otp.NewKeyFromURL(a.Sessions.GetString(r.Context(), inPending))
	if err != nil || key.Secret() == "" {
		return nil
	}
	return key
}

// secretPicture is the secret as a code that an authenticator's camera reads.
func (a *account) secretPicture(w http.ResponseWriter, r *http.Request) {
	key := a.pending(r)
	if key == nil {
		http.NotFound(w, r)
		return
	}
	im, err := key.Image(220, 220)
	var b bytes.Buffer
	if err == nil {
		err = png.Encode(&b, im)
	}
	if err != nil {
		a.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write(b.Bytes()) // whoever asked is gone
}

// setSecondStep has a second step from now on, and shows the recovery codes.
func (a *account) setSecondStep(w http.ResponseWriter, r *http.Request) {
	key := a.pending(r)
	if key == nil {
		http.Redirect(w, r, "/account", http.StatusSeeOther)
		return
	}
	codes, err := a.Accounts.Second.SetSecondStep(r.Context(), page.User(r).ID, key.Secret(),
		r.PostForm.Get("code"),
		a.Now())
	if a.accountFailed(w, r, err) {
		return
	}
	a.Sessions.Remove(r.Context(), inPending)
	page.User(r).TOTPSecret = key.Secret()
	w.Header().Set("Cache-Control", "no-store")
	a.showAccount(w, r, http.StatusOK, page.Good("From now on you sign in with a code of your "+
		"authenticator. Keep the recovery codes: they are shown only now."), codes)
}

// dropSecondStep goes back to the password alone.
func (a *account) dropSecondStep(w http.ResponseWriter, r *http.Request) {
	err := a.Accounts.Second.DropSecondStep(r.Context(), page.User(r).ID, r.PostForm.Get("present"))
	if a.accountFailed(w, r, err) {
		return
	}
	a.Tell(r, "You sign in with your password alone from now on.")
	http.Redirect(w, r, "/account", http.StatusSeeOther)
}
