package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/skeleton"
)

// ShelfItem is what a production keeps for its characters to use: Kind "starter"
// is a skeleton.Own, "names" a skeleton.NameMap.
type ShelfItem struct {
	Production, Kind, Name string
	Body                   json.RawMessage
}

// Shelf is all that a production keeps.
type Shelf struct {
	Starters []*skeleton.Own    `json:"starters"`
	Names    []skeleton.NameMap `json:"names"` // the shipped ones first
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
	out := Shelf{Starters: []*skeleton.Own{}, Names: slices.Clone(skeleton.NameMaps)}
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
		}
	}
	return out, nil
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
