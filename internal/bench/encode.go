package bench

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"

	"nelko/internal/core/profile"
	"nelko/internal/core/scene"
	"nelko/internal/render"
)

// EncodeThemes are the themes of the films encoders are compared on: soft
// copies behind photos, paper with prints, and night with drifts.
var EncodeThemes = []string{"tideline", "paperboat", "firstsnow"}

// crfSteps are the constant rate factors a curve is measured at, relative to
// the profile's.
var crfSteps = []int{-3, 0, 3}

// point is one encoding of a film: processor seconds, bytes, and likeness to
// the frames as −10·log10(1 − SSIM), in dB.
type point struct{ cpu, bytes, db float64 }

// Encode compares the usual profile's encoder settings with x264's preset
// veryfast: processor time at equal likeness (SSIM) and at equal size, the
// larger of both, each interpolated over three constant rate factors. Films are
// of different themes, with clips among their photos. The whole render is
// compared with veryfast of the same frames at the same likeness.
func Encode(ctx context.Context, out io.Writer, o Options) error {
	ours, usual := profile.Film.Video, veryfast()
	var share, size, whole float64
	dir, s, err := begin(ctx, o)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	for _, id := range EncodeThemes {
		if err := s.in(id); err != nil {
			return err
		}
		c, err := s.compareEncoders(ctx, dir, usual, ours)
		if err != nil {
			return fmt.Errorf("%s: %w", id, err)
		}
		n := float64(len(EncodeThemes))
		share, size, whole = share+max(c.atLikeness, c.atSize)/n, size+c.size/n, whole+c.whole/n
		_, err = fmt.Fprintf(out,
			"%[1]s_frames=%[2]d\n%[1]s_cpu_at_equal_ssim=%.3[3]f\n%[1]s_cpu_at_equal_size=%.3[4]f\n%[1]s_size_at_equal_ssim=%.3[5]f\n%[1]s_ssim_db=%.2[6]f\n%[1]s_render_to_veryfast=%.3[7]f\n",
			id, c.frames, c.atLikeness, c.atSize, c.size, c.db, c.whole)
		if err != nil {
			return err
		}
	}
	_, err = fmt.Fprintf(out, "encode_share=%.3f\nencode_size_share=%.3f\nrender_to_veryfast=%.3f\n", share,
		size, whole)
	return err
}

// veryfastCRF is the quality that veryfast was shipped with.
const veryfastCRF = 20

// veryfast are x264's settings of that preset, as films were encoded with.
func veryfast() profile.Video {
	v := profile.Film.Video
	v.Preset, v.CRF, v.Tuning = "veryfast", veryfastCRF, ""
	return v
}

// compared is what one film says of two encoder settings, ours by the usual's.
type compared struct {
	frames                   int
	atLikeness, atSize, size float64
	whole                    float64 // the whole render by the usual's encoding alone
	db                       float64 // likeness of what the profile makes
}

func (s *show) compareEncoders(ctx context.Context, dir string, usual, ours profile.Video) (c compared,
	err error) {
	f, err := s.lay(profile.Film)
	if err != nil {
		return c, err
	}
	r, err := s.ready(ctx, f, dir)
	if err != nil {
		return c, err
	}
	a, err := r.curve(ctx, usual)
	if err != nil {
		return c, err
	}
	b, err := r.curve(ctx, ours)
	if err != nil {
		return c, err
	}
	mid := a[len(a)/2]
	same, err := at(b, point.likeness, mid.db)
	if err != nil {
		return c, err
	}
	small, err := at(b, point.size, math.Log(mid.bytes))
	if err != nil {
		return c, err
	}
	took, err := s.film(ctx, f, nil, filepath.Join(dir, "film.mp4"))
	if err != nil {
		return c, err
	}
	perFrame := took.cpu / float64(f.Frames())
	like, err := at(a, point.likeness, b[len(b)/2].db)
	if err != nil {
		return c, err
	}
	return compared{
		frames:     len(r.frames),
		atLikeness: same.cpu / mid.cpu,
		atSize:     small.cpu / mid.cpu,
		size:       same.bytes / mid.bytes,
		whole:      perFrame / (like.cpu / float64(len(r.frames))),
		db:         b[len(b)/2].db,
	}, nil
}

func (p point) likeness() float64 { return p.db }
func (p point) size() float64     { return math.Log(p.bytes) }

// at interpolates between the two measured points that lie nearest around a
// value, and goes on in a straight line beyond them, half a step at most.
func at(curve []point, by func(point) float64, want float64) (point, error) {
	for i := 1; i < len(curve); i++ {
		a, b := curve[i-1], curve[i]
		k := (want - by(a)) / (by(b) - by(a))
		if k < -0.5 && i == 1 || k > 1.5 && i == len(curve)-1 {
			return point{}, fmt.Errorf(
				"the measured qualities lie too far from the compared one (%.2f of a step)", k)
		}
		if k <= 1 || i == len(curve)-1 {
			return point{a.cpu + k*(b.cpu-a.cpu), math.Exp(math.Log(a.bytes) + k*math.Log(b.bytes/a.bytes)),
				a.db + k*(b.db-a.db)}, nil
		}
	}
	return point{}, errors.New("a curve needs two points")
}

