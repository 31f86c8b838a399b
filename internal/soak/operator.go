package soak

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"path"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"nelko/internal/core/profile"
)

// client asks the server.
type client struct {
	base string
	http *http.Client
	last http.Header // of the last answer
}

// do asks once. An error means that nobody knows whether it was done.
func (c *client) do(ctx context.Context, method, path string, body io.Reader, header ...string) (status int,
	text string, err error) {
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, body)
	if err != nil {
		return 0, "", err
	}
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	res, err := c.http.Do(req)
	if err != nil {
		return 0, "", err
	}
	defer res.Body.Close()
	c.last = res.Header
	b, err := io.ReadAll(res.Body)
	return res.StatusCode, string(b), err
}

func (c *client) get(ctx context.Context, path string) (int, string, error) {
	return c.do(ctx, http.MethodGet, path, nil, "Accept", "text/html")
}

func (c *client) post(ctx context.Context, path string, form ...string) (int, string, error) {
	v := url.Values{}
	for i := 0; i+1 < len(form); i += 2 {
		v.Add(form[i], form[i+1])
	}
	return c.do(ctx, http.MethodPost, path, strings.NewReader(v.Encode()), "Content-Type",
		"application/x-www-form-urlencoded", "HX-Request", "true")
}

// outcome is what is known of something that was asked for.
type outcome int

const (
	refused outcome = iota
	done
	unknown
)

func judge(status int, err error) outcome {
	switch {
	case err != nil || status >= 500:
		return unknown
	case status < 400:
		return done
	}
	return refused
}

// numbers are of edits, so that each is known again.
var numbers atomic.Int64

// operate does what an operator does, order after order, until ctx ends.
func (r *operator) operate(ctx context.Context, i int) error {
	rnd := rand.New(rand.NewPCG(r.Seed, uint64(100+i)))
	c, err := r.browser()
	if err != nil {
		return err
	}
	rest := func(ms int) {
		select {
		case <-ctx.Done():
		case <-time.After(time.Duration(ms/2+rnd.IntN(ms)) * time.Millisecond):
		}
	}
	signedIn := false
	for n := 0; ctx.Err() == nil; {
		if !signedIn {
			status, _, err := c.post(ctx, "/signin", "email", email(i), "password", password)
			if signedIn = err == nil && status < 400; !signedIn {
				rest(7000) // ten tries a minute
				continue
			}
		}
		n++
		r.order(ctx, c, rnd, fmt.Sprintf("Soak %d-%d", i, n), rest)
	}
	return nil
}

// What an answer says is wrong, and where a film is watched.
var (
	notice    = regexp.MustCompile(`notice-bad">[^<]*`)
	watchPath = regexp.MustCompile(`/watch/[\w-]+`)
)

var orderPath = regexp.MustCompile(`/orders/(\d+)`)

// order opens an order, sends its material in, edits, renders and delivers it.
func (r *operator) order(ctx context.Context, c *client, rnd *rand.Rand, event string, rest func(int)) {
	status, _, err := c.post(ctx, "/orders", "client", "The Soakers", "client_email",
		strings.ReplaceAll(strings.ToLower(event), " ", "-")+"@client.example", "event", event, "due",
		"2030-01-01", "detail-names", "Soak", "detail-date", "2030")
	if r.count(judge(status, err)) != done {
		rest(1000)
		return
	}
	found := orderPath.FindStringSubmatch(c.last.Get("Location"))
	if found == nil {
		r.wrong(&r.f.Lost, "%s was opened and is nowhere", event)
		return
	}
	id, _ := strconv.ParseInt(found[1], 10, 64) // digits
	r.mu.Lock()
	r.acked.orders = append(r.acked.orders, event)
	r.f.Orders++
	r.mu.Unlock()
	page := "/orders/" + found[1]
	for k := range 3 {
		r.send(ctx, c, id, fmt.Sprintf("%d.jpg", k), append(bytes.Clone(r.photo),
			fmt.Sprintf("%s/%d/%d", event, k, rnd.Uint64())...), rest)
	}
	r.send(ctx, c, id, "song.flac", r.song, rest)
	// An edit counts from the order's first state: all steps since are the
	// operator's own or the program's.
	// Smaller, and so sooner; and whatever length makes three pictures last as long
	// as the song. What is lost of it is asked for again below.
	_, _, _ = c.post(ctx, page+"/edit/shape", "base", "1", "frame", "320x180")
	for range 6 + rnd.IntN(10) {
		if ctx.Err() != nil {
			return
		}
		k := int(numbers.Add(1))
		status, _, err := c.post(ctx, page+"/edit/details", "base", "1", "detail-names",
			fmt.Sprintf("Soak %d", k), "detail-date", "2030")
		r.mu.Lock()
		switch judge(status, err) {
		case done:
			r.acked.edits = append(r.acked.edits, k)
			r.f.Edits++
		case unknown:
			r.acked.unknown[k] = true
			r.f.Unanswered++
		}
		r.mu.Unlock()
		rest(300)
	}
	r.film(ctx, c, id, page, event, rest)
}

