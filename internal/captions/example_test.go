package captions_test

import (
	"os"
	"strings"

	"nelko/internal/captions"
	"nelko/internal/core/timecode"
)

// Subtitles in SubRip's form are read, and written for browsers (W3C, WebVTT).
func ExampleRead() {
	cues, err := captions.Read(strings.NewReader("1\n00:00:01,000 --> 00:00:02,500\nThe race\n"),
		timecode.R30)
	if err != nil {
		panic(err)
	}
	if err := captions.WriteVTT(os.Stdout, cues, timecode.R30); err != nil {
		panic(err)
	}
	// Output:
	// WEBVTT
	//
	// 1
	// 00:00:01.000 --> 00:00:02.500
	// The race
}
