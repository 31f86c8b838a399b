package pressing_test

import (
	"bytes"
	"context"
	"errors"
	"image"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/profile"
	"nelko/internal/disc/player"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/pressing"
	"nelko/internal/standin"
	"nelko/internal/store"
)

var ctx = context.Background()

// made makes a disc of an order as the queue would.
func made(t *testing.T, h *house.House, order int64, n pressing.New) pressing.Made {
	t.Helper()
	id, err := h.Pressing.Discs.Make(ctx, order, n)
	require.NoError(t, err)
	pressed(t, h, id)
	return find(t, h, order, id)
}

// pressed renders what a disc waits for and makes its image.
func pressed(t *testing.T, h *house.House, id int64) {
	t.Helper()
	wait, err := h.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: id})
	require.NoError(t, err)
	if wait > 0 {
		x, _, err := h.Pressing.Find(ctx, id)
		require.NoError(t, err)
		for _, title := range x.Setting.Titles {
			require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: title.RenderID}, "w", true))
		}
		_, err = h.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: id})
		require.NoError(t, err)
	}
}

func find(t *testing.T, h *house.House, order, id int64) pressing.Made {
	t.Helper()
	list, err := h.Pressing.List(ctx, order)
	require.NoError(t, err)
	for _, m := range list {
		if m.DeliveryID == id {
			return m
		}
	}
	t.Fatal("the disc is not listed")
	return pressing.Made{}
}

func tool(t *testing.T, name string, args ...string) string {
	t.Helper()
	b, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s %v: %s", name, args, b)
	return string(b)
}

func dvd(name string) pressing.New {
	return pressing.New{DiscSetting: store.DiscSetting{
		Kind:      store.DVDVideo,
		Name:      name,
		Blank:     discs.DVD5.Name,
		Profiles:  []string{profile.DVDPALWide.Name},
		Menu:      true,
		Subtitles: "off",
		Every:     1,
	}}
}

// From an order to a burned copy: the image's films, its menu, the step-through
// from its very files, paper, every failure of a drive, and the proof.
func TestADiscOfAnOrder(t *testing.T) {
	h := housetest.Open(t)
	order := housetest.Ready(t, h)
	housetest.Caption(t, h, order, "The Gannets at sea")
	m := made(t, h, order, dvd("Régatta  2026"))
	require.NotNil(t, m.Image, m.Error)
	assert.Equal(t, "Régatta 2026", m.Setting.Name)
	assert.Equal(t, store.DeliveryWaiting, m.Delivery.State, "made, not yet burned")
	path, err := h.Blobs.Path(ctx, *m.Image)
	require.NoError(t, err)
	assert.Contains(t, tool(t, "isoinfo", "-d", "-i", path), "Volume id: REGATTA_2026")
	assert.Equal(t, 100, m.Percent())

	st, err := h.Pressing.Stepper.Step(ctx, m.DeliveryID)
	require.NoError(t, err)
	require.Len(t, st.Guide.Pages, 1)
	require.Len(t, st.Guide.Titles, 1)
	assert.Equal(t, player.Place{Title: 1}, st.Guide.Pages[0].Buttons[0].To)
	assert.Len(t, st.Guide.Titles[0].Chapters, 3, "one at each picture")
	assert.True(t, st.Guide.Titles[0].Words)
	assert.False(t, st.Guide.Titles[0].Shown)
	assert.Equal(t, image.Pt(720, 576), image.Pt(st.W, st.H))

	// What is seen when it is stepped through is on the image, with subtitles and
	// without.
	var page, plain, worded bytes.Buffer
	require.NoError(t, h.Pressing.Stepper.ShowPage(ctx, st, 1, &page))
	require.NoError(t, h.Pressing.Stepper.ShowTitle(ctx, st, 1, 1, false, &plain))
	require.NoError(t, h.Pressing.Stepper.ShowTitle(ctx, st, 1, 1, true, &worded))
	assert.ErrorIs(t, h.Pressing.Stepper.ShowTitle(ctx, st, 2, 1, false, io.Discard), store.ErrNotFound)
	assert.InDelta(t, 15, lasts(t, plain.Bytes()), 0.2)
	assert.InDelta(t, st.Guide.Titles[0].Seconds-st.Guide.Titles[0].Chapters[2], lasts(t, show(t, h, st, 3)),
		0.7)
	assert.NotEmpty(t, page.Bytes())
	a, b := frameAt(t, plain.Bytes(), 6), frameAt(t, worded.Bytes(), 6)
	assert.Greater(t, differ(a, b, a.Bounds().Dy()*3/4, a.Bounds().Dy()), 1000, "words at the foot")
	assert.Less(t, differ(a, b, 0, a.Bounds().Dy()/2), 200, "and nowhere else")

	var face, sleeve bytes.Buffer
	require.NoError(t, h.Pressing.Prints.Faces(ctx, []int64{m.DeliveryID}, &face))
	require.NoError(t, h.Pressing.Prints.Sleeve(ctx, m.DeliveryID, &sleeve))
	pdf := filepath.Join(t.TempDir(), "sleeve.pdf")
	require.NoError(t, os.WriteFile(pdf, sleeve.Bytes(), 0o600))
	assert.Contains(t, tool(t, "pdfinfo", pdf), "841.89 x 595.28 pts (A4)")

	burnEachWay(t, h, m)
	// Taken back, its image goes with the next sweep.
	require.NoError(t, h.Pressing.Discs.Close(ctx, m.DeliveryID))
	assert.Nil(t, find(t, h, order, m.DeliveryID).Image)
	assert.Error(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 1))
}

