package render

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
)

// What was compared in a film before is not compared again; what is made anew is, wherever in the
// film it is and whatever the file's format.
func TestWhatIsNewIsCompared(t *testing.T) {
	black := func(_ scene.Asset, s *raster.Sprite) *raster.Sprite {
		return &raster.Sprite{
			W: s.W,
			H: s.H,
			Y: make([]byte, len(s.Y)),
			U: make([]byte, len(s.U)),
			V: make([]byte, len(s.V)),
			A: s.A,
		}
	}
	for _, box := range []profile.Container{
		{
			Format:    "mp4",
			Extension: "mp4",
			MIME:      "video/mp4",
		}, {Format: "mov", Extension: "mov", MIME: "video/quicktime"},
	} {
		f, job := tiny(t, timecode.R2997, 14)
		j := job()
		j.Film = in(f, func(to *profile.Profile) { to.File = box })
		c := &folder{dir: t.TempDir()}
		j.Cache, j.Out, j.Workers = c, filepath.Join(t.TempDir(), "film"), 1
		facts, err := Film(t.Context(), j)
		require.NoError(t, err, box.Format)
		assert.Greater(t, facts.PictureDB, 30.0)
		segs, err := j.Film.Segments()
		require.NoError(t, err)
		compared, err := c.Compared(t.Context(), film.Keys(segs))
		require.NoError(t, err)
		for _, s := range segs {
			assert.True(t, compared[s.Key])
		}

		// Nothing is new: nothing is drawn to be compared.
		muddle := j
		muddle.Lanes = func(ctx context.Context) Lane { return muddled{j.Lanes(ctx), black} }
		facts, err = Film(t.Context(), muddle)
		require.NoError(t, err, box.Format)
		assert.Zero(t, facts.PictureDB)

		for i, s := range segs {
			if i != 1 && i != len(segs)/2 && i != len(segs)-1 {
				continue
			}
			require.NoError(t, c.Drop(t.Context(), s.Key))
			all, err := j.places()
			require.NoError(t, err)
			list, frames, err := j.fresh(t.Context(), all)
			require.NoError(t, err)
			require.Len(t, list, 1)
			assert.Equal(t, s.Frames(), frames)
			require.True(t, someOf(&j, frames))
			before, after := seek(&j, list[0])
			db, err := j.compareFrames(t.Context(), j.Out, list[0].places, before, after)
			require.NoError(t, err, "%s, frames %d to %d", box.Format, s.From, s.To)
			assert.Greater(t, db, 30.0)
			facts, err = Film(t.Context(), j)
			require.NoError(t, err)
			assert.Greater(t, facts.PictureDB, 30.0)
		}

		// A segment that is made wrongly is noticed among those that were compared.
		var of film.Segment
		for _, s := range segs {
			for _, slide := range j.Film.Doc.Slides {
				if slide.ID == s.Slide && len(slide.Media) > 0 && slide.Media[0] == "3" {
					of = s
				}
			}
		}
		require.NoError(t, c.Drop(t.Context(), of.Key))
		first := true
		muddle.Lanes = func(ctx context.Context) Lane {
			if first {
				return muddled{j.Lanes(ctx), black}
			}
			return j.Lanes(ctx)
		}
		muddle.Progress = func(done, total timecode.Frames) { first = first && done < total }
		require.NoError(t, os.Remove(j.Out))
		_, err = Film(t.Context(), muddle)
		require.ErrorContains(t, err, "another picture than was drawn", box.Format)
		_, err = Film(t.Context(), j)
		require.NoError(t, err, "what is wrong is not kept")
	}
}
