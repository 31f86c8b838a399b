package orderpage

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nelko/internal/hosting"
	"nelko/internal/pressing"
	"nelko/internal/store"
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