// burnEachWay burns copies of a disc with a drive that fails in every way.
func burnEachWay(t *testing.T, h *house.House, m pressing.Made) {
	drive := &standin.Drive{Store: h.Store, Dir: t.TempDir()}
	h.Pressing.Drive = drive
	require.NoError(t, drive.Set(ctx, func(t *standin.Tray) { t.Speed = 1 << 40 }))
	put := func(b discs.Blank, fails standin.Failure) {
		require.NoError(t, drive.Set(ctx, func(t *standin.Tray) { t.PutIn(b); t.Fails = fails }))
	}
	require.NoError(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 2))
	assert.Error(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 0))
	open, _, err := h.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	require.Len(t, open, 2)
	burn := func(i int) (store.Burn, time.Duration) {
		wait, err := h.Pressing.Burner.Burn(ctx, pressing.Burn{BurnID: open[i].ID})
		require.NoError(t, err)
		b, err := store.One[store.Burn](h.Store.DB, "id = ?", open[i].ID)
		require.NoError(t, err)
		return b, wait
	}
	b, wait := burn(1)
	assert.Equal(t, store.BurnWaiting, b.State, "one after the other")
	assert.NotZero(t, wait)
	for _, c := range []struct {
		set  func(*standin.Tray)
		asks string
	}{
		{func(t *standin.Tray) { t.Open = true }, "The drawer is open: put in a blank DVD 4.7 GB"},
		{func(t *standin.Tray) { t.Tray = discs.Tray{} }, "There is no disc in the drive: "},
		{func(t *standin.Tray) {
			t.PutIn(discs.DVD5)
			t.Burned = true
		}, "The disc in the drive is burned already: "},
		{func(t *standin.Tray) {
			t.PutIn(discs.Blank{Name: "CD", Sectors: 1})
		}, "The CD in the drive is too small for "},
	} {
		require.NoError(t, drive.Set(ctx, c.set))
		b, wait = burn(0)
		assert.Equal(t, store.BurnWaiting, b.State)
		assert.NotZero(t, wait)
		assert.Contains(t, b.Asks, c.asks)
		assert.Contains(t, b.Asks, "write “Régatta 2026” on it")
	}
	require.NoError(t, drive.Set(ctx, func(t *standin.Tray) { t.Speed = 1 << 40 }))
	put(discs.DVD5, standin.BadSector)
	b, _ = burn(0)
	assert.Equal(t, store.BurnFailed, b.State)
	assert.Regexp(t, `^sector \d+ does not read back as it was written$`, b.Error)
	tray, err := drive.Tray(ctx)
	require.NoError(t, err)
	assert.True(t, tray.Open, "so that the spoiled one is taken out")
	assert.Equal(t, store.DeliveryWaiting, find(t, h, m.Delivery.OrderID, m.DeliveryID).Delivery.State)

	put(discs.DVD5, standin.Dies)
	b, _ = burn(1)
	assert.Equal(t, standin.ErrSpoiled.Error(), b.Error)
	require.NoError(t, h.Pressing.Burner.BurnAgain(ctx, b.ID))
	open, over, err := h.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	require.Len(t, open, 1)
	assert.Len(t, over, 2)
	assert.Equal(t, 3, open[0].Copy)
	put(discs.DVD5, standin.Works)
	b, _ = burn(0)
	assert.Equal(t, store.BurnDone, b.State, b.Error)
	now := find(t, h, m.Delivery.OrderID, m.DeliveryID)
	assert.Equal(t, store.DeliveryDone, now.Delivery.State)
	assert.Equal(t, 1, now.Copies())
	assert.Contains(t, now.Delivery.Proof, "1 copy burned and read back")
	// A worker that died in the middle has spoiled its blank.
	require.NoError(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 1))
	require.NoError(t, h.Store.DB.Exec("UPDATE burns SET state = 'burning' WHERE finished_at IS NULL").Error)
	open, _, err = h.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	b, _ = burn(0)
	assert.Contains(t, b.Error, "interrupted")
}

