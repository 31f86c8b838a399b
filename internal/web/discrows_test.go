package web

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nelko/internal/disc/player"
	"nelko/internal/hosting"
	"nelko/internal/pressing"
	"nelko/internal/store"
	"nelko/internal/web/field"
)

// What an order says of a disc at each of its stages.
func TestWhatIsSaidOfADisc(t *testing.T) {
	now, image := time.Now(), "x"
	setting := store.DiscSetting{
		Kind:     store.DVDVideo,
		Name:     "Gannets",
		Blank:    "DVD 4.7 GB",
		Profiles: []string{"DVD PAL 16:9"},
		Titles:   []store.DiscTitle{{}, {}},
	}
	burned := store.Burn{State: store.BurnDone, FinishedAt: &now}
	for says, m := range map[string]pressing.Made{
		"its films are being rendered · fits": {
			Disc:     store.Disc{Setting: setting, Budget: "fits"},
			Delivery: store.Delivery{State: store.DeliveryWaiting},
			Frames:   [2]int64{30, 120},
		},
		"the image is being made · fits": {
			Disc:     store.Disc{Setting: setting, Budget: "fits"},
			Delivery: store.Delivery{State: store.DeliveryRunning},
		},
		"the disk is full": {
			Disc:     store.Disc{Setting: setting, Error: "the disk is full"},
			Delivery: store.Delivery{State: store.DeliveryWaiting},
		},
		"! no film": {
			Disc:     store.Disc{Setting: setting, Error: "no film"},
			Delivery: store.Delivery{State: store.DeliveryFailed},
		},
		"taken back": {
			Disc:     store.Disc{Setting: setting},
			Delivery: store.Delivery{State: store.DeliveryClosed},
		},
		"700 MB, 4000 MB to spare, every button tried": {
			Disc: store.Disc{
				Setting: setting,
				Image:   &image,
				Size:    700_000_000,
				Guide:   json.RawMessage("{}"),
			},
			Delivery: store.Delivery{State: store.DeliveryWaiting},
		},
		"700 MB, 4000 MB to spare · handed over": {
			Disc:     store.Disc{Setting: setting, Image: &image, Size: 700_000_000},
			Delivery: store.Delivery{State: store.DeliveryDone, Proof: "handed over"},
		},
		"700 MB, 4000 MB to spare · 2 copies burned and read back · more to be burned": {
			Disc:     store.Disc{Setting: setting, Image: &image, Size: 700_000_000},
			Delivery: store.Delivery{State: store.DeliveryDone, Proof: "x"},
			Burns:    []store.Burn{burned, {State: store.BurnWaiting}, burned},
		},
	} {
		row := rowOfDisc(m)
		assert.Equal(t, says, row.Detail)
		assert.Equal(t, "DVD PAL 16:9 on DVD 4.7 GB, 2 films", row.About)
		assert.Equal(t, m.Image != nil, row.Made)
		if row.Busy && m.Frames[1] > 0 {
			assert.Equal(t, 25, row.Percent)
		}
	}
}

// Where a button leads is told to the page one place after the other.
func TestWhereAButtonLeads(t *testing.T) {
	b := player.Button{To: player.Place{Title: 2}, Then: []player.Place{{Title: 3}, {Page: 1}}}
	assert.Equal(t, "title 2,title 3,page 1", stepView{}.Then(b))
	assert.Equal(t, "end", stepView{}.Then(player.Button{}))
	assert.Equal(t, "Film 3", stepView{}.Name(2))
}

// What is said of a film on its way to the host, and once it is there.
func TestWhatIsSaidOfAFilmOnTheHost(t *testing.T) {
	then := time.Date(2026, 11, 26, 14, 5, 0, 0, time.UTC)
	for says, f := range map[string]hosting.Film{
		"3.0 of 12.0 MB sent": {Upload: store.Upload{Sent: 3e6, Size: 12e6}, State: store.DeliveryWaiting},
		"0.0 of 12.0 MB sent · the host cannot be reached; it is tried again": {
			Upload: store.Upload{Size: 12e6, Error: "the host cannot be reached"},
			State:  store.DeliveryWaiting,
		},
		"the host works on it": {
			Upload: store.Upload{Sent: 12e6, Size: 12e6},
			State:  store.DeliveryWaiting,
		},
		"! no more films": {
			Upload: store.Upload{Error: "no more films"},
			State:  store.DeliveryFailed,
		},
		"unlisted, since 26 Nov 14:05": {
			Upload: store.Upload{Visibility: "unlisted", DoneAt: &then, Address: "http://host/v/1"},
			State:  store.DeliveryDone,
		},
	} {
		row := rowOfHosted(f)
		assert.Equal(t, says, row.Detail)
		assert.Equal(t, f.State == store.DeliveryFailed, row.Failed)
		assert.Equal(t, f.State == store.DeliveryWaiting, row.Busy)
		assert.Equal(t, f.DoneAt != nil, row.Address != "", "an address once it is there")
	}
	assert.Equal(t, 25, rowOfHosted(hosting.Film{Upload: store.Upload{Sent: 3e6, Size: 12e6}}).Percent)
}

// The kinds of disc an order can choose among, with how its film fits.
func TestDiscChoices(t *testing.T) {
	list := discChoices([]float64{62})
	assert.Len(t, list, 5)
	assert.Equal(t, "dvd/DVD 4.7 GB", list[0].Value)
	assert.True(t, list[0].First)
	names := map[string]bool{}
	for _, c := range list {
		assert.True(t, c.Fits, c.Name)
		assert.NotContains(t, c.Name, ", DVD", "nothing is said twice")
		names[c.Name] = true
	}
	assert.Len(t, names, 5)
	long := discChoices([]float64{6 * 3600})
	assert.False(t, long[0].Fits)
	assert.Contains(t, long[0].Words, "too long for one DVD 4.7 GB: ")
	assert.Equal(t, []string{"DVD PAL 16:9", "DVD PAL 4:3", "DVD NTSC 16:9", "DVD NTSC 4:3"}, standards())
}

// What a form of a disc means: the kind with its blank, and for files the sizes
// that were ticked.
func TestDiscForm(t *testing.T) {
	every := field.Amount(5)
	f := discForm{
		On:       "data/HD disc 25 GB",
		Name:     "x",
		Standard: "DVD PAL 16:9",
		Profiles: []string{"MP4", "Web 720"},
		Also:     []int64{4},
		Every:    &every,
	}
	n := f.disc(3)
	assert.Equal(t, []any{store.DataDisc, "HD disc 25 GB", []string{"MP4", "Web 720"}, []int64{3, 4}, 5},
		[]any{n.Kind, n.Blank, n.Profiles, n.Orders, n.Every})
	f.On = "dvd/DVD 8.5 GB"
	assert.Equal(t, []string{"DVD PAL 16:9"}, f.disc(3).Profiles)
}
