package shelf

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nelko/internal/core/profile"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// stockProfiles keeps the shipped profiles as this program has them. A profile
// of the studio's own of the same name stays.
func (r *Profiles) stockProfiles(ctx context.Context) error {
	for i, p := range profile.Shipped {
		row := store.Profile{Name: p.Name, Position: i, Setting: p}
		keep := clause.OnConflict{
			Columns:   []clause.Column{{Name: "name"}},
			DoUpdates: clause.AssignmentColumns([]string{"position", "setting"}),
			Where:     clause.Where{Exprs: []clause.Expression{gorm.Expr("NOT profiles.own")}},
		}
		if err := r.Store.DB.WithContext(ctx).Clauses(keep).Create(&row).Error; err != nil {
			return fmt.Errorf("keeping the profile %s: %w", p.Name, err)
		}
	}
	return nil
}

// Profiles lists the ways of encoding that can be read, the usual one first.
func (r *Profiles) Profiles(ctx context.Context) ([]store.Profile, error) {
	return r.profilesIn(r.Store.DB.WithContext(ctx))
}

func (r *Profiles) profilesIn(tx *gorm.DB) ([]store.Profile, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.profiles != nil {
		return slices.Clone(r.profiles), nil
	}
	var names []string
	if err := tx.Model(&store.Profile{}).Order("own, position, name").
		Pluck("name", &names).Error; err != nil {
		return nil, err
	}
	rows, aside := []store.Profile{}, []Aside{}
	for _, name := range names {
		// One that cannot be read must not take the others with it.
		row, err := store.One[store.Profile](tx, "name = ?", name)
		if errors.Is(err, store.ErrNotFound) {
			continue // gone meanwhile
		}
		if err == nil {
			err = row.Setting.Validate()
		} else if !store.Unreadable(err) {
			return nil, err
		}
		if err != nil {
			aside = append(aside, Aside{"The way of encoding " + name, err.Error()})
			slog.Error("way of encoding put aside", "name", name, "error", err)
			continue
		}
		rows = append(rows, row)
	}
	r.aside = aside
	r.profiles = rows
	return slices.Clone(rows), nil
}

// drop has the profiles read again when they are asked for.
func (r *Profiles) drop() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.profiles, r.aside = nil, nil
}

// asides are the profiles that could not be read when they were read last.
func (r *Profiles) asides() []Aside {
	r.mu.Lock()
	defer r.mu.Unlock()
	return slices.Clone(r.aside)
}

// Profile is the way of encoding of a name; the usual one without a name.
func (r *Profiles) Profile(ctx context.Context, name string) (profile.Profile, error) {
	return r.ProfileIn(r.Store.DB.WithContext(ctx), name)
}

// ProfileIn is Profile in a transaction.
func (r *Profiles) ProfileIn(tx *gorm.DB, name string) (profile.Profile, error) {
	all, err := r.profilesIn(tx)
	if err != nil {
		return profile.Profile{}, err
	}
	for _, p := range all {
		if name == "" || p.Name == name {
			return p.Setting, nil
		}
	}
	return profile.Profile{}, invalid.Field("profile", "There is no profile %q.", name)
}

// KeepProfile keeps a way of encoding of the studio's own. The names of shipped
// ones are taken.
func (r *Profiles) KeepProfile(ctx context.Context, p profile.Profile) error {
	if err := p.Validate(); err != nil {
		return invalid.Field("profile", "The profile cannot be: %v.", err)
	}
	if _, taken := profile.Named(p.Name); taken {
		return invalid.Field("name", "%q is a shipped profile; give yours another name.", p.Name)
	}
	return r.profilesChange(ctx, func(tx *gorm.DB) error {
		row := store.Profile{Name: p.Name, Setting: p, Own: true}
		if err := store.Note(tx, store.DidSettings, 0, "Kept the way of encoding "+p.Name); err != nil {
			return err
		}
		return tx.Clauses(clause.OnConflict{
			Columns:   []clause.Column{{Name: "name"}},
			DoUpdates: clause.AssignmentColumns([]string{"setting"}),
		}).Create(&row).Error
	})
}

// ForgetProfile takes a profile of the studio's own from the shelf. Films that
// were made with it stay as they are, and can be made again.
func (r *Profiles) ForgetProfile(ctx context.Context, name string) error {
	return r.profilesChange(ctx, func(tx *gorm.DB) error {
		if err := store.Note(tx, store.DidSettings, 0, "Removed the way of encoding "+name); err != nil {
			return err
		}
		return tx.Where("name = ? AND own", name).Delete(&store.Profile{}).Error
	})
}

func (r *Profiles) profilesChange(ctx context.Context, do func(*gorm.DB) error) error {
	return r.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := do(tx); err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.ShelfChanged})
	})
}
