package runs_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/runs"
	"nelko/internal/store"
)

func TestAnActGoesOnByItselfOnce(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 4)
	ask := runs.Ask{Act: runs.Render}
	act, err := h.Runs.Acts.Start(ctx, r.ID, ask, nil)
	require.NoError(t, err)
	assert.Len(t, act.Rows, 4)
	_, err = h.Runs.Acts.Start(ctx, r.ID, ask, nil)
	assert.ErrorContains(t, err, "being done already")
	acts, err := h.Runs.Acts.Acts(ctx, r.ID)
	require.NoError(t, err)
	require.Len(t, acts, 1)
	assert.Equal(t, "Queueing films: 0 of 4 rows done. It goes on when this window is closed.",
		runs.Told(acts[0]))

	// The server ends in the middle, after the third film was queued and before that was noted.
	n := 0
	broken := errors.New("the database is away")
	require.NoError(t, h.Store.DB.Callback().Update().Before("gorm:update").Register("test:break",
		func(tx *gorm.DB) {
			if tx.Statement.Table == "run_acts" {
				if n++; n == 3 {
					_ = tx.AddError(broken)
				}
			}
		}))
	assert.ErrorIs(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}), broken)
	require.NoError(t, h.Store.DB.Callback().Update().Remove("test:break"))
	assert.Len(t, renders(t, h), 3)
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}))
	assert.Len(t, renders(t, h), 4, "each row once")
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}))
	assert.Len(t, renders(t, h), 4)
	act, err = h.Runs.Acts.Await(ctx, act, time.Second)
	require.NoError(t, err)
	assert.Equal(t, store.ActDone, act.State)
	acts, err = h.Runs.Acts.Acts(ctx, r.ID)
	require.NoError(t, err)
	assert.Empty(t, acts, "it was read")

	// Chosen rows alone are cancelled, and done again.
	s := sheet(t, h, r.ID)
	two := []int64{s.Rows[1].ID, s.Rows[2].ID}
	ended, err := h.Runs.Work.Cancel(ctx, r.ID, two...)
	require.NoError(t, err)
	assert.Equal(t, 2, ended)
	running, err := h.Runs.Work.Running(ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, running)
	done, err := h.Runs.Acts.DoAllWith(ctx, r.ID, runs.Ask{Act: runs.Render, Only: two[:1]})
	require.NoError(t, err)
	assert.Equal(t, "1 film queued to be rendered.", done.InWords())

	// What is stopped is not gone on with.
	act, err = h.Runs.Acts.Start(ctx, r.ID, ask, nil)
	require.NoError(t, err)
	require.NoError(t, h.Runs.Acts.Stop(ctx, r.ID, act.ID))
	before := len(renders(t, h))
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}))
	assert.Len(t, renders(t, h), before)
	acts, err = h.Runs.Acts.Acts(ctx, r.ID)
	require.NoError(t, err)
	require.Len(t, acts, 1)
	assert.Contains(t, runs.Told(acts[0]), "Stopped after 0 of 1 rows.")
	require.NoError(t, h.Runs.Acts.SeenAct(ctx, r.ID, act.ID))
}

// All films together can be those that are made alone, and what it takes is said before.
func TestTogetherOnlyWhatIsMade(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 3)
	ask := runs.Ask{Act: runs.Together, How: runs.UsualDisc, Made: true}
	_, err := h.Runs.Acts.Start(ctx, r.ID, ask, nil)
	assert.ErrorContains(t, err, "No row is ready")
	s := sheet(t, h, r.ID)
	_, err = h.Making.Renders.Begin(ctx, s.Rows[1].ID, "")
	require.NoError(t, err)
	require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: renders(t, h)[0].ID}, "w", true))
	before := len(renders(t, h))
	act, err := h.Runs.Acts.Start(ctx, r.ID, ask, nil)
	require.NoError(t, err)
	assert.Len(t, renders(t, h), before, "it is a job")
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}))
	assert.Len(t, renders(t, h), before+1, "of one film")
	// Broken off before it was noted that the disc is made, it is gone on with.
	require.NoError(t, h.Store.DB.Exec(
		"UPDATE run_acts SET state = 'running', next = 0, begun = 0 WHERE id = ?", act.ID).Error)
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}))
	assert.Len(t, renders(t, h), before+1, "nothing is made twice")
	acts, err := h.Runs.Acts.Acts(ctx, r.ID)
	require.NoError(t, err)
	require.Len(t, acts, 1)
	assert.Equal(t, "1 disc being made with all films; the Run’s pattern has them under Deliveries.",
		runs.Told(acts[0]))
	// Once more is another one.
	again, err := h.Runs.Acts.DoAllWith(ctx, r.ID, ask)
	require.NoError(t, err)
	assert.Equal(t, 1, again.Begun)
	discs, err := h.Pressing.List(ctx, *r.PatternID)
	require.NoError(t, err)
	assert.Len(t, discs, 2)
	text, err := h.Runs.Out.TogetherText(ctx, sheet(t, h, r.ID))
	require.NoError(t, err)
	assert.Contains(t, text, "3 films")
}