// usual is the way of encoding that films are rendered in.
var usual = profile.Shipped[0].Name

// film renders an order, waits for it and delivers it.
func (r *operator) film(ctx context.Context, c *client, id int64, page, event string, rest func(int)) {
	for begun := false; !begun; rest(1500) {
		if ctx.Err() != nil {
			return
		}
		status, text, err := c.post(ctx, page+"/renders", "profile", usual)
		if judge(status, err) == refused {
			_, _, _ = c.post(ctx, page+"/edit/limits", "base", "1", "shortest", "0.5", "longest", "60")
			_, _, _ = c.post(ctx, page+"/edit/fit", "base", "1")
			// its material is still being read
			if why := notice.FindString(text); !strings.Contains(why, "Not rendered.") {
				r.wrong(&r.f.Unfinished, "%s was not rendered: %d %s", event, status, why)
			}
		}
		r.mu.Lock()
		switch judge(status, err) {
		case done:
			r.acked.renders[id]++
			r.f.Renders++
			begun = true
		case unknown:
			r.acked.perhaps[id]++
			r.f.Unanswered++
		}
		r.mu.Unlock()
	}
	for finished := false; !finished; rest(1500) {
		if ctx.Err() != nil {
			return
		}
		status, text, err := c.get(ctx, page+"/deliveries")
		finished = err == nil && status == http.StatusOK && strings.Contains(text, `data-state="done"`)
	}
	for delivered := false; !delivered; rest(1500) {
		if ctx.Err() != nil {
			return
		}
		title := fmt.Sprintf("%s %d", event, numbers.Add(1)) // another for each try
		status, text, err := c.post(ctx, page+"/links", "title", title, "days", "30", "downloadable", "1",
			"mail", "1")
		if r.count(judge(status, err)) != done {
			continue
		}
		at := watchPath.FindString(text)
		if at == "" {
			r.wrong(&r.f.Lost, "%s was delivered, and the link is nowhere", title)
			return
		}
		r.mu.Lock()
		r.acked.links[title] = watched{id, at}
		r.f.Links++
		r.mu.Unlock()
		delivered = true
	}
}

// count counts what nobody knows of.
func (r *operator) count(o outcome) outcome {
	if o == unknown {
		r.mu.Lock()
		r.f.Unanswered++
		r.mu.Unlock()
	}
	return o
}

// pieceBytes is how much of a file is sent at once.
const pieceBytes = 64 << 10

// send sends a file in pieces (tus 1.0.0), going on where the server says it
// is, until it is acknowledged or ctx ends.
func (r *operator) send(ctx context.Context, c *client, order int64, name string, b []byte, rest func(int)) {
	meta := func(pairs ...string) string {
		var out []string
		for i := 0; i < len(pairs); i += 2 {
			out = append(out, pairs[i]+" "+base64.StdEncoding.EncodeToString([]byte(pairs[i+1])))
		}
		return strings.Join(out, ",")
	}
	var at string
	for at == "" {
		status, _, err := c.do(ctx, http.MethodPost, "/uploads/", nil, "Tus-Resumable", "1.0.0",
			"Upload-Length", strconv.Itoa(len(b)), "Upload-Metadata", meta("filename", name, "order",
				fmt.Sprint(order)))
		if ctx.Err() != nil {
			return
		}
		if err == nil && status == http.StatusCreated {
			u, err := url.Parse(c.last.Get("Location"))
			if err != nil {
				r.wrong(&r.f.Lost, "an upload was begun and is nowhere")
				return
			}
			at = u.Path
		} else {
			rest(800)
		}
	}
	for offset := 0; ; {
		piece := b[offset:min(len(b), offset+pieceBytes)]
		status, _, err := c.do(ctx, http.MethodPatch, at, bytes.NewReader(piece), "Tus-Resumable", "1.0.0",
			"Upload-Offset", strconv.Itoa(offset), "Content-Type", "application/offset+octet-stream")
		if ctx.Err() != nil {
			return
		}
		if err == nil && status == http.StatusNoContent {
			if offset += len(piece); offset == len(b) {
				break
			}
			continue
		}
		rest(800)
		status, _, err = c.do(ctx, http.MethodHead, at, nil, "Tus-Resumable", "1.0.0")
		switch {
		case err == nil && status == http.StatusOK:
			offset, _ = strconv.Atoi(c.last.Get("Upload-Offset"))
			if offset == len(b) {
				return // whole, and never acknowledged
			}
		case err == nil && (status == http.StatusNotFound || status == http.StatusGone):
			return // handed over after all, and never acknowledged
		}
	}
	sum := sha256.Sum256(b)
	r.mu.Lock()
	r.acked.uploads[path.Base(at)] = hex.EncodeToString(sum[:])
	r.f.Uploads++
	r.mu.Unlock()
}

// upload is the identifier of an upload by the file about it.
func upload(info string) string { return strings.TrimSuffix(filepath.Base(info), ".info") }
