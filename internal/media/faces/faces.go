// Package faces finds faces in pictures, so that no framing cuts a head.
package faces

import (
	_ "embed" // for the cascade
	"sync"

	pigo "github.com/esimov/pigo/core"

	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
)

//go:embed facefinder
var cascade []byte

var classifier = sync.OnceValues(func() (*pigo.Pigo, error) { return pigo.NewPigo().Unpack(cascade) })

// Side is the longer side, in pixels, that pictures should have: faces of a
// twentieth of it are still found.
const Side = 640

// sure is the detector's score above which a find counts. Lower ones are
// often leaves and patterns (tried on drawn and made-up pictures).
const sure = 9

// Find lists faces in an upright picture, in fractions of it.
func Find(p raster.Pixels) ([]framing.Rect, error) {
	c, err := classifier()
	if err != nil {
		return nil, err
	}
	grey := make([]uint8, p.W*p.H)
	for i := range grey {
		px := p.Pix[i*p.Channels:]
		grey[i] = uint8((uint32(px[0])*299 + uint32(px[1])*587 + uint32(px[2])*114) / 1000)
	}
	most := min(p.W, p.H)
	if most < 24 {
		return nil, nil
	}
	found := c.ClusterDetections(c.RunCascade(pigo.CascadeParams{
		MinSize: max(20, max(p.W, p.H)/22), MaxSize: most, ShiftFactor: 0.1, ScaleFactor: 1.1,
		ImageParams: pigo.ImageParams{Pixels: grey, Rows: p.H, Cols: p.W, Dim: p.W},
	}, 0), 0.2)
	var out []framing.Rect
	for _, d := range found {
		if d.Q < sure {
			continue
		}
		s := float64(d.Scale)
		out = append(out, framing.Rect{
			X: (float64(d.Col) - s/2) / float64(p.W),
			Y: (float64(d.Row) - s/2) / float64(p.H),
			W: s / float64(p.W),
			H: s / float64(p.H),
		})
	}
	return out, nil
}
