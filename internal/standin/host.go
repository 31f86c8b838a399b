package standin

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
)

// Host is a video host that shows films to nobody: it signs a studio in by the
// OAuth 2.0 code flow with a proof key (RFC 6749, RFC 7636), takes films in
// pieces (tus 1.0: creation, HEAD, PATCH), works on them for a while and gives
// them an address. It fails in the ways it is told to.
type Host struct {
	Dir   string        // where it keeps what it was given
	Takes time.Duration // to work on a film
	Base  string        // its own address, such as http://127.0.0.1:8080/standins/host

	mu    sync.Mutex
	known hosted

	once   sync.Once
	routes http.Handler
}

// HostFailure is a way in which a host fails.
type HostFailure string

// The ways hosts fail.
const (
	HostWorks   HostFailure = ""
	HostExpires HostFailure = "expires" // each access token is good for one request
	HostRevokes HostFailure = "revoked" // the sign-in was taken back
	HostIsFull  HostFailure = "quota"   // no more films today
	HostIsBusy  HostFailure = "busy"    // asks to come back later, once for each request
	HostBreaks  HostFailure = "breaks"  // every third request is answered with an error
	HostCuts    HostFailure = "cuts"    // the line breaks in the middle of each piece
	HostLoses   HostFailure = "loses"   // an upload is forgotten half-way, once
	HostRefuses HostFailure = "refuses" // the film is not to its taste
	HostFails   HostFailure = "fails"   // it cannot work on the film it has
)

// HostFailures are all of them in a person's words.
var HostFailures = []struct {
	ID    HostFailure
	Words string
}{
	{HostWorks, "nothing: it works"}, {HostExpires, "tokens expire at once"},
	{HostRevokes, "the sign-in was taken back"}, {HostIsFull, "no more films today"},
	{HostIsBusy, "it is busy: later"},
	{HostBreaks, "every third answer is an error"}, {HostCuts, "the line breaks"},
	{HostLoses, "it forgets an upload"}, {HostRefuses, "it refuses the film"},
	{HostFails, "it cannot work on the film"},
}

// Video is a film at the host.
type Video struct {
	ID         string   `json:"id"`
	Title      string   `json:"title"`
	Note       string   `json:"note"`
	Tags       []string `json:"tags"`
	Visibility string   `json:"visibility"`
	Size       int64    `json:"size"`
	Got        int64    `json:"got"`
	State      string   `json:"state"` // uploading, processing, ready, failed
	Why        string   `json:"why,omitempty"`
	Upload     string   `json:"upload"`  // where its file goes
	Address    string   `json:"address"` // where it is watched
	WholeAt    time.Time
}

// hosted is what a host remembers.
type hosted struct {
	Fails  HostFailure
	Codes  map[string]string // challenge by code
	Access map[string]time.Time
	Fresh  map[string]bool // refresh tokens
	Videos []*Video
	Asked  int             // requests for films, counted for failures
	Met    map[string]bool // failures that happen once, and where
}

func (h *Host) path() string { return filepath.Join(h.Dir, "host.json") }

// load reads what the host remembers from before, once; it is called with the
// lock held.
func (h *Host) load() {
	if h.known.Codes != nil {
		return
	}
	if b, err := os.ReadFile(h.path()); err == nil {
		_ = json.Unmarshal(b, &h.known) // what cannot be read is forgotten
	}
	for _, m := range []*map[string]bool{&h.known.Fresh, &h.known.Met} {
		if *m == nil {
			*m = map[string]bool{}
		}
	}
	if h.known.Access == nil {
		h.known.Access = map[string]time.Time{}
	}
	if h.known.Codes == nil {
		h.known.Codes = map[string]string{}
	}
}

func (h *Host) save() {
	b, err := json.Marshal(h.known)
	if err == nil && os.MkdirAll(h.Dir, 0o755) == nil {
		_ = os.WriteFile(h.path(), b, 0o600) // a stand-in that forgets is no harm
	}
}

// with works on what the host remembers.
func (h *Host) with(f func(k *hosted)) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.load()
	f(&h.known)
	h.save()
}

// Tell tells the host how to fail from now on.
func (h *Host) Tell(f HostFailure) {
	h.with(func(k *hosted) { k.Fails, k.Met, k.Asked = f, map[string]bool{}, 0 })
}

// Told is how the host was told to fail.
func (h *Host) Told() (f HostFailure) {
	h.with(func(k *hosted) { f = k.Fails })
	return f
}

// Videos are the films it has, newest first.
func (h *Host) Videos() (out []Video) {
	h.with(func(k *hosted) {
		for _, v := range slices.Backward(k.Videos) {
			out = append(out, *v)
		}
	})
	return out
}

// ServeHTTP implements http.Handler, below the host's base path.
func (h *Host) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h.once.Do(func() { h.routes = h.route() })
	// It routes by the whole path, wherever it is mounted.
	h.routes.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), chi.RouteCtxKey, (*chi.Context)(nil))))
}

