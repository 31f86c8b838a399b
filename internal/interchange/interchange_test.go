package interchange_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/interchange"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

var ctx = context.Background()

// zipped is an order with pictures, a song and a caption, and it as a zip.
func zipped(t *testing.T) (*house.House, int64, []byte) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	housetest.Caption(t, s, id, "At the slip")
	var b bytes.Buffer
	require.NoError(t, s.Interchange.Zip(ctx, id, &b))
	return s, id, b.Bytes()
}

func orderCount(t *testing.T, s *house.House) (n int64) {
	require.NoError(t, s.Store.DB.Model(&store.Order{}).Count(&n).Error)
	return n
}

// An order that was written as a zip is the same order where it is opened.
func TestZipOpensElsewhere(t *testing.T) {
	s, id, _ := zipped(t)
	was := housetest.Load(t, s, id)
	media := was.Media[0]
	require.NoError(t, s.Intake.Material.Rate(ctx, id, media.ID, 4))
	at := media.CreatedAt
	require.NoError(t, s.Intake.Material.Retime(ctx, id, media.ID, &at))
	var again bytes.Buffer
	require.NoError(t, s.Interchange.Zip(ctx, id, &again))
	b := again.Bytes()

	there := housetest.Open(t) // a studio of its own
	row, err := there.Interchange.Open(ctx, bytes.NewReader(b), int64(len(b)), nil)
	require.NoError(t, err)
	for _, m := range housetest.Load(t, there, row.ID).Media {
		require.NoError(t, there.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
	}
	require.NoError(t, there.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: row.ID}))
	is := housetest.Load(t, there, row.ID)
	assert.Equal(t, was.Order.Client, is.Order.Client)
	assert.Equal(t, was.Order.Due.Format("2006-01-02"), is.Order.Due.Format("2006-01-02"))
	want, err := orders.Alone(was.Doc).Marshal()
	require.NoError(t, err)
	got, err := is.Doc.Marshal()
	require.NoError(t, err)
	assert.JSONEq(t, string(want), string(got))
	assert.Equal(t, was.Doc.Details, is.Doc.Details)
	assert.Equal(t, was.Plan.Frames, is.Plan.Frames)
	require.Len(t, is.Media, len(was.Media))
	for i := range is.Media {
		assert.Equal(t, was.Media[i].SHA256, is.Media[i].SHA256)
		assert.Equal(t, was.Media[i].Name, is.Media[i].Name)
	}
	assert.Equal(t, 4, is.Media[0].Stars)
	require.NotNil(t, is.Media[0].Captured, "put right by hand")
	assert.Equal(t, at.Unix(), is.Media[0].Captured.Unix())
}

// A zip that is taken while files are being read says which are not in it, and so does
// the order it is opened as.
func TestZipWhileFilesAreRead(t *testing.T) {
	s, id, _ := zipped(t)
	last := housetest.Load(t, s, id).Media[0]
	require.NoError(t, s.Store.DB.Create(&store.Media{
		OrderID:  &id,
		UploadID: "late",
		Name:     "late “one”.jpg",
		SHA256:   last.SHA256,
		State:    store.Waiting,
	}).Error)
	var b bytes.Buffer
	require.NoError(t, s.Interchange.Zip(ctx, id, &b))
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	f, err := z.Open("not in here yet.txt")
	require.NoError(t, err)
	said, err := io.ReadAll(f)
	require.NoError(t, err)
	assert.Contains(t, string(said), "late “one”.jpg")
	row, err := s.Interchange.Open(ctx, bytes.NewReader(b.Bytes()), int64(b.Len()), nil)
	require.NoError(t, err)
	rev, err := store.One[store.Revision](s.Store.DB.Order("number"),
		"slideshow_id IN (SELECT id FROM slideshows WHERE order_id = ?)", row.ID)
	require.NoError(t, err)
	assert.Contains(t, rev.Title, "without 1 file that had not been read then: late “one”.jpg")
}

