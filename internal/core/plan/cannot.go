package plan

import (
	"errors"
	"fmt"

	"nelko/internal/core/fit"
	"nelko/internal/core/timecode"
)

// CannotFit says why the slides could not be fitted, in time with frames beside
// it; nothing where they could.
func (p Plan) CannotFit() string {
	var e *fit.Error
	if !errors.As(p.FitError, &e) {
		if p.FitError == nil {
			return ""
		}
		return p.FitError.Error()
	}
	said := func(f timecode.Frames) string {
		return fmt.Sprintf("%s (%d frames)", timecode.Clock(p.Rate.Seconds(f)), f)
	}
	switch {
	case e.Free == 0 && e.Reach == 0:
		return "there are no slides to fit"
	case e.Free == 0:
		return fmt.Sprintf("every slide has a set length: together they last %s, the music %s; unpin a slide",
			said(e.Reach), said(e.Target))
	case e.Reach < e.Target:
		return fmt.Sprintf("the pictures last at most %s, the music %s: %s too much", said(e.Reach),
			said(e.Target), said(e.Target-e.Reach))
	}
	return fmt.Sprintf("the pictures need at least %s, the music has %s: %s too little", said(e.Reach),
		said(e.Target), said(e.Reach-e.Target))
}

// offBy says in few words by how much the slides cannot be fitted.
func (p Plan) offBy() string {
	var e *fit.Error
	if !errors.As(p.FitError, &e) || e.Free == 0 {
		return p.CannotFit()
	}
	off := p.Rate.Seconds(max(e.Reach-e.Target, e.Target-e.Reach))
	if e.Reach < e.Target {
		return fmt.Sprintf("the music is %s too long for the pictures", timecode.Clock(off))
	}
	return fmt.Sprintf("the music is %s too short for the pictures", timecode.Clock(off))
}