func (h *Host) route() http.Handler {
	u, err := url.Parse(h.Base)
	prefix := ""
	if err == nil {
		prefix = strings.TrimRight(u.Path, "/")
	}
	r := chi.NewRouter()
	r.Route(prefix+"/", func(r chi.Router) {
		r.Get("/authorize", h.ask)
		r.Post("/authorize", h.agree)
		r.Post("/token", h.token)
		r.Get("/v/{id}", h.watch)
		r.Group(func(r chi.Router) {
			r.Use(h.signedIn, h.moody)
			r.Post("/videos", h.create)
			r.Get("/videos/{id}", h.state)
			r.Head("/uploads/{id}", h.offset)
			r.Patch("/uploads/{id}", h.piece)
		})
	})
	return r
}

func secret() string {
	b := make([]byte, 18)
	rand.Read(b) // never fails, by its documentation
	return base64.RawURLEncoding.EncodeToString(b)
}

var askPage = template.Must(template.New("ask").
	Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Sign in at the host</title></head>
<body><h1>A host that shows films to nobody</h1><p>A stand-in. The studio asks to put films here.</p>
<form method="post"><input type="hidden" name="redirect_uri" value="{{.Redirect}}"><input type="hidden" name="state" value="{{.State}}"><input type="hidden" name="code_challenge" value="{{.Challenge}}">
<button name="answer" value="yes">Allow</button> <button name="answer" value="no">Refuse</button></form></body></html>`))

func (h *Host) ask(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" {
		http.Error(w, "only the code flow with a proof key", http.StatusBadRequest)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'")
	// whoever asked is gone
	_ = askPage.Execute(w, map[string]string{
		"Redirect":  q.Get("redirect_uri"),
		"State":     q.Get("state"),
		"Challenge": q.Get("code_challenge"),
	})
}

func (h *Host) agree(w http.ResponseWriter, r *http.Request) {
	back, err := url.Parse(r.PostFormValue("redirect_uri"))
	if err != nil {
		http.Error(w, "where to?", http.StatusBadRequest)
		return
	}
	q := url.Values{"state": {r.PostFormValue("state")}}
	if r.PostFormValue("answer") == "yes" {
		code := secret()
		h.with(func(k *hosted) { k.Codes[code] = r.PostFormValue("code_challenge") })
		q.Set("code", code)
	} else {
		q.Set("error", "access_denied")
	}
	back.RawQuery = q.Encode()
	http.Redirect(w, r, back.String(), http.StatusFound)
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // whoever asked is gone
}

func refuse(w http.ResponseWriter, status int, code, words string) {
	answer(w, status, map[string]string{"error": code, "error_description": words})
}

func (h *Host) token(w http.ResponseWriter, r *http.Request) {
	var out map[string]any
	h.with(func(k *hosted) {
		ok := false
		switch r.PostFormValue("grant_type") {
		case "authorization_code":
			challenge, known := k.Codes[r.PostFormValue("code")]
			delete(k.Codes, r.PostFormValue("code")) // good for once
			sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
			ok = known && base64.RawURLEncoding.EncodeToString(sum[:]) == challenge
		case "refresh_token":
			ok = k.Fresh[r.PostFormValue("refresh_token")] && k.Fails != HostRevokes
		}
		if !ok {
			return
		}
		access, fresh := secret(), secret()
		delete(k.Fresh, r.PostFormValue("refresh_token"))
		k.Access[access], k.Fresh[fresh] = time.Now().Add(time.Hour), true
		out = map[string]any{
			"access_token":  access,
			"refresh_token": fresh,
			"token_type":    "Bearer",
			"expires_in":    3600,
		}
	})
	if out == nil {
		refuse(w, http.StatusBadRequest, "invalid_grant", "the sign-in is not valid any more")
		return
	}
	answer(w, http.StatusOK, out)
}

func (h *Host) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		token := strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")
		ok := false
		h.with(func(k *hosted) {
			until, known := k.Access[token]
			ok = known && time.Now().Before(until) && k.Fails != HostRevokes
			if k.Fails == HostExpires {
				delete(k.Access, token)
			}
		})
		if !ok {
			refuse(w, http.StatusUnauthorized, "invalid_token", "sign in again")
			return
		}
		next.ServeHTTP(w, r)
	})
}

// moody fails as it was told to, before a request is looked at.
func (h *Host) moody(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var fails HostFailure
		n, first := 0, false
		h.with(func(k *hosted) {
			k.Asked++
			key := r.Method + r.URL.Path + r.Header.Get("Upload-Offset")
			fails, n, first = k.Fails, k.Asked, !k.Met[key]
			k.Met[key] = true
		})
		switch {
		case fails == HostIsBusy && first:
			w.Header().Set("Retry-After", "1")
			refuse(w, http.StatusTooManyRequests, "busy", "come back later")
		case fails == HostBreaks && n%3 == 1:
			http.Error(w, "something went wrong here", http.StatusInternalServerError)
		default:
			next.ServeHTTP(w, r)
		}
	})
}

func (h *Host) create(w http.ResponseWriter, r *http.Request) {
	v := &Video{ID: secret(), State: "uploading"}
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<16)).Decode(v); err != nil || v.Title == "" ||
		v.Size <= 0 {
		refuse(w, http.StatusUnprocessableEntity, "invalid", "a film needs a title and a size")
		return
	}
	v.Upload, v.Address = h.Base+"/uploads/"+v.ID, h.Base+"/v/"+v.ID
	var fails HostFailure
	h.with(func(k *hosted) {
		fails = k.Fails
		if fails != HostIsFull && fails != HostRefuses {
			k.Videos = append(k.Videos, v)
		}
	})
	switch fails {
	case HostIsFull:
		refuse(w, http.StatusForbidden, "quota", "no more films can be put here today")
	case HostRefuses:
		refuse(w, http.StatusUnprocessableEntity, "refused", "films of this title are not shown here")
	default:
		answer(w, http.StatusCreated, v)
	}
}

// video finds a film and works on it as time goes by.
func (h *Host) video(id string, f func(k *hosted, v *Video)) bool {
	found := false
	h.with(func(k *hosted) {
		i := slices.IndexFunc(k.Videos, func(v *Video) bool { return v.ID == id })
		if found = i >= 0; !found {
			return
		}
		v := k.Videos[i]
		if v.State == "processing" && time.Since(v.WholeAt) > h.Takes {
			if v.State = "ready"; k.Fails == HostFails {
				v.State, v.Why = "failed", "the film cannot be read"
			}
		}
		f(k, v)
	})
	return found
}

func (h *Host) state(w http.ResponseWriter, r *http.Request) {
	var out Video
	if !h.video(chi.URLParam(r, "id"), func(_ *hosted, v *Video) { out = *v }) {
		refuse(w, http.StatusNotFound, "gone", "there is no such film")
		return
	}
	answer(w, http.StatusOK, out)
}

func (h *Host) offset(w http.ResponseWriter, r *http.Request) {
	ok := h.video(chi.URLParam(r, "id"), func(_ *hosted, v *Video) {
		w.Header().Set("Tus-Resumable", "1.0.0")
		w.Header().Set("Upload-Offset", strconv.FormatInt(v.Got, 10))
		w.Header().Set("Upload-Length", strconv.FormatInt(v.Size, 10))
	})
	if !ok {
		w.WriteHeader(http.StatusNotFound)
	}
}

func (h *Host) file(id string) string { return filepath.Join(h.Dir, filepath.Base(id)+".film") }

// errCut ends a piece in the middle.
var errCut = errors.New("cut")

func (h *Host) piece(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "id")
	from, err := strconv.ParseInt(r.Header.Get("Upload-Offset"), 10, 64)
	at, size, fails, lost := int64(-1), int64(0), HostWorks, false
	h.video(id, func(k *hosted, v *Video) {
		at, size, fails = v.Got, v.Size, k.Fails
		if fails == HostLoses && v.Got > 0 && !k.Met["lost"] {
			k.Met["lost"], lost = true, true
			k.Videos = slices.DeleteFunc(k.Videos, func(x *Video) bool { return x == v })
		}
	})
	switch {
	case at < 0 || lost:
		refuse(w, http.StatusGone, "gone", "there is no such upload")
		return
	case err != nil || from != at || r.Header.Get("Content-Type") != "application/offset+octet-stream":
		refuse(w, http.StatusConflict, "offset", fmt.Sprintf("the upload stands at %d", at))
		return
	}
	n, err := h.take(id, at, size, r, fails == HostCuts)
	h.video(id, func(_ *hosted, v *Video) {
		v.Got += n
		if v.Got == v.Size {
			v.State, v.WholeAt = "processing", time.Now()
		}
		at = v.Got
	})
	if errors.Is(err, errCut) {
		panic(http.ErrAbortHandler) // the line is simply gone
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Tus-Resumable", "1.0.0")
	w.Header().Set("Upload-Offset", strconv.FormatInt(at, 10))
	w.WriteHeader(http.StatusNoContent)
}

// take writes a piece of a film, or, where the line breaks, a third of it.
func (h *Host) take(id string, at, size int64, r *http.Request, cut bool) (n int64, err error) {
	f, err := os.OpenFile(h.file(id), os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	if _, err := f.Seek(at, io.SeekStart); err != nil {
		return 0, err
	}
	most := size - at
	if cut && r.ContentLength > 3 {
		most = min(most, r.ContentLength/3)
		n, err = io.Copy(f, io.LimitReader(r.Body, most))
		return n, errors.Join(err, errCut)
	}
	return io.Copy(f, io.LimitReader(r.Body, most))
}

func (h *Host) watch(w http.ResponseWriter, r *http.Request) {
	var out Video
	if !h.video(chi.URLParam(r, "id"), func(_ *hosted, v *Video) { out = *v }) || out.State != "ready" {
		http.Error(w, "there is no film here yet", http.StatusNotFound)
		return
	}
	http.ServeFile(w, r, h.file(out.ID))
}
