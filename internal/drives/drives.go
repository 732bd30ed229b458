// Package drives opens the origins and the outlets that the database keeps: it
// brings their settings, their sealed secrets and their kind together.
package drives

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ambrosa/internal/origin"
	"ambrosa/internal/origin/kinds"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/outlet"
	outlets "ambrosa/internal/outlet/kinds"
	"ambrosa/internal/store"
	"ambrosa/internal/vault"
)

// Opener opens origins and outlets.
type Opener struct {
	Vault *vault.Vault
	Guard outgoing.Guard
}

// kept is what is kept of a place that is connected to.
type kept struct {
	settings map[string]string
	secrets  json.RawMessage
	pinned   string
}

// place is what is known of a kind of place.
type place struct {
	scope  string // that secrets are bound to: one of another kind does not open them
	fields []origin.Field
	host   func(settings map[string]string) string
}

// Take puts settings by field name into an origin: those that are secret sealed,
// the others as they are. A secret that is empty keeps the one that is there, as
// long as the settings lead to the same host: it was entered for that one. The
// error is a Fault that names the field.
func (p *Opener) Take(o *store.Origin, settings map[string]string) error {
	kind, ok := kinds.Of(o.Kind)
	if !ok {
		return origin.Faulty(fmt.Sprintf("there is no kind of origin %q", o.Kind), false, nil)
	}
	taken, err := p.take(place{o.Kind, kind.Fields, kind.Host}, kept{o.Settings, o.Secrets, o.Pinned}, settings)
	o.Settings, o.Secrets, o.Pinned = taken.settings, taken.secrets, taken.pinned
	return err
}

// TakeOutlet is Take for an outlet.
func (p *Opener) TakeOutlet(o *store.Outlet, settings map[string]string) error {
	kind, ok := outlets.Of(o.Kind)
	if !ok {
		return origin.Faulty(fmt.Sprintf("there is no kind of outlet %q", o.Kind), false, nil)
	}
	taken, err := p.take(placeOf(kind), kept{o.Address, o.Secrets, o.Pinned}, settings)
	if err != nil {
		return err
	}
	o.Address, o.Secrets, o.Pinned = taken.settings, taken.secrets, taken.pinned
	if kind.Check == nil {
		return nil
	}
	return kind.Check(o.Address)
}

func placeOf(kind outlet.Kind) place { return place{"outlet " + kind.Name, kind.Fields, kind.Host} }

func (p *Opener) take(at place, before kept, settings map[string]string) (after kept, err error) {
	sealed := map[string]string{}
	if len(before.secrets) > 0 {
		if err := json.Unmarshal(before.secrets, &sealed); err != nil {
			return before, err
		}
	}
	after = kept{settings: map[string]string{}, pinned: before.pinned}
	moved := len(before.settings) > 0 && at.host(before.settings) != at.host(settings)
	if moved {
		after.pinned = "" // the other host has another key
	}
	for _, field := range at.fields {
		value := settings[field.Name]
		if strings.HasPrefix(field.Type, "secret") {
			if _, known := sealed[field.Name]; known && value == "" && moved {
				return before, origin.Faulty(
					"the address leads to another host than before: enter its "+strings.ToLower(field.Label)+" again",
					false,
					nil,
				)
			}
			if value != "" {
				sealed[field.Name] = base64.StdEncoding.EncodeToString(p.Vault.Seal(value, about(at.scope, field.Name)))
			}
			continue
		}
		if value = strings.TrimSpace(value); value == "" && field.Required {
			return before, origin.Faulty(field.Label+" is missing", false, nil)
		}
		if value != "" && len(field.Choices) > 0 && !slices.Contains(field.Choices, value) {
			return before, origin.Faulty(fmt.Sprintf("%s cannot be %q", field.Label, value), false, nil)
		}
		after.settings[field.Name] = value
	}
	after.secrets, err = json.Marshal(sealed)
	return after, err
}

func about(scope, field string) string { return scope + "/" + field }

// Open connects to a drive. What is wrong is a Fault.
func (p *Opener) Open(ctx context.Context, o store.Origin) (origin.Drive, error) {
	kind, ok := kinds.Of(o.Kind)
	if !ok || kind.Open == nil {
		return nil, origin.Faulty(fmt.Sprintf("there is no drive of the kind %q", o.Kind), false, nil)
	}
	settings, err := p.Settings(o)
	if err != nil {
		return nil, err
	}
	return kind.Open(ctx, settings, p.Guard)
}

// OpenOutlet connects to an outlet. What is wrong is a Fault.
func (p *Opener) OpenOutlet(ctx context.Context, o store.Outlet) (outlet.Outlet, error) {
	kind, ok := outlets.Of(o.Kind)
	if !ok || kind.Open == nil {
		return nil, origin.Faulty(fmt.Sprintf("nobody connects to an outlet of the kind %q", o.Kind), false, nil)
	}
	settings, err := p.opened(placeOf(kind), kept{o.Address, o.Secrets, o.Pinned})
	if err != nil {
		return nil, err
	}
	return kind.Open(ctx, settings, p.Guard)
}

// Settings returns an origin's settings with its secrets, which are not to be
// shown. What is wrong is a Fault.
func (p *Opener) Settings(o store.Origin) (map[string]string, error) {
	return p.opened(place{scope: o.Kind}, kept{o.Settings, o.Secrets, o.Pinned})
}

func (p *Opener) opened(at place, k kept) (map[string]string, error) {
	settings := map[string]string{origin.PinnedSetting: k.pinned}
	maps.Copy(settings, k.settings)
	sealed := map[string]string{}
	if len(k.secrets) > 0 {
		if err := json.Unmarshal(k.secrets, &sealed); err != nil {
			return nil, err
		}
	}
	for name, text := range sealed {
		raw, err := base64.StdEncoding.DecodeString(text)
		if err != nil {
			return nil, err
		}
		value, err := p.Vault.Open(raw, about(at.scope, name))
		if errors.Is(err, vault.ErrKey) {
			return nil, origin.Faulty("its password was sealed with another key than this Ambrosa has: enter it again", false, err)
		}
		if err != nil {
			return nil, err
		}
		settings[name] = value
	}
	return settings, nil
}
