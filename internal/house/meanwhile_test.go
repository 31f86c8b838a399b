package house_test

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/store"
)

// endless is a drawing whose reader gives up after some seconds.
func endless() string {
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><defs><path id="a0" d="M0 0h9"/>`)
	for i := range 7 {
		fmt.Fprintf(&b, `<g id="a%d">%s</g>`, i+1, strings.Repeat(fmt.Sprintf(`<use href="#a%d"/>`, i), 10))
	}
	b.WriteString(`</defs><use href="#a7"/></svg>`)
	return b.String()
}

// A file is not refused for what its reader met while the store was away, though the store is back
// by the time the reader says so.
func TestAFileIsNotRefusedForTheStoreBeingAwayMeanwhile(t *testing.T) {
	h := housetest.Open(t)
	require.NoError(t, h.Store.Mark(t.Context(), h.Blobs))
	o := housetest.Order(t, h)
	m, err := h.Intake.In.Receive(t.Context(), o.ID, "up", "a.svg", strings.NewReader(endless()))
	require.NoError(t, err)
	dir := h.Blobs.Folders()[0]
	// Where its reader was not at it yet when the store went, it is read once more.
	for ahead := 300 * time.Millisecond; ; ahead *= 2 {
		require.Less(t, ahead, 10*time.Second, "the reader never was at it")
		said := make(chan error, 1)
		go func() { said <- h.Intake.Reader.Read(t.Context(), intake.Read{MediaID: m.ID, Slow: true}) }()
		time.Sleep(ahead)
		require.NoError(t, os.Rename(dir, dir+".away"))
		time.Sleep(600 * time.Millisecond)
		require.NoError(t, os.Rename(dir+".away", dir))
		late := len(said) == 0
		require.ErrorIs(t, <-said, store.ErrAway)
		assert.Equal(t, store.Waiting, housetest.Load(t, h, o.ID).Media[0].State)
		if late {
			return
		}
	}
}
