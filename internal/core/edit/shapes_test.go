package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
)

var upright = doc.Frame{W: 1080, H: 1920}

// inUpright is an edit in the further shape of the test.
func inUpright(op Op) Op { return InShape{upright, op} }

// twoShapes is a film of eight pictures in 16:9 and 9:16.
func twoShapes(t require.TestingT) (doc.Slideshow, Context) {
	with, ids := shelf(8)
	d := must(t, must(t, doc.New("tideline", 7), Pour{ids}, with), AddShape{upright}, with)
	return d, with
}

func seenIn(t require.TestingT, d doc.Slideshow, f doc.Frame) doc.Slideshow {
	in, ok := d.In(f)
	require.True(t, ok)
	return in
}

// A change in one shape reaches the other where that has nothing of its own, and
// nowhere else, in both directions.
func TestShapesFollowTheFirst(t *testing.T) {
	d, with := twoShapes(t)
	s := d.Slides[1]
	pic, own := s.Media[0], []string{"crop"}
	narrow := framing.Rect{X: 0.2, Y: 0, W: 0.5, H: 1}
	d = must(t, d, Shots{Media: s.Media, Focal: &framing.Point{X: 0.3, Y: 0.4}}, with)
	assert.Equal(t, d.Shots[pic].Focal, seenIn(t, d, upright).Shots[pic].Focal)
	d = must(t, d, inUpright(Shots{Media: s.Media, Crop: &narrow}), with)
	assert.Zero(t, d.Shots[pic].Crop)
	assert.Equal(t, narrow, seenIn(t, d, upright).Shots[pic].Crop)
	assert.Equal(t, own, d.Shapes[0].Own(d.Slides[1]))
	assert.Equal(t, 1, d.Exceptions(upright))
	// What is no matter of the frame is the film's.
	d = must(t, d, inUpright(Caption{[]doc.SlideID{s.ID}, "At the quay"}), with)
	assert.Equal(t, "At the quay", d.Slides[1].Caption)
	turned := must(t, d, inUpright(Shots{Media: s.Media, Turn: 1}), with)
	assert.Equal(t, 1, turned.Shots[pic].Turn)
	assert.Zero(t, turned.Exceptions(upright), "a crop of the picture as it was turned before")
	assert.Zero(t, must(t, d, Shots{Media: s.Media, Turn: 1}, with).Exceptions(upright))
	// An exception stays when the first changes; everything else comes along.
	d = must(t, d, Shots{Media: s.Media, Crop: &framing.Rect{X: 0, Y: 0.1, W: 1, H: 0.8}}, with)
	was := seenIn(t, d, upright)
	d = must(t, d, Motion{[]doc.SlideID{s.ID}, &design.Motion{Kind: design.Pan, Zoom: 0.1}}, with)
	now := seenIn(t, d, upright)
	assert.Equal(t, was.Shots[pic].Crop, now.Shots[pic].Crop)
	assert.Equal(t, design.Pan, now.Slides[1].Motion.Kind)
	// The theme's motion can be an exception to one set by hand.
	d = must(t, d, inUpright(Motion{[]doc.SlideID{s.ID}, nil}), with)
	assert.Nil(t, seenIn(t, d, upright).Slides[1].Motion)
	require.NotNil(t, d.Slides[1].Motion)
	back := must(t, d, AsFirst{upright, []doc.SlideID{s.ID}}, with)
	assert.Zero(t, back.Exceptions(upright))
	assert.NotNil(t, seenIn(t, back, upright).Slides[1].Motion)
	// Setting it as the first has it is no exception either.
	d = must(t, d, inUpright(Motion{[]doc.SlideID{s.ID}, d.Slides[1].Motion}), with)
	assert.NotContains(t, d.Shapes[0].Own(d.Slides[1]), "motion")
}

