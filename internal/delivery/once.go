package delivery

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"nelko/internal/store"
)

const (
	// handingFor is longer than any mail takes to be handed to a server.
	handingFor = 3 * time.Minute
	// busyFor is how long a mail waits for another of the same link.
	busyFor = 5 * time.Second
	// noteWithin is how long it is tried to note what became of a mail, though the
	// program stops.
	noteWithin = 10 * time.Second
)

// errBusy means that another job is handing a mail of the same link to the server.
var errBusy = errors.New("another mail of this link is being handed over")

// MayHaveGone is said of a mail of which nobody knows whether the server took it: the
// way there broke, or the program ended, after it was handed over and before the answer.
// It is not sent again by itself.
const MayHaveGone = "no answer came from the mail server, so it may have gone: ask the client, or send it " +
	"again"

func mayHaveGone() error { return &unsentMail{why: MayHaveGone, forGood: true} }

// asked is an error if an earlier attempt handed a link's mail over and did not live to note what
// became of it, or if another job is about to.
func (p *Post) asked(ctx context.Context, l store.Link) error {
	switch {
	case l.MailBegunAt == nil:
		return nil
	case l.MailJob == store.ActorOf(ctx).Job:
		return mayHaveGone()
	case l.MailError != "":
		return nil // it was told already; this is another mail
	case l.MailBegunAt.Before(p.Now().Add(-handingFor)):
		return mayHaveGone()
	}
	return errBusy
}

// once sends a mail that tells of a link. That it is handed over, and by what name, is noted
// before; what became of it is noted by sent, though the program stops meanwhile. What the
// server refused or never got may be sent again; of which no answer came is MayHaveGone.
func (p *Post) once(ctx context.Context, l store.Link, token string, m Mail,
	sent func(tx *gorm.DB, at time.Time) error) error {
	if err := p.asked(ctx, l); err != nil {
		return err
	}
	at, job := p.Now(), store.ActorOf(ctx).Job
	m.ID = mailID(l, at)
	m.Handing = func() error {
		res := p.Store.DB.WithContext(ctx).Model(&store.Link{}).
			Where("id = ? AND (mail_begun_at IS NULL OR mail_error <> '' AND mail_job <> ?)", l.ID, job).
			Updates(map[string]any{"mail_begun_at": at, "mail_job": job, "mail_error": ""})
		if res.Error == nil && res.RowsAffected == 0 {
			return errBusy
		}
		return res.Error
	}
	err := p.Mailer.Send(ctx, m)
	if errors.Is(err, errBusy) {
		return err
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), noteWithin)
	defer cancel()
	if errors.Is(err, errNoAnswer) {
		err = mayHaveGone()
		return errors.Join(err, p.Store.DB.WithContext(ctx).Model(&l).Update("mail_error",
			MayHaveGone).Error)
	}
	noted := p.note(ctx, func(tx *gorm.DB) error {
		if e := tx.Model(&l).Updates(map[string]any{"mail_begun_at": nil, "mail_job": 0}).Error; e != nil {
			return e
		}
		if err != nil {
			return unsent(tx, l, token, err)
		}
		return sent(tx, at)
	})
	if err != nil {
		return withoutToken(err, token)
	}
	return noted
}

// note tries to note something until ctx ends.
func (p *Post) note(ctx context.Context, f func(tx *gorm.DB) error) error {
	for {
		err := p.Store.Tx(ctx, f)
		if err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Second / 4):
		}
	}
}
