package timecode_test

import (
	"fmt"

	"nelko/internal/core/timecode"
)

// Drop-frame timecode keeps to the clock: at 29.97 frames a second two numbers are left out each
// minute, but not each tenth (SMPTE ST 12-1, from memory), so ten minutes of it are ten minutes.
func ExampleRate_Timecode() {
	ntsc, _ := timecode.ParseRate("29.97")
	for _, n := range []timecode.Frames{1799, 1800, 17982} {
		fmt.Println(ntsc.Timecode(n), ntsc.SampleAt(n))
	}
	l, err := timecode.ParseLength("1:02,5", timecode.R25)
	fmt.Println(l.In(timecode.R25), timecode.Clock(l.Seconds), err)
	// Output:
	// 0:00:59;29 2881278
	// 0:01:00;02 2882880
	// 0:10:00;00 28799971
	// 62.5 1:02.5 <nil>
}