func show(t *testing.T, h *house.House, st pressing.Stepped, chapter int) []byte {
	var b bytes.Buffer
	require.NoError(t, h.Pressing.Stepper.ShowTitle(ctx, st, 1, chapter, false, &b))
	return b.Bytes()
}

func lasts(t *testing.T, film []byte) (s float64) {
	path := filepath.Join(t.TempDir(), "film")
	require.NoError(t, os.WriteFile(path, film, 0o600))
	out := tool(t, "ffprobe", "-v", "error", "-count_packets", "-select_streams", "v", "-show_entries",
		"stream=nb_read_packets", "-of", "csv=p=0", path)
	n, err := time.ParseDuration(strings.Trim(out, ", \n") + "s")
	require.NoError(t, err)
	return n.Seconds() / 25
}

func frameAt(t *testing.T, film []byte, seconds int) image.Image {
	dir := t.TempDir()
	path, png := filepath.Join(dir, "film"), filepath.Join(dir, "f.png")
	require.NoError(t, os.WriteFile(path, film, 0o600))
	tool(t, "ffmpeg", "-v", "error", "-i", path, "-ss", time.Duration(seconds * int(time.Second)).
		String()[:1], "-frames:v", "1", png)
	f, err := os.Open(png)
	require.NoError(t, err)
	defer f.Close()
	img, _, err := image.Decode(f)
	require.NoError(t, err)
	return img
}

// differ counts the pixels between two rows that differ clearly.
func differ(a, b image.Image, from, to int) (n int) {
	for y := from; y < to; y++ {
		for x := range a.Bounds().Dx() {
			ar, ag, ab, _ := a.At(x, y).RGBA()
			br, bg, bb, _ := b.At(x, y).RGBA()
			d := func(p, q uint32) bool { return max(p, q)-min(p, q) > 0x3000 }
			if d(ar, br) || d(ag, bg) || d(ab, bb) {
				n++
			}
		}
	}
	return n
}

// A disc of files plays from its own image; damaged it is made again; a film
// that failed is told of, and tried again.
func TestADiscOfFiles(t *testing.T) {
	h := housetest.Open(t)
	order := housetest.Ready(t, h)
	n := pressing.New{DiscSetting: store.DiscSetting{
		Kind:     store.DataDisc,
		Name:     "Films",
		Blank:    discs.DVD5.Name,
		Profiles: []string{"Phone 360", "MP4"},
	}}
	id, err := h.Pressing.Discs.Make(ctx, order, n)
	require.NoError(t, err)
	wait, err := h.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: id})
	require.NoError(t, err)
	assert.NotZero(t, wait, "its films are not made yet")
	x, _, err := h.Pressing.Find(ctx, id)
	require.NoError(t, err)
	require.NoError(t, h.Making.Renders.Cancel(ctx, order, x.Setting.Titles[0].RenderID))
	_, err = h.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: id})
	require.NoError(t, err)
	m := find(t, h, order, id)
	assert.Equal(t, store.DeliveryFailed, m.Delivery.State)
	assert.Contains(t, m.Error, "rendering was cancelled")
	require.NoError(t, h.Pressing.Discs.Again(ctx, id))
	pressed(t, h, id)
	m = find(t, h, order, id)
	require.NotNil(t, m.Image, m.Error)

	st, err := h.Pressing.Stepper.Step(ctx, id)
	require.NoError(t, err)
	names := map[string]int64{}
	for _, f := range st.Files {
		names[f.Name] = f.Size
	}
	require.Len(t, names, 4, "%v", names)
	r, err := store.One[store.Render](h.Store.DB, "id = ?", m.Setting.Titles[0].RenderID)
	require.NoError(t, err)
	var sum string
	require.NoError(t, h.Pressing.Stepper.Serve(ctx, id, "The Gannets.mp4", func(_ string, in io.ReadSeeker) {
		sum, err = store.SumOf(in)
	}))
	require.NoError(t, err)
	assert.Equal(t, *r.SHA256, sum)
	require.NoError(t, h.Pressing.Stepper.Serve(ctx, id, "index.html", func(_ string, in io.ReadSeeker) {
		b, err := io.ReadAll(in)
		require.NoError(t, err)
		assert.Contains(t, string(b), `src="The%20Gannets.mp4"`)
	}))
	assert.Error(t, h.Pressing.Stepper.Serve(ctx, id, "../x", nil))

	onAFullDisk(t, h, id)
	pressed(t, h, id)
	m = find(t, h, order, id)
	path, err := h.Blobs.Path(ctx, *m.Image)
	require.NoError(t, err)
	require.NoError(t, os.Chmod(path, 0o600))
	f, err := os.OpenFile(path, os.O_WRONLY, 0)
	require.NoError(t, err)
	_, err = f.WriteAt([]byte("scratch"), 40_000)
	require.NoError(t, errors.Join(err, f.Close()))
	files, damaged, err := h.Pressing.Images.Verify(ctx, true, 0)
	require.NoError(t, err)
	assert.Equal(t, 1, files)
	require.Len(t, damaged, 1)
	assert.Contains(t, damaged[0], "Films: the image is not what it was")
	pressed(t, h, id)
	again := find(t, h, order, id)
	require.NotNil(t, again.Image)
	_, damaged, err = h.Pressing.Images.Verify(ctx, true, 0)
	require.NoError(t, err)
	assert.Empty(t, damaged)
	require.NoError(t, h.Pressing.Discs.HandedOver(ctx, id))
	assert.Equal(t, store.DeliveryDone, find(t, h, order, id).Delivery.State)
}