// Slides that come, go and move do so in every shape.
func TestShapesHaveTheSameSlides(t *testing.T) {
	d, with := twoShapes(t)
	n := must(t, d, inUpright(AddCard{Words: doc.Words{Kind: "title", Main: "Noon"}}), with)
	require.Len(t, n.Slides, len(d.Slides)+1)
	gone := n.Slides[2].ID
	n = must(t, n, inUpright(Remove{[]doc.SlideID{gone}}), with)
	assert.Equal(t, -1, n.Index(gone))
	assert.Equal(t, d.Frame, n.Frame)
	_, err := Do(n, AddShape{upright}, with)
	require.ErrorIs(t, err, ErrInvalid, "it is made in that one already")
	_, err = Do(n, AddShape{doc.Frame{W: 1280, H: 720}}, with)
	require.ErrorIs(t, err, ErrInvalid, "another size is no other shape")
	_, err = Do(n, InShape{doc.Frame{W: 640, H: 640}, Remove{}}, with)
	require.ErrorIs(t, err, ErrGone)
	n = must(t, n, inUpright(Shape{doc.Frame{W: 1080, H: 1350}}), with)
	assert.Equal(t, "4:5", n.Shapes[0].Frame.Ratio())
	n = must(t, n, DropShape{n.Shapes[0].Frame}, with)
	assert.Empty(t, n.Shapes)
}

// Whatever is edited in a shape is seen there exactly as the edit left it; and
// in the first shape nothing changes how things stand in the frame.
func TestWhatIsEditedInAShapeIsSeenThere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d, with := twoShapes(t)
		for range rapid.IntRange(1, 8).Draw(t, "edits") {
			in := seenIn(t, d, upright)
			op := byHand(t, in)
			there := rapid.Bool().Draw(t, "there")
			if !there {
				if n, err := Do(d, op, with); err == nil {
					d = n
				}
				continue
			}
			want, err := Do(in, op, with)
			got, errIn := Do(d, inUpright(op), with)
			require.Equal(t, err == nil, errIn == nil)
			if err != nil {
				continue
			}
			require.Equal(t, jsonOf(t, want), jsonOf(t, seenIn(t, got, upright)))
			for _, s := range got.Slides {
				if i := d.Index(s.ID); i >= 0 {
					require.Equal(t, d.Slides[i].Layout, s.Layout)
					require.Equal(t, d.Slides[i].Motion, s.Motion)
				}
			}
			for id, shot := range got.Shots {
				if d.Shots[id].Turn == shot.Turn {
					require.Equal(t, d.Shots[id].Focal, shot.Focal)
				}
			}
			d = got
		}
		b, err := d.Marshal()
		require.NoError(t, err)
		again, err := doc.Parse(b)
		require.NoError(t, err)
		require.Equal(t, jsonOf(t, d), jsonOf(t, again))
	})
}

func jsonOf(t require.TestingT, d doc.Slideshow) string {
	b, err := d.Marshal()
	require.NoError(t, err)
	return string(b)
}

// Edits about shapes are the film's, in whichever shape it is seen; all others are
// that shape's.
func TestEditsOfTheShapeThatIsSeen(t *testing.T) {
	square := doc.Frame{W: 1080, H: 1080}
	for _, op := range []Op{AddShape{square}, DropShape{square}, AsFirst{Frame: square}} {
		assert.Equal(t, op, In(upright, op))
	}
	assert.Equal(t, "Took off the caption of 0 slides, in 9:16", In(upright, Caption{}).Title())
	assert.Equal(t, Caption{}, In(doc.Frame{}, Caption{}), "the first")
}

// A pace leaves the limits of pictures as they are set.
func TestAPaceKeepsLimits(t *testing.T) {
	d, with := twoShapes(t)
	short, long := 2.0, 8.0
	d = must(t, must(t, d, Limits{&short, &long}, with), InManner{Manner: Lively}, with)
	assert.Equal(t, doc.Fit{
		Mode:        doc.AtPace,
		PaceSeconds: Paces[Lively].Every,
		Shortest:    2,
		Longest:     8,
	}, d.Fit)
}