// Answers for folders are taken back and given again by the sheet's undo; what came with them
// goes out of the films, and back.
func TestFolderAnswersAreUndone(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 2)
	drop(t, h, r.ID, map[string][]byte{
		"Crew one/x.jpg": housetest.Photo(t, 20),
		"Crew one/y.jpg": housetest.Photo(t, 21),
		"Nobody/z.jpg":   housetest.Photo(t, 22),
	})
	id := sheet(t, h, r.ID).Rows[0].ID
	pictures := func() int { return sheet(t, h, r.ID).Rows[0].Pictures }
	waiting := func() int { return sheet(t, h, r.ID).Waiting() }
	require.Equal(t, 1, pictures())
	require.Equal(t, 3, waiting())
	require.NoError(t, h.Runs.Folders.Answer(ctx, r.ID, "Crew one", id, nil))
	settle(t, h, r.ID)
	require.NoError(t, h.Runs.Folders.Answer(ctx, r.ID, "Nobody", 0, nil))
	settle(t, h, r.ID)
	assert.Equal(t, 3, pictures())
	assert.Equal(t, 1, waiting())

	undo := func(says string) {
		said, err := h.Runs.Cells.Undo(ctx, r.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, says, said)
		settle(t, h, r.ID)
	}
	asked := func() (out []string) {
		for _, f := range sheet(t, h, r.ID).Asked() {
			out = append(out, f.Name)
		}
		return out
	}
	assert.Empty(t, asked())
	undo("Undone: What belongs to “Nobody”")
	assert.Equal(t, []string{"Nobody"}, asked())
	undo("Undone: What belongs to “Crew one”")
	assert.Equal(t, 1, pictures())
	assert.Equal(t, 3, waiting())
	assert.Equal(t, []string{"Crew one", "Nobody"}, asked())
	d, p := housetest.Load(t, h, id), housetest.Load(t, h, *r.PatternID)
	for _, film := range []doc.Slideshow{d.Doc, p.Doc} {
		for m := range film.Uses() {
			_, there := d.Library[m]
			_, common := p.Library[m]
			assert.True(t, there || common, "nothing is shown that is gone")
		}
	}
	_, err := h.Runs.Cells.Redo(ctx, r.ID, nil)
	require.NoError(t, err)
	settle(t, h, r.ID)
	assert.Equal(t, 3, pictures())
	assert.Equal(t, 1, waiting())
}

// A mail that is sent by an act is sent once, whoever else makes links meanwhile.
func TestAnActMailsEachOnce(t *testing.T) {
	h := housetest.Open(t)
	h.Delivery.Mailer = &mailer{}
	r := ready(t, h, 2)
	s := sheet(t, h, r.ID)
	var cells []runs.Cell
	for _, x := range s.Rows {
		cells = append(cells, runs.Cell{OrderID: x.ID, Role: "email", To: "crew@saltmere.example"})
	}
	_, err := h.Runs.Cells.Set(ctx, r.ID, "Typed", cells, nil)
	require.NoError(t, err)
	_, err = h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	for _, rd := range renders(t, h) {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	act, err := h.Runs.Acts.Start(ctx, r.ID, runs.Ask{Act: runs.Mail}, nil)
	require.NoError(t, err)
	_, _, err = h.Delivery.Links.MakeLink(ctx, s.Rows[0].ID, delivery.NewLink{
		RenderID: renders(t, h)[0].ID,
		Title:    "By hand",
		Days:     3,
		Mail:     true,
		Keep:     true,
	})
	require.NoError(t, err)
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: act.ID}))
	var links []store.Link
	require.NoError(t, h.Store.DB.Find(&links).Error)
	assert.Len(t, links, 2)
}
