// Package drives opens the origins that the database keeps: it brings their
// settings, their sealed secrets and their kind together.
package drives

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"ambrosa/internal/origin"
	"ambrosa/internal/origin/kinds"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/store"
	"ambrosa/internal/vault"
)

// Opener opens origins.
type Opener struct {
	Vault *vault.Vault
	Guard outgoing.Guard
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
	sealed := map[string]string{}
	if len(o.Secrets) > 0 {
		if err := json.Unmarshal(o.Secrets, &sealed); err != nil {
			return err
		}
	}
	moved := len(o.Settings) > 0 && kind.Host(o.Settings) != kind.Host(settings)
	if moved {
		o.Pinned = "" // the other host has another key
	}
	o.Settings = map[string]string{}
	for _, field := range kind.Fields {
		value := settings[field.Name]
		if strings.HasPrefix(field.Type, "secret") {
			if _, kept := sealed[field.Name]; kept && value == "" && moved {
				return origin.Faulty(
					"the address leads to another host than before: enter its "+strings.ToLower(field.Label)+" again",
					false,
					nil,
				)
			}
			if value != "" {
				sealed[field.Name] = base64.StdEncoding.EncodeToString(p.Vault.Seal(value, about(o.Kind, field.Name)))
			}
			continue
		}
		if value = strings.TrimSpace(value); value == "" && field.Required {
			return origin.Faulty(field.Label+" is missing", false, nil)
		}
		o.Settings[field.Name] = value
	}
	var err error
	o.Secrets, err = json.Marshal(sealed)
	return err
}

func about(kind, field string) string { return kind + "/" + field }

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

// Settings returns an origin's settings with its secrets, which are not to be
// shown. What is wrong is a Fault.
func (p *Opener) Settings(o store.Origin) (map[string]string, error) {
	settings := map[string]string{origin.PinnedSetting: o.Pinned}
	for name, value := range o.Settings {
		settings[name] = value
	}
	sealed := map[string]string{}
	if len(o.Secrets) > 0 {
		if err := json.Unmarshal(o.Secrets, &sealed); err != nil {
			return nil, err
		}
	}
	for name, text := range sealed {
		raw, err := base64.StdEncoding.DecodeString(text)
		if err != nil {
			return nil, err
		}
		value, err := p.Vault.Open(raw, about(o.Kind, name))
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
