package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"

	"nelko/internal/core/doc"
	"nelko/internal/core/rhythm"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
)

type songCmd struct {
	File string `arg:"" type:"existingfile" help:"Song to listen to."`
	JSON bool   `name:"json" help:"Print what was heard as JSON."`
}

// songFacts is what nelko song --json prints. Times are in seconds.
type songFacts struct {
	Seconds    float64          `json:"seconds"`
	LUFS       float64          `json:"lufs"`
	RangeLU    float64          `json:"range_lu"`
	TruePeak   float64          `json:"true_peak_dbtp"`
	BPM        float64          `json:"bpm"`
	Key        string           `json:"key"` // empty where none stands out
	Beats      []float64        `json:"beats"`
	Strengths  []float64        `json:"beat_strengths"`
	Downbeats  []float64        `json:"downbeats"`
	Sections   []rhythm.Section `json:"sections"`
	LeadSecond float64          `json:"lead_seconds"`
	TailSecond float64          `json:"tail_seconds"`
}

// Run implements the subcommand.
func (c *songCmd) Run(ctx context.Context) error {
	if err := media.Startup(); err != nil {
		return err
	}
	m, _, err := media.Probe(ctx, c.File, c.File)
	if err != nil {
		return err
	}
	if m.Kind != doc.SongMedia || m.Heard == nil {
		return fmt.Errorf("%s is a %s, not a song", c.File, m.Kind)
	}
	f := songFacts{
		Seconds:    float64(m.Length) / timecode.SampleRate,
		LUFS:       m.LUFS,
		RangeLU:    m.Heard.RangeLU,
		TruePeak:   m.PeakDB,
		BPM:        m.Heard.Rhythm.BPM,
		Key:        m.Heard.Rhythm.Key,
		Beats:      []float64{},
		Strengths:  []float64{},
		Downbeats:  []float64{},
		Sections:   m.Heard.Rhythm.Sections,
		LeadSecond: m.Heard.Lead,
		TailSecond: m.Heard.Tail,
	}
	for _, b := range m.Heard.Rhythm.Beats {
		f.Beats, f.Strengths = append(f.Beats, b.At), append(f.Strengths, b.Strength)
		if b.Down {
			f.Downbeats = append(f.Downbeats, b.At)
		}
	}
	if c.JSON {
		enc := json.NewEncoder(os.Stdout)
		enc.SetIndent("", "  ")
		return enc.Encode(f)
	}
	fmt.Printf("%s, %.1f LUFS, range %.1f LU, true peak %.1f dBTP\n", timecode.Clock(f.Seconds), f.LUFS,
		f.RangeLU, f.TruePeak)
	if f.BPM == 0 {
		fmt.Println("no beat that could be followed")
	} else {
		fmt.Printf("%.1f beats a minute: %d beats, %d bars, %d sections\n", math.Round(f.BPM*10)/10,
			len(f.Beats), len(f.Downbeats), len(f.Sections))
	}
	if f.Key != "" {
		fmt.Println("in", f.Key)
	}
	fmt.Printf("silent for %.2f s at the beginning and %.2f s at the end\n", f.LeadSecond, f.TailSecond)
	return nil
}
