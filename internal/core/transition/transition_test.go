package transition

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

// sides are two frames that differ everywhere.
func sides(w, h int) (a, b *raster.Frame) {
	a, b = raster.NewFrame(w, h), raster.NewFrame(w, h)
	for i := range a.Y {
		a.Y[i], b.Y[i] = byte(20+(i*7)%90), byte(130+(i*5)%90)
	}
	for i := range a.U {
		a.U[i], a.V[i], b.U[i], b.V[i] = byte(60+i%40), byte(150+i%30), byte(160+i%40), byte(70+i%30)
	}
	return a, b
}

func clone(f *raster.Frame) *raster.Frame {
	c := raster.NewFrame(f.W, f.H)
	c.Copy(f)
	return c
}

func kinds() (out []Kind) {
	for _, f := range Families {
		out = append(out, f.Kinds...)
	}
	return out
}

// every draws each kind in each of its directions and some frame shapes.
func every(t *testing.T, check func(t *testing.T, tr Transition, w, h int)) {
	for _, k := range kinds() {
		dirs := []Direction{""}
		if k.Directed() {
			dirs = Turns
		}
		for _, d := range dirs {
			for _, size := range [][2]int{{96, 54}, {54, 96}, {60, 60}} {
				tr := Transition{Kind: k, Seconds: 1, Direction: d}
				t.Run(fmt.Sprintf("%s %s %d×%d", k, d, size[0], size[1]), func(t *testing.T) {
					check(t, tr, size[0], size[1])
				})
			}
		}
	}
}

func TestThereAreEnoughAndAllAreValid(t *testing.T) {
	assert.GreaterOrEqual(t, len(kinds()), 18)
	for _, k := range kinds() {
		assert.NoError(t, Transition{Kind: k, Seconds: 1}.Validate())
	}
	for _, bad := range []Transition{{Kind: "melt"}, {
		Kind:    "wipe",
		Seconds: 11,
	}, {Kind: "wipe", Direction: "north"}, {Kind: "wipe", Soft: 2}, {Kind: "wipe", Ease: "jumpy"}} {
		assert.Error(t, bad.Validate(), "%+v", bad)
	}
}

// The first frame of a join is the first slide, the last the second, byte for
// byte, whatever the transition.
func TestEndsArePure(t *testing.T) {
	every(t, func(t *testing.T, tr Transition, w, h int) {
		a, b := sides(w, h)
		dst := raster.NewFrame(w, h)
		tr.Draw(dst, clone(a), clone(b), tr.Share(0, 24), raster.BT709)
		assert.Equal(t, a, dst)
		tr.Draw(dst, clone(a), clone(b), tr.Share(23, 24), raster.BT709)
		assert.Equal(t, b, dst)
	})
}

// Half-way both slides show (but in a cut), or neither where the way leads
// through a colour; drawn into the first slide's own frame it is the same.
func TestHalfWay(t *testing.T) {
	every(t, func(t *testing.T, tr Transition, w, h int) {
		a, b := sides(w, h)
		dst, in := raster.NewFrame(w, h), clone(a)
		tr.Draw(dst, clone(a), clone(b), 0.45, raster.BT709)
		tr.Draw(in, in, clone(b), 0.45, raster.BT709)
		assert.Equal(t, dst, in)
		if tr.Kind == "cut" {
			return
		}
		assert.NotEqual(t, a.Y, dst.Y)
		assert.NotEqual(t, b.Y, dst.Y)
	})
}

// Transitions never jump: between neighbouring frames of a one-second join no
// more of the picture changes than a sixth of the whole difference, on
// average over the frame.
func TestNothingJumps(t *testing.T) {
	every(t, func(t *testing.T, tr Transition, w, h int) {
		if tr.Kind == "cut" {
			return
		}
		a, b := sides(w, h)
		for i := range a.Y {
			a.Y[i], b.Y[i] = 50, 180
		}
		last := clone(a)
		const frames = 30
		for n := 1; n < frames; n++ {
			dst := raster.NewFrame(w, h)
			tr.Draw(dst, clone(a), clone(b), tr.Share(int64(n), frames), raster.BT709)
			sum := 0
			for i := range dst.Y {
				d := int(dst.Y[i]) - int(last.Y[i])
				sum += max(d, -d)
			}
			assert.Less(t, float64(sum)/float64(len(dst.Y)), 130.0/4.5, "frame %d", n)
			last = dst
		}
	})
}

func TestShareAndTurns(t *testing.T) {
	tr := Transition{Kind: "dissolve"}
	assert.Equal(t, 0.0, tr.Share(0, 24))
	assert.Equal(t, 1.0, tr.Share(23, 24))
	assert.Equal(t, 0.5, tr.Share(12, 25))
	assert.Equal(t, 0.5, tr.Share(0, 1))
	tr.Ease = framing.CSSEaseInOut
	assert.Less(t, tr.Share(3, 25), 3.0/24)
	assert.Equal(t, Up, Transition{Kind: "wipe"}.Turned(1).Direction)
	assert.Equal(t, Down, Transition{Kind: "wipe", Direction: Down}.Turned(1).Direction)
	assert.Empty(t, Transition{Kind: "iris"}.Turned(1).Direction)
}

// A dissolve is the mean of both half-way: Porter and Duff's dissolve and
// plus operators (SIGGRAPH 1984).
func TestDissolveIsTheMean(t *testing.T) {
	a, b := sides(16, 16)
	dst := raster.NewFrame(16, 16)
	Transition{Kind: "dissolve"}.Draw(dst, a, b, 0.5, raster.BT709)
	for i := range dst.Y {
		require.InDelta(t, (float64(a.Y[i])+float64(b.Y[i]))/2, float64(dst.Y[i]), 0.51)
	}
}