// onAFullDisk makes a disc's image again where there is no room for it: the disc
// waits for room, and is made once there is some. The disk is a small one of the
// kernel's own, which genisoimage itself fills.
func onAFullDisk(t *testing.T, h *house.House, id int64) {
	require.NoError(t, h.Pressing.Discs.Again(ctx, id))
	cache := h.Blobs.Cache()
	if err := unix.Mount("tmpfs", cache, "tmpfs", 0, "size=200k"); err != nil {
		t.Logf("no small disk can be mounted here (%v): tried with a store that says so", err)
		touch := h.Blobs.Touch
		h.Blobs.Touch = func(context.Context, string, int64) error { return unix.ENOSPC }
		defer func() { h.Blobs.Touch = touch }()
	} else {
		defer func() { require.NoError(t, unix.Unmount(cache, 0)) }()
	}
	wait, err := h.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: id})
	require.NoError(t, err)
	assert.Equal(t, time.Minute, wait, "tried again later")
	x, d, err := h.Pressing.Find(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, x.Image)
	assert.Equal(t, store.DeliveryWaiting, d.State)
	assert.Equal(t, "the disk is full", x.Error)
}

// What cannot be is refused in words, and nothing is begun.
func TestDiscsAreChecked(t *testing.T) {
	h := housetest.Open(t)
	order := housetest.Ready(t, h)
	for _, c := range []struct {
		change func(*pressing.New)
		says   string
	}{
		{func(n *pressing.New) { n.Name = " " }, "needs a name"},
		{func(n *pressing.New) { n.Kind = "lp" }, `no disc of the kind "lp"`},
		{func(n *pressing.New) { n.Blank = "Floppy" }, `no blank of the kind "Floppy"`},
		{func(n *pressing.New) { n.Blank = discs.BD25.Name }, "does not go with"},
		{func(n *pressing.New) { n.Profiles = []string{"Web 720"} }, "no standard for this kind"},
		{func(n *pressing.New) { n.Profiles = nil }, "Choose the sizes"},
		{func(n *pressing.New) { n.Colour = "red" }, "no colour"},
		{func(n *pressing.New) { n.Music = "x" }, "not one of the order's"},
		{func(n *pressing.New) { n.Every = -1 }, "A chapter every"},
		{func(n *pressing.New) { n.Subtitles = "maybe" }, "Subtitles are on or off"},
		{func(n *pressing.New) {
			n.Kind, n.Profiles = store.DataDisc, []string{"Sound"}
		}, "no film to be played"},
	} {
		n := dvd("Films")
		c.change(&n)
		_, err := h.Pressing.Discs.Make(ctx, order, n)
		var wrong *invalid.Input
		require.ErrorAs(t, err, &wrong, c.says)
		assert.Contains(t, wrong.Problem, c.says)
	}
	list, err := h.Pressing.List(ctx, order)
	require.NoError(t, err)
	assert.Empty(t, list)
	for _, c := range pressing.Choices([]float64{9 * 3600}) {
		if c.Kind != store.DataDisc && c.Blank != discs.BD25 {
			assert.False(t, c.Fits)
			assert.Contains(t, c.Words, "too long for one DVD")
		}
	}
}
