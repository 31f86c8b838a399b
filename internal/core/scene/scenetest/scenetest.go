// Package scenetest sets words without fonts, for tests of scenes.
package scenetest

import (
	"strings"

	"nelko/internal/core/framing"
	"nelko/internal/core/scene"
)

// Mono sets every letter half as wide as it is high, and breaks lines between
// words.
type Mono struct{}

var _ scene.Typesetter = Mono{}

// Set implements scene.Typesetter.
func (Mono) Set(t scene.Type) (scene.Setting, error) {
	var s scene.Setting
	em, high := t.Size/2, t.Size*1.2
	x, y := 0.0, 0.0
	for i, line := range strings.Split(t.Words, "\n") {
		if i > 0 {
			x, y = 0, y+high
		}
		for _, word := range strings.Fields(line) {
			w := em * float64(len([]rune(word)))
			if x > 0 && x+em+w > float64(t.Width) {
				x, y = 0, y+high
			} else if x > 0 {
				x += em
			}
			s.Words = append(s.Words, framing.Rect{X: x, Y: y, W: w, H: high})
			for k := range len([]rune(word)) {
				s.Letters = append(s.Letters, framing.Rect{X: x + em*float64(k), Y: y, W: em, H: high})
			}
			x += w
			s.W = max(s.W, x)
		}
	}
	s.H = y + high
	s.Lines = int(s.H/high + 0.5)
	return s, nil
}
