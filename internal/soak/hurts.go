package soak

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"time"

	"nelko/internal/store"
)

// hurt is something that is done to the studio while it works.
type hurt struct {
	name  string
	often int // how many times as often as the rarest
	count *int
	do    func(ctx context.Context, rnd *rand.Rand) error
}

// hurts are all that is done to it.
func (s *studio) hurts() []hurt {
	return []hurt{
		{"killing the server", 4, &s.f.KilledServer, func(context.Context, *rand.Rand) error {
			s.server.kill()
			return nil
		}},
		{"killing the worker", 2, &s.f.KilledWorker, func(context.Context, *rand.Rand) error {
			s.worker.kill()
			return nil
		}},
		{"killing the database", 2, &s.f.KilledDatabase, func(ctx context.Context, _ *rand.Rand) error {
			return s.killDatabase(ctx)
		}},
		{"taking the folder of files away", 2, &s.f.StoreAway, s.takeStoreAway},
		{"moving the database back by a version", 1, &s.f.MovedBack, s.moveBack},
		{"having a worker join or leave", 2, &s.f.Joined, s.joinOrLeave},
	}
}

// hurting hurts the studio each some seconds after the last time: in each way once, and then by
// chance.
func (s *studio) hurting(ctx context.Context) error {
	rnd := rand.New(rand.NewPCG(s.Seed, 1))
	all := s.hurts()
	var often []int
	for i, h := range all {
		for range h.often {
			often = append(often, i)
		}
	}
	first := rnd.Perm(len(all))
	for {
		select {
		case <-ctx.Done():
			return s.heal()
		case <-time.After(time.Duration(3+rnd.IntN(10)) * time.Second):
		}
		what := often[rnd.IntN(len(often))]
		if len(first) > 0 {
			what, first = first[0], first[1:]
		}
		s.say("%s", all[what].name)
		if err := all[what].do(ctx, rnd); err != nil && ctx.Err() == nil {
			return fmt.Errorf("%s: %w", all[what].name, err)
		}
		*all[what].count++
	}
}

// heal ends what is hurt still.
func (s *studio) heal() error {
	for _, w := range s.joined {
		w.stop()
	}
	s.joined = nil
	return s.storeBack()
}

func (s *studio) blobs() string { return filepath.Join(s.dir, "var", "blobs") }

// takeStoreAway has the folder of files gone for some seconds, and an empty one in its place, as
// when a mount drops. What is written there meanwhile is lost.
func (s *studio) takeStoreAway(ctx context.Context, rnd *rand.Rand) error {
	if err := os.Rename(s.blobs(), s.blobs()+".away"); err != nil {
		return err
	}
	if err := os.Mkdir(s.blobs(), 0o777); err != nil {
		return err
	}
	select {
	case <-ctx.Done():
	case <-time.After(time.Duration(2+rnd.IntN(8)) * time.Second):
	}
	return s.storeBack()
}

// storeBack brings the folder of files back.
func (s *studio) storeBack() error {
	if _, err := os.Stat(s.blobs() + ".away"); errors.Is(err, os.ErrNotExist) {
		return nil
	}
	// What comes between is written into the folder that goes.
	for {
		if err := os.RemoveAll(s.blobs()); err != nil {
			return err
		}
		if err := os.Rename(s.blobs()+".away", s.blobs()); err == nil || !errors.Is(err, os.ErrExist) {
			return err
		}
	}
}

// moveBack moves the database back by a version, as a program of before left it; the programs
// that start then bring it up to date.
func (s *studio) moveBack(ctx context.Context, _ *rand.Rand) error {
	s.server.pause()
	s.worker.pause()
	defer s.server.resume()
	defer s.worker.resume()
	s.server.kill()
	s.worker.kill()
	db, err := store.Open(ctx, s.url)
	if err != nil {
		return err
	}
	defer db.Close()
	return db.MoveBack(ctx)
}

// mostJoined is how many workers join at most.
const mostJoined = 2

// joinOrLeave has a worker of one or two processors join, or one that did leave, by itself or
// killed.
func (s *studio) joinOrLeave(_ context.Context, rnd *rand.Rand) error {
	if len(s.joined) == 0 || len(s.joined) < mostJoined && rnd.IntN(2) == 0 {
		s.workers++
		w := s.supervise("work", fmt.Sprintf("joined-%d", s.workers), fmt.Sprintf("GOMAXPROCS=%d", 1+
			rnd.IntN(2)))
		s.joined = append(s.joined, w)
		return nil
	}
	w := s.joined[0]
	s.joined = s.joined[1:]
	if rnd.IntN(2) == 0 {
		w.kill()
	}
	w.stop()
	return nil
}