// curve encodes the frames at three qualities.
func (r ready) curve(ctx context.Context, v profile.Video) (out []point, err error) {
	for _, step := range crfSteps {
		w := v
		w.CRF += step
		p, err := r.encode(ctx, w)
		if err != nil {
			return nil, err
		}
		if p.db, err = r.likeness(ctx); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

func (r ready) encoded() string { return filepath.Join(r.dir, "encoded.mp4") }

// encode encodes the frames with one thread, as each of a render's encoders
// does.
func (r ready) encode(ctx context.Context, v profile.Video) (p point, err error) {
	t, err := r.through(ctx, v, 1, r.encoded())
	if err != nil {
		return p, err
	}
	st, err := os.Stat(r.encoded())
	if err != nil {
		return p, err
	}
	return point{cpu: t.cpu, bytes: float64(st.Size())}, nil
}

// likeness compares what was encoded with the frames.
func (r ready) likeness(ctx context.Context) (float64, error) {
	sc := r.film.Scene
	cmd := exec.CommandContext(ctx, "ffmpeg", "-v", "info", "-nostdin", "-i", r.encoded(),
		"-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", size(sc), "-r", sc.Rate.Fraction(), "-i", r.name(),
		"-lavfi", "[0:v]settb=1/1000000,setpts=N*1000[a];[1:v]settb=1/1000000,setpts=N*1000[b];[a][b]ssim",
		"-f", "null", "-")
	said, err := cmd.CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("comparing: %w", err)
	}
	_, rest, _ := strings.Cut(string(said), " All:")
	v, _, _ := strings.Cut(rest, " ")
	ssim, err := strconv.ParseFloat(v, 64)
	if err != nil || ssim >= 1 {
		return 0, fmt.Errorf("comparing: ffmpeg's ssim said %q", v)
	}
	return -10 * math.Log10(1-ssim), nil
}

func size(sc *scene.Scene) string { return fmt.Sprintf("%dx%d", sc.W, sc.H) }

// through encodes the frames through one encoder with so many threads (0: as
// many as suit); they come by a pipe as in a render.
func (r ready) through(ctx context.Context, v profile.Video, threads int, out string) (took, error) {
	f, err := os.Open(r.name())
	if err != nil {
		return took{}, err
	}
	defer f.Close()
	sc := r.film.Scene
	args, err := render.PictureArgs(r.film, v, threads)
	if err != nil {
		return took{}, err
	}
	cmd := exec.CommandContext(ctx, "ffmpeg", append(args, "-f", "mp4", out)...)
	in, err := cmd.StdinPipe()
	if err != nil {
		return took{}, err
	}
	return measured(func() error {
		if err := cmd.Start(); err != nil {
			return err
		}
		_, err := io.CopyBuffer(in, struct{ io.Reader }{f}, make([]byte, sc.W*sc.H*3/2))
		return errors.Join(err, in.Close(), cmd.Wait())
	})
}

// Outputs measures films of one slideshow in three sizes made at once, against
// each made alone from cold.
func Outputs(ctx context.Context, out io.Writer, o Options) error {
	dir, s, err := begin(ctx, o)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	var ps []profile.Profile
	for _, n := range []string{"Web 1080", "Web 720", "Phone 480"} {
		p, _ := profile.Named(n)
		ps = append(ps, p)
	}
	drawn, leads := profile.Together(ps, s.doc.Frame.W, s.doc.Frame.H)
	jobs := func(all []profile.Profile) (jobs []render.Job, err error) {
		pool := s.sprites()
		for i, p := range all {
			f, err := s.lay(p)
			if err != nil {
				return nil, err
			}
			silent := *f
			silent.Doc.Soundtrack.Items = nil
			jobs = append(jobs, render.Job{
				Film:  &silent,
				Lanes: func(ctx context.Context) render.Lane { return pool.Lane(ctx, silent.Library, false) },
				Files: s.files,
				Out:   filepath.Join(dir, fmt.Sprintf("%d.mp4", i)),
			})
		}
		return jobs, nil
	}
	var alone took
	for i := range ps {
		one, err := jobs(ps[i : i+1])
		if err != nil {
			return err
		}
		t, err := measured(func() error { _, err := render.Film(ctx, one[0]); return err })
		if err != nil {
			return err
		}
		alone.seconds, alone.cpu = alone.seconds+t.seconds, alone.cpu+t.cpu
		if _, err := fmt.Fprintf(out, "alone_%d_cpu_s=%.1f\n", ps[i].Lines, t.cpu); err != nil {
			return err
		}
	}
	all, err := jobs(drawn)
	if err != nil {
		return err
	}
	t, err := measured(func() error { _, err := render.Together(ctx, all, leads); return err })
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(out,
		"outputs=%d\noutputs_alone_s=%.1f\noutputs_together_s=%.1f\noutputs_share=%.3f\noutputs_cpu_share=%.3f\ntogether_cpu_s=%.1f\n", len(ps), alone.seconds, t.seconds, t.seconds/alone.seconds, t.cpu/alone.cpu, t.cpu)
	return err
}
