package soak

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// command runs a program to its end.
func command(ctx context.Context, env []string, in, name string, args ...string) error {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Env, cmd.Stdin = env, strings.NewReader(in)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %s: %w", name, out, err)
	}
	return nil
}

func (p *place) nelko(ctx context.Context, in string, args ...string) error {
	return command(ctx, p.env, in, p.Binary, args...)
}

// process is one that is started again whenever it ends.
type process struct {
	mu      sync.Mutex
	cmd     *exec.Cmd
	stopped bool
	paused  bool // it is not started again just now
	gone    chan struct{}
}

// supervise runs nelko with an argument, again and again. name is of its log; env is beside the
// studio's.
func (s *studio) supervise(arg, name string, env ...string) *process {
	p := &process{gone: make(chan struct{})}
	log, err := os.Create(filepath.Join(s.dir, name+".log"))
	if err != nil {
		log = nil // it says nothing then
	}
	go func() {
		defer close(p.gone)
		for {
			p.mu.Lock()
			if p.stopped {
				p.mu.Unlock()
				return
			}
			if p.paused {
				p.mu.Unlock()
				time.Sleep(50 * time.Millisecond)
				continue
			}
			p.cmd = exec.Command(s.Binary, arg)
			p.cmd.Env, p.cmd.Stderr = slices.Concat(s.env, env), log
			p.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
			err := p.cmd.Start()
			p.mu.Unlock()
			if err == nil {
				_ = p.cmd.Wait() // it was killed, or will say why in its log
			}
			time.Sleep(300 * time.Millisecond)
		}
	}()
	return p
}

func (p *process) signal(sig syscall.Signal) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.cmd != nil && p.cmd.Process != nil && p.cmd.ProcessState == nil {
		_ = p.cmd.Process.Signal(sig) // it may have ended by itself
	}
}

// pause has it not be started again once it ended; resume ends that.
func (p *process) pause()  { p.setPaused(true) }
func (p *process) resume() { p.setPaused(false) }

func (p *process) setPaused(b bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.paused = b
}

func (p *process) kill() { p.signal(syscall.SIGKILL) }

func (p *process) stop() {
	p.mu.Lock()
	p.stopped = true
	p.mu.Unlock()
	p.signal(syscall.SIGTERM)
	select {
	case <-p.gone:
	case <-time.After(20 * time.Second):
		p.kill()
		<-p.gone
	}
}

// awaitServer waits until the server answers.
func (s *studio) awaitServer(ctx context.Context) error {
	for range 600 {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+s.addr+"/healthz", nil)
		if err != nil {
			return err
		}
		if res, err := http.DefaultClient.Do(req); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
	b, _ := os.ReadFile(filepath.Join(s.dir, "serve.log")) // empty if there is none
	return fmt.Errorf("the server does not answer: %s", bytes.TrimSpace(b[max(0, len(b)-2000):]))
}

// pg runs the script that keeps a PostgreSQL.
func (s *studio) pg(ctx context.Context, do string) (string, error) {
	cmd := exec.CommandContext(ctx, filepath.Join(s.Checkout, "scripts", "pg"), do,
		filepath.Join(s.dir, "pg"))
	out, err := cmd.Output()
	if err != nil {
		return "", fmt.Errorf("scripts/pg %s: %w", do, err)
	}
	return strings.TrimSpace(string(out)), nil
}

func (s *studio) startDatabase(ctx context.Context) (string, error) { return s.pg(ctx, "start") }

func (s *studio) stopDatabase() { _, _ = s.pg(context.Background(), "stop") }

// killDatabase kills PostgreSQL without giving it time to write anything, and
// starts it again.
func (s *studio) killDatabase(ctx context.Context) error {
	b, err := os.ReadFile(filepath.Join(s.dir, "pg", "data", "postmaster.pid"))
	if err != nil {
		return err
	}
	first, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(first))
	if err != nil {
		return err
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		return fmt.Errorf("killing PostgreSQL: %w", err)
	}
	select {
	case <-ctx.Done():
	case <-time.After(time.Second):
	}
	// Whatever becomes of the soak, it is started again.
	url, err := s.pg(context.WithoutCancel(ctx), "start")
	if err == nil && url != s.url {
		err = fmt.Errorf("PostgreSQL came back at %s, and was at %s", url, s.url)
	}
	return err
}
