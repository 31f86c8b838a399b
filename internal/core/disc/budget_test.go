package disc

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever is put on it, a disc is never over its capacity, and filled as far
// as the highest bit rate allows.
func TestBudgetNeverOver(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		films := rapid.SliceOfN(rapid.Float64Range(60, 240*60), 1, 40).Draw(t, "films")
		b := rapid.SampledFrom([]Blank{DVD5, DVD9}).Draw(t, "blank")
		m := Menu{Pages: rapid.IntRange(0, 7).Draw(t, "pages"), Seconds: 20, Kbps: 6000}
		p, err := Budget(b, films, DVD, m)
		if err != nil {
			var long *TooLong
			require.ErrorAs(t, err, &long)
			assert.Greater(t, Size(films, DVD.Least, DVD, m), int64(float64(b.Bytes())*0.99),
				"refused only what does not fit")
			assert.Greater(t, long.Over, 0.0)
			assert.GreaterOrEqual(t, long.Discs, 2)
			return
		}
		assert.LessOrEqual(t, p.Bytes, b.Bytes())
		assert.Equal(t, b.Bytes(), p.Bytes+p.Spare)
		if p.Kbps < DVD.Most {
			assert.Greater(t, float64(p.Bytes), 0.99*float64(b.Bytes()), "filled")
		}
	})
}

// What operators know by heart: an hour goes onto a small disc at the best
// quality, two hours at about 4.5 Mbit/s of picture (common practice, no
// source).
func TestKnownLengths(t *testing.T) {
	hour, err := Budget(DVD5, []float64{3600}, DVD, Menu{})
	require.NoError(t, err)
	assert.Equal(t, DVD.Most, hour.Kbps)
	two, err := Budget(DVD5, []float64{7200}, DVD, Menu{})
	require.NoError(t, err)
	assert.InDelta(t, 4850, two.Kbps, 250)
	_, err = Budget(DVD5, []float64{5 * 3600}, DVD, Menu{})
	assert.ErrorContains(t, err, "too long for one DVD 4.7 GB: 2 discs at ")
	assert.ErrorContains(t, err, ", or the DVD 8.5 GB at 3.")
}

func TestDivideKeepsOrderAndLosesNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		films := rapid.SliceOfN(rapid.Float64Range(60, 7200), 1, 30).Draw(t, "films")
		parts, err := Divide(DVD5, films, DVD, Menu{Pages: 1, Seconds: 20, Kbps: 6000})
		require.NoError(t, err)
		next := 0
		for _, p := range parts {
			var lengths []float64
			for _, i := range p {
				assert.Equal(t, next, i)
				next++
				lengths = append(lengths, films[i])
			}
			_, err := Budget(DVD5, lengths, DVD, Menu{Pages: 1, Seconds: 20, Kbps: 6000})
			assert.NoError(t, err)
		}
		assert.Equal(t, len(films), next)
	})
	_, err := Divide(DVD5, []float64{9 * 3600}, DVD, Menu{})
	assert.Error(t, err)
}

// Sizes that were counted by hand from the figures above them: 600 s at 4,000 + 192 + 8 kbit/s
// are 315,000,000 bytes, in sectors of 2,048 with 2,019 of payload 319,524,517; 1,200 sectors of
// navigation 2,457,600; the film's 48 KiB, ten minutes' 30 KiB of tables, and 512 KiB of the disc.
// A menu's page of 30 s at 6,000 kbit/s, counted likewise, is 22,996,748.
func TestSizesAreCountedWholly(t *testing.T) {
	assert.EqualValues(t, 322_586_624, Size([]float64{600}, 4000, DVD, Menu{}))
	assert.EqualValues(t, 368_580_608, Size([]float64{600}, 4000, DVD, Menu{Pages: 2, Seconds: 30,
		Kbps: 6000}))
	assert.EqualValues(t, 1_829_732_352, Size([]float64{600}, 20000, HD, Menu{}))
	assert.EqualValues(t, 524_288, Size(nil, 4000, DVD, Menu{}), "a disc without films")
}
