package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"strings"

	"nelko/internal/core/transition"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// KeepTransition keeps a setting of a transition under a name, in place of
// one that had it before.
func (r *Transitions) KeepTransition(ctx context.Context, name string, t transition.Transition) error {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 60 {
		return invalid.Field("name", "The transition needs a name of at most 60 characters.")
	}
	if err := t.Validate(); err != nil {
		return invalid.Field("transition", "Transition: %v.", err)
	}
	b, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return r.keepNamed(ctx, &store.Transition{Name: name, Setting: b}, "setting")
}

// TransitionNames lists the studio's own transitions.
func (r *Transitions) TransitionNames(ctx context.Context) ([]string, error) {
	return r.names(ctx, &store.Transition{})
}

// Transition is the studio's own transition of a name.
func (r *Transitions) Transition(ctx context.Context, name string) (transition.Transition, error) {
	var t transition.Transition
	row, err := store.One[store.Transition](r.Store.DB.WithContext(ctx), "name = ?", name)
	if errors.Is(err, store.ErrNotFound) {
		return t, invalid.Field("transition", "There is no transition of our own named “%s”.", name)
	}
	if err != nil {
		return t, err
	}
	return t, json.Unmarshal(row.Setting, &t)
}

// ForgetTransition takes one of the studio's own transitions off the list.
// Joins that were set by it stay as they are.
func (r *Transitions) ForgetTransition(ctx context.Context, name string) error {
	return r.forget(ctx, name, &store.Transition{})
}
