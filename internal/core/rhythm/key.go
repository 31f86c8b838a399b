package rhythm

import "math"

// How well each note from the tonic up fits major and minor, as listeners judge it
// (C. L. Krumhansl and E. J. Kessler, "Tracing the dynamic changes in perceived tonal
// organization in a spatial representation of musical keys", Psychological Review 89,
// 1982; the numbers from memory).
var keyProfiles = map[string][12]float64{
	"major": {6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88},
	"minor": {6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17},
}

// noteNames are the notes from A up, as pitch classes are counted here.
var noteNames = [12]string{"A", "B flat", "B", "C", "C sharp", "D", "E flat", "E", "F", "F sharp", "G",
	"A flat"}

// sureKey is the correlation from which a key is named, and by how much it must be
// ahead of the next.
const (
	sureKey  = 0.6
	aheadKey = 0.005
)

// fifthHeard is how much of a note is heard at its fifth as well, by the songs at hand.
const fifthHeard = 0.2

// key names the key of what was heard, as "E flat minor"; nothing where none stands out.
func (l *Listener) key() string {
	var notes [12]float64
	for _, c := range l.pitch {
		loudest := float32(0)
		for _, v := range c {
			loudest = max(loudest, v)
		}
		if loudest == 0 {
			continue
		}
		for k, v := range c {
			notes[k] += float64(v / loudest) // every moment counts as much
		}
	}
	// A note's third harmonic sounds as its fifth, which is taken off.
	for k, heard := 0, notes; k < 12; k++ {
		notes[(k+7)%12] -= fifthHeard * heard[k]
	}
	best, second, name := math.Inf(-1), math.Inf(-1), ""
	for tonic := range 12 {
		for _, mode := range []string{"major", "minor"} {
			var turned [12]float64
			for k, v := range keyProfiles[mode] {
				turned[(tonic+k)%12] = v
			}
			switch r := correlation(notes, turned); {
			case r > best:
				best, second, name = r, best, noteNames[tonic]+" "+mode
			case r > second:
				second = r
			}
		}
	}
	if best < sureKey || best-second < aheadKey {
		return ""
	}
	return name
}

// correlation is Pearson's.
func correlation(a, b [12]float64) float64 {
	ma, mb := 0.0, 0.0
	for k := range a {
		ma, mb = ma+a[k]/12, mb+b[k]/12
	}
	ab, aa, bb := 0.0, 0.0, 0.0
	for k := range a {
		x, y := a[k]-ma, b[k]-mb
		ab, aa, bb = ab+x*y, aa+x*x, bb+y*y
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}
