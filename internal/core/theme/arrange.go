package theme

import (
	"math"

	"nelko/internal/core/framing"
)

// Arrangement is a way to lay pictures out that holds in every frame shape.
type Arrangement string

// The arrangements. Full is one picture over the whole frame. Single is one
// picture within a margin. Grid is rows and columns, as many of each as cut
// least off the pictures. Lead is one large picture with the others beside or
// below it. Strip is columns (rows in upright frames) from edge to edge.
// Stagger overlaps two or three from one corner to the other. Scatter lays
// leaning prints over each other around the middle.
const (
	Full    Arrangement = "full"
	Single  Arrangement = "single"
	Grid    Arrangement = "grid"
	Lead    Arrangement = "lead"
	Strip   Arrangement = "strip"
	Stagger Arrangement = "stagger"
	Scatter Arrangement = "scatter"
)

// Known reports whether a is an arrangement.
func (a Arrangement) Known() bool {
	switch a {
	case Full, Single, Grid, Lead, Strip, Stagger, Scatter:
		return true
	}
	return false
}

// Places lays n pictures of about the given aspect out in a frame. margin and
// gap are shares of the frame's shorter side, tilt is in degrees. The first
// place is the most prominent or comes first in reading order.
func (a Arrangement) Places(n int, frame, margin, gap, tilt, picture float64) []Place {
	// The work is done in units of the shorter side.
	w, h := math.Max(1, frame), math.Max(1, 1/frame)
	inner := framing.Rect{X: margin, Y: margin, W: w - 2*margin, H: h - 2*margin}
	var rects []framing.Rect
	switch a {
	case Full:
		rects = []framing.Rect{{W: w, H: h}}
		for len(rects) < n {
			rects = append(rects, rects[0])
		}
	case Lead:
		rects = lead(inner, n, gap)
	case Strip:
		rects = strip(inner, n, gap)
	case Stagger:
		rects = stagger(inner, n, picture)
	case Scatter:
		rects = scattered(inner, n, picture)
	default:
		rects = grid(inner, n, gap, picture)
	}
	out := make([]Place, len(rects))
	for i, r := range rects {
		lean := tilt * []float64{-1, 0.8, -0.55, 1.1, -0.85, 0.6}[i%6]
		out[i] = Place{Rect: framing.Rect{X: r.X / w, Y: r.Y / h, W: r.W / w, H: r.H / h}, Tilt: lean}
	}
	return out
}

// grid chooses the number of rows that cuts least off the pictures; a last
// row that is not full is centred.
func grid(in framing.Rect, n int, gap, picture float64) []framing.Rect {
	best, loss := 1, math.Inf(1)
	for rows := 1; rows <= n; rows++ {
		cols := (n + rows - 1) / rows
		cw, ch := (in.W-gap*float64(cols-1))/float64(cols), (in.H-gap*float64(rows-1))/float64(rows)
		if cw <= 0 || ch <= 0 || cols*(rows-1) >= n {
			continue
		}
		l := framing.Loss(picture, cw/ch) + 0.15*float64(cols*rows-n)
		if l < loss {
			best, loss = rows, l
		}
	}
	cols := (n + best - 1) / best
	cw, ch := (in.W-gap*float64(cols-1))/float64(cols), (in.H-gap*float64(best-1))/float64(best)
	var out []framing.Rect
	for i := range n {
		row, col := i/cols, i%cols
		inRow := min(cols, n-row*cols)
		left := in.X + (in.W-cw*float64(inRow)-gap*float64(inRow-1))/2
		out = append(out, framing.Rect{
			X: left + float64(col)*(cw+gap),
			Y: in.Y + float64(row)*(ch+gap),
			W: cw,
			H: ch,
		})
	}
	return out
}

func lead(in framing.Rect, n int, gap float64) []framing.Rect {
	if n == 1 {
		return []framing.Rect{in}
	}
	share := 0.64
	if n > 4 {
		share = 0.58
	}
	if in.W >= in.H {
		big := framing.Rect{X: in.X, Y: in.Y, W: (in.W - gap) * share, H: in.H}
		rest := framing.Rect{X: in.X + big.W + gap, Y: in.Y, W: in.W - big.W - gap, H: in.H}
		return append([]framing.Rect{big}, beside(rest, n-1, gap, true)...)
	}
	big := framing.Rect{X: in.X, Y: in.Y, W: in.W, H: (in.H - gap) * share}
	rest := framing.Rect{X: in.X, Y: in.Y + big.H + gap, W: in.W, H: in.H - big.H - gap}
	return append([]framing.Rect{big}, beside(rest, n-1, gap, false)...)
}

