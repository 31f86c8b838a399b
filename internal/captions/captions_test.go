package captions_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/captions"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

var rate = timecode.Rate{Num: 30000, Den: 1001}

// What is written is read again the same, in both formats, at a rate whose
// frames are no whole milliseconds.
func TestReadWhatIsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var lines []plan.Cue
		at := timecode.Frames(0)
		for range rapid.IntRange(1, 20).Draw(t, "lines") {
			at += timecode.Frames(rapid.IntRange(0, 200).Draw(t, "gap"))
			l := plan.Cue{
				From: at,
				To:   at + timecode.Frames(rapid.IntRange(1, 300).Draw(t, "length")),
				Text: rapid.StringMatching(
					`[A-Za-zäßЖ中][A-Za-zäßЖ中 ,.!?'’0-9]{0,30}[a-z](\n[A-Za-z][a-z ]{0,20}[a-z])?`).
					Draw(t, "words"),
			}
			lines, at = append(lines, l), l.To
		}
		for ending, write := range captions.Formats {
			var b bytes.Buffer
			require.NoError(t, write(&b, lines, rate))
			got, err := captions.Read(&b, rate)
			require.NoError(t, err, ending)
			for i := range got {
				got[i].Text = strings.Join(strings.Fields(got[i].Text), " ")
			}
			for i := range lines {
				require.Equal(t, plan.Cue{
					From: lines[i].From,
					To:   lines[i].To,
					Text: strings.Join(strings.Fields(lines[i].Text), " "),
				}, got[i], ending)
			}
		}
	})
}

// The example of the WebVTT specification (W3C, "WebVTT: The Web Video Text
// Tracks Format", 1.1), with a note and a voice; from memory.
func TestReadWebVTT(t *testing.T) {
	got, err := captions.Read(strings.NewReader("WEBVTT\n\nNOTE a comment\n\n00:11.000 --> 00:13.000\n<v "+
		"Roger Bingham>We are in New York City\n\n00:13.000 --> 00:16.000 line:0 align:start\n<v Roger "+
		"Bingham>We’re actually at the Lucern Hotel, just down the street\n"), timecode.Rate{
		Num: 25,
		Den: 1,
	})
	require.NoError(t, err)
	assert.Equal(t, []plan.Cue{{
		From: 275,
		To:   325,
		Text: "We are in New York City",
	}, {From: 325, To: 400, Text: "We’re actually at the Lucern Hotel, just down the street"}}, got)
}

func TestReadSubRip(t *testing.T) {
	got, err := captions.Read(strings.NewReader("\xef\xbb\xbf2\r\n00:00:04,000 --> "+
		"00:00:05,500\r\nSecond\r\n\r\n1\r\n00:00:01,000 --> 00:00:03,000\r\n<i>First</i>\r\nof two lines\r\n"), timecode.Rate{
		Num: 30,
		Den: 1,
	})
	require.NoError(t, err)
	assert.Equal(t, []plan.Cue{{
		From: 30,
		To:   90,
		Text: "First\nof two lines",
	}, {
		From: 120,
		To:   165,
		Text: "Second",
	}}, got, "in the order of their times, with a byte order mark and carriage returns")
	for _, bad := range []string{"", "Dear studio", "WEBVTT\n\n", "1\n00:00:99,000 -> nothing\nx\n"} {
		_, err := captions.Read(strings.NewReader(bad), rate)
		assert.Error(t, err, "%q", bad)
	}
}

func FuzzRead(f *testing.F) {
	f.Add("WEBVTT\n\n00:01.000 --> 00:02.000\nx\n")
	f.Add("1\n00:00:01,000 --> 00:00:02,000\nx\n")
	f.Fuzz(func(t *testing.T, s string) {
		lines, err := captions.Read(strings.NewReader(s), rate)
		for _, l := range lines {
			if err != nil || l.To <= l.From || l.From < 0 || strings.TrimSpace(l.Text) == "" {
				t.Fatalf("%+v, %v", l, err)
			}
		}
	})
}

// SubRip is plain text: nothing in it is escaped, and nobody's words end it.
func TestSubRipIsPlain(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, captions.WriteSRT(&b, []plan.Cue{{
		From: 0,
		To:   30,
		Text: "Salt & Tar <1926>",
	}, {From: 30, To: 60, Text: "Left --> right\nagain"}}, timecode.Rate{Num: 30, Den: 1}))
	assert.Equal(t, "1\n00:00:00,000 --> 00:00:01,000\nSalt & Tar <1926>\n\n2\n00:00:01,000 --> "+
		"00:00:02,000\nLeft → right\nagain\n", b.String())
}
