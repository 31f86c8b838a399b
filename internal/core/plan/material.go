package plan

import (
	"nelko/internal/core/cast"
	"nelko/internal/core/doc"
)

// Fact is what is known of a medium in a film.
type Fact struct {
	Slides []int // positions of the slides that show it
	Plays  bool  // songs: it is in the soundtrack
	Group  int   // of look-alikes, from 1; 0: it is like no other
	Like   int   // how many are in its group
}

// Used reports whether the film shows or plays the medium.
func (f Fact) Used() bool { return f.Plays || len(f.Slides) > 0 }

// Material tells of each of the media, in their order, where the film has it
// and which others look like it. What looks like a look-alike is in its group.
func Material(d doc.Slideshow, media []doc.Media) []Fact {
	out := make([]Fact, len(media))
	at := map[doc.MediaID]int{}
	for i, m := range media {
		at[m.ID] = i
		out[i].Plays = m.Kind == doc.SongMedia && d.Soundtrack.Plays(m.ID)
	}
	for n, s := range d.Slides {
		for _, id := range s.Media {
			if i, ok := at[id]; ok {
				out[i].Slides = append(out[i].Slides, n)
			}
		}
	}
	// Groups, each known by its first.
	first := make([]int, len(media))
	for i := range first {
		first[i] = i
	}
	root := func(i int) int {
		for first[i] != i {
			i = first[i]
		}
		return i
	}
	for i := range media {
		for j := range i {
			if a, b := root(i), root(j); a != b && cast.Alike(media[i], media[j]) {
				first[max(a, b)] = min(a, b)
			}
		}
	}
	size := map[int]int{}
	for i := range media {
		size[root(i)]++
	}
	number := map[int]int{}
	for i := range media {
		r := root(i)
		if size[r] < 2 {
			continue
		}
		if number[r] == 0 {
			number[r] = len(number) + 1
		}
		out[i].Group, out[i].Like = number[r], size[r]
	}
	return out
}