// beside fills what the large picture leaves, in two files from four on.
func beside(r framing.Rect, n int, gap float64, down bool) []framing.Rect {
	files := 1
	if n > 3 {
		files = 2
	}
	per := (n + files - 1) / files
	var out []framing.Rect
	for i := range n {
		file, k := i/per, i%per
		inFile := float64(min(per, n-file*per))
		if down {
			w, h := (r.W-gap*float64(files-1))/float64(files), (r.H-gap*(inFile-1))/inFile
			out = append(out, framing.Rect{
				X: r.X + float64(file)*(w+gap),
				Y: r.Y + float64(k)*(h+gap),
				W: w,
				H: h,
			})
		} else {
			w, h := (r.W-gap*(inFile-1))/inFile, (r.H-gap*float64(files-1))/float64(files)
			out = append(out, framing.Rect{
				X: r.X + float64(k)*(w+gap),
				Y: r.Y + float64(file)*(h+gap),
				W: w,
				H: h,
			})
		}
	}
	return out
}

func strip(in framing.Rect, n int, gap float64) []framing.Rect {
	var out []framing.Rect
	for i := range n {
		if in.W >= in.H {
			w := (in.W - gap*float64(n-1)) / float64(n)
			out = append(out, framing.Rect{X: in.X + float64(i)*(w+gap), Y: in.Y, W: w, H: in.H})
		} else {
			h := (in.H - gap*float64(n-1)) / float64(n)
			out = append(out, framing.Rect{X: in.X, Y: in.Y + float64(i)*(h+gap), W: in.W, H: h})
		}
	}
	return out
}

// around puts a place of the pictures' aspect and the given area share
// around a point given in fractions of in, and keeps it inside.
func around(in framing.Rect, x, y, size, picture float64) framing.Rect {
	w := in.W * size
	h := w / picture
	if h > in.H*size*1.1 {
		h = in.H * size * 1.1
		w = h * picture
	}
	cx, cy := in.X+in.W*x, in.Y+in.H*y
	return framing.Rect{
		X: math.Max(in.X, math.Min(cx-w/2, in.X+in.W-w)),
		Y: math.Max(in.Y, math.Min(cy-h/2, in.Y+in.H-h)),
		W: w,
		H: h,
	}
}

func stagger(in framing.Rect, n int, picture float64) []framing.Rect {
	if n == 1 {
		return []framing.Rect{around(in, 0.5, 0.5, 0.86, picture)}
	}
	size := []float64{0, 0, 0.62, 0.52, 0.46, 0.42, 0.4}[min(n, 6)]
	wide := in.W > in.H*1.15
	var out []framing.Rect
	for i := range n {
		t := float64(i) / float64(n-1)
		x, y := t, t
		if n > 2 && wide {
			y = []float64{0.1, 0.9, 0.3, 0.8, 0.2, 0.7}[i%6]
		}
		if !wide {
			x = []float64{0.1, 0.9, 0.15, 0.85, 0.2, 0.8}[i%6]
		}
		s := size
		if !wide {
			s = math.Min(0.86, size*1.35)
		}
		out = append(out, around(in, x, y, s, picture))
	}
	return out
}

func scattered(in framing.Rect, n int, picture float64) []framing.Rect {
	points := [][][2]float64{
		{{0.5, 0.5}}, {{0.3, 0.42}, {0.7, 0.58}}, {{0.26, 0.36}, {0.72, 0.4}, {0.5, 0.72}},
		{{0.26, 0.3}, {0.74, 0.34}, {0.3, 0.72}, {0.72, 0.7}}, {{0.2, 0.32}, {0.52, 0.26}, {0.8, 0.38},
			{0.34, 0.72}, {0.68, 0.74}},
		{{0.2, 0.28}, {0.52, 0.26}, {0.82, 0.34}, {0.22, 0.74}, {0.5, 0.72}, {0.8, 0.74}},
	}[min(n, 6)-1]
	size := []float64{0.84, 0.56, 0.5, 0.46, 0.4, 0.36}[min(n, 6)-1]
	if in.W < in.H*1.15 {
		size = []float64{0.92, 0.8, 0.64, 0.56, 0.52, 0.48}[min(n, 6)-1]
	}
	var out []framing.Rect
	for _, p := range points {
		x, y := p[0], p[1]
		if in.W < in.H {
			x, y = y, x
		}
		out = append(out, around(in, x, y, size, picture))
	}
	return out
}
