package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"nelko/internal/core/edit"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// KeepPreset keeps settings of slides under a name; what was kept under it
// before is replaced.
func (p *Presets) KeepPreset(ctx context.Context, name string, set edit.Settings) error {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 60 {
		return invalid.Field("name", "Settings are kept under a name of at most 60 characters.")
	}
	if len(set.Kinds) == 0 {
		return invalid.Field("kind", "Tick what of the settings is to be kept.")
	}
	b, err := json.Marshal(set)
	if err != nil {
		return err
	}
	return p.keepNamed(ctx, &store.Preset{Name: name, Settings: b}, "settings")
}

// PresetNames lists the settings that were kept.
func (p *Presets) PresetNames(ctx context.Context) ([]string, error) {
	return p.names(ctx, &store.Preset{})
}

// Preset is the settings kept under a name.
func (p *Presets) Preset(ctx context.Context, name string) (set edit.Settings, err error) {
	row, err := store.One[store.Preset](p.Store.DB.WithContext(ctx), "name = ?", name)
	if errors.Is(err, store.ErrNotFound) {
		return set, invalid.Field("preset", "Nothing is kept under “%s”.", name)
	}
	if err != nil {
		return set, err
	}
	if err := json.Unmarshal(row.Settings, &set); err != nil {
		return set, fmt.Errorf("settings kept as %s: %w", name, err)
	}
	return set, nil
}

// ForgetPreset forgets settings. Slides that were given them keep them.
func (p *Presets) ForgetPreset(ctx context.Context, name string) error {
	return p.forget(ctx, name, &store.Preset{})
}
