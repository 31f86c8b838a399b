package bench

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/demo/synth"
	"nelko/internal/media"
	"nelko/internal/render"
)

// The mix that is measured: three songs that cross for two seconds, five minutes
// together.
const (
	mixSongs   = 3
	mixCross   = 2.0   // seconds
	mixSeconds = 300.0 // of the whole
)

// Mix measures mixing five minutes of three songs with cross-fades, fades and a
// loudness, to raw samples: mix_s; ffmpeg_s is ffmpeg with the same joins and fades
// and its own loudness filter off, mix_to_ffmpeg their ratio.
func Mix(ctx context.Context, w io.Writer) error {
	dir, err := os.MkdirTemp("", "nelko-mix-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	each := (mixSeconds + (mixSongs-1)*mixCross) / mixSongs
	var files []string
	for k := range mixSongs {
		p := synth.Piece{
			BPM:     96 + 12*float64(k),
			Bars:    8,
			Root:    60,
			Mood:    synth.Mood(k),
			Seed:    uint64(k + 1),
			Chords:  []int{0, 4, 5, 3},
			Drums:   true,
			Arpeggi: true,
		}
		name := filepath.Join(dir, fmt.Sprintf("song%d.flac", k))
		once := synth.Render(p)
		var song []float32
		for float64(len(song))/2/synth.Rate < each {
			song = append(song, once...)
		}
		if err := writeFLAC(ctx, name, song); err != nil {
			return err
		}
		files = append(files, name)
	}
	began := time.Now()
	samples := timecode.Samples(each * timecode.SampleRate)
	cross := timecode.Samples(mixCross * timecode.SampleRate)
	t := sound.Track{
		FadeIn:  timecode.SampleRate,
		FadeOut: 3 * timecode.SampleRate,
		Total:   mixSeconds * timecode.SampleRate,
		LUFS:    -14,
	}
	var open []*media.Sound
	for k, f := range files {
		src, err := media.OpenSound(ctx, f, 0, true)
		if err != nil {
			return err
		}
		open = append(open, src)
		t.Music = append(t.Music, sound.Part{
			Source:   src,
			At:       timecode.Samples(k) * (samples - cross),
			Length:   samples,
			Gain:     1,
			FadeIn:   cross,
			FadeOut:  cross,
			InShape:  sound.Power,
			OutShape: sound.Power,
		})
	}
	err = render.MixTo(t, dir, io.Discard)
	for _, s := range open {
		s.Close()
	}
	if err != nil {
		return err
	}
	ours := time.Since(began).Seconds()

	began = time.Now()
	args := []string{"-v", "error", "-nostdin"}
	for _, f := range files {
		args = append(args, "-t", fmt.Sprint(each), "-i", f)
	}
	args = append(args, "-filter_complex",
		fmt.Sprintf("[0][1]acrossfade=d=%[1]g:c1=qsin:c2=qsin[a];[a][2]acrossfade=d=%[1]g:c1=qsin:c2=qsin,afade=t=in:d=1,afade=t=out:st=%[2]g:d=3", mixCross, mixSeconds-3),
		"-f", "f32le", "-ar", "48000", "-ac", "2", "-y", os.DevNull)
	if out, err := exec.CommandContext(ctx, "ffmpeg", args...).CombinedOutput(); err != nil {
		return fmt.Errorf("ffmpeg: %s: %w", out, err)
	}
	theirs := time.Since(began).Seconds()
	_, err = fmt.Fprintf(w, "mix_s=%.3f\nffmpeg_s=%.3f\nmix_to_ffmpeg=%.3f\n", ours, theirs, ours/theirs)
	return err
}

func writeFLAC(ctx context.Context, path string, samples []float32) error {
	c := exec.CommandContext(ctx, "ffmpeg", "-v", "error", "-f", "f32le", "-ar", fmt.Sprint(synth.Rate),
		"-ac", "2", "-i", "-", "-y", path)
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return err
	}
	err = errors.Join(binary.Write(in, binary.LittleEndian, samples), in.Close())
	return errors.Join(err, c.Wait())
}
