package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/profile"
	"wisemarrow/core/skeleton"
)

// ShelfItem is what a production keeps for its characters to use: Kind "starter"
// is a skeleton.Own, "names" a skeleton.NameMap, "rules" are Rules, "style" is a StyleChoice, "profile" a profile.Profile.
type ShelfItem struct {
	Production, Kind, Name string
	Body                   json.RawMessage
}

// Shelf is all that a production keeps.
type Shelf struct {
	Starters []*skeleton.Own    `json:"starters"`
	Names    []skeleton.NameMap `json:"names"` // the shipped ones first
	Rules    *Rules             `json:"rules,omitempty"`
	// Profiles are those of the production's own, by name.
	Profiles []profile.Profile `json:"profiles"`
}

// Rules are what a production has its new characters follow.
type Rules struct {
	Convention skeleton.Convention `json:"convention"`
	Elsewhere  bool                `json:"elsewhere"` // pieces may be bound away from the bind pose
}

// rulesName is the name that rules have on the shelf: a production has one.
const rulesName = "rules"

// KeepRules keeps the convention and the policy of a character as its production's: those
// that come later begin with them.
func (x *Studio) KeepRules(ctx context.Context, character string) (Rules, error) {
	_, _, s, err := x.Head(ctx, character)
	if err != nil {
		return Rules{}, err
	}
	r := Rules{s.Settings.Convention, s.Settings.Elsewhere}
	return r, x.Shelve(ctx, character, "rules", rulesName, r)
}

// rules returns those of a production, nil without.
func (x *Studio) rules(ctx context.Context, production string) (*Rules, error) {
	list, err := x.store.Shelf(ctx, production)
	if err != nil {
		return nil, err
	}
	for _, item := range list {
		if item.Kind == "rules" {
			var r Rules
			if err := json.Unmarshal(item.Body, &r); err != nil {
				return nil, fmt.Errorf("reading the rules of %s: %w", production, err)
			}
			return &r, nil
		}
	}
	return nil, nil
}

// Shelf returns what the production of a character keeps.
func (x *Studio) Shelf(ctx context.Context, character string) (Shelf, error) {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return Shelf{}, err
	}
	list, err := x.store.Shelf(ctx, c.Production)
	if err != nil {
		return Shelf{}, err
	}
	out := Shelf{Starters: []*skeleton.Own{}, Names: slices.Clone(skeleton.NameMaps), Profiles: []profile.Profile{}}
	for _, item := range list {
		switch item.Kind {
		case "starter":
			o := &skeleton.Own{}
			if err := json.Unmarshal(item.Body, o); err != nil {
				return out, fmt.Errorf("reading the starter %s: %w", item.Name, err)
			}
			out.Starters = append(out.Starters, o)
		case "names":
			var m skeleton.NameMap
			if err := json.Unmarshal(item.Body, &m); err != nil {
				return out, fmt.Errorf("reading the names %s: %w", item.Name, err)
			}
			out.Names = append(out.Names, m)
		case profileKind:
			p, err := profile.Decode(item.Body)
			if err != nil {
				return out, fmt.Errorf("reading the profile %s: %w", item.Name, err)
			}
			out.Profiles = append(out.Profiles, p)
		case "rules":
			out.Rules = &Rules{}
			if err := json.Unmarshal(item.Body, out.Rules); err != nil {
				return out, fmt.Errorf("reading the rules of the production: %w", err)
			}
		}
	}
	return out, nil
}

// profileKind is what profiles are on the shelf, and mostProfiles how many a production has.
const profileKind, mostProfiles = "profile", 200

// KeepProfile keeps a profile, as JSON, for the production of a character, in place of its own of that name.
func (x *Studio) KeepProfile(ctx context.Context, character string, raw json.RawMessage) (profile.Profile, error) {
	p, err := profile.Decode(raw)
	if err != nil {
		return p, Wrong("%v", err)
	}
	if _, ok := profile.Find(p.Name); ok {
		return p, Wrong("%s is a profile that ships: give yours another name", p.Name)
	}
	shelf, err := x.Shelf(ctx, character)
	if err != nil {
		return p, err
	}
	there := slices.ContainsFunc(shelf.Profiles, func(o profile.Profile) bool { return o.Name == p.Name })
	if !there && len(shelf.Profiles) >= mostProfiles {
		return p, Wrong("a production keeps at most %d profiles: discard one first", mostProfiles)
	}
	return p, x.Shelve(ctx, character, profileKind, p.Name, p)
}

// Shelve keeps something for the production of a character.
func (x *Studio) Shelve(ctx context.Context, character, kind, name string, body any) error {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return err
	}
	data, err := json.Marshal(body)
	if err != nil {
		return err
	}
	return x.store.Shelve(ctx, ShelfItem{c.Production, kind, name, data})
}

// Discard takes something off the shelf of a character's production. Characters
// that were made with it stay as they are.
func (x *Studio) Discard(ctx context.Context, character, kind, name string) error {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return err
	}
	return x.store.Discard(ctx, c.Production, kind, name)
}