// rezip writes a zip anew with one of its files changed, or left out where
// change gives nil.
func rezip(t *testing.T, b []byte, change func(name string, content []byte) []byte) []byte {
	r, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, f := range r.File {
		in, err := f.Open()
		require.NoError(t, err)
		content, err := io.ReadAll(in)
		require.NoError(t, err)
		if content = change(f.Name, content); content == nil {
			continue
		}
		w, err := z.Create(f.Name)
		require.NoError(t, err)
		_, err = w.Write(content)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// twice is a zip with one entry once more, under its name.
func twice(t *testing.T, b []byte) []byte {
	r, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, f := range append(r.File, r.File[len(r.File)-1]) {
		require.NoError(t, z.Copy(f))
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// Whoever goes away is not worked for any longer.
func TestOpeningEndsWithWhoAsks(t *testing.T) {
	s, _, b := zipped(t)
	before := orderCount(t, s)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	_, err := s.Interchange.Open(gone, bytes.NewReader(b), int64(len(b)), nil)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, before, orderCount(t, s))
}

// A zip that is not as it was is refused with the reason, and leaves no order.
func TestDamagedZips(t *testing.T) {
	s, _, b := zipped(t)
	before := orderCount(t, s)
	manifest := func(change func(m map[string]any)) []byte {
		return rezip(t, b, func(name string, c []byte) []byte {
			if name != "order.json" {
				return c
			}
			var m map[string]any
			require.NoError(t, json.Unmarshal(c, &m))
			change(m)
			c, err := json.Marshal(m)
			require.NoError(t, err)
			return c
		})
	}
	flipped := bytes.Clone(b)
	flipped[len(flipped)/2] ^= 0xff
	for want, bad := range map[string][]byte{
		"no zip":  []byte("Dear studio"),
		"cut off": b[:len(b)/2],
		"damaged": flipped,
		"is missing": rezip(t, b, func(n string, c []byte) []byte {
			return map[bool][]byte{true: nil, false: c}[strings.HasPrefix(n, "media/001")]
		}),
		"not the file": rezip(t, b, func(n string, c []byte) []byte {
			return append(c, map[bool][]byte{true: {0}}[strings.HasPrefix(n, "media/002")]...)
		}),
		"no order.json": rezip(t, b, func(n string, c []byte) []byte {
			return map[bool][]byte{true: nil, false: c}[n == "order.json"]
		}),
		"format 9": manifest(func(m map[string]any) { m["format"] = 9 }),
		"no date":  manifest(func(m map[string]any) { m["due"] = "soon" }),
		"not on this studio’s shelf": manifest(func(m map[string]any) {
			m["slideshow"].(map[string]any)["theme"] = "nowhere"
		}),
		"shows a file that is not in it": manifest(func(m map[string]any) {
			m["media"] = m["media"].([]any)[1:]
		}),
		"it names ": manifest(func(m map[string]any) {
			one := m["media"].([]any)[0]
			for range 3000 {
				m["media"] = append(m["media"].([]any), one)
			}
		}),
		"it holds media/": twice(t, b),
		"more than any order does": rezip(t, b, func(name string, c []byte) []byte {
			if name != "order.json" {
				return c
			}
			return []byte(`{"media":[` + strings.Repeat("{},", 6_000_000) + "{}]}")
		}),
		"must": manifest(func(m map[string]any) {
			m["slideshow"].(map[string]any)["frame"] = map[string]any{"w": 1, "h": 1}
		}),
	} {
		_, err := s.Interchange.Open(ctx, bytes.NewReader(bad), int64(len(bad)), nil)
		var wrong *invalid.Input
		if assert.ErrorAs(t, err, &wrong, want) {
			assert.Contains(t, wrong.Problem, want)
		}
	}
	assert.Equal(t, before, orderCount(t, s))
}

func TestToPrint(t *testing.T) {
	s, id, _ := zipped(t)
	text := func(write func(*interchange.Interchange, context.Context, int64, io.Writer) error) string {
		path := filepath.Join(t.TempDir(), "a.pdf")
		f, err := os.Create(path)
		require.NoError(t, err)
		require.NoError(t, write(s.Interchange, ctx, id, f))
		require.NoError(t, f.Close())
		// Words are pictures of words, in any script: what poppler counts is pages
		// and pictures.
		out, err := exec.Command("pdfimages", "-list", path).CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	d := housetest.Load(t, s, id)
	assert.GreaterOrEqual(t, strings.Count(text((*interchange.Interchange).RunningOrder), "jpeg"), 3,
		"a picture a slide")
	photos := 0
	for _, m := range d.Media {
		if m.Kind == doc.PhotoMedia {
			photos++
		}
	}
	assert.Equal(t, photos, strings.Count(text((*interchange.Interchange).ContactSheet), "jpeg"))
	empty := housetest.Order(t, s)
	require.ErrorIs(t, s.Interchange.ContactSheet(ctx, empty.ID, io.Discard), interchange.ErrEmpty)
	require.ErrorIs(t, s.Interchange.RunningOrder(ctx, empty.ID, io.Discard), interchange.ErrEmpty)
	require.ErrorIs(t, s.Interchange.Cut(ctx, 999, io.Discard), store.ErrNotFound)
}

// The cut is as long as the film, its joins are where the film's are, and its
// objects have the names and fields of the published schema ("OTIO Serialized
// Schema", Academy Software Foundation; field names from memory).
func TestCut(t *testing.T) {
	s, id, _ := zipped(t)
	housetest.Edit(t, s, id, edit.Chapter{
		Slides: []doc.SlideID{housetest.Load(t, s, id).Doc.Slides[2].ID},
		Text:   "The race",
	})
	d := housetest.Load(t, s, id)
	var b bytes.Buffer
	require.NoError(t, s.Interchange.Cut(ctx, id, &b))
	type rt struct{ Rate, Value float64 }
	type object struct {
		Schema   string `json:"OTIO_SCHEMA"`
		Kind     string
		Name     string
		In       *rt `json:"in_offset"`
		Out      *rt `json:"out_offset"`
		Children []object
		Markers  []object
		Source   *struct {
			Duration rt
			Start    rt `json:"start_time"`
		} `json:"source_range"`
		References map[string]struct {
			Schema string `json:"OTIO_SCHEMA"`
			Target string `json:"target_url"`
		} `json:"media_references"`
		Active string `json:"active_media_reference_key"`
	}
	var tl struct {
		Schema string `json:"OTIO_SCHEMA"`
		Tracks object
	}
	require.NoError(t, json.Unmarshal(b.Bytes(), &tl))
	assert.Equal(t, "Timeline.1", tl.Schema)
	assert.Equal(t, "Stack.1", tl.Tracks.Schema)
	require.Len(t, tl.Tracks.Children, 2)
	pictures, sound := tl.Tracks.Children[0], tl.Tracks.Children[1]
	assert.Equal(t, []string{"Track.1", "Video", "Audio"}, []string{pictures.Schema, pictures.Kind,
		sound.Kind})
	at, slide := 0.0, 0
	for i, c := range pictures.Children {
		switch c.Schema {
		case "Clip.2":
			assert.Contains(t, c.References, c.Active)
			if slide == 2 {
				require.Len(t, c.Markers, 1)
				assert.Equal(t, "The race", c.Markers[0].Name)
			}
			at += c.Source.Duration.Value
			slide++
		case "Transition.1":
			s := d.Plan.Slides[slide-1]
			assert.EqualValues(t, s.End()-s.Overlap, at-c.In.Value, "join %d begins where the film's does", i)
			assert.EqualValues(t, s.End(), at+c.Out.Value)
		default:
			t.Errorf("%s is no object of a track", c.Schema)
		}
	}
	assert.EqualValues(t, d.Plan.Frames, at)
	assert.Len(t, d.Plan.Slides, slide)
	heard := 0.0
	for _, c := range sound.Children {
		heard += c.Source.Duration.Value
	}
	assert.EqualValues(t, min(d.Plan.Frames, d.Plan.MusicEnd), heard,
		"the songs are as long as they are heard")
	target := sound.Children[0].References["DEFAULT_MEDIA"].Target
	assert.True(t, strings.HasPrefix(target, "media/"), "%s lies beside it in the zip", target)
}
