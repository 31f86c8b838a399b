package media

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/cage"
	"nelko/internal/media/vips"
)

// jpegs writes pictures; large ones take a while to read.
func jpegs(t *testing.T, dir string, sizes ...string) (paths []string) {
	for i, size := range sizes {
		path := filepath.Join(dir, strconv.Itoa(i)+".jpg")
		out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s="+size,
			"-frames:v", "1", path).CombinedOutput()
		require.NoError(t, err, string(out))
		paths = append(paths, path)
	}
	return paths
}

// A picture is read though the folder it lies in is another than when the process began that reads
// it, as after a mount that dropped and came back; and a file that is not there is none that is no
// picture.
func TestReadersWhoseFolderIsAnother(t *testing.T) {
	require.NoError(t, Startup())
	dir := filepath.Join(t.TempDir(), "blobs")
	require.NoError(t, os.Mkdir(dir, 0o777))
	path := jpegs(t, dir, "640x480")[0]
	r := NewReaders(2, dir)
	defer r.Close()
	look := func() error {
		_, err := r.Look(t.Context(), path, "a.jpg", 480)
		return err
	}
	require.NoError(t, look())
	for range 3 {
		require.NoError(t, os.Rename(dir, dir+".away"))
		require.NoError(t, os.Mkdir(dir, 0o777))
		err := look()
		require.ErrorContains(t, err, "cannot be opened")
		require.NotErrorIs(t, err, vips.ErrFormat)
		require.NoError(t, os.Remove(dir))
		require.NoError(t, os.Rename(dir+".away", dir))
		require.NoError(t, look(), "the folder is back")
	}
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.Rename(dir, dir+".old"))
	require.NoError(t, os.Mkdir(dir, 0o777))
	require.NoError(t, os.WriteFile(path, b, 0o666))
	require.NoError(t, look(), "the folder is another")
}

// A picture read in a process of its own is seen as it is in this one.
func TestReadersSeeTheSame(t *testing.T) {
	require.NoError(t, Startup())
	dir := t.TempDir()
	paths := jpegs(t, dir, "640x480", "3200x2400")
	r := NewReaders(1, dir)
	defer r.Close()
	for _, path := range paths {
		here, err := (*Readers)(nil).Look(context.Background(), path, "a.jpg", 480)
		require.NoError(t, err)
		there, err := r.Look(context.Background(), path, "a.jpg", 480)
		require.NoError(t, err)
		assert.Equal(t, here, there)
	}
	assert.Len(t, r.processes(), 1, "one process read both")
	letter := filepath.Join(dir, "letter.jpg")
	require.NoError(t, os.WriteFile(letter, []byte("Dear studio"), 0o644))
	_, err := r.Look(context.Background(), letter, "letter.jpg", 480)
	require.ErrorIs(t, err, vips.ErrFormat)
	cut := filepath.Join(dir, "cut.jpg")
	b, err := os.ReadFile(paths[1])
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(cut, b[:len(b)/2], 0o644))
	_, err = r.Look(context.Background(), cut, "cut.jpg", 480)
	var refused *Refused
	require.ErrorAs(t, err, &refused)
	assert.Contains(t, refused.Reason, "damaged or cut off")
}

// A file that takes its reading process down is refused, and the next one is
// read by another process.
func TestALostReader(t *testing.T) {
	dir := t.TempDir()
	paths := jpegs(t, dir, "640x480", "9000x9000")
	r := NewReaders(1, dir)
	defer r.Close()
	ctx := context.Background()
	_, err := r.Look(ctx, paths[0], "a.jpg", 480)
	require.NoError(t, err)
	pid, err := strconv.Atoi(r.processes()[0])
	require.NoError(t, err)
	go func() {
		time.Sleep(50 * time.Millisecond)
		_ = syscall.Kill(pid, syscall.SIGSEGV)
	}()
	_, err = r.Look(ctx, paths[1], "large.jpg", 480)
	var refused *Refused
	require.ErrorAs(t, err, &refused)
	_, err = r.Look(ctx, paths[0], "a.jpg", 480)
	require.NoError(t, err)
	assert.NotEqual(t, []string{strconv.Itoa(pid)}, r.processes())
	stop, cancel := context.WithTimeout(ctx, 30*time.Millisecond)
	defer cancel()
	_, err = r.Look(stop, paths[1], "large.jpg", 480)
	require.ErrorIs(t, err, context.DeadlineExceeded, "who asked went away: the file is not refused")
}

// A reading process has the limits it should.
func TestReadersAreConfined(t *testing.T) {
	dir := t.TempDir()
	paths := jpegs(t, dir, "640x480")
	r := NewReaders(1, dir)
	defer r.Close()
	_, err := r.Look(context.Background(), paths[0], "a.jpg", 480)
	require.NoError(t, err)
	limits, err := os.ReadFile("/proc/" + r.processes()[0] + "/limits")
	require.NoError(t, err)
	assert.Regexp(t, `Max data size +[1-9]\d{8,9} `, string(limits), "some hundred MB")
	assert.Regexp(t, `Max open files +64 `, string(limits))
	assert.Regexp(t, `Max file size +0 `, string(limits))
	env, err := os.ReadFile("/proc/" + r.processes()[0] + "/environ")
	require.NoError(t, err)
	assert.NotContains(t, string(env), "DATABASE", "it is told no secrets")
	elsewhere := jpegs(t, t.TempDir(), "640x480")
	if _, err := r.Look(context.Background(), elsewhere[0], "a.jpg", 480); err == nil {
		t.Log("this kernel has no Landlock: what a process may open is not limited here")
	}
}

// A decoder sees its file and no other, has the limits it should, and is told no
// secrets.
func TestDecodersAreCaged(t *testing.T) {
	t.Setenv("NELKO_DATABASE_URL", "postgres://secret")
	dir := t.TempDir()
	mine, other := filepath.Join(dir, "mine"), filepath.Join(dir, "other")
	for _, path := range []string{mine, other} {
		require.NoError(t, os.WriteFile(path, []byte("here\n"), 0o600))
	}
	ask := func(script string) (string, error) {
		out, err := output(context.Background(), 10*time.Second, probing(mine, 60), "sh", "-c", script)
		return string(out), err
	}
	out, err := ask("cat " + mine + " /proc/self/limits /proc/self/environ")
	require.NoError(t, err)
	assert.Contains(t, out, "here\n")
	assert.Regexp(t, `Max data size +671088640 `, out)
	assert.Regexp(t, `Max cpu time +60 `, out)
	assert.Regexp(t, `Max file size +0 `, out)
	assert.NotContains(t, out, "secret")
	if _, err := ask("cat " + other); err == nil {
		t.Log("this kernel has no Landlock")
	}
	_, err = ask("echo more > " + mine)
	assert.Error(t, err, "nothing is written")
	_, err = output(context.Background(), 10*time.Second, cage.Cage{Memory: 64 << 20}, "ffmpeg", "-v",
		"error", "-f", "lavfi", "-i", "color=s=8000x8000:d=1", "-f", "null", "-")
	assert.Error(t, err, "more memory than it may have")
}

// Quick readers leave what takes long to others, and go on with the next.
func TestQuickReaders(t *testing.T) {
	dir := t.TempDir()
	paths := jpegs(t, dir, "640x480", "9000x9000")
	r := QuickReaders(1, dir)
	defer r.Close()
	_, err := r.Look(context.Background(), paths[0], "a.jpg", 480)
	require.NoError(t, err)
	r.limit = 30 * time.Millisecond
	_, err = r.Look(context.Background(), paths[1], "large.jpg", 480)
	require.ErrorIs(t, err, ErrSlow)
	r.limit = time.Minute
	_, err = r.Look(context.Background(), paths[0], "a.jpg", 480)
	require.NoError(t, err)
	pid, err := strconv.Atoi(r.processes()[0])
	require.NoError(t, err)
	time.AfterFunc(50*time.Millisecond, func() { _ = syscall.Kill(pid, syscall.SIGKILL) })
	_, err = r.Look(context.Background(), paths[1], "large.jpg", 480)
	require.ErrorIs(t, err, ErrSlow, "one that is lost is no reason yet to refuse the file")
}

// processes are the identifiers of the processes that are idle.
func (r *Readers) processes() (ids []string) {
	for range cap(r.idle) {
		p := <-r.idle
		if p != nil {
			ids = append(ids, strconv.Itoa(p.cmd.Process.Pid))
		}
		r.idle <- p
	}
	return ids
}
